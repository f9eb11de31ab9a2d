"""Reads the knowledge files and refuses what breaks a rule, naming file, key and reason."""

from __future__ import annotations

import tomllib
from dataclasses import dataclass, replace
from functools import cache
from importlib.resources import files
from pathlib import Path
from typing import Any, TypeVar

import cattrs
import cattrs.v

from tuning.core.errors import KnowledgeError
from tuning.core.force.advice import Advice
from tuning.core.force.analysis import TESTS as PLATE_TESTS
from tuning.core.gate.triage import FACTS, SafetyTable, Triage
from tuning.core.intake.forms import FieldKind, Form
from tuning.core.judging.measures import Compare, Measure
from tuning.core.pictures.kinds import PICTURE_KINDS
from tuning.core.programme.ladders import Fault, Ladder
from tuning.core.programme.pose import Frame, parse_frame
from tuning.core.standing.levels import Chain, is_sound
from tuning.core.visit.battery import Ask, Test
from tuning.core.visit.plan import OrderTable, known_ids

T = TypeVar("T")
FOLDER = Path(str(files("tuning.knowledge")))


@dataclass(frozen=True)
class Cautions:
    """Texts of the safety screen and the rules that stand beside exercises."""

    scope: str
    stop_now: str
    pain_limit: int
    pain_limit_source: str
    setting: str


@dataclass(frozen=True)
class Knowledge:
    """Everything a clinician may edit, loaded and checked."""

    measures: dict[str, Measure]
    tests: dict[str, Test]
    chain: Chain
    safety: SafetyTable
    forms: dict[str, Form]
    ladders: dict[str, Ladder]
    faults: dict[str, Fault]
    cautions: Cautions
    order: OrderTable
    plates: dict[str, Advice]


def _converter() -> cattrs.Converter:
    converter = cattrs.Converter(forbid_extra_keys=True)

    def number(value: Any, _: Any) -> float:
        if isinstance(value, bool) or not isinstance(value, int | float):
            raise ValueError("is not a number")
        return float(value)

    def text(value: Any, _: Any) -> str:
        if not isinstance(value, str):
            raise ValueError("is not text")
        return value

    def frame(value: Any, _: Any) -> Frame:
        found = parse_frame(value)
        if found.angle_gap > 1:
            raise ValueError(f"“{value}” breaks hip = trunk + knee - ankle by {found.angle_gap:.0f}°")
        return found

    converter.register_structure_hook(float, number)
    converter.register_structure_hook(str, text)
    # The hook for str would otherwise catch enumerations of words, too.
    for words in (Compare, Ask, Triage, FieldKind):
        converter.register_structure_hook(words, lambda value, kind: kind(value))
    converter.register_structure_hook(Frame, frame)
    return converter


_CONVERTER = _converter()


def _reason(err: BaseException, kind: Any) -> str:
    """Our own sentences as they are; the library's words for the rest."""
    return str(err) if type(err) is ValueError else cattrs.v.format_exception(err, kind)


def _structure(data: Any, kind: type[T], where: str) -> T:
    try:
        return _CONVERTER.structure(data, kind)
    except Exception as err:
        reasons = "; ".join(cattrs.transform_error(err, path=where, format_exception=_reason))
        raise KnowledgeError(f"A knowledge file breaks a rule: {reasons}.") from err


def _toml(path: Path) -> dict[str, Any]:
    try:
        return tomllib.loads(path.read_text(encoding="utf-8"))
    except (OSError, ValueError) as err:
        raise KnowledgeError(f"The knowledge file {path.name} cannot be read: {err}.") from err


def _measures(folder: Path) -> dict[str, Measure]:
    measures: dict[str, Measure] = {}
    for path in sorted(folder.glob("*.toml")):
        tables = _toml(path)
        defaults = tables.pop("defaults", {})
        for key, table in tables.items():
            measure = _measure(path.name, key, {**defaults, **table})
            if key in measures:
                raise KnowledgeError(f"{path.name}: {key}: another file already has a measure of this id.")
            measures[key] = measure
    for m in measures.values():
        if m.within and m.within not in measures:
            raise KnowledgeError(f"{m.id}: within names “{m.within}”, which is no measure.")
    return measures


def _measure(file: str, key: str, table: dict[str, Any]) -> Measure:
    if table.get("band") == 0:  # says "none is published" over a default
        table = {**table, "band": None}
    m = _structure({"id": key, **table}, Measure, f"{file}: {key}")
    if m.band is not None and not m.band_source:
        raise KnowledgeError(f"{file}: {key}: band needs a band_source.")
    if m.compare is not Compare.ALONE and not (m.sem > 0 and m.sem_source):
        raise KnowledgeError(f"{file}: {key}: sem must be above zero and name its source.")
    if m.finding not in ("larger", "smaller"):
        raise KnowledgeError(f"{file}: {key}: finding is “larger” or “smaller”.")
    if m.possible and not m.possible[0] < m.possible[1]:
        raise KnowledgeError(f"{file}: {key}: possible must run from low to high.")
    return m


def _tests(folder: Path, measures: dict[str, Measure], limits: set[str]) -> dict[str, Test]:
    tests: dict[str, Test] = {}
    for path in sorted(folder.glob("*.toml")):
        tables = _toml(path)
        for raw in tables.get("test", []):
            table = {**tables.get("defaults", {}), **raw}
            where = f"{path.name}: {table.get('id', 'a test without id')}"
            test = _structure({"stage": path.stem, **table}, Test, where)
            named = [(q.measure, q.number, q.proposed_by) for q in test.questions]
            orphans = [m for three in named for m in three if m and m not in measures]
            orphans += [p for p in test.picture_kinds if p not in PICTURE_KINDS]
            orphans += [k for k in test.limited_by if k not in limits]
            if orphans:
                raise KnowledgeError(f"{where}: unknown id “{orphans[0]}”.")
            if any(not (q.key and q.options) if q.ask is Ask.CHOICE else not q.measure for q in test.questions):
                raise KnowledgeError(f"{where}: a choice needs key and options, every other question a measure.")
            if test.id in tests:
                raise KnowledgeError(f"{where}: another test already has this id.")
            tests[test.id] = test
    return tests


def _chain(path: Path) -> Chain:
    table = _toml(path)
    table["rows"] = table.pop("row", [])
    chain = _structure(table, Chain, path.name)
    holes = is_sound(chain)
    if holes:
        raise KnowledgeError(f"{path.name}: no row catches “{holes[0]}”.")
    return chain


def _plates(path: Path, limits: set[str]) -> dict[str, Advice]:
    """Advice for every test on the plates."""
    found = [_structure(raw, Advice, f"{path.name}: {raw.get('id')}") for raw in _toml(path).get("test", [])]
    by_id = {advice.id: advice for advice in found}
    missing = [name for name in PLATE_TESTS if name not in by_id]
    orphans = [name for name in by_id if name not in PLATE_TESTS]
    orphans += [k for advice in found for k in advice.limited_by if k not in limits]
    if missing or orphans or len(by_id) < len(found):
        what = f"“{missing[0]}” is missing" if missing else f"unknown or doubled id “{(*orphans, found[-1].id)[0]}”"
        raise KnowledgeError(f"{path.name}: {what}.")
    unlike = [a.id for a in found if a.legs != PLATE_TESTS[a.id].legs or not a.frames]
    if unlike:
        raise KnowledgeError(f"{path.name}: {unlike[0]}: legs differ from the test, or no frame is drawn.")
    return by_id


def _order(path: Path, tests: dict[str, Test], plates: dict[str, Advice]) -> OrderTable:
    order = _structure(_toml(path), OrderTable, path.name)
    for test in tests.values():
        ways = [p for p in test.positions if p not in ("side-opposite", "side-same")]
        orphans = [p for p in ways if p not in order.positions]
        orphans += [test.equipment] if test.equipment not in order.equipment else []
        orphans += [test.at] if test.at not in (*order.at, "tested") else []
        if orphans:
            raise KnowledgeError(f"{test.id}: “{orphans[0]}” is not in {path.name}.")
        if test.at == "tested" and not test.by_side:
            raise KnowledgeError(f"{test.id}: at = “tested” needs by_side.")
    for clip in order.clip:
        if bool(clip.tasks) == bool(clip.plates) or (clip.plates and clip.plates not in PLATE_TESTS):
            raise KnowledgeError(f"{path.name}: {clip.id}: name either tasks or a test on the plates.")
        if clip.plates and clip.limited_by:
            raise KnowledgeError(f"{path.name}: {clip.id}: the limits of a test on the plates stand in plates.toml.")
    locked = (replace(c, limited_by=plates[c.plates].limited_by) if c.plates else c for c in order.clip)
    order = replace(order, clip=tuple(locked))
    known = known_ids(tests, order.clip)
    for template in order.template:
        for wanted in template.tests:
            if wanted not in known:
                raise KnowledgeError(f"{path.name}: {template.name}: unknown id “{wanted}”.")
    return order


def _safety(path: Path) -> SafetyTable:
    table = _structure(_toml(path), SafetyTable, path.name)
    ids = {q.id for q in table.questions}
    orphans = [q.after for q in table.questions if q.after and q.after not in ids]
    orphans += [limit.id for limit in table.limits if limit.id not in ids]
    orphans += [k for rule in table.rules for k in (*rule.all, *rule.any) if k not in ids and k not in FACTS]
    if orphans:
        raise KnowledgeError(f"{path.name}: unknown id “{orphans[0]}”.")
    return table


def _ladder(path: Path, measures: dict[str, Measure], faults: dict[str, Fault], limits: set[str]) -> Ladder:
    table = _toml(path)
    defaults = table.pop("defaults", {})
    rungs = [_rung(path, n, {**defaults, **raw}) for n, raw in enumerate(table.pop("rung", []), start=1)]
    ladder = _structure({**table, "rungs": rungs}, Ladder, path.name)
    ids = [r.id for r in ladder.rungs]
    if len(set(ids)) != len(ids):
        raise KnowledgeError(f"{path.name}: two rungs share one id.")
    for rung in ladder.rungs:
        orphans = [f for f in rung.faults if f not in faults]
        orphans += [e.measure for e in rung.entry if e.measure and e.measure not in measures]
        orphans += [k for k in rung.limited_by if k not in limits]
        orphans += [e.rung for e in rung.entry if e.rung and e.rung not in ids]
        if orphans:
            raise KnowledgeError(f"{path.name}: {rung.id}: unknown id “{orphans[0]}”.")
    return ladder


def _rung(path: Path, order: int, raw: dict[str, Any]) -> dict[str, Any]:
    demand = raw.pop("demand", {})
    dose = raw.get("dose", {})
    missing = [key for key in ("id", "name", "purpose", "steps", "poses", "dose") if key not in raw]
    if missing:
        raise KnowledgeError(f"{path.name}: rung {order}: {missing[0]} is missing.")
    return {
        **raw,
        "order": order,
        "entry": raw.get("entry", []),
        "hip_demand": demand.get("hip"),
        "balance_demand": demand.get("balance"),
        "transition": demand.get("transition", False),
        "dose": {"reps": None, "hold_s": None, "tempo": "", **dose},
    }


@cache
def load(folder: Path = FOLDER) -> Knowledge:
    """Load and check every knowledge file in `folder`, once in the life of the program.

    Raises KnowledgeError with file, key and reason.
    """
    measures = _measures(folder / "measures")
    faults = {
        key: _structure({"id": key, **table}, Fault, f"faults.toml: {key}")
        for key, table in _toml(folder / "faults.toml").items()
    }
    safety = _safety(folder / "safety.toml")
    limits = {limit.id for limit in safety.limits}
    ladders = [_ladder(path, measures, faults, limits) for path in sorted((folder / "ladders").glob("*.toml"))]
    tests = _tests(folder / "tests", measures, limits)
    plates = _plates(folder / "plates.toml", limits)
    return Knowledge(
        measures,
        tests,
        _chain(folder / "levels_chain.toml"),
        safety,
        {key: _structure(t, Form, f"intake.toml: {key}") for key, t in _toml(folder / "intake.toml").items()},
        {ladder.id: ladder for ladder in ladders},
        faults,
        _structure(_toml(folder / "cautions.toml"), Cautions, "cautions.toml"),
        _order(folder / "order.toml", tests, plates),
        plates,
    )
