"""Where an effort begins, fitted to the force around it, and how surely.

A threshold is passed late: by little where force leaps, by a tenth of a second where it creeps. So the force from
the stillness before an effort into its first tenth is taken as a level and a power of the time since the start,
level + a (t - start)^p, the best of which tells the start. The patient's own stillness, put on top of what was
fitted again and again, tells how surely (practice judgement, editable; docs/decisions/0029).
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from tuning.core.force.onset import WINDOWS_MS, Baseline, find_onset, rates
from tuning.core.force.recording import MAD_TO_SD
from tuning.core.judging.verdict import Z95
from tuning.core.types import Floats

WIDTH_S, LOOK_BACK_S = 0.5, 12.0
"""Length of the stillness before an effort, and how far back it is sought."""
TREND_SHARE, TREND_SD = 0.01, 2.0
"""A stretch is still when a line through it climbs less than this share of the effort, or so many of its SD."""
FIT_UNTIL = 0.1
"""The start is read from the force up to this share of the effort."""
POWERS = (0.8, 1.0, 1.25, 1.5, 2.0)
"""How force may leave its level: at once (1), or ever faster."""
COARSE, FINE, MOST_POINTS, AGAIN = 100, 81, 300, 40
DIP_SHARE, DIP_SD = 0.03, 5.0
DIP_BEFORE_S = 0.4
"""Force that falls by this share of the effort, and by so many SD, so shortly before it rises is a dip."""
SWAY_S, SWAYS, WIDE_S = 0.05, 2.5, 2.0
"""A patient sways where means over so many seconds differ by so many times what noise makes of them, in so many seconds
before the start."""
SURE_S, SURE_SHARE = 0.003, 0.05
"""A leg's delay is told where its start is sure to so many seconds, a rate where its 95 % limits lie within this
share."""
MODEL_SHARE = 0.015
"""No body pushes by a power: a start may lie off by this share of the time over which it was fitted."""
HALF_A_SAMPLE = 0.5
AS_GOOD = 8.0
"""Fits that leave up to 1 + 8 / n times the squares of the best of n samples are as good; somewhat more
than two free numbers ask for (docs/accuracy.md shows how it holds)."""


@dataclass(frozen=True)
class EffortStart:
    """The sample in which an effort begins, the level and the samples of the stillness before it, how far the start
    may lie off (s, 95 %), how deep a dip goes before it (N, 0 for none), and its earliest and latest likely places, in
    samples from it."""

    at: int
    quiet: Baseline
    still: slice
    sure_s: float
    dip: float
    likely: tuple[float, float]


def find_start(force: Floats, rate: float, upto: int, peak: int, since: int = 0) -> EffortStart | None:
    """The start of the effort that is well under way at sample `upto` and greatest at `peak`; shape (n,) in.

    The stillness before it lies after sample `since`. None where there is none, or where force does not rise from it.
    """
    width = round(WIDTH_S * rate)
    first = still_stretch(force, rate, upto, float(force[peak]), since)
    if first is None:
        return None
    for _ in range(2):  # the stillness may reach a little into a slow rise: once more, from before its start
        quiet = force[first : first + width]
        base = Baseline(float(quiet.mean()), float(quiet.std()))
        rough = find_onset(force, base, rate, first + width // 2, peak, rising=True)
        if rough is None:
            return None
        still = slice(first, first + width)
        at, likely = _fitted(force, rate, first, rough, base, peak)
        first = max(since, min(first, at - width))
    before = force[max(since, at - round(WIDE_S * rate)) : at]
    if before.size and _sways(quiet, rate):  # an upswing is taken for the beginning of a rise: it may begin later
        inside = np.flatnonzero(force[at : upto + 1] <= before.mean() + 2 * before.std())
        likely = (likely[0], max(likely[1], float(inside[-1]) if inside.size else 0.0))
    dip = _dip(force[max(0, at - round(DIP_BEFORE_S * rate)) : at], rate, quiet, float(force[peak]))
    sure = (max(-likely[0], likely[1]) + HALF_A_SAMPLE) / rate
    return EffortStart(at, base, still, sure, dip, likely)


def still_stretch(force: Floats, rate: float, upto: int, height: float, since: int = 0) -> int | None:
    """First sample of the nearest stretch before `upto` in which force neither climbs nor falls; None without one."""
    width = round(WIDTH_S * rate)
    line = np.arange(width) - (width - 1) / 2
    least = max(since, upto - round(LOOK_BACK_S * rate))
    for first in range(upto - width, least - 1, -max(1, width // 10)):
        part = force[first : first + width]
        slope = float(line @ part) / float(line @ line)
        spread = float((part - part.mean() - slope * line).std())
        climbs = abs(slope) * width
        if climbs <= max(TREND_SHARE * (height - float(part.mean())), TREND_SD * spread):
            return first
    return None


def _fitted(
    force: Floats, rate: float, first: int, rough: int, base: Baseline, peak: int
) -> tuple[int, tuple[float, float]]:
    """The start that fits best; the earliest and latest that fit as well or with other noise, in samples from it."""
    rise = float(force[peak]) - base.mean
    beyond = np.flatnonzero(force[rough : peak + 1] > base.mean + max(FIT_UNTIL * rise, 8 * base.sd))
    last = min(peak, rough + max(int(beyond[0]) if beyond.size else 0, round(0.01 * rate)))
    times, part = np.arange(first, last + 1, dtype=float), force[first : last + 1]
    thin = max(1, part.size // MOST_POINTS)
    if thin > 1:
        whole = part.size // thin * thin
        times, part = (one[:whole].reshape(-1, thin).mean(axis=1) for one in (times, part))
    coarse = _Fits(times, np.linspace(first + 0.2 * (rough - first), last - 3 * thin, COARSE))
    middle, _ = coarse.best(part)
    reach = max(0.03 * rate, 0.15 * (last - first))
    fits = _Fits(times, np.linspace(middle - reach, min(middle + reach, last - 2 * thin), FINE))
    start, model = fits.best(part)
    alike = fits.as_good(part)
    if start <= coarse.starts[0]:  # at the edge of what was looked at: it began before, nobody knows when
        alike = (float(first), float(last))
    quiet = force[first : first + round(WIDTH_S * rate)] - base.mean
    there_and_back = np.concatenate([quiet, quiet[::-1]])
    starts = []
    for offset in np.random.default_rng(0).integers(0, there_and_back.size, AGAIN):
        own = there_and_back[(int(offset) + np.arange(last + 1 - first)) % there_and_back.size]
        own = own[: part.size * thin].reshape(-1, thin).mean(axis=1) if thin > 1 else own
        starts.append(fits.best(model + own)[0])
    early, late = (float(v) for v in np.percentile(starts, (2.5, 97.5)))
    slack = MODEL_SHARE * (last - start)
    return round(start), (min(early, alike[0]) - start - slack, max(late, alike[1]) - start + slack)


class _Fits:
    """Every level + a (t - start)^p over some starts, ready to be laid over force."""

    def __init__(self, times: Floats, starts: Floats) -> None:
        self.starts = np.repeat(starts, len(POWERS))
        since = np.maximum(times[None, :] - starts[:, None], 0.0) / max(1.0, float(np.ptp(times)))
        shapes = np.stack([since**p for p in POWERS], axis=1).reshape(-1, times.size)
        shapes -= shapes.mean(axis=1, keepdims=True)
        self._shapes = shapes / np.maximum(np.linalg.norm(shapes, axis=1, keepdims=True), 1e-12)

    def best(self, part: Floats) -> tuple[float, Floats]:
        """The start that explains most, and the fitted force."""
        found = self._shapes @ (part - part.mean())
        k = int(np.argmax(found))
        return float(self.starts[k]), part.mean() + found[k] * self._shapes[k]

    def as_good(self, part: Floats) -> tuple[float, float]:
        """The earliest and the latest start whose fit leaves hardly more than the best one, by the noise it leaves."""
        level = part - part.mean()
        left = float(level @ level) - (self._shapes @ level) ** 2
        good = self.starts[left <= left.min() * (1 + AS_GOOD / part.size)]
        return float(good.min()), float(good.max())


def _means(force: Floats, width: int) -> Floats:
    """Means of stretches of so many samples side by side."""
    return np.asarray(force[: force.size // width * width].reshape(-1, width).mean(axis=1))


def _sways(quiet: Floats, rate: float) -> bool:
    """Whether a stillness wanders by more than the noise of single samples makes the means of 50 ms wander."""
    width = max(2, round(SWAY_S * rate))
    noise = float(np.std(np.diff(quiet))) / math.sqrt(2 * width)
    return float(_means(quiet, width).std()) > SWAYS * noise


def _dip(before: Floats, rate: float, quiet: Floats, height: float) -> float:
    """How deep force falls just before it rises, N, by the mean of 10 ms; 0 where it does not."""
    level, width = float(np.median(quiet)), max(1, round(0.01 * rate))
    if before.size < width:
        return 0.0
    deep = level - float(np.convolve(before, np.full(width, 1 / width), "valid").min())
    spread = MAD_TO_SD * float(np.median(np.abs(quiet - level)))
    return deep if deep > max(DIP_SHARE * (height - level), DIP_SD * spread) else 0.0


def sure_rates(
    smooth: Floats, start: EffortStart, rate: float, last: int, at: int | None = None
) -> tuple[dict[str, float], list[int]]:
    """Rates of low-passed force over each window from the start (or from sample `at`), and the windows (ms) over which
    they are not sure: for the start, or for what noise and sway alone would rise by there.
    """
    onset = start.at if at is None else at
    told = rates(smooth, onset, rate, last)
    samples, still, unsure = np.arange(smooth.size), smooth[start.still], []
    for window in WINDOWS_MS:
        width = round(window / 1000 * rate)
        if f"rate-{window}" not in told:
            continue
        rise = told[f"rate-{window}"] * window / 1000
        starts = np.clip(onset + np.linspace(*start.likely, 9), 0, smooth.size - 1 - width)
        rises = np.interp(starts + width, samples, smooth) - np.interp(starts, samples, smooth)
        sway = Z95 * float((still[width:] - still[:-width]).std())
        if math.hypot(float(np.abs(rises - rise).max()), sway) > SURE_SHARE * abs(rise):
            unsure.append(window)
            del told[f"rate-{window}"]
    return told, unsure
