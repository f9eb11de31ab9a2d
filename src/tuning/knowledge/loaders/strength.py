"""What strength is set against."""

from __future__ import annotations

from collections.abc import Mapping

from tuning.core.judging.measures import Measure
from tuning.core.strength.trials import StrengthTable
from tuning.knowledge.loaders.toml_reader import TomlReader


def load_strength(reading: TomlReader, measures: Mapping[str, Measure]) -> StrengthTable | None:
    """Bands of pain and ratios of two tests."""
    path = reading.folder / "strength.toml"
    table = reading.structure(reading.toml(path), StrengthTable, path.name)
    if table is None:
        return None
    tops = [band.top for band in table.pain]
    if tops != sorted(set(tops)) or not tops or tops[-1] != 10:
        reading.wrong(path.name, "the pain bands must rise and end at 10")
    reading.orphans(path.name, [m for r in table.ratio for m in (r.upper, r.lower)], measures)
    return table
