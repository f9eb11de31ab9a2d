"""What one picture may be used for: kept out of letters, or copied without the face."""

from __future__ import annotations

from typing import TYPE_CHECKING

from tuning.core.entries import Decision
from tuning.core.intake.consent import KEPT_BACK, MAY_BE_SHOWN, kept_back
from tuning.video import open_source

if TYPE_CHECKING:
    from tuning.ui.picture.page import PicturePage


def keep_back(bench: PicturePage) -> None:
    """The patient does not want this picture in letters, or has nothing against it any more."""
    space, capture = bench.board.workspace, bench.board.capture
    if capture is None or space.case is None:
        bench.refused.emit("Open a picture first.")
        return
    back = capture.uid not in kept_back(space.case.all(Decision))
    with space.trying(), space.action("picture and letters") as act:
        act.add(Decision(KEPT_BACK, "kept back" if back else MAY_BE_SHOWN, {"capture": capture.uid}))
    space.message.emit("This picture stays out of letters." if back else "This picture may be shown in letters again.")


def hide_face(bench: PicturePage) -> None:
    """Save a copy in which the face is hidden."""
    from tuning.ui.picture.mask_dialog import MaskDialog

    space, capture = bench.board.workspace, bench.board.capture
    if capture is None:
        bench.refused.emit("Open a picture first.")
        return
    path = space.record.media.lent(capture.medium)
    source = open_source(path, capture.medium.name)
    dialog = MaskDialog(bench, space, source, path, bench.board.frame)
    dialog.job_started.connect(bench.job_started)
    dialog.exec()
    source.close()
