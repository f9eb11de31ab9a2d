"""How far a reading from the plates may be off: the standard errors by metric, and the error of a mean."""

from __future__ import annotations

from tuning.core.judging.verdict import error_of_value, split_sem

SEM_PERCENT = {
    "peak": 4.0, "peak-bw": 4.0, "rate-50": 12.0, "rate-100": 12.0, "rate-150": 8.0, "rate-200": 6.0, "rate-250": 6.0,
    "rate-best20": 12.0, "rise-rate": 8.0, "sway-speed": 8.0, "sway-path": 8.0,
}  # fmt: skip
"""Standard error of one repetition, percent of the reading (practice judgement, editable). Early rates are the
least dependable (Maffiuletti 2016). Metrics without an entry have no error band; their spread is all there is."""
SEM_POINTS = {"share": 1.5}
"""The same in percent points (practice judgement, editable)."""


def error_of_mean(metric: str, mean: float, trials: int) -> float | None:
    """95 % error of the mean of `trials` repetitions, in the unit of the metric; None where no error is known."""
    if metric in SEM_POINTS:
        return error_of_value(split_sem(SEM_POINTS[metric]), trials)
    if metric in SEM_PERCENT:
        return error_of_value(split_sem(abs(mean) * SEM_PERCENT[metric] / 100), trials)
    return None
