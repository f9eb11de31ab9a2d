"""Sway of the point of pressure in a quiet stand: how long its path is and how much ground it covers."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from tuning.core.force.recording import Recording, low_passed
from tuning.core.types import Floats, NotMeasured, Side

CUTOFF_HZ = 10.0
"""Low-pass of the point of pressure before its path is measured (Ruhe 2010)."""
CHI2_95 = 5.991
"""95 % point of chi-squared with two degrees of freedom."""
LEAST_SEEN = 0.98
"""The point must be known in this share of the stand (practice judgement, editable)."""
NO_POINT = "vertical forces alone do not tell the point of pressure; a file with it, or with moments, does"


@dataclass(frozen=True)
class Sway:
    """Path in mm, its speed in mm/s, and the 95 % ellipse in cm²."""

    path: float
    speed: float
    area: float


def sway(recording: Recording, leg: Side = Side.BOTH) -> Sway | NotMeasured:
    """Sway under one leg, or of the whole body over both plates.

    The ellipse holds 95 % of the points if they are normal: pi x 5.991 x the
    root of the product of the principal variances (Schubert 2014).
    """
    point = recording.support(leg)
    if point is None:
        return NotMeasured("no-point", NO_POINT)
    seen = np.isfinite(point).all(axis=1)
    if seen.mean() < LEAST_SEEN:
        return NotMeasured("point-lost", "the foot left the plate: the point of pressure is lost in part of the stand")
    at = np.arange(len(point))
    filled = np.stack([np.interp(at, at[seen], axis[seen]) for axis in point.T], axis=1)
    return of_points(filled, recording.rate)


def of_points(points: Floats, rate: float) -> Sway:
    """Sway of known places, mm, shape (n, 2), at `rate` Hz."""
    smooth = np.stack([low_passed(axis, rate, CUTOFF_HZ) for axis in points.T], axis=1)
    path = float(np.hypot(*np.diff(smooth, axis=0).T).sum())
    spread = np.sqrt(max(0.0, float(np.linalg.det(np.cov(smooth.T)))))
    return Sway(path, path * rate / (len(points) - 1), float(np.pi * CHI2_95 * spread) / 100)
