"""Measures: definition, sign, error, band."""

from __future__ import annotations

from typing import Any

from tuning.core.judging.measures import Compare, Measure
from tuning.knowledge.loaders.toml_reader import TomlReader


def load_measures(reading: TomlReader) -> dict[str, Measure]:
    """Every measure by id."""
    measures: dict[str, Measure] = {}
    for path in sorted((reading.folder / "measures").glob("*.toml")):
        tables = reading.toml(path)
        defaults = tables.pop("defaults", {})
        for key, table in tables.items():
            if key in measures:
                reading.wrong(path.name, f"{key}: another file already has a measure of this id")
                continue
            measure = _measure(reading, f"{path.name}: {key}", key, {**defaults, **table})
            if measure is not None:
                measures[key] = measure
    reading.names("measure", measures.values())
    for m in measures.values():
        if m.within and m.within not in measures:
            reading.wrong(m.id, f"within names “{m.within}”, which is no measure")
    return measures


def _measure(reading: TomlReader, where: str, key: str, table: dict[str, Any]) -> Measure | None:
    if table.get("band") == 0:  # says "none is published" over a default
        table = {**table, "band": None}
    m = reading.structure({"id": key, **table}, Measure, where)
    if m is None:
        return None
    if m.band is not None and not m.band_source:
        reading.wrong(where, "band needs a band_source")
    if m.compare is not Compare.ALONE and not (m.sem > 0 and m.sem_source):
        reading.wrong(where, "sem must be above zero and name its source")
    bands = m.reference.by or (m.reference,) if m.reference is not None else ()
    for band in bands:
        if (band.low is None and band.high is None) or not band.source:
            reading.wrong(where, "a usual band needs a low or a high end, and its source")
        elif band.low is not None and band.high is not None and not band.low < band.high:
            reading.wrong(where, "a usual band runs from low to high; with one end leave the other out")
    if m.finding not in ("larger", "smaller"):
        reading.wrong(where, "finding is “larger” or “smaller”")
    if m.better not in ("", "more", "less"):
        reading.wrong(where, "better is “more” or “less”")
    if m.change is not None and not (m.change > 0 and m.change_source):
        reading.wrong(where, "change must be above zero and name its source")
    if m.possible and not m.possible[0] < m.possible[1]:
        reading.wrong(where, "possible must run from low to high")
    return m
