"""The drawn person: outlines in one hand for screen and paper.

A figure is a list of closed outlines in stature units, x forward (or right),
y up, painted in order; a painter fills each with the wash and inks its edge.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from tuning.core.force.advice import Advice
from tuning.core.programme.pose import Frame, Joints, Point, joints


@dataclass(frozen=True)
class Outline:
    """A closed polygon; `far` limbs are drawn paler; `prop` marks things, not the body."""

    points: tuple[Point, ...]
    far: bool = False
    prop: bool = False


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


def exercise_figure(frame: Frame, step_height: float = 0.0) -> list[Outline]:
    """The person in one pose, working foot on a step of `step_height` (stature units)."""
    at = joints(frame)
    shapes = [limb(at.hip, at.free_knee, 0.055, 0.036, far=True)]
    shapes.append(limb(at.free_knee, at.free_ankle, 0.035, 0.02, far=True))
    shapes.append(foot(at.free_heel, at.free_toe, at.free_ankle, far=True))
    shapes += _body(at)
    if step_height > 0:
        shapes.insert(3, box(-0.03, 0.2, -step_height, -0.001))
    return [_raised(shape, step_height) for shape in shapes]


PLATE = 0.03
"""Height of a drawn plate, stature units."""


def plate_figure(frame: Frame, both: bool, bar: bool, heel_up: float, air: float) -> list[Outline]:
    """The person on a plate: `both` feet side by side, a fixed `bar` on the shoulders, the heel up (degrees) or the
    body in the `air` (stature units)."""
    at = joints(frame)
    if heel_up:
        at = _on_toes(at, heel_up)
    away = [
        limb(at.hip, at.free_knee, 0.055, 0.036, far=True),
        limb(at.free_knee, at.free_ankle, 0.035, 0.02, far=True),
    ]
    away.append(foot(at.free_heel, at.free_toe, at.free_ankle, far=True))
    if both:
        shapes = (limb(at.hip, at.knee, 0.055, 0.036, far=True), limb(at.knee, at.ankle, 0.035, 0.02, far=True))
        away = [_shifted(shape, 0.03, 0.012) for shape in (*shapes, foot(at.heel, at.toe, at.ankle, far=True))]
    body = [_raised(shape, air) for shape in (*away, *_body(at))]
    if bar:
        x, y = at.shoulder
        ring = ellipse((x - 0.03, y + 0.01), 0.022, 0.022)
        body = [box(x - 0.045, x - 0.015, -PLATE, y + 0.3), *body, Outline(ring.points, prop=True)]
    return [box(-0.06, 0.24, -PLATE, -0.001), *body]


def _on_toes(at: Joints, degrees: float) -> Joints:
    """The same pose with the working foot turned up about its toes."""
    c, s = math.cos(math.radians(degrees)), math.sin(math.radians(degrees))

    def turned(p: Point) -> Point:
        x, y = p[0] - at.toe[0], p[1] - at.toe[1]
        return at.toe[0] + c * x + s * y, at.toe[1] - s * x + c * y

    ankle = turned(at.ankle)
    by = ankle[0] - at.ankle[0], ankle[1] - at.ankle[1]
    moved = {
        name: (place[0] + by[0], place[1] + by[1])
        for name, place in vars(at).items()
        if name not in ("heel", "toe", "ankle")
    }
    return Joints(heel=turned(at.heel), toe=at.toe, ankle=ankle, **moved)


def _shifted(shape: Outline, dx: float, dy: float) -> Outline:
    return Outline(tuple((x + dx, y + dy) for x, y in shape.points), shape.far, shape.prop)


def _body(at: Joints) -> list[Outline]:
    neck = ((at.shoulder[0] * 2 + at.head[0]) / 3, (at.shoulder[1] * 2 + at.head[1]) / 3)
    lean = math.degrees(math.atan2(at.head[0] - at.shoulder[0], at.head[1] - at.shoulder[1]))
    chest = tuple(h + 0.72 * (s - h) for h, s in zip(at.hip, at.shoulder, strict=True))
    return [
        limb(neck, at.head, 0.028, 0.03),
        ellipse(at.head, 0.05, 0.066, -lean),
        foot(at.heel, at.toe, at.ankle),
        limb(at.knee, at.ankle, 0.037, 0.021),
        limb(at.hip, (chest[0], chest[1]), 0.066, 0.07),
        limb(at.hip, at.knee, 0.062, 0.038),
        limb(at.shoulder, at.elbow, 0.029, 0.022),
        limb(at.elbow, at.hand, 0.022, 0.014),
    ]


def _raised(shape: Outline, by: float) -> Outline:
    return Outline(tuple((x, y + by) for x, y in shape.points), shape.far, shape.prop)


def plate_test_figures(advice: Advice) -> list[list[Outline]]:
    """The person doing a plate test, start to end."""
    last = len(advice.frames) - 1
    return [
        plate_figure(
            frame, advice.legs == 2, advice.bar, advice.heel_up if n == last else 0.0, advice.air if n == last else 0.0
        )
        for n, frame in enumerate(advice.frames)
    ]
