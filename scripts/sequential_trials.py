"""What stopping early costs: `python scripts/sequential_trials.py [--legs 2000] [--seed 11]` writes docs/trials.md.

Pairs of legs are made up from true forces, scatter from trial to trial and a set-up error for each leg, and judged from
the fixed number of trials a side and by stopping on the second leg once no further trial could change the verdict.
Wrong is a verdict that the true difference denies: in tune beyond the band, or different where the legs are alike.
"""

from __future__ import annotations

from pathlib import Path

import click
import numpy as np

from tuning.core.judging.comparison import compare_sides
from tuning.core.judging.measures import Measure
from tuning.core.judging.next_trial import verdict_is_settled
from tuning.core.judging.verdict import Verdict, VerdictWord, split_sem
from tuning.core.types import Observation, Setup, Side
from tuning.knowledge import load

WANTED = 3
DIFFERENCES = (0.0, 5.0, 10.0, 15.0, 20.0, 30.0)
"""True differences, percent of the stronger leg."""
PAGE = """# When another trial is not likely to change the verdict

Strength of hip abduction, {legs} made-up pairs for each true difference and way of holding, {wanted} trials a side
against stopping on the second leg as the program proposes:
`python scripts/sequential_trials.py --legs {legs} --seed {seed}`.
Wrong: in tune although the legs differ by more than the {band:g} % that matter, or a difference where they are alike or
on the other leg. "Another word": the verdict of the fixed number would have been another.

| held | true difference | pushes on the second leg | wrong, fixed | wrong, stopping | another word |
|---|---|---|---|---|---|
{rows}
"""


def observed(side: Side, trials: np.ndarray, fixation: str) -> Observation:
    """One leg as it is kept."""
    return Observation(
        "hip-abd", side, float(trials.mean()), trials, "mean", setup=Setup(mode="make", fixation=fixation)
    )


def is_wrong(word: VerdictWord, d: float, true: float, band: float) -> bool:
    """Whether a verdict says what is not so; `d` and `true` are percent, above zero where the right leg is stronger."""
    if word is VerdictWord.IN_TUNE:
        return abs(true) > band
    return word in (VerdictWord.NOTABLE, VerdictWord.MARKED) and true * d <= 0


def row(measure: Measure, fixation: str, true: float, legs: int, rng: np.random.Generator) -> str:
    """One line of the table."""
    parts, band = split_sem(measure.sem_by.get(fixation, measure.sem)), measure.band or 0.0
    pushes, wrong, another = 0, np.zeros(2, dtype=int), 0
    for _ in range(legs):
        forces = np.array([200.0 * (1 - true / 100), 200.0])
        set_up = 1 + rng.normal(0, parts.setup / 100, 2)
        every = (forces * set_up)[:, None] * (1 + rng.normal(0, parts.trial / 100, (2, WANTED)))
        left = observed(Side.LEFT, every[0], fixation)
        verdicts = []
        for n in range(1, WANTED + 1):
            right = observed(Side.RIGHT, every[1, :n], fixation)
            if n == WANTED or verdict_is_settled(measure, left, right, Side.RIGHT, WANTED):
                verdicts.append(compare_sides(measure, left, right).verdict)
                pushes += n
                break
        verdicts.append(compare_sides(measure, left, observed(Side.RIGHT, every[1], fixation)).verdict)
        stopped, fixed = verdicts
        assert isinstance(stopped, Verdict) and isinstance(fixed, Verdict)
        wrong += [is_wrong(v.word, v.d, true, band) for v in (fixed, stopped)]
        another += stopped.word is not fixed.word
    shares = (100 * np.array([*wrong, another]) / legs).tolist()
    told = " | ".join(f"{share:.1f} %" for share in shares)
    return f"| {fixation} | {true:g} % | {pushes / legs:.2f} of {WANTED} | {told} |"


@click.command()
@click.option("--legs", default=2000, help="Pairs of legs for each line.")
@click.option("--seed", default=11)
@click.option("--out", type=click.Path(path_type=Path), default=Path(__file__).parent.parent / "docs" / "trials.md")
def main(legs: int, seed: int, out: Path) -> None:
    """Simulate, and write the page."""
    measure, rng = load().measures["hip-abd"], np.random.default_rng(seed)
    rows = [row(measure, held, true, legs, rng) for held in ("hand", "belt") for true in DIFFERENCES]
    out.write_text(PAGE.format(legs=legs, wanted=WANTED, seed=seed, band=measure.band, rows="\n".join(rows)))
    click.echo("\n".join(rows))


if __name__ == "__main__":
    main()
