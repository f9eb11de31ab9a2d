"""What a case says about its plan: injury dates, flare-ups, clean weeks, goals, and the load of each leg."""

from __future__ import annotations

from datetime import UTC, date, datetime, timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tuning.core.dates import latest_day
from tuning.core.entries import Decision, Done, Form, NextDayResponse, PlanItem, Screen
from tuning.core.programme.plan_facts import (
    PlanStatusInputs,
    clean_weeks,
    deload_week,
    facts_of,
    open_goals,
    target_passed,
    weekly_load,
    weeks_since_injury,
)
from tuning.core.programme.progression_state import ExerciseState, LoggedSet, PlanContext
from tuning.core.programme.rules import PainPolicy
from tuning.core.types import LEGS, Side, Triage
from tuning.knowledge.knowledge import load

TODAY = date(2026, 11, 20)
KNOWLEDGE = load()
SAFETY, RULES = KNOWLEDGE.safety, KNOWLEDGE.progression
STEP = "sd-1-hold-taps"
LEFT, RIGHT = LEGS


def at(days_ago: int) -> datetime:
    return datetime(2026, 11, 20, 12, tzinfo=UTC) - timedelta(days=days_ago)


def done(days_ago: int, side=LEFT, **told) -> Done:
    return Done(
        **{
            "rung": STEP,
            "side": side,
            "day": TODAY - timedelta(days=days_ago),
            "morning": NextDayResponse.SETTLED,
            **told,
        }
    )


def facts(*entries, **around):
    return facts_of(entries, SAFETY, PlanStatusInputs(TODAY, **around), RULES)


@pytest.mark.parametrize(
    ("told", "latest"),
    [
        ("12 Sep 2026", date(2026, 9, 12)),
        ("Sept 2026", date(2026, 9, 30)),
        ("9/2026", date(2026, 9, 30)),
        ("2026-09-12", date(2026, 9, 12)),
        ("2020", date(2020, 12, 31)),
        ("2026", TODAY),
        ("Nov 2026", TODAY),
        ("03/09/2026", date(2026, 9, 3)),
        ("02/11/2026", date(2026, 11, 2)),
        ("11/02/2026", date(2026, 11, 2)),
        ("Dec 2026", None),
        ("2027", None),
        ("13/2026", None),
        ("3 weeks ago", None),
        ("spring", None),
        ("", None),
    ],
)
def test_a_told_date_is_read_to_its_latest_day(told, latest):
    assert latest_day(told, TODAY) == latest


@given(st.text(max_size=14))
def test_no_text_for_a_date_breaks_or_lies_ahead(text):
    found = latest_day(text, TODAY)
    assert found is None or found <= TODAY


@given(st.dates(date(1950, 1, 1), TODAY), st.sampled_from(["%d %b %Y", "%Y-%m-%d", "%b %Y", "%m/%Y", "%Y"]))
def test_the_latest_day_is_never_before_the_day_itself(day, written):
    found = latest_day(day.strftime(written), TODAY)
    assert found is not None and found >= day and (found == day or (found - day).days < 366)


def history(*days: str) -> Form:
    return Form("intake-history", {"injuries": [{"date": day} for day in days]}, at=at(0))


def test_weeks_count_from_the_newest_injury_and_from_a_screen_that_tells_one():
    assert weeks_since_injury([history("2019", "9 Oct 2026", "long ago")], SAFETY, TODAY) == 6.0
    assert weeks_since_injury([history("9 Oct 2026"), history("2019")], SAFETY, TODAY) > 300, "put right"
    screen = Screen(Triage.AMBER, {"trauma": True, "knee-injury": False}, at=at(14))
    assert weeks_since_injury([history("2019"), screen], SAFETY, TODAY) == 2.0
    assert weeks_since_injury([Screen(Triage.NONE, {"night": True}, at=at(1)), history()], SAFETY, TODAY) is None


def test_flare_ups_are_days_of_the_last_fortnight_and_quiet_days_count_from_the_last_bad_morning():
    bad = [
        done(15, morning=NextDayResponse.NOT),
        done(14, morning=NextDayResponse.NOT),
        done(3, pain=6),
        done(3, RIGHT, pain=7),
    ]
    found = facts(*bad)
    assert (found.flares, found.worst_pain, found.quiet_days) == (2, 7, 14)
    assert facts(done(8, pain=4)).worst_pain == 0 and facts(done(7, pain=4)).worst_pain == 4
    assert facts(done(30)).quiet_days == 30 and facts().quiet_days == 0
    assert facts(done(2, alarms=("swelling",))).swelling and not facts(done(9, alarms=("swelling",))).swelling
    assert facts(done(1, trial=True, pain=4)).trial_pain == 4 and facts(done(-1, pain=9)).worst_pain == 0


def test_what_stands_around_reaches_the_phase():
    taken = Decision("factor-to-programme", "likely", {"factor": "pain-inhibition"})
    assert facts(taken).pain_inhibited and not facts().pain_inhibited
    assert facts(triage=Triage.AMBER).amber and facts(target=True).target
    assert (facts().climb_pain, facts(school=PainPolicy.MONITORED).climb_pain) == (2, 3)
    skill = KNOWLEDGE.rung("hs-1-mirror")
    assert facts(planned=[skill]).skills == [skill.name]
    assert not facts(planned=[skill], passed=frozenset({skill.id})).skills


def test_clean_weeks_end_at_the_first_week_that_was_empty_or_not_settled():
    assert clean_weeks([done(0), done(6), done(7), done(13)], TODAY, RULES) == 2
    assert clean_weeks([done(0), done(7, morning=NextDayResponse.UNKNOWN), done(14)], TODAY, RULES) == 1
    assert clean_weeks([done(7), done(14)], TODAY, RULES) == 0 and clean_weeks([done(1, trial=True)], TODAY, RULES) == 0


def item(days_ago: int, **more) -> PlanItem:
    dose = {"sets": 3, "reps": 10, "hold_s": None, "tempo": "2-0-2", "rest_s": 60, "days": 3, **more}
    return PlanItem("stepdown", STEP, dose, LEFT, at=at(days_ago))


def test_every_fifth_week_is_lighter():
    assert [n for n in range(84) if deload_week([item(n)], TODAY)] == [*range(28, 35), *range(63, 70)]
    assert not deload_week([], TODAY)


def test_goals_are_those_of_the_newest_complaint_below_eight():
    def told(score):
        return Form(
            "intake-complaint", {"goals": [{"activity": "stairs", "score": score}, {"activity": "", "score": 0}]}
        )

    assert open_goals([told(3.0), told(7.9)]) == ["stairs"] and open_goals([told(None)]) == ["stairs"]
    assert open_goals([told(3.0), told(8.0)]) == [] == open_goals([])


def loads(entries, side, region="kneecap"):
    return [week.load(region) for week in weekly_load(entries, KNOWLEDGE.rung, 1.72, side)]


def test_each_leg_bears_its_own_turns_and_what_both_do_together():
    calf = {"rung": "hb-1-calf", "side": Side.NONE}
    entries = [done(0, LEFT, sets=3, reps=10), done(0, RIGHT, sets=1, reps=10)]
    assert loads(entries, LEFT)[0] == pytest.approx(3 * loads(entries, RIGHT)[0])
    mirrored = [Done(**{**vars(e), "side": e.side.other}) for e in entries]
    assert loads(mirrored, RIGHT) == loads(entries, LEFT) and loads(mirrored, LEFT) == loads(entries, RIGHT)
    both = [*entries, Done(**{**vars(done(0)), **calf, "sets": 2, "reps": 12})]
    assert loads(both, LEFT, "calf") == loads(both, RIGHT, "calf") and loads(both, LEFT, "calf")[0] > 0


def test_a_session_keeps_the_dose_that_stood_on_its_day():
    """A later, lighter prescription does not rewrite what was borne before."""
    heavy, light = item(20), item(2, sets=1)
    assert loads([heavy, light, done(10)], LEFT) == loads([heavy, done(10)], LEFT)
    assert loads([heavy, light, done(2)], LEFT) == loads([light, done(2)], LEFT), "from its own day on"
    assert loads([heavy, light, done(1)], LEFT)[0] == pytest.approx(loads([heavy, done(1)], LEFT)[0] / 3)


def test_the_target_is_the_top_of_a_line_in_phase_load_in_its_whole_range_passed_by_both_legs():
    top, easy = KNOWLEDGE.rung("sd-5-unstable"), KNOWLEDGE.rung("sd-2-sit-back")
    log = [
        LoggedSet(TODAY - timedelta(days=n), side, pain=0, morning=NextDayResponse.SETTLED)
        for n in (1, 3, 5)
        for side in LEGS
    ]
    now = PlanContext(TODAY, Triage.NONE)

    def passed(rung=top, log=log, line=("a", "b"), **more):
        return target_passed(rung, ExerciseState("b", line, TODAY - timedelta(days=20), **more), log, now, RULES)

    assert passed() and not passed(rung=easy) and not passed(line=("b", "c")) and not passed(within="knee bent to 70°")
    assert not passed(log=[one for one in log if one.side is LEFT]) and not passed(log=[])
