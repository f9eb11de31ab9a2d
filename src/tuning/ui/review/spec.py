"""Review as the window sees it."""

from tuning.ui.stage import StageSpec

REVIEW = StageSpec(
    "review",
    "Review",
    9,
    promise="Review will set before against now and say what changed beyond error.",
    count=lambda _, __: 0,
)
