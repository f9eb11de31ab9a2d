"""When another trial can no longer change the verdict, and what stopping there costs."""

from dataclasses import replace

import numpy as np
import pytest
import sequential_trials
from click.testing import CliRunner
from hypothesis import given
from hypothesis import strategies as st

from tuning.core.judging.comparison import compare_sides
from tuning.core.judging.next_trial import verdict_is_settled
from tuning.core.types import LEGS, Observation, Setup
from tuning.knowledge import load

MEASURE = load().measures["hip-abd"]
LEFT, RIGHT = LEGS


def leg(side, *trials, rule="mean"):
    values = np.array(trials, dtype=float)
    value = values.mean() if rule == "mean" else values.max()
    return Observation("hip-abd", side, value, values, rule, setup=Setup(mode="make", fixation="belt"))


@pytest.mark.parametrize("weak", LEGS)
def test_a_clear_difference_is_settled_by_one_trial_and_a_doubtful_one_is_not(weak):
    strong = leg(weak.other, 200, 205, 198)

    def settled(*trials):
        pair = {weak.other: strong, weak: leg(weak, *trials)}
        return verdict_is_settled(MEASURE, pair[LEFT], pair[RIGHT], weak, 3)

    assert settled(110) and settled(110, 114) and not settled(170) and not settled(199)
    assert not settled(180, 182, 181), "cannot tell is never settled"
    assert settled(120, 118, 122), "nothing is left to do"
    single = replace(leg(weak, 110), summary_rule="single")
    assert not verdict_is_settled(MEASURE, *((single, strong) if weak is LEFT else (strong, single)), weak, 3)


def test_the_best_of_several_can_only_rise():
    """By the best trial a later one that is weaker changes nothing; a stronger one may."""
    right = leg(RIGHT, 240, 238, 235, rule="best")
    assert verdict_is_settled(MEASURE, leg(LEFT, 130, rule="best"), right, LEFT, 3)
    assert not verdict_is_settled(MEASURE, leg(LEFT, 205, rule="best"), right, LEFT, 3)


@given(st.lists(st.floats(100, 260), min_size=1, max_size=2), st.floats(0.0, 1.0))
def test_what_is_settled_stays_when_a_likely_trial_comes(trials, share):
    right, now = leg(RIGHT, 200, 202, 199), leg(LEFT, *trials)
    if not verdict_is_settled(MEASURE, now, right, LEFT, 3):
        return
    spread = max(now.spread, MEASURE.sem_by["belt"] / 2 / 100 * now.value)
    rest = [now.value + (2 * share - 1) * spread] * (3 - len(trials))
    word = compare_sides(MEASURE, now, right).verdict.word
    assert compare_sides(MEASURE, leg(LEFT, *trials, *rest), right).verdict.word is word


def test_stopping_costs_no_more_error_than_the_fixed_number(tmp_path):
    page = tmp_path / "trials.md"
    run = CliRunner().invoke(sequential_trials.main, ["--legs", "150", "--out", str(page)])
    assert run.exit_code == 0, run.output
    rows = [line.split("|") for line in page.read_text().splitlines() if line.startswith(("| hand", "| belt"))]
    assert len(rows) == 2 * len(sequential_trials.DIFFERENCES)
    share = lambda cell: float(cell.split("%")[0])  # noqa: E731
    assert all(share(row[5]) <= share(row[4]) + 1 for row in rows)
    assert min(float(row[3].split()[0]) for row in rows) < 2, "trials are saved where legs differ much"
