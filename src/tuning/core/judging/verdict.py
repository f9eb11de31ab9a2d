"""Measurement error and the one verdict rule.

Error variance has three parts: between trials (shrinks with the trials that
are averaged), set-up (pad, mark or camera placed anew) and day (common to both
sides of a session). A single published standard error of measurement (SEM) is
split 1/2, 1/4, 1/4 of its variance (practice judgement, editable).
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from enum import StrEnum

Z95 = 1.96
"""Two-sided 95 % point of the normal distribution."""


class VerdictWord(StrEnum):
    """The four verdicts. Only `in tune` may count as symmetric."""

    IN_TUNE = "in tune"
    CANNOT_TELL = "cannot tell"
    NOTABLE = "notable"
    MARKED = "marked"


@dataclass(frozen=True)
class ErrorParts:
    """Standard deviations of the three parts, in the unit of the measure."""

    trial: float
    setup: float
    day: float


def split_sem(sem: float) -> ErrorParts:
    """Split one SEM into trial, set-up and day parts (variance 1/2, 1/4, 1/4).

    >>> split_sem(4.0).setup
    2.0
    """
    return ErrorParts(sem * math.sqrt(0.5), sem * 0.5, sem * 0.5)


def with_marking(parts: ErrorParts, marking_sd: float | None) -> ErrorParts:
    """Let the trial part be no smaller than what mark placement alone adds."""
    return replace(parts, trial=max(parts.trial, marking_sd or 0.0))


def error_of_value(parts: ErrorParts, trials: int = 1) -> float:
    """95 % error of one signed value; 1.96 SEM for one trial.

    >>> round(error_of_value(split_sem(4.0), 3), 2)
    6.4
    """
    return Z95 * math.sqrt(parts.trial**2 / trials + parts.setup**2 + parts.day**2)


def error_of_difference(left: ErrorParts, right: ErrorParts, n_left: int = 1, n_right: int = 1) -> float:
    """95 % error of right minus left within one session (day part cancels).

    >>> round(error_of_difference(split_sem(4.0), split_sem(4.0), 3, 3), 2)
    7.16
    """
    one = left.trial**2 / n_left + left.setup**2
    other = right.trial**2 / n_right + right.setup**2
    return Z95 * math.sqrt(one + other)


def error_of_change(parts: ErrorParts, n_before: int = 1, n_now: int = 1) -> float:
    """95 % error of a change between visits on one side; 2.77 SEM for one trial.

    >>> round(error_of_change(split_sem(4.0), 3, 3), 2)
    9.05
    """
    both = parts.trial**2 * (1 / n_before + 1 / n_now) + 2 * (parts.setup**2 + parts.day**2)
    return Z95 * math.sqrt(both)


@dataclass(frozen=True)
class Verdict:
    """Result of the rule: `d` signed difference, `e` its error, `band` what matters."""

    word: VerdictWord
    d: float
    e: float
    band: float | None

    @property
    def still_possible(self) -> float:
        """The largest difference that the data do not exclude."""
        return abs(self.d) + self.e

    @property
    def in_errors(self) -> float:
        """The difference in multiples of its error, clipped at four; the beam's pointer."""
        if self.e == 0:
            return math.copysign(4.0, self.d) if self.d else 0.0
        return max(-4.0, min(4.0, self.d / self.e))

    @property
    def resolves(self) -> bool:
        """False when the error is wider than the band, so that the test cannot settle it."""
        return self.band is None or self.e <= self.band


def judge(d: float, error: float, band: float | None, trial_sd: float = 0.0) -> Verdict:
    """Apply the verdict rule to a signed difference `d`.

    `error` is the 95 % error from error_of_*; the larger of it and the larger
    side's trial SD is used. `band` None means that no band is published.
    Raises ValueError for a negative error or a value that is not finite.

    >>> judge(20.0, 8.0, 10.0).word.value
    'marked'
    >>> judge(5.0, 8.0, 10.0).word.value
    'cannot tell'
    """
    if not (math.isfinite(d) and math.isfinite(error)) or error < 0:
        raise ValueError("a verdict needs finite numbers and an error of at least zero")
    e = max(error, trial_sd)
    if band is not None and abs(d) + e <= band:
        word = VerdictWord.IN_TUNE
    elif abs(d) <= e:
        word = VerdictWord.CANNOT_TELL
    elif band is None or abs(d) < band:
        word = VerdictWord.NOTABLE
    else:
        word = VerdictWord.MARKED
    return Verdict(word, d, e, band)


def trials_to_settle(d: float, parts: ErrorParts, band: float | None, now: int, most: int = 5) -> int | None:
    """Fewest trials a side, up to `most`, that would end `cannot tell` if `d` stays; None if none would.

    >>> trials_to_settle(16.0, split_sem(4.0), 10.0, 1)
    2
    """
    for n in range(now + 1, most + 1):
        if judge(d, error_of_difference(parts, parts, n, n), band).word is not VerdictWord.CANNOT_TELL:
            return n
    return None
