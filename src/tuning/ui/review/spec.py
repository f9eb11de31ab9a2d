"""Review as the window sees it."""

from __future__ import annotations

from tuning.core.case import Case
from tuning.knowledge import Knowledge
from tuning.ui.stage import StageContext, StagePage, StageSpec


def _page(desk: StageContext) -> StagePage:
    from tuning.ui.review.page import ReviewPage

    return ReviewPage(desk.space)


def _earlier(case: Case, _: Knowledge) -> int:
    """Visits that the open one can be set against."""
    return case.number - 1


REVIEW = StageSpec(
    "review",
    "Review",
    9,
    _page,
    wide=True,
    count=_earlier,
    keys=(
        ("up, down", "another change"),
        ("Enter", "where the value was taken, or where it is measured again"),
        ("[ , ]", "an earlier or later visit to compare with"),
    ),
)
