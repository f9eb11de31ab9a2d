"""What tests of every stage answer of the safety table by themselves: a gap, a lost range, a weakness, a pain."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import date

from tuning.core.entries import Answer
from tuning.core.gate.person_facts import PersonFact, told_facts
from tuning.core.types import LEGS, Entry, Observation, Side


@dataclass(frozen=True)
class MeasuredFact:
    """A fact that values or answers of tests tell; rules name it by `id` beside the questions.

    Of a `measure`: a value `under` a limit or from `least` on, or a side that differs by `gap` (the `larger` or smaller
    one is at issue). `involved`: only the side that hurts counts, where one is known. `fresh`: not where an earlier
    visit showed it already. `regions` narrows pain to places. Of a `test`: an option of its `questions`. Of a `fact` of
    the person, such as a pregnancy: there at all, or from `least` weeks on. `worse_by` is what makes a value worse than
    one that was cleared.
    """

    id: str
    name: str
    measures: tuple[str, ...] = ()
    under: float | None = None
    least: float | None = None
    gap: float | None = None
    larger: bool = True
    involved: bool = False
    fresh: bool = False
    regions: tuple[str, ...] = ()
    fact: str = ""
    test: str = ""
    questions: tuple[str, ...] = ()
    options: tuple[str, ...] = ()
    worse_by: float = 0.0
    unit: str = ""
    source: str = "practice judgement, editable"


@dataclass(frozen=True)
class Ground:
    """A fact that is there: the entry it rests on, how bad (larger is worse), and in words."""

    fact: str
    entry: Entry
    size: float
    words: str


def grounds(facts: Iterable[MeasuredFact], entries: Sequence[Entry], involved: Side, today: date) -> dict[str, Ground]:
    """The facts that stand on a day after these entries, oldest first, by id."""
    persons = told_facts(entries, today)
    found = (
        (fact.id, _of_person(fact, persons, today) if fact.fact else _ground(fact, entries, involved)) for fact in facts
    )
    return {key: ground for key, ground in found if ground is not None}


def _ground(fact: MeasuredFact, entries: Sequence[Entry], involved: Side) -> Ground | None:
    if fact.test:
        return _answered(fact, entries)
    visits = _by_visit(fact, entries)
    if not visits:
        return None
    *earlier, now = visits
    found = _worst(fact, now, involved)
    if found is None or (fact.fresh and any(_worst(fact, one, involved) for one in earlier)):
        return None
    return found


def _of_person(fact: MeasuredFact, persons: Iterable[PersonFact], today: date) -> Ground | None:
    """A fact of the person; a pregnancy counts on by itself from the week that was told."""
    for one in persons:
        weeks = one.pregnant_weeks(today)
        if one.what == fact.fact and weeks is not None and weeks >= (fact.least or 0.0):
            return Ground(fact.id, one.entry, 0.0, f"week {weeks:.0f}")
    return None


def _answered(fact: MeasuredFact, entries: Sequence[Entry]) -> Ground | None:
    """The newest answers to the questions of a test, where one is of the options."""
    newest: dict[tuple[str, Side], Answer] = {}
    for one in entries:
        if isinstance(one, Answer) and one.test == fact.test and one.question in fact.questions:
            newest[one.question, one.side] = one
    hits = [one for one in newest.values() if one.option in fact.options]
    if not hits:
        return None
    sides = " and ".join(dict.fromkeys(one.side.value for one in hits if one.side in LEGS))
    return Ground(fact.id, hits[-1], float(len(hits)), f"{fact.name}{f', {sides}' if sides else ''}")


Values = Mapping[Side, Observation]


def _by_visit(fact: MeasuredFact, entries: Sequence[Entry]) -> list[Values]:
    """The newest value of each side at every visit that took one, oldest first; trials of cause are none."""
    visits: dict[str, dict[Side, Observation]] = {}
    for one in entries:
        if not isinstance(one, Observation) or one.measure_id not in fact.measures or one.measured is None:
            continue
        if one.setup.changed or one.setup.treatment or (fact.regions and one.setup.region not in fact.regions):
            continue
        visits.setdefault(one.visit, {})[one.side] = one
    return list(visits.values())


def _worst(fact: MeasuredFact, values: Values, involved: Side) -> Ground | None:
    """The side that is worst by the fact, of one visit."""
    made = [one for side in values if (one := _of_side(fact, values, side, involved)) is not None]
    return max(made, key=lambda one: one.size, default=None)


def _of_side(fact: MeasuredFact, values: Values, side: Side, involved: Side) -> Ground | None:
    one, other = values[side], values.get(side.other) if side in LEGS else None
    value = one.measured
    assert value is not None
    if fact.involved and involved in LEGS and side is not involved:
        return None
    where = f"{side.value} " if side in LEGS else ""
    region = f", {one.setup.region}" if one.setup.region else ""
    if fact.under is not None and value < fact.under:
        return Ground(fact.id, one, fact.under - value, f"{fact.name}: {where}{value:g}{fact.unit}")
    if fact.least is not None and value >= fact.least:
        return Ground(fact.id, one, value, f"{fact.name}: {where}{value:g}{fact.unit}{region}")
    if fact.gap is None or other is None or other.measured is None:
        return None
    apart = value - other.measured if fact.larger else other.measured - value
    if apart < fact.gap:
        return None
    words = f"{fact.name}: {where}{value:g}{fact.unit}, {side.other.value} {other.measured:g}{fact.unit}"
    return Ground(fact.id, one, apart, words)
