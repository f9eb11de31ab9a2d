"""Reads a C3D file within limits: `python -m tuning.exchange.c3d.subprocess_reader FILE OUT`."""

from __future__ import annotations

import sys
import tempfile
from functools import partial
from pathlib import Path
from typing import Any, Literal

import numpy as np

from tuning.core.errors import BadInput
from tuning.sandbox import limited, trouble


def read_apart(path: Path) -> dict[str, Any]:
    """What is needed of a C3D file, as arrays by name. Raises BadInput with what became of it."""
    with tempfile.TemporaryDirectory(prefix="tuning-c3d-") as folder:
        out = Path(folder) / "read.npz"
        why = trouble("tuning.exchange.c3d.subprocess_reader", str(path.absolute()), str(out), cwd=folder)
        if why or not out.exists():
            raise BadInput(f"{path.name} is no C3D file that can be read ({why[:160]}). Nothing was kept.")
        with np.load(out, allow_pickle=False) as kept:
            return {name: kept[name] for name in kept.files}


def _c3d(path: str) -> Any:
    """The file as the library reads it; without its plates where they are described in a way nobody can follow."""
    import ezc3d

    try:
        return ezc3d.c3d(path, extract_forceplat_data=True)
    except Exception:  # the library raises bare RuntimeError, ValueError and others for damaged files
        return ezc3d.c3d(path)


BIG_ENDIAN = 86
"""Processor that wrote the file, as its parameters begin (84 and 85 put the low byte first)."""


def announced(path: str) -> int:
    """Frames that the header promises; the library tells only what it found. 0 where it promises none.

    Words 4 and 5 are the first and the last frame (C3D format, public); a recording of more than 65,535 frames does
    not fit into them and promises less than it holds.
    """
    with open(path, "rb") as file:
        head = file.read(512)
        file.seek(512 * (head[0] - 1) + 3)
        order: Literal["big", "little"] = "big" if file.read(1) == bytes([BIG_ENDIAN]) else "little"
    first, last = (int.from_bytes(head[n : n + 2], order) for n in (6, 8))
    return max(0, last - first + 1) if last else 0


def _read(path: str, out: str) -> None:
    file = _c3d(path)
    kept: dict[str, Any] = {"rate": float(file["header"]["analogs"]["frame_rate"])}
    kept["frames"] = np.asarray([file["data"]["points"].shape[2], announced(path)])
    plates = file["data"].get("platform", [])[:2]
    for n, plate in enumerate(plates):
        kept[f"force{n}"] = np.asarray(plate["force"][2], float)
        kept[f"pressure{n}"] = np.asarray(plate["center_of_pressure"], float)[:2]
        kept[f"corners{n}"] = np.asarray(plate["corners"], float)[:2]
        kept[f"unit{n}"] = np.asarray(str(plate.get("unit_position", "mm")))
    if not plates:
        kept["labels"] = np.asarray([str(v) for v in file["parameters"]["ANALOG"]["LABELS"]["value"]], dtype=str)
        kept["analogs"] = np.asarray(file["data"]["analogs"], float)[0]
        told = file["parameters"].get("FORCE_PLATFORM", {}).get("TYPE", {}).get("value", [])
        kept["types"] = np.asarray(sorted({int(k) for k in told}), dtype=int)
    np.savez(out, **kept)


if __name__ == "__main__":
    limited(partial(_read, sys.argv[1], sys.argv[2]))
