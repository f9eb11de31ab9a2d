"""Samples of one or two plates on one clock, and what is stated about them."""

from __future__ import annotations

import math
from dataclasses import dataclass, field

import numpy as np

from tuning.core.errors import BadInput
from tuning.core.signals import evenly_lowpassed
from tuning.core.types import LEGS, Floats, Side

LEAST_RATE, LEAST_SECONDS = 200.0, 1.0
CUTOFF_HZ = 100.0
"""Zero-lag low-pass (Butterworth, 4th order in all) before peaks and rates are read; onsets are sought in
the unfiltered force so that the filter cannot move them (practice judgement, editable)."""

AGAIN, NEAR_PEAK_S, MAD_TO_SD = 16, 5.0, 1.4826
"""How often noise is put on top of a peak, how far around it, and SD of a normal spread over its median distance."""


@dataclass(frozen=True)
class Recording:
    """Vertical force of each leg's plate, N, shape (n,), evenly spaced at `rate` Hz; up is positive.

    A missing leg (one plate) has no entry. `notes` are repairs that were made.
    `point` is the centre of pressure under a leg where the plates tell it, mm,
    shape (n, 2): to the right and forward in one frame for both; NaN where
    nothing presses. `unnamed` is one plate whose leg nobody has told; it stands as the left one.
    """

    rate: float
    force: dict[Side, Floats]
    notes: tuple[str, ...] = ()
    point: dict[Side, Floats] = field(default_factory=dict)
    unnamed: bool = False
    _smooth: dict[Side, Floats] = field(default_factory=dict, init=False, compare=False, repr=False)
    _noise: dict[Side, Floats] = field(default_factory=dict, init=False, compare=False, repr=False)

    def __post_init__(self) -> None:
        sizes = {f.size for f in self.force.values()}
        if not self.force or not set(self.force) <= set(LEGS) or len(sizes) != 1:
            raise ValueError("one or two legs of equal length")
        if not all(np.isfinite(f).all() for f in self.force.values()):
            raise ValueError("samples must be finite; repair a file before it becomes a recording")
        if any(leg not in self.force or p.shape != (self.size, 2) for leg, p in self.point.items()):
            raise ValueError("a centre of pressure belongs to a leg and has two numbers a sample")
        if self.rate < LEAST_RATE:
            raise BadInput(
                f"{self.rate:.0f} samples a second are too few for rates of force rise; {LEAST_RATE:.0f} needed."
            )
        if self.size < LEAST_SECONDS * self.rate:
            raise BadInput("The recording is shorter than a second; nothing can be read from it.")

    @property
    def size(self) -> int:
        """Number of samples."""
        return next(iter(self.force.values())).size

    @property
    def times(self) -> Floats:
        """Seconds from the first sample, shape (n,)."""
        return np.arange(self.size) / self.rate

    @property
    def legs(self) -> tuple[Side, ...]:
        """The legs that stand on a plate."""
        return tuple(leg for leg in LEGS if leg in self.force)

    @property
    def total(self) -> Floats:
        """Sum of the plates, N, shape (n,)."""
        return np.asarray(sum(self.force[leg] for leg in self.legs))

    def smooth(self, leg: Side) -> Floats:
        """Low-passed force of a leg; `Side.BOTH` is the sum."""
        if leg not in self._smooth:
            raw = self.total if leg is Side.BOTH else self.force[leg]
            self._smooth[leg] = low_passed(raw, self.rate)
        return self._smooth[leg]

    def peak(self, leg: Side, first: int, last: int) -> tuple[int, float]:
        """Sample and height (N) of the highest smoothed force of a leg from one sample to another, free of what noise
        adds to a maximum."""
        return self._highest(leg, first, last, 0)

    def steepest(self, leg: Side, first: int, last: int, seconds: float) -> float | None:
        """Greatest mean rate of rise (N/s) over so many seconds between two samples, free of what noise adds to a
        maximum; None where they are no further apart."""
        width = max(1, round(seconds * self.rate))
        return self._highest(leg, first, last, width)[1] * self.rate / width if last - first > width else None

    def _highest(self, leg: Side, first: int, last: int, width: int) -> tuple[int, float]:
        """Sample and height (N) of the highest smoothed force, or of its greatest rise over `width` samples.

        Noise of its own size is put on top, and what that adds is taken as the next step of a row that begins without
        noise: a maximum grows like the noise, and √2 of it is there then (after Cook and Stefanski 1994).
        """

        def sought(force: Floats) -> Floats:
            """What the highest is sought of, along the last axis."""
            return force[..., width:] - force[..., : force.shape[-1] - width] if width else force

        smooth, near = self.smooth(leg), round(NEAR_PEAK_S * self.rate)
        at = first + int(np.argmax(sought(smooth[first : last + 1])))
        part = smooth[max(first, at - near) : min(last + 1, at + near)]
        highest = float(sought(part).max())
        raised = float(sought(part + self._like_its_noise(leg)[:, : part.size]).max(axis=1).mean()) - highest
        return at, highest - max(0.0, raised) / (math.sqrt(2) - 1)

    def _like_its_noise(self, leg: Side) -> Floats:
        """Smoothed noise as large as a leg's own, shape (AGAIN, n); it is white, so three neighbours tell its size,
        whichever way force goes."""
        if leg not in self._noise:
            raw = self.total if leg is Side.BOTH else self.force[leg]
            sd = noise_of(raw)
            size = min(raw.size, 2 * round(NEAR_PEAK_S * self.rate))
            white = np.random.default_rng(0).normal(0, sd, (AGAIN, size))
            self._noise[leg] = low_passed(white, self.rate)
        return self._noise[leg]

    def part(self, first: int, last: int) -> Recording:
        """Samples from first up to but not including last."""
        cut = slice(first, last)
        return Recording(
            self.rate,
            {leg: f[cut] for leg, f in self.force.items()},
            self.notes,
            {leg: p[cut] for leg, p in self.point.items()},
            self.unnamed,
        )

    def assigned_to_leg(self, leg: Side) -> Recording:
        """The same, a plate that nobody named being this leg's. Raises BadInput where neither tells the leg."""
        if not self.unnamed:
            return self
        if leg not in LEGS:
            raise BadInput("Say which leg is on the plate: left or right.")
        force, point = (dict(zip((leg,), one.values(), strict=False)) for one in (self.force, self.point))
        return Recording(self.rate, force, self.notes, point)

    def support(self, leg: Side = Side.BOTH) -> Floats | None:
        """Point of pressure of a leg or of all plates together (n, 2), mm; None where a plate does not tell it."""
        legs = self.legs if leg is Side.BOTH else (leg,)
        if any(one not in self.point for one in legs):
            return None
        weights = {one: np.maximum(self.force[one], 0.0) for one in legs}
        total = np.asarray(sum(weights.values()))
        # A leg in the air carries nothing, whatever its plate says of a point.
        parts = [np.where(w[:, None] > 0, w[:, None] * self.point[one], 0.0) for one, w in weights.items()]
        with np.errstate(invalid="ignore", divide="ignore"):
            return np.where(total[:, None] > LEAST_PRESSING_N, np.asarray(sum(parts)) / total[:, None], np.nan)

    def swapped(self, faced_away: bool = True) -> Recording:
        """Left for right. `faced_away`: the person faced the other way, so right and forward turn, too;
        otherwise the cables were crossed."""
        sign = -1.0 if faced_away else 1.0
        points = {leg.other: sign * p for leg, p in self.point.items()}
        return Recording(self.rate, {leg.other: f for leg, f in self.force.items()}, self.notes, points, self.unnamed)


def noise_of(samples: Floats) -> float:
    """SD of white noise on samples (n,), by three neighbours each, whichever way force goes; 0 for fewer."""
    return MAD_TO_SD * float(np.median(np.abs(np.diff(samples, 2)))) / math.sqrt(6) if samples.size > 2 else 0.0


LEAST_PRESSING_N = 20.0
"""Below this force a centre of pressure is noise (practice judgement, editable)."""


def low_passed(force: Floats, rate: float, cutoff: float = CUTOFF_HZ) -> Floats:
    """Zero-lag low-pass of samples, shape (n,) or a row each; untouched where the rate is too low for the cut-off."""
    return evenly_lowpassed(force, rate, cutoff) if force.shape[-1] >= 30 else np.asarray(force, float)
