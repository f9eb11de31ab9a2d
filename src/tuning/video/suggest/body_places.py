"""Where on a body each landmark is looked for, seen from behind, from the front and from a side."""

from __future__ import annotations

from collections.abc import Mapping
from typing import NamedTuple

import numpy as np

from tuning.core.types import LEGS, Floats, Side
from tuning.video.suggest.body_model import ANKLES, EARS, HEELS, HIPS, KNEES, SHOULDERS, TOES, BodyPose

REAR, FRONT, LEFT, RIGHT = VIEWS = ("rear", "front", "left", "right")
SIDES = (LEFT, RIGHT)
SEEN_FROM = {REAR: "from behind", FRONT: "from the front", LEFT: "from the left", RIGHT: "from the right"}
NARROW = 0.42
"""Shoulders nearer together than this part of the trunk are seen from the side (practice judgement, editable)."""


class Place(NamedTuple):
    """From which joint, or the middle of both, how far outward (ahead, in a side view) and up, and how far off it may
    lie either way (SD): all in trunk lengths, hips to shoulders. Measured on rendered people, widened for real ones."""

    joint: tuple[int, int]
    outward: float
    upward: float
    off: tuple[float, float]
    middle: bool = False


REAR_PLACES = {
    "psis": Place(HIPS, 0.13, 0.28, (0.05, 0.09), middle=True),
    "buttock": Place(HIPS, 0.02, -0.05, (0.06, 0.08)),
    "knee_back": Place(KNEES, -0.01, 0.0, (0.05, 0.08)),
    "heel_top": Place(ANKLES, -0.02, 0.08, (0.06, 0.12)),
    "heel": Place(HEELS, -0.03, 0.08, (0.07, 0.15)),
    "toe": Place(TOES, 0.07, 0.02, (0.09, 0.12)),
}
FRONT_PLACES = {
    "asis": Place(HIPS, 0.24, 0.16, (0.05, 0.08), middle=True),
    "knee": Place(KNEES, -0.01, -0.04, (0.05, 0.07)),
    "ankle": Place(ANKLES, 0.01, -0.05, (0.05, 0.07)),
    "second_toe": Place(TOES, 0.02, 0.06, (0.06, 0.08)),
    "shoulder": Place(SHOULDERS, 0.0, 0.0, (0.08, 0.08)),
}
SIDE_PLACES = {
    "ear": Place(EARS, 0.0, 0.0, (0.08, 0.08)),
    "shoulder": Place(SHOULDERS, 0.0, 0.0, (0.10, 0.10)),
    "hip": Place(HIPS, 0.0, -0.02, (0.09, 0.09)),
    "knee": Place(KNEES, -0.03, -0.02, (0.07, 0.08)),
    "ankle": Place(ANKLES, 0.0, -0.03, (0.06, 0.07)),
    "heel": Place(HEELS, 0.0, 0.0, (0.07, 0.07)),
    "toe": Place(TOES, 0.0, 0.03, (0.08, 0.07)),
    "asis": Place(HIPS, 0.13, 0.17, (0.07, 0.07)),
    "psis": Place(HIPS, -0.13, 0.20, (0.07, 0.07)),
}


def view_of(pose: BodyPose) -> str:
    """From where a person is seen: the order of left and right tells behind from in front."""
    length = float(np.linalg.norm(pose.trunk))
    shoulders, hips = pose.pair(SHOULDERS), pose.pair(HIPS)
    across = float((shoulders[0] - shoulders[1])[0] + (hips[0] - hips[1])[0])
    wide = float(np.hypot(*(shoulders[0] - shoulders[1])))
    if wide < NARROW * length:
        ahead = float((pose.pair(TOES) - pose.pair(HEELS))[:, 0].sum())
        return RIGHT if ahead > 0 else LEFT
    return FRONT if across > 0 else REAR


def expected(pose: BodyPose, view: str) -> dict[str, tuple[Floats, Floats]]:
    """For every landmark of a view its place (px) and the axes (2, 2) along which a find is off by one SD."""
    up = pose.trunk
    length = float(np.linalg.norm(up))
    up = up / length
    sideways = np.array([-up[1], up[0]])
    sideways = sideways if sideways[0] > 0 else -sideways  # towards the right of the picture
    made = {}
    for side, joint, outward in _legs(pose, view, sideways):
        for stem, place in _table(view).items():
            pair = pose.pair(place.joint)
            start = pair.mean(axis=0) if place.middle else pair[joint]
            at = start + length * (place.outward * outward + place.upward * up)
            axes = np.stack([outward / place.off[0], up / place.off[1]]) / length
            made[stem if view in SIDES else f"{stem}_{side.value}"] = (at, axes)
    return made


def _table(view: str) -> Mapping[str, Place]:
    return {REAR: REAR_PLACES, FRONT: FRONT_PLACES}.get(view, SIDE_PLACES)


def _legs(pose: BodyPose, view: str, sideways: Floats) -> list[tuple[Side, int, Floats]]:
    """Sides with the model's joint and the way outward (ahead); the view says which side is which, whatever the model
    took for left."""
    if view in SIDES:
        side = Side(view)
        return [(side, LEGS.index(side), sideways if side is Side.RIGHT else -sideways)]
    hips = pose.pair(HIPS)
    exchanged = bool((hips[0, 0] < hips[1, 0]) != (view == REAR))
    made = []
    for side in LEGS:
        joint = LEGS.index(side.other if exchanged else side)
        to_left = (side is Side.LEFT) == (view == REAR)
        made.append((side, joint, -sideways if to_left else sideways))
    return made
