"""Review: what changed, against closed forms and with sides exchanged."""

from __future__ import annotations

import math
from dataclasses import replace
from datetime import UTC, date, datetime, timedelta

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tuning.core.case import Case, Patient, Visit
from tuning.core.entries import PlanItem, Treatment
from tuning.core.judging.comparison import compare_change, compare_sides, latest_by_measure
from tuning.core.judging.ledger import ledger_at
from tuning.core.judging.trial_rule import TrialRule
from tuning.core.judging.verdict import Verdict, VerdictWord
from tuning.core.review.changes import (
    ORDER,
    ChangeFinding,
    GapChange,
    between_visits,
    gap_verdict,
    not_retested,
    summary,
    within_visit,
)
from tuning.core.review.timeline import gaps, rung_steps, series, ticks, told_series
from tuning.core.types import LEGS, NotMeasured, Observation, Setup, Side
from tuning.knowledge import load

KNOWLEDGE = load()
M = KNOWLEDGE.measures
FIRST = datetime(2026, 10, 1, 9, tzinfo=UTC)
VISITS = tuple(Visit(f"v{n}", "p", FIRST + timedelta(days=14 * n)) for n in range(4))
PATIENT = Patient("p", "Someone", date(1980, 1, 1), "", 70.0, 1.7, "", "", "", Side.LEFT)


def case(*entries, now: int = 1) -> Case:
    made = tuple(replace(e, uid=e.uid or f"e{n}", at=e.at) for n, e in enumerate(entries))
    return Case(PATIENT, VISITS[: now + 1], VISITS[now], made, 1)


def seen(measure: str, side: Side, value: float, visit: int, trials: int = 1, **setup) -> Observation:
    return Observation(
        measure_id=measure, side=side, value=value, trials=np.full(trials, value), summary_rule="mean",
        setup=Setup(**setup), visit=f"v{visit}", at=VISITS[visit].started_at,
    )  # fmt: skip


def rows(*entries):
    made = case(*entries)
    return {row.key: row for row in between_visits(made, VISITS[0], VISITS[1], M)}


def test_pain_and_goals_are_compared_by_the_change_that_counts_and_two_places_stay_apart():
    found = rows(
        seen("pain-worst", Side.LEFT, 7, 0, region="front of knee"),
        seen("pain-worst", Side.LEFT, 4, 0, region="heel"),
        seen("pain-worst", Side.LEFT, 5, 1, region="front of knee"),
        seen("pain-worst", Side.LEFT, 5, 1, region="heel"),
        seen("intake-goals", Side.NONE, 3, 0),
        seen("intake-goals", Side.NONE, 5.0, 1),
    )
    knee, heel = found["pain-worst", Side.LEFT, "front of knee"], found["pain-worst", Side.LEFT, "heel"]
    goals = found["intake-goals", Side.NONE, ""]
    assert (knee.finding, knee.change.turn) == (ChangeFinding.CHANGED, "better"), "2 of 10 counts (Farrar 2001)"
    assert (heel.finding, heel.change.turn) == (ChangeFinding.CANNOT_TELL, "")
    assert (goals.finding, goals.change.turn) == (ChangeFinding.CHANGED, "better"), (
        "more is better for goals, less for pain"
    )
    worse = rows(seen("pain-worst", Side.LEFT, 3, 0), seen("pain-worst", Side.LEFT, 6, 1))
    assert worse["pain-worst", Side.LEFT, ""].change.turn == "worse"


def test_a_change_between_days_needs_2_77_sem_and_one_in_the_session_only_its_trials():
    m = M["knee-to-wall"]
    sem = m.sem
    a, b = seen(m.id, Side.LEFT, 5.0, 0), seen(m.id, Side.LEFT, 6.0, 1)
    assert compare_change(m, a, b).verdict.e == pytest.approx(1.96 * math.sqrt(2) * sem)
    assert compare_change(m, a, b, same_session=True).verdict.e == pytest.approx(1.96 * sem, rel=1e-6)
    # half of the variance is between trials: sqrt(2 / 2)


def test_in_one_session_the_value_after_a_treatment_stands_against_the_plain_one():
    m = "knee-to-wall"
    plain, after = seen(m, Side.LEFT, 5.0, 1), seen(m, Side.LEFT, 9.0, 1, treatment="calf release, 10 min")
    other = seen(m, Side.RIGHT, 9.0, 1)
    [row] = within_visit(case(plain, other, after), VISITS[1], M)
    assert (row.side, row.before.measured, row.now.measured, row.finding) == (
        Side.LEFT,
        5.0,
        9.0,
        ChangeFinding.CHANGED,
    )
    across = rows(seen(m, Side.LEFT, 5.0, 0), plain, after)
    assert across[m, Side.LEFT, ""].now.measured == 5.0, "a trial never replaces the finding"


def test_unlike_ways_are_never_compared_without_a_word_and_measures_without_error_are_shown():
    found = rows(
        seen("hip-abd", Side.LEFT, 150, 0, mode="make"),
        seen("hip-abd", Side.LEFT, 200, 1, mode="break"),
        seen("gait-cadence", Side.NONE, 110, 0),
        seen("gait-cadence", Side.NONE, 118, 1),
    )
    modes, cadence = found["hip-abd", Side.LEFT, ""], found["gait-cadence", Side.NONE, ""]
    assert modes.finding is ChangeFinding.UNLIKE and "make" in modes.sentence and "break" in modes.sentence
    assert cadence.finding is ChangeFinding.UNLIKE and "not judged" in cadence.sentence


@pytest.mark.parametrize("side", LEGS)
def test_what_was_taken_under_several_conditions_is_compared_like_with_like(side):
    """The higher box was tried last on one leg only: it hides neither the other leg nor the value of before."""
    low, high = 0.1, 0.2
    both = [
        seen("step-down-fppa", side, 4.0, 1, step_height_m=low),
        seen("step-down-fppa", side.other, 15.0, 1, step_height_m=low),
        seen("step-down-fppa", side, 30.0, 1, step_height_m=high),
    ]
    known = latest_by_measure(M, both)
    assert known["step-down-fppa", side].value == 4.0
    row = compare_sides(M["step-down-fppa"], known["step-down-fppa", Side.LEFT], known["step-down-fppa", Side.RIGHT])
    assert isinstance(row.verdict, Verdict) and abs(row.verdict.d) == 11.0
    alone = latest_by_measure(M, [both[0], both[2]])
    assert alone["step-down-fppa", side].value == 30.0, "one side only: the newest"

    places = [seen("pain-now", leg, 2, 1, region="front of knee") for leg in LEGS]
    worst = seen("pain-now", side, 8, 1, region="heel")
    assert latest_by_measure(M, [*places, worst])["pain-now", side].value == 8, "one place never hides another"

    before = seen("step-down-fppa", side, 12.0, 0, step_height_m=low)
    change = rows(before, *both)["step-down-fppa", side, ""]
    assert (change.before.value, change.now.value) == (12.0, 4.0)
    unlike = rows(before, both[2])["step-down-fppa", side, ""]
    assert unlike.finding is ChangeFinding.UNLIKE and "0.1 m step before, 0.2 m step now" in unlike.sentence


@pytest.mark.parametrize("side", LEGS)
def test_pain_limits_a_force_and_leaves_a_range_as_it_is(side):
    def compared(measure: str, less: float, more: float):
        hurt = replace(seen(measure, side, less, 1), pain=4)
        both = {side: hurt, side.other: seen(measure, side.other, more, 1)}
        return compare_sides(M[measure], both[Side.LEFT], both[Side.RIGHT])

    assert "pain-limited" in compared("hip-abd", 100.0, 160.0).sentence
    assert compared("knee-to-wall", 5.0, 11.0).verdict.word is VerdictWord.MARKED


def gap(left: float, right: float):
    m = M["knee-to-wall"]
    return compare_sides(m, seen(m.id, Side.LEFT, left, 0), seen(m.id, Side.RIGHT, right, 0))


@given(*[st.floats(1, 20)] * 4)
def test_the_change_of_a_gap_has_the_error_of_both_and_does_not_know_left_from_right(a, b, c, d):
    verdict = gap_verdict(gap(a, b), gap(c, d))
    m = M["knee-to-wall"]
    assert verdict.e == pytest.approx(1.96 * math.sqrt(4 * 0.75) * m.sem), "four values, the day part in none"
    mirrored = gap_verdict(gap(b, a), gap(d, c))
    assert (mirrored.d, mirrored.word) == (pytest.approx(verdict.d), verdict.word)
    if (b - a) * (d - c) > 0:
        assert verdict.d == pytest.approx(abs(d - c) - abs(b - a))
    assert abs(verdict.d) <= abs((d - c) - (b - a)) + 1e-9


def test_sides_that_changed_places_are_said_to_have():
    m = "knee-to-wall"
    swapped = [seen(m, s, v, n) for n, pair in enumerate(((4, 12), (12, 4))) for s, v in zip(LEGS, pair, strict=True)]
    row = rows(*swapped)[m, Side.LEFT, ""]
    assert row.gap.verdict.d == pytest.approx(16) and "other side leads" in row.gap.sentence
    near = [seen(m, s, v, n) for n, pair in enumerate(((4, 12), (10, 12))) for s, v in zip(LEGS, pair, strict=True)]
    assert "nearer together" in rows(*near)[m, Side.LEFT, ""].gap.sentence


def test_what_stood_out_and_was_not_taken_again_is_due_and_what_was_in_tune_is_not():
    entries = [
        seen("knee-to-wall", Side.LEFT, 3.0, 0), seen("knee-to-wall", Side.RIGHT, 12.0, 0),
        seen("acromion-level-eye", Side.NONE, 0.0, 0), seen("figure4-shin", Side.LEFT, 20.0, 0),
        seen("pain-worst", Side.LEFT, 5, 0),
    ]  # fmt: skip
    made = case(*entries)
    found = not_retested(between_visits(made, VISITS[0], VISITS[1], M), ledger_at(made, VISITS[0], M))
    due = {row.key[:2] for row in found}
    assert {("knee-to-wall", Side.LEFT), ("knee-to-wall", Side.RIGHT), ("pain-worst", Side.LEFT)} <= due
    assert "figure4-shin" not in {row.key[0] for row in found}, "of one leg alone nothing stood out"
    retested = case(*entries, *(replace(e, visit="v1", uid="") for e in entries))
    assert not_retested(between_visits(retested, VISITS[0], VISITS[1], M), ledger_at(retested, VISITS[0], M)) == []


def test_the_course_tells_values_gaps_pain_and_rungs_of_every_visit_in_order():
    rungs = KNOWLEDGE.ladders["stepdown"].rungs
    plan = [
        PlanItem(ladder="stepdown", rung=r.id, dose={}, first_side=Side.LEFT, visit="v0", at=FIRST + timedelta(days=n))
        for n, r in enumerate((rungs[0], rungs[0], rungs[1], rungs[0]))
    ]
    values = [seen("knee-to-wall", side, v, n) for n, pair in enumerate(((5, 11), (7, 11)))
              for side, v in zip(LEGS, pair, strict=True)]  # fmt: skip
    made = case(*values, seen("pain-worst", Side.LEFT, 6, 0, region="heel"), *plan, Treatment("release"))
    left = series(made, M, ("knee-to-wall", Side.LEFT, ""))
    assert [p.value for p in left.points] == [5, 7] and left.side is Side.LEFT
    assert [p.at for p in left.points] == [v.started_at for v in VISITS[:2]]
    assert left.points[0].error == pytest.approx(1.96 * M["knee-to-wall"].sem)
    assert [p.value for p in gaps(made, M, "knee-to-wall", "", TrialRule.MEAN)] == [6, 4], "plus means right larger"
    assert [(s.region, s.points[0].value) for s in told_series(made, M)] == [("heel", 6)]
    steps = rung_steps(made, KNOWLEDGE.ladders)
    assert [s.place for s in steps] == [1, 2, 1] and [s.at for s in steps] == [plan[0].at, plan[2].at, plan[3].at]


@given(st.floats(-30, 30), st.floats(-30, 30))
def test_changed_is_said_only_beyond_the_error(a, b):
    m = M["acromion-level-eye"]
    change = compare_change(m, seen(m.id, Side.NONE, a, 0), seen(m.id, Side.NONE, b, 1))
    assert isinstance(change.verdict, Verdict | NotMeasured)
    if isinstance(change.verdict, Verdict):
        assert change.beyond_error == (abs(b - a) > change.verdict.e and abs(b - a) + change.verdict.e > (m.band or 0))


def test_rows_come_in_the_order_of_their_words_then_by_size_and_say_what_they_are():
    entries = []
    for measure, side, a, b in (
        ("knee-to-wall", Side.LEFT, 5.0, 5.1), ("knee-to-wall", Side.RIGHT, 5.0, 9.0),
        ("figure4-shin", Side.LEFT, 20.0, 40.0), ("figure4-shin", Side.RIGHT, 20.0, 26.0),
    ):  # fmt: skip
        entries += [seen(measure, side, a, 0), seen(measure, side, b, 1)]
    entries += [seen("tibial-rotation-in", Side.LEFT, 10, 0), seen("pain-now", Side.LEFT, 4, 1, region="heel")]
    made = case(*entries)
    found = between_visits(made, VISITS[0], VISITS[1], M)
    words = [(row.name, row.finding) for row in found]
    changed = [row for row in found if row.finding is ChangeFinding.CHANGED]
    assert [row.finding for row in found] == sorted((row.finding for row in found), key=ORDER.index)
    sizes = [abs(row.change.verdict.in_errors) for row in changed]
    assert sizes == sorted(sizes, reverse=True) and len(changed) == 2, words
    by_name = {row.name: row for row in found}
    assert by_name["Pain now, left, heel"].sentence == "not measured before"
    [alone] = [row for row in found if row.key[0] == "tibial-rotation-in"]
    assert alone.sentence == "not measured again" and alone.change is None and alone.gap is None
    told = summary(found, [alone])
    counts = {f: sum(r.finding is f and r.change is not None for r in found) for f in ORDER[:3]}
    assert told == (
        f"Of 4 compared: {counts[ORDER[0]]} changed beyond error, {counts[ORDER[1]]} cannot tell, "
        f"{counts[ORDER[2]]} not yet; 1 due and not re-tested."
    )
    assert summary([], []) == "Nothing to compare."


def test_a_gap_says_in_words_what_it_did():
    m = "knee-to-wall"

    def words(*pairs):
        values = [seen(m, s, v, n) for n, pair in enumerate(pairs) for s, v in zip(LEGS, pair, strict=True)]
        return rows(*values)[m, Side.LEFT, ""].gap.sentence

    assert "further apart" in words((10, 11), (4, 12)) and "beyond the error" in words((10, 11), (4, 12))
    e = gap_verdict(gap(10, 11), gap(10, 11)).e
    assert words((10, 11), (10, 12)).startswith("the sides moved no more than the error of ±" + f"{e:.1f}")
    steady = replace(M[m], band=50.0)
    sides = [compare_sides(steady, seen(m, Side.LEFT, v, 0), seen(m, Side.RIGHT, 11, 0)) for v in (10.0, 10.1)]
    assert gap_verdict(*sides).word is VerdictWord.IN_TUNE, "the band of the measure counts"
    half = rows(seen(m, Side.LEFT, 5, 0), seen(m, Side.LEFT, 6, 1), seen(m, Side.RIGHT, 6, 1))[m, Side.LEFT, ""]
    assert "right side not tested yet" in half.gap.sentence, "one visit lacks a side"


def test_values_compared_in_percent_have_their_error_in_their_own_unit_and_treatments_are_told_in_order():
    later = Treatment("ice", 5.0, "R. Falk", at=FIRST + timedelta(days=3), visit="v0")
    made = case(seen("hip-abd", Side.LEFT, 200.0, 0, trials=3), Treatment("release", 10.0, at=FIRST, visit="v0"), later)
    [point] = series(made, M, ("hip-abd", Side.LEFT, "")).points
    [single] = series(case(seen("hip-abd", Side.LEFT, 200.0, 0)), M, ("hip-abd", Side.LEFT, "")).points
    assert single.error == pytest.approx(200 * 1.96 * M["hip-abd"].sem / 100, rel=1e-3)
    assert 0.5 * single.error < point.error < 0.95 * single.error, "the mean of three is surer"
    assert [(t.words.split(",")[0], t.at) for t in ticks(made)] == [("release", FIRST), ("ice", later.at)]
    assert (
        gaps(made, M, "hip-abd", "", TrialRule.MEAN) == () and gaps(made, M, "gait-cadence", "", TrialRule.MEAN) == ()
    )
    assert series(made, M, ("hip-abd", Side.RIGHT, "")).points == ()


def trials(measure: str, side: Side, values: tuple[float, ...], visit: int, **setup) -> Observation:
    whole = seen(measure, side, float(np.mean(values)), visit, **setup)
    return replace(whole, trials=np.array(values))


def test_every_reading_follows_the_chosen_rule():
    m = "hip-abd"
    entries = [trials(m, side, (100 + 40 * n + k, 160.0, 130.0), n, mode="make")
               for n in (0, 1) for k, side in ((0, Side.LEFT), (8, Side.RIGHT))]  # fmt: skip
    entries += [trials(m, Side.LEFT, (150.0, 190.0, 170.0), 1, mode="make", treatment="release")]
    made = case(*entries)
    mean, best = TrialRule.MEAN, TrialRule.BEST
    for rule, before, now, after in ((mean, 130, 143 + 1 / 3, 170), (best, 160, 160, 190)):
        [left] = [r for r in between_visits(made, *VISITS[:2], M, rule) if r.side is Side.LEFT]
        assert (left.before.measured, left.now.measured) == (pytest.approx(before), pytest.approx(now))
        [treated] = within_visit(made, VISITS[1], M, rule)
        assert (treated.before.measured, treated.now.measured) == (pytest.approx(now), pytest.approx(after))
        assert [p.value for p in series(made, M, (m, Side.LEFT, ""), rule).points] == pytest.approx([before, now])
        [row] = [c for c in ledger_at(made, VISITS[0], M, rule) if c.measure.id == m]
        assert row.left.measured == pytest.approx(before)


def test_two_treated_places_stay_apart_and_what_is_not_compared_is_not_counted():
    rows_ = [seen("pain-now", Side.LEFT, v, 1, region=region, treatment=t)
             for region in ("heel", "groin") for v, t in ((6, ""), (2, "release"))]  # fmt: skip
    found = within_visit(case(*rows_), VISITS[1], M)
    assert {row.region for row in found} == {"heel", "groin"}
    unlike = [seen("gait-cadence", Side.NONE, v, n) for n, v in enumerate((110, 118))]
    assert summary(between_visits(case(*unlike), *VISITS[:2], M), []) == "Nothing to compare."


def test_the_course_skips_a_visit_without_a_value_and_gives_each_point_its_own_error():
    hip = "hip-abd"
    pairs = {0: (100, 200), 2: (150, 200)}
    entries = [
        seen(hip, s, v, n, trials=3, mode="make") for n, pair in pairs.items() for s, v in zip(LEGS, pair, strict=True)
    ]
    made = case(*entries, seen("gait-cadence", Side.NONE, 110, 0), now=2)
    assert [p.at for p in series(made, M, (hip, Side.LEFT, "")).points] == [VISITS[0].started_at, VISITS[2].started_at]
    found = gaps(made, M, hip, "", TrialRule.MEAN)
    rows_ = [compare_sides(M[hip], *entries[k : k + 2]) for k in (0, 2)]
    assert [(p.at, p.value, p.error) for p in found] == [
        (VISITS[n].started_at, row.verdict.d, row.verdict.e) for n, row in zip(pairs, rows_, strict=True)]  # fmt: skip
    assert series(made, M, ("gait-cadence", Side.NONE, "")).points[0].error == 0, "its error is not known"
    a, b = (replace(row, verdict=replace(row.verdict, e=e)) for row, e in zip(rows_, (3.0, 4.0), strict=True))
    assert gap_verdict(a, b).e == pytest.approx(5)
    flat = replace(a, verdict=replace(a.verdict, d=0.0))
    assert gap_verdict(flat, b).d == pytest.approx(abs(b.verdict.d)), "from even to a gap is that gap"
    one_missing = replace(b, verdict=NotMeasured("lost", "not tested"))
    assert not GapChange(M[hip], one_missing, b, one_missing.verdict).flipped


def test_rungs_that_were_withdrawn_or_are_of_no_ladder_are_no_steps():
    rung = KNOWLEDGE.ladders["stepdown"].rungs[0]
    item = PlanItem(ladder="stepdown", rung=rung.id, dose={}, first_side=Side.LEFT, visit="v0", at=FIRST)
    lost = [replace(item, withdrawn="pain"), replace(item, ladder="of-old"), replace(item, rung="of-old")]
    for n, one in enumerate(lost):
        assert rung_steps(case(replace(one, uid=f"x{n}")), KNOWLEDGE.ladders) == []
    [step] = rung_steps(case(*(replace(i, uid=f"x{n}") for n, i in enumerate([*lost, item]))), KNOWLEDGE.ladders)
    assert (step.ladder, step.name) == (f"{KNOWLEDGE.ladders['stepdown'].name} {rung.line}".strip(), rung.name)
