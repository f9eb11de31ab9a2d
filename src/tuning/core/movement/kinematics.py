"""Tracks made ready for measuring: levelled, gaps filled, smoothed; and the angles over time."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field

import numpy as np

from tuning.core.movement.tracks import TRUSTED, Tracks
from tuning.core.pictures import geometry
from tuning.core.pictures.geometry import Marks
from tuning.core.signals import LONGEST_GAP_S, fill_gaps, lowpass
from tuning.core.types import LEGS, Floats, Side

NOISE_SD_PX = 0.16
"""SD of a tracked sticker's place at full quality, px; checked by tests on fresh clips."""
BIAS_SD_PX = 0.12
"""What of it smoothing does not remove (shading, compression), px."""
DOUBT_SD_PX = 0.6
"""Added where the quality falls to nothing, px (practice judgement, editable)."""


@dataclass
class MarkSignals:
    """Marks over time, upright: `tracks` as a camera that stands still would see them, turned by minus `roll_deg`.

    `metres_per_px` is None without a length scale. A place under TRUSTED counts
    as unseen; gaps up to `longest_gap_s` are filled, longer ones stay NaN.
    """

    tracks: Tracks
    cutoff_hz: float
    roll_deg: float = 0.0
    metres_per_px: float | None = None
    longest_gap_s: float = LONGEST_GAP_S
    _raw: dict[str, Floats] = field(default_factory=dict)
    _smooth: dict[str, Floats] = field(default_factory=dict)
    _given_sd: dict[str, float] = field(default_factory=dict)

    def __post_init__(self) -> None:
        self.tracks = self.tracks.steadied()

    def add_place(self, name: str, places: Floats, sd_px: float) -> None:
        """A place in the picture that no mark tells (n, 2), upright px, with its SD; NaN where it is not known."""
        self._smooth[name], self._given_sd[name] = places, sd_px

    @property
    def times(self) -> Floats:
        """Seconds (n,)."""
        return self.tracks.times

    @property
    def rate(self) -> float:
        """Median frames a second."""
        return 1 / float(np.median(np.diff(self.times)))

    def has(self, *names: str) -> bool:
        """Whether these marks were tracked long enough for a smooth course."""
        return self.tracks.has(*names) and all(np.isfinite(self.at(name)).any() for name in names)

    def raw(self, name: str) -> Floats:
        """Upright places (n, 2), px, gaps filled, not smoothed."""
        if name not in self._raw:
            k = self.tracks.names.index(name)
            xy = self.tracks.xy[:, k].copy()
            xy[self.tracks.quality[:, k] < TRUSTED] = np.nan
            c, s = math.cos(math.radians(-self.roll_deg)), math.sin(math.radians(-self.roll_deg))
            upright = np.stack([c * xy[:, 0] - s * xy[:, 1], s * xy[:, 0] + c * xy[:, 1]], axis=1)
            filled = [fill_gaps(column, self.times, self.longest_gap_s) for column in upright.T]
            self._raw[name] = np.stack(filled, axis=1)
        return self._raw[name]

    def at(self, name: str) -> Floats:
        """Upright places (n, 2), px, smoothed."""
        if name not in self._smooth:
            columns = [lowpass(column, self.times, self.cutoff_hz) for column in self.raw(name).T]
            self._smooth[name] = np.stack(columns, axis=1)
        return self._smooth[name]

    def middle(self, *names: str) -> Floats:
        """Mean place of several marks, (n, 2)."""
        return np.asarray(np.mean([self.at(name) for name in names], axis=0))

    def frame(self, time: float) -> int:
        """Frame nearest to a time."""
        return int(np.argmin(np.abs(self.times - time)))

    def window(self, start: float, end: float) -> np.ndarray:
        """Frames within start..end."""
        return np.flatnonzero((self.times >= start) & (self.times <= end))

    def seen_share(self, frames: np.ndarray, *names: str) -> float:
        """Least share of `frames` in which each of the marks was truly seen."""
        if frames.size == 0:
            return 0.0
        columns = [self.tracks.names.index(name) for name in names]
        return float(min((self.tracks.quality[frames, k] >= TRUSTED).mean() for k in columns))

    def sd_px(self, name: str, frame: int) -> float:
        """SD of a smoothed place, px: less noise by the smoothing, more where the quality was low, and the click that
        no sticker took away."""
        if name in self._given_sd:
            return self._given_sd[name]
        quality = float(self.tracks.quality[frame, self.tracks.names.index(name)])
        kept = math.sqrt(min(1.0, 2 * self.cutoff_hz / self.rate))
        click = self.tracks.click_sd.get(name, 0.0)
        return math.hypot(NOISE_SD_PX * kept, BIAS_SD_PX, DOUBT_SD_PX * (1 - quality), click)

    def marking_sd(self, names: tuple[str, ...], frame: int, value_of: Callable[[Marks], float]) -> float:
        """SD of a value from the marks of one frame, in the unit of the value."""
        marks = {name: self.at(name)[frame] for name in names}
        return geometry.propagate(value_of, marks, {name: self.sd_px(name, frame) for name in names})


JUMP_PX = 4.0
"""A common jump of all marks from frame to frame that no body makes, px at 720 lines (practice judgement, editable)."""


def camera_bump(tracks: Tracks) -> float | None:
    """Time (s) at which most marks jump together against their course, as when the camera is bumped."""
    places = np.where((tracks.quality >= TRUSTED)[..., None], tracks.xy, np.nan)
    longer = np.diff(tracks.times) / np.median(np.diff(tracks.times))  # a phone drops frames
    step = np.diff(places, axis=0) / longer[:, None, None]
    # Against the mean of the steps before and after: a movement goes on, a bump does not; in a longer step it turns.
    jerk = step[1:-1] - (step[:-2] + step[2:]) / 2
    jerk /= np.maximum.reduce([longer[:-2], longer[1:-1], longer[2:]]).clip(1.0)[:, None, None]
    seen: np.ndarray = np.asarray(np.isfinite(jerk).all(axis=2))
    greatest, at = JUMP_PX, None
    for k in np.flatnonzero(seen.sum(axis=1) >= max(3, 0.5 * jerk.shape[1])):
        common = np.median(jerk[k][seen[k]], axis=0)
        size = float(np.hypot(*common))
        if size > greatest and float(np.median(np.abs(jerk[k][seen[k]] - common))) < 0.3 * size:
            greatest, at = size, float(tracks.times[k + 2])
    return at


def over_time(signals: MarkSignals, names: tuple[str, ...], value_of: Callable[[Marks], float]) -> Floats:
    """A value of marks in every frame (n,); NaN where a mark is missing."""
    places = [signals.at(name) for name in names]
    seen = np.all([np.isfinite(p).all(axis=1) for p in places], axis=0)
    values = np.full(len(signals.times), np.nan)
    for frame in np.flatnonzero(seen):
        values[frame] = value_of({name: p[frame] for name, p in zip(names, places, strict=True)})
    return values


def lean(lower: Floats, upper: Floats, ahead: int) -> float:
    """Lean of a line from upright, degrees, + toward image direction `ahead`."""
    return geometry.lean_from_vertical(lower, upper, ahead)


def flexion(a: Floats, joint: Floats, b: Floats) -> float:
    """180 minus the interior angle, degrees."""
    return 180 - geometry.interior_angle((a, joint, b))


@dataclass(frozen=True)
class CycleValue:
    """One measure of one step or repetition. `marking_sd` in the unit of the value."""

    measure: str
    side: Side
    cycle: int
    value: float
    frame: int
    time_s: float
    marking_sd: float


@dataclass(frozen=True)
class Curve:
    """A value over all frames with the cycles to cut it by: (side, start, end) in s."""

    measure: str
    side: Side
    values: Floats


POINTS = 101
"""Places on the common axis of a cycle, 0..100 %."""


def by_cycle(curve: Curve, cycles: Sequence[tuple[Side, float, float]], times: Floats) -> list[Floats]:
    """The curve cut into its cycles (side, start, end in s), each of shape (101,).

    Cycles of the other leg are left out, and those seen in less than four fifths.
    """
    cut = []
    for side, start, end in cycles:
        if side in LEGS and curve.side in LEGS and side is not curve.side:
            continue
        inside = (times >= start) & (times <= end)
        seen = inside & np.isfinite(curve.values)
        if inside.sum() > 5 and seen.sum() >= 0.8 * inside.sum():
            cut.append(np.interp(np.linspace(start, end, POINTS), times[seen], curve.values[seen]))
    return cut
