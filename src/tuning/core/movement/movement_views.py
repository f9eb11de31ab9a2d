"""What pictures of walking and squatting can be read for."""

from __future__ import annotations

from collections.abc import Callable

from tuning.core.pictures import geometry
from tuning.core.pictures.geometry import Marks
from tuning.core.pictures.marks import PictureKind, Recipe, both, medial_x
from tuning.core.types import LEGS, Side

REAR, FRONT = Side.LEFT, Side.RIGHT
"""The patient's side that lies on the left of a rear and of a front view."""

HIGHER = ("right higher", "left higher")
KNEE, MEDIAL = ("valgus", "varus"), ("medial", "lateral")


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


FLAT_FOOT_DEG = 90.0
"""Of a foot on the ground the camera behind sees the forefoot above the heel; beyond, the heel is lifted."""


def _rear_leg(side: Side) -> list[Recipe]:
    chain = (f"buttock_{side}", f"knee_back_{side}", f"heel_{side}")
    foot = (f"heel_{side}", f"toe_{side}")
    rearfoot = (f"knee_back_{side}", f"heel_top_{side}", f"heel_{side}")
    inward = medial_x(REAR, side)

    def deviation(m: Marks) -> float:
        """How far the line leaves its target, degrees."""
        return geometry.bend(_chain(m, chain), inward)

    return [
        Recipe("gait-bkh", side, chain, lambda m: geometry.interior_angle(_chain(m, chain)), smooth=deviation),
        Recipe("gait-bkh-deviation", side, chain, deviation, words=KNEE),
        Recipe(
            "gait-heel-eversion",
            side,
            rearfoot,
            lambda m: geometry.bend(_chain(m, rearfoot), inward),
            words=("everted", "inverted"),
        ),
        Recipe(
            "gait-foot-line",
            side,
            foot,
            lambda m: geometry.lean_from_vertical(m[foot[0]], m[foot[1]], -inward),
            needs_level=True,
            note="projected by the rear view; not the true turn of the foot",
            words=("outward", "inward"),
            most=FLAT_FOOT_DEG,
            beyond="the foot does not stand flat in this frame; read it in mid-stance",
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
            words=MEDIAL,
        ),
    ]


def _side_view(facing: Side) -> PictureKind:
    """Side view; `facing` is the side that the camera sees: toes to the right of the picture for the right side."""
    ahead = 1 if facing is Side.RIGHT else -1
    table: tuple[tuple[str, tuple[str, ...], Callable[[Marks], float], bool], ...] = (
        ("trunk", ("hip", "shoulder"), lambda m: geometry.lean_from_vertical(m["hip"], m["shoulder"], ahead), True),
        ("shin", ("ankle", "knee"), lambda m: geometry.lean_from_vertical(m["ankle"], m["knee"], ahead), True),
        ("hip", ("shoulder", "hip", "knee"), _flexion("shoulder", "hip", "knee"), False),
        ("knee", ("hip", "knee", "ankle"), _flexion("hip", "knee", "ankle"), False),
    )
    return PictureKind(
        "side-l" if facing is Side.LEFT else "side-r",
        "movement",
        f"Movement, {facing} side",
        "Camera level, square to the side, lens at knee height; the whole body in the picture.",
        Side.NONE,
        ("ear", "shoulder", "hip", "knee", "ankle", "heel", "toe", "asis", "psis", "l5"),
        tuple(
            Recipe(f"squat-side-{name}", facing, marks, value_of, needs_level=level)
            for name, marks, value_of, level in table
        ),
        (("ear", "shoulder", "hip", "knee", "ankle"), ("heel", "toe"), ("psis", "asis")),
        {"squat-side-trunk": "trunk", "squat-side-shin": "shin", "squat-side-knee": "knee"},
    )


def _flexion(a: str, joint: str, b: str) -> Callable[[Marks], float]:
    return lambda m: 180 - geometry.interior_angle((m[a], m[joint], m[b]))


def _sole(side: Side) -> Recipe:
    """How far the sole axis of a foot that has just left the ground leans inward at its heel end."""
    heel, toe = f"sole_heel_{side}", f"sole_toe_{side}"
    inward = medial_x(REAR, side)
    return Recipe(
        "gait-heel-whip",
        side,
        (toe, heel),
        lambda m: geometry.lean_from_vertical(m[toe], m[heel], inward),
        needs_level=True,
        words=("heel end inward", "heel end outward"),
    )


def _stance() -> tuple[Recipe, ...]:
    """Feet from straight above, the patient facing up the picture: right is right."""
    heels = ("heel_left", "heel_right")
    turns = [
        Recipe(
            "stance-foot-angle",
            side,
            (f"heel_{side}", f"second_toe_{side}"),
            lambda m, s=side: geometry.lean_from_vertical(  # type: ignore[misc]
                m[f"heel_{s}"], m[f"second_toe_{s}"], 1 if s is Side.RIGHT else -1
            ),
            needs_level=True,
            words=("outward", "inward"),
        )
        for side in LEGS
    ]
    return (
        *turns,
        Recipe(
            "stance-width",
            Side.NONE,
            heels,
            lambda m: float((m["heel_right"] - m["heel_left"])[0]),
            needs_level=True,
            needs_scale=True,
        ),
        Recipe(
            "stance-offset",
            Side.NONE,
            heels,
            lambda m: float((m["heel_left"] - m["heel_right"])[1]),
            needs_level=True,
            needs_scale=True,
            words=("right foot ahead", "left foot ahead"),
        ),
    )


PICTURE_KINDS = (
    PictureKind(
        "rear",
        "movement",
        "Gait from behind",
        "Camera level, square to the back, lens at pelvis height.",
        REAR,
        both("psis", "buttock", "knee_back", "heel", "toe", "heel_top"),
        (tilt("gait-pelvic-tilt", "psis_left", "psis_right"), *(r for side in LEGS for r in _rear_leg(side))),
        (("psis_left", "psis_right"), ("buttock", "knee_back", "heel"), ("heel", "toe")),
        {"gait-pelvic-tilt": "level", "gait-bkh": ""},
    ),
    PictureKind(
        "front",
        "movement",
        "Movement from the front",
        "Camera level, square to the front, lens at knee height.",
        FRONT,
        both("asis", "knee", "ankle", "second_toe", "shoulder"),
        tuple(r for side in LEGS for r in _front_leg(side)),
        (("asis", "knee", "ankle"),),
        {"squat-front-fppa": ""},
    ),
    _side_view(Side.LEFT),
    _side_view(Side.RIGHT),
    PictureKind(
        "rear-sole",
        "movement",
        "Sole after toe-off, from behind",
        "Frames just after toe-off, when the sole faces the camera: mark the middle of heel and forefoot on it, "
        "in six steps of each leg. Every marked frame of the clip is a trial.",
        REAR,
        both("sole_heel", "sole_toe"),
        tuple(_sole(side) for side in LEGS),
        (("sole_toe", "sole_heel"),),
        {"gait-heel-whip": "sole"},
    ),
    PictureKind(
        "stance",
        "movement",
        "Feet before the squat, from above",
        "Camera straight above, patient facing up the picture, feet as set. A floor edge across gives the level.",
        Side.LEFT,
        both("heel", "second_toe"),
        _stance(),
        (("heel", "second_toe"),),
        {"stance-foot-angle": "", "stance-offset": "ahead"},
    ),
    PictureKind(
        "bridge",
        "movement",
        "Bridge with a bar",
        "Light bar across the pelvis, camera level at the foot end; mark both ends of the bar.",
        FRONT,
        both("bar"),
        (),
        (("bar_left", "bar_right"),),
    ),
)
