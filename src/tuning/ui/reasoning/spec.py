"""Reasoning as the window sees it."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from tuning.core.reasoning.progress import count, next_step
from tuning.core.target import Target
from tuning.knowledge import Knowledge
from tuning.ui.stage import StageAction, StageContext, StagePage, StageSpec

if TYPE_CHECKING:
    from tuning.ui.reasoning.page import ReasoningPage


def _page(desk: StageContext) -> StagePage:
    from tuning.ui.reasoning.page import ReasoningPage

    return ReasoningPage(desk.space)


def _on(act: Callable[[ReasoningPage], object]) -> Callable[[StagePage], object]:
    def run(page: StagePage) -> object:
        from tuning.ui.reasoning.page import ReasoningPage

        assert isinstance(page, ReasoningPage)
        return act(page)

    return run


def _factors(knowledge: Knowledge) -> list[tuple[str, Target]]:
    return [(f"Factor: {f.name}", Target("reasoning", factor=f.id)) for f in knowledge.reasoning.factors.values()]


REASONING = StageSpec(
    "reasoning",
    "Reasoning",
    7,
    _page,
    wide=True,
    count=count,
    next_step=next_step,
    actions=(
        StageAction("Overrule a factor", "", _on(lambda page: page.overrule())),
        StageAction("Summary in plain words", "", _on(lambda page: page.summary())),
        StageAction("Trail: what was suspected when", "", _on(lambda page: page.show_trail())),
        StageAction("Take the factor to the programme", "", _on(lambda page: page.to_programme())),
    ),
    keys=(
        ("up, down", "another factor, or another pattern in its list"),
        ("left, right", "another line of evidence"),
        ("Enter", "open the line of evidence"),
        ("1, 2, 3", "start the test"),
        ("P", "take the factor to the programme"),
        ("O", "overrule the label, with a reason"),
    ),
    finds=_factors,
)
