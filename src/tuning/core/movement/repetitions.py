"""Repetitions of squats, step-downs and chair rises: start, turning point, end."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from tuning.core.movement.movement_onset import begins, leaving, shape_of
from tuning.core.signals import cleaned, derivative
from tuning.core.types import Floats, NotMeasured

CUTOFF_HZ, TEMPO_CUTOFF_HZ = 4.0, 8.0
"""Smoothing for finding repetitions, and for telling where each leaves its rest (practice judgement, editable)."""
LEAST_DEPTH = 0.35
"""A repetition goes at least this share of the deepest one (practice judgement, editable)."""
HALF_WAY = 0.5
"""A repetition does not begin or end nearer to its turning point than this share of the way (practice judgement,
editable)."""
MOVING = 0.08
"""Moving: faster than this share of the greatest speed of the repetition (practice judgement, editable)."""

CUT_OFF = 0.25
"""A clip that begins or ends while still slower than this share is taken as whole."""


HELD_S = 0.1


@dataclass(frozen=True)
class Repetition:
    """Times in s: from `start` to `there`, held until `back`, over at `end`.

    `turn` is the deepest point, or the highest of a rise; without a hold, `there` and `back` are it. `sd` is that of
    a phase, s, from not knowing how the movement leaves its rest.
    """

    number: int
    start: float
    there: float
    turn: float
    back: float
    end: float
    sd: float = 0.0

    @property
    def held(self) -> bool:
        """Whether it rests at the turning point for longer than the ends of a hold can be told apart."""
        return self.back - self.there > HELD_S

    @property
    def phases(self) -> tuple[float, float, float]:
        """Duration of the way there, of the hold, and of the way back, s."""
        return self.there - self.start, self.back - self.there, self.end - self.back


def find_repetitions(height: Floats, times: Floats, rising: bool = False) -> list[Repetition] | NotMeasured:
    """Repetitions in a height signal (n,) px, y down.

    Lowering first (squat, step-down) or, with `rising`, standing up first
    (chair rise, step-up). Returns NotMeasured when nothing goes down and up.
    """
    from scipy.signal import find_peaks

    sign = -1 if rising else 1
    smooth = cleaned(height, times, CUTOFF_HZ) * sign
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
    bounds = [0, *peaks, len(speed) - 1]
    for before, peak, after in zip(bounds, peaks, bounds[2:], strict=False):
        start, end = _edge(smooth, speed, peak, before), _edge(smooth, speed, peak, after)
        if start is not None and end is not None:
            found.append((start, int(peak), _turning_point(speed, times, int(peak)), end))
    if not found:
        return NotMeasured("no-repetitions", "no repetition is whole within the clip")
    return _timed(found, cleaned(height, times, TEMPO_CUTOFF_HZ) * sign, times)


def _timed(found: Sequence[tuple[int, int, float, int]], height: Floats, times: Floats) -> list[Repetition]:
    """Repetitions with their phases, from frames of start, turning point and end; `height` rises toward the turn."""
    edges = [
        [leaving(height, times, a, b) for a, b in ((start, peak), (peak, start), (peak, end), (end, peak))]
        for start, peak, _, end in found
    ]
    known = [edge for four in edges for edge in four if edge is not None]
    shape = shape_of(known) if known else 0.0
    reps = []
    for number, ((first, _, turn, last), four) in enumerate(zip(found, edges, strict=True), start=1):
        rough = (float(times[first]), turn, turn, float(times[last]))
        sharp = [(at, 0.0) if edge is None else begins(edge, shape) for at, edge in zip(rough, four, strict=True)]
        (start, _), (there, _), (back, _), (end, _) = sharp
        if there > back:
            there = back = (there + back) / 2
        widest = sorted(spread for _, spread in sharp)[-2:]
        sd = float(np.linalg.norm(widest))
        reps.append(Repetition(number, start, there, turn, back, end, sd))
    return reps


def _edge(height: Floats, speed: Floats, peak: int, other: int) -> int | None:
    """Frame at which the movement toward the peak began, or the one away from it ended; None when cut off.

    `other` is the neighbouring peak or the end of the clip: what lies beyond may be far faster. Who sways in a hold has
    not begun to leave it.
    """
    way = -1 if other < peak else 1
    until = slice(peak, other + way if other + way >= 0 else None, way)
    toward, gone = -way * speed[until], height[peak] - height[until]
    if not np.isfinite(toward).any():
        return None
    under_way, fastest, most = 0.3 * float(np.nanmax(toward)), 0.0, float(np.nanmax(gone))
    for away, now in enumerate(toward):
        if not np.isfinite(now):
            return None
        fastest = max(fastest, float(now))
        if fastest >= under_way and now < MOVING * fastest and gone[away] >= HALF_WAY * most:
            return peak + way * away
    return other if fastest >= under_way and toward[-1] < CUT_OFF * fastest else None


def _turning_point(speed: Floats, times: Floats, peak: int) -> float:
    """Between frames, where the speed passes zero."""
    for k in (peak - 1, peak):
        if 0 <= k < len(speed) - 1 and speed[k] >= 0 > speed[k + 1]:
            return float(times[k] + speed[k] / (speed[k] - speed[k + 1]) * (times[k + 1] - times[k]))
    return float(times[peak])
