"""Ladders, rungs, doses, and whether a rung may be entered."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from enum import StrEnum

from tuning.core.gate.may import Permission
from tuning.core.judging.verdict import Word
from tuning.core.programme.pose import Frame, knee_zone
from tuning.core.types import LEGS, Side, Triage


@dataclass(frozen=True)
class Dose:
    """Sets, repetitions or a hold (s), tempo lower-pause-rise (s), rest (s), days a week."""

    sets: int
    reps: int | None
    hold_s: int | None
    tempo: str
    rest_s: int
    days: int

    @property
    def text(self) -> str:
        """The dose in everyday words."""
        work = f"sets of {self.reps}" if self.reps else f"holds of {self.hold_s} s"
        tempo = ""
        if self.reps and self.tempo:
            lower, pause, rise = self.tempo.split("-")
            stay = f"{pause} s pause, " if pause != "0" else ""
            tempo = f", {lower} s down, {stay}{rise} s up"
        return f"{self.sets} {work} each side{tempo}; rest {self.rest_s} s; {self.days} days a week"

    @property
    def minutes(self) -> float:
        """Time for both sides: work, rests and 30 s to set up (ladders.md section 5)."""
        one = self.hold_s or (self.reps or 0) * sum(int(p) for p in (self.tempo or "0").split("-"))
        return (self.sets * one * 2 + (self.sets * 2 - 1) * self.rest_s + 30) / 60


@dataclass(frozen=True)
class Fault:
    """A fault to watch for and the cue that answers it."""

    id: str
    sign: str
    cue: str


@dataclass(frozen=True)
class Pose:
    """Start and end frame of one variant of a rung (for example one reach direction)."""

    name: str
    start: Frame
    end: Frame


@dataclass(frozen=True)
class Rung:
    """One exercise of a ladder (fields as in ladders.md section 1)."""

    id: str
    name: str
    order: int
    purpose: str
    steps: tuple[str, ...]
    poses: tuple[Pose, ...]
    hip_demand: int
    balance_demand: int
    transition: bool
    entry: tuple[EntryRule, ...]
    pass_rule: str
    dose: Dose
    faults: tuple[str, ...]
    feel: tuple[str, ...]
    avoid: tuple[str, ...]
    step_cm: float
    demands: tuple[str, ...] = ()

    @property
    def knee_demand(self) -> int:
        """Highest knee zone of its frames; computed, never typed."""
        return max(knee_zone(frame) for pose in self.poses for frame in (pose.start, pose.end))

    @property
    def loaded(self) -> bool:
        """Loaded rungs (added weight, hip demand 3, knee demand 2-3) need a safety screen."""
        return self.hip_demand == 3 or self.knee_demand >= 2


@dataclass(frozen=True)
class EntryRule:
    """One condition to enter a rung.

    `kind` is `rung-passed`, `measure-at-least`, `no-side-gap` or `always-ask`.
    """

    kind: str
    text: str
    rung: str = ""
    measure: str = ""
    value: float = 0.0


@dataclass(frozen=True)
class Ladder:
    """An ordered family of rungs."""

    id: str
    name: str
    factors: tuple[str, ...]
    checks: tuple[str, ...]
    rungs: tuple[Rung, ...]

    def below(self, rung: Rung) -> Rung | None:
        """The next easier rung, None at the bottom."""
        easier = [r for r in self.rungs if r.order < rung.order]
        return max(easier, key=lambda r: r.order) if easier else None


@dataclass(frozen=True)
class Trial:
    """Placement trial on one side: 3-5 repetitions, were they clean, peak pain 0-10."""

    clean: bool
    pain: int


@dataclass(frozen=True)
class Situation:
    """What is on record when a rung is considered.

    `permission` is the gate's answer for the rung, `screened` the level of the
    safety screen, None without one. `measured` holds values per measure and side,
    `verdicts` the side comparisons so far.
    """

    permission: Permission
    screened: Triage | None
    passed: frozenset[str]
    measured: Mapping[tuple[str, Side], float]
    verdicts: Mapping[str, Word]
    trials: Mapping[Side, Trial]
    pain_limit: int = 2


class State(StrEnum):
    """How a condition stands."""

    MET = "met"
    NOT_MET = "not met"
    UNKNOWN = "not known yet"
    LOCKED = "locked"


@dataclass(frozen=True)
class Check:
    """One condition and how it stands now."""

    state: State
    text: str


def entry_checks(rung: Rung, ladder: Ladder, now: Situation) -> list[Check]:
    """Every condition for entering `rung`, safety first.

    A rung may be written to the plan when no check is LOCKED and the rest are
    MET, or when a named person gives a reason for the others.
    """
    checks = [_safety(now)]
    below = ladder.below(rung)
    placed = _placement(now)
    if below is not None and below.id in now.passed:
        checks.append(Check(State.MET, f"rung below passed: {below.name}"))
    else:
        checks.append(placed)
    checks += [_rule(rule, now) for rule in rung.entry]
    return checks


def _safety(now: Situation) -> Check:
    found = now.permission
    if found.locked:
        return Check(State.LOCKED, found.sentence)
    if found.asks:
        return Check(State.NOT_MET, found.sentence)
    if now.screened is None:
        return Check(State.UNKNOWN, "no safety screen on record; loaded rungs stay locked without one")
    return Check(State.MET, f"safety screen: {now.screened.value}")


def _placement(now: Situation) -> Check:
    limit = now.pain_limit
    rule = f"placement trial of 3-5 clean repetitions each side, pain at most {limit}/10"
    if any(side not in now.trials for side in LEGS):
        return Check(State.UNKNOWN, rule)
    good = all(now.trials[side].clean and now.trials[side].pain <= limit for side in LEGS)
    return Check(State.MET if good else State.NOT_MET, rule)


def _rule(rule: EntryRule, now: Situation) -> Check:
    if rule.kind == "rung-passed":
        return Check(State.MET if rule.rung in now.passed else State.NOT_MET, rule.text)
    if rule.kind == "measure-at-least":
        values = [now.measured.get((rule.measure, side)) for side in LEGS]
        known = [v for v in values if v is not None]
        if len(known) < len(LEGS):
            return Check(State.UNKNOWN, rule.text)
        return Check(State.MET if min(known) >= rule.value else State.NOT_MET, rule.text)
    if rule.kind == "no-side-gap":
        word = now.verdicts.get(rule.measure)
        if word is None or word is Word.CANNOT_TELL:
            return Check(State.UNKNOWN, rule.text)
        return Check(State.MET if word is Word.IN_TUNE else State.NOT_MET, rule.text)
    return Check(State.UNKNOWN, rule.text)
