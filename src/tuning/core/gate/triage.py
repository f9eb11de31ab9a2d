"""The safety screen: answers to plain questions become RED, AMBER or NONE."""

from __future__ import annotations

from collections.abc import Callable, Collection, Mapping
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from functools import cached_property

from tuning.core.entries import Screen
from tuning.core.gate.limits import Limit
from tuning.core.gate.measured import MeasuredFact
from tuning.core.gate.person_facts import Absent
from tuning.core.types import Triage

Answers = Mapping[str, bool]


@dataclass(frozen=True)
class SafetyQuestion:
    """One question; of those in `after` one must be yes before it is asked, `recent` asks of an injury.

    `lasting`: it is of something that stays (a past cancer, an implant): a yes of a later visit is the same one.
    """

    id: str
    text: str
    group: str
    after: tuple[str, ...] = ()
    recent: bool = False
    lasting: bool = False


@dataclass(frozen=True)
class SafetyRule:
    """Fires when all of `all` and, where given, at least `count` of `any` are yes, and nothing of `none`.

    A RED rule locks, an AMBER one asks; a rule of level NONE only says what to have
    looked at. `bars` and `asks` are the demands (gate.demands) that a standing AMBER
    bars, or asks a reason for. With `hours` it ends by itself. While a `strict` one stands
    exercises follow the strict pain school (suspected bone stress).
    """

    id: str
    level: Triage
    name: str
    urgency: str
    all: tuple[str, ...] = ()
    any: tuple[str, ...] = ()
    none: tuple[str, ...] = ()
    count: int = 1
    bars: tuple[str, ...] = ()
    asks: tuple[str, ...] = ()
    hours: float | None = None
    strict: bool = False
    source: str = ""


@dataclass(frozen=True)
class Urgency:
    """How soon somebody has to look: its name, what to do now for the clinician, and in plain words for the patient."""

    name: str
    now: str
    plain: str


@dataclass(frozen=True)
class SafetyTable:
    """Questions in asking order, and rules; facts such as age come from the record."""

    again: str
    questions: tuple[SafetyQuestion, ...]
    rules: tuple[SafetyRule, ...]
    limits: tuple[Limit, ...] = ()
    measured: tuple[MeasuredFact, ...] = ()
    urgencies: Mapping[str, Urgency] = field(default_factory=dict)
    absent: tuple[Absent, ...] = ()
    """What a missing limb takes with it, by where it ends."""

    @cached_property
    def by_id(self) -> Mapping[str, SafetyRule]:
        """Rules by id."""
        return {rule.id: rule for rule in self.rules}

    @cached_property
    def lasting(self) -> frozenset[str]:
        """Questions of what stays."""
        return frozenset(q.id for q in self.questions if q.lasting)

    def asked(self, answers: Answers) -> list[SafetyQuestion]:
        """The questions that are due, given the answers so far."""
        return [q for q in self.questions if not q.after or any(counts_as_yes(self, answers, key) for key in q.after)]

    def unanswered(self, answers: Answers) -> list[SafetyQuestion]:
        """Due questions without an answer."""
        return [q for q in self.asked(answers) if q.id not in answers]


@dataclass(frozen=True)
class TriageResult:
    """Level and every rule that fired, most urgent first."""

    level: Triage
    hits: tuple[SafetyRule, ...]
    why: Mapping[str, tuple[str, ...]] = field(default_factory=dict)
    """What each of them rests on: questions and facts that were yes."""

    @property
    def text(self) -> str:
        """What fired, in one line."""
        return "; ".join(rule.name for rule in self.hits)


AGES: Mapping[str, Callable[[int], bool]] = {
    "age-55": lambda age: age >= 55,
    "age-65": lambda age: age >= 65,
    "child": lambda age: age < 16,
    "age-8-15": lambda age: 8 <= age <= 15,
    "age-8-17": lambda age: 8 <= age <= 17,
    "under-25": lambda age: age < 25,
}
"""Facts that rules may use and that come from the birth date: 55 and over (Stiell 1995), 65 and over, children."""


def counts_as_yes(table: SafetyTable, answers: Answers, key: str) -> bool:
    """Whether an answer counts as yes; a follow-up question counts only while it is due."""
    question = next((q for q in table.questions if q.id == key), None)
    if (
        question is not None
        and question.after
        and not any(counts_as_yes(table, answers, one) for one in question.after)
    ):
        return False
    return answers.get(key, False)


def screen(table: SafetyTable, answers: Answers, age: int, measured: Collection[str] = ()) -> TriageResult:
    """Triage by answers, age and the ids of what was `measured`; the worst rule that fires is the level."""
    told = {**answers, **{key: holds(age) for key, holds in AGES.items()}, **dict.fromkeys(measured, True)}
    hits: list[SafetyRule] = []
    why: dict[str, tuple[str, ...]] = {}
    for rule in table.rules:
        must, some = ([key for key in keys if counts_as_yes(table, told, key)] for keys in (rule.all, rule.any))
        enough = len(must) == len(rule.all) and (not rule.any or len(some) >= rule.count)
        if enough and not any(counts_as_yes(table, told, key) for key in rule.none):
            hits.append(rule)
            why[rule.id] = tuple(dict.fromkeys((*must, *some)))
    worst = {Triage.RED: 0, Triage.AMBER: 1, Triage.NONE: 2}
    hits.sort(key=lambda r: (worst[r.level], r.urgency))
    return TriageResult(hits[0].level if hits else Triage.NONE, tuple(hits), why)


def screen_entry(found: TriageResult, answers: Answers, note: str, said: str, now: datetime) -> Screen:
    """A screen as it is kept: what fired, what of it locks, what only asks for a look, what ends by itself."""
    return Screen(
        found.level,
        dict(answers),
        tuple(rule.id for rule in found.hits),
        note,
        said,
        reds=tuple(rule.id for rule in found.hits if rule.level is Triage.RED),
        looks=tuple(rule.id for rule in found.hits if rule.level is Triage.NONE),
        ends={rule.id: now + timedelta(hours=rule.hours) for rule in found.hits if rule.hours is not None},
        grounds={rule.id: found.why.get(rule.id, ()) for rule in found.hits},
    )
