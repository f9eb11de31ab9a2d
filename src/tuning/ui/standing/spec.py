"""Standing as the window sees it."""

from __future__ import annotations

from tuning.core.standing.suspicion_progress import next_step, urgent
from tuning.ui.guided_tests.picture_actions import PICTURE_ACTIONS, PICTURE_KEYS
from tuning.ui.stage import StageContext, StagePage, StageSpec


def _page(desk: StageContext) -> StagePage:
    from tuning.ui.standing.page import StandingPage

    return StandingPage(desk.space)


STANDING = StageSpec(
    "standing",
    "Standing",
    2,
    _page,
    plannable=True,
    ledger=True,
    urgent=urgent,
    next_step=next_step,
    actions=PICTURE_ACTIONS,
    keys=PICTURE_KEYS,
)
