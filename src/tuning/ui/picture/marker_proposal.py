"""Markers that the program proposes for the open picture: one key takes them all, another leaves them."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, pyqtSignal

from tuning.core.entries import Capture
from tuning.core.picture_views import STAGE_OF_CLIPS, kinds_by_view
from tuning.core.pictures.landmarks import landmark_label
from tuning.ui.jobs import Job
from tuning.ui.picture.mark_state import MarkState
from tuning.ui.picture.tracking_state import TrackingState, goes_on
from tuning.ui.workspace import Workspace

if TYPE_CHECKING:
    from tuning.video.suggest.api import Suggestion

VIEWS = kinds_by_view(STAGE_OF_CLIPS)
"""Kinds of picture that markers are proposed for, and how they see the person."""


class MarkerProposal(QObject):
    """Looks for the stickers of a picture that nobody has marked yet."""

    job_started = pyqtSignal(object)
    frame_wanted = pyqtSignal(int)

    def __init__(self, workspace: Workspace, board: MarkState, following: TrackingState) -> None:
        super().__init__()
        self._workspace, self._board, self._following = workspace, board, following

    @property
    def usable(self) -> bool:
        """Whether there is something to look for: a picture of a known view without marks, and the body model."""
        from tuning.video.suggest.body_model import is_set_up

        capture = self._board.capture
        bare = capture is not None and capture.view in VIEWS and not self._board.marked_frames
        return bare and self._following.tracks is None and is_set_up()

    def start(self) -> None:
        """Look for the stickers in the background."""
        capture = self._board.capture
        if capture is None or not self.usable:
            return
        path = self._workspace.record.media.lent(capture.medium)

        def work(tick: Callable[[float], None]) -> Suggestion:
            from tuning.video.suggest.api import suggest

            return suggest(path, tick=goes_on(tick))

        job = Job("Looking for the markers", work, self._workspace.case)
        job.done.connect(lambda found: self._found(capture, found))
        self.job_started.emit(job)

    def _found(self, capture: Capture, found: Suggestion) -> None:
        now = self._board.capture
        if now is None or now.uid != capture.uid or not self.usable:
            return  # another picture is open, or somebody has begun to mark this one
        if found.view != VIEWS[capture.view]:
            from tuning.video.suggest.body_places import SEEN_FROM

            self._board.message.emit(
                f"This picture shows the person {SEEN_FROM[found.view]}, not {SEEN_FROM[VIEWS[capture.view]]}: "
                "open it as the kind it is, or mark it by hand."
            )
            return
        if not found.points:
            self._board.message.emit("No sticker could be named: mark the landmarks by hand.")
            return
        self._board.propose({found.frame: found.points, **found.extra})
        self.frame_wanted.emit(found.frame)
        count = len(found.points) + sum(map(len, found.extra.values()))
        unsure = f" Unsure, left out: {', '.join(map(landmark_label, found.unsure))}." if found.unsure else ""
        cut = f" Outside the picture: {', '.join(map(landmark_label, found.cut_off))}." if found.cut_off else ""
        self._board.message.emit(f"{count} markers found. Enter takes them, Escape leaves them.{cut}{unsure}")

    def take(self) -> bool:
        """Take all, and follow them through a clip; False where nothing is proposed."""
        proposed = self._board.proposed
        if not proposed:
            return False
        first, *more = proposed
        self.frame_wanted.emit(first)
        if self._board.take_proposed() and self._following.usable:
            refusal = self._following.start({frame: proposed[frame] for frame in more})
            if refusal:
                self._board.message.emit(refusal)
        return True

    def leave(self) -> bool:
        """Leave them; False where nothing is proposed."""
        there = bool(self._board.proposed)
        self._board.propose({})
        return there
