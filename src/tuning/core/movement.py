"""What pictures of walking and squatting can be read for."""

from __future__ import annotations

from tuning.core import geometry
from tuning.core.geometry import Marks
from tuning.core.marks import Protocol, Recipe, both, medial_x
from tuning.core.types import LEGS, Side

REAR, FRONT = Side.LEFT, Side.RIGHT
"""The patient's side that lies on the left of a rear and of a front view."""

HIGHER = ("right higher", "left higher")
KNEE = ("knee inward", "knee outward")


def _chain(marks: Marks, names: tuple[str, str, str]) -> geometry.Chain:
    return marks[names[0]], marks[names[1]], marks[names[2]]


def tilt(measure_id: str, left: str, right: str) -> Recipe:
    """Tilt of the line between two marks, + when right is higher."""
    return Recipe(
        measure_id,
        Side.NONE,
        (left, right),
        lambda m: geometry.right_higher_tilt(m[left], m[right]),
        needs_level=True,
        words=HIGHER,
    )


def _rear_leg(side: Side) -> list[Recipe]:
    chain = (f"buttock_{side}", f"knee_back_{side}", f"heel_{side}")
    foot = (f"heel_{side}", f"toe_{side}")
    inward = medial_x(REAR, side)

    def deviation(m: Marks) -> float:
        return geometry.bend(_chain(m, chain), inward)

    return [
        Recipe("gait-bkh", side, chain, lambda m: geometry.interior_angle(_chain(m, chain)), smooth=deviation),
        Recipe("gait-bkh-deviation", side, chain, deviation, words=KNEE),
        Recipe(
            "gait-foot-line",
            side,
            foot,
            lambda m: geometry.lean_from_vertical(m[foot[0]], m[foot[1]], -inward),
            needs_level=True,
            note="projected by the rear view; not the true turn of the foot",
            words=("outward", "inward"),
        ),
    ]


def _front_leg(side: Side) -> list[Recipe]:
    chain = (f"asis_{side}", f"knee_{side}", f"ankle_{side}")
    line = (f"knee_{side}", f"second_toe_{side}")
    inward = medial_x(FRONT, side)
    return [
        Recipe("squat-front-fppa", side, chain, lambda m: geometry.bend(_chain(m, chain), inward), words=KNEE),
        Recipe(
            "squat-front-knee-offset",
            side,
            line,
            lambda m: float((m[line[0]] - m[line[1]])[0] * inward),
            needs_level=True,
            needs_scale=True,
            words=KNEE,
        ),
    ]


PROTOCOLS = (
    Protocol(
        "rear",
        "movement",
        "Walking from behind",
        "Camera level, square to the back, lens at pelvis height.",
        REAR,
        both("psis", "buttock", "knee_back", "heel", "toe", "heel_top"),
        (tilt("gait-pelvic-tilt", "psis_left", "psis_right"), *(r for side in LEGS for r in _rear_leg(side))),
        (("psis_left", "psis_right"), ("buttock", "knee_back", "heel"), ("heel", "toe")),
        {"gait-pelvic-tilt": "level", "gait-bkh": "", "gait-foot-line": "foot"},
    ),
    Protocol(
        "front",
        "movement",
        "Squat from the front",
        "Camera level, square to the front, lens at knee height.",
        FRONT,
        both("asis", "knee", "ankle", "second_toe", "shoulder"),
        tuple(r for side in LEGS for r in _front_leg(side)),
        (("asis", "knee", "ankle"),),
        {"squat-front-fppa": ""},
    ),
)
