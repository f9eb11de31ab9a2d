"""What an item that would be written is still asked: a climb that somebody overrules is asked all of it."""

from dataclasses import asdict, replace
from datetime import timedelta

import pytest
from reasoned import FIRST, KNOWLEDGE, LEFT, case

from tuning.core.entries import Decision, Done, NextDayResponse, PlanItem, Screen
from tuning.core.programme.log_mapping import SUBJECT
from tuning.core.programme.plan_moves import OVERRULED, _recent_alarm, open_checks
from tuning.core.programme.plan_status import plan_status
from tuning.core.programme.progression_state import ProgressionMove
from tuning.core.types import Triage

FROM, TO = (KNOWLEDGE.ladders["stepdown"].rungs[n] for n in (0, 1))


def item(rung, uid, **more):
    return PlanItem(
        rung=rung.id, ladder="stepdown", dose=asdict(rung.dose), first_side=LEFT, uid=uid, visit="v0", at=FIRST, **more
    )


def status():
    asked = Screen(Triage.NONE, {}, uid="s", visit="v0", at=FIRST)
    return plan_status(case(asked, item(FROM, "i0")), KNOWLEDGE, FIRST.date() + timedelta(days=1))


def climb(**inputs):
    about = {"from": FROM.id, "to": TO.id, **inputs}
    return Decision(SUBJECT, ProgressionMove.CLIMB.value, about, reason="she is ready")


@pytest.mark.parametrize(("decided", "asked"), [
    ((), True), ((climb(),), False), ((climb(**{OVERRULED: True}),), True), ((climb(to="sd-9"),), True),
    ((Decision("phase", ProgressionMove.CLIMB.value, {"to": TO.id}),), True),
    ((Decision(SUBJECT, ProgressionMove.HOLD.value, {"from": FROM.id, "to": TO.id}),), True),
])  # fmt: skip
def test_only_a_climb_of_the_table_to_this_very_rung_has_been_asked_already(decided, asked):
    found = open_checks(status(), item(TO, "i1", replaces="i0"), decided)
    assert bool(found) is asked


def test_an_item_that_asks_no_more_than_the_one_it_replaces_is_not_asked_again():
    now = status()
    assert open_checks(now, item(FROM, "i1", replaces="i0")) == []
    assert open_checks(now, item(TO, "i1")), "an exercise of its own is asked"


def session(days_ago, **told):
    day = FIRST.date() + timedelta(days=40 - days_ago)
    more = {"sets": 3, "reps": 10, "morning": NextDayResponse.SETTLED, "visit": "v0", **told}
    return Done(FROM.id, LEFT, day, at=FIRST + timedelta(days=40 - days_ago), uid=f"d{days_ago}{told}", **more)


def after(*sessions, dose=None, screen=Triage.NONE):
    """The plan forty days after it began, and its only item."""
    asked = Screen(screen, {}, uid="s", visit="v0", at=FIRST)
    planned = replace(item(FROM, "i0"), dose=asdict(replace(FROM.dose, sets=3, **(dose or {}))))
    return plan_status(case(asked, planned, *sessions), KNOWLEDGE, FIRST.date() + timedelta(days=40)), planned


@pytest.mark.parametrize(("sessions", "sets", "next_week"), [
    ((session(1), session(3)), 3, 3),
    ((session(1, morning=NextDayResponse.NOT), session(3)), 1, 3),  # a flare-up: half of them, for a week
    ((session(9),), 2, 3),  # a break: one fewer, for a week
])  # fmt: skip
def test_a_flare_up_and_a_break_take_sets_off_for_a_week_and_no_longer(sessions, sets, next_week):
    now, planned = after(*sessions)
    days = [now.today + timedelta(days=n) for n in (0, 6, 7)]
    assert [now.dose_on(planned, day).sets for day in days] == [sets, sets, next_week], now.decision(planned)


def test_an_alarm_rests_the_exercise_and_bars_the_climb_for_its_days():
    days = KNOWLEDGE.progression.alarms.no_climb
    calm, planned = after(session(1))
    assert calm.resting(planned) == "" and _recent_alarm(calm) == ""
    alarmed, planned = after(session(1, alarms=("swelling",)))
    assert alarmed.resting(planned).startswith(alarmed.decision(planned).move.value)
    assert "not been answered" in _recent_alarm(alarmed)
    answered = [Screen(Triage.NONE, {}, uid="s2", visit="v0", at=FIRST + timedelta(days=40, hours=1))]
    for ago, barred in ((days, True), (days + 1, False)):
        again, _ = after(session(ago, alarms=("swelling",)), *answered)
        assert bool(_recent_alarm(again)) is barred, ago
