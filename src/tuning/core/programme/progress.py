"""How far the programme is."""

from __future__ import annotations

from tuning.core.case import Case
from tuning.core.judging.verdict import VerdictWord
from tuning.core.next_step import MeasureTables, NextStep, rows_of
from tuning.core.programme.active_plan import standing_plan
from tuning.core.target import Target
from tuning.core.types import NotMeasured


def count(case: Case, _: MeasureTables) -> int:
    """Rungs of the standing plan."""
    return len(standing_plan(case.entries))


def next_step(case: Case, tables: MeasureTables) -> NextStep | None:
    """The first rung, then its sheet."""
    if standing_plan(case.entries):
        return NextStep(Target("programme"), "Print the patient sheet", "the visit is complete so far")
    rows = rows_of(case, tables, "strength")
    unsure = any(not isinstance(r.verdict, NotMeasured) and r.verdict.word is VerdictWord.CANNOT_TELL for r in rows)
    then = "one result is unclear: more trials would help" if unsure else ""
    return NextStep(Target("programme"), "Choose the first rung", then)
