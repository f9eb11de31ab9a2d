"""What a measure is. The measures themselves live in knowledge/measures."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from enum import StrEnum

from tuning.core.units import format_signed, unit_suffix


class Compare(StrEnum):
    """How left is set against right."""

    DIFFERENCE = "difference"  # plain R - L in the unit of the measure
    STRONGER = "stronger"  # 100 (max - min) / max, sign of the larger side
    VALUE = "value"  # one signed value against its target, mostly zero
    ALONE = "alone"  # never compared by side


@dataclass(frozen=True)
class ReferenceGroup:
    """Whom a band is for: age in years, None where it does not matter or is not known."""

    age: int | None = None
    sex: str = ""


NOBODY = ReferenceGroup()


@dataclass(frozen=True)
class ReferenceBand:
    """A band for some: by what was done (walk, run), by sex, by age from `ages[0]` to under `ages[1]`."""

    source: str
    low: float | None = None
    high: float | None = None
    task: str = ""
    sex: str = ""
    ages: tuple[int, int] | None = None

    def fits(self, task: str, who: ReferenceGroup) -> bool:
        """Whether the band is meant for this task and person; what is not known fits nothing that asks for it."""
        aged = self.ages is None or (who.age is not None and self.ages[0] <= who.age < self.ages[1])
        return aged and self.task in ("", task) and self.sex in ("", who.sex)

    def words(self, unit: str) -> str:
        """The band as one would say it, with whom it is for and its source."""
        low, high = (
            format_signed(v, 0 if v == round(v) else 1) if v is not None else "" for v in (self.low, self.high)
        )
        band = f"{low} to {high}" if low and high and low != high else f"at least {low}" if low else f"at most {high}"
        aged = f"{self.ages[0]} to {self.ages[1] - 1} years" if self.ages is not None else ""
        whom = ", ".join(part for part in (self.task, self.sex, aged) if part)
        return f"{f'{whom}: ' if whom else ''}{band}{unit_suffix(unit)} ({self.source})"


@dataclass(frozen=True)
class Reference:
    """Where values usually lie, with the source. A band with one end is good on the whole other side.

    `by` holds bands for some; where it is not empty nothing else is judged.
    """

    source: str = ""
    low: float | None = None
    high: float | None = None
    by: tuple[ReferenceBand, ...] = ()

    def usual(self, task: str = "", who: ReferenceGroup = NOBODY) -> ReferenceBand | None:
        """The band for a task and a person; None where there is none for them."""
        if not self.by:
            return ReferenceBand(self.source, self.low, self.high)
        return next((one for one in self.by if one.fits(task, who)), None)

    def words(self, unit: str) -> str:
        """Every band, as one would say it."""
        return "; ".join(one.words(unit) for one in self.by or (ReferenceBand(self.source, self.low, self.high),))


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
    short: str = ""
    """At most 24 letters, for chips, curves and table heads; empty where the name is as short."""
    plain: str = ""
    """What a patient reads."""
    within: str = ""
    """Id of the measure whose ledger row also tells this one."""
    by_clinic_rule: bool = False
    """The clinic's rule says how its trials become one value."""
    relative: bool = False
    """`sem` and `band` are percent of the value, although the sides are not compared."""
    change: float | None = None
    """The smallest change that counts, where a source gives that and no SEM (pain, goals)."""
    change_source: str = ""
    better: str = ""
    """Which way is better, `more` or `less`; empty where neither is, or where the target says."""
    low_torque: tuple[float, float] | None = None
    """Nm/kg of men and of women under 65 below which two equal sides are both weak (practice judgement, editable)."""
    each_frame: bool = False
    """Frames of one clip that were marked by hand are trials: one of each step."""

    @property
    def brief(self) -> str:
        """The name where there is little room."""
        return self.short or self.name

    @property
    def paired(self) -> bool:
        """True when the measure has a left and a right value."""
        return self.compare in (Compare.DIFFERENCE, Compare.STRONGER)

    def text(self, value: float) -> str:
        """A value without its unit, as it is shown; grades without needless decimals."""
        return f"{value:g}".replace("-", "−") if self.unit == "grade" else format_signed(value, self.decimals)

    @property
    def in_percent(self) -> bool:
        """Whether `sem` and `band` are percent of the value."""
        return self.compare is Compare.STRONGER or self.relative

    @property
    def comparison_unit(self) -> str:
        """Unit of a difference between the sides, or between two days."""
        if self.in_percent:
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
