"""How several trials become one value: a rule of the clinic, applied when a value is read, never by rewriting it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from enum import StrEnum

import numpy as np

from tuning.core.judging.measures import Measure
from tuning.core.types import Floats, Observation


class TrialRule(StrEnum):
    """How several trials become one value (clinic setting, default mean)."""

    MEAN = "mean"
    BEST = "best"
    MEDIAN = "median"


def summed_up(trials: Floats, rule: TrialRule) -> float:
    """One value of trials of shape (n,), n at least 1, in their unit."""
    if rule is TrialRule.BEST:
        return float(trials.max())
    return float(np.median(trials) if rule is TrialRule.MEDIAN else trials.mean())


def apply_trial_rule(
    measures: Mapping[str, Measure], seen: Sequence[Observation], rule: TrialRule
) -> list[Observation]:
    """Observations as the clinic's rule reads them; those of other measures stay as they are."""

    def read(one: Observation) -> Observation:
        """One observation by the rule."""
        measure = measures.get(one.measure_id)
        if measure is None or not measure.by_clinic_rule or one.summary_rule == rule or not one.trials.size:
            return one
        return replace(one, value=summed_up(one.trials, rule), summary_rule=rule.value)

    return [read(one) for one in seen]
