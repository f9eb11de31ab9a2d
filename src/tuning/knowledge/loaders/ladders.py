"""Ladders, rungs and the faults to watch for."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path
from typing import Any

from tuning.core.gate.demands import DEMANDS
from tuning.core.judging.measures import Measure
from tuning.core.programme.ladders import Fault, Ladder
from tuning.knowledge.loaders.reading import Reading


def load_faults(reading: Reading) -> dict[str, Fault]:
    """Faults by id."""
    tables = reading.toml(reading.folder / "faults.toml")
    made = {key: reading.structure({"id": key, **t}, Fault, f"faults.toml: {key}") for key, t in tables.items()}
    return {key: fault for key, fault in made.items() if fault is not None}


def load_ladders(reading: Reading, measures: Mapping[str, Measure], faults: Mapping[str, Fault]) -> dict[str, Ladder]:
    """Every ladder by id."""
    ladders: dict[str, Ladder] = {}
    for path in sorted((reading.folder / "ladders").glob("*.toml")):
        table = reading.toml(path)
        defaults = table.pop("defaults", {})
        raw = [_rung(reading, path, n, {**defaults, **r}) for n, r in enumerate(table.pop("rung", []), start=1)]
        if None in raw:
            continue
        ladder = reading.structure({**table, "rungs": raw}, Ladder, path.name)
        if ladder is None:
            continue
        ids = [r.id for r in ladder.rungs]
        if len(set(ids)) != len(ids):
            reading.wrong(path.name, "two rungs share one id")
        for rung in ladder.rungs:
            where = f"{path.name}: {rung.id}"
            reading.orphans(where, rung.faults, faults)
            reading.orphans(where, [e.measure for e in rung.entry], measures)
            reading.orphans(where, rung.demands, DEMANDS)
            if not rung.demands:
                reading.wrong(where, "say what it demands")
            reading.orphans(where, [e.rung for e in rung.entry], ids)
        ladders[ladder.id] = ladder
    return ladders


def _rung(reading: Reading, path: Path, order: int, raw: dict[str, Any]) -> dict[str, Any] | None:
    demand = raw.pop("demand", {})
    missing = [key for key in ("id", "name", "purpose", "steps", "poses", "dose") if key not in raw]
    if missing:
        reading.wrong(path.name, f"rung {order}: {missing[0]} is missing")
        return None
    return {
        **raw,
        "order": order,
        "entry": raw.get("entry", []),
        "hip_demand": demand.get("hip"),
        "balance_demand": demand.get("balance"),
        "transition": demand.get("transition", False),
        "dose": {"reps": None, "hold_s": None, "tempo": "", **raw["dose"]},
    }
