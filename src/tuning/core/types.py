"""The types that every floor shares."""

from __future__ import annotations

from dataclasses import dataclass, field
from datetime import datetime
from enum import StrEnum
from typing import Any

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]


class Side(StrEnum):
    """Anatomical side; mirrored pictures never swap it."""

    LEFT = "left"
    RIGHT = "right"
    BOTH = "both"
    NONE = "none"

    @property
    def other(self) -> Side:
        """The opposite leg; `both` and `none` are their own opposite."""
        return {Side.LEFT: Side.RIGHT, Side.RIGHT: Side.LEFT}.get(self, self)


LEGS = (Side.LEFT, Side.RIGHT)


class Role(StrEnum):
    """Who is looking; decides the wording of suspicions and who may override."""

    CLINICIAN = "licensed clinician"
    TRAINER = "trainer"
    STUDENT = "student"


@dataclass(frozen=True)
class NotMeasured:
    """Stands in place of a number that the input cannot support.

    `reason` is a stable short code, `detail` the sentence that is shown.
    """

    reason: str
    detail: str


@dataclass(frozen=True)
class Observation:
    """One captured value with everything needed to explain and repeat it.

    `value` is in the unit of the measure (see knowledge/measures).
    `trials` has shape (n,), same unit. `marking_sd` is the standard deviation
    that mark placement alone adds, same unit, None where no marks were placed.
    """

    measure_id: str
    side: Side
    value: float | NotMeasured
    trials: Floats = field(default_factory=lambda: np.empty(0))
    summary_rule: str = "single"
    method: str = "typed"
    marking_sd: float | None = None
    quality: float = 1.0
    quality_reason: str = ""
    evidence: dict[str, Any] = field(default_factory=dict)
    id: int | None = None
    at: datetime | None = None
    who: str = ""

    @property
    def measured(self) -> float | None:
        """The value as a number, or None when it was not measured."""
        return None if isinstance(self.value, NotMeasured) else self.value

    @property
    def spread(self) -> float:
        """Standard deviation (n - 1) of the trials; 0 below two trials."""
        return float(np.std(self.trials, ddof=1)) if self.trials.size > 1 else 0.0
