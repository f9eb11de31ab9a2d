"""How far the intake is."""

from __future__ import annotations

from tuning.core.case import Case
from tuning.core.gate.standing import asked_today, screen_today
from tuning.core.types import Triage
from tuning.core.visit.next_step import NextStep, Tables
from tuning.core.visit.target import Target

SAFETY = "safety-screen"


def count(case: Case, _: Tables) -> int:
    """One once the safety screen counts today."""
    return int(screen_today(case) is not None)


def urgent(case: Case, _: Tables) -> NextStep | None:
    """A standing RED, or a screen that is still to be asked, comes before everything."""
    found = screen_today(case)
    where = Target("intake", SAFETY)
    if found is not None and found.level is Triage.RED and not found.cleared:
        return NextStep(where, "Refer: the safety screen is RED", "testing and loading are locked")
    if not asked_today(case):
        return NextStep(where, "Ask the safety screen", "before any loading")
    return None
