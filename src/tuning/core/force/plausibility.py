"""What no leg does and no plate should: questions about a recording, the same for every format.

Every limit here is practice judgement, editable. What is questioned is told beside the numbers, not changed.
"""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from tuning.core.force.recording import LEAST_PRESSING_N, noise_of
from tuning.core.signals import stretches
from tuning.core.types import LEGS, Floats, Side

FASTEST_N_MS, FASTEST_OVER_S = 250.0, 0.02
"""Faster than this (newtons a millisecond) no landing loads a plate; looked for over one sample and up to so long, for
which a fifth is too fast."""
BELOW_ZERO_N, BELOW_ZERO_S = 25.0, 0.1
OWN_NOISE = -0.2
"""Steps of white noise go back by half of the last one; a channel is noisy where they go back by this share."""
FROZEN_S, QUIET_SHARE, WINDOW_S = 0.05, 0.15, 0.05
"""A run of one value so long, or windows so long with this share of the channel's noise, were not measured."""
PLATEAU_S, PLATEAU_SHARE, AHEAD_S, HIDDEN_N, HIDDEN_SHARE = 0.02, 0.005, 0.015, 20.0, 0.03
"""A ceiling is a top that lasts so long within this share, into which force ran, over so long before, fast enough to
go beyond it by so many newtons and this share."""
FLAT_SHARE = 0.3
"""The middle of a ceiling lies above its ends by less than this share of its band."""
DENSE = 3.0
"""Force stays at a ceiling so many times as long as at other heights near its top."""
RESTS_S, DRIFT_N, EMPTY_N = 0.2, 15.0, 60.0
"""An empty plate reads less than this; two rests so long that differ by so much are a drift."""
SWAPPED_N = 15.0
"""Plates that stood apart by at least so much."""


def doubts(force: Mapping[Side, Floats], rate: float) -> list[str]:
    """Questions about samples (n,) of each plate, in words."""
    found = []
    for leg in LEGS:
        if leg in force:
            name = f"{leg.value} plate"
            found += [
                said
                for ask in (_too_fast, _below_zero, _without_noise, _cut_off, _drifting)
                if (said := ask(force[leg], rate, name))
            ]
    return found + ([said] if len(force) == 2 and (said := _change_sides(force, rate)) else [])


def _when(sample: int, rate: float) -> str:
    return f"at {sample / rate:.2f} s"


def _too_fast(samples: Floats, rate: float, name: str) -> str:
    for seconds, most in ((1 / rate, FASTEST_N_MS), (FASTEST_OVER_S, FASTEST_N_MS / 5)):
        width = max(1, round(seconds * rate))
        change = np.abs(samples[width:] - samples[:-width])
        at = int(np.argmax(change))
        if change[at] > most * 1000 * width / rate:
            return (
                f"The {name} changes by {change[at]:.0f} N within {1000 * width / rate:.0f} ms {_when(at, rate)}, "
                "faster than any leg: a cable, a knock, or lost samples?"
            )
    return ""


def _below_zero(samples: Floats, rate: float, name: str) -> str:
    runs = [run for run in stretches(samples < -BELOW_ZERO_N) if run[1] - run[0] >= BELOW_ZERO_S * rate]
    if not runs:
        return ""
    low = min(float(np.median(samples[a:b])) for a, b in runs)
    return (
        f"The {name} reads {low:.0f} N {_when(runs[0][0], rate)}, and nobody pulls a plate up: was it set to zero with "
        "somebody on it, or does it drift?"
    )


def _without_noise(samples: Floats, rate: float, name: str) -> str:
    """Runs of one value, and straight or filled-in stretches on a channel that has noise everywhere else."""
    steps = np.diff(samples)
    if np.unique(samples).size > 0.2 * samples.size:
        for first, last in stretches(steps == 0):
            if last - first >= FROZEN_S * rate and samples[first] > LEAST_PRESSING_N:
                long = f"{1000 * (last - first) / rate:.0f} ms"
                return f"The {name} reads one and the same value for {long} {_when(first, rate)}: frozen?"
    width = max(10, round(WINDOW_S * rate))
    count = (steps.size - 1) // width
    if count < 4:
        return ""
    part = steps[: count * width].reshape(count, width)
    each = np.sum(part[:, 1:] * part[:, :-1], axis=1) / np.maximum(np.sum(part**2, axis=1), 1e-12)
    if float(np.median(each)) > OWN_NOISE:
        return ""
    bends = np.abs(np.diff(samples, 2))[: count * width].reshape(count, width)
    levels = np.median(bends, axis=1)
    loaded = samples[: count * width].reshape(count, width).min(axis=1) > LEAST_PRESSING_N
    quiet = np.flatnonzero((levels < QUIET_SHARE * float(np.percentile(levels, 20))) & loaded)
    if not quiet.size:
        return ""
    return f"The {name} shows no noise {_when(int(quiet[0]) * width, rate)}, as it does elsewhere: interpolated?"


def _cut_off(samples: Floats, rate: float, name: str) -> str:
    """A ceiling that jitters or was filtered afterwards: force ran into it, and hardly any lies above."""
    noise = noise_of(samples)
    high = samples[samples > 0.85 * float(np.percentile(samples, 99.9))]
    band = max(4 * noise, PLATEAU_SHARE * float(samples.max()))
    if high.size < PLATEAU_S * rate or band == 0 or samples.max() < 100:
        return ""
    counts, edges = np.histogram(high, bins=max(1, round(float(np.ptp(high)) / band)))
    dense = np.flatnonzero(counts >= max(PLATEAU_S * rate, DENSE * float(np.median(counts))))
    if not dense.size:
        return ""
    ceiling = float(edges[dense[-1]] + (edges[1] - edges[0]) / 2)
    within = np.abs(samples - ceiling) <= band
    if np.count_nonzero(samples > ceiling + band) > 0.15 * np.count_nonzero(within):
        return ""
    before, jumps = max(2, round(AHEAD_S * rate)), max(1, round(0.005 * rate))
    hidden = []
    for first, last in stretches(within):
        if last - first >= PLATEAU_S * rate and first >= before + jumps and _is_flat(samples[first:last], band):
            slope = (samples[first - jumps] - samples[first - jumps - before]) / before
            hidden.append(float(slope) * min(last - first, 0.1 * rate) / 2)
    if not hidden or max(hidden) < max(HIDDEN_N, HIDDEN_SHARE * ceiling):
        return ""
    return f"The {name} stops at {ceiling:.0f} N as if it could read no more: are peaks cut off?"


def _is_flat(top: Floats, band: float) -> bool:
    """Whether the middle of a top is no higher than its ends; that of a movement is rounded."""
    ends, middle, _ = np.array_split(top, 3)
    return float(middle.mean() - np.minimum(ends.mean(), top[-ends.size :].mean())) < FLAT_SHARE * band


def _drifting(samples: Floats, rate: float, name: str) -> str:
    rests = [
        float(np.median(samples[a:b]))
        for a, b in stretches(np.abs(samples) < EMPTY_N)
        if b - a >= RESTS_S * rate and b - a > 2
    ]
    if len(rests) < 2 or max(rests) - min(rests) <= DRIFT_N:
        return ""
    return f"The empty {name} reads {min(rests):.0f} N and then {max(rests):.0f} N: it drifts, or somebody touched it."


def _change_sides(force: Mapping[Side, Floats], rate: float) -> str:
    """Each plate goes on where the other was."""
    left, right = (force[leg] for leg in LEGS)
    if left.size != right.size:
        return ""
    up, noise = np.diff(left), max(noise_of(left), noise_of(right))
    crossed = np.maximum(np.abs(left[1:] - right[:-1]), np.abs(right[1:] - left[:-1]))
    near = max(2, round(0.003 * rate))
    for at in np.flatnonzero((np.abs(up) > max(SWAPPED_N, 10 * noise)) & (crossed < 0.3 * np.abs(up))):
        before, after = slice(max(0, at + 1 - near), at + 1), slice(at + 1, at + 1 + near)
        beside = np.abs(np.concatenate([up[max(0, at - near) : at], up[at + 1 : at + 1 + near]]))
        if beside.size and float(beside.max()) > 0.3 * abs(up[at]) + 4 * noise:
            continue  # a foot that lands or leaves
        moved = np.abs([np.median(one[after]) - np.median(one[before]) for one in (left, right)])
        gaps = [np.median(one[after]) - np.median(other[before]) for one, other in ((left, right), (right, left))]
        if float(np.abs(gaps).max()) < 0.3 * float(moved.min()):
            jump = f"Both plates jump by {moved.min():.0f} N against each other {_when(int(at), rate)}"
            return f"{jump}: sides exchanged?"
    return ""
