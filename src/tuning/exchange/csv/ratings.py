"""Repeated readings of the same targets from a table: columns target, rater, value, and trial where there is one."""

from __future__ import annotations

import csv
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from tuning.core.errors import BadInput
from tuning.core.types import Floats
from tuning.exchange.csv.detect_columns import SEPARATORS, text_of
from tuning.exchange.csv.number_cells import number

NEEDED = ("target", "rater", "value")


@dataclass(frozen=True)
class Ratings:
    """Readings by target, rater and trial, in the order of the file."""

    values: dict[tuple[str, str, str], float]

    def names(self, part: int) -> list[str]:
        """Targets (0), raters (1) or trials (2)."""
        return list(dict.fromkeys(key[part] for key in self.values))

    def by_rater(self) -> tuple[list[str], Floats, int]:
        """Targets that every rater read, the mean of each rater's trials (n, raters), and how many were left out."""
        targets, raters = self.names(0), self.names(1)
        cells = {
            (t, r): [v for (a, b, _), v in self.values.items() if (a, b) == (t, r)] for t in targets for r in raters
        }
        whole = [t for t in targets if all(cells[t, r] for r in raters)]
        table = np.array([[float(np.mean(cells[t, r])) for r in raters] for t in whole]).reshape(
            len(whole), len(raters)
        )
        return whole, table, len(targets) - len(whole)

    def of_rater(self, rater: str) -> tuple[Floats, int]:
        """One rater's trials of each target (n, trials), and how many targets lack one."""
        targets = [t for t in self.names(0) if any(key[:2] == (t, rater) for key in self.values)]
        trials = [trial for trial in self.names(2) if any(key[1:] == (rater, trial) for key in self.values)]
        whole = [t for t in targets if all((t, rater, trial) in self.values for trial in trials)]
        table = np.array([[self.values[t, rater, trial] for trial in trials] for t in whole])
        return table.reshape(len(whole), len(trials)), len(targets) - len(whole)


def read_ratings(path: Path) -> Ratings:
    """Read a table of ratings. Raises BadInput with the line for what is missing, doubled or no number."""
    lines = [line for line in text_of(path)[0].splitlines() if line.strip()]
    separator = max(SEPARATORS, key=lines[0].count)
    rows = list(csv.DictReader(lines, delimiter=separator))
    names = {name.strip().lower(): name for name in (rows[0] if rows else {}) if name}
    missing = [name for name in NEEDED if name not in names]
    if missing:
        raise BadInput(f"{path.name} has no column {' and no column '.join(missing)}; needed are {', '.join(NEEDED)}.")
    found = dict[tuple[str, str, str], float]()
    for line, row in enumerate(rows, start=2):
        cells = {name: (row.get(column) or "").strip() for name, column in names.items()}
        value = number(cells["value"], "," if separator != "," and "," in cells["value"] else ".")
        if not cells["target"] or not cells["rater"]:
            raise BadInput(f"{path.name}, line {line}: target or rater is empty.")
        if not np.isfinite(value):
            raise BadInput(f"{path.name}, line {line}: “{cells['value']}” is no number.")
        key = (cells["target"], cells["rater"], cells.get("trial") or "1")
        if key in found:
            raise BadInput(f"{path.name}, line {line}: {key[1]} has read {key[0]} in trial {key[2]} twice.")
        found[key] = value
    return Ratings(found)
