"""The verdict rule against hand-worked cases and its laws."""

import math
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tuning.core.judging.comparison import compare_sides, comparison_table, judge_value
from tuning.core.judging.verdict import (
    VerdictWord,
    error_of_change,
    error_of_difference,
    error_of_value,
    judge,
    split_sem,
)
from tuning.core.types import LEGS, NotMeasured, Observation, Setup, Side
from tuning.knowledge import load

MEASURES = load().measures
numbers = st.floats(-200, 200)
errors = st.floats(0.01, 100)


@pytest.mark.parametrize(
    ("d", "e", "band", "word"),
    [
        (1.0, 2.0, 5.0, VerdictWord.IN_TUNE),
        (-3.0, 2.0, 5.0, VerdictWord.IN_TUNE),
        (3.1, 2.0, 5.0, VerdictWord.NOTABLE),
        (2.0, 4.0, 5.0, VerdictWord.CANNOT_TELL),
        (-4.0, 4.0, 5.0, VerdictWord.CANNOT_TELL),
        (6.0, 2.0, 5.0, VerdictWord.MARKED),
        (6.0, 7.0, 5.0, VerdictWord.CANNOT_TELL),
        (6.0, 2.0, None, VerdictWord.NOTABLE),
        (1.0, 2.0, None, VerdictWord.CANNOT_TELL),
    ],
)
def test_the_rule_on_worked_cases(d, e, band, word):
    assert judge(d, e, band).word is word


@given(numbers, errors, st.one_of(st.none(), errors))
def test_mirrored_input_gives_the_mirrored_verdict(d, e, band):
    one, other = judge(d, e, band), judge(-d, e, band)
    assert one.word is other.word and one.in_errors == -other.in_errors


@given(numbers, errors, errors)
def test_in_tune_excludes_a_difference_that_matters(d, e, band):
    verdict = judge(d, e, band)
    if verdict.word is VerdictWord.IN_TUNE:
        assert verdict.still_possible <= band
    if verdict.word is VerdictWord.MARKED:
        assert abs(d) > e and abs(d) >= band


def test_a_large_trial_spread_replaces_a_smaller_error():
    assert judge(3, 2, 10).word is VerdictWord.IN_TUNE
    assert judge(3, 2, 10, trial_sd=8).word is VerdictWord.CANNOT_TELL


@pytest.mark.parametrize("bad", [(math.nan, 1), (1, math.inf), (1, -1)])
def test_no_verdict_on_numbers_that_are_none(bad):
    with pytest.raises(ValueError):
        judge(*bad, None)


def test_multipliers_of_one_sem():
    parts = split_sem(3.0)
    assert error_of_value(parts) == pytest.approx(1.96 * 3)
    assert error_of_change(parts) == pytest.approx(2.77 * 3, rel=1e-3)
    # Within one session the day part (a quarter of the variance) is common to both sides.
    assert error_of_difference(parts, parts) == pytest.approx(2.77 * 3 * math.sqrt(0.75), rel=1e-3)


def test_three_trials_tell_fourteen_percent_by_hand_and_eleven_with_a_belt():
    for sem, told in ((8.0, 14), (6.0, 11)):
        parts = split_sem(sem)
        assert round(error_of_difference(parts, parts, 3, 3)) == told


def strength(side, trials, pain=None, **setup):
    values = np.array(trials, dtype=float)
    return Observation("hip-abd", side, float(values.mean()), values, "mean", setup=Setup(**setup), pain=pain)


def test_strength_difference_counts_against_the_stronger_side():
    row = compare_sides(
        MEASURES["hip-abd"], strength(Side.LEFT, [120, 122, 118]), strength(Side.RIGHT, [200, 201, 199])
    )
    assert row.verdict.d == pytest.approx(40) and row.verdict.word is VerdictWord.MARKED
    assert row.sentence == "left 40 % weaker than right"


@pytest.mark.parametrize("weak", LEGS)
@pytest.mark.parametrize(("measure", "word"), [("hip-abd", "weaker"), ("lunge-iso-rate", "lower")])
def test_the_side_that_is_named_is_the_one_with_less(weak, measure, word):
    values = {weak: [60, 60, 60], weak.other: [100, 100, 100]}
    row = compare_sides(MEASURES[measure], *(replace(strength(s, values[s]), measure_id=measure) for s in LEGS))
    assert row.sentence == f"{weak.value} 40 % {word} than {weak.other.value}"


def test_a_single_trial_cannot_tell_and_says_how_many_would():
    one = compare_sides(MEASURES["hip-abd"], strength(Side.LEFT, [100]), strength(Side.RIGHT, [101]))
    assert one.verdict.word is VerdictWord.CANNOT_TELL and not one.verdict.resolves
    needed = int(one.settle.split()[0])
    enough = compare_sides(
        MEASURES["hip-abd"], strength(Side.LEFT, [100] * needed), strength(Side.RIGHT, [101] * needed)
    )
    fewer = compare_sides(
        MEASURES["hip-abd"], strength(Side.LEFT, [100] * (needed - 1)), strength(Side.RIGHT, [101] * (needed - 1))
    )
    assert enough.verdict.word is VerdictWord.IN_TUNE and fewer.verdict.word is VerdictWord.CANNOT_TELL


def test_a_belt_narrows_the_error():
    by = {
        fixation: compare_sides(
            MEASURES["hip-abd"],
            strength(Side.LEFT, [100, 100], fixation=fixation),
            strength(Side.RIGHT, [100, 100], fixation=fixation),
        ).verdict.e
        for fixation in ("hand", "belt")
    }
    assert by["belt"] == pytest.approx(0.75 * by["hand"])


def test_coarse_marking_widens_the_error_and_is_named_as_its_source():
    fine = Observation("squat-front-fppa", Side.LEFT, 4.0, marking_sd=0.5)
    coarse = Observation("squat-front-fppa", Side.RIGHT, 4.0, marking_sd=9.0)
    measure = MEASURES["squat-front-fppa"]
    even = compare_sides(measure, fine, Observation("squat-front-fppa", Side.RIGHT, 4.0, marking_sd=0.5))
    uneven = compare_sides(measure, coarse, fine)
    assert uneven.verdict.e > even.verdict.e
    assert "mark placement" in judge_value(MEASURES["gait-pelvic-tilt"], coarse).error_source


def test_what_was_not_measured_gives_no_verdict_and_says_why():
    refused = Observation("squat-front-knee-offset", Side.LEFT, NotMeasured("no-scale", "mark a known length"))
    row = compare_sides(MEASURES["squat-front-knee-offset"], refused, None)
    assert isinstance(row.verdict, NotMeasured) and "mark a known length" in row.sentence


def test_the_ledger_takes_the_newest_value_and_puts_the_worst_first():
    rows = comparison_table(
        MEASURES,
        [
            strength(Side.LEFT, [10]),
            strength(Side.LEFT, [190, 190, 190]),
            strength(Side.RIGHT, [192, 192, 192]),
            Observation("gait-pelvic-tilt", Side.NONE, -9.0),
        ],
    )
    assert [r.measure.id for r in rows] == ["gait-pelvic-tilt", "hip-abd"]
    assert rows[0].sentence == "left higher by 9.0°"
    assert rows[1].verdict.d == pytest.approx(100 * 2 / 192)


def test_a_difference_that_rounds_to_nothing_is_none_but_half_a_grade_is_half_a_grade():
    def said(measure_id, left, right):
        seen = [Observation(measure_id, s, v, np.full(3, v)) for s, v in ((Side.LEFT, left), (Side.RIGHT, right))]
        return compare_sides(MEASURES[measure_id], *seen).sentence

    assert said("lunge-iso-peak", 1000.0, 997.0) == "no difference"
    assert said("lunge-iso-peak", 1000.0, 940.0) != "no difference"
    coarse = replace(MEASURES["band-walk-eye"], decimals=0)
    row = compare_sides(
        coarse,
        Observation(coarse.id, Side.LEFT, 1.0, np.full(2, 1.0)),
        Observation(coarse.id, Side.RIGHT, 1.5, np.full(2, 1.5)),
    )
    assert "no difference" not in row.sentence
