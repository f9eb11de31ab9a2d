"""Mobility as the window sees it."""

from __future__ import annotations

from tuning.core.mobility.progress import next_step
from tuning.ui.guided_tests.picture_actions import PICTURE_ACTIONS, PICTURE_KEYS
from tuning.ui.stage import StageContext, StagePage, StageSpec


def _page(desk: StageContext) -> StagePage:
    from tuning.ui.guided_tests.page import TestRunPage

    return TestRunPage(desk.space, "mobility", "Mobility", looks=1)


MOBILITY = StageSpec(
    "mobility",
    "Mobility",
    3,
    _page,
    guarded=True,
    plannable=True,
    ledger=True,
    next_step=next_step,
    actions=PICTURE_ACTIONS,
    keys=PICTURE_KEYS,
)
