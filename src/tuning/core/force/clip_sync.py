"""A clip and a plate recording of the same movement on one clock, and the ground's point of support in the picture."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from tuning.core.force.motion import motion
from tuning.core.force.recording import Recording
from tuning.core.force.weighing import WEIGHT_GAP, weigh
from tuning.core.types import Floats, NotMeasured

GRID_HZ = 50.0
LEAST_OVERLAP_S = 2.0
LEAST_R = 0.985
"""Correlation of hip height and plate height from which the two are one movement (practice judgement, editable)."""
RIVAL_R, RIVAL_S = 0.02, 0.3
"""Another place this near in correlation and this far in time leaves it open (practice judgement, editable)."""
WHOLE = 0.95
"""Share of the movement of the clip or of the plates that must lie in the overlap (practice judgement, editable)."""
DROP_RATIO = (0.75, 1.6)
"""How far the hip may sink for each metre that the body's centre sinks (practice judgement, editable)."""
POINT_SD_M = 0.005
"""SD of the support point: plate and place of the heel together (practice judgement, editable)."""


@dataclass(frozen=True)
class Plates:
    """A recording that ran with a clip; the heels stand `heel_mm` ahead of the plates' origin."""

    recording: Recording
    heel_mm: float = 0.0


@dataclass(frozen=True)
class ClipAlignment:
    """Clip second 0 is plate second `offset`; `r` is the correlation of the two heights; how far the body's centre
    sank by the plates (m), and who stood there (kg)."""

    offset: float
    r: float
    drop_m: float
    mass_kg: float

    def doubt(self, hip_drop_m: float, mass_kg: float | None) -> str:
        """Why this may be another recording although the rhythm fits; empty when nothing speaks against it.

        `hip_drop_m` is how far the hip sank in the clip, `mass_kg` body and load by the record.
        """
        if mass_kg and abs(self.mass_kg / mass_kg - 1) > WEIGHT_GAP:
            return f"they weigh {self.mass_kg:.1f} kg, the record says {mass_kg:.1f} kg with the load"
        if not DROP_RATIO[0] <= hip_drop_m / max(self.drop_m, 1e-6) <= DROP_RATIO[1]:
            return (
                f"the hip sinks {100 * hip_drop_m:.0f} cm in the clip, the body's centre {100 * self.drop_m:.0f} cm "
                "on the plates: another set of squats?"
            )
        return ""


@dataclass(frozen=True)
class PressurePath:
    """Where the ground carries the body: metres ahead of the heel at plate `times` (s), both shape (n,)."""

    times: Floats
    ahead: Floats

    def at(self, times: Floats) -> Floats:
        """Metres ahead of the heel at other times; NaN outside the recording or where the point is lost."""
        return np.interp(times, self.times, self.ahead, left=np.nan, right=np.nan)


def support(recording: Recording, heel_mm: float = 0.0) -> PressurePath | NotMeasured:
    """The centre of pressure of both feet; `heel_mm` is how far ahead of the plates' origin the heels stand."""
    point = recording.support()
    if point is None or len(recording.legs) < 2:
        return NotMeasured("no-point", "the recording holds no centre of pressure of both plates")
    return PressurePath(recording.times, (point[:, 1] - heel_mm) / 1000)


def align(recording: Recording, times: Floats, height: Floats) -> ClipAlignment | NotMeasured:
    """Find the plates' clock in the clip's by the movement itself.

    `height` (n,) is how high the hip stands at `times` (s), any unit, up
    positive; the plates tell the height of the body's centre by integration.
    The best correlation over all shifts that hold the whole movement of one of
    them wins; a rival elsewhere leaves the answer open.
    """
    weight = weigh(recording)
    if isinstance(weight, NotMeasured):
        return weight
    moved = motion(recording, weight)
    if isinstance(moved, NotMeasured):
        return moved
    seen = np.isfinite(height)
    if seen.sum() < 20:
        return NotMeasured("no-hip", "the hip is not seen in the clip")
    a = _even(recording.times, moved.height)
    b = _even(times[seen] - times[seen][0], height[seen])
    shifts, scores = _scores(a, b)
    if not scores.size or float(scores.max()) < LEAST_R:
        best = f" (best correlation {scores.max():.2f})" if scores.size else ""
        return NotMeasured("not-together", f"the plates and the clip do not show the same movement{best}")
    k = int(np.argmax(scores))
    rivals = np.abs(shifts - shifts[k]) > RIVAL_S * GRID_HZ
    if rivals.any() and float(scores[rivals].max()) > scores[k] - RIVAL_R:
        return NotMeasured("open", "the movement fits at two places; let the clip and the plates see it whole")
    fine = _vertex(scores, k) if 0 < k < len(scores) - 1 and shifts[k + 1] - shifts[k - 1] == 2 else 0.0
    offset = (float(shifts[k]) + fine) / GRID_HZ - float(times[seen][0])
    return ClipAlignment(offset, float(scores[k]), float(np.ptp(moved.height)), weight.mass_kg)


def _even(times: Floats, values: Floats) -> Floats:
    return np.interp(np.arange(times[0], times[-1], 1 / GRID_HZ), times, values)


def _scores(plates: Floats, clip: Floats) -> tuple[Floats, Floats]:
    """Correlation at every shift (grid steps from plate to clip start) that overlaps enough."""
    energy = [np.concatenate([[0.0], np.cumsum(np.gradient(v) ** 2)]) for v in (plates, clip)]
    least = round(LEAST_OVERLAP_S * GRID_HZ)
    shifts, scores = [], []
    for shift in range(least - len(clip), len(plates) - least + 1):
        first, last = max(0, shift), min(len(plates), shift + len(clip))
        held = [
            (e[b] - e[a]) / max(float(e[-1]), 1e-12)
            for e, a, b in ((energy[0], first, last), (energy[1], first - shift, last - shift))
        ]
        if max(held) < WHOLE:
            continue
        x, y = plates[first:last], clip[first - shift : last - shift]
        if np.ptp(x) == 0 or np.ptp(y) == 0:
            continue
        shifts.append(shift)
        scores.append(float(np.corrcoef(x, y)[0, 1]))
    return np.array(shifts, float), np.array(scores)


def _vertex(values: Floats, k: int) -> float:
    """Where a parabola through three neighbours has its top, in steps from k."""
    left, middle, right = values[k - 1 : k + 2]
    bend = left - 2 * middle + right
    return float(0.5 * (left - right) / bend) if bend < 0 else 0.0
