"""Recordings of force plates in C3D files."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import Any

import numpy as np

from tuning.core.errors import BadInput
from tuning.core.force.recording import Recording
from tuning.core.types import Side
from tuning.exchange.csv.mapping import POINT_UNITS
from tuning.exchange.csv.recognise import LEFT_WORDS, RIGHT_WORDS, plain, says
from tuning.exchange.repairs import finish


def _c3d(path: Path) -> Any:
    """The file as the library reads it; without its plates where they are described in a way nobody can follow."""
    import ezc3d  # slow to load, not needed for the first window

    try:
        return ezc3d.c3d(str(path), extract_forceplat_data=True)
    except Exception:  # the library raises bare RuntimeError, ValueError and others for damaged files
        try:
            return ezc3d.c3d(str(path))
        except Exception as err:
            raise BadInput(f"{path.name} is no C3D file that can be read ({err}).") from err


def read_c3d(path: Path) -> Recording:
    """Vertical force of one or two plates from a C3D file: plates of the file, else analog channels named by side.

    Raises BadInput when the file cannot be read or holds no vertical force.
    """
    file = _c3d(path)
    rate = float(file["header"]["analogs"]["frame_rate"])
    plates = file["data"].get("platform", [])
    if plates:
        return _of_c3d_plates(plates[:2], rate)
    labels = [plain(str(label)) for label in file["parameters"]["ANALOG"]["LABELS"]["value"]]
    data = np.asarray(file["data"]["analogs"], float)[0]
    found = {}
    for side, words in ((Side.LEFT, LEFT_WORDS), (Side.RIGHT, RIGHT_WORDS)):
        hits = [n for n, label in enumerate(labels) if "z" in label and says(label, words)]
        if hits:
            found[side] = data[hits[0]]
    if not found:
        kinds = sorted({int(k) for k in file["parameters"].get("FORCE_PLATFORM", {}).get("TYPE", {}).get("value", [])})
        if kinds:
            told = f"The plates of {path.name} are of type {' and '.join(map(str, kinds))}"
            raise BadInput(f"{told}; types 1 to 4 can be read, or channels named left and right.")
        raise BadInput(f"{path.name} holds neither force plates nor analog channels named left or right.")
    return finish(rate, found, [])


def _of_c3d_plates(plates: Sequence[dict[str, Any]], rate: float) -> Recording:
    """Force and point of pressure of the file's own plates, in the frame of the laboratory.

    Two plates lie side by side: the line between them runs to the right, and
    forward is a quarter turn from it, seen from above. Which end is right
    nobody says; the plate with the smaller x (or y) is taken as left.
    """
    # A plate tells what presses on it, mostly downward; here force is what the ground gives back.
    forces = [-f if np.median(f) < 0 else f for f in (np.asarray(p["force"][2], float) for p in plates)]
    to_mm = [POINT_UNITS.get(str(p.get("unit_position", "mm")), 1.0) for p in plates]
    ground = [np.asarray(p["center_of_pressure"], float)[:2].T * k for p, k in zip(plates, to_mm, strict=True)]
    if len(plates) == 1:
        return finish(rate, {Side.LEFT: forces[0]}, ["One plate: say which leg stood on it."], {Side.LEFT: ground[0]})
    middles = [np.mean(np.asarray(p["corners"], float)[:2], axis=1) * k for p, k in zip(plates, to_mm, strict=True)]
    apart = middles[1] - middles[0]
    axis = int(np.argmax(np.abs(apart)))
    order = (0, 1) if apart[axis] >= 0 else (1, 0)
    right = apart * (1 if apart[axis] >= 0 else -1) / np.hypot(*apart)
    turn = np.array([right, [-right[1], right[0]]]).T
    sides = dict(zip((Side.LEFT, Side.RIGHT), order, strict=True))
    note = (
        f"The plate with the smaller {'xy'[axis]} was taken as left; swap the sides if the person faced the other way."
    )
    return finish(
        rate, {s: forces[n] for s, n in sides.items()}, [note], {s: ground[n] @ turn for s, n in sides.items()}
    )
