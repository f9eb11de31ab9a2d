"""How far movement is."""

from __future__ import annotations

from tuning.core.case import Case
from tuning.core.next_step import MeasureTables, NextStep, missing_side, rows_of
from tuning.core.target import Target


def next_step(case: Case, tables: MeasureTables) -> NextStep | None:
    """A first picture, then the side that a difference still lacks."""
    rows = rows_of(case, tables, "movement")
    if not rows:
        return NextStep(Target("movement"), "Open a clip or photograph and mark it", "then test strength")
    for row in rows:
        side = missing_side(row)
        if side is not None:
            where = Target("movement", row.measure.id, side)
            return NextStep(where, f"Mark the {side.value} side: {row.measure.name}", "a difference needs both")
    return None
