"""Programme as the window sees it."""

from __future__ import annotations

from collections.abc import Callable

from tuning.core.programme.progress import count, next_step
from tuning.core.target import Target
from tuning.knowledge import Knowledge
from tuning.ui.stage import StageAction, StageContext, StagePage, StageSpec


def _page(desk: StageContext) -> StagePage:
    from tuning.ui.programme.page import ProgrammePage

    return ProgrammePage(desk.space)


def _sheet(page: StagePage) -> None:
    from tuning.ui.programme.page import ProgrammePage

    assert isinstance(page, ProgrammePage)
    page.ask_sheet()


def _opens(number: int) -> Callable[[StagePage], None]:
    def run(page: StagePage) -> None:
        from tuning.ui.programme.page import ProgrammePage

        assert isinstance(page, ProgrammePage)
        page.open_view(number)

    return run


def _log_page(page: StagePage) -> None:
    from tuning.ui.programme.page import ProgrammePage

    assert isinstance(page, ProgrammePage)
    page.ask_log_page()


def _calendar(page: StagePage) -> None:
    from tuning.ui.programme.page import ProgrammePage

    assert isinstance(page, ProgrammePage)
    page.ask_calendar()


def _rungs(knowledge: Knowledge) -> list[tuple[str, Target]]:
    rungs = [rung for ladder in knowledge.ladders.values() for rung in ladder.rungs]
    return [(f"Exercise: {rung.name}", Target("programme", rung=rung.id)) for rung in rungs]


PROGRAMME = StageSpec(
    "programme",
    "Programme",
    8,
    _page,
    guarded=True,
    wide=True,
    count=count,
    next_step=next_step,
    actions=(
        StageAction("Patient sheet as PDF", "Ctrl+P", _sheet),
        StageAction("Measured values, for colleagues", "", lambda page: page.letter_wanted.emit("measured")),
        StageAction("Week of the plan", "", _opens(1)),
        StageAction("Exercise session", "", _opens(2)),
        StageAction("Log and decide", "", _opens(3)),
        StageAction("Home log page for the phone", "", _log_page),
        StageAction("Week as a calendar file", "", _calendar),
    ),
    keys=(("1 to 4", "ladders, week, session, log"),),
    finds=_rungs,
)
