"""Files of a programme under hands: the calendar, the plan, the log that comes back from home."""

from __future__ import annotations

import json
from datetime import timedelta

import hands
import icalendar

from tuning.core.entries import Done, PlanItem
from tuning.core.preferences import WATCHED_FOLDER
from tuning.core.programme.plan_facts import deload_week
from tuning.core.types import Side
from tuning.exchange.json.home_log import owner_mark
from tuning.exchange.json.log_code import write_code
from tuning.exchange.json.plan_log import exercises, read_plan
from tuning.ui.incoming_files import take_files


def test_the_calendar_is_read_back_by_the_library(page, course, tmp_path):
    assert page.save_calendar(tmp_path / "week.ics")
    found = icalendar.Calendar.from_ical((tmp_path / "week.ics").read_bytes())
    events = [e for e in found.walk("VEVENT") if "RRULE" in e]
    week = course.week()
    days = {d for chosen in week.days.values() for d in chosen}
    assert {e["DTSTART"].dt.weekday() for e in events} == days
    for day in days:
        runs = [e for e in events if e["DTSTART"].dt.weekday() == day]
        assert sum(e["RRULE"]["COUNT"][0] for e in runs) == 4
        said = {e["DTSTART"].dt + timedelta(weeks=n): e for e in runs for n in range(e["RRULE"]["COUNT"][0])}
        light = {str(e["DESCRIPTION"]) for at, e in said.items() if deload_week(course.status.entries, at.date())}
        usual = {str(e["DESCRIPTION"]) for at, e in said.items() if not deload_week(course.status.entries, at.date())}
        assert len(said) == 4, "every week once"
        assert light.isdisjoint(usual) and len(light) <= 1 and len(usual) == 1
    for event in events:
        assert len(event.walk("VALARM")) == 1
        names = {i.name for i in week.session(event["DTSTART"].dt.weekday(), course.items())}
        assert all(name in str(event["DESCRIPTION"]) for name in names)
    assert len({str(e["UID"]) for e in found.walk("VEVENT")}) == len(found.walk("VEVENT")) == len(events) + 3
    assert "Okonjo" not in (tmp_path / "week.ics").read_text()


def test_what_rests_is_not_in_the_calendar(page, course, tmp_path, monkeypatch):
    first, *others = page._workspace.plan()
    monkeypatch.setattr(type(course.status), "resting", lambda _, item: "stop: pain" if item.rung == first.rung else "")
    assert page.save_calendar(tmp_path / "week.ics")
    text = " ".join(
        str(e["DESCRIPTION"]) for e in icalendar.Calendar.from_ical((tmp_path / "week.ics").read_bytes()).walk("VEVENT")
        if "DESCRIPTION" in e
    )  # fmt: skip
    named = page._workspace.knowledge.rung
    assert named(first.rung).name not in text and named(others[0].rung).name in text


def test_the_plan_file_is_what_the_command_reads(page, course, tmp_path):
    assert page.save_plan(tmp_path / "plan.json")
    told = read_plan(tmp_path / "plan.json")
    from tuning.core.programme.progression_rules import decide

    rules = page._workspace.knowledge.progression
    alone = {one.rung: decide(one, sets, around, rules).row for one, sets, around in exercises(told)}
    assert alone == {item.rung: course.decision(item).row for item in page._workspace.plan()}


def home_log(page, path, *lines):
    owner = owner_mark(page._workspace.patient.uid)
    path.write_text(json.dumps({"version": 2, "kind": "home-log", "owner": owner, "log": list(lines)}))
    return path


def test_a_home_log_is_taken_in_once(page, course, tmp_path):
    day = (course.today - timedelta(days=1)).isoformat()
    line = {"day": day, "side": "left", "rung": "sd-1-hold-taps", "pain": 3, "morning": "settled"}
    said: list[str] = []
    page.log.message.connect(said.append)
    page.log.read_log(home_log(page, tmp_path / "log.json", line))
    page.log.read_log(home_log(page, tmp_path / "log.json", line))
    page.log.read_log(home_log(page, tmp_path / "log.json", {**line, "pain": 4}))
    assert [s.split(" from")[0] for s in said] == [
        "1 line added, 0 changed",
        "0 lines added, 0 changed",
        "0 lines added, 1 changed",
    ]
    [one] = [d for d in course.done(hands.planned(page)["sd-1-hold-taps"]) if d.day.isoformat() == day]
    assert one.pain == 4


def test_a_home_log_with_one_bad_line_changes_nothing(page, course, tmp_path):
    good = {"day": "2026-01-01", "side": "left", "rung": "sd-1-hold-taps", "pain": 1}
    wrong = ({"rung": "no-such"}, {"pain": 11}, {"day": "2999-01-01"}, {"side": "up"}, {"supervised": True}, {"day": 5},
             {"pain": True})  # fmt: skip
    told: list[str] = []
    page.log.refused.connect(told.append)
    before = len(page._workspace.case.entries)
    for line in (*({**good, **one} for one in wrong), "words", None):
        told.clear()
        page.log.read_log(home_log(page, tmp_path / "log.json", good, line))
        assert len(page._workspace.case.entries) == before and "line 2" in told[0], line


def test_the_log_of_somebody_else_is_not_taken_in(window, patient, page, tmp_path):
    """Two people may have the same exercises; the file that comes back says whose it is."""
    item, line = hands.planned(page)["sd-1-hold-taps"], {"day": "2026-11-01", "side": "left", "rung": "sd-1-hold-taps",
                                                         "pain": 1}  # fmt: skip
    theirs = home_log(page, tmp_path / "log.json", line)
    patient("potter", "programme")
    hands.settle()
    with page._workspace.action("plan") as act:
        act.add(PlanItem(item.ladder, item.rung, item.dose, item.first_side, reason="asked for"))
    told: list[str] = []
    page.log.refused.connect(told.append)
    page.log.read_log(theirs)
    assert told and "somebody else" in told[0] and not page._workspace.case.all(Done)
    page.log.read_log(home_log(page, tmp_path / "own.json", line))
    assert [d.day.isoformat() for d in page._workspace.case.all(Done)] == ["2026-11-01"]


def test_lines_of_an_exercise_that_left_the_plan_are_still_read(page, course, tmp_path):
    page.state.withdraw(hands.planned(page)["am-1-glide"])
    line = {"day": "2026-11-01", "side": "left", "rung": "am-1-glide", "pain": 1}
    page.log.read_log(home_log(page, tmp_path / "log.json", line))
    assert any(d.rung == line["rung"] and d.day.isoformat() == line["day"] for d in page._workspace.case.all(Done))


def test_one_week_in_five_has_fewer_sets(page, course):
    status, today = course.status, course.status.today
    item = next(i for i in page._workspace.plan() if status.dose_on(i, today).sets > 1)
    sets = [status.dose_on(item, today + timedelta(weeks=n)).sets for n in range(5, 10)]
    assert sorted(sets)[0] < sorted(sets)[1] == sorted(sets)[4]


def test_a_home_log_comes_in_by_drop_by_watched_folder_and_by_code(qtbot, window, patient, page, course, tmp_path):
    rung, day = "sd-1-hold-taps", course.today - timedelta(days=1)
    line = {"day": day.isoformat(), "side": "left", "rung": rung, "pain": 3, "morning": "settled"}

    def pain():
        return {d.side: d.pain for d in course.done(hands.planned(page)[rung]) if d.day == day}

    inbox = tmp_path / "phone"
    inbox.mkdir()
    window.workspace.set_preferences({WATCHED_FOLDER: str(inbox)}, "test")
    window.go("intake")
    home_log(page, inbox / "home-log (1).json", line)
    (inbox / "other.json").write_text("{}")
    window.tray.refresh()
    window.tray.refresh()
    assert [path.name for path in window.tray.paths] == ["home-log (1).json"]
    window.tray.take_all()
    assert window.stage == "programme" and pain() == {Side.LEFT: 3} and not window.tray.paths
    foreign = home_log(page, inbox / "home-log-a.json", line)
    foreign.write_text(foreign.read_text().replace(owner_mark(window.workspace.patient.uid), owner_mark("other")))
    home_log(page, inbox / "home-log-b.json", {**line, "pain": 2})
    window.tray.refresh()
    window.tray.refresh()
    window.tray.take_all()
    assert pain() == {Side.LEFT: 2} and window.tray.paths == [foreign], "what was not taken waits, and nothing else"
    take_files([home_log(page, tmp_path / "mail.json", {**line, "pain": 4})], window.workspace, window)
    assert pain() == {Side.LEFT: 4}
    said: list[str] = []
    page.log.refused.connect(said.append)
    code = write_code([Done(rung, Side.RIGHT, day, pain=5)], owner_mark(window.workspace.patient.uid))
    assert not page.log.read_code(code[:-1]) and "Group 2" in said[0]
    assert page.log.read_code(code) and pain() == {Side.LEFT: 4, Side.RIGHT: 5}
