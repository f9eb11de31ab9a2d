"""From repetitions to observations: force and rate of each test, by the formula that fits it."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from tuning.core.force.plate_tests import Analysis, PlateKind, PlateTest
from tuning.core.judging.symmetry import DIFFERENCES, share
from tuning.core.types import LEGS, PLAIN, Floats, Observation, Setup, Side, TraceRef

RATE_OF = {
    PlateKind.ISO: "rate-200",
    PlateKind.PAUSE: "rate-100",
    PlateKind.RAISE: "rate-200",
    PlateKind.FREE: "rise-rate",
    PlateKind.JUMP: "rise-rate",
    PlateKind.STEP: "rise-rate",
}
"""The rate that is compared: from the onset where the start was still, else from the lowest force."""


@dataclass(frozen=True)
class MeasureIds:
    """Ids of the force measure and the rate measure of a test; a stand has no rate, one on one leg no force either."""

    force: str
    rate: str


def lines_of(test: PlateTest) -> MeasureIds:
    """Two-leg tests are compared by shares, one-leg tests leg against leg."""
    if test.kind is PlateKind.STAND:
        return MeasureIds(f"{test.id}-share" if test.legs == 2 else "", "")
    rate = "rise" if RATE_OF[test.kind] == "rise-rate" else "rate"
    if test.legs == 2:
        return MeasureIds(f"{test.id}-share", f"{test.id}-{rate}-share")
    return MeasureIds(f"{test.id}-peak", f"{test.id}-{rate}")


def every_formula(found: Analysis, other: Analysis | None) -> list[tuple[str, list[tuple[str, str, float]]]]:
    """Every percentage of the peaks and of the compared rates: what, then name, formula and value.

    `other` is the recording of the other leg in a one-leg test. Empty without both legs.
    """
    rows = []
    names = ("peak",) if found.test.kind is PlateKind.STAND else ("peak", RATE_OF[found.test.kind])
    for name in names:
        means = {}
        for leg in LEGS:
            source = found if found.test.legs == 2 or found.side is leg else other
            trials = source.trials(name, leg) if source is not None else np.empty(0)
            if trials.size and trials.mean() > 0:
                means[leg] = float(trials.mean())
        if len(means) == 2:
            pair = means[Side.LEFT], means[Side.RIGHT]
            told = [(f.name, f.text, f.of(*pair)) for f in DIFFERENCES.values()]
            rows.append((name, [("Right share", "100 R / (R + L)", share(*pair)), *told]))
    return rows


def rate_shares(found: Analysis) -> Floats:
    """Right share of the legs' rates by repetition, percent, shape (k,); repetitions without both are left out."""
    name = RATE_OF[found.test.kind]
    pairs = [(r.values.get((name, Side.LEFT)), r.values.get((name, Side.RIGHT))) for r in found.reps]
    return np.array([share(a, b) for a, b in pairs if a is not None and b is not None and a > 0 and b > 0])


def observations(found: Analysis, recording: TraceRef, setup: Setup = PLAIN, reason: str = "") -> list[Observation]:
    """Force and rate of a recording as observations, each repetition a trial; `recording` names the kept file."""
    known = replace(recording, test=found.test.id, filter=found.filter_words)
    lines, note = lines_of(found.test), "; ".join(found.warnings)
    made: list[tuple[str, Side, Floats]] = []
    if found.test.legs == 2:
        made.append((lines.force, Side.NONE, found.trials("share", Side.NONE)))
        if lines.rate:
            made.append((lines.rate, Side.NONE, rate_shares(found)))
    elif found.test.kind is PlateKind.STAND:
        made.append((f"{found.test.id}-sway", found.side, found.trials("sway-speed", found.side)))
    else:
        made.append((lines.force, found.side, found.trials("peak", found.side)))
        made.append((lines.rate, found.side, found.trials(RATE_OF[found.test.kind], found.side)))
    return [
        Observation(
            measure,
            side,
            float(trials.mean()),
            trials,
            "mean",
            "plates",
            quality_reason=note,
            setup=setup,
            evidence=known,
            reason=reason,
        )
        for measure, side, trials in made
        if trials.size
    ]
