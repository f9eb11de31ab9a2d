"""How far mobility is."""

from __future__ import annotations

from tuning.core.case import Case
from tuning.core.visit.next_step import NextStep, Tables, rows_of
from tuning.core.visit.target import Target


def next_step(case: Case, tables: Tables) -> NextStep | None:
    """The first two tests, while nothing was measured."""
    if rows_of(case, tables, "mobility"):
        return None
    return NextStep(
        Target("mobility"), "Measure mobility: figure-4 and knee to wall first", "then a picture of movement"
    )
