"""Two windows on one record, work that ends late, saves that fail, undo everywhere: nothing is lost or misplaced."""

from __future__ import annotations

import shutil
import time
from pathlib import Path

import hands
import numpy as np
import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QMessageBox

from tuning.core.entries import Capture, Form, Screen, Status
from tuning.core.errors import Refused
from tuning.core.intake.forms import FieldKind
from tuning.core.types import Observation, Side, Triage
from tuning.demo.clips import CLIPS
from tuning.records.dbapi import sqlite
from tuning.ui.intake.fields import FieldEdit
from tuning.ui.jobs import Job

CTRL = Qt.KeyboardModifier.ControlModifier


def red(space):
    """A RED by the rules of the house, written as the safety panel does."""
    with space.action("safety screen") as act:
        act.add(Screen(Triage.RED, note="fever and a hot knee"))


@pytest.fixture
def two(open_on, demo_folder, tmp_path):
    """Two windows on one record, both with the deckhand open at strength."""
    folder = tmp_path / "clinic"
    shutil.copytree(demo_folder, folder)
    shown = []
    for _ in range(2):
        window = open_on(folder)
        people = {p.occupation: p for p in window.workspace.record.patients()}
        window.open_patient(people["ferry deckhand"])
        window.go("strength")
        shown.append(window)
    return shown


def test_a_red_in_one_window_stops_a_trial_in_the_other_at_once(two):
    one, other = two
    page = other.page("strength")
    before = page.state.trials(page.state.side).size
    red(one.workspace)
    hands.type_enter(page.number, "181")  # the other window has not looked yet
    assert page.state.trials(page.state.side).size == before
    assert page.number.text() == "181", "what was typed stays"
    other.workspace.poll_external_changes()
    assert other.workspace.triage() is Triage.RED and "RED" in other.header.caution.text()


def test_redo_is_doing_it_again_and_the_gate_is_asked_again(two):
    """A trial is taken back, the other window records a RED: the trial does not come back by redo."""
    one, other = two
    page = other.page("strength")
    side = page.state.side
    before = page.state.trials(side).size
    hands.type_enter(page.number, "181")
    assert page.state.trials(side).size == before + 1
    QTest.keyClick(other, Qt.Key.Key_Z, CTRL)
    red(one.workspace)
    QTest.keyClick(other, Qt.Key.Key_Z, CTRL | Qt.KeyboardModifier.ShiftModifier)
    assert page.state.trials(side).size == before and "RED" in other.status.message.text()


def test_what_one_window_imports_and_sets_the_other_has(two, qtbot):
    one, other = two
    one.go("movement")
    hands.open_picture(qtbot, one, CLIPS["squat-front"].path, "front")
    other.workspace.poll_external_changes()
    found = [c for c in other.workspace.entries(Capture) if c.medium.name == CLIPS["squat-front"].path.name]
    assert found and other.workspace.record.media.lent(found[-1].medium).exists()
    one.workspace.settings.set("one", 1)
    other.workspace.settings.set("other", 2)
    assert {key: one.workspace.settings.get(key, 0) for key in ("one", "other")} == {"one": 1, "other": 2}


def captures(record):
    """Pictures of everybody, by patient."""
    newest = {p.uid: record.visits(p)[-1] for p in record.patients()}
    return {uid: record.case(uid, visit.uid).all(Capture) for uid, visit in newest.items()}


def test_a_file_lands_with_the_patient_it_was_opened_for(qtbot, window, patient):
    first = patient("ferry deckhand", "movement")
    page = window.page("movement")
    before = captures(window.workspace.record)
    page.bench.open_file(CLIPS["squat-front"].path, "front")
    patient("beekeeper", "movement")  # before it has been read
    qtbot.waitUntil(lambda: window.jobs.newest is None)
    hands.settle()
    after = captures(window.workspace.record)
    grown = [uid for uid in after if len(after[uid]) > len(before[uid])]
    assert grown in ([], [first.uid]), "never with somebody else"
    assert grown == [first.uid]


def test_red_while_a_stage_is_open_refuses_the_trial_and_keeps_the_typing(window, patient):
    patient("ferry deckhand", "strength")
    page = window.page("strength")
    page.number.setFocus()
    QTest.keyClicks(page.number, "177")
    red(window.workspace)
    count = len(window.workspace.entries(Observation))
    QTest.keyClick(page.number, Qt.Key.Key_Return)
    assert len(window.workspace.entries(Observation)) == count and page.number.text() == "177"


def test_a_gesture_that_the_gate_refuses_is_refused_however_it_comes(window, patient):
    """Not through a page: straight into the record's only door."""
    patient("ferry deckhand", "strength")
    red(window.workspace)
    with pytest.raises(Refused), window.workspace.action("a jump") as act:
        act.add(Observation("hip-abd", Side.LEFT, 150.0, np.array([150.0])))
    assert not window.workspace.undo.undo_text.startswith("a jump")


def test_a_save_that_fails_costs_nothing_and_the_next_one_goes(window, patient):
    """Another program holds the record; nothing is patched."""
    patient("ferry deckhand", "strength")
    page, space = window.page("strength"), window.workspace
    before, step = page.state.trials(page.state.side).size, space.undo.undo_text
    holder = sqlite.connect(space.record.folder / "record.sqlite", isolation_level=None)
    holder.execute("BEGIN EXCLUSIVE")
    hands.type_enter(page.number, "171")
    assert page.number.text() == "171" and page.state.trials(page.state.side).size == before
    assert space.undo.undo_text == step and window.status.message.text()
    holder.execute("ROLLBACK")
    holder.close()
    QTest.keyClick(page.number, Qt.Key.Key_Return)
    assert page.state.trials(page.state.side).size == before + 1
    with space.trying():
        space.undo.undo()
    assert page.state.trials(page.state.side).size == before


def test_undo_in_a_number_field_takes_back_the_last_trial_as_the_button_says(window, patient):
    patient("ferry deckhand", "strength")
    page = window.page("strength")
    hands.type_enter(page.number, "150")
    count = page.state.trials(page.state.side).size
    QTest.keyClicks(page.number, "16")
    QTest.keyClick(page.number, Qt.Key.Key_Z, CTRL)
    assert page.state.trials(page.state.side).size == count - 1 and page.number.text() == "16"


@pytest.mark.parametrize("leaf", ["Complaint", "History"])
def test_undo_reaches_the_forms_of_intake_and_the_next_edit_does_not_bring_it_back(window, patient, leaf):
    patient("beekeeper", "intake")
    page, space = window.page("intake"), window.workspace
    page.open_leaf(leaf)
    hands.settle()
    fields = [
        f for f in page.leaves[leaf].findChildren(FieldEdit) if f.isVisible() and f.field.kind is FieldKind.CHOICE
    ]
    assert len(fields) > 1, leaf
    starts = [field.edit.currentText() for field in fields]

    def choose(field, place):
        field.edit.setCurrentIndex(place)
        field.edit.activated.emit(place)
        return field.edit.currentText()

    undone = choose(fields[0], 2)
    space.undo.undo()
    hands.settle()
    assert undone != starts[0] and fields[0].edit.currentText() == starts[0]
    choose(fields[1], 2)
    assert fields[0].edit.currentText() == starts[0]
    kept = space.entries(Form)[-1].data
    assert kept.get(fields[0].field.id) != undone and kept[fields[1].field.id] == fields[1].edit.currentText()


def test_undo_reaches_the_soles(window, patient):
    patient("beekeeper", "intake")
    page, space = window.page("intake"), window.workspace
    page.open_leaf("Shoes")
    shoes = page.shoes
    boxes = [shoes.firm, shoes.crushed[Side.LEFT]]
    for box in boxes:
        assert not box.isChecked()
        box.click()
    space.undo.undo()
    assert [box.isChecked() for box in boxes] == [True, False]
    shoes.crushed[Side.RIGHT].click()
    assert space.form("shoe-wear-map").data["crushed"] == ["right"], "what was undone stays undone"


def test_stopped_for_pain_on_the_left_leaves_the_right_open(window, patient):
    patient("potter", "mobility")
    window.new_visit()
    hands.record_screen(window)
    window.go("mobility")
    page = window.page("mobility")
    page.open_test(window.workspace.knowledge.tests["knee-to-wall"])
    hands.settle()
    first = page.state.step.side
    hands.key(page.question, "P")
    assert page.state.ending(page.state.step.test, first) is Status.PAIN
    assert page.state.step.test.id == "knee-to-wall" and page.state.step.side is first.other
    hands.type_enter(page.question.number, "11")
    assert page.state.trials("knee-to-wall", first.other) == [11.0] and not page.state.trials("knee-to-wall", first)


def test_closing_while_work_runs_waits_for_it_and_asks_about_a_recording(qtbot, window, patient, monkeypatch):
    patient("ferry deckhand", "movement")
    started, ended = [], []

    def work(tick):
        started.append(True)
        try:
            for n in range(100_000):
                tick(n / 100_000)
                time.sleep(0.001)
        finally:
            ended.append(True)

    window.jobs.start(Job("Following the marks", work))
    qtbot.waitUntil(lambda: bool(started))
    asked = []
    monkeypatch.setattr(QMessageBox, "question", lambda *a: asked.append(a[2]) or QMessageBox.StandardButton.No)
    page = window.page("movement")
    monkeypatch.setattr(page, "unfinished", lambda: "A recording is running.")
    assert not window.close() and "recording" in asked[0] and not ended
    monkeypatch.setattr(page, "unfinished", lambda: "")
    assert window.close() and ended, "the work was stopped and waited for"


def test_two_jobs_are_cancelled_one_by_one(qtbot, window):
    told = {}

    def work(name):
        def run(tick):
            for n in range(100_000):
                tick(n / 100_000)
                time.sleep(0.001)

        return Job(name, run)

    jobs = [work("one"), work("two")]
    for job in jobs:
        job.failed.connect(lambda text, name=job.text: told.setdefault(name, text))
        window.jobs.start(job)
    window.status.cancel.click()
    qtbot.waitUntil(lambda: "two" in told)
    assert window.jobs.running == [jobs[0]], "the first goes on, and can be stopped now"
    window.status.cancel.click()
    qtbot.waitUntil(lambda: "one" in told)


def test_new_visit_twice_makes_one(window, patient):
    patient("potter", "intake")
    record, who = window.workspace.record, window.workspace.case.patient
    before = len(record.visits(who))
    window.new_visit()
    window.new_visit()
    assert len(record.visits(who)) == before + 1


def test_dates_are_those_of_the_clock_on_the_wall(window, patient, monkeypatch):
    """A visit begun at half past eight in Sydney is of that morning, not of the day before in Greenwich."""
    from datetime import UTC, datetime

    from tuning.ui.formatting import day

    monkeypatch.setenv("TZ", "Australia/Sydney")
    time.tzset()
    try:
        assert day(datetime(2026, 11, 26, 21, 30, tzinfo=UTC)) == "27 Nov 2026"
    finally:
        monkeypatch.undo()
        time.tzset()


def test_the_record_stays_whole_when_its_folder_was_copied_while_open(window, patient, tmp_path: Path):
    patient("ferry deckhand", "strength")
    hands.type_enter(window.page("strength").number, "166")
    copy = tmp_path / "copy"
    shutil.copytree(window.workspace.record.folder, copy)
    check = sqlite.connect(copy / "record.sqlite").execute("PRAGMA integrity_check").fetchone()
    assert check == ("ok",)
