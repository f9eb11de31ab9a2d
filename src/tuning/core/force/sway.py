"""Sway of the centre of pressure in a quiet stand: how long its path is and how much ground it covers."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from tuning.core.force.recording import Recording, low_passed
from tuning.core.types import Floats, NotMeasured, Side

CUTOFF_HZ = 10.0
"""Low-pass of the centre of pressure before its path is measured (Ruhe 2010)."""
CHI2_95 = 5.991
"""95 % point of chi-squared with two degrees of freedom."""
LEAST_SEEN = 0.98
"""The point must be known in this share of the stand (practice judgement, editable)."""
NO_POINT = "vertical forces alone do not give the centre of pressure; a file with it, or with moments, does"


@dataclass(frozen=True)
class Sway:
    """Path in mm, its speed in mm/s, and the 95 % ellipse in cm²."""

    path: float
    speed: float
    area: float


@dataclass(frozen=True)
class Ellipse:
    """The 95 % ellipse: half axes in mm, the longer first, and its turn from across toward ahead in degrees."""

    long: float
    short: float
    turn: float


def pressure_path(recording: Recording, leg: Side = Side.BOTH) -> Floats | NotMeasured:
    """The low-passed centre of pressure about its mean, mm, shape (n, 2): across, ahead; under one leg or over all."""
    point = recording.support(leg)
    if point is None:
        return NotMeasured("no-point", NO_POINT)
    seen = np.isfinite(point).all(axis=1)
    if seen.mean() < LEAST_SEEN:
        return NotMeasured("point-lost", "the foot left the plate: the centre of pressure is lost in part of the trial")
    at = np.arange(len(point))
    filled = np.stack([np.interp(at, at[seen], axis[seen]) for axis in point.T], axis=1)
    smooth = np.stack([low_passed(axis, recording.rate, CUTOFF_HZ) for axis in filled.T], axis=1)
    return np.asarray(smooth - smooth.mean(axis=0))


def ellipse(course: Floats) -> Ellipse:
    """The ellipse that holds 95 % of the points (n, 2) if they are normal (Schubert 2014)."""
    sizes, axes = np.linalg.eigh(np.cov(course.T))
    short, long = np.sqrt(CHI2_95 * np.maximum(sizes, 0.0))
    return Ellipse(float(long), float(short), float(np.degrees(np.arctan2(axes[1, 1], axes[0, 1]))))


def sway(recording: Recording, leg: Side = Side.BOTH) -> Sway | NotMeasured:
    """Sway under one leg, or of the whole body over both plates."""
    found = pressure_path(recording, leg)
    return found if isinstance(found, NotMeasured) else of_course(found, recording.rate)


def of_course(course: Floats, rate: float) -> Sway:
    """Sway of a known course, mm, shape (n, 2), at `rate` Hz."""
    path = float(np.hypot(*np.diff(course, axis=0).T).sum())
    round_it = ellipse(course)
    return Sway(path, path * rate / (len(course) - 1), float(np.pi * round_it.long * round_it.short) / 100)
