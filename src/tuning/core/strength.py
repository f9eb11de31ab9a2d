"""Hand-held strength testing: what a handful of trials says."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

import numpy as np

from tuning.core.types import Floats, NotMeasured

MOST_TRIALS = 5
REPEAT_BEYOND_PERCENT = 10.0
"""Best two trials further apart than this: repeat (practice judgement, editable)."""


class Rule(StrEnum):
    """How several trials become one value (clinic setting, default mean)."""

    MEAN = "mean"
    BEST = "best"
    MEDIAN = "median"


@dataclass(frozen=True)
class Summary:
    """`value` and `sd` in the unit of the trials; the others in percent of the mean or best."""

    value: float
    n: int
    sd: float
    cv_percent: float
    best_two_gap_percent: float
    repeat_advised: bool


def summarise(trials: Floats, rule: Rule = Rule.MEAN) -> Summary | NotMeasured:
    """Summarise trials of shape (n,), n 0..5, one unit.

    Returns NotMeasured without trials. SD is over n - 1 and zero for one trial.
    Raises ValueError when a trial is not above zero or not finite.
    """
    values = np.asarray(trials, dtype=np.float64)
    if values.size == 0:
        return NotMeasured("no-trials", "no trial yet")
    if not np.all(np.isfinite(values)) or np.any(values <= 0):
        raise ValueError("trials must be finite and above zero")
    pick = {Rule.MEAN: np.mean, Rule.BEST: np.max, Rule.MEDIAN: np.median}[rule]
    sd = float(np.std(values, ddof=1)) if values.size > 1 else 0.0
    top = np.sort(values)[::-1]
    gap = 100 * float(top[0] - top[1]) / float(top[0]) if values.size > 1 else 0.0
    return Summary(
        float(pick(values)),
        values.size,
        sd,
        100 * sd / float(np.mean(values)),
        gap,
        gap > REPEAT_BEYOND_PERCENT,
    )


def torque_per_mass(force_n: float, lever_m: float | None, body_mass_kg: float | None) -> float | NotMeasured:
    """Torque over body mass in Nm/kg, pad square to the limb, limb weight uncorrected."""
    if lever_m is None:
        return NotMeasured("no-lever", "type the lever arm to get Nm/kg")
    if not body_mass_kg:
        return NotMeasured("no-body-mass", "enter the body mass on the patient form to get Nm/kg")
    return force_n * lever_m / body_mass_kg
