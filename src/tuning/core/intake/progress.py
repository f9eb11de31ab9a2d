"""How far the intake is."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Protocol

from tuning.core.case import Case
from tuning.core.entries import Ending, Status
from tuning.core.gate.open_findings import screened_today, standing_of
from tuning.core.gate.text import now_words
from tuning.core.gate.triage import SafetyTable
from tuning.core.next_step import NextStep
from tuning.core.programme.log_mapping import alarms_open
from tuning.core.programme.rules import Rules
from tuning.core.target import Target
from tuning.core.test_definitions import TestDefinition
from tuning.core.types import Triage

SAFETY = "safety-screen"


class ScreenTables(Protocol):
    """What the safety screen needs of the knowledge files to say whether it is due."""

    @property
    def tests(self) -> Mapping[str, TestDefinition]:
        """Tests by id."""
        ...

    @property
    def safety(self) -> SafetyTable:
        """The safety screen."""
        ...

    @property
    def progression(self) -> Rules:
        """The numbers of up, hold or back."""
        ...


def count(case: Case, _: ScreenTables) -> int:
    """One once the safety screen was asked in the open visit."""
    return int(screened_today(case))


def urgent(case: Case, tables: ScreenTables) -> NextStep | None:
    """An emergency, a RED, an alarm of a session, or a screen that is still to be asked come before everything."""
    found = standing_of(case, tables.safety)
    where = Target("intake", SAFETY)
    if found is not None and found.level is Triage.RED:
        first = "Refer now: EMERGENCY" if found.emergencies else "Refer: the safety screen is RED"
        return NextStep(where, first, now_words(found, tables.safety))
    alarms = alarms_open(case.entries, tables.progression, case.visit.started_at.astimezone().date())
    if alarms:
        return NextStep(where, "Ask the whole safety screen", f"an exercise alarmed on {alarms[0].day:%-d %b}")
    if not screened_today(case):
        return NextStep(where, "Ask the safety screen", "before any testing or loading")
    if found is not None and found.ask_again:
        return NextStep(where, "Ask the safety screen again", "a finding or limit has reached its day")
    stopped = [e for e in case.today(Ending) if e.status is Status.PAIN and e.at > found.screen.at] if found else []
    if stopped:
        name = tables.tests[stopped[-1].test].name if stopped[-1].test in tables.tests else stopped[-1].test
        return NextStep(where, "Ask the safety questions of that region again", f"{name} was stopped for pain")
    return None
