"""What reasoning knows: patterns, factors, and the lines of evidence between observations and factors."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from enum import StrEnum

from tuning.core.strength.trials import RatioBand
from tuning.core.types import Side


class SignCondition(StrEnum):
    """What a measure must show for a sign to be there."""

    DEFICIT = "deficit"  # notable or marked on the side at issue, or both sides out of the absolute band
    SYMMETRIC = "symmetric"  # in tune between the sides, and the side at issue in its absolute band
    EVEN = "even"  # in tune between the sides, whatever the band
    LOWER = "lower"  # of a signed value: the side at issue is the lower one, beyond error
    LEVEL = "level"  # of a signed value: in tune
    BELOW = "below band"
    ABOVE = "above band"
    OUTSIDE = "outside band"
    INSIDE = "inside band"
    AT_LEAST = "at least"
    UNDER = "under"
    PAINFUL = "painful"  # pain with the test from `limit` on
    PAINLESS = "painless"
    FELL = "less than before"  # less than its own earlier value, beyond the error between days
    UNMOVED = "unmoved"  # the same as before `weeks` of the work that `worked` names, within the band


class SideMapping(StrEnum):
    """How the side of an observation maps to the side of the pattern."""

    SAME = "same"
    OTHER = "other"
    NONE = "none"

    def of(self, side: Side) -> Side:
        """The side at which a sign is looked for, for a pattern on `side`."""
        return {SideMapping.SAME: side, SideMapping.OTHER: side.other if side is not Side.NONE else side}.get(
            self, Side.NONE
        )


class EvidenceKind(StrEnum):
    """What a line rests on; a factor is supported by two different kinds at least."""

    POSTURE = "posture"
    RANGE = "range"
    STRENGTH = "strength"
    MOVEMENT = "movement"
    PAIN = "pain"
    HISTORY = "history"
    RESPONSE = "response"


KIND_OF_STAGE = {
    "standing": EvidenceKind.POSTURE,
    "mobility": EvidenceKind.RANGE,
    "movement": EvidenceKind.MOVEMENT,
    "strength": EvidenceKind.STRENGTH,
    "force": EvidenceKind.STRENGTH,
    "intake": EvidenceKind.HISTORY,
}


@dataclass(frozen=True)
class Sign:
    """One thing to look for: what measures show, an answer, a field of a form, or what one changed thing did.

    Of several `measures` at least `count` must show it on the same side; `over` is another force of the leg that
    theirs is divided by, against the usual band of the two. `regions` narrows pain to places of the body map.
    `decided` are outcomes of the looks that decide about the standing levels.
    """

    measures: tuple[str, ...] = ()
    shows: SignCondition = SignCondition.DEFICIT
    limit: float | None = None
    count: int = 1
    regions: tuple[str, ...] = ()
    test: str = ""
    question: str = ""
    options: tuple[str, ...] = ()
    over: str = ""
    band: RatioBand | None = None
    """Filled in by the loader, for `over`."""
    worked: str = ""
    """A ladder that was worked at for `weeks`."""
    weeks: float = 4.0
    decided: tuple[str, ...] = ()
    loads: bool = False
    """Mornings after more than usual of a load beside the exercises: not settled."""
    form: str = ""
    field: str = ""
    changes: tuple[str, ...] = ()
    responds: bool = True
    absent: bool = False
    """The line counts where this is not there, once it was looked for."""
    side: SideMapping | None = None
    """Where it differs from the side of its line."""

    @property
    def subjects(self) -> int:
        """How many of the six things it names; one is right."""
        return sum(bool(x) for x in (self.measures, self.test, self.form, self.changes, self.decided, self.loads))


@dataclass(frozen=True)
class EvidenceRule:
    """A line of evidence: it speaks for a factor (or against it) where all its signs are there.

    `patterns` narrows it to some of the factor's patterns; `kind` stands in for that of the first sign's stage.
    """

    factor: str
    speaks: str
    weight: float
    signs: tuple[Sign, ...]
    words: str
    source: str
    side: SideMapping
    kind: EvidenceKind | None = None
    patterns: tuple[str, ...] = ()

    @property
    def sign(self) -> int:
        """+1 for, -1 against."""
        return 1 if self.speaks == "for" else -1

    @property
    def is_response(self) -> bool:
        """A measured A - changed - A trial."""
        return any(sign.changes for sign in self.signs)


@dataclass(frozen=True)
class Factor:
    """Something that may contribute. `region` is where it acts; `structural` ones are worded by role."""

    id: str
    name: str
    plain: str
    bears_on: tuple[str, ...]
    region: str
    action: str
    structural: bool = False
    school: str = ""
    refers: bool = False
    """A caution or referral: it acts from `likely` on."""
    trains: tuple[str, ...] = ()
    """Patterns that it only names anew: there it is what to train, and explains nothing."""


@dataclass(frozen=True)
class Pattern:
    """What was seen. `name` and `plain` take the side, `short` has none; any of `raised_by` raises it."""

    id: str
    name: str
    short: str
    plain: str
    region: str
    station: str
    side: SideMapping
    raised_by: tuple[tuple[Sign, ...], ...]
    """Each group raises it where all its signs are there."""
    deficit: bool = False
    """Raised by a deficit: pain in the test may explain it."""

    @property
    def measures(self) -> frozenset[str]:
        """Every measure that may raise it; a trial of cause is read on these."""
        return frozenset(m for group in self.raised_by for sign in group for m in sign.measures)


@dataclass(frozen=True)
class TrialCondition:
    """One thing that can be changed in a trial of cause; minutes for plain - changed - plain again."""

    id: str
    name: str
    minutes: float


@dataclass(frozen=True)
class ReasoningTable:
    """Everything that balance sheets are made from. `set_by` tells whose table it is where a clinic has its own."""

    patterns: Mapping[str, Pattern]
    factors: Mapping[str, Factor]
    lines: tuple[EvidenceRule, ...]
    changes: Mapping[str, TrialCondition]
    set_by: str
    by_factor: Mapping[str, tuple[EvidenceRule, ...]]

    def bearing_on(self, pattern: str) -> list[Factor]:
        """Factors of a pattern in the order of the table."""
        return [factor for factor in self.factors.values() if pattern in factor.bears_on]

    def lines_of(self, factor: str, pattern: str) -> list[EvidenceRule]:
        """Lines that bear on a factor of a pattern."""
        return [line for line in self.by_factor.get(factor, ()) if not line.patterns or pattern in line.patterns]
