"""Ladders, poses and entry rules."""

import math
from dataclasses import replace
from datetime import UTC, datetime

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tuning.core.case import Case, Patient, Visit
from tuning.core.entries import PlanItem
from tuning.core.gate.may import Facts, may
from tuning.core.judging.verdict import Word
from tuning.core.programme import pose
from tuning.core.programme.ladders import Dose, EntryRule, Situation, State, Trial, entry_checks
from tuning.core.programme.plan import standing_plan
from tuning.core.programme.progress import count, next_step
from tuning.core.types import LEGS, Observation, Side, Triage
from tuning.knowledge import load
from tuning.knowledge.acts import act_of_rung

LADDER = load().ladders["stepdown"]
RUNGS = {rung.id: rung for rung in LADDER.rungs}
CLEAN = dict.fromkeys(LEGS, Trial(True, 1))


def situation(rung, triage=Triage.NONE, **changes):
    permission = may(act_of_rung(rung), Facts(triage, asked=triage is not None))
    base = dict(permission=permission, screened=triage, passed=frozenset(), measured={}, verdicts={}, trials=CLEAN)
    return Situation(**{**base, **changes})


def states(rung_id, **changes):
    rung = RUNGS[rung_id]
    return [c.state for c in entry_checks(rung, LADDER, situation(rung, **changes))]


def test_computed_knee_demand_is_that_of_the_ladder_table():
    assert [RUNGS[r].knee_demand for r in RUNGS] == [0, 0, 3, 1, 1]
    zones = [pose.knee_zone(p.end) for p in RUNGS["sd-3-knee-forward"].poses]
    assert zones == [1, 2, 3]


def test_a_straight_knee_demands_nothing_whatever_the_ankle_does():
    assert pose.knee_zone(pose.Frame(0, 0, 10, 35)) == 0


def test_pose_keeps_segment_lengths_and_angles():
    frame = pose.parse_frame("40/80/55/15; F 45/55; af")
    at = pose.joints(frame)
    assert math.dist(at.hip, at.knee) == pytest.approx(pose.THIGH)
    assert math.dist(at.knee, at.ankle) == pytest.approx(pose.SHANK)
    assert math.dist(at.free_knee, at.free_ankle) == pytest.approx(pose.SHANK)

    def direction(a, b):
        return math.atan2(b[1] - a[1], b[0] - a[0])

    knee = math.pi - abs(direction(at.knee, at.hip) - direction(at.knee, at.ankle)) % (2 * math.pi)
    assert abs(math.degrees(knee)) == pytest.approx(55)
    assert frame.angle_gap == 0 and pose.parse_frame("40/60/55/15").angle_gap == 20


def test_unknown_pose_words_are_refused():
    with pytest.raises(ValueError):
        pose.parse_frame("0/0/0/0; wings")


def test_red_locks_every_rung():
    for rung in RUNGS:
        assert State.LOCKED in states(rung, triage=Triage.RED)
        assert State.LOCKED not in states(rung, triage=Triage.NONE)


def test_rungs_wait_for_a_screen_and_amber_needs_a_name():
    assert states("sd-1-hold-taps", triage=None)[0] is State.LOCKED
    assert states("sd-4-side-band", triage=None)[0] is State.LOCKED
    assert states("sd-4-side-band", triage=Triage.AMBER)[0] is State.NOT_MET
    assert states("sd-1-hold-taps", triage=Triage.AMBER)[0] is State.MET


def test_placement_needs_both_sides_clean_within_the_pain_limit():
    assert states("sd-1-hold-taps") == [State.MET, State.MET]
    assert states("sd-1-hold-taps", trials={Side.LEFT: Trial(True, 0)})[1] is State.UNKNOWN
    for side in LEGS:
        assert states("sd-1-hold-taps", trials={**CLEAN, side: Trial(True, 2)})[1] is State.MET
        assert states("sd-1-hold-taps", trials={**CLEAN, side: Trial(True, 3)})[1] is State.NOT_MET
    assert states("sd-1-hold-taps", trials={**CLEAN, Side.LEFT: Trial(False, 0)})[1] is State.NOT_MET


def test_a_passed_rung_below_replaces_the_trial():
    assert states("sd-2-sit-back", trials={}, passed=frozenset({"sd-1-hold-taps"}))[1] is State.MET


def test_cannot_tell_never_opens_a_rung():
    ankle = {("knee-to-wall", side): 11.0 for side in LEGS}
    for word, state in (
        (Word.IN_TUNE, State.MET),
        (Word.CANNOT_TELL, State.UNKNOWN),
        (Word.MARKED, State.NOT_MET),
    ):
        assert states("sd-3-knee-forward", measured=ankle, verdicts={"knee-to-wall": word})[-2:] == [State.MET, state]
    short = {**ankle, ("knee-to-wall", Side.LEFT): 9.5}
    assert states("sd-3-knee-forward", measured=short)[-2] is State.NOT_MET


def test_dose_time_counts_both_sides_rests_and_set_up():
    dose = Dose(sets=3, reps=8, hold_s=None, tempo="3-0-2", rest_s=60, days=3)
    assert dose.minutes == pytest.approx((3 * 8 * 5 * 2 + 5 * 60 + 30) / 60)
    assert dose.text == "3 sets of 8 each side, 3 s down, 2 s up; rest 60 s; 3 days a week"


# places of joints


def along(start, length, from_vertical_deg):
    """A point further on, by complex numbers: up is the imaginary axis, leaning forward turns clockwise."""
    return start + length * 1j * np.exp(-1j * math.radians(from_vertical_deg))


angles = st.floats(-30, 120)


@given(angles, angles, st.floats(0, 130), st.floats(-20, 40), angles, st.floats(0, 130), st.booleans())
def test_every_joint_lies_where_its_angles_put_it(trunk, hip, knee, ankle, free_hip, free_knee, arms):
    at = pose.joints(pose.Frame(trunk, hip, knee, ankle, free_hip, free_knee, arms))
    place = {name: complex(*getattr(at, name)) for name in pose.Joints.__annotations__}
    close = lambda name, there: abs(place[name] - there) < 1e-9  # noqa: E731
    assert close("heel", 0) and close("toe", pose.FOOT) and close("ankle", 0.25 * pose.FOOT + 1j * pose.ANKLE_HEIGHT)
    assert close("knee", along(place["ankle"], pose.SHANK, ankle))
    assert close("hip", along(place["knee"], pose.THIGH, ankle - knee))
    assert close("shoulder", along(place["hip"], pose.TRUNK, trunk))
    assert close("head", along(place["shoulder"], 0.125, 0.6 * trunk))
    thigh = 180 - free_hip + trunk  # hangs down, flexion brings it forward from the line of the trunk
    assert close("free_knee", along(place["hip"], pose.THIGH, thigh))
    assert close("free_ankle", along(place["free_knee"], pose.SHANK, thigh + free_knee))
    assert close("free_heel", along(place["free_ankle"], 1.15 * pose.ANKLE_HEIGHT, thigh + free_knee + 25))
    assert close("free_toe", along(place["free_heel"], pose.FOOT, thigh + free_knee - 90))
    upper = 90 if arms else 172 - 0.4 * trunk
    assert close("elbow", along(place["shoulder"], 0.186, upper))
    assert close("hand", along(place["elbow"], 0.2, upper - (4 if arms else 14)))


def test_a_bent_free_leg_swings_forward_and_its_shin_back():
    at = pose.joints(pose.parse_frame("0/0/0/0; F 60/90"))
    assert at.free_knee[0] > at.hip[0] + 0.1 and at.free_ankle[0] < at.free_knee[0]


def test_a_pose_is_read_as_it_is_written():
    assert pose.parse_frame("40/70/35/5; F 49/57; af") == pose.Frame(40, 70, 35, 5, 49, 57, True)
    assert pose.parse_frame("1/2/3/4") == pose.Frame(1, 2, 3, 4) == pose.Frame(1, 2, 3, 4, 0, 0, False)
    assert pose.parse_frame("1/2/3/4; af").arms_forward and pose.parse_frame("1/2/3/4;F 5/6").free_knee == 6
    for wrong in ("1/2/3", "1/2/3/4/5", "1/2/3/4; F 5", "a/b/c/d", ""):
        with pytest.raises(ValueError):
            pose.parse_frame(wrong)


def ankle_for(percent):
    """The ankle that brings the knee over a share of the foot, percent from the heel."""
    return math.degrees(math.asin((percent - 25) / 162))


@pytest.mark.parametrize(
    ("percent", "zone"), [(44.9, 0), (45.1, 1), (69.9, 1), (70.1, 2), (99.9, 2), (100.1, 3), (140, 3)]
)
def test_zones_of_knee_demand_change_at_their_edges(percent, zone):
    frame = pose.Frame(0, 0, 60, ankle_for(percent))
    assert pose.knee_over_foot_percent(frame) == pytest.approx(percent) and pose.knee_zone(frame) == zone
    assert pose.knee_zone(replace(frame, knee=19.9)) == 0 and pose.knee_zone(replace(frame, knee=20.0)) == zone
    turned = pose.knee_over_foot_percent(frame, 60.0)
    assert turned == pytest.approx(percent / 2), "turned out, the knee covers less of the foot's length"
    assert pose.knee_zone(frame, 60.0) == (0 if percent < 90 else 1 if percent < 140 else 2)


# conditions of a rung


def texts(rung, **changes):
    return [(c.state, c.text) for c in entry_checks(rung, LADDER, situation(rung, **changes))]


def test_every_condition_says_what_it_asks():
    first, second = (RUNGS[key] for key in ("sd-1-hold-taps", "sd-2-sit-back"))
    assert texts(first)[0] == (State.MET, "safety screen: NONE")
    state, words = texts(first, triage=None)[0]
    assert state is State.LOCKED and len(words) > 20
    state, words = texts(RUNGS["sd-4-side-band"], triage=Triage.AMBER)[0]
    assert state is State.NOT_MET and len(words) > 20
    assert texts(first, trials={})[1] == (
        State.UNKNOWN,
        "placement trial of 3-5 clean repetitions each side, pain at most 2/10",
    )
    assert "at most 4/10" in texts(first, pain_limit=4)[1][1]
    assert texts(second, passed=frozenset({first.id}))[1] == (State.MET, f"rung below passed: {first.name}")


def test_an_open_rung_without_a_screen_is_not_called_screened():
    rung = RUNGS["sd-1-hold-taps"]
    now = replace(situation(rung), screened=None)
    assert [c.state for c in entry_checks(rung, LADDER, now)][0] is State.UNKNOWN
    assert "no safety screen" in entry_checks(rung, LADDER, now)[0].text


def test_every_kind_of_rule():
    rung = replace(RUNGS["sd-1-hold-taps"], entry=())
    both = {("strength", side): 10.0 for side in LEGS}
    rules = {
        EntryRule("rung-passed", "words", rung="other"): (
            ({"passed": frozenset({"other"})}, State.MET),
            ({"passed": frozenset({"one"})}, State.NOT_MET),
        ),
        EntryRule("measure-at-least", "words", measure="strength", value=10.0): (
            ({"measured": both}, State.MET),
            ({"measured": {**both, ("strength", Side.RIGHT): 9.9}}, State.NOT_MET),
            ({"measured": {("strength", Side.LEFT): 20.0}}, State.UNKNOWN),
        ),
        EntryRule("no-side-gap", "words", measure="strength"): (
            ({"verdicts": {"strength": Word.IN_TUNE}}, State.MET),
            ({"verdicts": {"strength": Word.NOTABLE}}, State.NOT_MET),
            ({"verdicts": {"strength": Word.CANNOT_TELL}}, State.UNKNOWN),
            ({"verdicts": {"else": Word.IN_TUNE}}, State.UNKNOWN),
        ),
        EntryRule("always-ask", "words"): (({}, State.UNKNOWN),),
    }
    for rule, cases in rules.items():
        for changes, state in cases:
            asked = replace(rung, entry=(rule,))
            assert texts(asked, **changes)[-1] == (state, "words"), (rule, changes)


def test_the_rung_below_is_the_nearest_easier_one():
    rungs = sorted(LADDER.rungs, key=lambda r: r.order)
    assert [LADDER.below(rung) for rung in rungs] == [None, *rungs[:-1]]
    tangled = replace(LADDER, rungs=tuple(rungs[::-1]))
    assert [tangled.below(rung) for rung in rungs] == [None, *rungs[:-1]]


def test_loaded_is_what_asks_much_of_hip_or_knee():
    light = replace(RUNGS["sd-1-hold-taps"], hip_demand=2)
    assert light.knee_demand < 2 and not light.loaded and replace(light, hip_demand=3).loaded
    assert replace(light, poses=RUNGS["sd-3-knee-forward"].poses).loaded
    assert replace(light, poses=RUNGS["sd-3-knee-forward"].poses[1:2]).knee_demand == 2


@pytest.mark.parametrize(
    ("dose", "text", "minutes"),
    [
        (Dose(3, None, 30, "", 45, 7), "3 holds of 30 s each side; rest 45 s; 7 days a week", (180 + 225 + 30) / 60),
        (Dose(2, 5, None, "4-1-1", 0, 2), "2 sets of 5 each side, 4 s down, 1 s pause, 1 s up; rest 0 s; 2 days a week",
         (120 + 30) / 60),
        (Dose(1, 6, None, "", 30, 1), "1 sets of 6 each side; rest 30 s; 1 days a week", (30 + 30) / 60),
    ],
)  # fmt: skip
def test_doses_are_told_and_timed(dose, text, minutes):
    assert dose.text == text and dose.minutes == pytest.approx(minutes)


# the standing plan and the next step


def item(rung, **more):
    return PlanItem(**more, ladder="stepdown", rung=rung, dose={}, first_side=Side.LEFT)


def case_of(*entries):
    day = datetime(2026, 3, 1, 9, tzinfo=UTC)
    patient = Patient("p", "Ida Moen", day.date(), "f", 70.0, 1.7, "right", "right", "", Side.NONE)
    visit = Visit("now", "p", day)
    return Case(patient, (visit,), visit, tuple(entries), 1)


def test_the_newest_word_about_a_rung_stands():
    one, two = item("one"), item("two")
    again, gone = item("one", withdrawn=True), item("two", withdrawn=True)
    assert standing_plan([one, two]) == [one, two]
    assert standing_plan([one, two, again]) == [two] and standing_plan([one, gone, two]) == [one, two]
    assert count(case_of(one, two, again), load()) == 1


def strength(left, right):
    measure = load().measures["hip-abd"]
    return [
        Observation(measure.id, side, v, np.array([v]), "mean", visit="now")
        for side, v in zip(LEGS, (left, right), strict=True)
    ]


def test_the_next_step_is_the_first_rung_and_then_its_sheet():
    tables = load()
    step = lambda *entries: next_step(case_of(*entries), tables)  # noqa: E731
    assert step().target.stage == "programme" and step(item("one")).target.stage == "programme"
    assert (step().text, step().then) == ("Choose the first rung", "")
    assert step(item("one"), item("one", withdrawn=True)).text == "Choose the first rung"
    assert step(item("one")).text == "Print the patient sheet" and "complete" in step(item("one")).then
    assert "more trials" in step(*strength(100.0, 101.0)).then, "one trial a side cannot tell"
    assert step(*strength(100.0, 300.0)).then == "" and step(strength(100.0, 1.0)[0]).then == ""
    wall = tables.measures["knee-to-wall"]
    elsewhere = [Observation(wall.id, side, 9.0, np.array([9.0]), "mean", visit="now") for side in LEGS]
    assert step(*elsewhere).then == "", "only strength is asked for more trials here"
