"""What up, hold or back is decided of: sets that were done, an exercise, what stands around it, and the decision."""

from __future__ import annotations

from dataclasses import dataclass, field
from datetime import date
from enum import StrEnum

from tuning.core.entries import NextDayResponse
from tuning.core.programme.rules import PainPolicy, Rules
from tuning.core.types import LEGS, Side, Triage


class ProgressionMove(StrEnum):
    """What happens to the exercise."""

    ASK = "ask first"
    STOP = "stop"
    REFER = "refer"
    OUT = "out of the plan"
    BACK = "step back"
    REPLACE = "place anew"
    SECOND = "second-choice ladder"
    HOLD = "hold"
    CHANGE = "change one thing"
    RETEST = "re-test the cause"
    CLIMB = "climb"

    @property
    def care(self) -> int:
        """How careful it is, 0 the most."""
        return CARE[self]


CARE = {
    ProgressionMove.REFER: 0,
    ProgressionMove.ASK: 1,
    ProgressionMove.OUT: 2,
    ProgressionMove.STOP: 2,
    ProgressionMove.BACK: 3,
    ProgressionMove.REPLACE: 3,
    ProgressionMove.SECOND: 3,
    ProgressionMove.HOLD: 4,
    ProgressionMove.CHANGE: 5,
    ProgressionMove.RETEST: 5,
    ProgressionMove.CLIMB: 6,
}
"""Refer, ask first, stop, step back or place anew, hold, change or re-test, climb."""


STOPS = {"giving_way": "giving way", "catch": "a catch", "swelling": "new swelling"}
"""What stops an exercise at once, beside pain over the limit."""


@dataclass(frozen=True)
class LoggedSet:
    """What one side of an exercise was like on a day: peak pain 0-10, share of faulty repetitions in percent.

    Without a rung it is one of the rung that is decided about; `past` is one of the same day before the present step.
    Pain None: nobody said. `after_cut` is the pain once range or zone was cut in the same session. `answered` tells
    that a safety screen was saved after what alarmed in it.
    """

    day: date
    side: Side
    rung: str = ""
    pain: int | None = None
    morning: NextDayResponse = NextDayResponse.UNKNOWN
    morning_pain: int | None = None
    faulty: float = 0.0
    felt: bool = True
    wrong: bool = False
    giving_way: bool = False
    catch: bool = False
    swelling: bool = False
    numb: bool = False
    dizzy: bool = False
    painkiller: bool = False
    supervised: bool = False
    after_cut: int | None = None
    answered: bool = False
    past: bool = False

    def stops(self, rules: Rules) -> bool:
        """Whether it ends the exercise at once, under any school."""
        return (self.pain or 0) > rules.pain.stop or self.giving_way or self.catch or self.swelling

    @property
    def nervous(self) -> bool:
        """Whether it ends the session."""
        return self.numb or self.dizzy

    def alarms(self, rules: Rules) -> bool:
        """Whether anything in it alarms."""
        return self.stops(rules) or self.nervous


@dataclass(frozen=True)
class ExerciseState:
    """An exercise of the plan, and where it can go.

    `line` are the rungs from easy to hard. `sessions` and `days` are what the next rung asks for. `locked` says why the
    next step may not be taken (gate, surgeon's limit, phase, kit, entry rule, cap), empty where it may; `lifted` what
    would allow it; `transition` that it must be tried under supervision first, `tried` that it was, clean on both
    sides. `held` is the rung before a flare-up. `within` names a step that the rung itself still has, `loads` that it
    adds load. `stopped` is the day of the last stop that was acted on, `stops` how many were at this very rung;
    `backed` the day of the last step back of a flare-up. `reason` tells that a licensed clinician gave one for a
    loaded rung under what stands.
    """

    rung: str
    line: tuple[str, ...]
    since: date
    sides: tuple[Side, ...] = LEGS
    ladder: str = ""
    loaded: bool = False
    sessions: int = 3
    days: int = 14
    per_week: float = 3.0
    changed: date | None = None
    locked: str = ""
    lifted: str = ""
    transition: bool = False
    tried: bool = False
    held: str = ""
    within: str = ""
    loads: bool = False
    stopped: date | None = None
    stops: int = 0
    backed: date | None = None
    retested: date | None = None
    reason: bool = False

    @property
    def place(self) -> int:
        """Which rung of its line it is, from 0."""
        return self.line.index(self.rung)

    @property
    def above(self) -> str:
        """The next rung; empty at the top."""
        return self.line[self.place + 1] if self.place + 1 < len(self.line) else ""

    @property
    def below(self) -> str:
        """The rung below; empty at the bottom."""
        return self.line[self.place - 1] if self.place else ""

    @property
    def small(self) -> bool:
        """Whether the next step is one within the rung that adds no load."""
        return bool(self.within) and not self.loads


@dataclass(frozen=True)
class PlanContext:
    """What stands around the exercises today.

    `prompt`: what makes it AMBER is to be looked at promptly; where it is not (pregnancy, stable heart or lung disease,
    fragile bone) a reason is asked once a rung and nobody referred. `elsewhere` are the sets of all other lines.
    """

    today: date
    triage: Triage | None = None
    cleared: bool = False
    overruled: bool = False
    school: PainPolicy = PainPolicy.STRICT
    bone_stress: bool = False
    deload: bool = False
    prompt: bool = True
    elsewhere: tuple[LoggedSet, ...] = ()

    @property
    def pain_school(self) -> PainPolicy:
        """Where bone stress is suspected only the strict school is followed."""
        return PainPolicy.STRICT if self.bone_stress else self.school


@dataclass(frozen=True)
class ProgressionDecision:
    """The row that counts, what to do, to which rung, why, and what would reverse it."""

    row: int
    move: ProgressionMove
    to: str
    reason: str
    reverses: str
    also: tuple[str, ...] = field(default=())
    override: str = "a licensed clinician, with a reason"
    poorer: Side = Side.NONE
    """The side that is behind, where one set more on it is what to do."""
