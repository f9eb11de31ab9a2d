"""What mouse and keys do on the drawn parts, in the dialogs, and when something goes wrong."""

from __future__ import annotations

import logging
import shutil
import sys
from datetime import date

import hands
import pytest
from PIL import Image
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QLabel, QMessageBox

from tuning.core.case import FACTS
from tuning.core.entries import Capture, Form, Purpose
from tuning.core.errors import BadInput
from tuning.core.types import LEGS, Role, Side
from tuning.ui import app
from tuning.ui.actions import CommandList, KeySheet
from tuning.ui.explanation_dialog import ExplainDialog
from tuning.ui.figure_column import STATIONS
from tuning.ui.help_dialog import HelpDialog
from tuning.ui.jobs import Job
from tuning.ui.patient_forms import PatientForm, PersonDialog, PersonForm

LEFT_BUTTON, NONE = Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier


def click(widget, at: QPointF) -> None:
    QTest.mouseClick(widget, LEFT_BUTTON, NONE, at.toPoint())


def keys(widget, *pressed: Qt.Key) -> None:
    for key in pressed:
        QTest.keyClick(widget, key)


# drawn parts


def test_the_foot_score_by_mouse_and_by_arrows(window, patient):
    patient("potter", "standing")
    window.page("standing").open_test(window.workspace.knowledge.tests["foot-posture-score"])
    hands.settle()
    grid, panel = window.page("standing").foot_score.grid, window.page("standing").foot_score
    click(grid, grid._cell(0, Side.LEFT, -1).center())
    click(grid, grid._cell(0, Side.RIGHT, 2).center())
    assert grid.scores[Side.LEFT][0] == -1 and grid.scores[Side.RIGHT][0] == 2
    assert grid.at == (1, Side.LEFT), "left, right, next item"
    keys(grid, Qt.Key.Key_Right, Qt.Key.Key_Up, Qt.Key.Key_Up, Qt.Key.Key_Minus)
    assert grid.at == (0, Side.RIGHT), "the cursor stays on the grid"
    QTest.keyClicks(grid, "1")
    assert grid.scores[Side.RIGHT][0] == -1 and "5 items to go" in panel.totals.text()
    assert not panel.keep_button.isEnabled()
    for _ in range(5):
        QTest.keyClicks(grid, "00")
    assert "left −1, supinated" in panel.totals.text() and "right −1" in panel.totals.text()
    panel.keep_button.click()
    items = {
        o.side: list(o.evidence.items) for o in window.workspace.observations() if o.measure_id == "foot-posture-score"
    }
    assert items[Side.LEFT] == [-1, 0, 0, 0, 0, 0]
    grid.scores[Side.LEFT][0] = 2
    panel.load()
    assert grid.scores[Side.LEFT][0] == -1, "what is on record comes back"


def test_shoes_are_brushed_by_mouse_and_keys_and_keep_their_photograph(window, patient, tmp_path):
    patient("potter", "intake")
    window.page("intake").open_leaf("Shoes")
    hands.settle()
    panel, space = window.page("intake").shoes, window.workspace
    soles = panel.map
    panel._choose(2)
    click(soles, soles.zone_box(Side.RIGHT, "heel outer").center())
    assert soles.wear[Side.RIGHT]["heel outer"] == 2 and soles.at == (Side.RIGHT, "heel outer")
    middle = soles.width() / 2
    for side in LEGS:
        inner, outer = (soles.zone_box(side, f"front {edge}").center().x() for edge in ("inner", "outer"))
        assert (inner < middle) == (side is Side.RIGHT), "soles toward you: the right one lies left"
        assert abs(inner - middle) < abs(outer - middle), "inner edges meet in the middle"
    keys(soles, Qt.Key.Key_Right)
    assert soles.at == (Side.RIGHT, "heel inner"), "right of the right outer heel is its inner half"
    keys(soles, Qt.Key.Key_Right, Qt.Key.Key_Right, Qt.Key.Key_Right)
    assert soles.at == (Side.LEFT, "heel outer"), "the last zone is the end"
    keys(soles, Qt.Key.Key_Up, Qt.Key.Key_Up, Qt.Key.Key_Up)
    assert soles.at[1] == "front outer"
    QTest.keyClicks(soles, "3s")
    assert soles.wear[Side.LEFT]["front outer"] == 3 and (Side.LEFT, "front outer") in soles.sore
    keys(soles, Qt.Key.Key_Down)
    QTest.keyClicks(soles, "1")
    wear = {o.side: o.measured for o in space.observations() if o.measure_id == "shoe-wear"}
    assert wear == {Side.LEFT: 4, Side.RIGHT: 2}
    told = []
    space.refused.connect(told.append)
    bad = tmp_path / "soles.jpg"
    bad.write_text("no picture")
    panel.add_photo(bad)
    assert "cannot be read as a photograph" in told[0] and not [
        c for c in space.entries(Capture) if c.purpose is Purpose.SHOES
    ]
    good = tmp_path / "good.png"
    Image.new("RGB", (60, 40), "grey").save(good)
    panel.add_photo(good)
    assert [c.medium.name for c in space.entries(Capture) if c.purpose is Purpose.SHOES] == ["good.png"]
    assert panel.photo.pixmap().height() == 96
    space.undo.undo()
    assert not [c for c in space.entries(Capture) if c.view == "shoes"]


def test_pain_is_tapped_on_the_body_chosen_again_and_removed(window, patient):
    patient("potter", "intake")
    window.page("intake").open_leaf("Complaint")
    hands.settle()
    panel, body = window.page("intake").complaint, window.page("intake").complaint.map
    click(body, body.place("front", 0.056, 0.72))
    click(body, body.place("back", 0.056, 0.72))
    (front, back) = body.sites
    assert (front["region"], front["side"]) == ("front of knee", "left"), "the patient faces us: our right is the left"
    assert back["side"] == "right" and body.current == 1
    hands.type_enter(panel.site.fields["now"].edit, "4")
    click(body, body.place("front", 0.056, 0.72) + QPointF(3, 3))
    assert body.current == 0 and len(body.sites) == 2, "a tap on a mark chooses it"
    for x, side in ((-0.21, "right"), (0.21, "left")):
        click(body, body.place("soles", x, 0.86))
        assert body.sites[-1]["side"] == side, "soles toward you: the right one lies left"
        older = {**body.sites[-1], "x": -body.sites[-1]["x"]}
        assert body._site_place(older).x() == body._site_place(body.sites[-1]).x(), "an older mark keeps its foot"
        panel._remove()
    panel._choose(0)
    kept = window.workspace.form("intake-complaint").data["sites"]
    assert kept[1]["now"] == 4 and "now" not in kept[0]
    panel.remove.click()
    assert [s["side"] for s in body.sites] == ["right"]
    assert len(window.workspace.form("intake-complaint").data["sites"]) == 1


def test_a_station_is_clicked_on_the_figure(window, patient):
    patient("glassblower", "strength")
    hands.settle()
    figure = window.figure
    chosen = []
    figure.station_chosen.connect(chosen.append)
    assert "hip" in STATIONS
    click(figure, figure._place("hip", Side.LEFT))
    click(figure, figure._place("hip", Side.RIGHT))
    assert chosen == ["hip", ""], "a second click takes the choice back"
    click(figure, QPointF(2, 2))
    assert len(chosen) == 2


def test_the_strip_goes_by_keys_and_by_the_mouse(qtbot, window, patient):
    patient("glassblower", "movement")
    movement = window.page("movement").bench
    qtbot.waitUntil(lambda: movement.canvas.image is not None)
    strip, last = movement.strip, len(movement.board.times) - 1
    strip.setFocus()
    keys(strip, Qt.Key.Key_End)
    assert movement.board.frame == last
    keys(strip, Qt.Key.Key_Left, Qt.Key.Key_Left, Qt.Key.Key_Right)
    assert movement.board.frame == last - 1
    keys(strip, Qt.Key.Key_Home)
    assert movement.board.frame == 0
    QTest.mouseClick(strip, LEFT_BUTTON, NONE, QPoint(strip.width() // 2, strip.height() - 6))
    assert movement.board.frame == pytest.approx(last / 2, abs=3)


# windows and dialogs


def test_a_narrow_window_keeps_one_side_open_and_the_keys_change_which(window, patient):
    patient("glassblower", "strength")
    window.resize(1280, 800)
    hands.settle()
    assert window.figure.isVisible() and window.ledger.isVisible()
    window.resize(1100, 700)
    hands.settle()
    assert window.ledger.isVisible() and not window.figure.isVisible() and window.columns.tabs["figure"].isVisible()
    window.toggle_figure()
    assert window.figure.isVisible() and not window.ledger.isVisible()
    window.toggle_ledger()
    assert window.ledger.isVisible() and not window.figure.isVisible()
    window.toggle_ledger()
    assert not window.ledger.isVisible()
    window.resize(1280, 800)
    hands.settle()
    assert window.figure.isVisible(), "what was open comes back with the room"


def test_an_action_is_found_by_a_few_letters_and_run_by_enter(qtbot, window, patient):
    patient("glassblower", "strength")
    found = CommandList(window, window.actions_list)
    qtbot.addWidget(found)
    found.field.setText("fold or")
    assert found.list.count() == 2
    keys(found, Qt.Key.Key_Down)
    wanted = found._shown[found.list.currentRow()]
    assert "ledger" in wanted.name
    before = window.ledger.isVisible()
    keys(found.field, Qt.Key.Key_Return)
    assert window.ledger.isVisible() is not before and not found.isVisible()
    found.field.setText("qqqqq")
    keys(found.field, Qt.Key.Key_Return)
    assert not found._shown and found.near.text() == "No match."
    found.field.setText("foldd the legdr")
    keys(found.field, Qt.Key.Key_Return)
    assert window.ledger.isVisible() is not before, "the nearest is offered and not run by Enter alone"


def test_f1_says_what_a_control_is_for_and_elsewhere_the_help_page_of_what_is_chosen(window, patient, monkeypatch):
    patient("potter", "force")
    shown = []
    monkeypatch.setattr(KeySheet, "exec", lambda sheet: shown.append([w.text() for w in sheet.findChildren(QLabel)]))
    monkeypatch.setattr(HelpDialog, "exec", lambda dialog: shown.append(dialog.key))
    monkeypatch.setattr(ExplainDialog, "exec", lambda dialog: shown.append(dialog.windowTitle()))
    window.page("force").zero.setFocus()
    window.explain()
    assert "stand still" in window.status.message.text() and not shown
    window.page("force").setFocus()
    window.explain()
    assert shown == [f"test:plates-{window.page('force').state.test_id}"]
    window.cupboard.keys()
    assert "F1" in shown[-1] and "Ctrl+K" in shown[-1]


@pytest.mark.parametrize(
    ("effort", "stage"),
    [("clip-squat-front:none", "movement"), ("plates-jump:none", "force"), ("knee-to-wall:none", "mobility")],
)
def test_a_stop_of_the_order_opens_where_it_is_done(window, patient, effort, stage):
    patient("ferry deckhand", "strength")
    test_id = effort.split(":")[0]
    window.order.choose([test_id, "hip-abd"])
    wanted = next(s.effort.id for s in window.order.order.stops if s.effort.test == test_id)
    window.open(window.order.target(wanted))
    assert window.stage == stage
    if stage == "force":
        assert window.page("force").state.test_id == "jump"
    if stage == "mobility":
        assert window.page("mobility").state.step.test.id == test_id
    window.open(window.order.target("nothing:none"))
    assert window.stage == stage, "what is no longer in the order opens nothing"


def test_a_patient_needs_a_name_and_a_possible_body(qtbot, window):
    form = PatientForm(window)
    qtbot.addWidget(form)
    with pytest.raises(BadInput, match="name is needed"):
        form.check()
    form.name.setText("Runa Vik")
    form.mass.setText("7000 kg")
    with pytest.raises(BadInput):
        form.check()
    form.mass.setText("71,5")
    form.stature.setText("168 cm")
    with pytest.raises(BadInput, match="Birth date"):
        form.check()  # empty until it is typed
    form.birth.setText("3/4/1990")
    form.date_order.setCurrentIndex(0)
    form.check()
    assert form.values["birth_date"] == date(1990, 4, 3)
    form.date_order.setCurrentIndex(1)
    form.check()
    assert form.values["birth_date"] == date(1990, 3, 4)
    assert form.values["body_mass_kg"] == 71.5 and form.values["stature_m"] == pytest.approx(1.68)
    form.mass.clear()
    form.check()
    assert form.values["body_mass_kg"] is None, "unknown is unknown, not zero"


def test_facts_are_put_right_and_the_earlier_ones_kept(window, patient, monkeypatch):
    potter = patient("potter", "intake")
    was = potter.body_mass_kg

    def answer(form):
        form.mass.setText("71 kg")
        form.leg.setCurrentText("left")
        form.keep()
        return form.result()

    monkeypatch.setattr(PatientForm, "exec", answer)
    QTest.keyClick(window, Qt.Key.Key_E, Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier)
    space = window.workspace
    assert (space.patient.body_mass_kg, space.patient.dominant_leg) == (
        71.0,
        "left",
    ) and "71 kg" in window.header.facts.text()
    assert [e.data for e in space.entries(Form) if e.kind == FACTS] == [{"body_mass_kg": 71.0, "dominant_leg": "left"}]
    again = next(p for p in space.record.patients("potter"))
    assert again.body_mass_kg == 71.0 and again.birth_date == potter.birth_date
    space.undo.undo()
    assert space.patient.body_mass_kg == was


def test_a_profile_is_added_and_taken(qtbot, window, monkeypatch):
    space = window.workspace
    dialog = PersonDialog(space.record, window)
    qtbot.addWidget(dialog)
    form = PersonForm(window)
    qtbot.addWidget(form)
    with pytest.raises(BadInput, match="saved with every entry"):
        form.check()

    def fill(made: PersonForm) -> int:
        made.name.setText("Sunniva Aas")
        made.role.setCurrentText("trainer")
        return 1

    monkeypatch.setattr(PersonForm, "exec", fill)
    dialog._add()
    assert dialog.person is not None and dialog.person.role is Role.TRAINER
    space.choose_person(dialog.person)
    assert "Sunniva Aas, trainer" in window.header.who.text()


# when something goes wrong


def test_work_that_fails_or_is_stopped_tells_so_and_changes_nothing(qtbot, window, patient, caplog):
    patient("potter", "movement")
    before = len(window.workspace.observations())

    def broken(_tick):
        raise ZeroDivisionError

    with caplog.at_level(logging.ERROR, "tuning"):
        window.jobs.start(Job("Counting stars", broken))
        qtbot.waitUntil(lambda: "failed unexpectedly" in window.status.message.text())
    assert "ZeroDivisionError" in caplog.text and window.status.bar.isHidden()

    def endless(tick):
        while True:
            tick(0.5)

    window.jobs.start(Job("Counting on", endless))
    qtbot.waitUntil(lambda: window.status.bar.isVisible() and window.status.bar.value() == 50)
    window.status.cancel.click()
    qtbot.waitUntil(lambda: "Stopped. Nothing was changed." in window.status.message.text())
    assert len(window.workspace.observations()) == before


def test_what_nobody_expected_is_logged_and_told_with_the_place_of_the_log(qtbot, tmp_path, monkeypatch):
    told, log = [], tmp_path / "logs" / "tuning.log"
    monkeypatch.setattr(QMessageBox, "warning", lambda *args: told.append(args[2]))
    monkeypatch.setattr(sys, "excepthook", sys.excepthook)
    logger = logging.getLogger("tuning")
    handlers = list(logger.handlers)
    app._catch_unexpected(log)
    try:
        for err in (KeyError("lost"), BadInput("The file is empty.")):
            sys.excepthook(type(err), err, None)
    finally:
        for handler in [h for h in logger.handlers if h not in handlers]:
            handler.close()
            logger.removeHandler(handler)
    assert "Something unexpected" in told[0] and str(log) in told[0] and "What was saved is safe" in told[0]
    assert "The file is empty." in told[1], "our own sentences are told as they are"
    assert "KeyError" in log.read_text() and "lost" not in log.read_text(), "a message may hold a patient's words"


def test_people_stand_there_before_the_workbench_and_what_is_typed_meanwhile_stays(qtbot, tmp_path, demo_folder):
    shutil.copytree(demo_folder, tmp_path / "demo")
    frame = app.TopWindow(tmp_path / "demo")
    qtbot.addWidget(frame)
    record, people = frame.show_people()
    assert len(people.lines()) == 5 and frame.window_in is None
    people.search.setText("potter")
    window = app.build_window(record, day_list=people)
    qtbot.addWidget(window)
    assert window.day_list is people and len(people.lines()) == 1
    assert people.receivers(people.patient_chosen) == 1
    window.close()


def test_a_record_that_cannot_be_opened_is_told_in_the_frame(qtbot, tmp_path):
    (tmp_path / "record.sqlite").write_bytes(b"this is no database" * 200)
    frame = app.TopWindow(tmp_path)
    qtbot.addWidget(frame)
    frame.open()
    assert frame.window_in is None and len(frame.waiting.text()) > 20
    assert (tmp_path / "record.sqlite").read_bytes().startswith(b"this is no database"), "it was not touched"
