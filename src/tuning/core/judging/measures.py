"""What a measure is. The measures themselves live in knowledge/measures."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from enum import StrEnum

from tuning.core.units import signed


class Compare(StrEnum):
    """How left is set against right."""

    DIFFERENCE = "difference"  # plain R - L in the unit of the measure
    STRONGER = "stronger"  # 100 (max - min) / max, sign of the larger side
    VALUE = "value"  # one signed value against its target, mostly zero
    ALONE = "alone"  # never compared by side


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
    sem: float = 0.0
    sem_source: str = ""
    band: float | None = None
    band_source: str = ""
    reference: Reference | None = None
    sem_by: Mapping[str, float] = field(default_factory=dict)
    """SEM for a method (photo) or a fixation (belt) where it differs."""
    target: float = 0.0
    more: tuple[str, str] = ("right higher", "left higher")
    """What a value above and below the target means, where `compare` is `value`."""
    possible: tuple[float, float] | None = None
    """Least and greatest value that may be typed."""
    finding: str = "larger"
    """Which side of a pair carries the finding: the one with the larger or the smaller value."""
    within: str = ""
    """Id of the measure whose ledger row also tells this one."""
    by_clinic_rule: bool = False
    """The clinic's rule says how its trials become one value."""
    each_frame: bool = False
    """Frames of one clip that were marked by hand are trials: one of each step."""

    @property
    def paired(self) -> bool:
        """True when the measure has a left and a right value."""
        return self.compare in (Compare.DIFFERENCE, Compare.STRONGER)

    def text(self, value: float) -> str:
        """A value without its unit, as it is shown; grades without needless decimals."""
        return f"{value:g}".replace("-", "−") if self.unit == "grade" else signed(value, self.decimals)

    @property
    def comparison_unit(self) -> str:
        """Unit of the difference between the sides."""
        if self.compare is Compare.STRONGER:
            return "%"
        return "points" if self.unit == "%" else self.unit

    @property
    def formula(self) -> str:
        """The comparison in words, printed with every difference."""
        return {
            Compare.DIFFERENCE: "right minus left",
            Compare.STRONGER: "difference against the stronger side, 100 (max - min) / max",
            Compare.VALUE: f"value against {self.target:g} {self.unit}" if self.target else "value against zero",
            Compare.ALONE: "not compared by side",
        }[self.compare]
