"""Standing posture: what photographs can be read for, and how posture is named."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from tuning.core.movement.movement_views import FRONT, REAR, tilt
from tuning.core.pictures import geometry
from tuning.core.pictures.geometry import Marks
from tuning.core.pictures.marks import PictureKind, Recipe, both, medial_x
from tuning.core.types import LEGS, Floats, Side

MM = 1000.0
AHEAD = ("ahead of the ankle", "behind the ankle")
TO_RIGHT = ("to the right", "to the left")


def _height(measure_id: str, left: str, right: str) -> Recipe:
    """Height of the right mark above the left one, mm."""
    return Recipe(
        measure_id,
        Side.NONE,
        (left, right),
        lambda m: float(m[left][1] - m[right][1]),
        needs_level=True,
        needs_scale=True,
        per_metre=MM,
        words=("right higher", "left higher"),
    )


def _level(stem: str, left: str, right: str) -> list[Recipe]:
    return [_height(stem, left, right), tilt(f"{stem}-tilt", left, right)]


def _sideways(measure_id: str, marks: tuple[str, ...], offset: Callable[[Marks], float]) -> Recipe:
    return Recipe(
        measure_id, Side.NONE, marks, offset, needs_level=True, needs_scale=True, per_metre=MM, words=TO_RIGHT
    )


def _off_line(point: Floats, low: Floats, high: Floats) -> float:
    """Horizontal image distance of a point from the line low-high at its own height."""
    share = (point[1] - low[1]) / (high[1] - low[1])
    return float(point[0] - (low[0] + share * (high[0] - low[0])))


def _heel_line(side: Side) -> Recipe:
    chain = (f"calf_{side}", f"heel_top_{side}", f"heel_{side}")
    inward = medial_x(REAR, side)
    return Recipe(
        "achilles-heel-tilt",
        side,
        chain,
        lambda m: geometry.bend((m[chain[0]], m[chain[1]], m[chain[2]]), inward),
        words=("heel tips outward", "heel tips inward"),
    )


def _blade_distance(side: Side) -> Recipe:
    marks = (f"blade_{side}", "spine_low", "spine_top")
    outward = -medial_x(REAR, side)
    return Recipe(
        "scapula-distance",
        side,
        marks,
        lambda m: outward * _off_line(m[marks[0]], m["spine_low"], m["spine_top"]),
        needs_scale=True,
        per_metre=MM,
    )


def _rear() -> PictureKind:
    recipes = [_heel_line(side) for side in LEGS]
    for stem, name in (("knee-crease-level", "knee_back"), ("pelvis-crest-level", "crest"), ("psis-level", "psis")):
        recipes += _level(stem, *both(name))
    spine = ("spine_mid", "spine_low", "spine_top")
    recipes += [
        _sideways("spine-line", spine, lambda m: _off_line(m["spine_mid"], m["spine_low"], m["spine_top"])),
        _sideways("spine-shift", spine[1:], lambda m: float(m["spine_top"][0] - m["spine_low"][0])),
        _height("scapula-height", *both("blade")),
        *(_blade_distance(side) for side in LEGS),
        tilt("acromion-level", *both("acromion")),
        tilt("head-tilt", *both("ear")),
    ]
    return PictureKind(
        "st-rear",
        "standing",
        "Standing from behind",
        "Bare back and feet, eyes on a mark, no mirror; camera level, square, at pelvis height. Hang a plumb line.",
        REAR,
        (*both("heel", "heel_top", "calf", "knee_back", "psis", "crest"), "spine_low", "spine_mid", "spine_top")
        + both("blade", "acromion", "ear"),
        tuple(recipes),
        (
            ("calf", "heel_top", "heel"),
            ("knee_back_left", "knee_back_right"),
            ("psis_left", "psis_right"),
            ("crest_left", "crest_right"),
            ("spine_low", "spine_mid", "spine_top"),
            ("blade_left", "blade_right"),
            ("acromion_left", "acromion_right"),
            ("ear_left", "ear_right"),
        ),
        {
            "achilles-heel-tilt": "heel",
            "knee-crease-level-tilt": "creases",
            "psis-level-tilt": "PSIS",
            "acromion-level": "shoulders",
            "head-tilt": "head",
        },
    )


def _kneecap(side: Side) -> Recipe:
    marks = (f"kneecap_{side}", f"knee_inner_{side}", f"knee_outer_{side}")

    def share(m: Marks) -> float:
        """How far the kneecap lies inward of the middle of the knee, percent of half its width."""
        cap, inner, outer = (m[name] for name in marks)
        across = inner - outer
        return float(200 * ((cap - (inner + outer) / 2) @ across) / (across @ across))

    return Recipe("kneecap-direction", side, marks, share, words=("faces inward", "faces outward"))


def _knee_line(side: Side) -> Recipe:
    """The line that loaded knee angles are read against, by the same marks: front spine, mid-knee, ankle."""
    marks = (f"asis_{side}", f"knee_inner_{side}", f"knee_outer_{side}", f"ankle_{side}")
    inward = medial_x(FRONT, side)

    def value(m: Marks) -> float:
        """Bend of the line at the knee, degrees."""
        top, inner, outer, ankle = (m[name] for name in marks)
        return geometry.bend((top, (inner + outer) / 2, ankle), inward)

    return Recipe("static-knee-line", side, marks, value, words=("inward", "outward"))


def _front() -> PictureKind:
    ankles = both("ankle")

    def off_feet(*names: str) -> Callable[[Marks], float]:
        """How far the middle of some marks lies to the patient's right of the middle of the ankles, px."""

        def offset(m: Marks) -> float:
            """A front view shows the patient's right on the left of the picture."""
            middle = np.mean([m[name] for name in names], axis=0)
            feet = (m[ankles[0]] + m[ankles[1]]) / 2
            return float(feet[0] - middle[0])

        return offset

    rows = (("pelvis", both("asis")), ("chest", ("notch",)), ("head", ("nose",)))
    recipes = [recipe(side) for recipe in (_kneecap, _knee_line) for side in LEGS]
    recipes += _level("asis-level", *both("asis"))
    recipes += [tilt("shoulder-tilt", *both("shoulder"))]
    recipes += [_sideways(f"plumb-front-{what}", (*names, *ankles), off_feet(*names)) for what, names in rows]
    return PictureKind(
        "st-front",
        "standing",
        "Standing from the front",
        "Feet as they fall, arms hanging; camera level, square, lens at pelvis height.",
        FRONT,
        both("ankle", "kneecap", "knee_inner", "knee_outer", "asis", "shoulder") + ("notch", "nose"),
        tuple(recipes),
        (("asis_left", "asis_right"), ("shoulder_left", "shoulder_right"), ("knee_inner", "kneecap", "knee_outer")),
        {"kneecap-direction": "kneecap", "asis-level-tilt": "front spines", "shoulder-tilt": "shoulders"},
    )


def _side(facing: Side) -> PictureKind:
    """Side view; `facing` is the side that the camera sees."""
    ahead = 1.0 if facing is Side.RIGHT else -1.0

    def offset(name: str) -> Recipe:
        """How far a mark lies ahead of the ankle."""
        return Recipe(
            f"plumb-side-{name}",
            facing,
            (name, "malleolus"),
            lambda m: float(ahead * (m[name][0] - m["malleolus"][0])),
            needs_level=True,
            needs_scale=True,
            per_metre=MM,
            words=AHEAD,
        )

    points = ("knee", "hip", "shoulder", "ear")
    return PictureKind(
        "st-side-l" if facing is Side.LEFT else "st-side-r",
        "standing",
        f"Standing, {facing} side",
        "Arms hanging, eyes on a mark; camera level, square to the side, lens at pelvis height. Hang a plumb line.",
        Side.NONE,
        ("malleolus", *points),
        tuple(offset(name) for name in points),
        (("malleolus", *points),),
        {f"plumb-side-{name}": name for name in points},
    )


PICTURE_KINDS = (_rear(), _side(Side.LEFT), _side(Side.RIGHT), _front())


FOOT_SCORE_BANDS = (
    (-12, "supinated"),
    (0, "neutral"),
    (6, "pronated"),
    (10, "highly pronated"),
)
"""Least total of each band of the six-item score (Redmond 2005)."""


def foot_score_band(total: int) -> str:
    """Band of a six-item total. Raises ValueError outside -12..12."""
    if not -12 <= total <= 12:
        raise ValueError("a six-item total lies between -12 and +12")
    return next(name for least, name in reversed(FOOT_SCORE_BANDS) if total >= least)
