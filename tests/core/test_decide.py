"""Up, hold or back: every row of the table reached, and the laws that no log may break."""

from __future__ import annotations

import json
from dataclasses import fields, replace
from datetime import date, timedelta
from pathlib import Path

import chance
import jsonschema
import pytest
from click.testing import CliRunner
from hypothesis import given, settings
from hypothesis import strategies as st

from tuning.cli import main
from tuning.core.entries import NextDayResponse
from tuning.core.programme.progression_rules import decide
from tuning.core.programme.progression_state import ExerciseState, LoggedSet, PlanContext
from tuning.core.programme.progression_state import ProgressionMove as Move
from tuning.core.programme.rules import PainPolicy
from tuning.core.types import LEGS, Side, Triage
from tuning.exchange.json.plan_log import PlanFile
from tuning.knowledge import load

TODAY = date(2026, 11, 28)
LEFT, RIGHT = LEGS
RULES = load().progression
LINE = ("sd-1", "sd-2", "sd-3", "sd-4")
MIDDLE = ExerciseState("sd-2", LINE, TODAY - timedelta(days=16), ladder="stepdown", loaded=True, per_week=2)
FREE = PlanContext(TODAY, Triage.NONE)


def session(days_ago: int, sides=LEGS, **more) -> list[LoggedSet]:
    usual = {"morning": NextDayResponse.SETTLED, "pain": 1}
    return [LoggedSet(TODAY - timedelta(days=days_ago), side, **{**usual, **more}) for side in sides]


def log(*sessions) -> list[LoggedSet]:
    return [one for sets in sessions for one in sets]


GOOD = log(*(session(d) for d in (14, 11, 8, 5, 2)))
"""Five clean sessions on both sides over two weeks: ready."""


def then(**last) -> list[LoggedSet]:
    """A good log whose last session is another."""
    return log(GOOD[:-2], session(1, **last))


OLD = replace(MIDDLE, since=TODAY - timedelta(days=25))
MONITORED = replace(FREE, school=PainPolicy.MONITORED)
ELSEWHERE = LoggedSet(TODAY - timedelta(days=5), RIGHT, "kt-1", pain=1, numb=True)


def answered(*sets: LoggedSet) -> list[LoggedSet]:
    """The same, with a safety screen saved after them."""
    return [replace(one, answered=True) for one in sets]


TABLE = [
    (1, Move.ASK, MIDDLE, GOOD, PlanContext(TODAY)),
    (1, Move.REFER, MIDDLE, GOOD, PlanContext(TODAY, Triage.RED)),
    (1, Move.REFER, MIDDLE, GOOD, PlanContext(TODAY, Triage.RED, overruled=True)),
    (2, Move.STOP, MIDDLE, then(pain=6), FREE),
    (2, Move.STOP, MIDDLE, then(swelling=True), FREE),
    (2, Move.STOP, MIDDLE, log(session(12, giving_way=True), GOOD[2:]), FREE),
    (2, Move.STOP, MIDDLE, log(GOOD[:-2], answered(*session(1, catch=True))), FREE),
    (2, Move.STOP, replace(MIDDLE, rung="sd-1"), log(session(1, catch=True)), FREE),
    (2, Move.OUT, replace(MIDDLE, rung="sd-1", stops=1), log(session(1, catch=True)), FREE),
    (2, Move.STOP, replace(MIDDLE, rung="sd-1", stopped=TODAY), [LoggedSet(TODAY, LEFT, "sd-2", pain=7)], FREE),
    (2, Move.REFER, MIDDLE, log(GOOD[:-2], session(9, giving_way=True), session(1, catch=True)), FREE),
    (2, Move.REFER, MIDDLE, log(answered(*session(14, swelling=True)), GOOD[2:-2], session(1, catch=True)), FREE),
    (3, Move.REFER, MIDDLE, then(dizzy=True), FREE),
    (3, Move.REFER, MIDDLE, log(session(12, numb=True), GOOD[2:]), FREE),
    (3, Move.REFER, MIDDLE, GOOD, replace(FREE, elsewhere=(ELSEWHERE,))),
    (3, Move.REFER, MIDDLE, GOOD, PlanContext(TODAY, Triage.AMBER)),
    (3, Move.HOLD, MIDDLE, GOOD, PlanContext(TODAY, Triage.AMBER, prompt=False)),
    (4, Move.BACK, MIDDLE, then(morning=NextDayResponse.NOT), FREE),
    (4, Move.HOLD, replace(MIDDLE, rung="sd-1"), then(morning=NextDayResponse.NOT), FREE),
    (5, Move.BACK, MIDDLE, log(*(session(d, morning_pain=p) for d, p in ((16, 0), (9, 1), (2, 2)))), FREE),
    (6, Move.BACK, MIDDLE, log(GOOD[:-4], session(4, wrong=True), session(1, wrong=True)), FREE),
    (6, Move.SECOND, replace(MIDDLE, rung="sd-1"), log(session(4, wrong=True), session(1, wrong=True)), FREE),
    (7, Move.BACK, MIDDLE, then(faulty=31), FREE),
    (8, Move.HOLD, MIDDLE, log(session(14), session(10)), FREE),
    (8, Move.BACK, replace(MIDDLE, since=TODAY - timedelta(days=40)), log(session(20)), FREE),
    (8, Move.REPLACE, replace(MIDDLE, since=TODAY - timedelta(days=60)), log(session(30)), FREE),
    (9, Move.HOLD, MIDDLE, then(pain=3), FREE),
    (9, Move.HOLD, MIDDLE, then(pain=3, after_cut=2), FREE),
    (9, Move.BACK, MIDDLE, then(pain=4, after_cut=3), FREE),
    (10, Move.HOLD, replace(MIDDLE, since=TODAY, backed=TODAY - timedelta(days=2)), session(0), FREE),
    (11, Move.HOLD, replace(MIDDLE, per_week=5), log(session(13), session(2)), FREE),
    (12, Move.HOLD, MIDDLE, log(session(17), GOOD[:-2], session(1, morning=NextDayResponse.UNKNOWN)), FREE),
    (12, Move.HOLD, replace(MIDDLE, locked="the surgeon allows 60 degrees"), GOOD, FREE),
    (12, Move.HOLD, replace(MIDDLE, transition=True), GOOD, FREE),
    (12, Move.HOLD, MIDDLE, GOOD, replace(FREE, deload=True)),
    (12, Move.HOLD, MIDDLE, GOOD, replace(FREE, elsewhere=(replace(ELSEWHERE, answered=True),))),
    (12, Move.HOLD, replace(MIDDLE, rung="sd-4"), GOOD, FREE),
    (13, Move.CLIMB, replace(MIDDLE, held="sd-3", since=TODAY - timedelta(days=6)), log(session(5), session(2)), FREE),
    (14, Move.CLIMB, MIDDLE, GOOD, FREE),
    (14, Move.CLIMB, replace(MIDDLE, transition=True, tried=True), GOOD, FREE),
    (14, Move.CLIMB, replace(MIDDLE, since=TODAY - timedelta(days=6), within="10 degrees more"),
     log(session(5), session(2)), FREE),
    (20, Move.HOLD, replace(MIDDLE, since=TODAY - timedelta(days=6), within="2 kg", loads=True),
     log(session(5), session(2)), FREE),
    (15, Move.CHANGE, OLD, log(*(session(d) for d in (13, 10, 7)), session(2, faulty=20)), FREE),
    (15, Move.RETEST, replace(OLD, changed=TODAY - timedelta(days=15)), log(*(session(d) for d in (12, 9, 6)),
                                                                            session(2, faulty=20)), FREE),
    (17, Move.HOLD, replace(OLD, changed=TODAY - timedelta(days=20), retested=TODAY - timedelta(days=3)),
     log(*(session(d) for d in (12, 9, 6)), session(2, faulty=20)), FREE),
    (16, Move.HOLD, MIDDLE, then(pain=4), MONITORED),
    (16, Move.HOLD, MIDDLE, then(pain=5), MONITORED),
    (14, Move.CLIMB, MIDDLE, then(pain=2, faulty=10), FREE),
    (14, Move.CLIMB, MIDDLE, then(pain=3), MONITORED),
    (17, Move.HOLD, MIDDLE, then(faulty=30), FREE),
    (17, Move.HOLD, MIDDLE, then(faulty=18), FREE),
    (18, Move.HOLD, MIDDLE, log(GOOD[:-2], session(2, sides=(LEFT,)), session(2, sides=(RIGHT,), felt=False)), FREE),
    (19, Move.HOLD, replace(MIDDLE, ladder="shift", sessions=9), then(felt=False), FREE),
    (19, Move.SECOND, replace(MIDDLE, ladder="shift"), log(*(session(d, felt=False) for d in (7, 4, 1))), FREE),
    (20, Move.HOLD, replace(MIDDLE, sessions=9), GOOD, FREE),
    (20, Move.HOLD, MIDDLE, then(painkiller=True), FREE),
    (20, Move.HOLD, MIDDLE, then(pain=None), FREE),
]  # fmt: skip


def said(exercise, sets, standing=FREE):
    return decide(exercise, sets, standing, RULES)


@pytest.mark.parametrize(("row", "move", "exercise", "sets", "standing"), TABLE)
def test_every_row_is_reached_and_says_why_and_what_reverses_it(row, move, exercise, sets, standing):
    found = said(exercise, sets, standing)
    assert (found.row, found.move) == (row, move), found
    assert found.reason and found.reverses and found.to in LINE
    assert (found.override == "nobody") == (row == 1)


def test_the_table_above_reaches_all_twenty_rows():
    assert {row for row, *_ in TABLE} == set(range(1, 21))


def test_an_alarm_counts_until_a_screen_and_rest_answer_it_and_showing_the_stop_answers_nothing():
    alarm = session(9, sides=(LEFT,), giving_way=True)
    later = log(*(session(d) for d in (6, 3)))
    assert said(MIDDLE, log(alarm, later)).move is Move.STOP, "six clean days later it still stands"
    assert said(replace(MIDDLE, stopped=TODAY), log(alarm, later)).move is Move.STOP, "a saved stop answers nothing"
    assert said(MIDDLE, log(answered(*alarm), later)).move is Move.HOLD
    close = log(answered(*session(2, giving_way=True)), session(1), session(0))
    assert said(MIDDLE, close).move is Move.STOP, "a screen without 48 hours of rest answers half of it"
    assert said(MIDDLE, log(answered(*session(2, giving_way=True)))).row == 10, "rested, it settles"


def test_nothing_climbs_within_a_week_of_an_alarm_and_the_count_begins_anew_after_it():
    ready = replace(MIDDLE, since=TODAY - timedelta(days=40), per_week=2)
    for ago in range(3, 20):
        sets = log(answered(*session(ago, pain=7)), *(session(d) for d in range(ago - 2, 0, -2)))
        found, sessions = said(ready, sets), len(range(ago - 2, 0, -2))
        assert (found.move is Move.CLIMB) == (ago >= 8 and sessions >= 3), (ago, found)


def test_the_most_careful_row_wins_and_the_others_stand_beside_it():
    found = said(MIDDLE, then(faulty=40, morning=NextDayResponse.NOT, numb=True))
    assert (found.row, found.move) == (3, Move.REFER)
    assert [words.split(",")[0] for words in found.also if words.startswith("row")] == ["row 4", "row 7", "row 10"]


def test_placing_anew_never_ends_above_one_rung_down():
    lost = replace(MIDDLE, since=TODAY - timedelta(days=60))
    assert said(lost, log(session(30))).to == "sd-1"


SETS = st.builds(
    lambda ago, side, rung, pain, morning, sore, faulty, after, flags: LoggedSet(
        TODAY - timedelta(days=ago),
        side,
        rung,
        pain,
        morning,
        sore,
        faulty,
        *flags[:9],
        after_cut=after,
        answered=flags[9],
    ),
    st.integers(0, 40),
    st.sampled_from(LEGS),
    st.sampled_from(["", "sd-1", "sd-3"]),
    st.one_of(st.none(), st.integers(0, 10)),
    st.sampled_from(NextDayResponse),
    st.one_of(st.none(), st.integers(0, 10)),
    st.floats(0, 60),
    st.one_of(st.none(), st.integers(0, 10)),
    st.lists(st.booleans(), min_size=10, max_size=10),
)
QUIET = st.builds(
    lambda ago, side, pain, faulty: LoggedSet(
        TODAY - timedelta(days=ago), side, "", pain, NextDayResponse.SETTLED, None, faulty
    ),
    st.integers(0, 24),
    st.sampled_from(LEGS),
    st.integers(0, 3),
    st.sampled_from([0.0, 5.0, 15.0]),
)
LOGS = st.one_of(
    st.lists(SETS, max_size=14),
    st.builds(lambda quiet, odd: [*quiet, *odd], st.lists(QUIET, min_size=6, max_size=16), st.lists(SETS, max_size=2)),
    st.lists(QUIET, max_size=2).map(lambda quiet: [*GOOD, *quiet]),
)
DAYS = st.one_of(st.none(), st.integers(0, 40).map(lambda d: TODAY - timedelta(days=d)))
EXERCISES = st.builds(
    lambda rung, days, locked, transition, tried, held, ladder, within, dates: ExerciseState(
        rung, LINE, TODAY - timedelta(days=days), ladder=ladder, loaded=True, locked=locked, transition=transition,
        tried=tried, held=held, within=within, stopped=dates[0], backed=dates[1], changed=dates[2], retested=dates[3],
    ),
    st.sampled_from(LINE), st.integers(0, 40), st.sampled_from(["", "surgeon"]), st.booleans(), st.booleans(),
    st.sampled_from(["", *LINE]), st.sampled_from(["stepdown", "shift"]), st.sampled_from(["", "more range"]),
    st.tuples(*[DAYS] * 4),
)  # fmt: skip
STANDINGS = st.builds(
    PlanContext, st.just(TODAY), st.sampled_from([None, *Triage, Triage.NONE, Triage.NONE]), *[st.booleans()] * 2,
    st.sampled_from(PainPolicy), *[st.booleans()] * 3,
)  # fmt: skip
LONG = settings(max_examples=20_000 if chance.FRESH else 150, deadline=None)
"""The long run (`TUNING_FRESH=1`) draws 20 000 logs for each of the laws."""


@LONG
@given(EXERCISES, LOGS, STANDINGS)
def test_no_log_climbs_past_a_limit_a_gate_or_the_pain_rule(exercise, sets, standing):
    found = said(exercise, sets, standing)
    assert abs(LINE.index(found.to) - exercise.place) <= 1, "one rung at a time"
    if found.move is Move.CLIMB:
        own = [s for s in sets if s.rung in ("", exercise.rung) and s.day >= exercise.since]
        last = [s for s in own if s.day == max(s.day for s in own)]
        assert max(s.pain for s in last) <= RULES.pain.climb[standing.pain_school]
        assert not exercise.locked and standing.triage is not None and not standing.deload
        assert standing.triage is not Triage.RED or standing.cleared
        assert not exercise.transition or exercise.tried or exercise.within
        assert all(s.morning is NextDayResponse.SETTLED and not (s.painkiller or s.alarms(RULES)) for s in last)
        assert {s.side for s in own} == set(LEGS), "both sides"
        assert not [s for s in sets if s.alarms(RULES) and (TODAY - s.day).days <= 7], "a week without an alarm"
        assert not [s for s in sets if s.alarms(RULES) and not s.answered], "none unanswered"
    if found.move is Move.STOP and exercise.below and not exercise.stopped:
        assert found.to == exercise.below
    assert said(exercise, sets[::-1], standing) == found, "from the log alone, in any order"


@LONG
@given(EXERCISES, LOGS, STANDINGS, st.data())
def test_more_pain_faults_or_alarms_never_make_it_more_daring(exercise, sets, standing, data):
    """A trend of mornings is let out: a higher one of two weeks ago makes today's less of a rise."""
    sets = [replace(one, morning_pain=None) for one in sets]
    before = said(exercise, sets, standing)
    worse = []
    for one in sets:
        more = data.draw(st.integers(0, 4), label="pain")
        worse.append(
            replace(
                one,
                pain=None if one.pain is None else min(10, one.pain + more),
                faulty=one.faulty + data.draw(st.sampled_from([0.0, 12.0, 40.0]), label="faults"),
                swelling=one.swelling or data.draw(st.booleans() if more == 4 else st.just(False), label="swelling"),
                morning=NextDayResponse.NOT if data.draw(st.integers(0, 9), label="morning") == 9 else one.morning,
            )
        )
    after = said(exercise, worse, standing)
    assert after.move.care <= before.move.care, (before, after)


FORGET = {"pain": None, "morning": NextDayResponse.UNKNOWN, "answered": False}


@LONG
@given(EXERCISES, LOGS, STANDINGS, st.data())
def test_what_is_not_known_never_climbs_and_closes_no_alarm(exercise, sets, standing, data):
    before = said(exercise, sets, standing)
    less = []
    for one in sets:
        gone = data.draw(st.sets(st.sampled_from(sorted(FORGET)), max_size=2), label="forgotten")
        if one.pain is not None and one.pain > RULES.pain.stop:
            gone -= {"pain"}  # what is an alarm is one: its number is not taken away
        less.append(replace(one, **{key: FORGET[key] for key in gone}))
    after = said(exercise, less, data.draw(st.sampled_from([standing, replace(standing, triage=None)]), label="screen"))
    assert after.move is not Move.CLIMB or before.move is Move.CLIMB, (before, after)
    if before.row == 2 and before.move is not Move.REFER:
        assert after.move.care <= before.move.care, "an alarm stays one"


@settings(max_examples=200, deadline=None)
@given(EXERCISES, LOGS, STANDINGS)
def test_the_legs_exchanged_give_the_same_decision(exercise, sets, standing):
    turned = [replace(s, side=s.side.other) for s in sets]
    one, other = said(exercise, sets, standing), said(exercise, turned, standing)
    assert (one.row, one.move, one.to) == (other.row, other.move, other.to)
    if one.row == 18:
        assert one.reason != other.reason, "the side is named"


def test_bone_stress_is_strict_whatever_the_school():
    sets = then(pain=4)
    assert said(MIDDLE, sets, MONITORED).row == 16
    assert said(MIDDLE, sets, replace(MONITORED, bone_stress=True)).row == 9


def test_what_lies_ahead_or_before_the_rung_is_no_session():
    ahead = [replace(s, day=TODAY + timedelta(days=1), pain=9) for s in session(1)]
    before = [replace(s, day=MIDDLE.since - timedelta(days=1), faulty=60.0) for s in session(1)]
    assert said(MIDDLE, log(GOOD, ahead, before)) == said(MIDDLE, GOOD)


PLAN = {
    "version": 1, "today": "2026-11-28", "screen": "NONE", "school": "strict",
    "plan": [{"rung": "sd-2", "line": list(LINE), "since": "2026-11-12", "ladder": "stepdown", "per_week": 2}],
    "log": [{"day": str(s.day), "side": s.side.value, "rung": "sd-2", "pain": 1, "morning": "settled"} for s in GOOD],
}  # fmt: skip


def run(tmp_path, data):
    path = tmp_path / "log.json"
    path.write_text(data if isinstance(data, str) else json.dumps(data))
    return CliRunner().invoke(main, ["plan", str(path), "--json"])


def test_the_command_line_decides_from_a_file(tmp_path):
    found = run(tmp_path, PLAN)
    (one,) = json.loads(found.output)["decisions"]
    assert found.exit_code == 0 and (one["row"], one["move"], one["to"]) == (14, "climb", "sd-3")


STEPS = ("sd-1-hold-taps", "sd-2-sit-back", "sd-3-knee-forward")
REAL = {
    **PLAN,
    "plan": [{**PLAN["plan"][0], "rung": STEPS[1], "line": list(STEPS)}],
    "log": [{**line, "rung": STEPS[1]} for line in PLAN["log"]],
}


@pytest.mark.parametrize(
    ("change", "row", "words"),
    [
        ({}, 14, ""),
        ({"kit": ["step of 10 cm"], "phase": "load"}, 14, ""),
        ({"kit": ["mat"]}, 12, "not at hand: step of 10 cm"),
        ({"phase": "settle"}, 12, "opens in phase restore"),
    ],
)
def test_phase_and_kit_of_the_file_keep_the_next_rung_locked(tmp_path, change, row, words):
    found = run(tmp_path, {**REAL, **change, "person": "Österberg’s knee"})
    told = json.loads(found.output)
    (one,) = told["decisions"]
    assert one["row"] == row and words in one["reason"] and told["person"] == "Österberg’s knee"


def test_the_published_schema_knows_every_field_and_takes_the_file():
    schema = json.loads((Path(__file__).parents[2] / "docs" / "log.schema.json").read_text())
    jsonschema.validate(PLAN, schema)
    plan, log = (schema["properties"][name]["items"]["properties"] for name in ("plan", "log"))
    assert set(plan) == {f.name for f in fields(ExerciseState)} and set(log) == {f.name for f in fields(LoggedSet)}
    assert set(schema["properties"]) == {f.name for f in fields(PlanFile)}


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"plan": [{**PLAN["plan"][0], "rung": "sd-9"}]}, "not in its own line"),
        ({"plan": [{**PLAN["plan"][0], "since": "2027-01-01"}]}, "after today"),
        ({"plan": [{**PLAN["plan"][0], "colour": "red"}]}, "colour"),
        ({"log": [{"day": "2026-11-27", "side": "left", "rung": "kt-1"}]}, "no line of the plan"),
        ({"log": [{"day": "2026-11-27", "side": "left", "rung": "sd-2", "pain": 11}]}, "beyond 0-10"),
        ({"log": [{"day": "2026-12-27", "side": "left", "rung": "sd-2"}]}, "a day ahead"),
        ({"log": [{"day": "27.11.2026", "side": "left", "rung": "sd-2"}]}, "invalid"),
        ({"log": [{"day": "2026-11-27", "side": "middle", "rung": "sd-2"}]}, "side"),
        ({"school": "kind"}, "school"),
        ({"phase": "later"}, "phase"),
        ({"kit": ["trampoline"]}, "no kit"),
        ({"version": 7}, "version 7"),
    ],
)
def test_a_plan_that_cannot_be_is_refused_by_place(tmp_path, change, words):
    found = run(tmp_path, {**PLAN, **change})
    assert found.exit_code == 2 and words in found.output and "Traceback" not in found.output


@pytest.mark.parametrize("text", ["", "[]", "null", "{", '{"today": 3}', '{"plan": {}}'])
def test_what_is_no_plan_is_a_sentence(tmp_path, text):
    found = run(tmp_path, text)
    assert found.exit_code == 2 and "log.json" in found.output


def test_exercises_of_both_legs_at_once_need_no_side():
    both = replace(MIDDLE, sides=(Side.NONE,))
    assert said(both, [replace(s, side=Side.NONE) for s in GOOD if s.side is LEFT]).row == 14
