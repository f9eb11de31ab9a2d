"""Actions and keys of every stage that has a picture bench."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from PyQt6.QtWidgets import QWidget

from tuning.core.types import Side
from tuning.ui.stage import StageAction, StagePage

if TYPE_CHECKING:
    from tuning.ui.picture.page import PicturePage


def _on_bench(act: Callable[[PicturePage], object]) -> Callable[[StagePage], object]:
    def run(page: StagePage) -> object:
        from tuning.ui.guided_tests.page import TestRunPage

        assert isinstance(page, TestRunPage)
        return act(page.bench) if page.on_bench else None

    return run


def _privately(name: str) -> Callable[[PicturePage], object]:
    def run(bench: PicturePage) -> object:
        from tuning.ui.picture import privacy

        return getattr(privacy, name)(bench)

    return run


def _put(kind: str, side: Side = Side.NONE) -> Callable[[StagePage], object]:
    """An event into the frame on screen."""

    def run(bench: PicturePage) -> None:
        if bench.canvas.image is None:  # another clip is still being opened
            return
        told = bench.following.put_event(kind, side, bench.canvas.frame)
        if told:
            bench.refused.emit(told)

    return _on_bench(run)


def _players(page: StagePage) -> tuple[QWidget, ...]:
    from tuning.ui.guided_tests.page import TestRunPage

    assert isinstance(page, TestRunPage)
    return page.bench.canvas, page.bench.strip


def _open_bench(act: Callable[[PicturePage], object]) -> Callable[[StagePage], object]:
    """Something that begins on the bench, from wherever the stage is."""

    def run(page: StagePage) -> object:
        from tuning.ui.guided_tests.page import TestRunPage

        assert isinstance(page, TestRunPage)
        page.show_bench()
        return act(page.bench)

    return run


PICTURE_ACTIONS = (
    StageAction("Back one frame", ",", _on_bench(lambda bench: bench.step(-1))),
    StageAction("Forward one frame", ".", _on_bench(lambda bench: bench.step(1))),
    StageAction("Back ten frames", "Shift+,", _on_bench(lambda bench: bench.step(-10))),
    StageAction("Forward ten frames", "Shift+.", _on_bench(lambda bench: bench.step(10))),
    StageAction("Play or stop", "Space", _on_bench(lambda bench: bench.toggle_play()), _players),
    StageAction("The person, or the whole picture", "V", _on_bench(lambda bench: bench.canvas.toggle_fit()), _players),
    StageAction("The picture alone, or everything again", "F11", _on_bench(lambda bench: bench.picture_alone())),
    StageAction("One step back", "Alt+Left", lambda page: page.back()),
    StageAction("Open a photograph or clip", "", _open_bench(lambda bench: bench.ask_file())),
    StageAction("Live camera: mirror, cue, recording", "", _open_bench(lambda bench: bench.live())),
    StageAction("How the clip was taken: speed, shoes, load, cue", "", _on_bench(lambda bench: bench.tags())),
    StageAction("Track the markers through the clip", "", _on_bench(lambda bench: bench.follow())),
    StageAction("Keep this picture out of letters, or let it in again", "", _on_bench(_privately("keep_back"))),
    StageAction("Save a copy with the face hidden", "", _on_bench(_privately("hide_face"))),
    StageAction("Before and after: this clip against an earlier one", "", _on_bench(lambda bench: bench.compare())),
)
EVENT_ACTIONS = (
    StageAction("The left foot lands here", "L", _put("contact", Side.LEFT), _players),
    StageAction("The left foot leaves the ground here", "Shift+L", _put("toe-off", Side.LEFT), _players),
    StageAction("The right foot lands here", "R", _put("contact", Side.RIGHT), _players),
    StageAction("The right foot leaves the ground here", "Shift+R", _put("toe-off", Side.RIGHT), _players),
    StageAction("The repetition starts here", "S", _put("start"), _players),
    StageAction("The repetition turns here", "T", _put("turn"), _players),
    StageAction("The repetition ends here", "E", _put("end"), _players),
)
"""An event of that kind close by comes here; without one it is put."""
PICTURE_KEYS = (
    ("click", "place the chosen mark"),
    ("drag", "move a mark; Escape abandons"),
    ("arrow keys", "nudge the chosen mark by a tenth of a pixel; Shift: one pixel"),
    ("Delete", "remove the chosen mark"),
    ("wheel", "zoom about the pointer; middle button pans"),
)
