"""Whether further trials could still change a verdict; where they cannot, the patient need not push again."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from tuning.core.judging.comparison import compare_sides, error_parts, trials_averaged
from tuning.core.judging.measures import Measure
from tuning.core.judging.trial_rule import TrialRule, summed_up
from tuning.core.judging.verdict import Verdict, VerdictWord
from tuning.core.types import LEGS, Observation, Side

LIKELY_SD = 2.58
"""How far the mean of the trials to come is followed, in its standard deviations: 99 % of it lies within (normal)."""
STEPS = 13
"""Places of that mean which are tried."""


def verdict_is_settled(measure: Measure, left: Observation, right: Observation, side: Side, wanted: int) -> bool:
    """Whether trials of `side`, up to `wanted`, would leave the verdict as it is, wherever they are likely to lie.

    The mean of k trials to come is normal about that of the n so far, with variance s² (1/n + 1/k); s is the trial part
    of the method's error, or the spread of the trials where that is larger. False without a verdict, and for "cannot
    tell", which more trials may always end.
    """
    now, verdict = (left if side is Side.LEFT else right), compare_sides(measure, left, right).verdict
    more = wanted - now.trials.size
    if not isinstance(verdict, Verdict) or verdict.word is VerdictWord.CANNOT_TELL or now.measured is None:
        return False
    if not now.trials.size or now.summary_rule not in set(TrialRule):
        return False
    if more <= 0:
        return True
    scale = abs(now.measured) / 100 if measure.in_percent else 1.0
    sd = max(error_parts(measure, now).trial * scale, now.spread)
    far = LIKELY_SD * sd * np.sqrt(1 / trials_averaged(now) + 1 / more)
    middle = float(now.trials.mean())
    return all(
        _word(measure, left, right, _grown(now, middle + step * far, more)) is verdict.word
        for step in np.linspace(-1, 1, STEPS)
    )


def _grown(seen: Observation, value: float, more: int) -> Observation:
    """An observation with so many further trials of one value."""
    trials = np.append(seen.trials, np.full(more, value))
    return replace(seen, trials=trials, value=summed_up(trials, TrialRule(seen.summary_rule)))


def _word(measure: Measure, left: Observation, right: Observation, grown: Observation) -> VerdictWord | None:
    pair = {Side.LEFT: left, Side.RIGHT: right, grown.side: grown}
    found = compare_sides(measure, *(pair[leg] for leg in LEGS)).verdict
    return found.word if isinstance(found, Verdict) else None
