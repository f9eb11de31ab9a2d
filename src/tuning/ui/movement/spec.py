"""Movement as the window sees it."""

from __future__ import annotations

from tuning.core.movement.progress import next_step
from tuning.ui.guided_tests.picture_actions import EVENT_ACTIONS, PICTURE_ACTIONS, PICTURE_KEYS
from tuning.ui.stage import StageContext, StagePage, StageSpec


def _page(desk: StageContext) -> StagePage:
    from tuning.ui.guided_tests.page import TestRunPage

    return TestRunPage(desk.space, "movement", "Movement", looks=1, tall=True, pictures_first=True)


MOVEMENT = StageSpec(
    "movement",
    "Movement",
    4,
    _page,
    guarded=True,
    wide=True,
    plannable=True,
    ledger=True,
    next_step=next_step,
    actions=(*PICTURE_ACTIONS, *EVENT_ACTIONS),
    keys=PICTURE_KEYS,
)
