"""Recordings of force plates in C3D files."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path
from typing import Any

import numpy as np

from tuning.core.errors import BadInput
from tuning.core.force.recording import Recording
from tuning.core.types import LEGS, Side
from tuning.exchange.c3d.subprocess_reader import SET_TO_ZERO, STOOD_ON, read_apart
from tuning.exchange.csv.detect_columns import LEFT_WORDS, RIGHT_WORDS, plain, says
from tuning.exchange.csv.mapping import POINT_UNITS
from tuning.exchange.force_cleaning import IDLE_N, finish


def read_c3d(path: Path) -> Recording:
    """Vertical force of one or two plates from a C3D file: plates of the file, else analog channels named by side.

    Raises BadInput when the file cannot be read or holds no vertical force.
    """
    read = read_apart(path)
    rate = float(read["rate"])
    found, promised = read["frames"].tolist()
    notes = [f"{path.name} breaks off: {100 * found / promised:.0f} % of it is there."] if found < promised else []
    if int(read["plates"]):
        return _of_c3d_plates(read, rate, notes, path.name)
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


ZERO_NOTES = {
    SET_TO_ZERO: "The plates were set to zero over the frames that the file names for it.",
    STOOD_ON: "A person stood on a plate in the frames that the file names as empty; they were not used for zero.",
}


def _of_c3d_plates(read: Mapping[str, Any], rate: float, notes: list[str], name: str) -> Recording:
    """Force and centre of pressure of the file's own plates, in the frame of the laboratory.

    A plate that nobody stood on is left out where there are more than two. Two plates lie side by side: the line
    between them runs to the right, and forward is a quarter turn from it, seen from above. Which end is right their
    channels may say; else the plate with the smaller x (or y) is taken as left. Raises BadInput for more than two.
    """
    if int(read["zero"]) in ZERO_NOTES:
        notes = [*notes, ZERO_NOTES[int(read["zero"])]]
    # A plate tells what presses on it, mostly downward; here force is what the ground gives back.
    forces = [-f if np.median(f) < 0 else f for f in (read[f"force{n}"] for n in range(int(read["plates"])))]
    used = [n for n, f in enumerate(forces) if len(forces) <= 2 or float(np.percentile(np.abs(f), 99)) > IDLE_N]
    if len(used) < len(forces):
        left_out = ", ".join(str(n + 1) for n in range(len(forces)) if n not in used)
        notes = [*notes, f"Plates that nobody stood on were left out: {left_out} of {len(forces)}."]
    if len(used) > 2:
        raise BadInput(
            f"{name} holds {len(used)} plates that were stood on ({', '.join(str(n + 1) for n in used)}); a leg stands "
            "on one plate, so export two of them, or the sum of those under each leg."
        )
    if not used:
        raise BadInput(f"{name} holds {len(forces)} plates, and nobody stood on any of them.")
    to_mm = {n: POINT_UNITS.get(str(read[f"unit{n}"]), 1.0) for n in used}
    ground = {n: read[f"pressure{n}"].T * to_mm[n] for n in used}
    named = {n: _side_of(plain(str(read[f"names{n}"]))) for n in used}
    if len(used) == 1:
        (n,), told = used, named[used[0]]
        side = told if told is not None else Side.LEFT
        return finish(rate, {side: forces[n]}, notes, {side: ground[n]}, unnamed=told is None)
    apart = np.subtract(*(np.mean(read[f"corners{n}"], axis=1) * to_mm[n] for n in reversed(used)))
    axis = int(np.argmax(np.abs(apart)))
    order = used if apart[axis] >= 0 else used[::-1]
    if {named[n] for n in used} == set(LEGS):
        order = sorted(used, key=lambda n: LEGS.index(named[n] or Side.LEFT))
        apart = apart if order == used else -apart
        notes = [*notes, "Which plate is which leg's was read from the channel names."]
    else:
        apart = apart * (1 if apart[axis] >= 0 else -1)
        smaller = f"The plate with the smaller {'xy'[axis]} was taken as left"
        notes = [*notes, f"{smaller}; swap the sides if the person faced the other way."]
    right = apart / np.hypot(*apart)
    turn = np.array([right, [-right[1], right[0]]]).T
    sides = dict(zip(LEGS, order, strict=True))
    return finish(
        rate, {s: forces[n] for s, n in sides.items()}, notes, {s: ground[n] @ turn for s, n in sides.items()}
    )


def _side_of(names: str) -> Side | None:
    """The leg that the names of a plate's channels say; None where they say none, or both."""
    left, right = says(names, LEFT_WORDS), says(names, RIGHT_WORDS)
    return None if left == right else Side.LEFT if left else Side.RIGHT
