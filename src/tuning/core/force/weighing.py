"""Standing still on the plates: body weight, and whether it was still enough."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from tuning.core.force.recording import Recording
from tuning.core.types import Floats, NotMeasured, Side

STILL_SD_SHARE = 0.015
"""Greatest SD of the total over the quiet stretch, share of its mean (practice judgement, editable)."""
LEAST_WEIGHT_N = 150.0
WEIGHT_GAP = 0.08
"""Weighed and recorded mass further apart than this share are told (practice judgement, editable)."""


@dataclass(frozen=True)
class BodyWeight:
    """Body weight in N, its SD over the stretch, and the stretch in samples."""

    newtons: float
    sd: float
    first: int
    last: int

    @property
    def mass_kg(self) -> float:
        """Mass for standard gravity."""
        return self.newtons / 9.80665


def quietest(force: Floats, rate: float, seconds: float) -> tuple[int, int]:
    """First and last sample of the stretch of that length with the least SD, shape (n,) in."""
    width = min(round(seconds * rate), force.size)
    total = np.concatenate([[0.0], np.cumsum(force)])
    squares = np.concatenate([[0.0], np.cumsum(force * force)])
    mean = (total[width:] - total[:-width]) / width
    variance = (squares[width:] - squares[:-width]) / width - mean**2
    first = int(np.argmin(np.where(mean > LEAST_WEIGHT_N, variance, np.inf)))
    return first, first + width - 1


def weigh(
    recording: Recording, seconds: float = 1.0, within: tuple[float, float] | None = None
) -> BodyWeight | NotMeasured:
    """Body weight from the quietest stretch of `seconds` (1 to 2), inside `within` (s) where given.

    Returns NotMeasured when nobody stands there or the stand is not still.
    """
    force, offset = recording.total, 0
    if within is not None:
        lo, hi = (int(round(t * recording.rate)) for t in within)
        force, offset = force[lo:hi], lo
    if force.size < seconds * recording.rate:
        return NotMeasured("too-short", f"no {seconds:g} s of standing in the recording")
    first, last = quietest(force, recording.rate, seconds)
    still = force[first : last + 1]
    mean, sd = float(still.mean()), float(still.std())
    if mean < LEAST_WEIGHT_N:
        return NotMeasured("empty", f"nobody stands on the plates: {mean:.0f} N")
    if sd > STILL_SD_SHARE * mean:
        return NotMeasured("not-still", f"not still enough to weigh: SD {100 * sd / mean:.1f} % of the weight")
    return BodyWeight(mean, sd, first + offset, last + offset)


LIFTED = 0.1
"""A plate with less than this share of the whole is empty (practice judgement, editable)."""


def emptied(recording: Recording) -> Side | NotMeasured:
    """Which plate was empty while the other carried the body, at the end of a recording of both.

    Tells whether the plates are where they should be: the patient lifts the left foot.
    """
    shares = {leg: float(np.median(recording.force[leg])) for leg in recording.legs}
    total = sum(shares.values())
    if total < LEAST_WEIGHT_N:
        return NotMeasured("empty", f"nobody stands on the plates: {total:.0f} N")
    for leg, force in shares.items():
        if force < LIFTED * total:
            return leg
    return NotMeasured("both", "both plates are loaded: no foot was lifted")
