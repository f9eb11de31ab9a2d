"""Reads a C3D file in a process of its own, within limits: `python -m tuning.exchange.c3d.child FILE OUT`.

The library that reads C3D is compiled code which trusts what the file says of itself: a damaged one may end it, make
it loop, or have it ask for any amount of memory. None of that may reach the window.
"""

from __future__ import annotations

import os
import resource
import subprocess
import sys
import tempfile
from pathlib import Path
from typing import Any

import numpy as np

from tuning.core.errors import BadInput

MEMORY, SECONDS, WALL = 2 << 30, 20, 60
"""Bytes of address space, seconds of processor and of clock that a file may take (practice judgement, editable)."""


def read_apart(path: Path) -> dict[str, Any]:
    """What is needed of a C3D file, as arrays by name. Raises BadInput with what became of it."""
    with tempfile.TemporaryDirectory(prefix="tuning-c3d-") as folder:
        out = Path(folder) / "read.npz"
        command = [sys.executable, "-m", "tuning.exchange.c3d.child", str(path.absolute()), str(out)]
        alone = {**os.environ, "OPENBLAS_NUM_THREADS": "1", "OMP_NUM_THREADS": "1"}
        try:
            run = subprocess.run(command, capture_output=True, timeout=WALL, check=False, env=alone, cwd=folder)
        except subprocess.TimeoutExpired as err:
            raise BadInput(
                f"{path.name} is no C3D file that can be read (it never ends). Nothing was changed."
            ) from err
        if run.returncode != 0 or not out.exists():
            told = run.stderr.decode(errors="replace").strip().splitlines()
            why = told[-1][:160] if run.returncode == 1 and told else "it ends the reader or asks for too much memory"
            raise BadInput(f"{path.name} is no C3D file that can be read ({why}). Nothing was kept.")
        with np.load(out, allow_pickle=False) as kept:
            return {name: kept[name] for name in kept.files}


def _c3d(path: str) -> Any:
    """The file as the library reads it; without its plates where they are described in a way nobody can follow."""
    import ezc3d

    try:
        return ezc3d.c3d(path, extract_forceplat_data=True)
    except Exception:  # the library raises bare RuntimeError, ValueError and others for damaged files
        return ezc3d.c3d(path)


def _main(path: str, out: str) -> None:
    resource.setrlimit(resource.RLIMIT_AS, (MEMORY, MEMORY))
    resource.setrlimit(resource.RLIMIT_CPU, (SECONDS, SECONDS))
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    try:
        file = _c3d(path)
        kept: dict[str, Any] = {"rate": float(file["header"]["analogs"]["frame_rate"])}
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
    except Exception as err:
        print(" ".join(str(err).split()) or type(err).__name__, file=sys.stderr)
        sys.exit(1)


if __name__ == "__main__":
    _main(sys.argv[1], sys.argv[2])
