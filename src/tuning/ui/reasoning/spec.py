"""Reasoning as the window sees it."""

from tuning.ui.stage import StageSpec

REASONING = StageSpec(
    "reasoning",
    "Reasoning",
    7,
    promise="Reasoning will weigh what was seen for and against each contributing factor.",
    count=lambda _, __: 0,
)
