"""The suspicion trail of a case: what the levels open, the look that decides it, what came of it."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Protocol

from tuning.core.case import Case
from tuning.core.entries import Answer, Decision
from tuning.core.next_step import MeasureTables, NextStep, rows_of
from tuning.core.standing.level_suspicion import LEVELS_DECIDED, Chain, Suspicion, levels_from, suspect
from tuning.core.standing.posture import Posture, PostureRule, SpineCurve, posture_type, side_line
from tuning.core.target import Target
from tuning.core.types import LEGS, NotMeasured, Observation

TRAIL, PAST = LEVELS_DECIDED, "levels-chain-past"
CURVES = "plumb-side"
"""The test whose answers tell the curves of the spine."""


class ChainTables(Protocol):
    """What the levels need of the knowledge files."""

    @property
    def chain(self) -> Chain:
        """The chain of levels."""
        ...


def suspicion(case: Case, chain: Chain) -> Suspicion:
    """What the looks of the open visit open."""
    return suspect(chain, levels_from(chain, list(case.today(Observation))))


def decided(case: Case, found: Suspicion) -> Decision | None:
    """The decision about this very suspicion in the open visit."""
    if found.row is None:
        return None
    about = (TRAIL, found.row.id, found.low)
    same = [d for d in case.today(Decision) if (d.subject, d.inputs.get("row"), d.side) == about]
    return same[-1] if same else None


def urgent(case: Case, tables: ChainTables) -> NextStep | None:
    """The deciding look that is still to be done."""
    if not case.today(Observation):
        return None
    found = suspicion(case, tables.chain)
    if not found.open or found.row is None or decided(case, found) is not None:
        return None
    return NextStep(Target("standing"), found.row.relook, "it decides the open suspicion")


def next_step(case: Case, tables: MeasureTables) -> NextStep | None:
    """The walk from the feet up, while nothing was looked at."""
    if rows_of(case, tables, "standing"):
        return None
    return NextStep(Target("standing"), "Walk the standing levels from the feet up", "no camera needed")


def posture_lines(case: Case, rules: Sequence[PostureRule]) -> list[str]:
    """Posture type by side with its rule, where the side line was measured."""
    curves = {a.question: a.option for a in case.today(Answer) if a.test == CURVES}
    upper, low = (SpineCurve(curves.get(key, SpineCurve.USUAL.value)) for key in ("upper-back", "low-back"))
    named: dict[tuple[Posture, str], list[str]] = {}
    for side in LEGS:
        line = side_line(list(case.today(Observation)), side, upper, low)
        if not isinstance(line, NotMeasured):
            named.setdefault(posture_type(rules, line), []).append(side.value)
    return [
        f"Sagittal plumb line, {' and '.join(sides)}: {posture.value} ({rule_text})."
        for (posture, rule_text), sides in named.items()
    ]
