"""Hand-held strength testing: what a handful of trials says."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass
from enum import StrEnum
from typing import Any

import numpy as np

from tuning.core.judging.comparability import is_pain_limited
from tuning.core.judging.measures import Measure
from tuning.core.judging.trial_rule import TrialRule, summed_up
from tuning.core.judging.verdict import Z95, error_of_difference, split_sem
from tuning.core.types import LEGS, Floats, NotMeasured, Observation, Setup, Side, TraceRef
from tuning.core.units import GRAVITY

MOST_TRIALS = 5
REPEAT_BEYOND_PERCENT = 10.0
"""Best two trials further apart than this: repeat (practice judgement, editable)."""

MOST_HELD_N = {"hand": 800.0, "belt": 1500.0}
"""What no tester holds by hand, and no leg pulls on a belt (practice judgement)."""
FAR = 3.0
"""So many times a trial beside it is no trial of the same muscle: a digit too many or too few (practice judgement)."""


def doubt_of(newtons: float, beside: Floats, fixation: str) -> str:
    """Why a typed force (N) should be read again; empty when nothing speaks against it.

    `beside` are the trials of either leg in the same test, shape (n,), N. A caught force is not typed: ask no more.
    """
    most = MOST_HELD_N.get(fixation, max(MOST_HELD_N.values()))
    if newtons > most:
        how = "by hand" if fixation == "hand" else "here"
        return f"{newtons:,.0f} N is more than can be held {how} ({most:,.0f} N)"
    usual = float(np.median(beside)) if beside.size else newtons
    if newtons > FAR * usual or newtons < usual / FAR:
        return f"{newtons:,.0f} N is far from the other trials of this test ({usual:,.0f} N)"
    return ""


@dataclass(frozen=True)
class TrialSummary:
    """`value` and `sd` in the unit of the trials; the others in percent of the mean or best."""

    value: float
    n: int
    sd: float
    cv_percent: float
    best_two_gap_percent: float
    repeat_advised: bool


def summarise(trials: Floats, rule: TrialRule = TrialRule.MEAN) -> TrialSummary | NotMeasured:
    """Summarise trials of shape (n,), n 0..5, one unit.

    Returns NotMeasured without trials. SD is over n - 1 and zero for one trial.
    Raises ValueError when a trial is not above zero or not finite.
    """
    values = np.asarray(trials, dtype=np.float64)
    if values.size == 0:
        return NotMeasured("no-trials", "no trial yet")
    if not np.all(np.isfinite(values)) or np.any(values <= 0):
        raise ValueError("trials must be finite and above zero")
    sd = float(np.std(values, ddof=1)) if values.size > 1 else 0.0
    top = np.sort(values)[::-1]
    gap = 100 * float(top[0] - top[1]) / float(top[0]) if values.size > 1 else 0.0
    return TrialSummary(
        summed_up(values, rule),
        values.size,
        sd,
        100 * sd / float(np.mean(values)),
        gap,
        gap > REPEAT_BEYOND_PERCENT,
    )


def per_mass(force_n: float, body_mass_kg: float) -> float:
    """Force over body mass, N/kg."""
    return force_n / body_mass_kg


def percent_of_weight(force_n: float, body_mass_kg: float) -> float:
    """Force in percent of body weight, 100 N / (kg x 9.80665)."""
    return 100 * force_n / (body_mass_kg * GRAVITY)


def torque_per_mass(force_n: float, lever_m: float | None, body_mass_kg: float | None) -> float | NotMeasured:
    """Torque over body mass in Nm/kg, pad square to the limb, limb weight uncorrected."""
    if lever_m is None:
        return NotMeasured("no-lever", "type the lever arm to get Nm/kg")
    if not body_mass_kg:
        return NotMeasured("no-body-mass", "enter the body mass on the patient form to get Nm/kg")
    return force_n * lever_m / body_mass_kg


class Mode(StrEnum):
    """Who moves: the patient pushes (make), or the tester overcomes after a hold (break)."""

    MAKE = "make"
    BREAK = "break"

    @property
    def contraction(self) -> str:
        """What the muscle does at the reading."""
        return "isometric" if self is Mode.MAKE else "eccentric, after an isometric hold"


@dataclass(frozen=True)
class PainBand:
    """Highest pain, 0-10, of a band, and what to do in it."""

    top: int
    words: str
    source: str


@dataclass(frozen=True)
class RatioBand:
    """The force of one test over that of another on the same leg, and where it usually lies."""

    upper: str
    lower: str
    name: str
    source: str
    low: float | None = None
    high: float | None = None


@dataclass(frozen=True)
class StrengthTable:
    """What strength is set against; editable."""

    pain: tuple[PainBand, ...]
    ratio: tuple[RatioBand, ...]

    def pain_band(self, pain: int) -> tuple[int, PainBand]:
        """The band of a pain, and which one it is from the bottom. Raises ValueError outside 0-10."""
        if not 0 <= pain <= 10:
            raise ValueError("pain runs from 0 to 10")
        return next((n, band) for n, band in enumerate(self.pain) if pain <= band.top)

    @property
    def pain_words(self) -> str:
        """All bands in one line, with their sources."""
        lowest = (0, *(band.top + 1 for band in self.pain))
        told = ", ".join(f"{low}-{band.top} {band.words}" for low, band in zip(lowest, self.pain, strict=False))
        return f"{told} ({', '.join(dict.fromkeys(band.source for band in self.pain))})"


USUAL = Setup(mode=Mode.MAKE.value, fixation="hand")
"""How a test is done when nobody says otherwise."""


@dataclass(frozen=True)
class StrengthTrials:
    """The trials of one test and side: newtons of shape (n,), as entered, traces where a gauge was read.

    `pain` is 0-10, None when not asked. `reason` is why it was done although the gate asked.
    """

    test: str
    side: Side
    newtons: Floats
    typed: tuple[str, ...] = ()
    traces: tuple[Mapping[str, Any] | None, ...] = ()
    setup: Setup = USUAL
    pain: int | None = None
    reason: str = ""

    @property
    def method(self) -> str:
        """Whether every trial came from a gauge."""
        return "gauge" if self.newtons.size and self.traces and all(t is not None for t in self.traces) else "typed"


def observe(done: StrengthTrials, rule: TrialRule = TrialRule.MEAN) -> list[Observation]:
    """Observations of one side: the force in N and, for a side with lever and mass, Nm/kg.

    One to five trials. Returns an empty list without trials. Raises ValueError above five.
    """
    if done.newtons.size > MOST_TRIALS:
        raise ValueError(f"at most {MOST_TRIALS} trials")
    force = summarise(done.newtons, rule)
    if isinstance(force, NotMeasured):
        return []
    faults = [str(t["faults"]) for t in done.traces if t is not None and t.get("faults")]
    repeat = ["best two trials differ by more than 10 %, repeat"] if force.repeat_advised else []
    note = "; ".join([*repeat, *(f"kept anyway: {fault}" for fault in faults)])
    wanted = [(done.test, 1.0)]
    factor = torque_per_mass(1.0, done.setup.lever_m, done.setup.body_mass_kg)
    if not isinstance(factor, NotMeasured) and done.side in LEGS:
        wanted.append((f"{done.test}-torque", factor))
    return [
        Observation(
            measure_id,
            done.side,
            force.value * times,
            done.newtons * times,
            rule.value,
            done.method,
            quality_reason=note,
            setup=done.setup,
            evidence=TraceRef(done.typed, done.traces),
            pain=done.pain,
            reason=done.reason,
        )
        for measure_id, times in wanted
    ]


@dataclass(frozen=True)
class Ratio:
    """One force over another of the same leg, with its 95 % error."""

    value: float
    error: float
    band: RatioBand

    @property
    def place(self) -> int | None:
        """-1 below the band, 0 inside, 1 above it; None where the error does not allow to say."""
        low, high = self.band.low, self.band.high
        if low is not None and self.value + self.error < low:
            return -1
        if high is not None and self.value - self.error > high:
            return 1
        inside = (low is None or self.value - self.error >= low) and (high is None or self.value + self.error <= high)
        return 0 if inside else None

    @property
    def words(self) -> str:
        """Where the ratio lies, or that the error does not allow to say."""
        if self.place is None:
            return "cannot tell on which side of the band"
        return {-1: f"below {self.band.low}", 0: "inside the usual band", 1: f"above {self.band.high}"}[self.place]


def sem_of_both(measure: Measure, upper: Observation, lower: Observation) -> float:
    """SEM, percent, that holds for two forces: that of the belt only where both were taken with it."""
    belt = upper.setup.fixation == lower.setup.fixation == "belt"
    return measure.sem_by.get("belt", measure.sem) if belt else measure.sem


def ratio(upper: Observation, lower: Observation, sem_percent: float, band: RatioBand) -> Ratio | NotMeasured:
    """Ratio of two forces of one leg; `sem_percent` is the SEM of one trial of either.

    Returns NotMeasured when one is missing, pain-limited, or in the other mode.
    """
    a, b = upper.measured, lower.measured
    if a is None or b is None or b <= 0:
        return NotMeasured("incomplete", "needs both tests of the leg")
    if upper.setup.mode != lower.setup.mode:
        return NotMeasured("unlike", "a make and a break test are never set against each other")
    if is_pain_limited(upper) or is_pain_limited(lower):
        return NotMeasured("pain-limited", "pain-limited, no ratio")
    parts = split_sem(sem_percent)
    variance = sum(parts.trial**2 / max(1, o.trials.size) + parts.setup**2 for o in (upper, lower))
    value = a / b
    return Ratio(value, value * Z95 * math.sqrt(variance) / 100, band)


def least_difference(sem_percent: float, trials: int) -> float:
    """Smallest difference between the sides, percent, that this many trials a side tell from none."""
    parts = split_sem(sem_percent)
    return error_of_difference(parts, parts, trials, trials)


def what_resolves(sem_hand: float, sem_belt: float, band: float, trials: int) -> str:
    """What these trials can tell by hand and with a belt, in words."""
    hand, belt = least_difference(sem_hand, trials), least_difference(sem_belt, trials)
    count = f"{trials} trials" if trials > 1 else "one trial"
    told = f"With {count} a side this test can tell {hand:.0f} % apart by hand, {belt:.0f} % with a belt."
    if hand <= band:
        return told
    enough = {
        name: next((n for n in range(trials, MOST_TRIALS + 1) if least_difference(sem, n) <= band), None)
        for name, sem in (("by hand", sem_hand), ("with a belt", sem_belt))
    }
    ways = [f"{n} trials {name}" for name, n in enough.items() if n is not None]
    rest = f"{' or '.join(ways)} would do" if ways else "neither more trials nor a belt is enough"
    return f"{told} Differences that matter begin at {band:g} %: {rest}."
