"""Programme under hands: ladders and try-outs, the week, a session by keys, log and decisions, files."""

from __future__ import annotations

from dataclasses import replace
from datetime import date, timedelta

import hands
import pytest
from pypdf import PdfReader
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QInputDialog, QLabel, QPushButton

from tuning.core.day_list_entry import overview
from tuning.core.entries import Decision, Done, Form, OtherLoad, Screen
from tuning.core.errors import BadInput, EnvironmentFault, Refused
from tuning.core.programme.ladders import SideTrial
from tuning.core.programme.log_mapping import SUBJECT
from tuning.core.programme.phases import Phase
from tuning.core.programme.plan_status import PlanStatus
from tuning.core.programme.progression_state import ProgressionDecision, ProgressionMove
from tuning.core.programme.rules import PainPolicy
from tuning.core.types import LEGS, Role, Side, Triage
from tuning.ui.programme import phase_view
from tuning.ui.programme.plan_controller import done_of

LEFT, RIGHT = LEGS


def press(widget, *keys) -> None:
    for key in keys:
        if isinstance(key, str):
            QTest.keyClicks(widget, key)
        else:
            QTest.keyClick(widget, key)
        hands.settle()


def test_digits_change_the_view(page):
    for number, key in enumerate((Qt.Key.Key_2, Qt.Key.Key_3, Qt.Key.Key_4, Qt.Key.Key_1), start=1):
        QTest.keyClick(page, key)
        assert page.view == number % 4


def test_ladders_from_reasoning_come_first_with_their_reasons(page):
    texts = [page.choose.ladders.list.item(n).text() for n in range(page.choose.ladders.list.count())]
    assert texts[0].startswith("Hip base") and "first choice: Dynamic knee valgus, left" in texts[0]
    assert len(texts) == 18 and any(t.startswith("Ankle") and "first choice" in t for t in texts)


def test_a_try_out_is_kept_and_places_each_side(page):
    state = page.state
    state.choose(state.named("sd-2-sit-back"))
    for side, word in ((LEFT, "clean"), (RIGHT, "felt elsewhere")):
        page.choose.clean[side].setCurrentText(word)
        page.choose.clean[side].activated.emit(page.choose.clean[side].currentIndex())
    page.choose.pain[LEFT].setValue(2)
    page.choose.keep_trials()
    kept = [e for e in page._workspace.entries(Done) if e.trial]
    assert {(d.side, d.felt, d.wrong, d.pain) for d in kept} == {(LEFT, True, False, 2), (RIGHT, True, True, 0)}
    found = state.placed()
    assert found.rungs == {LEFT: "sd-2-sit-back"} and found.next_try[RIGHT] == "sd-1-hold-taps"
    assert "unwanted" not in page.choose.placed.text() and "sit-back" in page.choose.placed.text().lower()
    page._workspace.undo.undo()
    assert not [e for e in page._workspace.entries(Done) if e.trial]


def test_f5_and_f6_mirror_the_pictures(window, page):
    window.go("programme")
    page.state.choose(page.state.named("sd-1-hold-taps"))
    page.choose_side(RIGHT)
    names = page.choose.figure.accessibleName()
    page.choose_side(LEFT)
    assert names.endswith("right") and page.choose.figure.accessibleName().endswith("left")


def test_depth_is_cut_by_the_phase_and_the_dial_closes_what_it_names(page):
    state = page.state
    state.choose(state.named("kt-2-wall-level"))
    assert state.dose.depth_deg == 75, "restore stops at kneecap demand 2"
    page.choose._spins["depth_deg"].setValue(90)
    assert state.dose.depth_deg is None and any("less depth" in p for p in state.open_points())
    page.choose.dial.kneecap.setValue(1)
    hands.settle()
    assert state.course.caps() == (3, 1)
    page.choose._spins["depth_deg"].setValue(75)
    assert any("dial" in p for p in state.open_points())
    page.choose._spins["depth_deg"].setValue(50)
    assert not any("dial" in p for p in state.open_points())


# the week


def test_a_session_is_moved_by_key_unless_that_breaks_a_rule(page, course):
    page.open_view(1)
    days = course.week().days["sd-1-hold-taps"]
    grid = page.week.grid
    grid.chosen = ("sd-1-hold-taps", days[0])
    told: list[str] = []
    page.week.refused.connect(told.append)
    free = next(d for d in range(7) if d not in days and all(abs(d - o) % 7 not in (1, 6) for o in days[1:]))
    page.week.move_session("sd-1-hold-taps", days[0], (days[1] + 1) % 7)
    assert told and "48 h" in told[0] and course.week().days["sd-1-hold-taps"] == days
    if free != days[0]:
        page.week.move_session("sd-1-hold-taps", days[0], free)
        assert free in course.week().days["sd-1-hold-taps"]
        page.week.plan_anew()
    assert course.week().days["sd-1-hold-taps"] == days


def test_days_that_are_not_free_stay_empty(page, course):
    page.open_view(1)
    for n in (5, 6):
        page.week.free[n].click()
    week = course.week()
    assert not [d for days in week.days.values() for d in days if d in (5, 6)]
    page.week.minutes.setCurrentIndex(0)
    page.week.minutes.activated.emit(0)
    assert course.room().minutes == 10 and (course.week().left_out or course.week().notes or course.week().days)


# a session


def run_set(session, pain, *more) -> None:
    press(session, Qt.Key.Key_Return, pain, *more, Qt.Key.Key_Return)


def test_a_session_is_run_with_keys_alone_and_kept_by_side(page):
    page.open_view(2)
    session = page.session
    before = len(page._workspace.entries(Done))
    first = session.current
    assert (first.side, first.number) == (LEFT, 1)
    press(session, Qt.Key.Key_Space)
    assert session.running
    session.tick()
    assert session.seconds > 0
    told: list[str] = []
    session.refused.connect(told.append)
    press(session, Qt.Key.Key_Return, Qt.Key.Key_Return)
    assert told and session.asking, "no set is kept without its pain"
    press(session, "1", "+", "+", "-", "N", Qt.Key.Key_Return)
    assert session.current.side is RIGHT
    assert first.dose.rest_s - 5 < session.rest <= first.dose.rest_s, "the rest has begun to run"
    while session.current is not None and session.at < len(session.turns) - 1:
        run_set(session, "2")
    run_set(session, "2")
    kept = page._workspace.entries(Done)[before:]
    by_rung = {(d.rung, d.side): d for d in kept}
    left = by_rung["sd-1-hold-taps", LEFT]
    assert (left.sets, left.pain, left.felt, left.supervised) == (3, 2, False, True) and left.faulty > 0
    right = by_rung["sd-1-hold-taps", RIGHT]
    assert right.felt and right.faulty == 0
    assert ("hb-1-calf", Side.NONE) in by_rung


def test_pain_after_the_cut_is_kept_beside_the_pain_before_it(page):
    page.open_view(2)
    session, told = page.session, []
    session.refused.connect(told.append)
    run_set(session, "4")
    assert "take back range" in told[-1]
    run_set(session, "3", "X")  # the right leg, set 1: cut at once
    while session.current is not None and session.answers:
        run_set(session, "1")
    kept = {d.side: d for d in page._workspace.entries(Done) if d.rung == "sd-1-hold-taps" and d.supervised}
    assert (kept[LEFT].pain, kept[LEFT].after_cut) == (4, 1), "the cut of one set holds for those after it"
    assert (kept[RIGHT].pain, kept[RIGHT].after_cut) == (3, None), "nothing was done before the cut: it is the pain"
    decision = page.state.course.decision(hands.planned(page)["sd-1-hold-taps"])
    assert (decision.row, decision.move) == (9, ProgressionMove.HOLD) and "after the cut" in decision.reason


def test_an_alarm_ends_the_exercise_and_the_rest_goes_on(page):
    page.open_view(2)
    session = page.session
    told: list[str] = []
    session.refused.connect(told.append)
    first = session.current.item.uid
    run_set(session, "1", "G")
    assert told and "safety screen" in told[0]
    assert not [t for t in session.turns[session.at :] if t.item.uid == first]
    assert session.unfinished()
    while session.current is not None and session.answers:
        run_set(session, "1")
    [done] = [d for d in page._workspace.entries(Done) if d.rung == "sd-1-hold-taps" and d.supervised]
    assert done.alarms == ("giving way",) and done.sets == 1 and done.side is LEFT
    decision = page.state.course.decision(hands.planned(page)["sd-1-hold-taps"])
    assert decision.move in (ProgressionMove.STOP, ProgressionMove.REFER) and decision.row == 2


def test_a_fault_is_tapped_by_key_shows_its_cue_and_begins_the_next_session(page):
    page.open_view(2)
    session = page.session
    first = session.current
    own = [page._workspace.knowledge.faults[key] for key in first.rung.faults]
    press(session, Qt.Key.Key_Space)
    session.tick()
    press(session, "2")
    assert session.cue.text() == own[1].cue and f"2  {own[1].sign}  × 1" in session.faults.text()
    press(session, "1", "1")
    assert session.cue.text() == own[0].cue and session.answers[0].faulty == 3
    press(session, "5", "-")
    assert session.cue.text() == own[0].cue and session.answers[0].faulty == 3, "a slip is taken back by name"
    press(session, Qt.Key.Key_Return, "1", Qt.Key.Key_Return)
    assert session.answers[0].pain == 1, "once it is asked how it was, a digit is the pain"
    while session.current is not None and session.answers:
        run_set(session, "1")
    kept = [e for e in page._workspace.case.entries if isinstance(e, Done) and e.rung == first.rung.id]
    assert kept[-2].side is first.side and kept[-2].faults == (own[0].id, own[1].id) and not kept[-1].faults
    session.refresh()
    assert session.current.side is first.side and session.cue.text() == f"Begin with: {own[0].cue}"


@pytest.mark.parametrize("size", [(1280, 800), (1100, 700)])
def test_what_is_read_before_the_first_repetition_is_read_whole(window, page, monkeypatch, size):
    care = [
        "surgeon's limits, left: nothing fast, knee flexion to 90° until 24 Dec 2026",
        "numb feet: look at the floor",
    ]
    monkeypatch.setattr(PlanStatus, "cautions_of", lambda *_: care)
    window.resize(*size)
    page.open_view(2)
    session = page.session
    first = session.current
    done = done_of(first.item, first.side, session._state.course.today, faults=(first.rung.faults[0],), supervised=True)
    with page._workspace.action("log") as act:
        act.add(done)
    session.refresh()
    for running in (False, True):
        if running:
            press(session, Qt.Key.Key_Space)
            session.tick()
            session.stop()
        hands.settle()
        shown = [one for one in session.findChildren(QLabel) if one.isVisible() and one.text()]
        cut = [
            one.text() for one in shown if one.hasHeightForWidth() and one.heightForWidth(one.width()) > one.height()
        ]
        assert session.cue in shown and session.care in shown
        assert not cut


def test_two_faults_of_one_repetition_spoil_one_and_one_of_the_next_another(page):
    page.open_view(2)
    session = page.session
    while session.current.dose.reps is None:
        run_set(session, "1")
    session.rest = 0.0
    session.stop()
    press(session, Qt.Key.Key_Space)
    session.tick()
    press(session, "1", "2", "1")
    answer = session.answers[session.at]
    assert answer.faulty == 1 and len(answer.faults) == 3
    session.seconds += session.current.dose.set_s / session.current.dose.reps
    press(session, "1")
    assert answer.faulty == 2
    press(session, "-", "-", "-", "-")
    assert (answer.faulty, answer.faults) == (0, [])


def test_a_session_that_the_disk_refuses_stays_answered_and_is_saved_by_enter(page, monkeypatch):
    session, space = page.session, page._workspace
    page.open_view(2)
    before, said = len(space.case.all(Done)), []
    space.refused.connect(said.append)

    def full(*_, **__):
        raise EnvironmentFault("The disk is full. What was saved before is unchanged.")

    with monkeypatch.context() as broken:
        broken.setattr(space.record, "commit", full)
        sets = len(session.turns)
        for _ in range(sets):
            run_set(session, "3")
        assert "full" in said[-1] and len(session.answers) == sets and "not saved" in session.name.text()
        session.refresh()
        assert len(session.answers) == sets and session.unfinished()
    press(session, Qt.Key.Key_Return)
    assert len(space.case.all(Done)) > before and not session.answers and not session.unfinished()


def test_digits_are_pain_only_while_a_set_is_asked(page):
    page.open_view(2)
    press(page.session, Qt.Key.Key_Return, "4")
    assert page.view == 2 and page.session.answers[0].pain == 4
    press(page.session, Qt.Key.Key_Return, "4")
    assert page.view == 3 and page.unfinished()
    page.session.answers.clear()


# log and decisions


def test_a_climb_is_confirmed_and_undone_in_one_step(page, course):
    page.open_view(3)
    item = hands.planned(page)["sd-1-hold-taps"]
    decision = course.decision(item)
    assert (decision.move, decision.also) == (ProgressionMove.CLIMB, ("hold 30 s",))
    course.confirm(item, decision)
    now = hands.planned(page)["sd-1-hold-taps"]
    assert now.dose == {**item.dose, "hold_s": 30} and now.first_side == LEFT
    found = [d for d in page._workspace.entries(Decision) if d.subject == SUBJECT]
    assert found[-1].outcome == "climb" and found[-1].inputs["from"] == "sd-1-hold-taps"
    assert course.decision(now).move is ProgressionMove.HOLD, "a new step starts its own count"
    page._workspace.undo.undo()
    assert hands.planned(page)["sd-1-hold-taps"].dose == item.dose


def test_the_next_variant_comes_before_the_next_rung(page, course):
    item = hands.planned(page)["hb-1-calf"]
    decision = course.decision(item)
    assert decision.move is ProgressionMove.CLIMB and course.after(item, decision).words == "next variant: edge"
    course.confirm(item, decision)
    assert hands.planned(page)["hb-1-calf"].variant == "edge"
    assert course.decision(hands.planned(page)["hb-1-calf"]).row == 20, "the edge counts its own sessions"


def test_a_transition_waits_for_a_supervised_try_out(page, course):
    item = hands.planned(page)["am-1-glide"]
    held = course.decision(item)
    assert held.row == 12 and "transition" in held.reason
    day = course.today
    course.log(*(Done("am-2-lunge", side, day, trial=True, supervised=True) for side in LEGS[:1]))
    assert course.decision(item).row == 12, "one side is not enough"
    course.log(Done("am-2-lunge", RIGHT, day, trial=True, supervised=True))
    assert course.decision(item).move is ProgressionMove.CLIMB


def test_overruling_needs_a_reason_and_is_kept_with_it(page, course):
    item = hands.planned(page)["sd-1-hold-taps"]
    told: list[str] = []
    page.refused.connect(told.append)
    with page._workspace.trying():
        course.overrule(item, ProgressionMove.HOLD, "  ")
    assert "sd-1-hold-taps" in hands.planned(page) and not [
        d for d in page._workspace.entries(Decision) if d.subject == SUBJECT
    ]
    course.overrule(item, ProgressionMove.HOLD, "tired this week")
    kept = [d for d in page._workspace.entries(Decision) if d.subject == SUBJECT][-1]
    assert kept.reason == "tired this week" and "overruled row 14" in kept.inputs["why"]


def test_a_typed_line_and_its_morning_change_the_decision(page, course):
    page.open_view(3)
    log = page.log
    log.item.setCurrentIndex(0)
    log.item.activated.emit(0)
    log.side.setCurrentIndex(0)
    log.pain.setValue(1)
    log.add_typed()
    item = hands.planned(page)["sd-1-hold-taps"]
    assert course.decision(item).row == 12, "the morning after is not known"
    [done] = [d for d in page._workspace.entries(Done) if d.day == course.today]
    assert done.source == "home" and done.side is LEFT
    log._morning([done], log.morning.itemData(1))
    assert course.decision(item).row == 4


def test_the_phase_is_left_by_its_criteria_or_with_a_reason(page, course):
    assert course.phase()[0] is Phase.RESTORE and course.phase_missing()
    with page._workspace.trying():
        course.set_phase(Phase.LOAD, "")
    assert course.phase()[0] is Phase.RESTORE
    course.set_phase(Phase.LOAD, "surgeon agrees, 20 November")
    assert course.phase() == (Phase.LOAD, "surgeon agrees, 20 November")
    course.set_phase(Phase.SETTLE, "")
    assert course.phase()[0] is Phase.SETTLE, "down needs no reason"


# files


def test_other_load_stands_in_the_same_weeks_and_what_is_refused_stays(window, patient):
    patient("glassblower", "programme")
    page = window.page("programme")
    page.open_view(3)
    log = page.log
    log.what.setText("  ")
    log.add_other()
    assert "Say what it was" in window.status.message.text()
    log.what.setText("car-deck ramps")
    log.amount.setValue(90)
    log.effort.setValue(6)
    log.add_other()
    assert log.what.text() == "" and log.amount.value() == 0
    [kept] = [e for e in window.workspace.case.entries if isinstance(e, OtherLoad)]
    assert (kept.what, kept.amount, kept.unit, kept.effort) == ("car-deck ramps", 90.0, "min", 6)
    assert "car-deck ramps 90 min, effort 6/10" in log.load_words.text()
    window.workspace.undo.undo()
    assert not [e for e in window.workspace.case.entries if isinstance(e, OtherLoad)]


def test_the_load_ledger_tells_one_leg_and_other_loads_void_no_week(page, course):
    page.open_view(3)
    log = page.log
    assert log.leg.currentData() is LEFT and "left leg" in log.chart.accessibleName()
    before = log.load_words.text().split(".")[0]
    course.log_other("ramps", course.today, 60, "min", 5)
    hands.settle()
    assert log.load_words.text().split(".")[0] == before and before.startswith("Last tolerated")
    now = {side: [w.load("kneecap") for w in course.weeks(side)] for side in LEGS}
    item = hands.planned(page)["sd-1-hold-taps"]
    course.log(done_of(item, RIGHT, course.today, sets=3))
    grown = {side: [w.load("kneecap") for w in course.weeks(side)] for side in LEGS}
    assert grown[LEFT] == now[LEFT] and sum(grown[RIGHT]) > sum(now[RIGHT]), "on Mondays in a week of its own"
    log.leg.setCurrentIndex(1)
    log.leg.activated.emit(1)
    assert "right leg" in log.chart.accessibleName()


def test_a_fresh_operation_in_the_history_settles_the_plan(page, course):
    space = page._workspace
    assert course.phase()[0] is Phase.RESTORE
    told = {"joint": "knee", "side": "left", "date": f"{course.today - timedelta(days=41):%d %b %Y}"}
    with space.action("history") as act:
        act.add(Form("intake-history", {**space.form("intake-history").data, "injuries": [told]}))
    phase, why = course.phase()
    assert phase is Phase.SETTLE and "operation" in why
    space.undo.undo()
    assert course.phase()[0] is Phase.RESTORE


def test_suspected_bone_stress_asks_the_strict_school_whatever_was_chosen(page, course):
    course.set_school(PainPolicy.MONITORED)
    assert course.pain_school() is PainPolicy.MONITORED
    with page._workspace.action("screen") as act:
        act.add(Screen(Triage.AMBER, {"impact": True}, ("focal",), "pain on a hop", ""))
    assert course.pain_school() is PainPolicy.STRICT and course.school() is PainPolicy.MONITORED
    page.refresh()
    assert "pain school strict" in page.phase.text()


def test_a_discharge_says_what_is_missing_and_the_activity_score_what_it_means(window, patient):
    patient("glassblower", "programme")
    page = window.page("programme")
    page.open_view(3)
    course = page.log._course
    assert "3.0 at first, 5.0 now: better" in course.score_words()
    course.set_phase(Phase.RETURN, "asked for it")
    missing = course.ends.missing()
    assert any("gather glass" in m for m in missing) and not any("score asked" in m for m in missing)
    page.log.refresh()
    words = page.log.phase.words.text()
    assert "For a discharge" in words and "activity score" in words.lower()


def clicked(view, name: str, told: str | None, monkeypatch) -> None:
    """The first line with a button of this name; the dialog is answered with `told`, or left with Esc."""
    hands.settle()
    monkeypatch.setattr(phase_view.QInputDialog, "getText", lambda *a: (told or "", told is not None))
    next(b for b in view.findChildren(QPushButton) if b.text() == name and not b.isHidden()).click()


def test_gaps_are_accepted_with_name_and_reason_goals_closed_and_the_plan_discharged(window, patient, monkeypatch):
    patient("glassblower", "programme")
    page, space = window.page("programme"), window.workspace
    page.open_view(3)
    view, ends = page.log.phase, page.log._course.ends
    page.log._course.set_phase(Phase.RETURN, "asked for it")
    page.log.refresh()
    hands.settle()
    first, number = ends.gaps()[0], len(ends.gaps())
    assert f"all side gaps in tune or accepted ({number} open)" in ends.missing() and first.words in view_text(view)
    for told in (None, "  "):
        clicked(view, "accept…", told, monkeypatch)
        assert ends.gaps()[0].accepted is None, "left, or without a reason"
    clicked(view, "accept…", "old fracture, stays", monkeypatch)
    assert ends.gaps()[0].why_accepted.endswith(": old fracture, stays") and space.person.name in view_text(view)
    assert f"all side gaps in tune or accepted ({number - 1} open)" in ends.missing()
    clicked(view, "open again", "", monkeypatch)
    assert ends.gaps()[0].accepted is None
    space.undo.undo()
    assert ends.gaps()[0].accepted is not None
    goal = ends.goals()[0]
    clicked(view, "close…", "works at the desk now", monkeypatch)
    assert goal not in ends.goals() and goal in ends.closed_goals()
    clicked(view, "Discharge…", "", monkeypatch)
    assert ends.discharged() is None, "something is missing and no reason was given"
    clicked(view, "Discharge…", "moves away", monkeypatch)
    assert ends.discharged().reason == "moves away" and ends.discharged().inputs["missing"]
    assert "Discharged on" in view.words.text()
    [known] = [d for d in space.record.digests() if d.patient.uid == space.patient.uid]
    assert overview(known, page.log._course.today, space.knowledge.progression, space.knowledge.safety).due.startswith(
        "discharged on"
    )
    clicked(view, "Take the discharge back", "", monkeypatch)
    [known] = [d for d in space.record.digests() if d.patient.uid == space.patient.uid]
    assert ends.discharged() is None and known.ended is None


def view_text(view) -> str:
    hands.settle()
    return " ".join(part.text() for part in view.findChildren(QLabel) if not part.isHidden())


def test_only_a_licensed_clinician_accepts_a_gap_or_discharges(window, patient):
    patient("glassblower", "programme")
    space, ends = window.workspace, window.page("programme").log._course.ends
    space.person = replace(space.person, role=Role.TRAINER)
    for deed in (lambda: ends.accept(ends.gaps()[0], "fine"), lambda: ends.discharge("fine")):
        with pytest.raises(Refused, match="licensed"):
            deed()
    assert all(gap.accepted is None for gap in ends.gaps()) and ends.discharged() is None


def test_a_gap_of_one_person_is_never_accepted_for_another(window, patient):
    """The question stood open while the case changed under it."""
    patient("glassblower", "programme")
    ends = window.page("programme").log._course.ends
    theirs = ends.gaps()
    patient("potter", "programme")
    assert theirs and ends.gaps(), "both have some"
    for gap in theirs:
        with pytest.raises(Refused, match="not as it was"):
            ends.accept(gap, "stays")
    assert all(gap.accepted is None for gap in ends.gaps())


def test_restore_leads_on_to_return_where_no_goal_needs_load(page, course):
    view = page.log.phase
    course.set_phase(Phase.RESTORE, "")
    view.refresh()
    assert view.load.isChecked()
    view.load.click()
    assert not course.ends.needs_load() and not course.status.phase_facts.wants_load and not view.load.isChecked()
    with pytest.raises(BadInput):
        course.set_phase(Phase.RETURN, "")
    for gap in course.ends.gaps():
        course.ends.accept(gap, "stays")
    assert course.phase_missing() == ["the AMBER finding cleared"], "a caution holds whatever the goal is"


def test_a_deload_week_asks_two_thirds_of_the_sets_and_changes_no_plan(window, patient, monkeypatch):
    patient("glassblower", "programme")
    page = window.page("programme")
    course, plan = page.log._course, window.workspace.plan()
    page.open_view(2)
    usual = [t.number for t in page.session.turns if t.rung.id == "sd-1-hold-taps"]
    monkeypatch.setattr(PlanStatus, "deload", True)
    page.session.refresh()
    fewer = [t.number for t in page.session.turns if t.rung.id == "sd-1-hold-taps"]
    assert (max(usual), max(fewer)) == (3, 2)
    assert [i.minutes for i in course.items()][0] < 8.5 and window.workspace.plan() == plan
    page.open_view(3)
    page.log.refresh()
    assert "deload" in page.log.phase.words.text()


# who may, and under what


def as_role(window, role: Role) -> None:
    person = window.workspace.record.add_person(role.value, role.value)
    window.workspace.choose_person(person)


@pytest.mark.parametrize("role", [Role.TRAINER, Role.STUDENT])
def test_only_a_licensed_clinician_overrules_opens_a_phase_or_a_pain_school(window, page, course, role):
    item = hands.planned(page)["sd-1-hold-taps"]
    before = len(page._workspace.case.entries)
    as_role(window, role)
    for deed in (
        lambda: course.overrule(item, ProgressionMove.HOLD, "tired this week"),
        lambda: course.set_phase(Phase.RETURN, "asked for"),
        lambda: course.set_school(PainPolicy.MONITORED),
    ):
        with pytest.raises(Refused, match="licensed clinician"):
            deed()
    assert len(page._workspace.case.entries) == before
    course.set_school(PainPolicy.STRICT)
    course.confirm(item, course.decision(item))
    assert hands.planned(page)["sd-1-hold-taps"].dose["hold_s"] == 30, "what the table says anybody may confirm"


def test_nobody_climbs_within_a_week_of_an_alarm_not_even_with_a_reason(page, course):
    item = hands.planned(page)["sd-1-hold-taps"]
    course.log(done_of(item, LEFT, course.today, pain=8, source="home"))
    assert course.decision(item).row == 2 and course.status.resting(item)
    with pytest.raises(Refused, match="alarm"):
        course.overrule(item, ProgressionMove.CLIMB, "it was a bad day")
    hands_off = [t.item.rung for t in page.session._planned()]
    assert "sd-1-hold-taps" not in hands_off and "hb-1-calf" in hands_off, "it is no part of a session"
    with page._workspace.action("screen") as act:
        act.add(Screen(Triage.NONE))
    assert course.decision(item).move is ProgressionMove.STOP, "48 hours of rest are missing"
    with pytest.raises(Refused, match="alarm"):
        course.overrule(item, ProgressionMove.CLIMB, "it was a bad day")


def test_under_red_nothing_is_done_in_the_clinic_and_a_home_log_is_still_taken_in(page, course):
    item, space = hands.planned(page)["sd-1-hold-taps"], page._workspace
    with space.action("screen") as act:
        act.add(Screen(Triage.RED, {"chest": True}, ("chest",), reds=("chest",)))
    with pytest.raises(Refused):
        course.log(done_of(item, LEFT, course.today, pain=1, supervised=True))
    before = len(space.entries(Done))
    course.log(done_of(item, LEFT, course.today, pain=1, source="home"))
    assert len(space.entries(Done)) == before + 1
    page.open_view(2)
    assert not page.session.turns and "Not now" in page.session.then.text()


def test_under_amber_a_loaded_try_out_needs_a_typed_reason(window, patient):
    patient("potter", "programme")
    page, space = window.page("programme"), window.workspace
    with space.action("screen") as act:
        act.add(Screen(Triage.AMBER, {"night": True}, ("night",)))
    rung = next(r for ladder in space.knowledge.ladders.values() for r in ladder.rungs if r.loaded_as(r.poses[0]))
    page.state.choose(rung)
    for side in rung.sides:
        page.state.set_trial(side, SideTrial(True, 0))
    with pytest.raises(Refused, match="reason"):
        page.state.keep_trials()
    page.state.keep_trials("isometric and pain-free")
    assert {d.reason for d in space.entries(Done) if d.rung == rung.id} == {"isometric and pain-free"}


def test_alarms_are_asked_of_every_line_of_the_home_log(page, course):
    page.open_view(3)
    log = page.log
    assert {"gave way", "new swelling", "numb", "took a painkiller"} <= {box.text() for box in log.alarms.values()}
    log.alarms["giving way"].setChecked(True)
    log.add_typed()
    newest = page._workspace.entries(Done)[-1]
    assert newest.alarms == ("giving way",) and not log.alarms["giving way"].isChecked()


def test_what_bars_a_ladder_acts_in_the_window(window, patient):
    patient("glassblower", "programme")
    page, space = window.page("programme"), window.workspace
    status = page.state.course.status
    assert not status.barred("ankle") and "recent-fracture" not in status.cautions
    history = {
        "injuries": [{"joint": "ankle", "side": "left", "date": f"{status.today:%Y-%m-%d}", "operation": "fracture"}]
    }
    with space.action("history") as act:
        act.replace(Form("intake-history", history), space.form_today("intake-history"))
    status = page.state.course.status
    assert "fracture" in status.barred("ankle")
    page.state.choose(page.state.named("am-1-glide"))
    assert any("not with" in c.text for c in page.state.checks()), "the ladder is barred for this person"
    page.choose.refresh()
    assert "ankle sprain" in page.choose.cautions.text() and "Set-up:" in page.choose.setup.text()


def test_the_set_up_is_ticked_check_by_check_before_the_first_repetition(page):
    page.open_view(2)
    session = page.session
    checks = session.setup.text().splitlines()
    assert len(checks) > 2 and checks[0] == "○ Step 5 cm high" and all(one.startswith("○") for one in checks)
    press(session, "v", "v")
    assert [one[0] for one in session.setup.text().splitlines()][:3] == ["●", "●", "○"]
    press(session, Qt.Key.Key_Space)
    session.tick()
    session.stop()
    press(session, "v")
    assert session.checked == 2, "a set that runs is corrected, not set up"


def test_the_leg_that_is_behind_has_its_set_more_at_the_end_of_the_exercise(page, course):
    item = hands.planned(page)["sd-1-hold-taps"]
    with page._workspace.action("one set more") as act:
        act.add(replace(item, dose={**item.dose, "extra": 1}, first_side=RIGHT, replaces=item.uid))
    page.open_view(2)
    turns = [(t.side, t.number, t.sets) for t in page.session.turns if t.rung.id == "sd-1-hold-taps"]
    assert turns == [(side, n, 4 if side is RIGHT else 3) for n in (1, 2, 3) for side in (RIGHT, LEFT)] + [
        (RIGHT, 4, 4)
    ]
    [line] = [done_of(hands.planned(page)["sd-1-hold-taps"], side, course.today) for side in (RIGHT,)]
    assert line.sets == 4 and line.dose["step_cm"] == 5


def test_one_side_ready_writes_the_set_more_for_the_other(page, course, monkeypatch):
    item = hands.planned(page)["sd-1-hold-taps"]
    held = ProgressionDecision(18, ProgressionMove.HOLD, item.rung, "only the left side is ready", "", poorer=RIGHT)
    monkeypatch.setattr(PlanStatus, "decision", lambda *_: held)
    course.confirm(item, held)
    now = hands.planned(page)["sd-1-hold-taps"]
    assert now.dose["extra"] == 1 and now.first_side == RIGHT and now.rung == item.rung
    course.confirm(now, held)
    assert hands.planned(page)["sd-1-hold-taps"].dose["extra"] == 1, "once"


def test_checks_that_were_ticked_for_one_person_or_set_are_open_for_the_next(window, page, patient):
    page.open_view(2)
    press(page.session, "v", "v")
    patient("ferry deckhand", "programme")
    patient("glassblower", "programme")
    page = window.page("programme")
    page.open_view(2)
    assert page.session.setup.text().count("●") == 0
    press(page.session, "v", Qt.Key.Key_Backspace)
    assert page.session.setup.text().count("●") == 0


def test_a_routine_is_one_entry_of_plan_sheet_and_session_and_a_circuit_goes_in_rounds(
    window, page, tmp_path, monkeypatch
):
    """What waits for a try-out is left out and named, or started for a typed reason."""
    state, plan = page.state, page.choose.plan
    before = {item.rung for item in window.workspace.plan()}
    told = []
    window.workspace.refused.connect(told.append)
    asked, typed = [], [("", False), ("", True), ("done like this in the clinic", True)]
    monkeypatch.setattr(QInputDialog, "getText", lambda _, name, text: (asked.append(text), typed.pop(0))[1])
    plan.add_routine("hip-circuit")
    assert {item.rung for item in window.workspace.plan()} == before and told == []
    plan.add_routine("hip-circuit")
    assert "placement trial" in asked[0] and "left out are Banded side walk" in told[-1]
    window.workspace.undo.undo()
    plan.add_routine("hip-circuit")
    circuit = window.workspace.knowledge.routines["hip-circuit"]
    mine = [item for item in window.workspace.plan() if item.routine == circuit.id]
    assert {item.rung for item in mine} == {*circuit.rungs}
    assert all(item.reason for item in mine if item.rung not in before)
    assert len({item.rung for item in window.workspace.plan()}) == len(window.workspace.plan()), "none twice"

    page.open_view(2)
    turns = [(t.rung.id, t.number) for t in page.session.turns if t.item.routine == circuit.id]
    first_round = [rung for rung, number in turns if number == 1]
    assert {rung for rung, _ in turns[: len(first_round)]} == {item.rung for item in mine}
    assert [n for _, n in turns] == sorted(n for _, n in turns)

    state.print_sheet(tmp_path / "sheet.pdf", date(2026, 12, 2))
    pages = "".join(p.extract_text() for p in PdfReader(tmp_path / "sheet.pdf").pages)
    assert pages.count("Hip circuit") == len(mine)
    window.workspace.undo.undo()
    assert {item.rung for item in window.workspace.plan()} == before
