"""What the entries of a case say of one exercise: since when, what answers an alarm, what was held, whose reason."""

from __future__ import annotations

from dataclasses import asdict, replace
from datetime import UTC, datetime, timedelta

import pytest

from tuning.core.entries import Decision, Done, NextDayResponse, PlanItem, Screen
from tuning.core.programme.log_mapping import (
    NextStepState,
    Pace,
    alarms_open,
    amended,
    exercise_of,
    log_of,
    step_since,
    tried_clean,
)
from tuning.core.programme.progression_rules import decide
from tuning.core.programme.progression_state import PlanContext, ProgressionMove
from tuning.core.types import LEGS, Side, Triage
from tuning.knowledge import load

KNOWLEDGE = load()
RULES = KNOWLEDGE.progression
LEFT, RIGHT = LEGS
ONE, TWO, THREE = "sd-1-hold-taps", "sd-2-sit-back", "sd-3-knee-forward"
START = datetime(2026, 3, 2, 10, tzinfo=UTC)


def at(day: float) -> datetime:
    return START + timedelta(days=day)


def item(rung: str, day: float, **more) -> PlanItem:
    dose = asdict(KNOWLEDGE.rung(rung).dose) | more.pop("dose", {})
    return PlanItem("stepdown", rung, dose, LEFT, at=at(day), uid=f"{rung}@{day}", **more)


def moved(day: float, move: ProgressionMove, before: str, to: str, row: int = 0, **more) -> Decision:
    return Decision("programme", move.value, {"from": before, "to": to, "row": row, **more}, at=at(day))


def session(day: int, rung: str = ONE, hour: float = 0.0, **more) -> list[Done]:
    usual = {"pain": 1, "morning": NextDayResponse.SETTLED, "at": at(day + hour / 24)}
    return [Done(rung, side, at(day).date(), **{**usual, **more}) for side in LEGS]


def exercise(now: PlanItem, *entries, **more):
    rung = KNOWLEDGE.rung(now.rung)
    pace = more.pop("pace", Pace(RULES))
    return exercise_of(now, rung, KNOWLEDGE.ladder_of(now.rung), [*entries, now], NextStepState(**more), pace)


def test_an_earlier_stay_at_a_rung_is_another_one():
    first, gone = item(ONE, 0), item(ONE, 20, withdrawn=True)
    second, left = item(TWO, 20), item(TWO, 30, withdrawn=True)
    now = item(ONE, 30)
    entries = [first, *(d for n in (14, 16, 18) for d in session(n)), gone, second, left, now]
    assert step_since(now, entries) == at(30) and step_since(first, entries[:1]) == at(0)
    found = exercise(now, *entries[:-1])
    log = log_of(entries, found.line, step_since(now, entries))
    decision = decide(found, log, PlanContext(at(30).date(), Triage.NONE), RULES)
    assert found.since == at(30).date() and decision.move is not ProgressionMove.CLIMB, "old sessions do not climb"


def test_a_dose_that_asks_no_other_step_goes_on_and_another_depth_begins_anew():
    first, more_sets = item(ONE, 0), item(ONE, 9, dose={"sets": 5})
    deeper = item(ONE, 9, dose={"depth_deg": 70.0})
    assert step_since(more_sets, [first, more_sets]) == at(0) and step_since(deeper, [first, deeper]) == at(9)


def test_what_was_done_earlier_on_the_day_of_a_step_is_past():
    now = item(ONE, 5)
    entries = [*session(5, hour=-2), now, *session(5, hour=2), *session(6)]
    assert [one.past for one in log_of(entries, [ONE], at(5))] == [True, True, False, False, False, False]
    tries = session(7, trial=True, supervised=True)
    assert all(one.past for one in log_of(tries, [ONE], at(5))), "a try-out is no session"


def test_a_full_screen_after_an_alarm_answers_it_and_a_line_or_an_earlier_one_does_not():
    alarm, today = session(3, pain=8), at(9).date()

    def open_after(*entries):
        return len(alarms_open(entries, RULES, today))

    asked, line = Screen(Triage.NONE, at=at(4)), Screen(Triage.NONE, again=True, at=at(4))
    assert open_after(*alarm) == 2 and open_after(*alarm, line) == 2 and open_after(*alarm, asked) == 0
    assert open_after(Screen(Triage.NONE, at=at(2)), *alarm) == 2
    late = [replace(one, at=at(6)) for one in alarm]
    assert open_after(*late, replace(asked, at=at(5))) == 2, "nobody knew of it when the screen was asked"
    assert open_after(*session(3, trial=True, supervised=True, alarms=("numb",))) == 2, "try-outs alarm, too"


def test_a_line_put_right_was_told_when_it_first_was_unless_it_alarms_newly():
    [old, _] = session(3, pain=8)
    calm = amended(old, replace(old, morning=NextDayResponse.NOT), RULES)
    assert (
        calm.first_at == old.at
        and amended(calm, replace(calm, morning=NextDayResponse.SETTLED), RULES).first_at == old.at
    )
    asked = Screen(Triage.NONE, at=at(4))
    again = replace(calm, at=at(5), uid="again")
    assert not alarms_open([asked, again], RULES, at(9).date()), "the screen came after what was told"
    mild = replace(old, pain=2)
    for worse in (replace(mild, alarms=("catch",)), replace(mild, pain=7)):
        assert amended(mild, worse, RULES).first_at is None


@pytest.mark.parametrize("row", range(2, 10))
def test_only_the_rows_of_a_flare_up_hold_a_rung_to_come_back_to(row):
    found = exercise(item(TWO, 9), moved(8, ProgressionMove.BACK, THREE, TWO, row))
    flare = row in (2, 4, 5)
    assert found.held == (THREE if flare else "") and (found.backed == at(8).date()) == flare
    old = Decision("programme", "step back", {"from": THREE, "to": TWO, "why": f"Row {row}: pain"}, at=at(8))
    assert exercise(item(TWO, 9), old).held == found.held, "older records say the row in words"


def test_what_was_held_is_regained_given_up_or_placed_anew():
    twice = [moved(5, ProgressionMove.BACK, THREE, TWO, 4), moved(8, ProgressionMove.BACK, TWO, ONE, 4)]
    assert exercise(item(ONE, 9), *twice).held == THREE
    assert exercise(item(TWO, 12), *twice, moved(12, ProgressionMove.CLIMB, ONE, TWO, 13)).held == THREE
    assert exercise(item(THREE, 20), *twice, moved(20, ProgressionMove.CLIMB, TWO, THREE, 13)).held == ""
    assert exercise(item(ONE, 20), *twice, moved(20, ProgressionMove.REPLACE, ONE, ONE, 8)).held == ""


def test_a_stop_that_was_acted_on_is_known_and_counted_at_its_rung():
    found = exercise(item(ONE, 9), moved(8, ProgressionMove.STOP, ONE, ONE, 2))
    assert (found.stopped, found.stops) == (at(8).date(), 1)
    assert exercise(item(ONE, 9), moved(8, ProgressionMove.STOP, TWO, ONE, 2)).stops == 0


def test_a_reason_counts_once_it_was_typed_under_what_stands_now():
    pace = Pace(RULES, asked_since=at(4))
    assert exercise(item(ONE, 5, reason="pain-free, static"), pace=pace).reason
    assert not exercise(item(ONE, 3, reason="pain-free, static"), pace=pace).reason, "of before the finding"
    assert not exercise(item(ONE, 5, reason="Row 14: 3 clean sessions"), pace=pace).reason, "nobody typed it"
    assert not exercise(item(ONE, 5, reason="  "), pace=pace).reason and not exercise(item(ONE, 5, reason="x")).reason


def test_a_transition_counts_the_newest_supervised_try_out_of_each_side():
    rung = KNOWLEDGE.rung(TWO)
    clean = [Done(TWO, side, at(1).date(), trial=True, supervised=True, pain=1) for side in LEGS]
    assert tried_clean(clean, rung, 2) and not tried_clean(clean[:1], rung, 2)
    for odd in (dict(pain=3), dict(wrong=True), dict(faults=("F01",)), dict(felt=False), dict(alarms=("catch",))):
        assert not tried_clean([*clean, replace(clean[0], **odd)], rung, 2), odd
    assert not tried_clean([replace(one, supervised=False) for one in clean], rung, 2), "home logs never open it"
    assert Side.NONE not in rung.sides


def test_only_a_screen_saved_after_an_alarm_and_not_dated_before_it_answers_it():
    """A clock that was set back dates what is saved next before what was saved already; an older record that is taken
    in comes after what is dated later."""
    alarm, screen = session(3, alarms=("catch",))[0], Screen(Triage.NONE, {})

    def answered(*entries):
        return next(one.answered for one in log_of(entries, [ONE]))

    assert answered(alarm, replace(screen, at=at(4))) and answered(alarm, replace(screen, at=at(3)))
    assert not answered(replace(screen, at=at(4)), alarm), "saved before it, whatever the clock said"
    assert not answered(alarm, replace(screen, at=at(2))), "taken in from elsewhere"
    again = replace(alarm, first_at=at(3), at=at(5))
    assert answered(replace(screen, at=at(4)), again) and not answered(replace(screen, at=at(2)), again)
