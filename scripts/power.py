"""What one session on one plate test can and cannot show: `python scripts/power.py [SEED]` writes the table.

Sessions are made from the stated standard error alone: its variance split into
trial, set-up and day. The maker knows nothing of bands and verdicts.
"""

from __future__ import annotations

import math

import accuracy_page
import numpy as np

from tuning.core.judging.comparison import compare_sides
from tuning.core.judging.verdict import VerdictWord
from tuning.core.types import Observation, Side
from tuning.knowledge import load

SESSIONS, TRIALS, TRUE = 4000, 3, (0, 5, 10, 15, 20, 25)
TESTS = (("lunge-iso-peak", 4.0), ("lunge-iso-rate", 6.0))
"""Measure and its SEM in percent, as the maker of sessions is told it."""


def session(
    true: float, sem: float, random: np.random.Generator, trials: int = TRIALS
) -> tuple[np.ndarray, np.ndarray]:
    """Trials of both legs, shape (trials,) each; the right leg is weaker by `true` percent of the left."""
    trial, setup, day = sem * math.sqrt(0.5), sem * 0.5, sem * 0.5
    today = random.normal(0, day)
    legs = []
    for level in (1000.0, 1000.0 * (1 - true / 100)):
        here = today + random.normal(0, setup)
        legs.append(level * (1 + (here + random.normal(0, trial, trials)) / 100))
    return legs[0], legs[1]


def closed_form(true: float, error: float, band: float) -> dict[VerdictWord, float]:
    """Share of each verdict when the measured difference is normal about the true one.

    A difference against the stronger leg scatters less the larger it is: only
    the weaker leg's share of the error is left in its numerator.
    """
    sd = error / 1.96 * (1 - abs(true) / 100)

    def below(x: float) -> float:
        return 0.5 * (1 + math.erf((x - true) / sd / math.sqrt(2)))

    def inside(x: float) -> float:
        return below(x) - below(-x) if x > 0 else 0.0

    tune = inside(band - error)
    unsure = inside(error) - tune if error > band - error else 0.0
    marked = 1 - inside(max(band, error))
    return {
        VerdictWord.IN_TUNE: tune,
        VerdictWord.CANNOT_TELL: unsure,
        VerdictWord.NOTABLE: 1 - tune - unsure - marked,
        VerdictWord.MARKED: marked,
    }


def simulate(
    measure_id: str, sem: float, random: np.random.Generator, sessions: int = SESSIONS, true: tuple[int, ...] = TRUE
) -> list[tuple[int, dict[VerdictWord, float], float, float]]:
    """By true difference: share of each verdict, wrong side, largest gap to the closed form."""
    measure = load().measures[measure_id]
    rows = []
    for truth in true:
        words, wrong, errors = [], 0, []
        for _ in range(sessions):
            left, right = session(truth, sem, random)
            pair = [
                Observation(measure_id, side, float(t.mean()), t, "mean", "plates")
                for side, t in ((Side.LEFT, left), (Side.RIGHT, right))
            ]
            verdict = compare_sides(measure, *pair).verdict
            words.append(verdict.word)
            errors.append(verdict.e)
            called = verdict.word in (VerdictWord.NOTABLE, VerdictWord.MARKED)
            wrong += called and truth > 0 and verdict.d > 0
        shares = {word: words.count(word) / sessions for word in VerdictWord}
        expected = closed_form(-truth, float(np.median(errors)), measure.band)
        gap = max(abs(shares[w] - expected[w]) for w in VerdictWord)
        rows.append((truth, shares, wrong / sessions, gap))
    return rows


def main() -> None:
    """Simulate and write the table."""
    seed = accuracy_page.seed()
    random = np.random.default_rng(seed)
    measures, rows = load().measures, []
    for measure_id, sem in TESTS:
        name = f"{measures[measure_id].name} (SEM {sem:g} %, band {measures[measure_id].band:g} %)"
        for true, shares, wrong, gap in simulate(measure_id, sem, random):
            told = [f"{100 * shares[w]:.0f} %" for w in VerdictWord]
            rows.append([name, f"{true} %", *told, f"{100 * wrong:.1f} %", f"{100 * gap:.1f} points"])
            name = ""
    accuracy_page.write_table(
        f"Seed {seed}, {SESSIONS} sessions in each row, {TRIALS} trials a leg.",
        ["measure", "true difference", *(w.value for w in VerdictWord), "wrong side", "off the closed form"],
        rows,
        accuracy_page.DOCS / "power.md",
    )


if __name__ == "__main__":
    main()
