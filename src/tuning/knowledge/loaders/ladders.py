"""Ladders, rungs and the faults to watch for."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import replace
from pathlib import Path
from typing import Any

from tuning.core.gate.demands import DEMANDS
from tuning.core.gate.person_facts import ROWS
from tuning.core.gate.triage import SafetyTable
from tuning.core.intake.forms import FormDefinition
from tuning.core.judging.measures import Measure
from tuning.core.pose import ANGLE_SLACK, BodyPosition, PoseFrame
from tuning.core.programme.body_model import drawing_faults
from tuning.core.programme.cautions import Caution
from tuning.core.programme.equipment import Substitute
from tuning.core.programme.ladders import Fault, Ladder, Rung, Sides, is_transition
from tuning.core.programme.placement import PlacementTable
from tuning.core.programme.routines import Routine
from tuning.core.programme.rules import PainPolicy, Rules
from tuning.core.test_definitions import TestDefinition
from tuning.knowledge.loaders.toml_reader import TomlReader

NEEDED = ("id", "name", "purpose", "steps", "poses", "dose", "demand")


def load_faults(reading: TomlReader) -> dict[str, Fault]:
    """Faults by id."""
    tables = reading.toml(reading.folder / "faults.toml")
    made = {key: reading.structure({"id": key, **t}, Fault, f"faults.toml: {key}") for key, t in tables.items()}
    return {key: fault for key, fault in made.items() if fault is not None}


def load_ladders(
    reading: TomlReader, measures: Mapping[str, Measure], faults: Mapping[str, Fault], factors: Iterable[str]
) -> dict[str, Ladder]:
    """Every ladder by id."""
    ladders: dict[str, Ladder] = {}
    for path in sorted((reading.folder / "ladders").glob("*.toml")):
        table = reading.toml(path)
        defaults = table.pop("defaults", {})
        raw = [_rung(reading, path, n, {**defaults, **r}) for n, r in enumerate(table.pop("rung", []), start=1)]
        if None in raw:
            continue
        ladder = reading.structure({**table, "rungs": raw}, Ladder, path.name)
        if ladder is not None:
            ladders[ladder.id] = ladder
    known = set(factors)
    rungs = {rung.id: rung for ladder in ladders.values() for rung in ladder.rungs}
    if len(rungs) < sum(len(ladder.rungs) for ladder in ladders.values()):
        reading.wrong("ladders", "two rungs share one id")
    for ladder in ladders.values():
        reading.orphans(f"ladder {ladder.id}", ladder.factors, known)
        for rung in ladder.rungs:
            _check(reading, f"{ladder.id}.toml: {rung.id}", rung, rungs, measures, faults)
    return {key: _with_transitions(ladder, rungs) for key, ladder in ladders.items()}


def _check(
    reading: TomlReader,
    where: str,
    rung: Rung,
    rungs: Mapping[str, Rung],
    measures: Mapping[str, Measure],
    faults: Mapping[str, Fault],
) -> None:
    reading.orphans(where, rung.faults, faults)
    reading.orphans(where, [e.measure for e in rung.entry], measures)
    reading.orphans(where, [*rung.below, *(e.rung for e in rung.entry)], rungs)
    reading.orphans(where, rung.demands, DEMANDS)
    begun = ((rung.heights_cm, rung.dose.height_cm), (rung.holds_s, rung.dose.hold_s), (rung.tempos, rung.dose.tempo))
    for listed, own in begun:
        if listed and own not in listed:
            reading.wrong(where, f"the dose begins with {own}, which is not one of {', '.join(map(str, listed))}")
    if not rung.demands:
        reading.wrong(where, "say what it demands")
    standing_soles(reading, where, [frame for pose in rung.poses for frame in pose.frames], rung.position)


def standing_soles(
    reading: TomlReader, where: str, frames: Iterable[PoseFrame], position: BodyPosition = BodyPosition.STAND
) -> None:
    """Note the poses whose angles do not add up over a flat sole."""
    for frame in frames:
        gap = frame.angle_gap(position)
        if gap > ANGLE_SLACK:
            reading.wrong(where, f"a pose breaks hip = trunk + knee - ankle by {gap:.0f}°")


def check_drawings(reading: TomlReader, ladders: Mapping[str, Ladder]) -> None:
    """Whether every drawn body can stand as drawn; takes longer than a start may."""
    for ladder in ladders.values():
        for rung in ladder.rungs:
            for pose in rung.poses:
                for fault in (f for frame in pose.frames for f in drawing_faults(frame, rung.position)):
                    reading.wrong(f"{ladder.id}.toml: {rung.id}", f"the drawing of {pose.name} {fault}")


def _with_transitions(ladder: Ladder, rungs: Mapping[str, Rung]) -> Ladder:
    def easier(rung: Rung) -> list[Rung]:
        below = ladder.below(rung)
        return [*([below] if below is not None else []), *(rungs[key] for key in rung.below if key in rungs)]

    return replace(
        ladder, rungs=tuple(replace(rung, transition=is_transition(rung, easier(rung))) for rung in ladder.rungs)
    )


def _rung(reading: TomlReader, path: Path, order: int, raw: dict[str, Any]) -> dict[str, Any] | None:
    missing = [key for key in NEEDED if key not in raw]
    if missing:
        reading.wrong(path.name, f"rung {order}: {missing[0]} is missing")
        return None
    demand, dose, side = raw.pop("demand"), raw["dose"], raw.get("side", Sides.EACH)
    each = side not in (Sides.BOTH, Sides.PATTERN)
    begins = {"step_cm": raw.get("step_cm"), "seat_cm": raw.get("seat_cm"), "extra": int(side == Sides.POORER)}
    begins |= {"band": next(iter(raw.get("bands", ())), "")}
    return {
        **raw,
        "order": order,
        "hip_demand": demand.get("hip"),
        "balance_demand": demand.get("balance"),
        "dose": {"reps": None, "hold_s": None, "tempo": "", "each": each, **begins, **dose},
    }


def _ever_needed(ladder: Ladder, rung: Rung) -> Iterable[str]:
    """What any variant of a rung is done with, at any height and with any band that it lists."""
    for pose in rung.poses:
        for height in rung.heights_cm or (rung.dose.height_cm,):
            dose = rung.dose if height is None else rung.dose.at_height(height)
            yield from ladder.needs(rung, dose, pose.name)
    yield from rung.bands


def load_kit(reading: TomlReader, ladders: Mapping[str, Ladder]) -> dict[str, Substitute]:
    """What serves instead of each thing; every thing that a ladder names has a row, and every row a ladder."""
    tables = reading.toml(reading.folder / "kit.toml")
    rows = {item: reading.structure(row, Substitute, f"kit.toml: {item}") for item, row in tables.items()}
    needed = {item for ladder in ladders.values() for rung in ladder.rungs for item in _ever_needed(ladder, rung)}
    reading.orphans("kit.toml", needed, rows)
    reading.orphans("kit.toml: no ladder needs", rows, needed)
    return {item: row for item, row in rows.items() if row is not None}


def load_routines(reading: TomlReader, ladders: Mapping[str, Ladder]) -> dict[str, Routine]:
    """Routines by id; each of rungs that there are, and of more than one."""
    tables = reading.toml(reading.folder / "routines.toml")
    made = {key: reading.structure({"id": key, **t}, Routine, f"routines.toml: {key}") for key, t in tables.items()}
    rungs = {rung.id for ladder in ladders.values() for rung in ladder.rungs}
    for key, routine in made.items():
        if routine is not None:
            reading.orphans(f"routines.toml: {key}", routine.rungs, rungs)
            if len(set(routine.rungs)) < 2:
                reading.wrong(f"routines.toml: {key}", "a routine has two exercises at least")
    return {key: routine for key, routine in made.items() if routine is not None}


def load_progression(reading: TomlReader) -> Rules | None:
    """The numbers of up, hold or back."""
    path = reading.folder / "progression.toml"
    rules = reading.structure(reading.toml(path), Rules, path.name)
    if rules is not None and any(set(table) != set(PainPolicy) for table in (rules.pain.most, rules.pain.climb)):
        reading.wrong(path.name, f"pain: name every school, {', '.join(PainPolicy)}")
    return rules


def check_cautions(
    reading: TomlReader, cautions: Mapping[str, Caution], safety: SafetyTable, tests: Mapping[str, TestDefinition],
    ladders: Mapping[str, Ladder], placement: PlacementTable, forms: Mapping[str, FormDefinition],
) -> None:  # fmt: skip
    """What cautions, ladders, tests, placement and facts name of each other; a caution that nothing names is dead."""
    rules, questions = {rule.id for rule in safety.rules}, {q.id for q in safety.questions}
    for key, one in cautions.items():
        where = f"cautions.toml: {key}"
        for sign in one.signs:
            reading.orphans(where, sign.rules, rules)
            reading.orphans(where, sign.answers, questions)
            reading.orphans(where, [sign.test] if sign.test else [], tests)
            if sign.facts:
                _look_at_facts(reading, where, forms, sign.facts, [sign.joint] if sign.joint else [], sign.how)
    for absent in safety.absent:
        _look_at_facts(reading, "safety.toml: absent", forms, (), [absent.where], ())
    _look_at_facts(reading, "safety.toml: measured", forms, [m.fact for m in safety.measured if m.fact], (), ())
    named = {c for ladder in ladders.values() for c in ladder.cautions}
    named |= {c for choice in placement.choices.values() for c in choice.never}
    named |= {c for test in tests.values() for c in (*test.not_with, *test.cautions)}
    reading.orphans("ladders, tests and placement.toml", named, cautions)
    reading.orphans("cautions.toml: named by no ladder, test or placement", cautions, named)


def _look_at_facts(
    reading: TomlReader, where: str, forms: Mapping[str, FormDefinition], what: Iterable[str], places: Iterable[str],
    how: Iterable[str],
) -> None:  # fmt: skip
    """What is named of a fact of the person has to be an answer that the history offers."""
    rows = next((r for r in forms["history"].lists if r.id == ROWS), None) if "history" in forms else None
    offered = {column.id: column.options for column in rows.columns} if rows is not None else {}
    for names, column in ((what, "what"), (places, "where"), (how, "how")):
        reading.orphans(f"{where} (intake.toml, {column})", names, offered.get(column, ()))


def load_placement(reading: TomlReader, ladders: Mapping[str, Ladder], causes: Iterable[str]) -> PlacementTable | None:
    """Which ladders and rungs a factor or pattern asks for; every cause needs a line."""
    table = reading.structure(reading.toml(reading.folder / "placement.toml"), PlacementTable, "placement.toml")
    if table is None:
        return None
    known = set(causes)
    targets = {*ladders, *(rung.id for ladder in ladders.values() for rung in ladder.rungs)}
    reading.orphans("placement.toml", table.choices, known)
    for name in ("mobility", "foot", "hip", "pattern"):
        reading.orphans(f"placement.toml: {name}", getattr(table, name), ladders)
    for cause, choice in table.choices.items():
        reading.orphans(f"placement.toml: {cause}", (*choice.first, *choice.second), targets)
        if not (choice.first or choice.notes):
            reading.wrong(f"placement.toml: {cause}", "names neither a ladder nor what is done instead")
    return table
