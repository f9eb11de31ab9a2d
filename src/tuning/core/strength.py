"""Hand-held strength testing: what a handful of trials says."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

import numpy as np

from tuning.core.types import Floats, NotMeasured, Observation, Side

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
    picked = {Rule.MEAN: np.mean(values), Rule.BEST: np.max(values), Rule.MEDIAN: np.median(values)}[rule]
    sd = float(np.std(values, ddof=1)) if values.size > 1 else 0.0
    top = np.sort(values)[::-1]
    gap = 100 * float(top[0] - top[1]) / float(top[0]) if values.size > 1 else 0.0
    return Summary(
        float(picked),
        values.size,
        sd,
        100 * sd / float(np.mean(values)),
        gap,
        gap > REPEAT_BEYOND_PERCENT,
    )


def per_mass(force_n: float, body_mass_kg: float) -> float:
    """Force over body mass, N/kg."""
    return force_n / body_mass_kg


def torque_per_mass(force_n: float, lever_m: float | None, body_mass_kg: float | None) -> float | NotMeasured:
    """Torque over body mass in Nm/kg, pad square to the limb, limb weight uncorrected."""
    if lever_m is None:
        return NotMeasured("no-lever", "type the lever arm to get Nm/kg")
    if not body_mass_kg:
        return NotMeasured("no-body-mass", "enter the body mass on the patient form to get Nm/kg")
    return force_n * lever_m / body_mass_kg


@dataclass(frozen=True)
class Setup:
    """How a side was tested; kept with the observation."""

    lever_m: float | None = None
    fixation: str = "hand"
    mode: str = "make"
    caution_reason: str = ""


def observe(
    test_id: str,
    side: Side,
    trials_n: Floats,
    setup: Setup,
    body_mass_kg: float | None,
    typed: list[str],
    rule: Rule = Rule.MEAN,
) -> list[Observation]:
    """Observations of one side: the force in N and, with lever and mass, Nm/kg.

    `trials_n` has shape (n,), newtons, n 1..5; `typed` keeps each trial as it was
    entered. Returns an empty list without trials. Raises ValueError above five.
    """
    if trials_n.size > MOST_TRIALS:
        raise ValueError(f"at most {MOST_TRIALS} trials")
    force = summarise(trials_n, rule)
    if isinstance(force, NotMeasured):
        return []
    evidence = {
        "typed": typed,
        "lever_m": setup.lever_m,
        "fixation": setup.fixation,
        "mode": setup.mode,
        "caution_reason": setup.caution_reason,
        "body_mass_kg": body_mass_kg,
    }
    note = "best two trials differ by more than 10 %, repeat" if force.repeat_advised else ""
    seen = [
        Observation(test_id, side, force.value, trials_n, rule.value, "typed", quality_reason=note, evidence=evidence)
    ]
    factor = torque_per_mass(1.0, setup.lever_m, body_mass_kg)
    if not isinstance(factor, NotMeasured):
        seen.append(
            Observation(
                f"{test_id}-torque",
                side,
                force.value * factor,
                trials_n * factor,
                rule.value,
                "typed",
                quality_reason=note,
                evidence=evidence,
            )
        )
    return seen
