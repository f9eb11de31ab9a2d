"""The safety screen: answers to plain questions become RED, AMBER or NONE."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from tuning.core.gate.limits import Limit
from tuning.core.types import Triage

Answers = Mapping[str, bool]


@dataclass(frozen=True)
class SafetyQuestion:
    """One question; `after` names the question that must be yes before it is asked."""

    id: str
    text: str
    group: str
    after: str = ""


@dataclass(frozen=True)
class SafetyRule:
    """Fires when all of `all` and, where given, one of `any` are yes."""

    id: str
    level: Triage
    name: str
    urgency: str
    all: tuple[str, ...]
    any: tuple[str, ...] = ()
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


FACTS = ("age-55", "child")
"""Ids that rules may use and that come from the birth date."""


def facts(age: int) -> dict[str, bool]:
    """What the record itself answers: 55 and over (Stiell 1995), under 16."""
    return {"age-55": age >= 55, "child": age < 16}


def is_yes(table: SafetyTable, answers: Answers, key: str) -> bool:
    """Whether an answer counts as yes; a follow-up question counts only while it is due."""
    question = next((q for q in table.questions if q.id == key), None)
    if question is not None and question.after and not is_yes(table, answers, question.after):
        return False
    return answers.get(key, False)


def screen(table: SafetyTable, answers: Answers, age: int) -> Screened:
    """Triage; the worst rule that fires sets the level."""
    told = {**answers, **facts(age)}

    def fires(rule: SafetyRule) -> bool:
        return all(is_yes(table, told, k) for k in rule.all) and (
            not rule.any or any(is_yes(table, told, k) for k in rule.any)
        )

    hits = sorted((r for r in table.rules if fires(r)), key=lambda r: (r.level is not Triage.RED, r.urgency))
    return Screened(hits[0].level if hits else Triage.NONE, tuple(hits))
