"""What a measure is. The measures themselves live in knowledge/measures.toml."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum


class Compare(StrEnum):
    """How left is set against right."""

    DIFFERENCE = "difference"  # plain R - L in the unit of the measure
    STRONGER = "stronger"  # 100 (max - min) / max, sign of the larger side
    VALUE = "value"  # one signed value against zero


@dataclass(frozen=True)
class Reference:
    """The band of values usually seen, with its source."""

    low: float
    high: float
    source: str


@dataclass(frozen=True)
class Measure:
    """Definition, sign and error of one measure.

    `sem` is the standard error of measurement of one trial: in the unit of
    the measure, or in percent where `compare` is `stronger`. `band` is the
    difference that matters, in the same unit as `sem`.
    """

    id: str
    name: str
    unit: str
    decimals: int
    compare: Compare
    stage: str
    station: str
    definition: str
    sign: str
    sem: float
    sem_source: str
    band: float | None = None
    band_source: str = ""
    reference: Reference | None = None
    sem_with_belt: float | None = None
    within: str = ""
    """Id of the measure whose ledger row also tells this one."""

    @property
    def paired(self) -> bool:
        """True when the measure has a left and a right value."""
        return self.compare is not Compare.VALUE

    @property
    def comparison_unit(self) -> str:
        """Unit of the difference between the sides."""
        return "%" if self.compare is Compare.STRONGER else self.unit

    @property
    def formula(self) -> str:
        """The comparison in words, printed with every difference."""
        return {
            Compare.DIFFERENCE: "right minus left",
            Compare.STRONGER: "difference against the stronger side, 100 (max - min) / max",
            Compare.VALUE: "value against zero",
        }[self.compare]
