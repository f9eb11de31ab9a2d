"""The safety screen: answers to plain questions become RED, AMBER or NONE."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime, timedelta

from tuning.core.entries import Screen
from tuning.core.gate.limits import Limit
from tuning.core.types import Triage

Answers = Mapping[str, bool]


@dataclass(frozen=True)
class SafetyQuestion:
    """One question; `after` names the question that must be yes before it is asked, `recent` asks of an injury."""

    id: str
    text: str
    group: str
    after: str = ""
    recent: bool = False


@dataclass(frozen=True)
class SafetyRule:
    """Fires when all of `all` and, where given, at least `count` of `any` are yes.

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
    count: int = 1
    bars: tuple[str, ...] = ()
    asks: tuple[str, ...] = ()
    hours: float | None = None
    strict: bool = False
    source: str = ""


@dataclass(frozen=True)
class SafetyTable:
    """Questions in asking order, and rules; facts such as age come from the record."""

    again: str
    again_source: str
    questions: tuple[SafetyQuestion, ...]
    rules: tuple[SafetyRule, ...]
    limits: tuple[Limit, ...] = ()

    def asked(self, answers: Answers) -> list[SafetyQuestion]:
        """The questions that are due, given the answers so far."""
        return [q for q in self.questions if not q.after or is_yes(self, answers, q.after)]

    def unanswered(self, answers: Answers) -> list[SafetyQuestion]:
        """Due questions without an answer."""
        return [q for q in self.asked(answers) if q.id not in answers]


@dataclass(frozen=True)
class Screened:
    """Level and every rule that fired, most urgent first."""

    level: Triage
    hits: tuple[SafetyRule, ...]

    @property
    def text(self) -> str:
        """What fired, in one line."""
        return "; ".join(rule.name for rule in self.hits)


FACTS = ("age-55", "age-65", "child", "age-8-17", "under-25", "girth-gap")
"""Ids that rules may use and that come from the birth date and from what was measured."""
GIRTH_GAP_CM = 3.0
"""Calf girth apart by this much counts (Wells 2003)."""


def facts(age: int, girth_gap_cm: float | None = None) -> dict[str, bool]:
    """What the record itself answers: 55 and over (Stiell 1995), 65 and over, under 16, 8 to 17, under 25, girth."""
    return {
        "age-55": age >= 55,
        "age-65": age >= 65,
        "child": age < 16,
        "age-8-17": 8 <= age <= 17,
        "under-25": age < 25,
        "girth-gap": girth_gap_cm is not None and girth_gap_cm >= GIRTH_GAP_CM,
    }


def is_yes(table: SafetyTable, answers: Answers, key: str) -> bool:
    """Whether an answer counts as yes; a follow-up question counts only while it is due."""
    question = next((q for q in table.questions if q.id == key), None)
    if question is not None and question.after and not is_yes(table, answers, question.after):
        return False
    return answers.get(key, False)


def screen(table: SafetyTable, answers: Answers, age: int, girth_gap_cm: float | None = None) -> Screened:
    """Triage; the worst rule that fires sets the level."""
    told = {**answers, **facts(age, girth_gap_cm)}

    def fires(rule: SafetyRule) -> bool:
        """Whether all of a rule's musts and enough of its others were answered yes."""
        some = sum(is_yes(table, told, k) for k in rule.any)
        return all(is_yes(table, told, k) for k in rule.all) and (not rule.any or some >= rule.count)

    worst = {Triage.RED: 0, Triage.AMBER: 1, Triage.NONE: 2}
    hits = sorted((r for r in table.rules if fires(r)), key=lambda r: (worst[r.level], r.urgency))
    return Screened(hits[0].level if hits else Triage.NONE, tuple(hits))


def entry_of(found: Screened, answers: Answers, note: str, said: str, now: datetime) -> Screen:
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
    )
