"""Ladders, poses and entry rules."""

import math

import pytest

from tuning.core.gate.may import Facts, may
from tuning.core.judging.verdict import Word
from tuning.core.programme import pose
from tuning.core.programme.ladders import Dose, Situation, State, Trial, entry_checks
from tuning.core.types import LEGS, Side, Triage
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
    assert states("sd-1-hold-taps", trials={**CLEAN, Side.LEFT: Trial(True, 3)})[1] is State.NOT_MET
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
