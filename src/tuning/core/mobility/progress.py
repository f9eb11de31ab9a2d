"""How far mobility is."""

from __future__ import annotations

from tuning.core.case import Case
from tuning.core.next_step import MeasureTables, NextStep, rows_of
from tuning.core.target import Target


def next_step(case: Case, tables: MeasureTables) -> NextStep | None:
    """The first two tests, while nothing was measured."""
    if rows_of(case, tables, "mobility"):
        return None
    return NextStep(
        Target("mobility"), "Measure mobility: figure-4 and knee to wall first", "then a picture of movement"
    )
