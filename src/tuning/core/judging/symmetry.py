"""Side-to-side indices. Every one is printed with its name, never bare.

All take positive left and right values in one unit; `+` means right larger.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass

from tuning.core.types import LEGS, NotMeasured, Side


def _check(left: float, right: float) -> None:
    if not (left > 0 and right > 0):
        raise ValueError("side indices need two values above zero")


def limb_symmetry_index(left: float, right: float, involved: Side) -> float | NotMeasured:
    """100 x involved / uninvolved, in percent; needs one involved side.

    >>> limb_symmetry_index(90.0, 120.0, Side.LEFT)
    75.0
    """
    _check(left, right)
    if involved not in LEGS:
        return NotMeasured("no-involved-side", "needs one involved side; set it on the patient form")
    return 100 * (left / right if involved is Side.LEFT else right / left)


def difference_to_stronger(left: float, right: float) -> float:
    """100 (max - min) / max in percent, with the sign of the larger side.

    >>> difference_to_stronger(90.0, 120.0)
    25.0
    """
    _check(left, right)
    return math.copysign(100 * abs(right - left) / max(left, right), right - left)


def share(left: float, right: float) -> float:
    """Right share of the total, 100 R / (R + L), in percent.

    >>> share(300.0, 500.0)
    62.5
    """
    _check(left, right)
    return 100 * right / (right + left)


def bilateral_index(left: float, right: float) -> float:
    """100 (R - L) / (R + L), in percent."""
    _check(left, right)
    return 100 * (right - left) / (right + left)


def symmetry_index(left: float, right: float) -> float:
    """100 (R - L) / mean of both, in percent (Robinson 1987)."""
    return 2 * bilateral_index(left, right)


def symmetry_angle(left: float, right: float) -> float:
    """100 (45 - atan(L / R)) / 90, in percent (Zifchock 2008)."""
    _check(left, right)
    return 100 * (45 - math.degrees(math.atan2(left, right))) / 90


def log_ratio(left: float, right: float) -> float:
    """100 ln(R / L) (Cole 2000)."""
    _check(left, right)
    return 100 * math.log(right / left)


@dataclass(frozen=True)
class Formula:
    """One way to put a difference between the sides into percent, and when it fits."""

    id: str
    name: str
    text: str
    fits: str
    of: Callable[[float, float], float]


DIFFERENCES = {
    f.id: f
    for f in (
        Formula(
            "stronger",
            "Difference against the stronger side",
            "100 (max - min) / max",
            "Fits one-leg tests without a known sound side. The verdict always uses this one.",
            difference_to_stronger,
        ),
        Formula(
            "index",
            "Bilateral index",
            "100 (R - L) / (R + L)",
            "Fits two legs working at once; signed, about half of the difference against the stronger side.",
            bilateral_index,
        ),
        Formula(
            "mean",
            "Symmetry index",
            "100 (R - L) / mean of both (Robinson 1987)",
            "Needs no reference side; avoid it near zero. Twice the bilateral index.",
            symmetry_index,
        ),
    )
}
"""Percentage differences by id; + means right larger."""
