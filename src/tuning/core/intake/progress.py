"""How far the intake is."""

from __future__ import annotations

from tuning.core.case import Case
from tuning.core.gate.standing import asked_today, standing_of
from tuning.core.types import Triage
from tuning.core.visit.next_step import NextStep, Tables
from tuning.core.visit.target import Target

SAFETY = "safety-screen"


def count(case: Case, _: Tables) -> int:
    """One once the safety screen was asked in the open visit."""
    return int(asked_today(case))


def urgent(case: Case, _: Tables) -> NextStep | None:
    """A standing RED, or a screen that is still to be asked, comes before everything."""
    found = standing_of(case)
    where = Target("intake", SAFETY)
    if found is not None and found.level is Triage.RED:
        return NextStep(where, "Refer: the safety screen is RED", "testing and loading are locked")
    if not asked_today(case):
        return NextStep(where, "Ask the safety screen", "before any testing or loading")
    return None
