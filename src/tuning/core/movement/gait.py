"""Steps seen from behind, on a belt or a floor: contact, toe-off, mid-stance; speed is not needed.

Heels are enough. A forefoot that is seen tells the toe-off better.
"""

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
LOW_SHARE, FALL_WITHIN, FALL_BEFORE, GREAT_SHARE = 0.6, 0.85, 0.15, 0.45
"""The heel is low in this share of its way; the fall before a contact lies within so much of a stride before the heel
is lowest, and at least the next share, and stands out by the last of the fastest fall there (practice judgement,
editable)."""
HEEL_RISE, STANCE_TO_RISE = 0.1, 1.28
"""Once the heel has risen by this share of its swing, the stance lasts so many times as long as it has lasted (practice
judgement from drawn walks and runs of two kinds, editable)."""
NEAR_RISE, RUN_LAG, AGREED = 0.12, 0.035, 0.08
"""In strides: how near to that the forefoot's sharpest turn is looked for, by how much it comes late in a run, and how
well it has to agree with the heel to be believed (practice judgement, editable)."""
AT_THE_END = 0.05
"""So many strides before the end of a clip no toe-off is told: smoothing has nothing to go by there."""
EVENT_SD_FRAMES = 0.4
"""SD of an event's time, frames; checked by tests on fresh clips."""
CONTACT_SD, FOREFOOT_SD, HEEL_SD = 0.023, 0.03, 0.045
"""What adds to it, in strides: of a contact, of a toe-off told by the forefoot, by the heel. Checked on drawn walks and
runs of two kinds (practice judgement, editable)."""
EITHER_WAY = 0.1
"""In strides: how far the events of the two legs may lie from where equal legs have them (practice judgement,
editable)."""
SURE_FRAMES = 1.5
"""Both feet down, or none, for less than so many frames tells neither walking nor running."""
LEAST_ALIKE, LEAST_UNLIKE = 3, 0.25
"""So many landings of a leg have a mean worth laying them over; one that leaves this share of its size unexplained,
and three times what is usual, is none (practice judgement, editable)."""
BEND_WITHIN = 0.22
"""A contact lies within this share of a stride after its fastest fall."""
EVEN_LONG, EVEN_AHEAD, EVEN_OFF, WALK_TO_RISE = 0.12, 0.06, 0.05, 0.4
"""In strides: how long a stretch before the heel rises is laid back in a line, and how far; where the heel lies above
that by the next share of its way it has not landed yet. Only where the heel rises the last so long after it has come
down, as in a walk (practice judgement, editable)."""
COMPETING, COMPETING_SD = 0.04, 0.25
"""Two landings of one step so many strides apart compete: the later one counts, and this share of what lies between
them adds to its SD (practice judgement, editable)."""
LEAST_STRIDE_S, MOST_STRIDE_S = 0.45, 2.5


@dataclass(frozen=True)
class Stance:
    """One foot's time on the ground: times and their SD, s; `by` names the mark that told the toe-off.

    The toe-off is NaN where it was not told, as in the last stance of a clip: the landing still ends a swing.
    """

    side: Side
    contact: float
    toe_off: float
    contact_sd: float
    toe_off_sd: float
    by: str


@dataclass(frozen=True)
class Stances:
    """What was found, in order of contact; how many steps of each side were left out; the stride, s."""

    found: list[Stance]
    left_out: dict[Side, int]
    stride: float


@dataclass(frozen=True)
class GaitStep:
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
    contact_sd: float = 0.0
    toe_off_sd: float = 0.0

    @property
    def mid_stance_sd(self) -> float:
        """SD of the middle between a toe-off and a contact, s."""
        return float(np.hypot(self.contact_sd, self.toe_off_sd)) / 2


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


def _off_trend(height: Floats, times: Floats) -> Floats:
    """Heights without the slow way of somebody who walks off or drifts on the belt: a floor becomes a belt."""
    seen = np.isfinite(height)
    if seen.sum() < 4:
        return height
    middle = times - times.mean()
    return np.asarray(height - np.polyval(np.polyfit(middle[seen], height[seen], 2), middle))


def _way(heel: Floats, times: Floats, stride: float) -> tuple[Floats, Floats]:
    """Highest place of the heel within a stride around, and how far it sinks from there, px."""
    from scipy.ndimage import maximum_filter1d, minimum_filter1d

    around = 1 + 2 * max(1, round(0.5 * stride / float(np.median(np.diff(times)))))
    lowest = maximum_filter1d(np.nan_to_num(heel, nan=-np.inf), around, mode="nearest")
    highest = minimum_filter1d(np.nan_to_num(heel, nan=np.inf), around, mode="nearest")
    return highest, np.maximum(lowest - highest, 1e-9)


def _lows(heel: Floats, times: Floats, stride: float) -> list[int]:
    """Frames in which the heel is lowest, once a stride, by its way within a stride around."""
    from scipy.signal import find_peaks

    frame_s = float(np.median(np.diff(times)))
    highest, way = _way(heel, times, stride)
    share = np.nan_to_num((heel - highest) / way, nan=0.0, posinf=0.0, neginf=0.0)
    lows, _ = find_peaks(share, height=LOW_SHARE, distance=max(1, round(0.6 * stride / frame_s)))
    return [int(k) for k in lows]


def _contacts(heel: Floats, times: Floats, stride: float) -> list[tuple[float, float]]:
    """Where the heel stops sinking relative to the ground (y down), the bend of its last fall before it lifts, and what
    adds to its SD, s."""
    smooth = cleaned(heel, times, EVENT_CUTOFF_HZ)
    fall = derivative(cleaned(heel, times, FALL_CUTOFF_HZ), times)
    if not np.isfinite(fall).any():
        return []
    found = [_contact_before(k, smooth, fall, times, stride) for k in _lows(smooth, times, stride)]
    # A fall that is cut off by the ends of the clip stands alone, no whole strides away from another.
    known = [t for t in found if any(_strides_apart(t, other, stride) for other in found)]
    landed = _laid_over_each_other(known, smooth, times, stride)
    return _out_of_step([_for_good(t, smooth, times, stride) for t in landed], stride)


def _out_of_step(contacts: list[tuple[float, float]], stride: float) -> list[tuple[float, float]]:
    """A landing that does not come with the others of its leg is less sure, by what it lies off."""
    known = [t for t, _ in contacts if np.isfinite(t)]
    if len(known) < LEAST_ALIKE:
        return contacts
    off = {t: (t - known[0]) / stride - round((t - known[0]) / stride) for t in known}
    middle = float(np.median(list(off.values())))
    return [
        (t, float(np.hypot(doubt, (off[t] - middle) * stride / 2)))
        if t in off and abs(off[t] - middle) > COMPETING
        else (t, doubt)
        for t, doubt in contacts
    ]


def _for_good(contact: float, heel: Floats, times: Floats, stride: float) -> tuple[float, float]:
    """A landing as it is, and what adds to its SD, s; the start of the even stretch where that begins elsewhere."""
    rise = _heel_rise(heel, times, contact, stride)
    even = _even_from(heel, times, rise, stride) if np.isfinite(rise) else np.nan
    apart = abs(even - contact)
    if rise - even >= WALK_TO_RISE * stride and apart > COMPETING * stride:
        return even, COMPETING_SD * apart
    return contact, 0.0


def _even_from(heel: Floats, times: Floats, rise: float, stride: float) -> float:
    """Where the even stretch begins that lasts until the heel rises: there the foot has stopped for good.

    A heel that hovers before it lands falls twice, and only this tells which fall ended on the ground. NaN unknown.
    """
    frame_s = float(np.median(np.diff(times)))
    long, ahead = max(4, round(EVEN_LONG * stride / frame_s)), max(2, round(EVEN_AHEAD * stride / frame_s))
    last = int(np.searchsorted(times, rise - 0.1 * stride))
    _, way = _way(heel, times, stride)
    line = np.arange(long) - (long - 1) / 2
    for first in range(last - long, max(ahead, last - round(0.7 * stride / frame_s)), -1):
        part = heel[first : first + long]
        expected = part.mean() - (line @ part) / (line @ line) * ((long - 1) / 2 + ahead)
        if not expected - heel[first - ahead] <= EVEN_OFF * way[first]:
            fall = heel[first - ahead : first + 2] - heel[first - ahead - 1 : first + 1]
            top = first - ahead - 1 + int(np.argmax(fall))
            return _bend_of(heel, times, top, min(top + round(0.14 * stride / frame_s), last))
    return np.nan


def _strides_apart(one: float, other: float, stride: float) -> bool:
    """Whether two landings of a leg are whole strides apart, nearly; NaN is not."""
    strides = abs(one - other) / stride
    return bool(strides > 0.5 and abs(strides - np.round(strides)) < 0.2)


def _laid_over_each_other(contacts: Sequence[float], heel: Floats, times: Floats, stride: float) -> list[float]:
    """Landings of one leg are alike: each is laid over their mean, whose bend noise hardly moves; NaN if unlike."""
    from scipy.ndimage import gaussian_filter1d

    if len(contacts) < LEAST_ALIKE:
        return list(contacts)
    step = float(np.median(np.diff(times))) / 5
    grid = np.arange(-0.2 * stride, 0.2 * stride, step)
    lags = np.arange(-0.08 * stride, 0.08 * stride, step)

    def landings(contact: float) -> Floats:
        """Heights around a landing for every lag (lags, grid), without their level and size."""
        part = np.interp(contact + lags[:, None] + grid, times, heel)
        spread = np.maximum(part.std(axis=1, keepdims=True), 1e-9)
        return np.asarray((part - part.mean(axis=1, keepdims=True)) / spread)

    parts = [landings(contact) for contact in contacts]
    mean = np.median([part[len(lags) // 2] for part in parts], axis=0)
    for _ in range(2):
        best = [int(np.argmin(np.sum((part - mean) ** 2, axis=1))) for part in parts]
        mean = np.median([part[k] for part, k in zip(parts, best, strict=True)], axis=0)
    fall = gaussian_filter1d(mean, 0.02 * stride / step, order=1, mode="nearest")
    fastest = int(np.argmax(np.where(grid < 0, fall, -np.inf)))
    last = min(fastest + round(BEND_WITHIN * stride / step), len(grid) - 1)
    bend = _bend_of(mean, grid, fastest, last)
    if not np.isfinite(bend):
        return list(contacts)
    unlike = [float(np.sqrt(np.mean((part[k] - mean) ** 2))) for part, k in zip(parts, best, strict=True)]
    most = max(LEAST_UNLIKE, 3 * float(np.median(unlike)))
    return [
        float(contact + lags[k] + bend) if off <= most else np.nan
        for contact, k, off in zip(contacts, best, unlike, strict=True)
    ]


def _contact_before(lift: int, heel: Floats, fall: Floats, times: Floats, stride: float) -> float:
    """The contact before the heel is lowest, frame `lift`; NaN where its fall was not seen.

    Of several falls the last great one counts: the heel sinks in mid-swing, too, but then it is far from the belt.
    """
    from scipy.signal import find_peaks

    window = np.flatnonzero((times >= times[lift] - FALL_WITHIN * stride) & (times <= times[lift]))
    if window.size < 6 or not np.isfinite(fall[window]).all():
        return np.nan
    great, _ = find_peaks(fall[window], prominence=GREAT_SHARE * float(fall[window].max()))
    # Just before it lifts the heel is carried fastest by a belt that comes nearer.
    great = great[times[window[great]] <= times[lift] - FALL_BEFORE * stride]
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
    line, _ = np.linalg.qr(np.column_stack([np.ones_like(t), t - t[0]]))

    def best(bends: Floats) -> float:
        """The bend that explains most of what one straight line leaves."""
        kinks = np.maximum(t[:, None] - bends, 0)
        kinks -= line @ (line.T @ kinks)
        return float(bends[np.argmax((y @ kinks) ** 2 / np.sum(kinks**2, axis=0))])

    return best(best(t[1:-1]) + step * np.arange(-9, 10) / 10)


def _heel_rise(heel: Floats, times: Floats, contact: float, stride: float) -> float:
    """When the heel has begun to rise, between frames; NaN where its way up was not seen."""
    stance = np.flatnonzero((times >= contact + 0.08 * stride) & (times <= contact + 0.75 * stride))
    unseen = np.flatnonzero(~np.isfinite(heel[stance]))
    stance = stance[: unseen[0]] if unseen.size else stance
    if stance.size < 4:
        return np.nan
    lowest = int(stance[np.argmax(heel[stance])])
    risen = heel[lowest] - heel[lowest : lowest + stance.size]
    enough = HEEL_RISE * float(_way(heel, times, stride)[1][lowest])
    after = int(np.argmax(risen >= enough))
    if after == 0 or not np.isfinite(risen[: after + 1]).all():
        return np.nan
    return float(np.interp(enough, risen[after - 1 : after + 1], times[lowest + after - 1 : lowest + after + 1]))


def _toe_off(heel: Floats, bend: Floats, times: Floats, contact: float, stride: float) -> tuple[float, str]:
    """When the foot leaves the ground, and the mark that told: the forefoot by its sharpest turn upward, else the heel.

    `bend` is the forefoot's acceleration, NaN where it was not seen. NaN where neither tells.
    """
    expected = contact + STANCE_TO_RISE * (_heel_rise(heel, times, contact, stride) - contact)
    if not expected <= times[-1] - AT_THE_END * stride:
        return np.nan, ""
    near = NEAR_RISE * stride
    around = (times >= expected - near) & (times <= expected + near)
    if np.isfinite(bend[around]).all():
        turn = _sharpest(bend, times, expected - near, expected + near)
        runs = expected - contact < 0.5 * stride
        leaves = turn - (RUN_LAG * stride if runs else 0.0)
        if abs(leaves - expected) <= AGREED * stride:
            return leaves, "forefoot"
    return float(expected), "heel"


def gait_of(steps: Sequence[GaitStep], frame_s: float) -> str:
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


def find_stances(heels: Mapping[Side, Floats], toes: Mapping[Side, Floats], times: Floats) -> Stances | NotMeasured:
    """Stances of both legs from heights (n,) px, y down, of heel and outer forefoot by side.

    The forefoot may be NaN throughout. Returns NotMeasured when no regular steps are found.
    """
    level = {side: _off_trend(heels[side], times) for side in LEGS}
    strides = {side: stride_time(level[side], times) for side in LEGS}
    known = [s for s in strides.values() if isinstance(s, float)]
    if not known:
        return next(s for s in strides.values() if isinstance(s, NotMeasured))
    # Legs share it; one of them may repeat itself better after two.
    stride = float(np.mean([s for s in known if s < 1.5 * min(known)]))
    frame_s = float(np.median(np.diff(times)))
    contact_sd = float(np.hypot(EVENT_SD_FRAMES * frame_s, CONTACT_SD * stride))
    found, left_out = list[Stance](), dict[Side, int]()
    for side in LEGS:
        heel = cleaned(level[side], times, FALL_CUTOFF_HZ)
        forefoot = cleaned(_off_trend(toes[side], times), times, EVENT_CUTOFF_HZ)
        bend = derivative(derivative(forefoot, times), times)
        contacts = _contacts(level[side], times, stride)
        # The last one's swing is cut off by the end of the clip: no loss.
        whole = [t for t, _ in contacts if t + stride <= times[-1]]
        left_out[side] = round((max(whole) - min(whole)) / stride) + 1 if whole else 0
        for contact, doubt in contacts:
            off, by = _toe_off(heel, bend, times, contact, stride)
            if np.isfinite(contact):
                share = FOREFOOT_SD if by == "forefoot" else HEEL_SD
                off_sd = float(np.hypot(EVENT_SD_FRAMES * frame_s, share * stride))
                found.append(Stance(side, contact, off, float(np.hypot(contact_sd, doubt)), off_sd, by))
                left_out[side] -= contact in whole and bool(np.isfinite(off))
    if not any(np.isfinite(one.toe_off) for one in found):
        return NotMeasured("no-steps", "no whole step was found: both heels must be seen from landing to swing")
    return Stances(sorted(found, key=lambda s: s.contact), left_out, stride)


def steps_of(stances: Sequence[Stance], stride: float) -> list[GaitStep]:
    """Steps in order of contact, each with the swing of the other leg in its middle and its own swing after it."""
    steps = []
    for side in LEGS:
        own = [s for s in stances if s.side is side]
        other = [s for s in stances if s.side is side.other]
        for number, one in enumerate((s for s in own if np.isfinite(s.toe_off)), start=1):
            contact, off = one.contact, one.toe_off
            again = next((s.contact for s in own if 0.6 * stride < s.contact - contact < 1.5 * stride), np.nan)
            # In a run the other leg lifts before this one lands: half a stride is stance and flight together.
            apart = (max(0.0, 0.5 - (off - contact) / stride) + EITHER_WAY) * stride
            lift = next((s.toe_off for s in other if contact - apart < s.toe_off < off), np.nan)
            land = next((s.contact for s in other if contact < s.contact < off + apart), np.nan)
            middle = (lift + land) / 2 if land > lift else np.nan
            steps.append(
                GaitStep(side, number, contact, off, float(middle), float(again), one.contact_sd, one.toe_off_sd)
            )
    return sorted(steps, key=lambda s: s.contact)
