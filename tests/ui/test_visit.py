"""One visit from the first patient to the printed sheet, quit, reopen: the same numbers everywhere."""

from pathlib import Path

import hands
import pytest
from pypdf import PdfReader
from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QLabel

from tuning.core.types import Side
from tuning.demo.clips import CLIPS
from tuning.records.dbapi import sqlite
from tuning.ui.patient_forms import PatientForm, PersonDialog, PersonForm
from tuning.ui.reports.dialog import ReportDialog


def fill_person_form(form: PersonForm) -> None:
    form.name.setText("R. Falk")
    form.keep()


def fill_patient(form: PatientForm) -> None:
    form.name.setText("Pia Lund")
    form.birth.setText("2 April 1988")
    form.mass.setText("66,5 kg")
    form.stature.setText("170")
    form.occupation.setText("net mender")
    form.complaint.setPlainText("left knee")
    form.involved.setCurrentText("left")
    form.keep()


class Answers:
    """Fills whatever dialog is open, as soon as it is, until told to stop."""

    def __init__(self) -> None:
        self.going = True
        self._answer()

    def _answer(self) -> None:
        if self.going:
            QTimer.singleShot(20, self._answer)  # first, since answering may open the next dialog
        dialog = QApplication.activeModalWidget()
        if isinstance(dialog, PersonForm):
            fill_person_form(dialog)
        elif isinstance(dialog, PatientForm):
            fill_patient(dialog)
        elif isinstance(dialog, PersonDialog):
            dialog._add()


def ledger_words(window) -> dict[str, str]:
    return {row.row.measure.id: row.spoken for row in window.ledger.rows_shown()}


def strength_words(window) -> str:
    hands.settle()
    found = window.page("strength").findChildren(QLabel, "strength-verdict")
    return next(label.text() for label in found if label.isVisible())


def test_a_whole_visit_keeps_its_numbers(qtbot, open_on, tmp_path: Path):
    folder = tmp_path / "record"
    window = open_on(folder)
    answers = Answers()
    QTest.keyClick(window, Qt.Key.Key_N, Qt.KeyboardModifier.ControlModifier)
    answers.going = False
    space = window.workspace
    assert (space.patient.name, space.patient.body_mass_kg, space.patient.stature_m) == ("Pia Lund", 66.5, 1.7)
    assert (space.person.name, window.stage) == ("R. Falk", "intake")

    hands.record_screen(window)
    assert window.status.saved.text().startswith("saved ")
    assert window.status.step.text() == "Walk the standing levels from the feet up"

    window.go("movement")
    clip = CLIPS["squat-front"]
    hands.open_picture(qtbot, window, clip.path, "front")
    window.page("movement").bench.go(42)
    hands.mark_plumb_line(window, clip.plumb_line())
    for name, at in clip.truth(42).items():
        hands.place(window, name, at)
    angles = {side: hands.shown_value(window, "squat-front-fppa", side) for side in ("left", "right")}

    window.go("strength")
    page = window.page("strength")
    assert page.state.effort_id == "hip-abd:right"
    hands.type_enter(page.setup.lever, "0.76 m")
    for text in ("181", "186.5", "184"):
        hands.type_enter(page.number, text)
    assert page.state.effort_id == "hip-add:left", "three trials done: the next one in this position"
    page.state.choose("hip-abd:left")
    hands.type_enter(page.setup.lever, "76 cm")
    for text in ("33.5 lbf", "34,1 lbf", "33 lbf"):
        hands.type_enter(page.number, text)
    page.state.choose("hip-abd:left")
    strength = strength_words(window)
    assert strength == "marked: left 19 % weaker than right"

    window.go("programme")
    programme = window.page("programme")
    assert not programme.state.locked()
    programme.write_button.click()
    assert not space.plan(), "the placement trial is open and no reason was given"
    for side in (Side.LEFT, Side.RIGHT):
        programme.clean[side].setCurrentText("clean")
        programme.clean[side].activated.emit(1)
    programme.choose._spins["sets"].setValue(4)
    programme.write_button.click()
    (item,) = space.plan()
    assert (item.rung, item.dose["sets"], item.first_side) == ("sd-1-hold-taps", 4, "left")
    assert programme.save_sheet(tmp_path / "sheet.pdf")
    words = ledger_words(window)
    window.close()

    again = open_on(folder)
    again.open_patient(again.workspace.record.patients("net mender")[0])
    assert again.stage == "standing", "the levels were not walked yet"
    again.go("programme")
    assert ledger_words(again) == words
    assert [i.dose["sets"] for i in again.workspace.plan()] == [4]
    again.go("strength")
    again.page("strength").state.choose("hip-abd:left")
    assert strength_words(again) == strength and again.page("strength").setup.lever.text() == "76 cm"
    again.go("movement")
    qtbot.waitUntil(lambda: again.page("movement").bench.canvas.image is not None)
    assert again.page("movement").bench.board.frame == 42
    for side, text in angles.items():
        assert hands.shown_value(again, "squat-front-fppa", side) == text

    with sqlite.connect(folder / "record.sqlite") as raw:
        kept = dict(
            raw.execute(
                "select body ->> 'side', body ->> 'value' from entry where struck_at is null "
                "and kind = 'observation' and body ->> 'measure_id' = 'squat-front-fppa'"
            )
        )
    assert ReportDialog(again, again.workspace, "measured").write_file(tmp_path / "values.pdf")
    printed, told = (
        " ".join(" ".join(p.extract_text().split()) for p in PdfReader(tmp_path / name).pages)
        for name in ("sheet.pdf", "values.pdf")
    )
    for side, text in angles.items():
        assert text == f"{kept[side]:.1f}°".replace("-", "−") and text in told
    assert "hold 20 s, 4 times each side" in printed and "left 19 % weaker than right" in told
    assert "Stop if pain passes your limit" in printed and "start with the left leg" in printed


def test_undo_and_redo_reach_marks_trials_and_plan(qtbot, window, patient):
    patient("potter", "strength")
    page, space = window.page("strength"), window.workspace
    before = strength_words(window)
    hands.type_enter(page.number, "300")
    page.state.choose("hip-abd:left")
    changed = strength_words(window)
    assert changed != before
    QTest.keyClick(window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert strength_words(window) == before
    QTest.keyClick(window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier)
    assert strength_words(window) == changed

    window.go("movement")
    qtbot.waitUntil(lambda: window.page("movement").bench.canvas.image is not None)
    board, canvas = window.page("movement").bench.board, window.page("movement").bench.canvas
    start = board.points()["knee_left"]
    hands.drag(canvas, start, start + [30, 0])
    moved = board.points()["knee_left"]
    assert moved[0] - start[0] == pytest.approx(30, abs=1.6)
    board.choose("knee_left")
    canvas.setFocus()
    QTest.keyClick(canvas, Qt.Key.Key_Left)
    assert moved[0] - board.points()["knee_left"][0] == pytest.approx(0.1)
    value = hands.shown_value(window, "squat-front-fppa", "left")
    QTest.keyClick(canvas, Qt.Key.Key_Delete)
    assert "knee_left" not in board.points()
    rows = {r.measure.id: r for r in space.comparisons()}
    assert rows["squat-front-fppa"].left is None, "the angle goes with its mark"
    window.workspace.undo.undo()
    assert hands.shown_value(window, "squat-front-fppa", "left") == value
    for _ in range(2):
        window.workspace.undo.undo()
    assert board.points()["knee_left"] == pytest.approx(start)


def test_escape_abandons_a_drag(qtbot, window, patient):
    patient("potter", "movement")
    qtbot.waitUntil(lambda: window.page("movement").bench.canvas.image is not None)
    board, canvas = window.page("movement").bench.board, window.page("movement").bench.canvas
    start = board.points()["asis_left"]
    at = canvas.to_widget(start).toPoint()
    QTest.mousePress(canvas, hands.LEFT, hands.NONE, at)
    QTest.mouseMove(canvas, at + at)
    QTest.keyClick(canvas, Qt.Key.Key_Escape)
    QTest.mouseRelease(canvas, hands.LEFT, hands.NONE, at + at)
    assert board.points()["asis_left"] == pytest.approx(start) and not window.workspace.undo.at
