"""How errors, spreads and counts of trials reach a ledger row: against formulas written here anew."""

import math
from dataclasses import replace
from datetime import UTC, datetime

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tuning.core.case import Case, Patient, Visit
from tuning.core.judging.comparison import (
    against_reference,
    compare_change,
    compare_sides,
    comparison_table,
    judge_value,
    latest_by_measure,
)
from tuning.core.judging.ledger import ledger, observed_today
from tuning.core.judging.measures import Compare, Reference, ReferenceGroup
from tuning.core.judging.trial_rule import TrialRule, apply_trial_rule, summed_up
from tuning.core.judging.verdict import VerdictWord, judge, split_sem, trials_to_settle
from tuning.core.types import LEGS, NotMeasured, Observation, Setup, Side
from tuning.knowledge import load

MEASURES = load().measures
LEFT, RIGHT = LEGS
WALL, ABD = MEASURES["knee-to-wall"], MEASURES["hip-abd"]
TILT = MEASURES["gait-pelvic-tilt"]
counts = st.integers(1, 5)


def seen(measure, side, trials, rule="mean", **more):
    values = np.asarray(trials, float)
    return Observation(measure.id, side, float(values.mean()), values, rule, **more)


def pair(measure, left, right, **more):
    return compare_sides(measure, seen(measure, LEFT, left, **more), seen(measure, RIGHT, right, **more))


def error_of(sem, n_left, n_right, trial=None):
    """Half of the variance between trials, a quarter each set-up and day; the day is common to both sides."""
    trial = sem * math.sqrt(0.5) if trial is None else trial
    return 1.96 * math.sqrt(trial**2 / n_left + trial**2 / n_right + 2 * (sem / 2) ** 2)


@given(counts, counts)
def test_the_error_of_a_mean_shrinks_with_the_trials_of_each_side(n_left, n_right):
    row = pair(WALL, [9.0] * n_left, [9.0] * n_right)
    assert row.verdict.e == pytest.approx(error_of(WALL.sem, n_left, n_right))
    best = pair(WALL, [9.0] * n_left, [9.0] * n_right, rule="best")
    assert best.verdict.e == pytest.approx(error_of(WALL.sem, 1, 1)), "the best of many is one trial"


@given(counts)
def test_the_error_of_one_value_holds_all_three_parts(n):
    row = judge_value(TILT, seen(TILT, Side.NONE, [1.0] * n))
    assert row.verdict.e == pytest.approx(1.96 * TILT.sem * math.sqrt(0.5 / n + 0.5))


@given(counts, counts)
def test_the_error_of_a_change_holds_the_day_too(n_before, n_now):
    change = compare_change(WALL, seen(WALL, LEFT, [9.0] * n_before), seen(WALL, LEFT, [9.0] * n_now))
    assert change.verdict.e == pytest.approx(1.96 * WALL.sem * math.sqrt(0.5 / n_before + 0.5 / n_now + 1))


def test_placement_of_marks_takes_the_place_of_a_smaller_trial_part():
    row = compare_sides(WALL, seen(WALL, LEFT, [9.0], marking_sd=4.0), seen(WALL, RIGHT, [9.0], marking_sd=4.0))
    assert row.verdict.e == pytest.approx(error_of(WALL.sem, 1, 1, trial=4.0))
    assert row.error_source == "mark placement in this picture"


@pytest.mark.parametrize("scattered", LEGS)
def test_trials_that_scatter_more_than_the_error_take_its_place_on_either_side(scattered):
    wild, calm = [2.0, 9.0, 16.0], [9.0, 9.0, 9.0]
    row = pair(WALL, *(wild if side is scattered else calm for side in LEGS))
    assert row.verdict.e == pytest.approx(7.0) and row.error_source == "spread of this visit's trials"
    wild, calm = [50.0, 100.0, 150.0], [100.0, 100.0, 100.0]
    strong = pair(ABD, *(wild if side is scattered else calm for side in LEGS))
    assert strong.verdict.e == pytest.approx(50.0), "in percent of the stronger side"
    tilt = judge_value(TILT, seen(TILT, Side.NONE, [-20.0, 0.0, 20.0]))
    assert tilt.verdict.e == pytest.approx(20.0) and "spread" in tilt.error_source
    pairs = ([2.0, 9.0, 16.0], [9.0] * 3)
    for before, now in (pairs, pairs[::-1]):
        assert compare_change(WALL, seen(WALL, LEFT, before), seen(WALL, LEFT, now)).verdict.e == pytest.approx(7.0)
    halved = compare_change(ABD, seen(ABD, LEFT, [200.0] * 3), seen(ABD, LEFT, [0.0, 100.0, 200.0]))
    assert halved.verdict.e == pytest.approx(50.0), "in percent of what was before"


def test_a_row_holds_what_it_was_made_of():
    one, other = seen(WALL, LEFT, [9.0]), seen(WALL, RIGHT, [12.0], setup=Setup(mode="break"))
    for right in (other, seen(WALL, RIGHT, [12.0])):
        row = compare_sides(WALL, replace(one, setup=Setup(mode="make")), right)
        assert (row.left.side, row.right, row.measure) == (LEFT, right, WALL)
    value = seen(TILT, Side.NONE, [4.0])
    assert judge_value(TILT, value).right is value and judge_value(TILT, value).measure is TILT
    lost = replace(one, value=NotMeasured("gone", "lost"))
    for before, now in ((lost, one), (one, lost), (one, seen(WALL, LEFT, [3.0]))):
        change = compare_change(WALL, before, now)
        assert (change.measure, change.side, change.before, change.now) == (WALL, LEFT, before, now)


def test_a_force_of_zero_gives_no_percentage_on_either_side():
    for left, right in ((0.0, 90.0), (90.0, 0.0)):
        row = pair(ABD, [left], [right])
        assert isinstance(row.verdict, NotMeasured) and row.sentence == "no percentage with a value of zero"
    assert not isinstance(pair(ABD, [0.5], [90.0]).verdict, NotMeasured)


# the rule itself


@pytest.mark.parametrize(
    ("d", "e", "band", "word"),
    [
        (3.0, 2.0, 5.0, VerdictWord.IN_TUNE),  # just inside, whole error in
        (2.0, 2.0, 3.0, VerdictWord.CANNOT_TELL),  # a difference of just its error is none yet
        (5.0, 2.0, 5.0, VerdictWord.MARKED),  # just the band is marked
        (0.0, 0.0, 0.0, VerdictWord.IN_TUNE),
        (0.0, 0.0, None, VerdictWord.CANNOT_TELL),
    ],
)
def test_the_rule_at_its_edges(d, e, band, word):
    assert judge(d, e, band).word is word is judge(-d, e, band).word


def test_the_pointer_of_the_beam_counts_in_errors_up_to_four():
    assert [judge(d, 2.0, 1.0).in_errors for d in (3.0, -3.0, 9.0, -9.0)] == [1.5, -1.5, 4.0, -4.0]
    assert [judge(d, 0.0, 1.0).in_errors for d in (3.0, -3.0, 0.0)] == [4.0, -4.0, 0.0]
    assert judge(3.0, 2.0, 10.0).still_possible == 5.0 == judge(-3.0, 2.0, 10.0).still_possible
    assert judge(0, 2.0, 2.0).resolves and not judge(0, 2.1, 2.0).resolves and judge(0, 2.0, None).resolves


@given(st.floats(-8, 8), st.floats(0.5, 4), st.floats(1, 8), st.integers(1, 4))
def test_the_trials_that_would_settle_it_are_the_fewest_that_do(d, sem, band, now):
    parts = split_sem(sem)
    found = trials_to_settle(d, parts, band, now)
    settled = [n for n in range(now + 1, 6) if judge(d, error_of(sem, n, n), band).word is not VerdictWord.CANNOT_TELL]
    assert found == (settled[0] if settled else None)


def test_what_would_settle_it_is_advised_only_while_it_is_open():
    assert pair(WALL, [9.0] * 3, [30.0] * 3).settle == ""
    assert "belt" in pair(ABD, [100.0] * 5, [106.0] * 5).settle
    steady = replace(ABD, sem_by={})
    assert "steadier method" in pair(steady, [100.0] * 5, [106.0] * 5).settle
    assert judge_value(TILT, seen(TILT, Side.NONE, [1.9 * TILT.sem])).settle == "repeat with the stance reset"
    marked = seen(TILT, Side.NONE, [0.1], marking_sd=9.0)
    assert judge_value(TILT, marked).settle == "measure more frames, camera square"
    assert judge_value(TILT, seen(TILT, Side.NONE, [60.0])).settle == ""


def test_edges_of_the_usual_band_belong_to_it():
    said = lambda m, trials: against_reference(m, seen(m, LEFT, trials))[0]  # noqa: E731
    exact = replace(WALL, sem=0.0, reference=Reference("here", 8.0, 12.0))
    words = {8.0: "inside", 12.0: "inside", 7.9: "below", 12.1: "above"}
    assert {v: said(exact, [v]).split()[0] for v in words} == words
    rough = replace(exact, sem=0.1)
    assert said(rough, [10.0, 4.0, 16.0]).startswith("cannot tell"), "they scatter"


@given(st.floats(0.1, 5), st.floats(-30, 30))
def test_a_band_with_one_end_is_good_on_the_whole_other_side(sem, past):
    """Past the limit the value must lie further out than its error; a perfect value is never in doubt."""
    for reference, away in ((Reference("here", low=20.0), 20 - past), (Reference("here", high=20.0), 20 + past)):
        measure = replace(WALL, sem=sem, reference=reference)
        words, usual = against_reference(measure, seen(measure, LEFT, [away]))
        out = "below" if reference.low is not None else "above"
        expected = "inside" if away == 20 or past <= 0 else out if past > 1.96 * sem * (1 + 1e-9) else "cannot tell"
        if abs(past - 1.96 * sem) > 1e-6 and abs(past) > 1e-9:
            assert words.startswith(expected) and usual.source == "here"


PERFECT = {"pelvis-hold": 30.0, "foot-tripod-points": 3.0, "step-down-score": 0.0, "hip-9090-lift": 0.0,
           "wall-sit": 40.0, "hip-thrust": 12.0, "great-toe-ext-passive": 30.0}  # fmt: skip


@pytest.mark.parametrize("key", PERFECT)
def test_what_cannot_be_better_is_inside(key):
    measure = MEASURES[key]
    words, usual = against_reference(measure, seen(measure, LEFT, [PERFECT[key]]))
    assert words == "inside the usual band" and None in (usual.low, usual.high)


@pytest.mark.parametrize(
    ("age", "sex", "count"),
    [(25, "male", 25), (39, "female", 20), (40, "male", 20), (65, "female", 12), (80, "male", 10)],
)
def test_heel_raises_are_judged_by_age_and_sex(age, sex, count):
    measure = MEASURES["heel-raise"]
    said = lambda n, who: against_reference(measure, seen(measure, LEFT, [n]), who)  # noqa: E731
    assert said(float(count), ReferenceGroup(age, sex))[0].startswith("inside")
    assert said(count - 1.0, ReferenceGroup(age, sex))[0].startswith("cannot tell")
    assert said(count - 6.0, ReferenceGroup(age, sex))[0].startswith("below")
    assert said(float(count), ReferenceGroup(age)) is None is said(float(count), ReferenceGroup(None, sex)), (
        "nobody's band is taken"
    )


def test_walking_and_running_have_bands_of_their_own():
    measure = MEASURES["gait-pelvic-drop"]

    def said(gait):
        setup = Setup(task="rear-gait", gait=gait)
        return against_reference(measure, seen(measure, LEFT, [6.9] * 5, setup=setup))

    assert said("run")[0].startswith("inside") and not said("walk")[0].startswith("inside") and said("") is None
    assert measure.reference.words("°") == (
        "walk: at most 5° (walking at most 5, practice judgement, editable); "
        "run: at most 7° (running at most 7, practice judgement, editable)"
    )
    assert (
        MEASURES["hip-rotation-in"].reference.words("°").startswith("30 to 45°")
        if "hip-rotation-in" in MEASURES
        else True
    )


# which observations make a row


def test_only_frames_of_one_clip_that_were_marked_by_hand_are_trials():
    once = next(m for m in MEASURES.values() if not m.each_frame and m.paired)
    frames = next(m for m in MEASURES.values() if m.each_frame and m.paired)
    for measure, method, value in ((once, "clip", 6.0), (frames, "typed", 6.0), (frames, "clip", 5.0)):
        both = [seen(measure, LEFT, [v], method=method, marking_sd=sd) for v, sd in ((4.0, 3.0), (6.0, 4.0))]
        found = latest_by_measure(MEASURES, both)[measure.id, LEFT]
        assert found.value == value, (measure.id, method)
        if value == 5.0:
            assert found.marking_sd == pytest.approx(math.sqrt((9 + 16) / 2)) and found.summary_rule == "mean"
    lost = replace(seen(frames, LEFT, [9.0], method="clip"), value=NotMeasured("gone", "lost"))
    kept = latest_by_measure(MEASURES, [seen(frames, LEFT, [4.0], method="clip"), lost])[frames.id, LEFT]
    assert isinstance(kept.value, NotMeasured), "one frame is no set of trials"
    apart = [seen(frames, LEFT, [4.0], method="clip"), seen(frames, RIGHT, [6.0], method="clip")]
    assert [latest_by_measure(MEASURES, apart)[frames.id, side].value for side in LEGS] == [4.0, 6.0]


def test_a_row_that_another_complete_row_tells_is_left_out():
    inner = next(m for m in MEASURES.values() if m.within and m.paired and MEASURES[m.within].paired)
    outer = MEASURES[inner.within]
    of = lambda m, sides=LEGS: [seen(m, side, [90.0] * 3) for side in sides]  # noqa: E731
    ids = lambda found: {row.measure.id for row in comparison_table(MEASURES, found)}  # noqa: E731
    assert ids([*of(inner), *of(outer)]) == {outer.id}
    assert ids([*of(inner), *of(outer, [LEFT])]) == {inner.id, outer.id}, "the outer one is not complete"
    assert ids([*of(inner, [LEFT]), *of(outer, [LEFT])]) == {outer.id} and ids(of(inner)) == {inner.id}
    pair = lambda m, left, right: [seen(m, side, [v] * 3) for side, v in zip(LEGS, (left, right), strict=True)]  # noqa: E731
    peak = MEASURES["chair-rise-fppa-peak"]
    start = MEASURES[peak.within]
    assert ids([*pair(start, 4, 5), *pair(peak, 4, 30)]) == {start.id, peak.id}, "worse is shown"
    assert ids([*pair(start, 4, 30), *pair(peak, 4, 31)]) == {start.id}


def test_what_is_never_compared_by_side_has_no_row():
    alone = next(m for m in MEASURES.values() if m.compare is Compare.ALONE)
    assert comparison_table(MEASURES, [seen(alone, LEFT, [1.0]), seen(alone, Side.NONE, [1.0])]) == []


def case_of(*entries):
    day = datetime(2026, 3, 1, 9, tzinfo=UTC)
    patient = Patient("p", "Ida Moen", day.date(), "f", 70.0, 1.7, "right", "right", "", Side.NONE)
    visits = (Visit("first", "p", day), Visit("second", "p", day))
    return Case(patient, visits, visits[1], tuple(entries), 1)


def test_the_ledger_reads_the_open_visit_by_the_rule_of_the_clinic():
    old = [seen(ABD, side, [50.0, 60.0], visit="first") for side in LEGS]
    new = [seen(ABD, side, [v, v + 40.0], visit="second") for side, v in zip(LEGS, (90.0, 160.0), strict=True)]
    case = case_of(*old, *new)
    for rule in (TrialRule.MEAN, TrialRule.BEST, TrialRule.MEAN):
        values = [o.value for o in observed_today(case, MEASURES, rule)]
        assert values == ([130.0, 200.0] if rule is TrialRule.BEST else [110.0, 180.0])
        [row] = ledger(case, MEASURES, rule)
        assert (row.left.value, row.right.value) == tuple(values)
    assert ledger(case, MEASURES) is ledger(case, MEASURES), "worked out once"


@pytest.mark.parametrize(("trials", "median"), [([3.0, 1.0, 9.0], 3.0), ([4.0, 1.0, 9.0, 6.0], 5.0), ([7.0], 7.0)])
def test_the_median_is_the_one_in_the_middle(trials, median):
    assert summed_up(np.array(trials), TrialRule.MEDIAN) == median


def test_without_trials_or_of_other_measures_a_value_stays_as_it_is():
    bare = Observation(ABD.id, LEFT, 80.0, np.array([]), "typed")
    strange = seen(replace(ABD, id="of-elsewhere"), LEFT, [1.0, 3.0])
    wall = seen(WALL, LEFT, [1.0, 3.0])
    assert apply_trial_rule(MEASURES, [bare, strange, wall], TrialRule.BEST) == [bare, strange, wall]


# how a measure is written


def test_units_and_formulas_of_a_comparison():
    assert (WALL.comparison_unit, ABD.comparison_unit) == (WALL.unit, "%")
    assert replace(WALL, unit="%").comparison_unit == "points"
    assert ABD.paired and WALL.paired and not TILT.paired
    assert TILT.formula == "value against zero" and "max - min" in ABD.formula and WALL.formula == "right minus left"
    assert replace(TILT, target=50.0).formula == f"value against 50 {TILT.unit}"
    grade = replace(WALL, unit="grade")
    assert [grade.text(v) for v in (-1.0, 2.5)] == ["−1", "2.5"] and WALL.text(-1.0) == "−1.0"


def test_a_difference_in_grades_is_told_in_grades():
    grade = replace(WALL, unit="grade", sem=0.1, band=1.0)
    said = lambda left, right: pair(grade, [left] * 2, [right] * 2).sentence  # noqa: E731
    assert said(2.0, 3.0) == "right larger by 1 grade" and said(5.0, 3.0) == "left larger by 2 grades"
