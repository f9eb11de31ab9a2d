"""What each subject of a decision and each kind of form holds: one class for each, and nothing is saved that is none.

The keys in the record are the names of the fields, `from_` without its line. `travels` names what may leave in a
pseudonymised case: words that somebody typed never do.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any, ClassVar


@dataclass(frozen=True)
class Payload:
    """What stands beside the outcome of a decision, or in a form."""

    travels: ClassVar[tuple[str, ...]] = ()


@dataclass(frozen=True)
class Nothing(Payload):
    """The outcome says it all."""


@dataclass(frozen=True)
class ProgrammeMove(Payload):
    """An exercise that went on, was held or went back: by which row, or against the table."""

    travels = ("from", "to", "row", "overruled")
    from_: str = ""
    to: str = ""
    why: str = ""
    row: int = 0
    overruled: bool = False


@dataclass(frozen=True)
class PhaseChosen(Payload):
    """The phase before."""

    travels = ("from",)
    from_: str = ""


@dataclass(frozen=True)
class KneeDial(Payload):
    """Toe zone and kneecap demand up to which the plan may ask, 0 to 3."""

    travels = ("zone", "kneecap")
    zone: int = 3
    kneecap: int = 3


@dataclass(frozen=True)
class KitAtHand(Payload):
    """Things at hand in the words of the ladders; None where nobody asked."""

    travels = ("items",)
    items: tuple[str, ...] | None = None


@dataclass(frozen=True)
class WeekChosen(Payload):
    """Free days and days of sport (0 Monday), minutes of a session, days by rung that were moved by hand."""

    travels = ("free", "sport", "minutes", "days")
    free: tuple[int, ...] = tuple(range(7))
    sport: tuple[int, ...] = ()
    minutes: float = 40.0
    days: Mapping[str, tuple[int, ...]] = field(default_factory=dict)


@dataclass(frozen=True)
class FactorTaken(Payload):
    """A factor that Reasoning gave to the programme, with its name on that day."""

    travels = ("pattern", "factor", "name")
    factor: str
    pattern: str = ""
    name: str = ""


@dataclass(frozen=True)
class FactorOverruled(Payload):
    """A factor of a pattern whose label a clinician put by hand."""

    travels = ("pattern", "factor")
    pattern: str
    factor: str


@dataclass(frozen=True)
class SuspicionDecided(Payload):
    """A row of the chain of levels, what it rests on, and what follows."""

    travels = ("row", "facts", "suspicion", "relook", "then")
    row: str = ""
    facts: tuple[Any, ...] = ()
    suspicion: str = ""
    relook: str = ""
    then: str = ""


@dataclass(frozen=True)
class GoalClosed(Payload):
    """The activity, in the patient's words."""

    activity: str


@dataclass(frozen=True)
class Discharged(Payload):
    """What was still missing, in words that name goals."""

    missing: tuple[str, ...] = ()


@dataclass(frozen=True)
class GapAccepted(Payload):
    """A side gap: its measure, in words, and its signed size with the error of then."""

    travels = ("measure", "name", "gap", "d", "e")
    measure: str
    name: str = ""
    gap: str = ""
    d: float = 0.0
    e: float = 0.0


@dataclass(frozen=True)
class PictureKept(Payload):
    """The capture that is kept out of letters, or not."""

    capture: str


@dataclass(frozen=True)
class EyeGuess(Payload):
    """A guess of the heavy side: the test, the true side, and whether it was hit."""

    travels = ("test", "truth", "hit")
    test: str = ""
    truth: str = ""
    hit: bool = False


DECISIONS: Mapping[str, type[Payload]] = {
    "programme": ProgrammeMove,
    "phase": PhaseChosen,
    "dial": KneeDial,
    "pain-school": Nothing,
    "kit": KitAtHand,
    "week": WeekChosen,
    "factor-to-programme": FactorTaken,
    "factor-overruled": FactorOverruled,
    "levels-chain": SuspicionDecided,
    "levels-chain-past": Nothing,
    "goal-closed": GoalClosed,
    "goals-need-load": Nothing,
    "discharge": Discharged,
    "side-gap-accepted": GapAccepted,
    "picture-kept-back": PictureKept,
    "plate-eye": EyeGuess,
}
"""Every subject of a decision."""


@dataclass(frozen=True)
class PersonFacts(Payload):
    """Corrections of who somebody is; core.case says what they may be."""

    name: str | None = None
    birth_date: str | None = None
    sex: str | None = None
    body_mass_kg: float | None = None
    stature_m: float | None = None
    dominant_hand: str | None = None
    dominant_leg: str | None = None
    complaint: str | None = None
    involved: str | None = None
    occupation: str | None = None


@dataclass(frozen=True)
class Asked(Payload):
    """A form of the intake: its fields are those of knowledge/intake.toml, and lists of rows of fields."""

    free: ClassVar[bool] = True


@dataclass(frozen=True)
class ProtocolRepeated(Payload):
    """The visit whose strength protocol is repeated."""

    visit: str


@dataclass(frozen=True)
class VisitOrder(Payload):
    """The tests of a visit and what binds their order."""

    tests: tuple[str, ...] = ()
    skipped: tuple[str, ...] = ()
    pairs: tuple[tuple[str, str], ...] = ()
    positions: Mapping[str, str] = field(default_factory=dict)
    painful: tuple[str, ...] = ()
    pads: Mapping[str, str] = field(default_factory=dict)


@dataclass(frozen=True)
class WornInTests(Payload):
    """A lift, brace or orthosis that is on from then on in the visit."""

    travels = ("what", "side")
    what: str = "nothing"
    side: str = "both"


@dataclass(frozen=True)
class PlateWeight(Payload):
    """What the plates weighed, newtons, and its standard deviation."""

    newtons: float
    sd: float


@dataclass(frozen=True)
class BalanceSet(Payload):
    """A balance drill on the plates: its stage, shares of the blind trials (percent), weight (N)."""

    stage: str
    blind_shares: tuple[float, ...] = ()
    body_weight_n: float | None = None


FORMS: Mapping[str, type[Payload]] = {
    "patient-facts": PersonFacts,
    "intake-complaint": Asked,
    "intake-history": Asked,
    "intake-consent": Asked,
    "shoe-wear-map": Asked,
    "strength-protocol": ProtocolRepeated,
    "visit-order": VisitOrder,
    "worn-in-tests": WornInTests,
    "plate-weight": PlateWeight,
    "balance-feedback": BalanceSet,
}
"""Every kind of form."""
