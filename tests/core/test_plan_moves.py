"""What an item that would be written is still asked: a climb that somebody overrules is asked all of it."""

from dataclasses import asdict
from datetime import timedelta

import pytest
from reasoned import FIRST, KNOWLEDGE, LEFT, case

from tuning.core.entries import Decision, PlanItem, Screen
from tuning.core.programme.log_mapping import SUBJECT
from tuning.core.programme.plan_moves import OVERRULED, open_checks
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
