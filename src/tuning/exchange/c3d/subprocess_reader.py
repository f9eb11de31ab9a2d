"""Reads a C3D file within limits: `python -m tuning.exchange.c3d.subprocess_reader FILE OUT`."""

from __future__ import annotations

import os
import sys
from functools import partial
from pathlib import Path
from typing import Any, Literal

import numpy as np

from tuning.core.errors import BadInput
from tuning.sandbox import limited, trouble
from tuning.scratch import scratch_folder


def read_apart(path: Path) -> dict[str, Any]:
    """What is needed of a C3D file, as arrays by name. Raises BadInput with what became of it."""
    with scratch_folder("c3d") as folder:
        out = folder / "read.npz"
        why = trouble("tuning.exchange.c3d.subprocess_reader", str(path.absolute()), str(out), cwd=str(folder))
        if why or not out.exists():
            raise BadInput(f"{path.name} is not a readable C3D file ({why[:160]}). Nothing was saved.")
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


def _labels(file: Any) -> list[str]:
    return [str(label) for label in file["parameters"]["ANALOG"]["LABELS"]["value"]]


def _channels(file: Any, plate: int) -> list[int]:
    """Places of a plate's channels among the analog ones, from 0."""
    told = np.asarray(file["parameters"]["FORCE_PLATFORM"]["CHANNEL"]["value"], dtype=int)
    own = told[:, plate] if told.ndim == 2 and plate < told.shape[1] else np.zeros(0, dtype=int)
    return [int(n) - 1 for n in own if 0 < n <= len(_labels(file))]


NO_ZERO, SET_TO_ZERO, STOOD_ON = 0, 1, 2
"""What became of the frames that a file names for its empty plates: none, subtracted, or somebody stood there."""
STANDS_SHARE, STANDS_N = 0.15, 100.0
"""Force of this share of a plate's greatest, and so many newtons, is a person and no offset (practice judgement)."""


def _zeroed(path: str, out: str) -> tuple[Any, int]:
    """The file, and what became of the frames that it names for its empty plates.

    ZERO holds the first and the last of them, counted from 1, and 0 where there are none (C3D format, public); the
    library does not subtract it. Its plates are computed from the channels, so the channels are set to zero.
    """
    file = _c3d(path)
    group = file["parameters"].get("FORCE_PLATFORM", {})
    told = [int(n) for n in np.ravel(group.get("ZERO", {}).get("value", []))]
    count = max(1, file["data"]["points"].shape[2])
    each = file["data"]["analogs"].shape[2] // count
    if not file["data"].get("platform") or len(told) < 2 or not 1 <= told[0] <= told[1] <= count:
        return file, NO_ZERO
    frames = slice((told[0] - 1) * each, told[1] * each)
    for plate in file["data"]["platform"]:
        force = np.abs(np.asarray(plate["force"][2], float))
        if float(force[frames].mean()) > max(STANDS_N, STANDS_SHARE * float(np.nanpercentile(force, 99))):
            return file, STOOD_ON
    signals = file["data"]["analogs"]
    own = sorted({k for n in range(len(file["data"]["platform"])) for k in _channels(file, n)})
    signals[0, own] -= signals[0, own, frames].mean(axis=1, keepdims=True)
    file["parameters"]["FORCE_PLATFORM"]["ZERO"]["value"] = [0, 0]
    again = f"{out}.c3d"
    file.write(again)
    return _c3d(again), SET_TO_ZERO


def _read(path: str, out: str) -> None:
    file, zero = _zeroed(path, out)
    kept: dict[str, Any] = {"rate": float(file["header"]["analogs"]["frame_rate"]), "zero": np.asarray(zero)}
    kept["frames"] = np.asarray([file["data"]["points"].shape[2], announced(path)])
    plates = file["data"].get("platform", [])
    kept["plates"] = np.asarray(len(plates))
    for n, plate in enumerate(plates):
        kept[f"names{n}"] = np.asarray(" ".join(_labels(file)[k] for k in _channels(file, n)), dtype=str)
        kept[f"force{n}"] = np.asarray(plate["force"][2], float)
        kept[f"pressure{n}"] = np.asarray(plate["center_of_pressure"], float)[:2]
        kept[f"corners{n}"] = np.asarray(plate["corners"], float)[:2]
        kept[f"unit{n}"] = np.asarray(str(plate.get("unit_position", "mm")))
    if not plates:
        kept["labels"] = np.asarray(_labels(file), dtype=str)
        kept["analogs"] = np.asarray(file["data"]["analogs"], float)[0]
        told = file["parameters"].get("FORCE_PLATFORM", {}).get("TYPE", {}).get("value", [])
        kept["types"] = np.asarray(sorted({int(k) for k in told}), dtype=int)
    np.savez(out, **kept)


def seconds_for(size: int) -> int:
    """Of the processor, for a file of so many bytes: a damaged one of a kilobyte loops as long as it is let."""
    return 5 + size // 5_000_000


if __name__ == "__main__":
    limited(partial(_read, sys.argv[1], sys.argv[2]), seconds=seconds_for(os.path.getsize(sys.argv[1])))
