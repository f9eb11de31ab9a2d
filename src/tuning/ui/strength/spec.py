"""Strength as the window sees it."""

from __future__ import annotations

from tuning.core.strength.progress import next_step
from tuning.ui.stage import StageAction, StageContext, StagePage, StageSpec


def _page(desk: StageContext) -> StagePage:
    from tuning.ui.strength.page import StrengthPage

    return StrengthPage(desk.space, desk.order)


def _summary(page: StagePage) -> None:
    from tuning.ui.strength.page import StrengthPage

    assert isinstance(page, StrengthPage)
    page.toggle_summary()


def _repeat(page: StagePage) -> None:
    from tuning.ui.strength.page import StrengthPage

    assert isinstance(page, StrengthPage)
    page.repeat_last()


STRENGTH = StageSpec(
    "strength",
    "Strength",
    5,
    _page,
    guarded=True,
    plannable=True,
    ledger=True,
    next_step=next_step,
    actions=(
        StageAction("Repeat the last protocol", "Ctrl+L", _repeat),
        StageAction("Strength of both legs, all tests", "", _summary),
    ),
)
