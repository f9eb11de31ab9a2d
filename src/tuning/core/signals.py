"""Time signals: gaps, zero-lag smoothing, derivatives; frame rates need not be constant."""

from __future__ import annotations

import numpy as np

from tuning.core.types import Floats

LONGEST_GAP_S = 0.25
"""Longest gap that is filled; longer ones stay gaps (practice judgement, editable)."""
MOST_OF_RATE = 0.45
"""A cut-off above this share of the sampling rate smooths nothing, and is left out."""
LEAST_SAMPLES = 9
"""Shorter stretches are not smoothed but left out."""


def stretches(seen: np.ndarray) -> list[tuple[int, int]]:
    """Half-open index ranges in which a boolean array (n,) is true."""
    edges = np.flatnonzero(np.diff(np.concatenate([[False], seen, [False]]).astype(np.int8)))
    return [(int(a), int(b)) for a, b in zip(edges[::2], edges[1::2], strict=True)]


def fill_gaps(values: Floats, times: Floats, longest_s: float = LONGEST_GAP_S) -> Floats:
    """Values (n,) with inner gaps (NaN) up to `longest_s` filled by a shape-keeping cubic.

    Longer gaps and both ends stay NaN. Needs two samples at least.
    """
    from scipy.interpolate import PchipInterpolator

    seen = np.isfinite(values)
    if seen.sum() < 2 or seen.all():
        return values.copy()
    filled = values.copy()
    smooth = PchipInterpolator(times[seen], values[seen])
    known = np.flatnonzero(seen)
    for a, b in stretches(~seen):
        inner = known[0] < a and b <= known[-1]
        if inner and times[b] - times[a - 1] <= longest_s:
            filled[a:b] = smooth(times[a:b])
    return filled


def lowpass(values: Floats, times: Floats, cutoff_hz: float) -> Floats:
    """Zero-lag Butterworth (second order run both ways, so fourth order in effect).

    The cut-off is corrected for the two passes (Winter 2009), so that
    `cutoff_hz` is where half the power is left. Each stretch without gaps is
    smoothed for itself, on an even time grid where stamps are uneven; stretches
    under nine samples become NaN. Raises ValueError for a cut-off that is not above zero.
    """
    if cutoff_hz <= 0:
        raise ValueError("the cut-off must be above zero")
    smooth = np.full_like(values, np.nan)
    for a, b in stretches(np.isfinite(values)):
        if b - a < LEAST_SAMPLES:
            continue
        t, v = times[a:b], values[a:b]
        rate = (b - a - 1) / (t[-1] - t[0])
        # Half power after two passes lies at the cut-off of one pass times this factor.
        single = cutoff_hz / (np.sqrt(2) - 1) ** 0.25
        if single >= MOST_OF_RATE * rate:
            smooth[a:b] = v
            continue
        grid = np.linspace(t[0], t[-1], b - a)
        even = np.allclose(grid, t, atol=0.02 / rate)
        pad = min(b - a - 1, max(12, round(1.5 * rate / cutoff_hz)))
        out = evenly_lowpassed(v if even else np.interp(grid, t, v), rate, single, pad)
        smooth[a:b] = out if even else np.interp(t, grid, out)
    return smooth


def evenly_lowpassed(values: Floats, rate: float, single_hz: float, pad: int | None = None) -> Floats:
    """Second-order Butterworth run both ways over evenly taken samples (n,); `single_hz` is the cut-off of one pass.

    Untouched where the cut-off is more than MOST_OF_RATE of `rate`, samples a second.
    """
    from scipy.signal import butter, sosfiltfilt  # slow to load, not needed for the first window

    if single_hz >= MOST_OF_RATE * rate:
        return np.asarray(values, float)
    return np.asarray(sosfiltfilt(butter(2, single_hz, fs=rate, output="sos"), values, padlen=pad), float)


def derivative(values: Floats, times: Floats) -> Floats:
    """Change a second by central differences; NaN beside gaps."""
    return np.gradient(values, times)


def cleaned(values: Floats, times: Floats, cutoff_hz: float, longest_s: float = LONGEST_GAP_S) -> Floats:
    """Gaps filled, then smoothed; columns of (n, k) each for itself."""
    if values.ndim == 2:
        return np.stack([cleaned(column, times, cutoff_hz, longest_s) for column in values.T], axis=1)
    return lowpass(fill_gaps(values, times, longest_s), times, cutoff_hz)
