"""One effort on a hand-held gauge as force over time: what it says, and whether it counts."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

import numpy as np

from tuning.core.signals import evenly_lowpassed
from tuning.core.types import Floats, NotMeasured

CUTOFF_HZ = 15.0
"""Zero-lag low-pass before a peak is read: keeps tremor of 8-12 Hz, drops noise (practice judgement, editable)."""
LONGEST_GAP_S = 0.1
"""Lost samples up to this long are bridged by a straight line (practice judgement, editable)."""
LEAST_PEAK_N = 5.0
"""Below this nobody pushed (practice judgement, editable)."""


class EffortFault(StrEnum):
    """Why an effort does not count."""

    PRE_TENSION = "pre-tension"
    JERK = "jerk"
    SLIP = "pad slip"
    NOT_HELD = "not held"
    LOST = "signal lost"


@dataclass(frozen=True)
class Rules:
    """Limits of a valid effort (practice judgement, editable). Percent of the best second unless said otherwise."""

    pre_tension_percent: float = 5.0
    """Force before the start, percent of the peak."""
    jerk_percent: float = 15.0
    """Peak above the best second."""
    slip_percent: float = 20.0
    """Fall within `slip_s` with force coming back or staying on."""
    slip_s: float = 0.05
    loss_percent: float = 10.0
    """Loss from the beginning to the end of the hold."""
    least_hold_s: float = 2.0
    """Shortest time near the best second."""


MAKE_RULES = Rules()
BREAK_RULES = Rules(jerk_percent=np.inf, slip_percent=np.inf, loss_percent=np.inf, least_hold_s=1.0)
"""A break test peaks while it is overcome and then gives way: neither is a fault, a second of hold is asked for
(practice judgement, editable)."""


@dataclass(frozen=True)
class GaugeEffort:
    """Readings of one effort. Times in s from the first sample, forces in N, rates in N/s.

    `rise` is the mean rate of force rise over the first 200 ms after onset,
    `fatigue` the slope of a line through the hold. `faults` come with their
    reason in words; an effort with one does not count.
    """

    onset_s: float
    peak: float
    peak_s: float
    best_second: float
    rise: float
    fatigue: float
    hold_s: float
    faults: tuple[tuple[EffortFault, str], ...]
    pull: bool = False
    """The gauge was pulled: its numbers were below zero."""

    @property
    def valid(self) -> bool:
        """Whether the effort counts."""
        return not self.faults

    @property
    def time_to_peak(self) -> float:
        """From onset to peak, s."""
        return self.peak_s - self.onset_s

    @property
    def reason(self) -> str:
        """All faults in words."""
        return "; ".join(text for _, text in self.faults)


def read_effort(times: Floats, force: Floats, rules: Rules = MAKE_RULES) -> GaugeEffort | NotMeasured:
    """Read one effort from samples of shape (n,): seconds, rising; newtons, NaN where a sample was lost.

    Push counts above zero, pull below; the larger one is read. Returns
    NotMeasured when too little was recorded or nobody pushed. Raises
    ValueError when times do not rise or lengths differ.
    """
    t, f = np.asarray(times, float), np.asarray(force, float)
    if t.shape != f.shape or t.ndim != 1 or np.any(np.diff(t) <= 0):
        raise ValueError("times must rise, one for each sample")
    known = np.isfinite(f)
    if known.sum() < 50:
        return NotMeasured("too-short", "less than half a second was recorded")
    rate = 1 / float(np.median(np.diff(t)))
    grid = np.arange(t[known][0], t[known][-1], 1 / rate)
    raw = np.interp(grid, t[known], f[known])
    pull = abs(float(raw.min())) > float(raw.max())
    raw = -raw if pull else raw
    smooth = _smoothed(raw, rate)
    peak_at = int(np.argmax(smooth))
    peak = float(smooth[peak_at])
    if peak < LEAST_PEAK_N:
        return NotMeasured("no-effort", f"no push above {LEAST_PEAK_N:g} N was seen")
    best = best_second(smooth, rate)
    if isinstance(best, NotMeasured):
        return best
    onset, base = _onset(smooth, peak, rate)
    first, last = _hold(smooth, best, rate)
    lost = float(np.max(np.diff(t[known]))) - 1 / rate
    return GaugeEffort(
        float(grid[onset]),
        peak,
        float(grid[peak_at]),
        best,
        _rise(smooth, onset, rate),
        float(np.polyfit(grid[first : last + 1], smooth[first : last + 1], 1)[0]) if last - first > 10 else 0.0,
        (last - first) / rate,
        tuple(_faults(_Parts(raw, smooth, rate, peak, best, base, first, last, lost), rules)),
        pull,
    )


def best_second(force: Floats, rate: float) -> float | NotMeasured:
    """Greatest mean over one whole second; NotMeasured when less than a second was recorded."""
    width = round(rate)
    if force.size < width:
        return NotMeasured("too-short", "less than a second was recorded")
    total = np.concatenate([[0.0], np.cumsum(force)])
    return float(np.max(total[width:] - total[:-width])) / width


def _smoothed(force: Floats, rate: float) -> Floats:
    return evenly_lowpassed(force, rate, CUTOFF_HZ)


def _onset(smooth: Floats, peak: float, rate: float) -> tuple[int, float]:
    """First sample of the rise, and the force before it (median of what is quiet)."""
    climb = int(np.argmax(smooth >= 0.5 * peak))
    quiet = smooth[: max(climb - round(0.5 * rate), round(0.1 * rate), 1)]
    base = float(np.median(quiet))
    threshold = base + max(0.03 * peak, 5 * float(np.median(np.abs(quiet - base))))
    below = np.flatnonzero(smooth[: climb + 1] <= threshold)
    return (int(below[-1]) if below.size else 0), base


def _hold(smooth: Floats, best: float, rate: float) -> tuple[int, int]:
    """First and last sample of the hold: from near the best second to the beginning of the letting go."""
    near = np.flatnonzero(smooth >= 0.9 * best)
    first = int(near[0])
    on = np.flatnonzero(smooth >= 0.5 * best)
    last = int(on[-1])
    # Letting go is a fall of a quarter within 150 ms that ends the effort; the hold ends before it.
    back = max(first, last - round(0.3 * rate))
    level = float(np.median(smooth[max(first, last - round(0.8 * rate)) : back + 1]))
    still = np.flatnonzero(smooth[first : last + 1] >= 0.95 * level)
    return first, first + int(still[-1]) if still.size else last


def _rise(smooth: Floats, onset: int, rate: float) -> float:
    end = min(onset + round(0.2 * rate), smooth.size - 1)
    return float(smooth[end] - smooth[onset]) / ((end - onset) / rate) if end > onset else 0.0


@dataclass(frozen=True)
class _Parts:
    raw: Floats
    smooth: Floats
    rate: float
    peak: float
    best: float
    base: float
    first: int
    last: int
    lost_s: float


def _faults(p: _Parts, rules: Rules) -> list[tuple[EffortFault, str]]:
    found = []
    before = 100 * p.base / p.peak
    if before > rules.pre_tension_percent:
        found.append((EffortFault.PRE_TENSION, f"already pushing before the start, {before:.0f} % of the peak"))
    spike = 100 * (p.peak / p.best - 1)
    if spike > rules.jerk_percent:
        found.append((EffortFault.JERK, f"a jerk: the peak stands {spike:.0f} % above the best second"))
    slip = _slip(p, rules.slip_s)
    if slip > rules.slip_percent:
        found.append((EffortFault.SLIP, f"the pad slipped: {slip:.0f} % lost within {1000 * rules.slip_s:.0f} ms"))
    held, loss = (p.last - p.first) / p.rate, _loss(p)
    if held < rules.least_hold_s:
        found.append((EffortFault.NOT_HELD, f"held {held:.1f} s only, {rules.least_hold_s:g} s are needed"))
    elif loss > rules.loss_percent:
        found.append((EffortFault.NOT_HELD, f"not held: {loss:.0f} % lost during the hold"))
    if p.lost_s > LONGEST_GAP_S:
        found.append((EffortFault.LOST, f"the gauge sent nothing for {1000 * p.lost_s:.0f} ms"))
    return found


def _loss(p: _Parts) -> float:
    """Loss over the hold, percent: of its first against its last third of a second, at any length."""
    width = max(1, round(0.33 * p.rate))
    hold = p.smooth[p.first + round(0.15 * p.rate) : p.last + 1]  # an overshoot at the start is no loss
    if hold.size < 3 * width:
        return 0.0
    start, end = float(np.mean(hold[:width])), float(np.mean(hold[-width:]))
    # The means lie half a window inside the hold; a steady fall is carried on to its ends.
    return 100 * (start - end) / start * (hold.size / (hold.size - width))


def _slip(p: _Parts, within_s: float) -> float:
    """Greatest fall within the time, percent of the best second, that is not the letting go at the end."""
    from scipy.ndimage import median_filter

    width = max(1, round(within_s * p.rate))
    force = median_filter(p.raw, 3)[p.first : p.last + 1]
    if force.size <= width:
        return 0.0
    return 100 * float(np.max(force[:-width] - force[width:])) / p.best
