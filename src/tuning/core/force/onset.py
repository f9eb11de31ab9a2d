"""When an effort begins, and how fast force rises from there."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from tuning.core.types import Floats, NotMeasured

FAR_SD, NEAR_SD, HELD_S = 5.0, 1.0, 0.02
"""Onset (after Dos'Santos 2017): beyond 5 SD of quiet for 20 ms, then back to the last sample within 1 SD."""
NEAR_MEAN_S = 0.002
"""The way back ends where the mean of the last 3 ms is within 1 SD: a single noisy sample would end it too early
(docs/decisions/0008)."""
WINDOWS_MS = (50, 100, 150, 200, 250)
STILL_START_SHARE = 0.05
"""A start is still when the quiet SD is at most this share of the effort's rise (practice judgement, editable)."""


@dataclass(frozen=True)
class Baseline:
    """Mean and SD (N) of the force before an effort."""

    mean: float
    sd: float


def quiet_before(force: Floats, upto: int, rate: float, seconds: float = 0.5) -> Baseline | NotMeasured:
    """The quiet stretch of `seconds` that ends nearest before sample `upto`, moved back to where it is stillest.

    Looks back over one second and a half; NotMeasured when less than the stretch lies before.
    """
    width = round(seconds * rate)
    start = max(0, upto - round(3 * seconds * rate))
    if upto - start < width:
        return NotMeasured("no-quiet", f"less than {seconds:g} s of quiet before the effort")
    best: Baseline | None = None
    for first in range(upto - width, start - 1, -max(1, width // 10)):
        stretch = force[first : first + width]
        found = Baseline(float(stretch.mean()), float(stretch.std()))
        if best is None or found.sd < best.sd:
            best = found
    assert best is not None
    return best


def find_onset(force: Floats, quiet: Baseline, rate: float, first: int, last: int, rising: bool = False) -> int | None:
    """Sample of the onset between `first` and `last`; None when force never leaves the quiet band.

    With `rising` only a rise above the band counts: a dip just before it is no part of it.
    """
    part = force[first : last + 1] - quiet.mean
    sd = max(quiet.sd, 0.05)
    away = part > FAR_SD * sd if rising else np.abs(part) > FAR_SD * sd
    held = max(1, round(HELD_S * rate))
    runs = np.convolve(away, np.ones(held, dtype=int), "valid") == held
    starts = np.flatnonzero(runs)
    if not starts.size:
        return None
    width = 2 * round(NEAR_MEAN_S * rate / 2) + 1
    until_now = np.convolve(np.pad(part, (width - 1, 0), "edge"), np.full(width, 1 / width), "valid")
    before = until_now[: starts[0] + 1]
    calm = np.flatnonzero((before if rising else np.abs(before)) <= NEAR_SD * sd)
    return first + (int(calm[-1]) if calm.size else int(starts[0]))


def rates(force: Floats, onset: int, rate: float, last: int) -> dict[str, float]:
    """Mean rate of force rise (N/s) from onset over each window.

    `force` has shape (n,). Windows that the effort does not fill are left out.
    """
    found: dict[str, float] = {}
    for window in WINDOWS_MS:
        end = onset + round(window / 1000 * rate)
        if end <= last:
            found[f"rate-{window}"] = float(force[end] - force[onset]) / (window / 1000)
    return found


def impulses(force: Floats, base: float, onset: int, rate: float, last: int) -> dict[str, float]:
    """Impulse above `base` (Ns) from onset over each window, shape (n,) in."""
    found: dict[str, float] = {}
    for window in WINDOWS_MS:
        end = onset + round(window / 1000 * rate)
        if end <= last:
            found[f"impulse-{window}"] = float(np.trapezoid(force[onset : end + 1] - base, dx=1 / rate))
    return found
