"""Recordings of force plates in C3D files."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path
from typing import Any

import numpy as np

from tuning.core.errors import BadInput
from tuning.core.force.recording import Recording
from tuning.core.types import Side
from tuning.exchange.c3d.subprocess_reader import read_apart
from tuning.exchange.csv.detect_columns import LEFT_WORDS, RIGHT_WORDS, plain, says
from tuning.exchange.csv.mapping import POINT_UNITS
from tuning.exchange.force_cleaning import finish


def read_c3d(path: Path) -> Recording:
    """Vertical force of one or two plates from a C3D file: plates of the file, else analog channels named by side.

    Raises BadInput when the file cannot be read or holds no vertical force.
    """
    read = read_apart(path)
    rate = float(read["rate"])
    found, promised = read["frames"].tolist()
    notes = [f"{path.name} breaks off: {100 * found / promised:.0f} % of it is there."] if found < promised else []
    if "force0" in read:
        return _of_c3d_plates(read, rate, notes)
    labels = [plain(str(label)) for label in read["labels"]]
    named = {}
    for side, words in ((Side.LEFT, LEFT_WORDS), (Side.RIGHT, RIGHT_WORDS)):
        hits = [n for n, label in enumerate(labels) if "z" in label and says(label, words)]
        if hits and hits[0] < len(read["analogs"]):
            named[side] = read["analogs"][hits[0]]
    if not named:
        kinds = [int(k) for k in read["types"]]
        if kinds:
            told = f"The plates of {path.name} are of type {' and '.join(map(str, kinds))}"
            raise BadInput(f"{told}; types 1 to 4 can be read, or channels named left and right.")
        raise BadInput(f"{path.name} holds neither force plates nor analog channels named left or right.")
    return finish(rate, named, notes)


def _of_c3d_plates(read: Mapping[str, Any], rate: float, notes: list[str]) -> Recording:
    """Force and point of pressure of the file's own plates, in the frame of the laboratory.

    Two plates lie side by side: the line between them runs to the right, and
    forward is a quarter turn from it, seen from above. Which end is right
    nobody says; the plate with the smaller x (or y) is taken as left.
    """
    # A plate tells what presses on it, mostly downward; here force is what the ground gives back.
    count = 2 if "force1" in read else 1
    forces = [-f if np.median(f) < 0 else f for f in (read[f"force{n}"] for n in range(count))]
    to_mm = [POINT_UNITS.get(str(read[f"unit{n}"]), 1.0) for n in range(count)]
    ground = [read[f"pressure{n}"].T * to_mm[n] for n in range(count)]
    if count == 1:
        return finish(rate, {Side.LEFT: forces[0]}, notes, {Side.LEFT: ground[0]}, unnamed=True)
    middles = [np.mean(read[f"corners{n}"], axis=1) * to_mm[n] for n in range(count)]
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
        rate, {s: forces[n] for s, n in sides.items()}, [*notes, note], {s: ground[n] @ turn for s, n in sides.items()}
    )
