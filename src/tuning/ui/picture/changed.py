"""What was changed in a clip of squats: one thing at a time, for finding what removes a shift."""

from __future__ import annotations

from PyQt6.QtWidgets import QComboBox

from tuning.core.movement.causes import SHIFT, Cause, causes
from tuning.ui.picture.board import MarkBoard
from tuning.ui.workspace import Workspace

TEST, CLIP = "shift-cause-finder", "clip"


def changed_in(space: Workspace, capture_id: int) -> str:
    """Key of the thing that was changed in a clip; empty when it was squatted as usual."""
    said = [f.data["changed"] for f in space.findings(TEST) if f.data.get(CLIP) == capture_id]
    return said[-1] if said else ""


def found_causes(space: Workspace) -> list[Cause]:
    """Each changed clip of the visit against the newest plain one."""
    seen = [o for o in space.observations() if o.measure_id == SHIFT and o.measured is not None and o.evidence]
    told = [(changed_in(space, o.evidence["capture"]), o) for o in seen if "capture" in o.evidence]
    plain = [o for key, o in told if not key]
    if not plain:
        return []
    return causes(space.knowledge.measures[SHIFT], plain[-1], {key: o for key, o in told if key})


class ChangedBox(QComboBox):
    """Says what was changed in the open clip; kept with the record."""

    def __init__(self, space: Workspace, board: MarkBoard) -> None:
        super().__init__()
        self._space, self._board = space, board
        self.addItem("squatted as usual", "")
        for question in space.knowledge.tests[TEST].questions:
            self.addItem(f"changed: {question.text.lower()}", question.key)
        self.setAccessibleName("What was changed in this clip")
        self.activated.connect(lambda _: self._keep())

    def refresh(self) -> None:
        """Follow the record."""
        capture = self._board.capture
        self.setCurrentIndex(self.findData(changed_in(self._space, capture.id)) if capture is not None else 0)

    def _keep(self) -> None:
        capture = self._board.capture
        if capture is None:
            return
        old = [f.id for f in self._space.findings(TEST) if f.data.get(CLIP) == capture.id]
        new = [self._space.find(TEST, {CLIP: capture.id, "changed": self.currentData()})] if self.currentData() else []
        self._space.do("what was changed", new, old)
