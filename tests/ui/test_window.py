"""The window's habits: keys, locks, words, focus, contrast."""

import itertools
from dataclasses import fields
from datetime import date
from pathlib import Path

import hands
import numpy as np
import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QAbstractButton, QApplication, QComboBox, QLineEdit, QMessageBox, QPlainTextEdit, QSpinBox

from tuning.core.entries import Clearance
from tuning.core.types import Role, Side, Triage
from tuning.ui import theme
from tuning.ui.actions import CommandList
from tuning.ui.explanation_dialog import explanation
from tuning.ui.picture.side_panel import ReadingRow
from tuning.ui.stages import STAGES

ALT, CTRL = Qt.KeyboardModifier.AltModifier, Qt.KeyboardModifier.ControlModifier


def test_stages_open_by_key_and_those_not_built_say_what_will_be_here(window, patient):
    patient("glassblower", "intake")
    for number, stage in enumerate(STAGES, start=1):
        before = window.stage
        QTest.keyClick(window, Qt.Key(Qt.Key.Key_0 + number), ALT)
        if stage.built:
            assert window.stage == stage.id
        else:
            assert window.stage == before and window.status.message.text() == stage.promise
            button = window.header.buttons[stage.id]
            QTest.mouseClick(button, Qt.MouseButton.LeftButton)
            assert window.stage == before and button.toolTip() == stage.promise


@pytest.mark.parametrize("begin", [True, False])
def test_search_narrows_the_day_list_and_enter_opens_today_or_the_last_visit_to_read(window, monkeypatch, begin):
    """The deckhand was here two days ago: one question, and Enter begins today's visit."""
    asked = []
    yes, no = QMessageBox.StandardButton.Yes, QMessageBox.StandardButton.No
    monkeypatch.setattr(QMessageBox, "question", lambda *a: asked.append(a) or (yes if begin else no))
    assert len(window.day_list.lines()) == 5
    hands.type_enter(window.day_list.search, "ferry ramps")
    space = window.workspace
    assert space.patient.occupation == "ferry deckhand"
    assert len(asked) == 1 and asked[0][-1] == yes and "Begin today's visit" in asked[0][2]
    assert space.case.number == (2 if begin else 1) and ("to read only" in window.header.caution.text()) != begin
    before = len(space.case.entries)
    window.page("intake").safety.record_nothing_new()
    assert (len(space.case.entries) > before) == begin
    if not begin:
        assert "open to read" in window.status.message.text()
        window.new_visit()
        assert not space.reading and space.case.number == 2
        window.reception.read_visit(space.case.visits[0].uid)
        assert space.reading and space.case.number == 1
    QTest.keyClick(window, Qt.Key.Key_D, CTRL)
    assert window.workspace.patient is None and window.stack.currentWidget() is window.day_list


def test_red_locks_testing_and_loading_until_a_clearance(window, patient):
    patient("potter", "intake")
    hands.record_screen(window, "calf", "calf-breath", note="since Monday")
    assert "RED" in window.header.caution.text() and "Refer" in window.status.step.text()
    for stage in ("mobility", "movement", "strength", "programme"):
        window.go(stage)
        assert window.stage == "intake" and "Locked" in window.status.message.text()
    assert not window.page("programme").save_sheet(Path("/tmp/never.pdf"))
    window.page("intake").safety.clear()
    assert window.workspace.triage() is Triage.RED, "a clearance needs a name and a result"
    hands.clear_finding(window, "calf", "no swelling now")
    whole = "clearance: calf swollen, warm or tender"
    assert window.workspace.undo.undo_text == whole, "however narrow its choice"
    assert window.workspace.triage() is Triage.RED, "clearing one finding lifts no other"
    hands.clear_finding(window, "calf-breathless", "no clot")
    window.go("strength")
    assert window.stage == "strength" and "cleared" in window.header.caution.text()


def typed_clearance(window):
    """Who and what, typed for the calf, not recorded yet."""
    hands.record_screen(window, "calf", "tendon-drug")
    panel = window.page("intake").safety
    panel.subject.setCurrentIndex(panel.subject.findData("calf"))
    panel.cleared_by.setText("Dr. Marsh")
    panel.result.setText("no clot on ultrasound")
    return panel


def test_what_was_typed_to_clear_one_finding_never_clears_another(window, patient):
    patient("potter", "intake")
    panel, space = typed_clearance(window), window.workspace
    standing = space.standing().screen.uid
    with space.action("clearance elsewhere") as act:  # as another window does it
        act.add(Clearance(standing, "Dr. Weber", date.today(), "no swelling", "calf"))
    panel.refresh()  # other windows' changes come as several
    assert panel.subject.currentIndex() == -1 and panel.result.text() == "no clot on ultrasound"
    panel.clear()
    assert [one.subject for one in space.entries(Clearance)] == ["calf"], "the other one still stands"
    assert "Choose the finding" in window.status.message.text()
    hands.clear_finding(window, "tendon-drug", "no fluoroquinolone")
    assert [one.subject for one in space.entries(Clearance)] == ["calf", "tendon-drug"]


def test_nothing_that_was_typed_and_not_kept_for_one_person_shows_for_the_next(window, patient):
    """Every field of every stage and page of the intake that can be typed into."""

    def fields():
        every = [f for kind in (QLineEdit, QPlainTextEdit) for f in window.findChildren(kind)]
        return [f for f in every if f.isVisible() and f.isEnabled() and not f.isReadOnly()]

    def walk():
        for stage in STAGES:
            window.go(stage.id)
            for leaf in ("Complaint", "History", "Shoes", "Consent", "Safety") if stage.id == "intake" else ("",):
                if leaf:
                    window.page("intake").open_leaf(leaf)
                hands.settle()
                yield stage.id, leaf

    text = lambda f: f.text() if isinstance(f, QLineEdit) else f.toPlainText()  # noqa: E731
    patient("glassblower", "intake")
    typed = set()
    for _ in walk():
        for field in fields():
            field.setText("Zq7") if isinstance(field, QLineEdit) else field.setPlainText("Zq7")
            typed.add(id(field))
    assert len(typed) > 40
    patient("choir conductor", "intake")
    window.new_visit()
    hands.record_screen(window, "trauma")
    shown = {(*at, f.accessibleName()) for at in walk() for f in fields() if "Zq7" in text(f)}
    assert not shown


def test_a_clearance_that_was_typed_for_one_person_is_not_there_for_the_next(window, patient):
    patient("potter", "intake")
    panel = typed_clearance(window)
    patient("beekeeper", "intake")
    hands.record_screen(window, "calf", "tendon-drug")
    assert not panel.cleared_by.text() and not panel.result.text() and panel.subject.currentIndex() == 0


def test_without_a_screen_nothing_is_tested_and_one_key_asks_it(window, patient):
    patient("potter", "intake")
    window.new_visit()
    window.go("strength")
    page = window.page("strength")
    hands.type_enter(page.number, "150")
    assert not page.state.trials(page.state.side).size and "safety screen" in window.status.message.text()
    window.go("standing")
    window.page("standing").open_test(window.workspace.knowledge.tests["arch-profile"])
    assert not window.page("standing").state.lock(window.page("standing").state.step), "looking is open"
    QTest.keyClick(window, Qt.Key.Key_F2)
    hands.settle()
    QTest.keyClick(QApplication.focusWidget(), Qt.Key.Key_Return)
    assert window.workspace.asked_today and window.workspace.triage() is Triage.NONE
    window.go("strength")
    assert page.number.text() == "150", "what was typed has waited"
    QTest.keyClick(page.number, Qt.Key.Key_Return)
    assert page.state.trials(page.state.side).size == 1


def test_a_trainer_neither_clears_nor_takes_back_what_a_clinician_recorded(window, patient):
    patient("potter", "intake")
    space = window.workspace
    hands.record_screen(window, "night")
    space.choose_person(space.record.add_person("Ben Quay", Role.TRAINER.value))
    hands.clear_finding(window, "night")
    assert space.triage() is Triage.AMBER and "licensed clinician" in window.status.message.text()
    QTest.keyClick(window, Qt.Key.Key_Z, CTRL)
    assert space.triage() is Triage.AMBER and "takes" in window.status.message.text().replace("taken", "takes")


def test_every_exercise_test_and_person_is_found_by_name(window, patient):
    patient("potter", "intake")
    names = {action.name for action in window.cupboard.everything()}
    assert {"Exercise: Sit-back step-down", "Test: Weight-bearing lunge, knee to wall"} <= names
    assert any("camera" in name.lower() for name in names) and sum(n.startswith("Person: ") for n in names) == 5
    next(a for a in window.cupboard.everything() if a.name == "Exercise: Sit-back step-down").run()
    assert window.stage == "programme" and window.page("programme").state.rung.id == "sd-2-sit-back"


def test_a_red_of_an_earlier_visit_still_locks(window, patient):
    patient("potter", "intake")
    hands.record_screen(window, "chest")
    window.new_visit()
    window.go("strength")
    assert window.stage == "intake"


def test_only_a_clinician_opens_a_loaded_rung_under_amber(window, patient):
    patient("choir conductor", "intake")
    hands.record_screen(window, "heart")
    window.go("programme")
    state = window.page("programme").state
    state.choose(state.named("sd-4-side-band"))
    student = next(p for p in window.workspace.record.people() if p.role == Role.STUDENT.value)
    clinician = window.workspace.person
    window.workspace.choose_person(student)
    window.page("programme").choose.reason.setText("wants to go on")
    window.page("programme").write_button.click()
    assert not window.workspace.plan() and "licensed clinician" in window.status.message.text()
    window.workspace.choose_person(clinician)
    window.page("programme").write_button.click()
    (item,) = window.workspace.plan()
    assert item.reason == "wants to go on" and item.who == "R. Falk"


def test_a_maximal_test_under_amber_needs_a_clinician_and_a_reason(window, patient):
    patient("beekeeper", "strength")
    page = window.page("strength")
    assert page.reason.isVisible()
    hands.type_enter(page.number, "150")
    assert "type the reason" in page.hint.text() and not page.state.trials(page.state.side).size
    page.reason.setFocus()
    QTest.keyClicks(page.reason, "surgeon agreed to isometric work")
    clinician = window.workspace.person
    window.workspace.choose_person(window.workspace.record.people()[1])
    page.number.clear()
    hands.type_enter(page.number, "150")
    assert "licensed clinician" in page.hint.text() and not page.state.trials(page.state.side).size
    window.workspace.choose_person(clinician)
    page.number.clear()
    hands.type_enter(page.number, "150")
    assert page.state.observation(page.state.side).reason == "surgeon agreed to isometric work"


def test_space_plays_on_the_picture_and_presses_buttons_elsewhere(qtbot, window, patient):
    patient("glassblower", "movement")
    page = window.page("movement").bench
    qtbot.waitUntil(lambda: page.canvas.image is not None)
    page.canvas.setFocus()
    QTest.keyClick(page.canvas, Qt.Key.Key_Space)
    assert page.player.play_button.text() == "Stop"
    QTest.keyClick(page.canvas, Qt.Key.Key_Space)
    assert page.player.play_button.text() == "Play"
    page.panel._buttons["plumb line"].setFocus()
    QTest.keyClick(page.panel._buttons["plumb line"], Qt.Key.Key_Space)
    assert page.board.chosen == "plumb line" and page.player.play_button.text() == "Play"


def test_strength_takes_numbers_and_goes_on_by_itself(window, patient):
    patient("ferry deckhand", "strength")
    page = window.page("strength")
    assert page.state.side is Side.LEFT, "the uninvolved side comes first"
    for text in ("201", "199,5", "45 lbf"):
        hands.type_enter(page.number, text)
    assert page.state.effort_id == "hip-add:right" and QApplication.focusWidget() is page.number
    page.state.choose("hip-abd:left")
    for text in ("20.2kgf", "204", "210"):
        hands.type_enter(page.number, text)
    assert "5 trials are saved" in page.hint.text() and page.number.text() == "210"
    assert len(page.state.trials(Side.LEFT)) == 5
    page.number.clear()
    QTest.keyClick(page.number, Qt.Key.Key_Return)
    assert page.state.effort_id == "hip-add:right", "Enter alone goes on"
    page.state.choose("hip-abd:right")
    hands.type_enter(page.number, "ninety")
    assert "not a force" in page.hint.text() and page.number.text() == "ninety"
    QTest.keyClick(window, Qt.Key.Key_F5)
    assert page.state.side is Side.LEFT
    page.state.strike_last()
    assert len(page.state.trials(Side.LEFT)) == 4


def test_f1_on_a_ledger_row_tells_formula_inputs_error_and_source(window, patient):
    patient("glassblower", "strength")
    row = next(r for r in window.ledger.rows_shown() if r.row.measure.id == "hip-abd-torque")
    text = explanation(row.row)
    for part in ("100 (max - min) / max", "mean of 3 trials", "lever 0.78 m", "Knapik 1991", "95 %", "by R. Falk"):
        assert part in text


def test_f1_on_a_reading_tells_marks_and_marking_error(qtbot, window, patient):
    patient("potter", "movement")
    qtbot.waitUntil(lambda: window.page("movement").bench.canvas.image is not None)
    hands.settle()
    rows = [row for row in window.page("movement").bench.panel.findChildren(ReadingRow) if row.isVisible()]
    text = next(row.explanation() for row in rows if row.title == "Frontal-plane projection angle, squat")
    for part in ("ASIS right", "placing the marks adds ±", "Munro 2012", "SD per axis"):
        assert part in text


def test_a_click_on_a_ledger_row_opens_its_frame(qtbot, window, patient):
    patient("glassblower", "programme")
    window.toggle_ledger()
    hands.settle()
    row = next(r for r in window.ledger.rows_shown() if r.row.measure.id == "gait-pelvic-drop")
    frame = row.row.left.frame
    QTest.mouseClick(row, Qt.MouseButton.LeftButton)
    assert window.stage == "movement" and window.page("movement").bench.board.frame == frame > 0


def test_a_station_of_the_figure_filters_the_ledger(window, patient):
    patient("glassblower", "strength")
    window.figure.station_chosen.emit("pelvis")
    shown = [r.row.measure.station for r in window.ledger.rows_shown()]
    assert shown and set(shown) == {"pelvis"} and len(shown) < len(window.workspace.comparisons())


def test_frames_step_play_and_jump(qtbot, window, patient):
    patient("glassblower", "movement")
    page = window.page("movement").bench
    qtbot.waitUntil(lambda: page.canvas.image is not None)
    page.canvas.setFocus()
    start = page.board.frame
    QTest.keyClick(page.canvas, Qt.Key.Key_Period)
    QTest.keyClick(page.canvas, Qt.Key.Key_Period)
    QTest.keyClick(page.canvas, Qt.Key.Key_Comma)
    assert page.board.frame == start + 1
    page.strip.setFocus()
    QTest.keyClick(page.strip, Qt.Key.Key_End)
    assert page.board.frame == 249
    QTest.keyClick(page.strip, Qt.Key.Key_Home)
    page.player.speed.setCurrentText("1/2 speed")
    now = [100.0]
    page.player.clock = lambda: now[0]
    page.toggle_play()
    now[0] += 0.61
    qtbot.waitUntil(lambda: page.board.frame > 0)
    page.stop()
    assert page.board.times[page.board.frame] == pytest.approx(0.3), "half speed shows 0.3 s of the clip in 0.6 s"


def test_every_action_is_found_and_every_key_is_used_once(window):
    keys = [a.key for a in window.actions_list if a.key]
    assert len(keys) == len(set(keys))
    found = CommandList(window, window.actions_list)
    found.field.setText("backup")
    assert found._shown[0].name == "Back up now"


@pytest.mark.parametrize("stage", ["intake", "movement", "strength", "programme"])
def test_every_control_has_a_name_for_the_screen_reader(window, patient, stage):
    patient("glassblower", stage)
    for widget in window.pages[stage].findChildren((QAbstractButton, QComboBox, QLineEdit, QSpinBox)):
        if widget.isVisible() and not widget.objectName().startswith("qt_"):
            name = widget.accessibleName() or getattr(widget, "text", str)()
            assert name, f"{type(widget).__name__} in {stage} has no name"


COLOUR_BLIND = {
    "protan": ((0.152286, 1.052583, -0.204868), (0.114503, 0.786281, 0.099216), (-0.003882, -0.048116, 1.051998)),
    "deutan": ((0.367322, 0.860646, -0.227968), (0.280085, 0.672501, 0.047413), (-0.011820, 0.042940, 0.968881)),
    "tritan": ((1.255528, -0.076749, -0.178779), (-0.078411, 0.930809, 0.147602), (0.004733, 0.691367, 0.303900)),
}
"""How the colours of linear light mix in complete loss of a cone (Machado 2009)."""


def lab(colour: str, seen: np.ndarray) -> np.ndarray:
    """CIE L*a*b* under D65 of a colour as somebody sees it."""
    part = np.array([int(colour[n : n + 2], 16) / 255 for n in (1, 3, 5)])
    light = np.clip(seen @ np.where(part <= 0.04045, part / 12.92, ((part + 0.055) / 1.055) ** 2.4), 0, 1)
    to_xyz = np.array([[0.4124, 0.3576, 0.1805], [0.2126, 0.7152, 0.0722], [0.0193, 0.1192, 0.9505]])
    x, y, z = np.cbrt(to_xyz @ light / (0.9505, 1.0, 1.089))
    return np.array([116 * y - 16, 500 * (x - y), 200 * (y - z)])


@pytest.mark.parametrize("palette", list(theme.PALETTES))
@pytest.mark.parametrize("eyes", [np.eye(3), *COLOUR_BLIND.values()], ids=["usual", *COLOUR_BLIND])
def test_the_sides_are_told_apart_by_colour_whoever_looks(palette, eyes):
    """Where hues meet, lightness still tells them apart; shape and word tell the side as well."""
    shown, seen = theme.PALETTES[palette], np.array(eyes)
    for one, other, least in (("left", "right", 40), ("left_wash", "right_wash", 15), ("caution", "accent", 40)):
        assert np.linalg.norm(lab(getattr(shown, one), seen) - lab(getattr(shown, other), seen)) >= least, (one, other)


@pytest.mark.parametrize("name", list(theme.PALETTES))
def test_text_and_marks_stand_out_on_every_ground(name):
    palette = theme.PALETTES[name]
    grounds, least = (palette.paper, palette.panel), 7.0 if name.startswith("high") else 4.5
    for text, ground in itertools.product((palette.ink, palette.muted, palette.accent, palette.caution), grounds):
        assert theme.contrast(text, ground) >= least
    for side, ground in itertools.product((palette.left, palette.right), grounds):
        assert theme.contrast(side, ground) >= (least if name.startswith("high") else 3.0)
    pairs = (("on_accent", "accent"), ("ink", "accent_wash"), ("accent", "accent_wash"), ("caution", "caution_wash"))
    for text, ground in (*pairs, ("on_stage", "stage")):
        assert theme.contrast(getattr(palette, text), getattr(palette, ground)) >= 4.5
    if name in ("light", "high"):
        for wash in ("left_wash", "right_wash"):
            assert theme.contrast(palette.stage, getattr(palette, wash)) >= 4.5
    assert {f.name for f in fields(palette)} >= {"ink", "paper"}


@pytest.mark.parametrize("size", [(1100, 700), (1280, 800), (2560, 1440)])
def test_the_window_works_at_every_size(window, patient, size):
    window.resize(*size)
    for stage in window.pages:
        patient("glassblower", stage)
        assert window.width() == size[0] and window.pages[stage].width() <= size[0]


def test_what_stands_is_never_cut_in_the_header(window, patient):
    header = window.header
    for who, rows in (("beekeeper", 2), ("glassblower", 1)):
        patient(who, "movement")
        for width in (1100, 1280):
            window.resize(width, 800)
            hands.settle()
            assert header.caution.shown == header.caution.text() != ""
            assert width < 1280 or "involved" in header.facts.shown
            assert (header.height() > 90) == (rows == 2)
