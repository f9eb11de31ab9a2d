"""What is said while an exercise is taught, and the one cue that the next session begins with."""

from datetime import date

import pytest

from tuning.core.entries import Done
from tuning.core.programme.coaching import coaching_of, faults_by_count
from tuning.core.types import LEGS, Side
from tuning.knowledge import load

KNOWLEDGE = load()
RUNG = KNOWLEDGE.rung("sd-1-hold-taps")
LADDER = KNOWLEDGE.ladder_of(RUNG.id)
FIRST, SECOND = RUNG.faults[:2]
MONDAY, TUESDAY = date(2026, 3, 2), date(2026, 3, 3)


def done(side: Side, day: date, *faults: str, **more: object) -> Done:
    return Done(rung=RUNG.id, side=side, day=day, faults=faults, **more)


def taught(*entries: Done, side: Side = Side.NONE):
    return coaching_of(RUNG, LADDER, KNOWLEDGE.faults, entries, side)


@pytest.mark.parametrize("leg", LEGS)
def test_the_next_session_of_a_leg_begins_with_what_that_leg_did_wrong_most(leg):
    entries = [done(leg, MONDAY, FIRST), done(leg, TUESDAY, SECOND, FIRST), done(leg.other, TUESDAY)]
    assert taught(*entries, side=leg).last.id == SECOND
    assert taught(*entries, side=leg.other).last is None, "the other leg was clean"
    assert taught(*entries).in_order[0].id == SECOND, "a sheet is for both legs"
    assert sorted(f.id for f in taught(*entries).in_order) == sorted(RUNG.faults)


def test_what_was_corrected_try_outs_and_sessions_at_home_leave_no_cue():
    assert taught(done(Side.LEFT, MONDAY, FIRST), done(Side.LEFT, TUESDAY), side=Side.LEFT).last is None
    assert taught(done(Side.LEFT, MONDAY, FIRST, trial=True), side=Side.LEFT).last is None
    assert taught(done(Side.LEFT, MONDAY, FIRST, source="home"), side=Side.LEFT).last is None
    other = Done(rung="hb-1-calf", side=Side.LEFT, day=MONDAY, faults=(FIRST,))
    assert taught(other, side=Side.LEFT).last is None


def test_a_sheet_lists_every_fault_of_this_person_and_three_where_none_was_seen():
    assert [f.id for f in taught().to_take_home] == list(RUNG.faults[:3])
    made = RUNG.faults[2:7]
    found = taught(done(Side.LEFT, MONDAY, *made), done(Side.LEFT, TUESDAY, RUNG.faults[6])).to_take_home
    assert [f.id for f in found] == [RUNG.faults[6], *RUNG.faults[2:6]]


def test_faults_are_named_by_how_often_they_were_seen():
    own = [KNOWLEDGE.faults[key] for key in RUNG.faults]
    assert faults_by_count([SECOND, FIRST, SECOND], own) == (SECOND, FIRST)
    assert faults_by_count([SECOND, FIRST], own) == (FIRST, SECOND), "of equal ones the first of the exercise"
    assert faults_by_count([], own) == ()


def test_every_exercise_says_where_it_is_felt_and_has_a_key_for_each_fault():
    for ladder in KNOWLEDGE.ladders.values():
        for rung in ladder.rungs:
            found = coaching_of(rung, ladder, KNOWLEDGE.faults, (), Side.LEFT)
            assert found.steps and found.faults and len(found.faults) <= 10, rung.id
            assert found.feel.startswith("You should feel: "), rung.id
