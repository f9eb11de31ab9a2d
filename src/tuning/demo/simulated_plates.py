"""A stand-in for twin force plates: a simple body moves on them, and they send what real ones would."""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
RATE_HZ = 1000.0
G = 9.80665


@dataclass(frozen=True)
class SimulatedPerson:
    """A made-up person. Extra force of each leg (N) and how slowly it rises (s); `share` is the right leg's habit."""

    mass_kg: float = 75.0
    push_left: float = 700.0
    push_right: float = 700.0
    rise_left: float = 0.12
    rise_right: float = 0.12
    share: float = 0.5

    @property
    def weight(self) -> float:
        """Body weight, N."""
        return self.mass_kg * G


@dataclass(frozen=True)
class Faults:
    """What real plates add: noise and hum (N), drift (N/s), ceiling (N), lost samples (share), noise of points (mm)."""

    noise: float = 1.2
    hum: float = 0.6
    drift: float = 0.02
    ceiling: float = 5000.0
    lost: float = 0.0
    point: float = 0.4


@dataclass
class SimulatedSession:
    """A made-up session: true forces, shape (n,), and when things happen (s).

    `points` are true centres of pressure by leg where known, mm, shape (n, 2): across, ahead.
    """

    left: Floats
    right: Floats
    rate: float = RATE_HZ
    events: dict[str, list[float]] = field(default_factory=dict)
    points: dict[str, Floats] = field(default_factory=dict)

    @property
    def times(self) -> Floats:
        """Seconds."""
        return np.arange(self.left.size) / self.rate


def _times(seconds: float, rate: float) -> Floats:
    return np.arange(round(seconds * rate)) / rate


def _move(t: Floats, start: float, seconds: float, by: float, first: float = 0.0, last: float = 0.0) -> Floats:
    """Acceleration of a smooth move of `by` metres from rest to rest (least jerk), zero outside.

    It begins with acceleration `first` and ends with `last`, m/s².
    """
    s = np.round((t - start) / seconds, 9)
    inside = (s >= 0) & (s < 1)
    shape = 60 * s - 180 * s**2 + 120 * s**3
    begins, ends = (10 * u**3 - 12 * u**2 + 3 * u for u in (1 - s, s))
    return np.where(inside, by / seconds**2 * shape + first * begins + last * ends, 0.0)


def squats(
    body: SimulatedPerson,
    reps: int = 3,
    down: float = 0.9,
    up: float = 0.8,
    depth: float = 0.4,
    pause: float = 0.0,
    rest: float = 1.0,
    still: float = 2.0,
    rate: float = RATE_HZ,
) -> SimulatedSession:
    """Free squats on both plates; `rest` between repetitions, `pause` at the bottom (all s)."""
    each = down + pause + up + rest
    # Without a pause the way down turns into the way up: the force is greatest at the bottom.
    turn = 5 * depth / (down * up) if pause == 0 else 0.0
    t = _times(2 * still + reps * each - rest, rate)
    acceleration = np.zeros_like(t)
    events: dict[str, list[float]] = {"start": [], "bottom": [], "drive": [], "end": []}
    for n in range(reps):
        at = still + n * each
        acceleration += _move(t, at, down, -depth, last=turn)
        acceleration += _move(t, at + down + pause, up, depth, first=turn)
        for name, when in (("start", at), ("bottom", at + down), ("drive", at + down + pause)):
            events[name].append(when)
        events["end"].append(at + down + pause + up)
    total = body.mass_kg * (G + acceleration)
    return SimulatedSession(*_shared(body, total, rate), rate, events)


def _shared(body: SimulatedPerson, total: Floats, rate: float) -> tuple[Floats, Floats]:
    """Share by habit; where one leg rises more slowly it lags and the other makes up for it."""
    lag = 0.35 * (body.rise_left - body.rise_right)
    dynamic = total - body.weight
    late = _lagged(dynamic, abs(lag), rate)
    share = 1 - body.share if lag > 0 else body.share
    slow = np.clip(share * (body.weight + late), 0, np.maximum(total, 0))
    return (slow, total - slow) if lag > 0 else (total - slow, slow)


def _lagged(values: Floats, constant: float, rate: float) -> Floats:
    """First-order lag; unchanged for a constant of zero."""
    if constant <= 0:
        return values
    from scipy.signal import lfilter

    a = float(np.exp(-1 / (constant * rate)))
    return np.asarray(lfilter([1 - a], [1, -a], values))


def _varied(random: np.random.Generator | None) -> float:
    """What one repetition differs from the next: 3 %."""
    return 1.0 if random is None else float(1 + random.normal(0, 0.03))


def _push(t: Floats, start: float, size: float, constant: float, hold: float) -> Floats:
    """Force above the quiet level: exponential rise from `start`, hold, release within 0.3 s."""
    into = np.clip(t - start, 0, None)
    rise = size * (1 - np.exp(-into / constant))
    release = np.clip(1 - (t - start - hold) / 0.3, 0, 1)
    return np.where(t < start, 0.0, rise * release)


def isometric(
    body: SimulatedPerson,
    reps: int = 3,
    hold: float = 3.0,
    rest: float = 3.0,
    still: float = 2.0,
    rate: float = RATE_HZ,
    random: np.random.Generator | None = None,
) -> SimulatedSession:
    """Pushing against a fixed bar with both legs; with `random` no two pushes are the same."""
    t = _times(still + reps * (hold + rest), rate)
    left = np.full_like(t, (1 - body.share) * body.weight)
    right = np.full_like(t, body.share * body.weight)
    starts = [still + n * (hold + rest) for n in range(reps)]
    for at in starts:
        left += _push(t, at, body.push_left * _varied(random), body.rise_left * _varied(random), hold)
        right += _push(t, at, body.push_right * _varied(random), body.rise_right * _varied(random), hold)
    return SimulatedSession(left, right, rate, {"start": starts})


def one_leg(
    body: SimulatedPerson,
    leg: str,
    reps: int = 3,
    hold: float = 3.0,
    rest: float = 3.0,
    still: float = 2.0,
    on_plate: float = 0.7,
    rate: float = RATE_HZ,
    random: np.random.Generator | None = None,
) -> SimulatedSession:
    """The front leg of a lunge pushes from a still start; the other foot is off the plates."""
    t = _times(still + reps * (hold + rest), rate)
    size, constant = (body.push_left, body.rise_left) if leg == "left" else (body.push_right, body.rise_right)
    force = np.full_like(t, on_plate * body.weight)
    starts = [still + n * (hold + rest) for n in range(reps)]
    for at in starts:
        force += _push(t, at, size * _varied(random), constant * _varied(random), hold)
    other = np.zeros_like(t)
    return (
        SimulatedSession(force, other, rate, {"start": starts})
        if leg == "left"
        else SimulatedSession(other, force, rate, {"start": starts})
    )


def step_on_off(
    body: SimulatedPerson,
    leg: str,
    reps: int = 3,
    contact: float = 0.7,
    gap: float = 1.2,
    rate: float = RATE_HZ,
    random: np.random.Generator | None = None,
) -> SimulatedSession:
    """Lunge on and off: a landing peak and a push-off peak in each contact."""
    t = _times(1.0 + reps * (contact + gap), rate)
    size, constant = (body.push_left, body.rise_left) if leg == "left" else (body.push_right, body.rise_right)
    force = np.zeros_like(t)
    starts = [1.0 + n * (contact + gap) for n in range(reps)]
    for at in starts:
        s = np.clip((t - at) / contact, 0, 1)
        land = _varied(random) * (body.weight * 0.9 + size) * np.exp(-(((s - 0.3) / (0.1 + 0.5 * constant)) ** 2))
        push = _varied(random) * (body.weight * 0.8 + 0.8 * size) * np.exp(-(((s - 0.72) / 0.13) ** 2))
        gate = np.clip(s / 0.05, 0, 1) * np.clip((1 - s) / 0.05, 0, 1)
        force += (land + push + 0.35 * body.weight) * gate
    ends = [at + contact for at in starts]
    other = np.zeros_like(t)
    pair = (force, other) if leg == "left" else (other, force)
    return SimulatedSession(*pair, rate, {"start": starts, "end": ends})


SOLE_S = 0.006
"""The foot takes so long to leave the ground, or to meet it."""


def jumps(
    body: SimulatedPerson, reps: int = 3, rest: float = 3.0, still: float = 2.0, rate: float = RATE_HZ
) -> SimulatedSession:
    """Countermovement jumps: dip, drive, flight, landing; momentum is kept exactly."""
    dip, drive = 0.35, 0.4
    lift_off = 2.3  # m/s
    flight = 2 * lift_off / G
    land = 0.35
    each = dip + drive + flight + land + rest
    t = _times(still + reps * each, rate)
    net = np.zeros_like(t)
    down = 1.1  # m/s lost in the dip
    events: dict[str, list[float]] = {"start": [], "take-off": [], "landing": []}
    for n in range(reps):
        a = still + n * each
        b, c = a + dip, a + dip + drive
        d = c + flight
        net += _bump(t, a, dip, -down) + _bump(t, b, drive, down + lift_off) + _bump(t, d, land, lift_off)
        net = np.where((t >= c) & (t < d), -G, net)
        for name, when in (("start", a), ("take-off", c), ("landing", d)):
            events[name].append(when)
    # No foot leaves or meets the ground within a millisecond.
    width = max(1, round(SOLE_S * rate))
    total = np.convolve(np.pad(body.mass_kg * (G + net), width, "edge"), np.full(width, 1 / width), "same")[
        width:-width
    ]
    return SimulatedSession(*_shared(body, total, rate), rate, events)


def _bump(t: Floats, start: float, seconds: float, change: float) -> Floats:
    """Acceleration that changes velocity by `change` over a smooth bump."""
    s = (t - start) / seconds
    inside = (s >= 0) & (s <= 1)
    return np.where(inside, change / seconds * (1 - np.cos(2 * np.pi * s)), 0.0)


def quiet_stand(
    body: SimulatedPerson, seconds: float = 30.0, random: np.random.Generator | None = None, rate: float = RATE_HZ
) -> SimulatedSession:
    """Standing: share by habit with slow sway, the centres of pressure wandering ahead and back."""
    t = _times(seconds, rate)
    r = random if random is not None else np.random.default_rng(0)
    sway = 0.012 * np.sin(2 * np.pi * (0.25 * t + r.random())) + 0.006 * np.sin(2 * np.pi * (0.7 * t + r.random()))
    right = body.weight * (body.share + sway)
    ahead = 110 + _wander(t, 5.0, r)
    points = {leg: np.column_stack([across + _wander(t, 1.0, r), ahead]) for leg, across in FEET_MM.items()}
    return SimulatedSession(body.weight - right, right, rate, {}, points)


FEET_MM = {"left": -120.0, "right": 120.0}
"""Where the feet stand, across from the middle."""


def _wander(t: Floats, size: float, random: np.random.Generator) -> Floats:
    """Slow sway of about `size`: three sines of no common measure."""
    parts = ((0.21, 1.0), (0.53, 0.5), (1.1, 0.2))
    return size * np.asarray(sum(a * np.sin(2 * np.pi * (f * t + random.random())) for f, a in parts))


def one_leg_stand(
    body: SimulatedPerson,
    leg: str,
    seconds: float = 22.0,
    random: np.random.Generator | None = None,
    rate: float = RATE_HZ,
) -> SimulatedSession:
    """Two feet, then one leg for `seconds`, then two again; the slower leg sways more."""
    r = random if random is not None else np.random.default_rng(0)
    lead = 2.0
    t = _times(seconds + 2 * lead, rate)
    lift = np.clip((t - lead) / 0.4, 0, 1) * np.clip((lead + seconds - t) / 0.4, 0, 1)
    mine = body.share if leg == "right" else 1 - body.share
    force = body.weight * (mine + (1 - mine) * lift)
    rise = body.rise_left if leg == "left" else body.rise_right
    size = 4 + 20 * rise
    at = np.column_stack([FEET_MM[leg] + _wander(t, size / 2, r), 110 + _wander(t, size, r)])
    other = np.column_stack([np.full(t.size, -FEET_MM[leg]), np.full(t.size, 110.0)])
    free = "left" if leg == "right" else "right"
    pair = (force, body.weight - force) if leg == "left" else (body.weight - force, force)
    return SimulatedSession(*pair, rate, {"start": [lead], "end": [lead + seconds]}, {leg: at, free: other})


def heard(scene: SimulatedSession, faults: Faults, random: np.random.Generator) -> tuple[Floats, Floats]:
    """What the plates send of a scene: left and right, shape (n,); NaN where samples were lost."""
    t, made = scene.times, []
    for true in (scene.left, scene.right):
        hum = faults.hum * np.sin(2 * np.pi * (50 * t + random.random()))
        force = true + random.normal(0, faults.noise, t.size) + hum + faults.drift * t
        force = np.minimum(force, faults.ceiling)
        if faults.lost:
            force = np.where(random.random(t.size) < faults.lost, np.nan, force)
        made.append(force)
    return made[0], made[1]


def points_heard(scene: SimulatedSession, faults: Faults, random: np.random.Generator) -> dict[str, Floats]:
    """Points of pressure as the plates send them, mm, shape (n, 2) a leg; none where the scene has none."""
    return {leg: at + random.normal(0, faults.point, at.shape) for leg, at in scene.points.items()}


class SimulatedPlates:
    """Plays a scene in its own time; the same scene sounds a little different each time."""

    def __init__(
        self,
        scene: SimulatedSession,
        faults: Faults = Faults(),
        seed: int | None = None,
        clock: Callable[[], float] = time.monotonic,
    ) -> None:
        self.name, self.rate = "simulated plates", scene.rate
        self.scene, self._faults = scene, faults
        self._random, self._clock = np.random.default_rng(seed), clock
        self._samples = np.empty((0, 3))
        self._started, self._given = 0.0, 0

    def zero(self) -> None:
        """The stand-in has no offset to take."""

    def start(self) -> None:
        """Begin."""
        left, right = heard(self.scene, self._faults, self._random)
        points = points_heard(self.scene, self._faults, self._random)
        self._samples = np.column_stack(
            [self.scene.times, left, right, *(points[leg] for leg in ("left", "right") if points)]
        )
        self._started, self._given = self._clock(), 0

    def read(self) -> Floats:
        """What came in since the last call."""
        upto = min(len(self._samples), int((self._clock() - self._started) * self.rate) + 1)
        new = self._samples[self._given : upto]
        self._given = upto
        return new

    def stop(self) -> None:
        """End the stream."""
        self._given = len(self._samples)
