"""Notes and treatments by keyboard at any stage; pictures wait for consent."""

from __future__ import annotations

import errno
import shutil

import hands
import pytest
from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication

from tuning.core.entries import Capture, Form, Note, Treatment
from tuning.core.errors import BadInput
from tuning.core.intake.consent import CONSENT
from tuning.core.test_definitions import observed
from tuning.core.types import Side
from tuning.demo.clips import CLIPS
from tuning.ui.notes import NotesDialog
from tuning.ui.worn import WornDialog


def in_dialog(window, act) -> None:
    """F9, then `act` on the open dialog, then Escape."""

    def answer() -> None:
        dialog = QApplication.activeModalWidget()
        if not isinstance(dialog, NotesDialog) or not dialog.isActiveWindow():
            QTimer.singleShot(20, answer)
            return
        try:
            act(dialog)
        finally:
            dialog.reject()

    QTimer.singleShot(0, answer)
    QTest.keyClick(window, Qt.Key.Key_F9)


def test_a_note_and_a_treatment_are_kept_by_keys_and_read_at_every_stage(window, patient):
    case = lambda: window.workspace.case  # noqa: E731

    def write(dialog: NotesDialog) -> None:
        assert dialog.focusWidget() is dialog.text and dialog.about.currentText() == "Strength"
        QTest.keyClicks(dialog.text, "grips the bed on the left")
        QTest.keyClick(dialog.text, Qt.Key.Key_Return, Qt.KeyboardModifier.ControlModifier)
        assert dialog.text.toPlainText() == "" and "grips the bed" in dialog.lines()[0]
        QTest.keyClicks(dialog.what, "calf released")
        QTest.keyClicks(dialog.minutes, "soon")
        QTest.keyClick(dialog.minutes, Qt.Key.Key_Return)
        assert "time" in dialog.wrong.text() and dialog.what.text() == "calf released", "nothing typed is lost"
        dialog.minutes.setText("10")
        QTest.keyClick(dialog.minutes, Qt.Key.Key_Return)
        assert dialog.wrong.text() == "" and "done: calf released, 10 min" in "\n".join(dialog.lines())

    patient("ferry deckhand", "strength")
    in_dialog(window, write)
    [note], [treatment] = case().all(Note), case().all(Treatment)
    assert (note.stage, note.text) == ("strength", "grips the bed on the left") and treatment.minutes == 10
    assert window.header.notes.text() == "Notes 2"
    window.go("intake")
    in_dialog(window, lambda dialog: dialog.lines() and None)
    again = window.workspace.record.case(case().patient.uid, case().visit.uid)
    assert [n.text for n in again.all(Note)] == [note.text] and again.all(Treatment) == [treatment]
    window.workspace.undo.undo()
    assert not case().all(Treatment) and window.header.notes.text() == "Notes 1"


def test_pictures_of_who_did_not_agree_are_neither_opened_nor_filmed(window, patient):
    space, said = window.workspace, []
    patient("glassblower", "movement")
    page = window.page("movement")
    page.refused.connect(said.append)
    with space.action("consent") as act:
        act.add(Form(CONSENT, {"film": "no"}))
    before = len(space.case.all(Capture))
    page.bench.open_file(next(iter(CLIPS.values())).path, "rear")
    page.bench.live()
    assert len(said) == 2 and all("did not agree to pictures" in text for text in said)
    assert len(space.case.all(Capture)) == before
    with space.action("consent") as act:
        act.add(Form(CONSENT, {"film": "yes"}))
    assert space.film_refused() == ""


class Filmed:
    """Stands in for the camera dialog: a recording was made."""

    def __init__(self, *_: object) -> None:
        self.pressed = None
        self.recorded = Filmed.file

    def exec(self) -> None:
        """Nothing to wait for."""


@pytest.mark.parametrize("reason", ["", "surgeon agreed to slow squats"])
def test_filming_under_amber_keeps_its_reason_and_says_that_the_camera_is_made_up(
    window, patient, qtbot, monkeypatch, tmp_path, reason
):
    patient("glassblower", "intake")
    window.new_visit()
    hands.record_screen(window, "trauma")
    window.go("movement")
    bench, said = window.page("movement").bench, []
    window.page("movement").refused.connect(said.append)
    Filmed.file = tmp_path / "live.mp4"
    shutil.copy(CLIPS["squat-front"].path, Filmed.file)
    monkeypatch.setattr("tuning.ui.picture.live.LiveDialog", Filmed)
    monkeypatch.setattr("tuning.ui.picture.picture_import.QInputDialog.getText", lambda *_: (reason, bool(reason)))
    bench.kind.setCurrentIndex(bench.kind.findData("front"))
    bench.live()
    if not reason:
        assert "without a reason" in said[-1] and not window.workspace.entries(Capture)
        return
    qtbot.waitUntil(lambda: bool(window.workspace.entries(Capture)))
    [kept] = window.workspace.entries(Capture)
    assert (kept.reason, kept.simulated, kept.view) == (reason, True, "front")
    opened = bench.board.capture
    assert opened is not None and opened.uid == kept.uid


def test_of_a_recording_during_which_consent_is_taken_back_nothing_stays(window, patient, monkeypatch, tmp_path):
    patient("glassblower", "intake")
    window.new_visit()
    hands.record_screen(window)
    window.go("movement")
    bench, said = window.page("movement").bench, []
    window.page("movement").refused.connect(said.append)
    Filmed.file = tmp_path / "tuning-live-x" / "live.mp4"
    Filmed.file.parent.mkdir()
    shutil.copy(CLIPS["squat-front"].path, Filmed.file)

    def filmed(_: object) -> None:
        with window.workspace.action("consent") as act:
            act.add(Form(CONSENT, {"film": "no"}))

    monkeypatch.setattr(Filmed, "exec", filmed)
    monkeypatch.setattr("tuning.ui.picture.live.LiveDialog", Filmed)
    bench.live()
    assert said and not Filmed.file.parent.exists() and not window.workspace.entries(Capture)


def test_a_recording_that_cannot_be_kept_is_told_where_it_lies(window, patient, qtbot, monkeypatch, tmp_path):
    patient("glassblower", "intake")
    window.new_visit()
    hands.record_screen(window)
    window.go("movement")
    bench = window.page("movement").bench
    Filmed.file = tmp_path / "live.mp4"
    shutil.copy(CLIPS["squat-front"].path, Filmed.file)
    monkeypatch.setattr("tuning.ui.picture.live.LiveDialog", Filmed)

    def full(*_: object, **__: object) -> None:
        raise OSError(errno.ENOSPC, "No space left on device")

    monkeypatch.setattr("tuning.records.media.tempfile.mkstemp", full)
    bench.live()
    qtbot.waitUntil(lambda: str(Filmed.file) in window.status.message.text())
    assert "disk is full" in window.status.message.text() and Filmed.file.exists()
    assert not window.workspace.entries(Capture)


def test_what_is_worn_tags_what_is_measured_until_it_is_taken_off(window, patient):
    patient("potter", "mobility")
    space = window.workspace

    def choose(what: str, side: str) -> None:
        dialog = WornDialog(window, space)
        dialog.what.setCurrentText(what)
        dialog.side.setCurrentText(side)
        dialog.keep()

    def measured() -> str:
        with space.action("girth") as act:
            return act.add(
                observed(space.knowledge.measures["knee-to-wall"], Side.LEFT, [10.0, 10.0], "typed")
            ).setup.worn

    choose("shoe lift", "left")
    assert "worn: shoe lift, left" in window.header.caution.text() and measured() == "shoe lift, left"
    choose("nothing", "left")
    assert "worn" not in window.header.caution.text() and measured() == ""


@pytest.mark.parametrize("first", ["nothing", "knee brace"])
def test_trials_with_something_else_on_do_not_mix_and_a_correction_keeps_its_tag(window, patient, first):
    """The brace goes on, or off, between two trials of one test."""
    patient("potter", "mobility")
    space, wall = window.workspace, window.workspace.knowledge.measures["knee-to-wall"]

    def wear(what: str) -> None:
        with space.action("worn") as act:
            act.add(Form("worn-in-tests", {"what": what, "side": "left"}))

    def keep(trials: list[float], *before):
        with space.action("wall") as act:
            return act.replace(observed(wall, Side.LEFT, trials, "typed"), *before)

    tag = {"nothing": "", "knee brace": "knee brace, left"}
    other = "nothing" if first == "knee brace" else "knee brace"
    wear(first)
    seen = keep([10.0, 11.0])
    wear(other)
    count = len(space.case.entries)
    with pytest.raises(BadInput, match="strike them first"):
        keep([10.0, 11.0, 12.0], seen)
    assert len(space.case.entries) == count and space.case.entry(seen.uid) is not None, "nothing was changed"
    shorter = keep([10.0], seen)
    assert (shorter.setup.worn, shorter.replaces) == (tag[first], seen.uid), "a trial less was taken as before"
    assert keep([14.0, 15.0], shorter).setup.worn == tag[other], "all anew, with what is worn now"
