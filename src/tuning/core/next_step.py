"""What to do next in a visit: an order in a few words, and where it is done."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import Protocol

from tuning.core.case import Case
from tuning.core.judging.comparison import Comparison
from tuning.core.judging.ledger import ledger
from tuning.core.judging.measures import Measure
from tuning.core.target import Target
from tuning.core.types import LEGS, Side


@dataclass(frozen=True)
class NextStep:
    """A short order and where it is done."""

    target: Target
    text: str
    then: str = ""


class MeasureTables(Protocol):
    """What every stage needs of the knowledge files to say how far it is."""

    @property
    def measures(self) -> Mapping[str, Measure]:
        """Measures by id."""
        ...


def rows_of(case: Case, tables: MeasureTables, stage: str) -> Sequence[Comparison]:
    """Ledger rows of a stage in the open visit."""
    return [row for row in ledger(case, tables.measures) if row.measure.stage == stage]


def missing_side(row: Comparison) -> Side | None:
    """The side of a pair that has no value yet; None where both have one or the measure has none."""
    if not row.measure.paired:
        return None
    return next((side for side, seen in zip(LEGS, (row.left, row.right), strict=True) if seen is None), None)


def counted(stage: str) -> Callable[[Case, MeasureTables], int]:
    """How many rows of the ledger a stage has, as a function of case and tables."""

    def count(case: Case, tables: MeasureTables) -> int:
        """Rows of the stage in the ledger."""
        return len(rows_of(case, tables, stage))

    return count
