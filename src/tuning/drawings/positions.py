"""Drawn test positions and the six foot criteria, in the hand of `figure`.

Stature units, x to the right, y up. Angles and lengths that are read off are
part of the drawing.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass

from tuning.core.pose import Point
from tuning.drawings.figure import Outline, box, ellipse, foot, limb, smooth


@dataclass(frozen=True)
class PositionDrawing:
    """Outlines, angles to read (vertex, two ends) and lengths to read (two ends)."""

    shapes: tuple[Outline, ...]
    angles: tuple[tuple[Point, Point, Point], ...] = ()
    lengths: tuple[tuple[Point, Point], ...] = ()
    dots: tuple[Point, ...] = ()


def _at(start: Point, degrees: float, length: float) -> Point:
    """The point so far from `start`, degrees from straight up, clockwise."""
    turn = math.radians(degrees)
    return start[0] + length * math.sin(turn), start[1] + length * math.cos(turn)


def _figure4() -> PositionDrawing:
    ankle, knee = (0.0, 0.3), (0.235, 0.375)
    shapes = (
        box(-0.3, 0.42, -0.03, -0.005),
        ellipse((0.06, 0.1), 0.14, 0.09),
        limb((0.13, 0.12), knee, 0.055, 0.04, far=True),
        limb((0.0, 0.27), (0.0, 0.05), 0.04, 0.024),
        ellipse((0.0, 0.03), 0.03, 0.03),
        limb(knee, ankle, 0.04, 0.024),
        limb(ankle, (-0.075, 0.285), 0.022, 0.015),
    )
    return PositionDrawing(shapes, ((ankle, (0.26, 0.3), knee),))


def _ninety() -> PositionDrawing:
    front_knee, rear_knee = (0.05, 0.245), (0.27, -0.06)
    shapes = (
        limb((-0.05, 0.0), front_knee, 0.06, 0.04),
        limb(front_knee, (-0.19, 0.245), 0.04, 0.024),
        foot((-0.19, 0.26), (-0.3, 0.2), (-0.19, 0.245)),
        limb((0.05, -0.02), rear_knee, 0.06, 0.04),
        limb(rear_knee, (0.27, -0.3), 0.04, 0.024),
        foot((0.255, -0.3), (0.34, -0.38), (0.27, -0.3)),
        ellipse((0.0, -0.01), 0.1, 0.07),
        ellipse((0.0, 0.02), 0.14, 0.055),
        ellipse((0.0, 0.03), 0.05, 0.062),
    )
    return PositionDrawing(
        shapes, ((front_knee, (-0.19, 0.245), (-0.05, 0.0)), (rear_knee, (0.27, -0.3), (0.05, -0.02)))
    )


def _prone() -> PositionDrawing:
    left, right = (-0.08, 0.05), (0.08, 0.05)
    turned = _at(right, 35, 0.246)
    shapes = (
        box(-0.34, 0.34, -0.03, -0.005),
        ellipse((0.0, 0.1), 0.16, 0.09),
        limb(left, (-0.08, 0.296), 0.04, 0.024),
        ellipse((-0.08, 0.32), 0.026, 0.035),
        limb(right, turned, 0.04, 0.024),
        ellipse(_at(right, 35, 0.27), 0.026, 0.035, -35),
    )
    return PositionDrawing(shapes, ((right, (0.08, 0.32), turned),))


def _hang() -> PositionDrawing:
    hip, knee = (0.0, 0.09), (0.235, 0.03)
    shapes = (
        box(-0.62, 0.03, -0.03, 0.0),
        box(-0.55, -0.52, -0.28, -0.03),
        box(-0.06, -0.03, -0.28, -0.03),
        limb((-0.36, 0.09), (-0.43, 0.09), 0.03, 0.03),
        limb((0.0, 0.1), (-0.1, 0.28), 0.058, 0.038, far=True),
        limb((-0.1, 0.28), (0.08, 0.16), 0.036, 0.021, far=True),
        limb((-0.28, 0.085), hip, 0.075, 0.07),
        ellipse((-0.49, 0.1), 0.066, 0.052),
        limb((-0.3, 0.12), (-0.16, 0.22), 0.026, 0.02),
        limb((-0.16, 0.22), (-0.08, 0.26), 0.02, 0.014),
        limb(hip, knee, 0.062, 0.038),
        limb(knee, (0.25, -0.21), 0.036, 0.021),
        foot((0.235, -0.25), (0.37, -0.25), (0.25, -0.21)),
    )
    return PositionDrawing(shapes, ((hip, (0.27, 0.09), knee),))


def _lying(head: float = -0.72) -> tuple[Outline, ...]:
    """Bed, head and trunk of a person on the back, hip at the origin, head on the left."""
    return (
        box(head - 0.1, 0.6, -0.11, -0.08),
        limb((head + 0.13, 0.0), (head + 0.06, 0.0), 0.03, 0.03),
        ellipse((head, 0.012), 0.066, 0.052),
        limb((-0.5, 0.0), (0.0, 0.0), 0.075, 0.07),
        limb((-0.5, -0.01), (-0.33, -0.05), 0.028, 0.022),
        limb((-0.33, -0.05), (-0.17, -0.055), 0.022, 0.014),
    )


def _flat_leg(prone: bool = False) -> tuple[Outline, ...]:
    """The other leg, straight on the bed; toes up, or along the bed when lying face down."""
    toes = limb((0.47, -0.05), (0.58, -0.068), 0.022, 0.013, far=True)
    return (
        limb((0.0, -0.02), (0.245, -0.03), 0.058, 0.038, far=True),
        limb((0.245, -0.03), (0.47, -0.045), 0.036, 0.021, far=True),
        toes if prone else foot((0.49, -0.06), (0.5, 0.08), (0.47, -0.045), far=True),
    )


def _hamstring() -> PositionDrawing:
    knee = (0.0, 0.245)
    ankle = _at(knee, 28, 0.23)
    shapes = (
        *_flat_leg(), *_lying(), limb((0.0, 0.0), knee, 0.062, 0.038), limb(knee, ankle, 0.036, 0.021),
        limb(ankle, _at(ankle, -62, 0.1), 0.022, 0.015),
    )  # fmt: skip
    return PositionDrawing(shapes, ((knee, (0.0, 0.5), ankle),))


def _hip_bend() -> PositionDrawing:
    knee = _at((0.0, 0.0), -28, 0.245)
    ankle = _at(knee, 128, 0.23)
    shapes = (
        *_flat_leg(), *_lying(), limb((0.0, 0.0), knee, 0.062, 0.038), limb(knee, ankle, 0.036, 0.021),
        limb(ankle, _at(ankle, 60, 0.1), 0.022, 0.015),
    )  # fmt: skip
    return PositionDrawing(shapes, (((0.0, 0.0), (0.3, 0.0), knee),))


def _quadriceps() -> PositionDrawing:
    knee = (0.245, -0.03)
    ankle = _at(knee, -42, 0.23)
    shapes = (
        *_flat_leg(prone=True), *_lying(), limb((0.0, -0.01), knee, 0.06, 0.038), limb(knee, ankle, 0.036, 0.021),
        limb(ankle, _at(ankle, -10, 0.1), 0.022, 0.015),
    )  # fmt: skip
    return PositionDrawing(shapes, ((knee, (0.49, -0.03), ankle),), ((ankle, (0.03, 0.06)),))


def _wall() -> PositionDrawing:
    ankle, knee, hip = (0.04, 0.04), (0.195, 0.225), (0.0, 0.38)
    shapes = (
        box(0.236, 0.27, 0.0, 0.75),
        limb((-0.02, 0.37), (-0.13, 0.17), 0.055, 0.036, far=True),
        limb((-0.13, 0.17), (-0.3, 0.07), 0.035, 0.02, far=True),
        foot((-0.33, 0.05), (-0.22, 0.0), (-0.3, 0.07), far=True),
        foot((0.0, 0.0), (0.152, 0.0), ankle),
        limb(knee, ankle, 0.037, 0.021),
        limb((0.0, 0.64), (0.01, 0.68), 0.028, 0.03),
        ellipse((0.02, 0.735), 0.05, 0.066),
        limb(hip, (0.0, 0.58), 0.066, 0.07),
        limb(hip, knee, 0.062, 0.037),
        limb((0.0, 0.61), (0.12, 0.53), 0.028, 0.021),
        limb((0.12, 0.53), (0.23, 0.58), 0.021, 0.014),
    )
    return PositionDrawing(shapes, ((ankle, (0.04, 0.24), knee),), (((0.155, -0.03), (0.236, -0.03)),))


def _block() -> PositionDrawing:
    shapes: list[Outline] = [box(-0.24, 0.24, 0.3, 0.34)]
    angles = []
    for sign in (-1, 1):
        knee, heel = (0.1 * sign, 0.29), (0.1 * sign, 0.02)
        shapes += [limb((0.1 * sign, 0.32), knee, 0.05, 0.045), limb(knee, heel, 0.045, 0.026)]
        toe = (heel[0] - sign * 0.07, -0.09)
        shapes.append(limb(heel, toe, 0.03, 0.036))
        if sign > 0:
            angles.append((heel, (heel[0], -0.14), (toe[0] - 0.02, -0.12)))
    shapes.append(box(-0.05, 0.05, 0.22, 0.32))
    return PositionDrawing(tuple(shapes), tuple(angles))


def sole(centre: Point, turn: float, size: float = 1.0, mirror: bool = False) -> Outline:
    """A foot from above, toes up the picture, big toe toward the midline of a right foot (left of it)."""
    half = (
        (-0.03, -0.075), (-0.033, -0.05), (-0.027, -0.005), (-0.024, 0.02), (-0.036, 0.06), (-0.042, 0.085),
        (-0.038, 0.112), (-0.024, 0.124), (-0.006, 0.118), (0.012, 0.106), (0.028, 0.088), (0.038, 0.06),
        (0.039, 0.03), (0.034, -0.01), (0.033, -0.05), (0.029, -0.076), (0.014, -0.092), (-0.015, -0.092),
    )  # fmt: skip
    c, s = math.cos(math.radians(turn)), math.sin(math.radians(turn))
    points = []
    for x, y in half:
        px = (-x if mirror else x) * size
        points.append((centre[0] + c * px + s * y * size, centre[1] - s * px + c * y * size))
    return Outline(smooth(points))


def _turnout() -> PositionDrawing:
    right, left = sole((0.11, 0.0), 18, 1.5), sole((-0.11, 0.0), -10, 1.5, mirror=True)
    heel = (0.11 - 0.04, -0.1)
    return PositionDrawing(
        (left, right, ellipse((0.12, -0.03), 0.035, 0.03), ellipse((-0.12, -0.03), 0.035, 0.03)),
        ((heel, _at(heel, 4, 0.33), _at(heel, 20, 0.33)),),
    )


def toes_from_above(spread: float = 1.0) -> PositionDrawing:
    """Toes as they lie, `spread` 1, or drawn together, under 1, or further apart."""
    shapes = [sole((0.0, 0.0), 0, 2.0)]
    tips = []
    for x, y, turn, length in (
        (-0.055, 0.2, -16, 0.08),
        (-0.015, 0.21, -6, 0.07),
        (0.02, 0.195, 4, 0.06),
        (0.045, 0.175, 13, 0.055),
        (0.068, 0.145, 24, 0.05),
    ):
        tip = _at((x, y), spread * turn, length)
        shapes.append(limb((x, y), tip, 0.02, 0.016))
        tips.append(tip)
    return PositionDrawing(tuple(shapes), (), ((tips[0], tips[-1]),))


BALL_OF_FOOT = (0.14, 0.025)


def big_toe_from_side(lift: float = 41.0) -> PositionDrawing:
    """The foot from its inner side with the big toe lifted, degrees; a negative lift curls it."""
    if lift >= 0:
        toe = [limb(BALL_OF_FOOT, _at(BALL_OF_FOOT, 90 - lift, 0.113), 0.025, 0.018)]
    else:
        knuckle = _at(BALL_OF_FOOT, 60, 0.065)
        toe = [limb(BALL_OF_FOOT, knuckle, 0.025, 0.021), limb(knuckle, _at(knuckle, 170, 0.05), 0.021, 0.016)]
    shapes = (
        limb((-0.1, 0.42), (-0.1, 0.12), 0.055, 0.045),
        Outline(
            (
                (-0.19, 0.02),
                (-0.18, 0.09),
                (-0.11, 0.15),
                (0.0, 0.12),
                (0.14, 0.05),
                (0.15, 0.0),
                (0.05, 0.015),
                (-0.04, 0.035),
                (-0.11, 0.005),
                (-0.17, 0.0),
            )  # fmt: skip
        ),
        *toe,
        box(-0.28, 0.3, -0.03, -0.005),
    )
    return PositionDrawing(shapes, ((BALL_OF_FOOT, (0.3, 0.025), (0.24, 0.115)),))


def _tripod() -> PositionDrawing:
    return PositionDrawing((sole((0.0, 0.0), 0, 2.2),), (), (), ((-0.055, 0.17), (0.062, 0.1), (0.0, -0.15)))


def _lean() -> PositionDrawing:
    ankle = (0.04, 0.04)

    def up(length: float, across: float = 0.0) -> Point:
        point = _at(ankle, 9, length)
        return point[0] + across, point[1]

    shapes = (
        box(-0.2, 0.34, -0.03, -0.003),
        foot((0.0, 0.0), (0.152, 0.0), ankle),
        limb(up(0.24), ankle, 0.037, 0.021),
        limb(up(0.82), up(0.87), 0.028, 0.03),
        ellipse(up(0.93), 0.05, 0.066, -9),
        limb(up(0.49), up(0.7), 0.066, 0.07),
        limb(up(0.49), up(0.24), 0.062, 0.038),
        limb(up(0.76), up(0.6, 0.01), 0.029, 0.022),
        limb(up(0.6, 0.01), up(0.46, 0.02), 0.022, 0.014),
    )
    return PositionDrawing(shapes, ((ankle, (0.04, 0.82), up(0.78)),))


def _roll() -> PositionDrawing:
    shapes = []
    for x, turn in ((-0.16, 16), (0.0, 0), (0.16, -16)):
        shapes += [
            limb((x, 0.36), (x, 0.11), 0.045, 0.026),
            ellipse(_at((x, 0.1), 180 + turn, 0.045), 0.034, 0.055, turn),
        ]
    return PositionDrawing((box(-0.28, 0.28, -0.03, -0.005), *shapes))


DRAWN: dict[str, Callable[[], PositionDrawing]] = {
    "figure4": _figure4,
    "ninety": _ninety,
    "prone": _prone,
    "hang": _hang,
    "hamstring": _hamstring,
    "hipbend": _hip_bend,
    "quadriceps": _quadriceps,
    "wall": _wall,
    "block": _block,
    "turnout": _turnout,
    "toes": toes_from_above,
    "bigtoe": big_toe_from_side,
    "tripod": _tripod,
    "lean": _lean,
    "roll": _roll,
}
"""Position drawings by the name that the knowledge files use."""


def standing_side() -> PositionDrawing:
    """The person from the side, facing right, with the upright line through the front of the ankle."""
    shapes = (
        foot((0.0, 0.0), (0.152, 0.0), (0.04, 0.04)),
        limb((0.05, 0.285), (0.04, 0.04), 0.037, 0.021),
        limb((0.035, 0.81), (0.05, 0.87), 0.028, 0.03),
        ellipse((0.055, 0.93), 0.052, 0.068),
        limb((0.035, 0.53), (0.025, 0.72), 0.064, 0.072),
        limb((0.035, 0.53), (0.05, 0.285), 0.064, 0.038),
        limb((0.025, 0.79), (0.015, 0.62), 0.029, 0.022),
        limb((0.015, 0.62), (0.04, 0.48), 0.022, 0.014),
    )
    return PositionDrawing(shapes, (), (), ((0.05, 0.285), (0.035, 0.53), (0.025, 0.79), (0.05, 0.93)))


CRITERIA = (
    ("Head of the talus, felt", "felt only outside", "felt on both sides", "felt only inside"),
    ("Curves above and below the outer ankle", "lower curve flat", "equal curves", "lower curve deeper"),
    ("Heel from behind", "tips inward", "upright", "tips outward"),
    ("Bulge at the inner midfoot", "hollow", "flat", "bulging"),
    ("Height of the inner arch", "high, peaked", "even", "low, touching"),
    ("Forefoot on the rearfoot", "more toes inside", "equal", "more toes outside"),
)
"""The six criteria with the words for -2, 0 and +2 (after Redmond 2005)."""


def criterion(number: int, value: float) -> PositionDrawing:
    """Drawing of criterion `number` (0-5) of a right foot at `value` (-2..2). Raises IndexError."""
    return (_talus, _curves, _heel, _bulge, _arch, _forefoot)[number](value)


def _talus(v: float) -> PositionDrawing:
    shapes = (limb((0.0, 0.42), (0.0, 0.14), 0.06, 0.06), ellipse((0.0, 0.09), 0.075, 0.08))
    dots: tuple[Point, ...] = tuple(p for p, shown in (((-0.055, 0.13), v >= 0), ((0.055, 0.13), v <= 0)) if shown)
    return PositionDrawing(shapes, (), (), dots)


def _curves(v: float) -> PositionDrawing:
    deep = 0.02 + 0.018 * v
    outer = ((0.06, 0.42), (0.035, 0.3), (0.062, 0.21), (0.06 - deep, 0.13), (0.06, 0.05), (0.03, 0.0))
    inner = ((-0.03, 0.0), (-0.06, 0.06), (-0.045, 0.15), (-0.06, 0.22), (-0.035, 0.3), (-0.06, 0.42))
    return PositionDrawing((Outline(smooth((*outer, *inner))),))


def _heel(v: float) -> PositionDrawing:
    top = (0.0, 0.17)
    middle = _at(top, 180 - 6 * v, 0.09)
    return PositionDrawing((limb((0.0, 0.42), top, 0.06, 0.035), ellipse(middle, 0.055, 0.085, 6 * v)))


def _bulge(v: float) -> PositionDrawing:
    out = 0.022 * v
    edge = ((-0.05, -0.18), (-0.055, -0.06), (-0.055 - out, 0.03), (-0.06, 0.12), (-0.03, 0.21))
    rest = ((0.04, 0.2), (0.06, 0.1), (0.05, -0.08), (0.03, -0.19), (-0.02, -0.2))
    return PositionDrawing((Outline(smooth((*edge, *rest))),))


def _arch(v: float) -> PositionDrawing:
    top = 0.055 - 0.024 * v
    points = (
        (-0.2, 0.01), (-0.2, 0.09), (-0.13, 0.16), (0.0, 0.13), (0.14, 0.06), (0.2, 0.03), (0.2, 0.0),
        (0.11, 0.0), (0.06, 0.6 * top), (-0.02, top), (-0.08, 0.6 * top), (-0.12, 0.0),
    )  # fmt: skip
    return PositionDrawing((Outline(points), box(-0.24, 0.24, -0.025, -0.003)))


def _forefoot(v: float) -> PositionDrawing:
    turn = 9 * v
    shapes = [limb((0.0, -0.14), (0.0, 0.03), 0.05, 0.045)]
    for n in range(5):
        base = _at((0.0, 0.03), turn, 0.06)
        tip = _at((base[0] - 0.05 + 0.025 * n, base[1]), turn, 0.1 - 0.012 * n)
        shapes.append(limb((base[0] - 0.05 + 0.025 * n, base[1]), tip, 0.016, 0.013))
    shapes.append(limb((0.0, 0.0), _at((0.0, 0.03), turn, 0.08), 0.045, 0.06))
    return PositionDrawing(tuple(shapes))
