"""The tests on the plates, and what is kept of a recording read as one of them."""

from __future__ import annotations

from dataclasses import dataclass, field
from enum import StrEnum

import numpy as np

from tuning.core.force.recording import CUTOFF_HZ
from tuning.core.force.weighing import BodyWeight
from tuning.core.types import Floats, NotMeasured, Side

CONTACT_N = 20.0
"""The foot is on the plate above this force."""


class PlateKind(StrEnum):
    """How a test is read."""

    STAND = "stand"
    FREE = "free squat"
    PAUSE = "squat with a pause"
    ISO = "against a bar"
    STEP = "on and off"
    RAISE = "calf raise"
    JUMP = "jump"


@dataclass(frozen=True)
class PlateTest:
    """A test by its command-line name; `legs` is 1 for tests of one leg at a time."""

    id: str
    name: str
    kind: PlateKind
    legs: int = 2


TESTS = {
    t.id: t
    for t in (
        PlateTest("quiet-stance", "Quiet stance", PlateKind.STAND),
        PlateTest("squat-fast", "Squat, fast", PlateKind.FREE),
        PlateTest("squat-pause", "Squat with a pause", PlateKind.PAUSE),
        PlateTest("squat-iso", "Isometric squat", PlateKind.ISO),
        PlateTest("lunge-iso", "Isometric lunge", PlateKind.ISO, 1),
        PlateTest("lunge-fast", "Lunge on and off", PlateKind.STEP, 1),
        PlateTest("lunge-pause", "Lunge with a pause", PlateKind.ISO, 1),
        PlateTest("calf-raise", "Single-leg calf raise", PlateKind.RAISE, 1),
        PlateTest("jump", "Countermovement jump", PlateKind.JUMP),
        PlateTest("stance-one-leg", "Single-leg stance", PlateKind.STAND, 1),
    )
}


UNITS = {
    "share": "%", "peak": "N", "peak-net": "N", "peak-bw": "x weight", "time-of-peak": "s", "delay": "ms",
    "onset-error": "ms",
    "rate-50": "N/s", "rate-100": "N/s", "rate-150": "N/s", "rate-200": "N/s", "rate-250": "N/s", "rate-best20": "N/s",
    "own-rate-50": "N/s", "own-rate-100": "N/s", "own-rate-150": "N/s", "own-rate-200": "N/s", "own-rate-250": "N/s",
    "impulse-50": "Ns", "impulse-100": "Ns", "impulse-150": "Ns", "impulse-200": "Ns", "impulse-250": "Ns",
    "rise-rate": "N/s", "impulse-drive": "Ns", "depth": "m", "pause": "s", "unweighting": "s", "braking": "s",
    "propulsion": "s", "duration": "s", "contact": "s", "push-off": "s", "loading-rate": "N/s", "impulse-braking": "Ns",
    "impulse-push": "Ns", "velocity-peak": "m/s", "height": "m", "flight": "s", "share-sway": "points/s",
    "sway-path": "mm", "sway-speed": "mm/s", "sway-area": "cm²", "held": "s",
}  # fmt: skip
"""Every metric with its unit."""


@dataclass
class Rep:
    """One repetition: events in s, values by metric and leg (`none` for both legs together)."""

    number: int
    events: dict[str, float] = field(default_factory=dict)
    values: dict[tuple[str, Side], float] = field(default_factory=dict)

    def add_value(self, metric: str, side: Side, value: float) -> None:
        """Keep a value; what is not finite is left out."""
        if np.isfinite(value):
            self.values[metric, side] = float(value)


@dataclass
class Analysis:
    """All repetitions of one recording, body weight, and what has to be said about them."""

    test: PlateTest
    side: Side
    weight: BodyWeight | NotMeasured
    reps: list[Rep] = field(default_factory=list)
    not_measured: dict[str, str] = field(default_factory=dict)
    left_out: dict[tuple[str, str], list[int]] = field(default_factory=dict)
    """Repetitions that do not give something, by what and why; told as `not_measured` when all are read."""
    warnings: list[str] = field(default_factory=list)
    filter_words: str = f"zero-lag Butterworth low-pass, {CUTOFF_HZ:g} Hz; onsets on the unfiltered force"

    def left_out_sentences(self) -> list[str]:
        """What is not measured, one sentence for each reason."""
        by_reason: dict[str, list[str]] = {}
        for what, why in self.not_measured.items():
            by_reason.setdefault(why, []).append(what)
        return [f"Not measured, since {why}: {'; '.join(whats)}." for why, whats in by_reason.items()]

    def tell_left_out(self) -> None:
        """Say of every value that some repetitions do not give which ones, and why."""
        for (what, why), numbers in self.left_out.items():
            those = ", ".join(map(str, numbers))
            self.not_measured[f"{what}, repetition{'s' if len(numbers) > 1 else ''} {those}"] = why

    def trials(self, metric: str, side: Side) -> Floats:
        """The metric over the repetitions that have it, shape (k,)."""
        return np.array([r.values[metric, side] for r in self.reps if (metric, side) in r.values])

    def summary(self, metric: str, side: Side) -> tuple[float, float, float, int] | None:
        """Mean, SD, best and count of a metric; None where no repetition has it."""
        trials = self.trials(metric, side)
        if not trials.size:
            return None
        spread = float(trials.std(ddof=1)) if trials.size > 1 else 0.0
        return float(trials.mean()), spread, float(trials.max()), trials.size
