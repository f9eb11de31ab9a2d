"""Cases for the reasoning in a few words: observations by measure, side and visit, and what is concluded of them."""

from __future__ import annotations

from datetime import UTC, date, datetime, timedelta

import numpy as np

from tuning.core.case import Case, Patient, Visit
from tuning.core.reasoning.conclusion import conclude
from tuning.core.reasoning.conclusion import tests_of as all_tests
from tuning.core.reasoning.evidence import ReasoningPolicy
from tuning.core.reasoning.findings import findings
from tuning.core.reasoning.rules import Sign
from tuning.core.reasoning.sign_evaluation import evaluate_sign
from tuning.core.types import LEGS, Entry, Observation, Setup, Side, Triage
from tuning.knowledge import load

KNOWLEDGE = load()
TABLE, MEASURES, TESTS = KNOWLEDGE.reasoning, KNOWLEDGE.measures, all_tests(KNOWLEDGE)
LEFT, RIGHT = LEGS
FIRST = datetime(2026, 10, 1, 9, 0, tzinfo=UTC)
WHO = Patient("p", "Ines", date(1990, 1, 1), "female", 60.0, 1.7, "right", "right", "", Side.NONE)


def visit(n: int) -> Visit:
    """Visits are five weeks apart."""
    return Visit(f"v{n}", "p", FIRST + timedelta(weeks=5 * n))


def obs(measure: str, side: Side, *trials: float, n: int = 0, minute: int = 0, **more) -> Observation:
    at = visit(n).started_at + timedelta(minutes=minute)
    setup = more.pop("setup", Setup(mode="make", fixation="hand"))
    return Observation(
        measure, side, float(np.mean(trials)), np.asarray(trials, float), "mean", more.pop("method", "typed"),
        setup=setup, uid=f"{measure}-{side}-{n}-{minute}", visit=f"v{n}", at=at, **more,
    )  # fmt: skip


def both(measure: str, left: float, right: float, n: int = 0, **more) -> list[Observation]:
    return [obs(measure, LEFT, left, left, left, n=n, **more), obs(measure, RIGHT, right, right, right, n=n, **more)]


def case(*entries: Entry, n: int = 0) -> Case:
    """A case of three visits, of which n is open."""
    visits = tuple(visit(k) for k in range(3))
    return Case(WHO, visits, visits[n], tuple(entries), 1)


def seen(sign: Sign, side: Side, *entries: Entry, n: int = 0):
    return evaluate_sign(sign, findings(case(*entries, n=n), MEASURES), side)


def concluded(*entries: Entry, n: int = 0, schools: ReasoningPolicy | None = None, triage: Triage | None = None):
    return conclude(case(*entries, n=n), TABLE, MEASURES, TESTS, triage, schools)


def sheet(factor: str, pattern: str, side: Side, *entries: Entry, n: int = 0):
    return concluded(*entries, n=n).of(pattern, side).sheet(factor)


def line(factor: str, words: str):
    return next(one for one in TABLE.lines if one.factor == factor and one.words == words)
