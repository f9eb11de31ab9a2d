"""The whole course of a person on one time axis: values, gaps, pain, goals, rungs, treatments."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime

from tuning.core.case import Case
from tuning.core.entries import PlanItem, Treatment
from tuning.core.judging.comparison import compare_sides, error_parts, trials_averaged
from tuning.core.judging.ledger import at_visit
from tuning.core.judging.measures import Measure
from tuning.core.judging.trial_rule import TrialRule
from tuning.core.judging.verdict import Verdict, error_of_value
from tuning.core.programme.ladders import Ladder
from tuning.core.review.changes import Key, newest
from tuning.core.types import LEGS, Observation, Side
from tuning.core.visit.notes import treatment_text


@dataclass(frozen=True)
class Point:
    """A value at a visit with its 95 % error in the same unit; 0 where no error is known."""

    at: datetime
    value: float
    error: float


@dataclass(frozen=True)
class Series:
    """One measure of one side and region over the visits, oldest first."""

    measure: Measure
    side: Side
    region: str
    points: tuple[Point, ...]


@dataclass(frozen=True)
class RungStep:
    """A rung that a plan came to; `place` counts from 1 on its ladder."""

    at: datetime
    ladder: str
    name: str
    place: int


@dataclass(frozen=True)
class TreatmentMark:
    """Something that was done at a moment."""

    at: datetime
    words: str


def series(case: Case, measures: Mapping[str, Measure], key: Key, rule: TrialRule = TrialRule.MEAN) -> Series:
    """The values of a measure, side and region at every visit."""
    measure, points = measures[key[0]], []
    for visit in case.visits:
        seen = newest(measures, at_visit(case, visit, measures, rule)).get(key)
        if seen is None or seen.measured is None:
            continue
        points.append(Point(visit.started_at, seen.measured, _error(measure, seen.measured, seen)))
    return Series(measure, key[1], key[2], tuple(points))


def _error(measure: Measure, value: float, seen: Observation) -> float:
    if measure.sem <= 0:
        return 0.0
    error = error_of_value(error_parts(measure, seen), trials_averaged(seen))
    return abs(value) * error / 100 if measure.in_percent else error


def gaps(
    case: Case, measures: Mapping[str, Measure], measure_id: str, region: str, rule: TrialRule
) -> tuple[Point, ...]:
    """The left-right difference at every visit where both sides can be compared, with its error."""
    measure, found = measures[measure_id], []
    if not measure.paired:
        return ()
    for visit in case.visits:
        known = newest(measures, at_visit(case, visit, measures, rule))
        left, right = (known.get((measure_id, side, region)) for side in LEGS)
        verdict = compare_sides(measure, left, right).verdict
        if isinstance(verdict, Verdict):
            found.append(Point(visit.started_at, verdict.d, verdict.e))
    return tuple(found)


def told_series(case: Case, measures: Mapping[str, Measure], rule: TrialRule = TrialRule.MEAN) -> list[Series]:
    """Pain by place and goals: what the person tells of every visit."""
    keys: dict[Key, None] = {}
    for visit in case.visits:
        for key in newest(measures, at_visit(case, visit, measures, rule)):
            if measures[key[0]].change is not None:
                keys[key] = None
    return [series(case, measures, key, rule) for key in keys]


def rung_steps(case: Case, ladders: Mapping[str, Ladder]) -> list[RungStep]:
    """Every rung that the plan came to, oldest first; a new dose of the same rung is no step."""
    steps: list[RungStep] = []
    last: dict[str, str] = {}
    for item in case.all(PlanItem):
        ladder = ladders.get(item.ladder)
        if item.withdrawn or ladder is None or last.get(item.ladder) == item.rung:
            continue
        rung = next((r for r in ladder.rungs if r.id == item.rung), None)
        if rung is not None:
            place = ladder.line(rung).index(rung) + 1
            steps.append(RungStep(item.at, f"{ladder.name} {rung.line}".strip(), rung.name, place))
            last[item.ladder] = item.rung
    return steps


def ticks(case: Case) -> Sequence[TreatmentMark]:
    """Treatments, oldest first."""
    return [TreatmentMark(t.at, treatment_text(t)) for t in case.all(Treatment)]
