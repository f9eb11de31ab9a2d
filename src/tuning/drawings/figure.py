"""The drawn person: outlines in one hand for screen and paper.

A figure is a list of closed outlines in stature units, x forward (or right),
y up, painted in order; a painter fills each with the wash and inks its edge.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from tuning.core.pose import Point


@dataclass(frozen=True)
class Outline:
    """A closed polygon; `far` limbs are drawn paler; `prop` marks things, not the body.

    `tint` washes the working leg ("working") or where an exercise should be felt ("feel").
    """

    points: tuple[Point, ...]
    far: bool = False
    prop: bool = False
    tint: str = ""


def limb(a: Point, b: Point, ra: float, rb: float, far: bool = False) -> Outline:
    """The hull of two circles: a tapered limb segment."""
    along = math.atan2(b[1] - a[1], b[0] - a[0])
    gap = math.dist(a, b)
    tilt = math.acos(max(-1.0, min(1.0, (ra - rb) / gap))) if gap > 0 else math.pi / 2
    points = []
    for centre, radius, start, sweep in (
        (a, ra, along + tilt, 2 * math.pi - 2 * tilt),
        (b, rb, along - tilt, 2 * tilt),
    ):
        for i in range(19):
            angle = start + sweep * i / 18
            points.append((centre[0] + radius * math.cos(angle), centre[1] + radius * math.sin(angle)))
    return Outline(tuple(points), far)


def ellipse(centre: Point, rx: float, ry: float, turn_deg: float = 0.0) -> Outline:
    """An ellipse, turned counterclockwise."""
    c, s = math.cos(math.radians(turn_deg)), math.sin(math.radians(turn_deg))
    points = []
    for i in range(40):
        x, y = rx * math.cos(i * math.pi / 20), ry * math.sin(i * math.pi / 20)
        points.append((centre[0] + c * x - s * y, centre[1] + s * x + c * y))
    return Outline(tuple(points))


def foot(heel: Point, toe: Point, ankle: Point, far: bool = False) -> Outline:
    """A foot from the side, from heel to toe, its back under the ankle."""
    length = math.dist(heel, toe)
    ux, uy = (toe[0] - heel[0]) / length, (toe[1] - heel[1]) / length
    nx, ny = -uy, ux
    shape = ((-0.06, 0.03), (-0.05, 0.2), (0.08, 0.36), (0.42, 0.34), (0.8, 0.16), (1.0, 0.1), (1.02, 0.02), (0.97, 0))
    return Outline(
        tuple((heel[0] + length * (f * ux + h * nx), heel[1] + length * (f * uy + h * ny)) for f, h in shape),
        far,
    )


def smooth(points: Sequence[Point], steps: int = 5) -> tuple[Point, ...]:
    """A closed curve through all points (Catmull-Rom), `steps` points a stretch."""
    n, made = len(points), []
    for i in range(n):
        before, start, end, after = (points[(i + k) % n] for k in (-1, 0, 1, 2))
        for s in range(steps):
            t = s / steps
            made.append(
                tuple(
                    0.5
                    * (2 * b + (c - a) * t + (2 * a - 5 * b + 4 * c - d) * t * t + (3 * b - a - 3 * c + d) * t * t * t)
                    for a, b, c, d in zip(before, start, end, after, strict=True)
                )
            )
    return tuple((x, y) for x, y in made)


def box(left: float, right: float, bottom: float, top: float) -> Outline:
    """A thing: bed, step, wall."""
    return Outline(((left, bottom), (right, bottom), (right, top), (left, top)), prop=True)
