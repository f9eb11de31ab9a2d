"""How far a reading from the plates may be off: the standard errors by metric, and the error of a mean."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from tuning.core.judging.verdict import error_of_value, split_sem


@dataclass(frozen=True)
class PlateErrors:
    """Standard error of one repetition by metric, percent of the reading or percent points.

    Metrics without an entry have no error band; their spread is all there is.
    """

    percent: Mapping[str, float]
    points: Mapping[str, float]
    source: str

    def of_mean(self, metric: str, mean: float, trials: int) -> float | None:
        """95 % error of the mean of `trials` repetitions, in the unit of the metric; None where no error is known."""
        if metric in self.points:
            return error_of_value(split_sem(self.points[metric]), trials)
        if metric in self.percent:
            return error_of_value(split_sem(abs(mean) * self.percent[metric] / 100), trials)
        return None
