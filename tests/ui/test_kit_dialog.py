"""Kit at home under hands: asked once, told in list, plan and sheet, and locking what cannot be done with it."""

from __future__ import annotations

from datetime import date

import hands
from pypdf import PdfReader
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QCheckBox, QLabel

from tuning.ui.programme.kit_dialog import KitDialog

BOARD = "board or firm book of 5 cm"


def test_kit_at_home_is_asked_and_what_serves_instead_stands_in_list_plan_and_sheet(programme, tmp_path):
    asked = KitDialog(programme.state.course.kit(), programme)
    assert not any(box.isChecked() for box in asked.boxes.values()) and programme.state.course.kit().at_hand is None
    for thing in (BOARD, "bottom stair", "mat"):
        asked.boxes[thing].click()
    assert asked.boxes[BOARD].isChecked() and len(asked.findChildren(QCheckBox)) > len(asked.boxes)
    programme.choose.plan.set_kit(asked.chosen())
    again = KitDialog(programme.state.course.kit(), programme)
    assert {thing for thing, box in again.boxes.items() if box.isChecked()} == {BOARD, "bottom stair", "mat"}
    words = [label.text() for label in programme.choose.plan.findChildren(QLabel)]
    assert f"{BOARD} instead of step of 5 cm" in words
    assert "Not at home: band" in words and "Not at home: rail" in words
    listed = [programme.choose.ladders.list.item(n).text() for n in range(programme.choose.ladders.list.count())]
    assert any("not now: not at hand: band" in text for text in listed)
    programme.state.print_sheet(tmp_path / "sheet.pdf", date(2026, 11, 28))
    text = " ".join(" ".join(p.extract_text().split()) for p in PdfReader(tmp_path / "sheet.pdf").pages)
    assert "You need: board or firm book of 5 cm." in text and "You need: band (to be found)." in text
    again._forget()
    programme.choose.plan.set_kit(again.chosen())
    assert programme.state.course.kit().at_hand is None


def test_a_rung_whose_kit_is_missing_is_no_next_step(programme):
    item = next(i for i in programme._workspace.plan() if i.rung == "hb-1-calf")
    assert programme.state.course.status.step_up(item) is not None
    step = next(s for s in [programme.state.course.status.step_up(item)] if s is not None)
    needs = programme._workspace.knowledge.ladder_of(step.rung.id).needs(step.rung)
    programme.state.course.set_kit([])
    assert needs and "not at hand" in programme.state.course.exercise(item).locked
    programme.state.course.set_kit(needs)
    assert "not at hand" not in programme.state.course.exercise(item).locked


def test_a_tick_can_be_seen_while_it_has_the_focus(programme):
    """Keys tick a box; a style of the frame alone once hid the tick of the box that had the focus."""
    asked = KitDialog(programme.state.course.kit(), programme)
    asked.show()
    asked.activateWindow()
    box = asked.boxes["mat"]
    box.setFocus()
    hands.settle()
    empty = box.grab().toImage()
    QTest.keyClick(box, Qt.Key.Key_Space)
    assert box.isChecked() and box.hasFocus()
    mid = [box.grab().toImage().pixelColor(x, y).lightness() for x in range(3, 12) for y in range(4, 16)]
    was = [empty.pixelColor(x, y).lightness() for x in range(3, 12) for y in range(4, 16)]
    assert sum(abs(a - b) > 60 for a, b in zip(mid, was, strict=True)) > 30, "the middle of the box is filled"
    asked.close()
