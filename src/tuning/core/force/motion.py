"""Velocity and height of the body's centre from the sum of both plates, with drift held down.

Allowed only where all external force is on the plates: free squats and jumps
on both plates. Everywhere else these are not measured.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from tuning.core.force.recording import Recording
from tuning.core.force.weighing import BodyWeight
from tuning.core.signals import stretches
from tuning.core.types import Floats, NotMeasured, Side

STILL_S, STILL_SHARE = 0.3, 0.02
"""Still: force stays within this share of weight for this long (practice judgement, editable)."""
STEADY_SHARE = 0.015
"""In a stand the force of the last quarter equals that of the first, within this share of weight; in the middle of a
slow squat it passes through weight on a slope (practice judgement, editable)."""
ENDS_S, STANDING, NEARLY_ALL = 0.5, 0.02, 0.9
"""A stand is as fast as so much of its outer end, s, and lasts while the body goes no faster than that by so much, m/s:
the slow start of a squat is as near to weight, and so may be all of a recording but the last share of it (practice
judgement, editable)."""
EVENLY, LOW = 0.05, 0.2
"""Between two squats the body stands where it goes no faster than this, m/s, and is no lower than this share of the
deepest: in a slow squat it goes on evenly, and its force is its weight (practice judgement, editable)."""
STAND_S, AT_REST, SLOWLY = 0.1, 0.08, 0.15
"""Between two squats the body stands when it is within 5 SD of weight and slower than this (m/s), and than this share
of its fastest, for this long (practice judgement, editable)."""
LEAST_DEPTH_M, DEPTH_SHARE = 0.05, 0.4
"""A repetition goes at least so deep, and at least this share of the deepest (practice judgement, editable)."""


@dataclass(frozen=True)
class Motion:
    """Velocity (m/s) and height above the stand (m), up positive, shape (n,)."""

    velocity: Floats
    height: Floats


@dataclass(frozen=True)
class Squat:
    """Samples of one repetition: leaving the stand, deepest, back in the stand."""

    start: int
    bottom: int
    end: int


def still_stretches(recording: Recording, weight: BodyWeight) -> list[tuple[int, int]]:
    """Stretches (first, last sample) where force stays near weight: stands and pauses at the bottom."""
    force = recording.smooth(Side.BOTH)
    near = np.abs(force - weight.newtons) <= STILL_SHARE * weight.newtons
    least = STILL_S * recording.rate

    def is_steady(a: int, b: int) -> bool:
        """Whether force ends where it began."""
        quarter = (b - a) // 4
        change = float(force[b - quarter : b].mean() - force[a : a + quarter].mean())
        return abs(change) <= STEADY_SHARE * weight.newtons

    return [(a, b - 1) for a, b in stretches(near) if b - a >= least and is_steady(a, b)]


def motion(recording: Recording, weight: BodyWeight) -> Motion | NotMeasured:
    """Integrate the net force twice. Velocity is drawn to zero in every stand.

    Height is drawn to zero in the first and the last of them. Returns
    NotMeasured when the recording neither begins nor ends in a stand.
    """
    stills = still_stretches(recording, weight)
    slow = len(stills) == 1 and stills[0][1] - stills[0][0] > NEARLY_ALL * recording.size
    if len(stills) < 2 and not slow:
        return NotMeasured("no-stand", "stand still before and after the movement: the drift cannot be held down")
    dt = 1 / recording.rate
    raw = _integral((recording.total - weight.newtons) / weight.mass_kg, dt)
    (a, b), (c, d), around = stills[0], stills[-1], round(ENDS_S * recording.rate / 2)
    first, last = a + _stood(raw[a : b + 1], around), d - _stood(raw[c : d + 1][::-1], around)
    about = _anchored(raw, [first, last])
    up = _anchored(_integral(about, dt), [first, last])
    between = [
        (a + b) // 2
        for a, b in stills[1:-1]
        if abs(about[a : b + 1].mean()) < EVENLY and up[a : b + 1].mean() > LOW * up.min()
    ]
    velocity = _anchored(raw, [first, *between, last])
    return Motion(velocity, _anchored(_integral(velocity, dt), [first, last]))


def _stood(velocity: Floats, around: int) -> int:
    """The middle of that part of a stretch in which the body stands, from its beginning on: what is as near its weight
    may be the slow start of a squat."""
    gone = np.flatnonzero(np.abs(velocity - velocity[min(around, velocity.size // 2)]) > STANDING)
    after = gone[gone > around]
    return int(after[0] if after.size else velocity.size - 1) // 2


def motion_from(recording: Recording, weight: BodyWeight, stand: tuple[int, int]) -> Motion:
    """Integrate the net force onward from a stand (first, last sample), whose own mean force is weight here.

    Nothing that comes later draws at it: of a landing the plates may see a part. Zero up to the middle of the stand.
    """
    middle = (stand[0] + stand[1]) // 2
    net = recording.total - float(recording.total[stand[0] : stand[1] + 1].mean())
    net[:middle] = 0.0
    velocity = _integral(net / weight.mass_kg, 1 / recording.rate)
    return Motion(velocity, _integral(velocity, 1 / recording.rate))


def _integral(values: Floats, dt: float) -> Floats:
    steps = (values[1:] + values[:-1]) * (dt / 2)
    return np.concatenate([[0.0], np.cumsum(steps)])


def _anchored(values: Floats, at: list[int]) -> Floats:
    """Take out the broken line through the values at the anchors."""
    return values - np.interp(np.arange(values.size), at, values[at])


def find_squats(recording: Recording, moved: Motion, weight: BodyWeight) -> list[Squat]:
    """Every descent and rise: between the stands before and after, or between upper turning points."""
    from scipy.signal import find_peaks

    depth = -moved.height
    deepest = float(depth.max())
    if deepest < LEAST_DEPTH_M:
        return []
    least = max(LEAST_DEPTH_M, DEPTH_SHARE * deepest)
    bottoms, _ = find_peaks(depth, height=least, prominence=0.5 * least, distance=max(1, round(0.3 * recording.rate)))
    found = []
    for n, bottom in enumerate(bottoms):
        before = int(bottoms[n - 1]) if n else 0
        after = int(bottoms[n + 1]) if n + 1 < len(bottoms) else depth.size - 1
        start = _edge(recording, weight, moved, int(bottom), before, -1)
        end = _edge(recording, weight, moved, int(bottom), after, 1)
        found.append(Squat(start, int(bottom), end))
    return found


def _edge(recording: Recording, weight: BodyWeight, moved: Motion, bottom: int, limit: int, step: int) -> int:
    """Where the stand is left (step -1) or reached (step +1); the upper turning point when there is no stand.

    Seen from the bottom: the first stretch near weight, nearly at rest and high
    up, and from its first sample out to the first within 1 SD.
    """
    out = np.arange(bottom, limit + step, step)
    slow = min(AT_REST, SLOWLY * float(np.abs(moved.velocity[out]).max()))
    sd = max(weight.sd, 0.5)
    off = np.abs(recording.total[out] - weight.newtons)
    high = moved.height[out] > 0.3 * moved.height[bottom]
    rest = (off <= 5 * sd) & (np.abs(moved.velocity[out]) < slow) & high
    held = round(STAND_S * recording.rate)
    stands = np.flatnonzero(np.convolve(rest, np.ones(held, int), "valid") == held) if rest.size >= held else rest[:0]
    if not stands.size:
        return int(out[np.argmax(moved.height[out])])
    near = np.flatnonzero(off[stands[0] :] <= sd)
    return int(out[stands[0] + near[0]]) if near.size else int(out[stands[0]])
