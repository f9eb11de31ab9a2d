"""What the plates say, as plain data for other programs."""

from __future__ import annotations

from typing import Any

from tuning.core.force.plate_errors import PlateErrors
from tuning.core.force.plate_tests import UNITS, Analysis
from tuning.core.types import NotMeasured


def force_json(found: Analysis, errors: PlateErrors) -> dict[str, Any]:
    """Version, weight, every repetition with its events and values, summaries, warnings, what is not measured.

    `error` of a summary is the 95 % error of its mean, null where none is known.
    """
    weight = found.weight
    keys = dict.fromkeys(key for rep in found.reps for key in rep.values)
    summaries = []
    for metric, side in keys:
        told = found.summary(metric, side)
        if told is not None:
            mean, sd, best, n = told
            summaries.append(
                {
                    "metric": metric,
                    "side": side.value,
                    "mean": mean,
                    "sd": sd,
                    "error": errors.of_mean(metric, mean, n),
                    "best": best,
                    "n": n,
                    "unit": UNITS[metric],
                }
            )
    return {
        "version": 1,
        "test": found.test.id,
        "side": found.side.value,
        "filter": found.filter_words,
        "body_weight_n": None if isinstance(weight, NotMeasured) else weight.newtons,
        "repetitions": [
            {
                "number": rep.number,
                "events_s": rep.events,
                "values": [
                    {"metric": metric, "side": side.value, "value": value, "unit": UNITS[metric]}
                    for (metric, side), value in rep.values.items()
                ],
            }
            for rep in found.reps
        ],
        "summaries": summaries,
        "not_measured": found.not_measured,
        "warnings": found.warnings,
    }
