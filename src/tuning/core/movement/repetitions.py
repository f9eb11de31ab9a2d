"""Repetitions of squats, step-downs and chair rises: start, turning point, end."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from tuning.core.signals import cleaned, derivative
from tuning.core.types import Floats, NotMeasured

CUTOFF_HZ = 4.0
LEAST_DEPTH = 0.35
"""A repetition goes at least this share of the deepest one (practice judgement, editable)."""
MOVING = 0.08
"""Moving: faster than this share of the greatest speed of the repetition (practice judgement, editable)."""

CUT_OFF = 0.25
"""A clip that begins or ends while still slower than this share is taken as whole."""


@dataclass(frozen=True)
class Repetition:
    """Times in s; `turn` is the deepest point, or the highest of a rise."""

    number: int
    start: float
    turn: float
    end: float

    @property
    def first_s(self) -> float:
        """Time to the turning point."""
        return self.turn - self.start

    @property
    def second_s(self) -> float:
        """Time back."""
        return self.end - self.turn


def find_repetitions(height: Floats, times: Floats, rising: bool = False) -> list[Repetition] | NotMeasured:
    """Repetitions in a height signal (n,) px, y down.

    Lowering first (squat, step-down) or, with `rising`, standing up first
    (chair rise, step-up). Returns NotMeasured when nothing goes down and up.
    """
    from scipy.signal import find_peaks

    smooth = cleaned(height, times, CUTOFF_HZ) * (-1 if rising else 1)
    seen = np.isfinite(smooth)
    if seen.sum() < 20:
        return NotMeasured("too-short", "fewer than 20 frames in which the marks were seen")
    low, high = np.percentile(smooth[seen], [2, 99])
    if high - low < 8:
        return NotMeasured("no-repetitions", "the marks do not go down and up")
    known = np.where(seen, smooth, low)
    peaks, _ = find_peaks(known, prominence=LEAST_DEPTH * (high - low))
    speed = derivative(smooth, times)
    found = []
    for number, peak in enumerate(peaks, start=1):
        start, end = _edge(speed, peak, -1), _edge(speed, peak, 1)
        if start is not None and end is not None:
            turn = _turning_point(speed, times, int(peak))
            found.append(Repetition(number, float(times[start]), turn, float(times[end])))
    if not found:
        return NotMeasured("no-repetitions", "no repetition is whole within the clip")
    return [Repetition(n, r.start, r.turn, r.end) for n, r in enumerate(found, start=1)]


def _edge(speed: Floats, peak: int, way: int) -> int | None:
    """Frame at which the movement toward the peak began, or the one away from it ended; None when cut off."""
    frames = range(peak, -1, -1) if way < 0 else range(peak, len(speed))
    under_way = 0.3 * float(np.nanmax(np.abs(speed)))
    fastest, toward = 0.0, 0.0
    for frame in frames:
        toward = -way * speed[frame]
        if not np.isfinite(toward):
            return None
        fastest = max(fastest, toward)
        if fastest >= under_way and toward < MOVING * fastest:
            return frame
    return frames[-1] if fastest >= under_way and toward < CUT_OFF * fastest else None


def _turning_point(speed: Floats, times: Floats, peak: int) -> float:
    """Between frames, where the speed passes zero."""
    for k in (peak - 1, peak):
        if 0 <= k < len(speed) - 1 and speed[k] >= 0 > speed[k + 1]:
            return float(times[k] + speed[k] / (speed[k] - speed[k + 1]) * (times[k + 1] - times[k]))
    return float(times[peak])
