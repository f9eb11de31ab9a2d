"""Force as it comes: a buffer that never grows, what it shows, and the fading of feedback."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from tuning.core.force.plate_errors import PlateErrors
from tuning.core.types import Floats

BEAM_S = 0.15
"""The balance read-out is the mean over this long (practice judgement, editable)."""


class RingBuffer:
    """The last `seconds` of left and right force at `rate` Hz; memory stays as it is from the start."""

    def __init__(self, rate: float, seconds: float = 6.0) -> None:
        self.rate = rate
        self._data = np.full((round(rate * seconds), 2), np.nan)
        self._at = 0
        self.count = 0

    def add(self, samples: Floats) -> None:
        """Take new samples, shape (n, 2): left and right, N."""
        new = samples[-len(self._data) :]
        places = (self._at + np.arange(len(new))) % len(self._data)
        self._data[places] = new
        self._at = int((self._at + len(new)) % len(self._data))
        self.count += len(samples)

    def last(self, seconds: float) -> Floats:
        """The newest samples, oldest first, shape (k, 2)."""
        k = min(round(seconds * self.rate), len(self._data), self.count)
        places = (self._at - k + np.arange(k)) % len(self._data)
        return self._data[places]

    def envelope(self, columns: int, together: bool = False) -> Floats:
        """Least and greatest of both legs in each pixel column, shape (columns, 2 legs, 2); NaN for nothing.

        `together` gives their sum alone, shape (columns, 1, 2).
        """
        size = len(self._data) // columns * columns
        places = (self._at - size + np.arange(size)) % len(self._data)
        samples = self._data[places].sum(axis=1, keepdims=True) if together else self._data[places]
        blocks = samples.reshape(columns, -1, samples.shape[1])
        some = np.isfinite(blocks).all(axis=1)
        least, most = np.where(some, blocks.min(axis=1), np.nan), np.where(some, blocks.max(axis=1), np.nan)
        return np.stack([least, most], axis=2)

    def share(self) -> float | None:
        """Right share in percent over the newest moment; None when nobody stands there."""
        now = self.last(BEAM_S)
        now = now[np.isfinite(now).all(axis=1)]
        if not len(now):
            return None
        left, right = now.mean(axis=0)
        return 100 * float(right) / float(left + right) if left + right > 100 else None


FADING = ("every repetition", "every second", "every fourth", "none")
EVERY = {"every repetition": 1, "every second": 2, "every fourth": 4, "none": 0}
BLIND = "blind check"
"""What is scored: repetitions without the beam."""


def beam_shown(stage: str, repetition: int) -> bool:
    """Whether the beam is lit for a repetition (from 1) of a stage of the fading."""
    every = EVERY.get(stage, 0)
    return every > 0 and (repetition - 1) % every == 0


@dataclass
class RepCounter:
    """Counts squats as they come: below weight, above it, and still again."""

    weight: float
    rate: float
    count: int = 0
    _low: bool = False
    _high: bool = False
    _still: int = 0

    def add(self, samples: Floats) -> int:
        """Take samples, shape (n, 2), and return how many repetitions were completed by them."""
        done = 0
        step = max(1, round(0.01 * self.rate))
        for left, right in samples[::step]:
            total = float(left + right) / self.weight
            self._low |= total < 0.93
            self._high |= self._low and total > 1.05
            self._still = self._still + 1 if abs(total - 1) < 0.04 else 0
            if self._high and self._still * step / self.rate > 0.25:
                self._low = self._high = False
                done += 1
        self.count += done
        return done


@dataclass(frozen=True)
class BlindScore:
    """Blind repetitions: mean right share and its 95 % error, how far from even, how many lay inside the band
    (percent points)."""

    mean: float
    error: float
    off: float
    inside: int
    count: int


def score(shares: Floats, band: float, errors: PlateErrors) -> BlindScore | None:
    """Score shares of blind repetitions, shape (k,), percent; None without any."""
    if not shares.size:
        return None
    off = np.abs(shares - 50)
    mean, count = float(shares.mean()), int(shares.size)
    error = errors.of_mean("share", mean, count)
    assert error is not None
    return BlindScore(mean, error, float(off.mean()), int((off <= band).sum()), count)
