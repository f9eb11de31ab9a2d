"""Mobility: what photographs of test positions can be read for."""

from __future__ import annotations

import math

from tuning.core.pictures import geometry
from tuning.core.pictures.geometry import Marks
from tuning.core.pictures.marks import PictureKind, Recipe, both
from tuning.core.types import LEGS, Floats, Side


def _slope(near: Floats, far: Floats) -> float:
    """Angle of the line near-far above horizontal, degrees, whichever way it runs."""
    dx, dy = far - near
    return math.degrees(math.atan2(-dy, abs(dx)))


def _turn(a: Floats, b: Floats, c: Floats) -> float:
    """Unsigned angle between the directions a-b and a-c, degrees."""
    return geometry.interior_angle((b, a, c))


def _figure4(side: Side) -> Recipe:
    knee, ankle = f"shin_knee_{side}", f"shin_ankle_{side}"
    return Recipe(
        "figure4-shin",
        side,
        (knee, ankle),
        lambda m: _slope(m[ankle], m[knee]),
        needs_level=True,
        words=("knee above the ankle", "knee below the ankle"),
    )


def _wall(side: Side) -> Recipe:
    ankle, knee = f"ankle_{side}", f"shin_knee_{side}"
    return Recipe(
        "knee-to-wall-shin",
        side,
        (ankle, knee),
        lambda m: abs(geometry.lean_from_vertical(m[ankle], m[knee], 1)),
        needs_level=True,
    )


def _shin_turn(side: Side) -> Recipe:
    heel, tape, toe = f"heel_{side}", f"tape_end_{side}", f"second_toe_{side}"
    return Recipe(
        "tibial-rotation-in",
        side,
        (heel, tape, toe),
        lambda m: _turn(m[heel], m[tape], m[toe]),
        note="angle between the tape laid along the resting foot and the turned foot",
    )


def _turnout(side: Side) -> Recipe:
    marks = (f"heel_{side}", f"second_toe_{side}", f"knee_middle_{side}", f"kneecap_{side}")
    # From above and in front with the patient facing up the picture, right is right.
    outward = 1 if side is Side.RIGHT else -1

    def value(m: Marks) -> float:
        """The angle read off the marks, degrees."""
        heel, toe, middle, cap = (m[name] for name in marks)
        foot = geometry.lean_from_vertical(heel, toe, outward)
        return foot - geometry.lean_from_vertical(middle, cap, outward)

    return Recipe("turnout-kneecap", side, marks, value, words=("foot outside the kneecap", "foot inside the kneecap"))


def _great_toe(side: Side) -> Recipe:
    chain = (f"metatarsal_{side}", f"toe_joint_{side}", f"toe_tip_{side}")
    return Recipe(
        "great-toe-ext-passive",
        side,
        chain,
        lambda m: 180 - geometry.interior_angle((m[chain[0]], m[chain[1]], m[chain[2]])),
    )


def _lean(measure_id: str, way: int) -> Recipe:
    marks = ("malleolus", "shoulder", "toe")

    def value(m: Marks) -> float:
        """The angle read off the marks, degrees."""
        ahead = 1 if m["toe"][0] > m["malleolus"][0] else -1
        return geometry.lean_from_vertical(m["malleolus"], m["shoulder"], ahead * way)

    return Recipe(measure_id, Side.NONE, marks, value, needs_level=True)


def _picture_kind(
    identity: str,
    title: str,
    how: str,
    landmarks: tuple[str, ...],
    recipes: tuple[Recipe, ...],
    chain: tuple[str, ...],
    image_left: Side = Side.NONE,
) -> PictureKind:
    tags = {recipe.measure_id: "" for recipe in recipes}
    return PictureKind(identity, "mobility", title, how, image_left, landmarks, recipes, (chain,), tags)


PICTURE_KINDS = (
    _picture_kind(
        "figure4",
        "Resting figure-4",
        "Patient on the back; camera level, from the foot end, square to the shin. Mark the bed edge as a floor edge.",
        both("shin_ankle", "shin_knee"),
        tuple(_figure4(side) for side in LEGS),
        ("shin_ankle", "shin_knee"),
    ),
    _picture_kind(
        "wall",
        "Knee to wall from the side",
        "Camera level, square to the shin, lens at shin height.",
        both("ankle", "shin_knee"),
        tuple(_wall(side) for side in LEGS),
        ("ankle", "shin_knee"),
    ),
    _picture_kind(
        "shin-turn",
        "Seated shin turn from above",
        "Lay a tape along the resting foot, heel to second toe; turn in; camera straight above.",
        both("heel", "tape_end", "second_toe"),
        tuple(_shin_turn(side) for side in LEGS),
        ("tape_end", "heel", "second_toe"),
    ),
    _picture_kind(
        "turnout",
        "Foot against kneecap from above",
        "Camera straight above, patient facing up the picture, feet as they fall.",
        both("heel", "second_toe", "knee_middle", "kneecap"),
        tuple(_turnout(side) for side in LEGS),
        ("heel", "second_toe"),
        Side.LEFT,
    ),
    _picture_kind(
        "toe-ext",
        "Great toe from the side",
        "Weight on the foot, toe lifted by hand; camera square to the inner edge of the foot.",
        both("metatarsal", "toe_joint", "toe_tip"),
        tuple(_great_toe(side) for side in LEGS),
        ("metatarsal", "toe_joint", "toe_tip"),
    ),
    _picture_kind(
        "lean-fwd",
        "Lean forward",
        "Side view, whole body, last point that can be held; spotter ready.",
        ("malleolus", "shoulder", "toe"),
        (_lean("lean-limit-forward", 1),),
        ("malleolus", "shoulder"),
    ),
    _picture_kind(
        "lean-back",
        "Lean back",
        "Side view, whole body, last point that can be held; spotter ready.",
        ("malleolus", "shoulder", "toe"),
        (_lean("lean-limit-back", -1),),
        ("malleolus", "shoulder"),
    ),
)
