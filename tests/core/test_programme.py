"""Ladders, poses and entry rules."""

import math
from dataclasses import replace
from datetime import UTC, datetime

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tuning.core import pose
from tuning.core.case import Case, Patient, Visit
from tuning.core.entries import PlanItem
from tuning.core.gate.permission import GateFacts, permission_for
from tuning.core.judging.verdict import VerdictWord
from tuning.core.programme.active_plan import standing_plan
from tuning.core.programme.body_model import body_of, drawing_faults
from tuning.core.programme.dose import Dose
from tuning.core.programme.ladders import ConditionState, EntryContext, EntryRule, SideTrial, entry_checks
from tuning.core.programme.progress import count, next_step
from tuning.core.types import LEGS, Observation, Side, Triage
from tuning.knowledge import load
from tuning.knowledge.gate_acts import act_of_rung
from tuning.knowledge.knowledge import check

LADDER = load().ladders["stepdown"]
RUNGS = {rung.id: rung for rung in LADDER.rungs}
CLEAN = dict.fromkeys(LEGS, SideTrial(True, 1))


def situation(rung, triage=Triage.NONE, **changes):
    permission = permission_for(act_of_rung(rung), GateFacts(triage, asked=triage is not None))
    base = dict(
        permission=permission, screened=triage, passed=frozenset(), measured={}, verdicts={}, trials=CLEAN, tried=True
    )
    return EntryContext(**{**base, **changes})


def states(rung_id, **changes):
    rung = RUNGS[rung_id]
    return [c.state for c in entry_checks(rung, LADDER, situation(rung, **changes))]


def test_computed_knee_demand_is_that_of_the_ladder_table():
    assert [RUNGS[r].knee_demand for r in RUNGS] == [0, 0, 3, 1, 1]
    zones = [pose.knee_zone(p.end) for p in RUNGS["sd-3-knee-forward"].poses]
    assert zones == [1, 2, 3]
    for ladder, demands in DEMANDS.items():
        found = [(r.demand_of(r.poses[0]).knee, r.hip_demand, r.balance_demand) for r in load().ladders[ladder].rungs]
        assert ["-".join(map(str, one)) for one in found] == demands.split()


DEMANDS = {
    "stepup": "1-2-3 1-3-3",
    "wide": "0-1-1 0-2-1 0-2-1",
    "chair": "1-1-1 1-2-3 2-3-3 2-3-3",
    "knee": "0-1-1 0-1-1 1-1-1 1-1-2 0-2-1 1-2-1 2-2-1 3-2-1 0-2-2 1-2-2 2-2-2 3-2-2",
    "hipshift": "1-2-1 1-2-1 1-2-1 1-3-2 2-2-2 0-3-2 2-2-2 0-2-2",
    "base": "0-0-1 0-2-1 0-1-0 0-2-0 0-3-1",
    "add": "0-1-0 0-2-0 1-2-2",
    "foot": "0-0-1 0-0-1 0-0-1 0-0-2 0-1-2 0-2-3 2-0-1 0-0-1",
    "shin": "0-0-0 0-0-0 0-0-0 0-0-0 0-1-0 0-1-0 1-2-1",
    "ankle": "2-0-1 2-1-2",
}
"""Knee, hip and balance demand, easy to hard; the first of them is computed from the drawing."""
TRANSITIONS = {
    "sd-1-hold-taps", "cr-1-cushion", "cr-2-standard", "hs-4-box", "hs-7-rear-up-near", "hb-5-level-stick",
    "add-3-slide-stand", "ft-5-swing-edge", "ft-6-knee-circles", "tr-7-band-squat", "am-2-lunge",
    "im-2-two-leg-hops", "im-3-leap-across",
}  # fmt: skip


def test_transitions_are_what_asks_much_more_than_an_easier_neighbour():
    rungs = [rung for ladder in load().ladders.values() for rung in ladder.rungs]
    assert {rung.id for rung in rungs if rung.transition} == TRANSITIONS


def test_a_straight_knee_demands_nothing_whatever_the_ankle_does():
    assert pose.knee_zone(pose.PoseFrame(0, 0, 10, 35)) == 0


def test_unknown_pose_words_are_refused():
    with pytest.raises(ValueError):
        pose.parse_frame("0/0/0/0; wings")


def test_red_locks_every_rung():
    for rung in RUNGS:
        assert ConditionState.LOCKED in states(rung, triage=Triage.RED)
        assert ConditionState.LOCKED not in states(rung, triage=Triage.NONE)


def test_rungs_wait_for_a_screen_and_amber_needs_a_name():
    assert states("sd-1-hold-taps", triage=None)[0] is ConditionState.LOCKED
    assert states("sd-4-side-band", triage=None)[0] is ConditionState.LOCKED
    assert states("sd-4-side-band", triage=Triage.AMBER)[0] is ConditionState.NOT_MET
    assert states("sd-1-hold-taps", triage=Triage.AMBER)[0] is ConditionState.MET


def test_placement_needs_both_sides_clean_within_the_pain_limit():
    assert states("sd-1-hold-taps") == [ConditionState.MET] * 3
    assert states("sd-1-hold-taps", tried=False)[2] is ConditionState.NOT_MET, "a transition waits for its try-out"
    assert states("sd-1-hold-taps", trials={Side.LEFT: SideTrial(True, 0)})[1] is ConditionState.UNKNOWN
    for side in LEGS:
        assert states("sd-1-hold-taps", trials={**CLEAN, side: SideTrial(True, 2)})[1] is ConditionState.MET
        assert states("sd-1-hold-taps", trials={**CLEAN, side: SideTrial(True, 3)})[1] is ConditionState.NOT_MET
    assert states("sd-1-hold-taps", trials={**CLEAN, Side.LEFT: SideTrial(False, 0)})[1] is ConditionState.NOT_MET


def test_a_passed_rung_below_replaces_the_trial():
    assert states("sd-2-sit-back", trials={}, passed=frozenset({"sd-1-hold-taps"}))[1] is ConditionState.MET


def test_cannot_tell_never_opens_a_rung():
    ankle = {("knee-to-wall", side): 11.0 for side in LEGS}
    for word, state in (
        (VerdictWord.IN_TUNE, ConditionState.MET),
        (VerdictWord.CANNOT_TELL, ConditionState.UNKNOWN),
        (VerdictWord.MARKED, ConditionState.NOT_MET),
    ):
        assert states("sd-3-knee-forward", measured=ankle, verdicts={"knee-to-wall": word})[-2:] == [
            ConditionState.MET,
            state,
        ]
    short = {**ankle, ("knee-to-wall", Side.LEFT): 9.5}
    assert states("sd-3-knee-forward", measured=short)[-2] is ConditionState.NOT_MET


def test_dose_time_counts_both_sides_rests_and_set_up():
    dose = Dose(sets=3, reps=8, hold_s=None, tempo="3-0-2", rest_s=60, days=3)
    assert dose.minutes == pytest.approx((3 * 8 * 5 * 2 + 5 * 60 + 30) / 60)
    assert dose.text == "3 sets of 8 each side, 3 s down, 2 s up; rest 60 s; 3 days a week"


# places of joints


def along(start, length, from_vertical_deg):
    """A point further on, by complex numbers: up is the imaginary axis, leaning forward turns clockwise."""
    return start + length * 1j * np.exp(-1j * math.radians(from_vertical_deg))


def flat(place):
    return complex(place[0], place[1])


angles = st.floats(-30, 120)


@given(st.floats(-10, 60), st.floats(0, 130), st.floats(-20, 40), angles, st.floats(0, 130))
def test_every_joint_lies_where_its_angles_put_it(trunk, knee, ankle, free_hip, free_knee):
    frame = pose.PoseFrame(trunk, trunk + knee - ankle, knee, ankle, pose.Leg(free_hip, free_knee))
    at = body_of(frame)
    close = lambda place, there: abs(flat(place) - there) < 1e-9  # noqa: E731
    leg, free = at.working, at.other
    assert close(leg.heel, 0) and close(leg.toe, pose.FOOT)
    assert close(leg.ankle, 0.25 * pose.FOOT + 1j * pose.ANKLE_HEIGHT)
    assert close(leg.knee, along(flat(leg.ankle), pose.SHANK, ankle))
    assert close(leg.hip, along(flat(leg.knee), pose.THIGH, ankle - knee))
    assert close(at.shoulder, along(flat(leg.hip), pose.TRUNK, trunk))
    thigh = 180 - free_hip + trunk  # hangs down, flexion brings it forward from the line of the trunk
    assert close(free.knee, along(flat(leg.hip), pose.THIGH, thigh))
    assert close(free.ankle, along(flat(free.knee), pose.SHANK, thigh + free_knee))
    assert leg.hip[2] > 0 > free.hip[2], "the working leg is the right one"


@given(st.sampled_from(list(pose.BodyPosition)), st.floats(0, 60), st.floats(0, 120), st.floats(0, 120), angles, angles)
def test_no_limb_is_longer_or_comes_off(position, trunk, hip, knee, out, turn):
    frame = pose.PoseFrame(trunk, hip, knee, 0.0, pose.Leg(hip / 2, knee / 2), out=out, turn=turn, free_sole=True)
    at = body_of(frame, position)
    for leg in (at.working, at.other):
        assert np.linalg.norm(leg.knee - leg.hip) == pytest.approx(pose.THIGH)
        assert np.linalg.norm(leg.ankle - leg.knee) == pytest.approx(pose.SHANK)
        assert np.linalg.norm(leg.toe - leg.heel) == pytest.approx(pose.FOOT)
        assert np.linalg.norm(leg.hip - at.hip) == pytest.approx(0.05)
    assert np.linalg.norm(at.shoulder - at.hip) == pytest.approx(pose.TRUNK)


def test_lying_bodies_lie_as_they_are_called():
    bent = pose.PoseFrame(10, 90, 90, 0)
    right, left = (body_of(bent, p) for p in (pose.BodyPosition.RIGHT_SIDE, pose.BodyPosition.LEFT_SIDE))
    assert right.working.hip[1] < right.other.hip[1] and left.working.hip[1] > left.other.hip[1]
    back = body_of(pose.parse_frame("0/55/115/-30"), pose.BodyPosition.BACK)
    assert back.front[1] > 0.99 and back.working.knee[1] > back.hip[1] and back.head[0] < back.hip[0]


def test_a_person_whose_weight_is_off_the_foot_is_refused_by_the_validator():
    good = pose.parse_frame("45/85/45/5; af")
    assert drawing_faults(good, pose.BodyPosition.STAND) == []
    upright = pose.parse_frame("0/75/80/5")
    assert ["would fall over" in fault for fault in drawing_faults(upright, pose.BodyPosition.STAND)] == [True]
    assert drawing_faults(replace(upright, support="wall"), pose.BodyPosition.STAND) == []
    assert "breaks hip" in drawing_faults(pose.parse_frame("40/60/55/15"), pose.BodyPosition.STAND)[0]
    hanging = pose.parse_frame("15/75/65/5; F 90/60; w 60")
    assert any("off its surface" in fault for fault in drawing_faults(hanging, pose.BodyPosition.STAND))


def test_every_drawing_of_the_ladders_can_stand():
    assert check() == []


def test_less_depth_asks_less_of_the_kneecap():
    wall = next(r for r in load().ladders["knee"].rungs if r.id == "kt-2-wall-level")
    found = [wall.demand_of(wall.poses[0], depth).kneecap for depth in (45, 55, 60, 89, 90, None)]
    assert found == [1, 1, 2, 2, 3, 3] and not wall.loaded_as(wall.poses[0], 55) and wall.loaded_as(wall.poses[0])
    squat = next(r for r in load().ladders["knee"].rungs if r.id == "kt-8-squat-z3")
    knee = [squat.demand_of(squat.poses[0], depth).knee for depth in (25, 50, None)]
    assert knee == sorted(knee) and knee[0] < knee[-1] == 3
    for depth in (30, 60):
        frame = squat.poses[0].at(depth)[-1]
        assert frame.knee == pytest.approx(depth) and frame.angle_gap() < 1e-9, "shallower poses stand, too"


def test_the_other_knee_of_a_split_counts_for_the_kneecap_while_it_carries():
    frame = pose.parse_frame("10/75/40/25; F 10/95; w 80")
    assert pose.kneecap_zone(frame) == 3 and pose.kneecap_zone(replace(frame, weight=95.0)) == 1


def test_a_pose_is_read_as_it_is_written():
    read = pose.parse_frame("40/70/35/5; F 49/57; F ab -4; af; w 70; bench")
    assert read == pose.PoseFrame(40, 70, 35, 5, pose.Leg(49, 57, 0, -4), weight=70, arms="forward", bench=True)
    assert read.split and not pose.parse_frame("1/2/3/4; F 5/6").split and pose.parse_frame("1/2/3/4").share == 50
    for wrong in ("1/2/3", "1/2/3/4/5", "1/2/3/4; F 5", "a/b/c/d", "", "1/2/3/4; ab", "1/2/3/4; arms wings"):
        with pytest.raises(ValueError):
            pose.parse_frame(wrong)


def ankle_for(percent):
    """The ankle that brings the knee over a share of the foot, percent from the heel."""
    return math.degrees(math.asin((percent - 25) / 162))


@pytest.mark.parametrize(
    ("percent", "zone"), [(44.9, 0), (45.1, 1), (69.9, 1), (70.1, 2), (99.9, 2), (100.1, 3), (140, 3)]
)
def test_zones_of_knee_demand_change_at_their_edges(percent, zone):
    frame = pose.PoseFrame(0, 0, 60, ankle_for(percent))
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
    assert texts(first)[0] == (ConditionState.MET, "safety screen: NONE")
    state, words = texts(first, triage=None)[0]
    assert state is ConditionState.LOCKED and len(words) > 20
    state, words = texts(RUNGS["sd-4-side-band"], triage=Triage.AMBER)[0]
    assert state is ConditionState.NOT_MET and len(words) > 20
    assert texts(first, trials={})[1] == (
        ConditionState.UNKNOWN,
        "placement trial of 3-5 clean repetitions each side, pain at most 2/10",
    )
    assert "at most 4/10" in texts(first, pain_limit=4)[1][1]
    assert texts(second, passed=frozenset({first.id}))[1] == (ConditionState.MET, f"rung below passed: {first.name}")


def test_an_open_rung_without_a_screen_is_not_called_screened():
    rung = RUNGS["sd-1-hold-taps"]
    now = replace(situation(rung), screened=None)
    assert [c.state for c in entry_checks(rung, LADDER, now)][0] is ConditionState.UNKNOWN
    assert "no safety screen" in entry_checks(rung, LADDER, now)[0].text


def test_every_kind_of_rule():
    rung = replace(RUNGS["sd-1-hold-taps"], entry=())
    both = {("strength", side): 10.0 for side in LEGS}
    rules = {
        EntryRule("rung-passed", "words", rung="other"): (
            ({"passed": frozenset({"other"})}, ConditionState.MET),
            ({"passed": frozenset({"one"})}, ConditionState.NOT_MET),
        ),
        EntryRule("measure-at-least", "words", measure="strength", value=10.0): (
            ({"measured": both}, ConditionState.MET),
            ({"measured": {**both, ("strength", Side.RIGHT): 9.9}}, ConditionState.NOT_MET),
            ({"measured": {("strength", Side.LEFT): 20.0}}, ConditionState.UNKNOWN),
        ),
        EntryRule("no-side-gap", "words", measure="strength"): (
            ({"verdicts": {"strength": VerdictWord.IN_TUNE}}, ConditionState.MET),
            ({"verdicts": {"strength": VerdictWord.NOTABLE}}, ConditionState.NOT_MET),
            ({"verdicts": {"strength": VerdictWord.CANNOT_TELL}}, ConditionState.UNKNOWN),
            ({"verdicts": {"else": VerdictWord.IN_TUNE}}, ConditionState.UNKNOWN),
        ),
        EntryRule("always-ask", "words"): (({}, ConditionState.UNKNOWN),),
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
    assert [tangled.above(rung) for rung in rungs] == [*rungs[1:], None]
    knee = load().ladders["knee"]
    first = {r.id.split("-")[1]: knee.below(r) for r in knee.rungs}
    assert first["5"] is None and first["9"] is None and first["9b"] is not None, "lines are climbed apart"


def test_loaded_is_what_asks_much_of_hip_or_knee():
    light = replace(RUNGS["sd-1-hold-taps"], hip_demand=2)
    assert light.knee_demand < 2 and not light.loaded and replace(light, hip_demand=3).loaded
    assert replace(light, poses=RUNGS["sd-3-knee-forward"].poses).loaded
    assert replace(light, poses=RUNGS["sd-3-knee-forward"].poses[1:2]).knee_demand == 2


@pytest.mark.parametrize(
    ("dose", "text", "minutes"),
    [
        (Dose(3, None, 30, "", 45, 7), "hold 30 s, 3 times each side; rest 45 s; 7 days a week", (180 + 225 + 30) / 60),
        (Dose(2, 5, None, "4-1-1", 0, 2), "2 sets of 5 each side, 4 s down, 1 s pause, 1 s up; rest 0 s; 2 days a week",
         (120 + 30) / 60),
        (Dose(1, 6, None, "", 30, 1), "1 set of 6 each side; rest 30 s; 1 days a week", (30 + 30) / 60),
        (Dose(4, None, None, "", 30, 6, breaths=5, each=False), "4 sets of 5 slow breaths; rest 30 s; 6 days a week",
         (4 * 40 + 3 * 30 + 30) / 60),
        (Dose(3, None, 10, "", 30, 7, holds=5, each=False), "3 sets of 5 holds of 10 s; rest 30 s; 7 days a week",
         (150 + 60 + 30) / 60),
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
