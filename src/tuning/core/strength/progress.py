"""How far strength is."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Protocol

from tuning.core.case import Case
from tuning.core.next_step import MeasureTables, NextStep, missing_side, rows_of
from tuning.core.target import Target
from tuning.core.test_definitions import TestDefinition
from tuning.core.units import mid_sentence
from tuning.core.visit.plan import OrderTable


class StrengthTables(MeasureTables, Protocol):
    """What strength needs of the knowledge files to say what is next."""

    @property
    def tests(self) -> Mapping[str, TestDefinition]:
        """Tests by id."""
        ...

    @property
    def order(self) -> OrderTable:
        """Templates of visits."""
        ...


def next_step(case: Case, tables: StrengthTables) -> NextStep | None:
    """The first test of the usual battery, then the leg that a difference still lacks.

    A pair that was tested and told pain is complete: nobody is asked to push again.
    """
    rows = rows_of(case, tables, "strength")
    if not rows:
        usual = next(t for t in tables.order.template if t.usual)
        first = next((tables.tests[t] for t in usual.tests if t in tables.tests), None)
        if first is None:
            return None
        return NextStep(Target("strength", first.id), f"Test {mid_sentence(first.name)}, both sides")
    for row in rows:
        side = missing_side(row)
        if side is not None:
            test = row.measure.id.removesuffix("-torque")
            name = tables.tests[test].name if test in tables.tests else row.measure.name
            text = f"Test {mid_sentence(name)}, {side.value}"
            return NextStep(Target("strength", test, side), text, "a difference needs both sides")
    return None
