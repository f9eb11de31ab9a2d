"""What a user's hands do: clicks, drags and keys on the real widgets."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QLabel

LEFT, NONE = Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier


def settle() -> None:
    """Let everything that was asked for come onto the screen."""
    for _ in range(3):
        QApplication.processEvents()


def until_there(canvas) -> None:
    """Wait for the picture of the frame that is meant, as eyes do."""
    for _ in range(2000):
        if canvas.arrived:
            return
        QTest.qWait(5)
    raise AssertionError("the picture never came")


def click_at(canvas, place) -> None:
    """Click the picture at an image point, as near as whole screen pixels allow, once it is there."""
    until_there(canvas)
    QTest.mouseClick(canvas, LEFT, NONE, canvas.to_widget(np.asarray(place, dtype=float)).toPoint())


def drag(canvas, start, end) -> None:
    """Press on one image point, move, release on another, once the picture is there."""
    until_there(canvas)
    a, b = (canvas.to_widget(np.asarray(p, dtype=float)).toPoint() for p in (start, end))
    QTest.mousePress(canvas, LEFT, NONE, a)
    QTest.mouseMove(canvas, a + QPoint(9, 9))
    QTest.mouseMove(canvas, b)
    QTest.mouseRelease(canvas, LEFT, NONE, b)


def place(window, name: str, at) -> None:
    """Choose a landmark on the panel and click it on the picture."""
    window.page("movement").bench.panel._buttons[name].click()
    click_at(window.page("movement").bench.canvas, at)


def mark_plumb_line(window, ends) -> None:
    """Choose the plumb line and click both ends."""
    window.page("movement").bench.panel._buttons["plumb line"].click()
    for end in ends:
        click_at(window.page("movement").bench.canvas, end)


def record_screen(window, *yes: str, note: str = "") -> None:
    """Answer the safety screen: yes to some questions, no to the rest, and record it."""
    window.page("intake").open_leaf("Safety")
    settle()
    panel = window.page("intake").safety
    for key in yes:
        panel.list.answer(key, True)
    panel.list.rest_no()
    panel.note.setText(note)
    panel.save.click()


def clear_finding(window, subject: str, result: str = "films clear") -> None:
    """Clear one finding or limit, as its list offers them."""
    window.page("intake").open_leaf("Safety")
    settle()
    panel = window.page("intake").safety
    panel.subject.setCurrentIndex(panel.subject.findData(subject))
    panel.cleared_by.setText("Dr. Marsh")
    panel.result.setText(result)
    panel.clear()


def type_enter(field, text: str) -> None:
    """Type into a field and press Enter."""
    field.setFocus()
    QTest.keyClicks(field, text)
    QTest.keyClick(field, Qt.Key.Key_Return)


def key(widget, text: str) -> None:
    """Press keys on a widget; a line end is Enter."""
    widget.setFocus()
    for letter in text:
        if letter == "\n":
            QTest.keyClick(widget, Qt.Key.Key_Return)
        else:
            QTest.keyClicks(widget, letter)


def open_picture(qtbot, window, path, view) -> None:
    """Open a file as the menu would and wait until its frame is on screen."""
    window.page("movement").bench.open_file(path, view)
    qtbot.waitUntil(lambda: window.jobs.newest is None and window.page("movement").bench.canvas.image is not None)
    settle()


def shown_value(window, measure_id: str, side: str) -> str:
    """The number on the Movement panel, as read by eye."""
    settle()
    labels = window.page("movement").bench.panel.findChildren(QLabel, f"value-{measure_id}-{side}")
    return next(found.text() for found in labels if found.isVisible())


def put_plates(window, monkeypatch, plates):
    """Other plates under the patient: `plates` makes them from the Subject that stands on them."""
    monkeypatch.setattr(window.workspace, "devices", replace(window.workspace.devices, plates=plates))


def planned(page) -> dict[str, object]:
    """Exercises that stand on the programme page, by rung."""
    return {item.rung: item for item in page._workspace.plan()}
