"""Recordings of force plates, whatever the format."""

from __future__ import annotations

from pathlib import Path

from tuning.core.force.recording import Recording
from tuning.exchange.c3d.plates import read_c3d
from tuning.exchange.csv.mapping import Mapping
from tuning.exchange.csv.plates import read_table


def read_plates(path: Path, mapping: Mapping | None = None) -> Recording:
    """Read a file by its kind. Raises BadInput."""
    if path.suffix.lower() == ".c3d":
        return read_c3d(path)
    return read_table(path, mapping)
