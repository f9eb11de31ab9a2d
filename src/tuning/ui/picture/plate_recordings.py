"""Recordings of the force plates that a person stood on while a clip was taken."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from tuning.core.entries import Capture, PlatesUsed, Purpose
from tuning.core.errors import BadInput, TuningError
from tuning.core.force.clip_sync import Plates
from tuning.core.force.recording import Recording
from tuning.core.force.sway import NO_POINT
from tuning.ui.workspace import Workspace


class Recordings:
    """Those of the open visit; `say` is told why one cannot be used."""

    def __init__(self, workspace: Workspace, say: Callable[[str], object]) -> None:
        self._workspace, self._say = workspace, say
        self._read: dict[str, Recording] = {}

    def of_visit(self) -> list[Capture]:
        """What was recorded in this visit, newest first."""
        return [c for c in self._workspace.entries(Capture) if c.purpose is Purpose.PLATES][::-1]

    def under(self, ground: PlatesUsed | None) -> Plates | None:
        """The plates under a clip, None where none are named or their file is lost."""
        capture = next((c for c in self.of_visit() if ground is not None and c.uid == ground.capture), None)
        if ground is None or capture is None:
            return None
        try:
            return Plates(self._recording(capture), ground.heel_mm)
        except TuningError as err:  # the file may have been lost from the media folder
            self._say(f"The plates are not used: {err}")
            return None

    def _recording(self, capture: Capture) -> Recording:
        if capture.medium.sha256 not in self._read:
            from tuning.exchange.plates import read_plates

            path = self._workspace.record.media.lent(capture.medium)
            self._read[capture.medium.sha256] = read_plates(path)
        return self._read[capture.medium.sha256]

    def add(self, path: Path) -> Capture:
        """Keep a plate file for clips. Raises TuningError when it cannot be read or holds no centre of pressure."""
        from tuning.exchange.plates import read_plates

        space = self._workspace
        found = read_plates(path)
        if found.support() is None:
            raise BadInput(f"{path.name}: {NO_POINT}.")
        assert space.person is not None
        medium = space.record.medium(space.record.media.keep(path), space.person)
        self._read[medium.sha256] = found
        with space.action(f"plates: {path.name}") as act:
            capture = act.add(Capture(medium, Purpose.PLATES))
        return capture
