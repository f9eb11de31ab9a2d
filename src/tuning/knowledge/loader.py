"""Reads the knowledge files and refuses what breaks a rule, naming file, key and reason."""

from __future__ import annotations

import tomllib
from dataclasses import dataclass
from importlib.resources import files
from pathlib import Path
from typing import Any, TypeVar

import cattrs
import cattrs.v

from tuning.core.errors import KnowledgeError
from tuning.core.measures import Compare, Measure
from tuning.core.pose import Frame, parse_frame
from tuning.core.programme import Fault, Ladder

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
    red: tuple[str, ...]
    amber: tuple[str, ...]


@dataclass(frozen=True)
class Knowledge:
    """Everything a clinician may edit, loaded and checked."""

    measures: dict[str, Measure]
    ladders: dict[str, Ladder]
    faults: dict[str, Fault]
    cautions: Cautions


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
    converter.register_structure_hook(Compare, lambda value, _: Compare(value))
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
    if m.possible and not m.possible[0] < m.possible[1]:
        raise KnowledgeError(f"{file}: {key}: possible must run from low to high.")
    return m


def _ladder(path: Path, measures: dict[str, Measure], faults: dict[str, Fault]) -> Ladder:
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


def load(folder: Path = FOLDER) -> Knowledge:
    """Load and check every knowledge file in `folder`.

    Raises KnowledgeError with file, key and reason.
    """
    measures = _measures(folder / "measures")
    faults = {
        key: _structure({"id": key, **table}, Fault, f"faults.toml: {key}")
        for key, table in _toml(folder / "faults.toml").items()
    }
    ladders = [_ladder(path, measures, faults) for path in sorted((folder / "ladders").glob("*.toml"))]
    cautions = _structure(_toml(folder / "cautions.toml"), Cautions, "cautions.toml")
    return Knowledge(measures, {ladder.id: ladder for ladder in ladders}, faults, cautions)
