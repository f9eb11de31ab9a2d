"""Up, hold or back: every row of the table reached, and the laws that no log may break."""

from __future__ import annotations

import json
from dataclasses import fields, replace
from datetime import date, timedelta
from pathlib import Path

import jsonschema
import pytest
from click.testing import CliRunner
from hypothesis import given, settings
from hypothesis import strategies as st

from tuning.cli import main
from tuning.core.programme.decide import (
    CLIMB_PAIN,
    MOST_PAIN,
    Exercise,
    Morning,
    Move,
    School,
    Set,
    Standing,
    decide,
)
from tuning.core.types import LEGS, Side, Triage
from tuning.exchange.json.plans import PlanFile

TODAY = date(2026, 11, 28)
LEFT, RIGHT = LEGS
LINE = ("sd-1", "sd-2", "sd-3", "sd-4")
MIDDLE = Exercise("sd-2", LINE, TODAY - timedelta(days=16), ladder="stepdown", loaded=True, per_week=2)
FREE = Standing(TODAY, Triage.NONE)


def session(days_ago: int, sides=LEGS, **more) -> list[Set]:
    usual = {"morning": Morning.SETTLED, "pain": 1}
    return [Set(TODAY - timedelta(days=days_ago), side, **{**usual, **more}) for side in sides]


def log(*sessions) -> list[Set]:
    return [one for sets in sessions for one in sets]


GOOD = log(*(session(d) for d in (14, 11, 8, 5, 2)))
"""Five clean sessions on both sides over two weeks: ready."""


def then(**last) -> list[Set]:
    """A good log whose last session is another."""
    return log(GOOD[:-2], session(1, **last))


OLD = replace(MIDDLE, since=TODAY - timedelta(days=25))
FEW = log(*(session(d) for d in (9, 6)), session(3, faulty=5), session(1, faulty=15))
TABLE = [
    (1, Move.ASK, MIDDLE, GOOD, Standing(TODAY)),
    (1, Move.REFER, MIDDLE, GOOD, Standing(TODAY, Triage.RED)),
    (1, Move.REFER, MIDDLE, GOOD, Standing(TODAY, Triage.RED, overruled=True)),
    (2, Move.STOP, MIDDLE, then(pain=6), FREE),
    (2, Move.STOP, MIDDLE, then(swelling=True), FREE),
    (2, Move.REFER, MIDDLE, log(GOOD[:-2], session(9, giving_way=True), session(1, catch=True)), FREE),
    (3, Move.REFER, MIDDLE, then(dizzy=True), FREE),
    (3, Move.REFER, MIDDLE, GOOD, Standing(TODAY, Triage.AMBER)),
    (4, Move.BACK, MIDDLE, then(morning=Morning.NOT), FREE),
    (5, Move.BACK, MIDDLE, log(*(session(d, morning_pain=p) for d, p in ((16, 0), (9, 1), (2, 2)))), FREE),
    (6, Move.HOLD, MIDDLE, then(pain=3), FREE),
    (6, Move.BACK, MIDDLE, log(GOOD[:-4], session(4, pain=3), session(1, pain=4)), FREE),
    (7, Move.BACK, MIDDLE, log(GOOD[:-4], session(4, wrong=True), session(1, wrong=True)), FREE),
    (7, Move.SECOND, replace(MIDDLE, rung="sd-1"), log(session(4, wrong=True), session(1, wrong=True)), FREE),
    (8, Move.BACK, MIDDLE, then(faulty=31), FREE),
    (9, Move.HOLD, MIDDLE, log(session(14), session(10)), FREE),
    (9, Move.BACK, replace(MIDDLE, since=TODAY - timedelta(days=40)), log(session(20)), FREE),
    (9, Move.REPLACE, replace(MIDDLE, since=TODAY - timedelta(days=60)), log(session(30)), FREE),
    (10, Move.HOLD, replace(MIDDLE, since=TODAY - timedelta(days=1)), [
        Set(TODAY - timedelta(days=2), LEFT, "sd-3", pain=7), *session(0)], FREE),
    (11, Move.HOLD, replace(MIDDLE, per_week=5), log(session(13), session(2)), FREE),
    (12, Move.HOLD, MIDDLE, then(morning=Morning.UNKNOWN), FREE),
    (12, Move.HOLD, MIDDLE, then(painkiller=True), FREE),
    (12, Move.HOLD, replace(MIDDLE, locked="the surgeon allows 60 degrees"), GOOD, FREE),
    (12, Move.HOLD, replace(MIDDLE, transition=True), GOOD, FREE),
    (12, Move.HOLD, MIDDLE, GOOD, replace(FREE, deload=True)),
    (12, Move.HOLD, replace(MIDDLE, rung="sd-4"), GOOD, FREE),
    (13, Move.CLIMB, replace(MIDDLE, held="sd-3", since=TODAY - timedelta(days=6)), log(session(5), session(2)), FREE),
    (14, Move.CLIMB, MIDDLE, GOOD, FREE),
    (14, Move.CLIMB, replace(MIDDLE, transition=True, tried=True), GOOD, FREE),
    (15, Move.CHANGE, OLD, log(*(session(d) for d in (13, 10, 7)), session(2, faulty=20)), FREE),
    (15, Move.RETEST, replace(OLD, changed=TODAY - timedelta(days=15)), log(*(session(d) for d in (12, 9, 6)),
                                                                            session(2, faulty=20)), FREE),
    (16, Move.HOLD, MIDDLE, then(pain=4), replace(FREE, school=School.MONITORED)),
    (16, Move.HOLD, MIDDLE, then(pain=5), replace(FREE, school=School.MONITORED)),
    (14, Move.CLIMB, MIDDLE, then(pain=2, faulty=10), FREE),
    (14, Move.CLIMB, MIDDLE, then(pain=3), replace(FREE, school=School.MONITORED)),
    (17, Move.HOLD, MIDDLE, then(faulty=30), FREE),
    (17, Move.HOLD, MIDDLE, then(faulty=18), FREE),
    (18, Move.HOLD, MIDDLE, log(GOOD[:-2], session(2, sides=(LEFT,)), session(2, sides=(RIGHT,), felt=False)), FREE),
    (19, Move.HOLD, replace(MIDDLE, ladder="shift", sessions=9), then(felt=False), FREE),
    (20, Move.HOLD, replace(MIDDLE, sessions=9), GOOD, FREE),
]  # fmt: skip


@pytest.mark.parametrize(("row", "move", "exercise", "sets", "standing"), TABLE)
def test_every_row_is_reached_and_says_why_and_what_reverses_it(row, move, exercise, sets, standing):
    found = decide(exercise, sets, standing)
    assert (found.row, found.move) == (row, move), found
    assert found.reason and found.reverses and found.to in LINE
    assert (found.override == "nobody") == (row == 1)


def test_the_table_above_reaches_all_twenty_rows():
    assert {row for row, *_ in TABLE} == set(range(1, 21))


SETS = st.builds(
    Set, st.integers(0, 40).map(lambda d: TODAY - timedelta(days=d)), st.sampled_from(LEGS),
    st.sampled_from(["", "sd-1", "sd-3"]), st.integers(0, 10), st.sampled_from(Morning),
    st.one_of(st.none(), st.integers(0, 10)), st.floats(0, 60), *[st.booleans()] * 9,
)  # fmt: skip
EXERCISES = st.builds(
    lambda rung, days, locked, transition, tried, held, ladder: Exercise(
        rung, LINE, TODAY - timedelta(days=days), ladder=ladder, loaded=True, locked=locked, transition=transition,
        tried=tried, held=held,
    ),
    st.sampled_from(LINE), st.integers(0, 40), st.sampled_from(["", "surgeon"]), st.booleans(), st.booleans(),
    st.sampled_from(["", *LINE]), st.sampled_from(["stepdown", "shift"]),
)  # fmt: skip
STANDINGS = st.builds(
    Standing, st.just(TODAY), st.sampled_from([None, *Triage]), *[st.booleans()] * 2, st.sampled_from(School),
    *[st.booleans()] * 2,
)  # fmt: skip


@settings(max_examples=400, deadline=None)
@given(EXERCISES, st.lists(SETS, max_size=14), STANDINGS)
def test_no_log_climbs_past_a_limit_a_gate_or_the_pain_rule(exercise, sets, standing):
    found = decide(exercise, sets, standing)
    assert abs(LINE.index(found.to) - exercise.place) <= 1, "one rung at a time"
    if found.move is Move.CLIMB:
        own = [s for s in sets if s.rung in ("", exercise.rung) and s.day >= exercise.since]
        last = [s for s in own if s.day == max(s.day for s in own)]
        assert max(s.pain for s in last) <= CLIMB_PAIN[standing.pain_school] <= MOST_PAIN[standing.pain_school] + 1
        assert not exercise.locked and standing.triage is not None and not standing.deload
        assert standing.triage is not Triage.RED or standing.cleared
        assert not exercise.transition or exercise.tried
        assert all(s.morning is Morning.SETTLED and not (s.painkiller or s.alarming or s.numb or s.dizzy) for s in last)
        assert {s.side for s in own} == set(LEGS), "both sides"
    if found.move in (Move.BACK, Move.STOP) and exercise.below:
        assert found.to == exercise.below
    assert decide(exercise, sets[::-1], standing) == found, "from the log alone, in any order"


@settings(max_examples=200, deadline=None)
@given(EXERCISES, st.lists(SETS, max_size=14), STANDINGS)
def test_the_legs_exchanged_give_the_same_decision(exercise, sets, standing):
    turned = [replace(s, side=s.side.other) for s in sets]
    one, other = decide(exercise, sets, standing), decide(exercise, turned, standing)
    assert (one.row, one.move, one.to) == (other.row, other.move, other.to)
    if one.row == 18:
        assert one.reason != other.reason, "the side is named"


def test_bone_stress_is_strict_whatever_the_school():
    sets, monitored = then(pain=4), replace(FREE, school=School.MONITORED)
    assert decide(MIDDLE, sets, monitored).row == 16
    assert decide(MIDDLE, sets, replace(monitored, bone_stress=True)).row == 6


def test_what_lies_ahead_or_before_the_rung_is_no_session():
    ahead = [replace(s, day=TODAY + timedelta(days=1), pain=9) for s in session(1)]
    before = [replace(s, day=MIDDLE.since - timedelta(days=1), faulty=60.0) for s in session(1)]
    assert decide(MIDDLE, log(GOOD, ahead, before), FREE) == decide(MIDDLE, GOOD, FREE)


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
        ({"kit": ["bottom stair"], "phase": "load"}, 14, ""),
        ({"kit": ["mat"]}, 12, "not at hand: step"),
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
    assert set(plan) == {f.name for f in fields(Exercise)} and set(log) == {f.name for f in fields(Set)}
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
    assert decide(both, [replace(s, side=Side.NONE) for s in GOOD if s.side is LEFT], FREE).row == 14
