"""Likeness, ledger, change over time and the clinic's rule, each with its mirror."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tuning.core.judging.comparability import (
    is_pain_limited,
    method_family,
    why_not_comparable,
    why_not_comparable_over_time,
)
from tuning.core.judging.comparison import (
    against_reference,
    changes,
    compare_change,
    compare_sides,
    comparison_table,
    judge_value,
    latest_by_measure,
)
from tuning.core.judging.measures import Compare
from tuning.core.judging.trial_rule import TrialRule, apply_trial_rule, summed_up
from tuning.core.judging.verdict import Verdict, VerdictWord
from tuning.core.types import LEGS, PLAIN, FrameRef, NotMeasured, Observation, Setup, Side
from tuning.knowledge import load

MEASURES = load().measures
LEFT, RIGHT = LEGS
PAIRED = [m for m in MEASURES.values() if m.paired and m.compare is not Compare.ALONE and m.sem > 0]
TILTS = [m for m in MEASURES.values() if not m.paired and m.compare is Compare.VALUE and m.target == 0 and m.sem > 0]


def seen(measure, side, value, method="typed", setup=PLAIN, **more):
    trials = np.atleast_1d(np.asarray(value, float))
    rule = "mean" if trials.size > 1 else "single"
    return Observation(measure.id, side, float(trials.mean()), trials, rule, method, setup=setup, **more)


# mirrors: what is said of the left is said of the right when the legs are exchanged

SWAP = {"left": "right", "right": "left"}


def mirrored(sentence):
    return " ".join(SWAP.get(word, word) for word in sentence.split(" "))


@given(st.sampled_from(PAIRED), st.floats(5, 60), st.floats(5, 60))
def test_exchanged_legs_exchange_the_words(measure, one, other):
    row = compare_sides(measure, seen(measure, LEFT, one), seen(measure, RIGHT, other))
    back = compare_sides(measure, seen(measure, LEFT, other), seen(measure, RIGHT, one))
    assert row.verdict.word is back.verdict.word and row.verdict.d == pytest.approx(-back.verdict.d)
    assert row.sentence == mirrored(back.sentence) and row.error_text == back.error_text
    if row.verdict.word in (VerdictWord.NOTABLE, VerdictWord.MARKED):
        greater = "right" if other > one else "left"
        lower = measure.compare is Compare.STRONGER and measure.finding != "larger"
        assert (SWAP[greater] if lower else greater) in row.sentence


@given(st.sampled_from(TILTS), st.floats(0.5, 30))
def test_a_tilt_names_the_other_side_when_it_is_turned_over(measure, size):
    one, other = (judge_value(measure, seen(measure, Side.NONE, v)) for v in (size, -size))
    assert one.verdict.word is other.verdict.word and one.verdict.d == -other.verdict.d
    if one.verdict.word is not VerdictWord.CANNOT_TELL and one.sentence != "level":
        assert one.sentence.startswith(measure.more[0]) and other.sentence.startswith(measure.more[1])


# likeness


@pytest.mark.parametrize(
    ("one", "other", "words"),
    [
        (Setup(mode="make"), Setup(mode="break"), "make test against break test"),
        (Setup(mode="make"), Setup(), ""),
        (Setup(position="prone"), Setup(position="sitting"), "prone against sitting"),
        (Setup(task="walk"), Setup(task="run"), "walk against run"),
        (Setup(task="walk"), Setup(task="walk"), ""),
        (Setup(shoes="shod"), Setup(shoes="bare"), "shod against bare"),
        (Setup(shoes="shod"), Setup(), ""),
        (Setup(speed_m_s=2.5), Setup(speed_m_s=3.0), "2.5 m/s against 3 m/s"),
        (Setup(step_height_m=0.2), Setup(step_height_m=0.15), "0.2 m step against 0.15 m step"),
        (Setup(reach="forward"), Setup(reach="backward"), "forward reach against backward reach"),
        (Setup(band="light"), Setup(band="heavy"), "light band"),
        (Setup(cue="knees out"), Setup(cue="sit back"), "knees out against sit back"),
    ],
)
def test_two_sides_are_compared_only_when_they_were_taken_alike(one, other, words):
    measure = MEASURES["hip-abd"]
    pair = seen(measure, LEFT, [150.0, 160], setup=one), seen(measure, RIGHT, [180.0, 190], setup=other)
    told = why_not_comparable(*pair, force=True)
    assert (words in told and told != "") if words else told == ""
    row = compare_sides(measure, *pair)
    assert isinstance(row.verdict, NotMeasured) == bool(words) and words in row.sentence


PAINS = [(3, 0, "left 3/10"), (0, 4, "right 4/10"), (5, 3, "left 5/10 and right 3/10"), (2, 2, ""), (None, 2, "")]


@pytest.mark.parametrize(("left", "right", "names"), PAINS)
def test_pain_from_three_upward_is_no_weakness(left, right, names):
    measure = MEASURES["hip-abd"]
    pair = seen(measure, LEFT, [90.0, 92], pain=left), seen(measure, RIGHT, [180.0, 190], pain=right)
    told = why_not_comparable(*pair, force=True)
    assert names in told and bool(told) == bool(names)
    assert why_not_comparable(*pair, force=False) == "", "a range is as far as it goes"
    assert [is_pain_limited(o) for o in pair] == [(left or 0) >= 3, right >= 3]


@pytest.mark.parametrize(
    ("before", "now", "words"),
    [
        ({"setup": Setup(shoes="shod")}, {"setup": Setup(shoes="bare")}, "shod before, bare now"),
        ({"setup": Setup(shoes="shod")}, {}, "shod before, not told now"),
        ({"setup": Setup(load_kg=40.0)}, {"setup": Setup(load_kg=60.0)}, "40 kg before, 60 kg now"),
        ({}, {"setup": Setup(cue="knees out")}, "not told before, knees out now"),
        ({}, {"setup": Setup(treatment="release")}, "not told before, release before it now"),
        ({}, {"setup": Setup(region="fore out")}, "not told before, fore out now"),
        ({"setup": Setup(task="walk")}, {"setup": Setup(task="run")}, "another task"),
        ({"method": "by eye"}, {"method": "clip"}, "by eye before, clip now"),
        ({"method": "typed"}, {"method": "gauge"}, ""),
        ({"setup": Setup(mode="make")}, {"setup": Setup(mode="break")}, "make test against break test"),
    ],
)
def test_an_earlier_value_is_compared_only_when_it_was_taken_alike(before, now, words):
    measure = MEASURES["hip-abd"]
    a, b = seen(measure, LEFT, [150.0, 160], **before), seen(measure, LEFT, [180.0, 190], **now)
    assert (words in why_not_comparable_over_time(a, b, force=True)) and bool(
        why_not_comparable_over_time(a, b, force=True)
    ) == bool(words)
    change = compare_change(measure, a, b)
    assert isinstance(change.verdict, NotMeasured) == bool(words)
    assert method_family(b) == ("typed" if b.method == "gauge" else b.method)


# change


def test_a_change_is_told_with_its_direction_and_the_error_between_days():
    measure = MEASURES["knee-to-wall"]
    up = compare_change(measure, seen(measure, LEFT, [6.0] * 3), seen(measure, LEFT, [11.0] * 3))
    down = compare_change(measure, seen(measure, LEFT, [11.0] * 3), seen(measure, LEFT, [6.0] * 3))
    assert up.verdict.d == 5 == -down.verdict.d and up.side is LEFT
    assert up.sentence.startswith("5.0 cm more, beyond") and down.sentence.startswith("5.0 cm less, beyond")
    small = compare_change(measure, seen(measure, LEFT, [10.0]), seen(measure, LEFT, [10.1]))
    assert small.verdict.word is not VerdictWord.MARKED and "more" not in small.sentence
    missing = replace(seen(measure, LEFT, 6.0), value=NotMeasured("gone", "lost"))
    for pair in ((missing, seen(measure, LEFT, 6.0)), (seen(measure, LEFT, 6.0), missing)):
        assert compare_change(measure, *pair).sentence == "one of the two was not measured"


def test_a_change_of_strength_is_a_percentage_of_what_was():
    measure = MEASURES["hip-abd"]
    change = compare_change(measure, seen(measure, LEFT, [100.0] * 3), seen(measure, LEFT, [150.0] * 3))
    assert change.verdict.d == pytest.approx(50)
    nothing = compare_change(measure, seen(measure, LEFT, [0.0]), seen(measure, LEFT, [150.0]))
    assert isinstance(nothing.verdict, NotMeasured) and "zero" in nothing.sentence


def test_a_force_of_both_legs_at_once_has_its_error_in_percent_too():
    """The squeeze is compared with nothing but itself; its 8 % were once read as 8 N."""
    squeeze = MEASURES["squeeze-5s"]
    told = {now: compare_change(squeeze, seen(squeeze, Side.NONE, 250.0), seen(squeeze, Side.NONE, now))
            for now in (222.0, 190.0, 310.0)}  # fmt: skip
    assert [told[now].beyond_error for now in (222.0, 190.0, 310.0)] == [False, True, True]
    assert told[190.0].verdict.d == pytest.approx(-24.0) and told[190.0].verdict.e == pytest.approx(2.77 * 8, abs=0.1)
    assert [told[now].turn for now in (190.0, 310.0)] == ["worse", "better"]
    forces = [m for m in MEASURES.values() if m.unit in ("N", "Nm", "Nm/kg", "N/kg", "N/s") and m.sem > 0]
    assert len(forces) > 20 and all(m.in_percent for m in forces)


def test_changes_come_greatest_first_in_errors_and_only_where_both_have_a_value():
    wall, abd = MEASURES["knee-to-wall"], MEASURES["hip-abd"]
    before = [seen(wall, LEFT, [10.0] * 3), seen(wall, RIGHT, [10.0] * 3), seen(abd, LEFT, [100.0] * 3)]
    now = [seen(wall, LEFT, [10.5] * 3), seen(wall, RIGHT, [15.0] * 3), seen(abd, RIGHT, [120.0] * 3)]
    found = changes(MEASURES, before, now)
    assert [(c.measure.id, c.side) for c in found] == [("knee-to-wall", RIGHT), ("knee-to-wall", LEFT)]


# the ledger


def test_what_was_changed_or_treated_never_replaces_the_finding():
    measure = MEASURES["squat-hip-shift"]
    usual = seen(measure, Side.NONE, 9.0)
    for setup in (Setup(changed="heel-wedge"), Setup(treatment="taped")):
        found = latest_by_measure(MEASURES, [usual, seen(measure, Side.NONE, 0.0, setup=setup)])
        assert found["squat-hip-shift", Side.NONE].value == 9.0


def test_rows_come_worst_first_and_incomplete_last():
    wall = MEASURES["knee-to-wall"]
    ids = [m.id for m in PAIRED if m.compare is Compare.DIFFERENCE and m.unit == wall.unit][:3]
    rows = []
    for key, right in zip(ids, (30.0, 10.0, None), strict=False):
        rows.append(seen(MEASURES[key], LEFT, [10.0] * 3))
        if right is not None:
            rows.append(seen(MEASURES[key], RIGHT, [right] * 3))
    found = comparison_table(MEASURES, rows[::-1])
    order = [VerdictWord.MARKED, VerdictWord.NOTABLE, VerdictWord.CANNOT_TELL, VerdictWord.IN_TUNE]
    ranks = [order.index(r.verdict.word) if isinstance(r.verdict, Verdict) else 9 for r in found]
    assert ranks == sorted(ranks) and len(found) == len(ids)


def test_frames_of_one_clip_are_its_trials_and_those_of_another_are_not():
    measure = next(m for m in MEASURES.values() if m.each_frame and m.paired)
    frames = [
        seen(measure, LEFT, v, "clip", evidence=FrameRef("new", n), marking_sd=1.0) for n, v in enumerate((4.0, 6.0))
    ]
    old = seen(measure, LEFT, 40.0, "clip", evidence=FrameRef("old", 0), marking_sd=1.0)
    found = latest_by_measure(MEASURES, [old, *frames])[measure.id, LEFT]
    assert found.value == 5.0 and found.trials.tolist() == [4.0, 6.0] and found.marking_sd == pytest.approx(1.0)
    assert latest_by_measure(MEASURES, [*frames, old])[measure.id, LEFT].value == 40.0


@pytest.mark.parametrize(
    ("missing", "words"), [("left", "left side not tested yet"), ("right", "right side not tested yet")]
)
def test_a_missing_or_lost_side_is_named(missing, words):
    measure = MEASURES["knee-to-wall"]
    pair = {side: None if side.value == missing else seen(measure, side, 9.0) for side in LEGS}
    row = compare_sides(measure, pair[LEFT], pair[RIGHT])
    assert row.sentence == words and (row.left, row.right) == (pair[LEFT], pair[RIGHT]) and row.measure is measure
    assert row.error_text == "" == row.error_words
    lost = {side: replace(seen(measure, side, 9.0), value=NotMeasured("x", "it slipped")) if side.value == missing else
            seen(measure, side, 9.0) for side in LEGS}  # fmt: skip
    assert compare_sides(measure, lost[LEFT], lost[RIGHT]).sentence == f"{missing} not measured: it slipped"


def test_one_value_that_is_missing_says_so():
    measure = TILTS[0]
    assert judge_value(measure, None).sentence == "not measured yet"
    lost = replace(seen(measure, Side.NONE, 1.0), value=NotMeasured("x", "camera tilted"))
    row = judge_value(measure, lost)
    assert row.sentence == "not measured: camera tilted" and row.right is lost and row.measure is measure


def test_the_usual_band_needs_the_whole_error_on_one_side():
    measure = next(m for m in MEASURES.values() if m.reference is not None and m.sem > 0 and
                   m.reference.low is not None and m.reference.high is not None and
                   m.reference.high - m.reference.low > 6 * m.sem)  # fmt: skip
    band, wide = measure.reference, 4 * measure.sem
    middle = (band.low + band.high) / 2
    words = {middle: "inside", band.low - wide: "below", band.high + wide: "above", band.low: "cannot tell",
             band.high: "cannot tell"}  # fmt: skip
    for value, word in words.items():
        assert against_reference(measure, seen(measure, Side.NONE, value))[0].startswith(word), value
    bare = replace(measure, reference=None)
    assert against_reference(bare, seen(measure, Side.NONE, middle)) is None


# the clinic's rule


@given(st.lists(st.floats(1, 400), min_size=1, max_size=5))
def test_trials_become_one_value_by_the_rule(values):
    trials = np.array(values)
    assert summed_up(trials, TrialRule.BEST) == max(values)
    assert summed_up(trials, TrialRule.MEAN) == pytest.approx(sum(values) / len(values))
    assert (
        summed_up(trials, TrialRule.MEDIAN) == pytest.approx(sorted(values)[len(values) // 2]) or len(values) % 2 == 0
    )


def test_the_rule_reads_strength_anew_and_nothing_else():
    abd, wall = MEASURES["hip-abd"], MEASURES["knee-to-wall"]
    rows = [seen(abd, LEFT, [100.0, 130]), seen(wall, LEFT, [6.0, 9.0])]
    strong, far = apply_trial_rule(MEASURES, rows, TrialRule.BEST)
    assert (strong.value, strong.summary_rule) == (130, "best") and far is rows[1]
    assert rows[0].value == 115, "what is on record stays"
    assert apply_trial_rule(MEASURES, rows, TrialRule.MEAN) == rows


def test_what_a_made_up_device_sent_says_so_in_the_row():
    measure = MEASURES["knee-to-wall"]
    real = [seen(measure, side, [9.0] * 3) for side in LEGS]
    made_up = [replace(one, setup=Setup(simulated=True)) for one in real]
    for left, right in ((made_up[0], real[1]), (real[0], made_up[1]), (made_up[0], None)):
        row = compare_sides(measure, left, right)
        assert row.simulated and row.sentence.endswith(", simulated")
    assert not compare_sides(measure, *real).simulated and "simulated" not in compare_sides(measure, *real).sentence
