"""Steps on a treadmill seen from behind: contact, toe-off, mid-stance; speed is not needed."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from tuning.core.signals import cleaned, derivative
from tuning.core.types import LEGS, Floats, NotMeasured, Side

EVENT_CUTOFF_HZ = 14.0
"""Smoothing for finding events; angles are smoothed more (practice judgement, editable)."""
FALL_CUTOFF_HZ = 8.0
"""Smoothing for telling one fall of the heel from the next (practice judgement, editable)."""
SHORTEST_STANCE, LONGEST_STANCE = 0.22, 0.82
"""Stance as a share of the stride, running to slow walking."""
LOW_SHARE, FALL_WITHIN, GREAT_SHARE, TOE_LOW = 0.6, 0.85, 0.5, 0.75
"""The heel is low in this share of its way; the fall before a contact lies within so much of a stride before the heel
is lowest, and stands out by this share of the fastest fall there; the forefoot leaves the ground from this share of its
way on (practice judgement, editable)."""
SURE_FRAMES = 1.5
"""Both feet down, or none, for less than so many frames tells neither walking nor running."""
BEND_WITHIN = 0.22
"""A contact lies within this share of a stride after its fastest fall."""
LEAST_STRIDE_S, MOST_STRIDE_S = 0.45, 2.5


@dataclass(frozen=True)
class Step:
    """One stance of one leg and the swing after it; times in s, `number` from 1 by side.

    `swing_end` is the next contact of the same leg, NaN after the last.
    `mid_stance` is the middle of the other leg's swing (its knee passes), NaN without it.
    """

    side: Side
    number: int
    contact: float
    toe_off: float
    mid_stance: float
    swing_end: float


def stride_time(height: Floats, times: Floats) -> float | NotMeasured:
    """Stride from the first peak of the autocorrelation of a height signal (n,), s."""
    seen = np.isfinite(height)
    if seen.sum() < 30:
        return NotMeasured("too-short", "fewer than 30 frames in which the foot was seen")
    dt = float(np.median(np.diff(times)))
    filled = np.interp(times, times[seen], height[seen])
    filled = filled - filled.mean()
    power = float(filled @ filled)
    if power == 0:
        return NotMeasured("still", "the feet do not move")
    low, high = int(LEAST_STRIDE_S / dt), min(int(MOST_STRIDE_S / dt), len(filled) - 10)
    if high <= low + 2:
        return NotMeasured("too-short", "the clip is shorter than two strides")
    likeness = np.array(
        [
            filled[lag:] @ filled[:-lag] / np.sqrt((filled[lag:] @ filled[lag:]) * (filled[:-lag] @ filled[:-lag]))
            for lag in range(low, high)
        ]
    )
    peaks = [k for k in range(1, len(likeness) - 1) if likeness[k - 1] < likeness[k] >= likeness[k + 1]]
    good = [k for k in peaks if likeness[k] > 0.5 and likeness[k] > 0.85 * likeness[peaks].max()] if peaks else []
    if not good:
        return NotMeasured("no-steps", "no repeating steps were found")
    return float((low + good[0]) * dt)


def _sharpest(values: Floats, times: Floats, low: float, high: float) -> float:
    """Time of the least value within low..high, between frames by a parabola; NaN when not seen."""
    inside = np.flatnonzero((times >= low) & (times <= high) & np.isfinite(values))
    if inside.size < 3:
        return np.nan
    k = int(inside[np.argmin(values[inside])])
    if k in (inside[0], inside[-1]) or not np.isfinite(values[k - 1 : k + 2]).all():
        return float(times[k])
    before, at, after = values[k - 1 : k + 2]
    bend = before - 2 * at + after
    shift = 0.5 * (before - after) / bend if bend > 0 else 0.0
    return float(times[k] + np.clip(shift, -0.5, 0.5) * (times[k + 1] - times[k - 1]) / 2)


def _contacts(heel: Floats, times: Floats, stride: float) -> list[float]:
    """Where the heel stops sinking relative to the belt (y down): the bend of its last fall before it lifts."""
    from scipy.signal import find_peaks

    smooth = cleaned(heel, times, EVENT_CUTOFF_HZ)
    fall = derivative(cleaned(heel, times, FALL_CUTOFF_HZ), times)
    if not np.isfinite(fall).any():
        return []
    frame_s = float(np.median(np.diff(times)))
    known = np.nan_to_num(smooth, nan=float(np.nanmin(smooth)))
    low, high = np.nanpercentile(smooth, [2, 98])
    lifts, _ = find_peaks(known, height=low + LOW_SHARE * (high - low), distance=max(1, round(0.6 * stride / frame_s)))
    found = [_contact_before(int(k), smooth, fall, times, stride) for k in lifts]
    # A fall that is cut off by the ends of the clip stands alone, no stride away from another.
    return [t for t in found if any(abs(abs(t - other) - stride) < 0.2 * stride for other in found)]


def _contact_before(lift: int, heel: Floats, fall: Floats, times: Floats, stride: float) -> float:
    """The contact before the heel is lowest, frame `lift`; NaN where its fall was not seen.

    Of several falls the last great one counts: the heel sinks in mid-swing, too, but then it is far from the belt.
    """
    from scipy.signal import find_peaks

    window = np.flatnonzero((times >= times[lift] - FALL_WITHIN * stride) & (times <= times[lift]))
    if window.size < 6 or not np.isfinite(fall[window]).all():
        return np.nan
    great, _ = find_peaks(fall[window], prominence=GREAT_SHARE * float(fall[window].max()))
    if not great.size:
        return np.nan
    top = int(window[great[-1]])
    last = int(np.searchsorted(times, times[top] + BEND_WITHIN * stride))
    return _bend_of(heel, times, top, min(last, lift))


def _bend_of(heel: Floats, times: Floats, first: int, last: int) -> float:
    """Where two straight lines that meet fit heights best between two frames, in tenths of a frame; NaN for too few."""
    t, y = times[first : last + 1], heel[first : last + 1]
    if t.size < 5:
        return np.nan
    step = t[1] - t[0]

    def rest(bend: float) -> float:
        """What two lines that meet there leave unexplained."""
        lines = np.column_stack([np.ones_like(t), t - bend, np.maximum(t - bend, 0)])
        return float(np.sum((y - lines @ np.linalg.lstsq(lines, y, rcond=None)[0]) ** 2))

    at = min(t[1:-1], key=rest)
    return float(min(at + step * np.arange(-9, 10) / 10, key=rest))


def _toe_off(toe: Floats, times: Floats, contact: float, stride: float) -> float:
    """Where the forefoot's way back with the belt ends: its sharpest turn upward while it is low; NaN if cut off."""
    bend = derivative(derivative(toe, times), times)
    low, high = np.nanpercentile(toe, [2, 98])
    bend = np.where(toe >= low + TOE_LOW * (high - low), bend, np.inf)
    if contact + LONGEST_STANCE * stride > times[-1]:
        return np.nan
    return _sharpest(bend, times, contact + SHORTEST_STANCE * stride, contact + LONGEST_STANCE * stride)


def gait_of(steps: Sequence[Step], frame_s: float) -> str:
    """`walk` where one foot lands before the other leaves, `run` where none is down between, empty where unsure."""
    overlaps = []
    for step in steps:
        landing = next((s.contact for s in steps if s.side is not step.side and s.contact > step.contact), np.nan)
        overlaps.append(step.toe_off - landing)
    known = [v for v in overlaps if np.isfinite(v)]
    both_down = float(np.median(known)) if known else 0.0
    if abs(both_down) <= SURE_FRAMES * frame_s:
        return ""
    return "walk" if both_down > 0 else "run"


def find_steps(heels: Mapping[Side, Floats], toes: Mapping[Side, Floats], times: Floats) -> list[Step] | NotMeasured:
    """Steps of both legs from heights (n,) px, y down, of heel and outer forefoot by side.

    Returns NotMeasured when no regular steps are found. Steps whose toe-off
    was not seen are left out.
    """
    strides = {side: stride_time(heels[side], times) for side in LEGS}
    known = [s for s in strides.values() if isinstance(s, float)]
    if not known:
        return next(s for s in strides.values() if isinstance(s, NotMeasured))
    stride = float(np.median(known))
    contacts = {side: _contacts(heels[side], times, stride) for side in LEGS}
    smooth = {side: cleaned(toes[side], times, EVENT_CUTOFF_HZ) for side in LEGS}
    offs = {side: [_toe_off(smooth[side], times, t, stride) for t in contacts[side]] for side in LEGS}
    steps = []
    for side in LEGS:
        number = 0
        for contact, off in zip(contacts[side], offs[side], strict=True):
            if not np.isfinite(contact + off):
                continue
            number += 1
            again = next((t for t in contacts[side] if 0.6 * stride < t - contact < 1.5 * stride), np.nan)
            lift = next((t for t in offs[side.other] if contact - 0.1 * stride < t < off), np.nan)
            land = next((t for t in contacts[side.other] if contact < t < off + 0.1 * stride), np.nan)
            middle = (lift + land) / 2 if land > lift else np.nan
            steps.append(Step(side, number, contact, off, float(middle), float(again)))
    if not steps:
        return NotMeasured("no-steps", "no whole step was found: heel and outer forefoot must be tracked")
    return sorted(steps, key=lambda s: s.contact)
