"""Agreement of repeated readings: intraclass correlation, standard error of measurement, limits of agreement, kappa.

Sources: Shrout and Fleiss 1979 and McGraw and Wong 1996 (ICC and its intervals), Weir 2005 (SEM and MDC), Bland and
Altman 1999 (limits of agreement), Cohen 1968 (weighted kappa).
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from scipy import stats

from tuning.core.types import Floats, NotMeasured

LEVEL, LEAST_TARGETS, BOOTSTRAPS = 0.95, 3, 2000
"""Intervals of 95 %; fewer targets tell nothing; how often grades are drawn anew for the interval of a kappa."""


@dataclass(frozen=True)
class Interval:
    """A value and the ends of its 95 % interval; NaN where readings without any error or difference tell none."""

    value: float
    low: float
    high: float


@dataclass(frozen=True)
class Reliability:
    """What n targets, each read k times, tell; readings in one unit, or ratios where `log`.

    `icc` by form, as Shrout and Fleiss name them: "1,1", "2,1", "3,1" for one reading and "1,k", "2,k", "3,k" for the
    mean of k. `sem_agreement` has the differences between readers in it, `sem_consistency` has not; with `log` both and
    the MDC are factors (1.1 is 10 %).
    """

    targets: int
    readings: int
    icc: dict[str, Interval]
    sem_agreement: float
    sem_consistency: float
    mdc95_agreement: float
    mdc95_consistency: float
    log: bool = False


@dataclass(frozen=True)
class Agreement:
    """Limits of agreement of two readings (Bland and Altman 1999): mean difference second minus first
    (mean ratio second over first of logarithms), and limits."""

    bias: Interval
    low: Interval
    high: Interval
    pairs: int


def reliability(readings: Floats, log: bool = False) -> Reliability | NotMeasured:
    """Read n targets (rows) by k readers or at k times (columns), shape (n, k), all filled.

    `log` reads their logarithms, for errors that grow with the value. NotMeasured for too few or unusable readings.
    """
    n, k = readings.shape
    if n < LEAST_TARGETS or k < 2:
        return NotMeasured(
            "too-few", f"{n} targets read {k} times; at least {LEAST_TARGETS} targets read twice are needed"
        )
    if log and not (readings > 0).all():
        return NotMeasured("not-positive", "ratios need readings above zero")
    values = np.log(readings) if log else readings
    between, within, of_readers, left = _mean_squares(values)
    if between == 0 and within == 0:
        return NotMeasured("all-equal", "all readings are the same, so targets cannot be distinguished from errors")
    agreement = math.sqrt(max(0.0, (of_readers - left) / n) + left)
    consistency = math.sqrt(left)

    def in_unit(error: float) -> float:
        """An error in the unit of the readings, or as a factor."""
        return math.exp(error) if log else error

    least = stats.norm.ppf((1 + LEVEL) / 2) * math.sqrt(2)
    return Reliability(
        n,
        k,
        _correlations(n, k, between, within, of_readers, left),
        in_unit(agreement),
        in_unit(consistency),
        in_unit(least * agreement),
        in_unit(least * consistency),
        log,
    )


def _mean_squares(values: Floats) -> tuple[float, float, float, float]:
    """Between targets, within targets, between readers, and what is left (two-way analysis of variance)."""
    n, k = values.shape
    rows, columns, all_of = values.mean(axis=1), values.mean(axis=0), float(values.mean())
    between = k * float(((rows - all_of) ** 2).sum()) / (n - 1)
    within = float(((values - rows[:, None]) ** 2).sum()) / (n * (k - 1))
    of_readers = n * float(((columns - all_of) ** 2).sum()) / (k - 1)
    left = float(((values - rows[:, None] - columns + all_of) ** 2).sum()) / ((n - 1) * (k - 1))
    return between, within, of_readers, left


def _correlations(n: int, k: int, between: float, within: float, of_readers: float, left: float) -> dict[str, Interval]:
    """All six forms with their intervals."""
    one = _of_ratio(between, within, n - 1, n * (k - 1), k)
    three = _of_ratio(between, left, n - 1, (n - 1) * (k - 1), k)
    two = _two_way(n, k, between, of_readers, left)
    made = {"1,1": one, "2,1": two, "3,1": three}
    return made | {f"{form[0]},k": _of_mean(single, k) for form, single in made.items()}


def _of_mean(single: Interval, k: int) -> Interval:
    """The same of the mean of k readings (Spearman and Brown)."""

    def stepped(r: float) -> float:
        """Spearman and Brown's formula; NaN at its pole."""
        return _over(k * r, 1 + (k - 1) * r)

    return Interval(*(stepped(r) for r in (single.value, single.low, single.high)))


def _over(above: float, below: float) -> float:
    """A ratio; NaN where nothing stands below."""
    return float(above) / float(below) if abs(below) > 1e-12 else math.nan


def _of_ratio(between: float, error: float, df_between: int, df_error: int, k: int) -> Interval:
    """One form whose interval follows from the F ratio alone."""
    if error == 0:
        return Interval(1.0, 1.0, 1.0)
    ratio, tail = between / error, (1 + LEVEL) / 2
    low = ratio / stats.f.ppf(tail, df_between, df_error)
    high = ratio * stats.f.ppf(tail, df_error, df_between)
    return Interval(*(_over(float(f - 1), float(f + k - 1)) for f in (ratio, low, high)))


def _two_way(n: int, k: int, between: float, of_readers: float, left: float) -> Interval:
    """Form 2,1: readers are drawn, too; its interval after McGraw and Wong 1996, table 7."""
    value = _over(between - left, between + (k - 1) * left + k * (of_readers - left) / n)
    if left == 0 or math.isnan(value) or value >= 1:
        return Interval(value, math.nan, math.nan)
    a, b = k * value / (n * (1 - value)), 1 + k * value * (n - 1) / (n * (1 - value))
    freedom = _over(
        (a * of_readers + b * left) ** 2, (a * of_readers) ** 2 / (k - 1) + (b * left) ** 2 / ((n - 1) * (k - 1))
    )
    tail = (1 + LEVEL) / 2
    under, over = stats.f.ppf(tail, n - 1, freedom), stats.f.ppf(tail, freedom, n - 1)
    rest = k * of_readers + (k * n - k - n) * left
    low = _over(n * (between - under * left), under * rest + n * between)
    high = _over(n * (over * between - left), rest + n * over * between)
    return Interval(value, float(low), float(high))


def limits_of_agreement(first: Floats, second: Floats, log: bool = False) -> Agreement | NotMeasured:
    """Bias and 95 % limits of paired readings, shape (n,) each, with their intervals; second over first with `log`."""
    if log and not (first > 0).all() & (second > 0).all():
        return NotMeasured("not-positive", "ratios need readings above zero")
    apart = np.log(second / first) if log else second - first
    n = apart.size
    if n < LEAST_TARGETS:
        return NotMeasured("too-few", f"{n} pairs; at least {LEAST_TARGETS} are needed")
    bias, sd = float(apart.mean()), float(apart.std(ddof=1))
    t, z = float(stats.t.ppf((1 + LEVEL) / 2, n - 1)), float(stats.norm.ppf((1 + LEVEL) / 2))
    of_bias, of_limit = t * sd / math.sqrt(n), t * sd * math.sqrt(1 / n + z**2 / (2 * (n - 1)))
    ends = (bias - z * sd, bias + z * sd)

    def around(middle: float, by: float) -> Interval:
        """So far on both sides, as differences or as ratios."""
        told = (middle, middle - by, middle + by)
        return Interval(*(math.exp(v) for v in told)) if log else Interval(*told)

    return Agreement(around(bias, of_bias), around(ends[0], of_limit), around(ends[1], of_limit), n)


def weighted_kappa(first: Floats, second: Floats, power: int = 2) -> Interval | NotMeasured:
    """Agreement of two rows of whole grades beyond chance; `power` 1 weighs by distance, 2 by its square.

    The interval is that of grades drawn anew (percentiles of 2,000 draws, the same ones each time).
    """
    if first.size < LEAST_TARGETS:
        return NotMeasured("too-few", f"{first.size} graded targets; at least {LEAST_TARGETS} are needed")
    if not (np.equal(np.mod(first, 1), 0).all() and np.equal(np.mod(second, 1), 0).all()):
        return NotMeasured("no-grades", "grades are whole numbers")
    value = _kappa(first, second, power)
    if math.isnan(value):
        return NotMeasured("one-grade", "all grades are the same, so chance alone explains them")
    random = np.random.default_rng(0)
    drawn = [random.integers(0, first.size, first.size) for _ in range(BOOTSTRAPS)]
    values = np.array([_kappa(first[rows], second[rows], power) for rows in drawn])
    low, high = (float(v) for v in np.nanpercentile(values, (2.5, 97.5)))
    return Interval(value, low, high)


def _kappa(first: Floats, second: Floats, power: int) -> float:
    """1 - what was seen apart over what chance puts apart; NaN where chance puts nothing apart."""
    seen = float((np.abs(first - second) ** power).mean())
    chance = float((np.abs(first[:, None] - second[None, :]) ** power).mean())
    return 1 - seen / chance if chance else math.nan
