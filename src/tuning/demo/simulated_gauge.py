"""A stand-in for a hand-held gauge: somebody pushes, and it sends what a real one would."""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

RATE_HZ = 100.0


@dataclass(frozen=True)
class Push:
    """One made-up effort, by physical size. Forces in N, times in s, shares of the plateau."""

    plateau: float = 180.0
    wait: float = 0.8
    rise: float = 0.6
    hold: float = 3.5
    fall: float = 0.15
    before: float = 0.0
    """Force on the gauge before the start, share of the plateau."""
    loss: float = 0.03
    """Share lost over the hold, steadily."""
    let_go: float = 0.0
    """Share lost at once halfway through the hold."""
    spike: float = 0.0
    """Short overshoot at the end of the rise."""
    slip: float = 0.0
    """Share lost within 30 ms, coming back over 0.4 s."""
    tremor: float = 0.012
    tremor_hz: float = 9.0
    noise: float = 0.3
    gap: float = 0.0
    """Seconds without samples in the middle of the hold."""
    drop_share: float = 0.004
    """Share of single samples that get lost."""
    pull: bool = False

    @property
    def seconds(self) -> float:
        """Length of the recording."""
        return self.wait + self.rise + self.hold + self.fall + 1.2


def true_force(push: Push, t: NDArray[np.float64], phase: float = 0.0) -> NDArray[np.float64]:
    """The force on the pad at times `t`, without noise of the sensor."""
    on, top = push.wait, push.wait + push.rise
    end = top + push.hold
    ramp = np.clip((t - on) / push.rise, 0, 1)
    shape = ramp * ramp * (3 - 2 * ramp)
    into = np.clip((t - top) / push.hold, 0, 1)
    level = 1 - push.loss * into - push.let_go * np.clip((t - top - push.hold / 2) / 0.1, 0, 1)
    level += push.spike * np.exp(-(((t - top) / 0.06) ** 2))
    at = top + 0.4 * push.hold
    fallen = np.clip((t - at) / 0.03, 0, 1) * np.clip(1 - (t - at - 0.03) / 0.4, 0, 1)
    level -= push.slip * fallen
    level += push.tremor * np.sin(2 * np.pi * push.tremor_hz * t + phase)
    release = np.clip(1 - (t - end) / push.fall, 0, 1)
    force = push.plateau * (push.before + (1 - push.before) * shape * level) * release
    return np.asarray(np.where(t < end, push.plateau * (push.before + (1 - push.before) * shape * level), force))


def recorded(push: Push, random: np.random.Generator) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """What a gauge hears of an effort, and the true force: both of shape (n, 2), seconds and newtons."""
    t = np.arange(0, push.seconds, 1 / RATE_HZ)
    force = true_force(push, t, float(random.uniform(0, 2 * np.pi)))
    heard = force + random.normal(0, push.noise, t.size)
    sign = -1.0 if push.pull else 1.0
    kept = random.random(t.size) >= push.drop_share
    middle = push.wait + push.rise + push.hold / 2
    kept &= ~((t > middle) & (t < middle + push.gap))
    return np.column_stack([t, sign * heard])[kept], np.column_stack([t, sign * force])


@dataclass(frozen=True)
class Profile:
    """A made-up person on the gauge: mean force and how it scatters from push to push (share)."""

    force: float
    scatter: float = 0.05
    push: Push = Push()


class SimulatedDynamometer:
    """Somebody pushes shortly after the start, a little differently every time."""

    def __init__(self, profile: Profile, seed: int | None = None, clock: Callable[[], float] = time.monotonic) -> None:
        self.name = "simulated gauge"
        self.profile = profile
        self._random, self._clock = np.random.default_rng(seed), clock
        self._samples = np.empty((0, 2))
        self._started, self._given = 0.0, 0

    def start(self) -> None:
        """Zero and begin."""
        p, r = self.profile, self._random
        force = p.force * (1 + r.normal(0, p.scatter))
        push = replace(p.push, plateau=force, wait=float(r.uniform(0.6, 1.0)), loss=float(r.uniform(0.0, 0.06)))
        self._samples, _ = recorded(push, r)
        self._started, self._given = self._clock(), 0

    def read(self) -> NDArray[np.float64]:
        """What came in since the last call."""
        now = self._clock() - self._started
        upto = int(np.searchsorted(self._samples[:, 0], now))
        new = self._samples[self._given : upto]
        self._given = upto
        return new

    def stop(self) -> None:
        """End the stream."""
        self._samples = np.empty((0, 2))
        self._given = 0
