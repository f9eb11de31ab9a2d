"""Plane geometry of marks on a picture.

Points are arrays of shape (2,), pixels, x to the right and y DOWN as in an
image. Angles are degrees.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping

import numpy as np

from tuning.core.types import Floats

Marks = Mapping[str, Floats]
Chain = tuple[Floats, Floats, Floats]


def interior_angle(chain: Chain) -> float:
    """Angle at the middle of three points in 0..180; NaN when an arm has no length.

    >>> hip, knee, ankle = np.array([0.0, 0.0]), np.array([0.0, 100.0]), np.array([0.0, 200.0])
    >>> interior_angle((hip, knee, ankle))
    180.0
    """
    a, vertex, c = chain
    u, v = a - vertex, c - vertex
    if not (np.any(u) and np.any(v)):
        return math.nan
    return abs(math.degrees(math.atan2(u[0] * v[1] - u[1] * v[0], float(u @ v))))


def bend(chain: Chain, toward_x: int) -> float:
    """180 minus the interior angle of three points, signed.

    Positive when the middle point lies off the line of the outer two toward
    `toward_x` (+1: larger image x, -1: smaller), for a line that runs downward.

    >>> chain = np.array([0.0, 0.0]), np.array([10.0, 100.0]), np.array([0.0, 200.0])
    >>> round(bend(chain, 1), 1), round(bend(chain, -1), 1)
    (11.4, -11.4)
    """
    a, vertex, c = chain
    u, v = vertex - a, c - vertex
    if not (np.any(u) and np.any(v)):
        return math.nan
    turn = math.degrees(math.atan2(u[0] * v[1] - u[1] * v[0], float(u @ v)))
    return turn * toward_x


def right_higher_tilt(left: Floats, right: Floats) -> float:
    """Tilt of the line left-right against horizontal, + when right is higher; -90..90.

    >>> round(right_higher_tilt(np.array([0.0, 10.0]), np.array([100.0, 0.0])), 1)
    5.7
    """
    dx, dy = right - left
    return math.degrees(math.atan2(-dy, abs(dx)))


def lean_from_vertical(lower: Floats, upper: Floats, toward_x: int) -> float:
    """Angle of the line lower-upper against vertical, + toward `toward_x`.

    >>> round(lean_from_vertical(np.array([0.0, 100.0]), np.array([10.0, 0.0]), 1), 1)
    5.7
    """
    dx, dy = upper - lower
    return math.degrees(math.atan2(dx * toward_x, -dy))


def rotated(point: Floats, degrees: float) -> Floats:
    """Rotate about the image origin; positive turns x toward y (clockwise on screen)."""
    c, s = math.cos(math.radians(degrees)), math.sin(math.radians(degrees))
    return np.array([c * point[0] - s * point[1], s * point[0] + c * point[1]])


def roll_of_plumb(top: Floats, bottom: Floats) -> float:
    """Turn of the picture's verticals: rotating marks by MINUS this makes the line upright.

    The ends may be given in either order; the result lies in -90..90.

    >>> round(roll_of_plumb(np.array([0.0, 0.0]), np.array([2.0, 100.0])), 2)
    -1.15
    """
    dx, dy = bottom - top if bottom[1] >= top[1] else top - bottom
    return math.degrees(math.atan2(-dx, dy))


def roll_of_floor(left: Floats, right: Floats) -> float:
    """The same from a floor edge, which counts only when the camera stands square to it."""
    dx, dy = right - left if right[0] >= left[0] else left - right
    return math.degrees(math.atan2(dy, dx))


def propagate(
    value_of: Callable[[Marks], float], marks: Marks, sd_px: Mapping[str, float], step_px: float = 0.05
) -> float:
    """First-order standard deviation of `value_of(marks)` under click error.

    Both coordinates of mark `name` are taken as independently wrong with
    standard deviation `sd_px[name]` pixels; derivatives are central differences.
    Returns the standard deviation in the unit of `value_of`.
    """
    total = 0.0
    for name, point in marks.items():
        for axis in (0, 1):
            ends = []
            for sign in (1, -1):
                moved = point.copy()
                moved[axis] += sign * step_px
                ends.append(value_of({**marks, name: moved}))
            total += (sd_px[name] * (ends[0] - ends[1]) / (2 * step_px)) ** 2
    return math.sqrt(total)
