"""Force as the window sees it."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from tuning.ui.stage import StageAction, StageContext, StagePage, StageSpec

if TYPE_CHECKING:
    from tuning.ui.force.page import ForcePage


def _page(desk: StageContext) -> StagePage:
    from tuning.ui.force.page import ForcePage

    return ForcePage(desk.space)


def _on(act: Callable[[ForcePage], object]) -> Callable[[StagePage], object]:
    def run(page: StagePage) -> object:
        from tuning.ui.force.page import ForcePage

        assert isinstance(page, ForcePage)
        return act(page)

    return run


FORCE = StageSpec(
    "force",
    "Force",
    6,
    _page,
    guarded=True,
    wide=True,
    plannable=True,
    ledger=True,
    actions=(
        StageAction("Record on the plates, or end it", "", _on(lambda page: page.toggle_record())),
        StageAction("Zero and weigh", "", _on(lambda page: page.weigher.weigh())),
        StageAction("Open a file of the plates", "", _on(lambda page: page.ask_file())),
    ),
    keys=(("Space", "Record, or end the recording"),),
)
