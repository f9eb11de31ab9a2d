"""Markers that the program finds: one key from an opened clip to its numbers."""

import hands
import numpy as np
import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QLineEdit

from tuning.core.entries import Mark, Track
from tuning.demo.clips import CLIPS

pytestmark = pytest.mark.body_model  # which ./check fetches: without it these fail


@pytest.fixture
def bench(qtbot, window, patient):
    patient("beekeeper", "movement")
    window.new_visit()
    window.go("movement")
    return window.page("movement").bench


def opened(qtbot, window, name, view):
    hands.open_picture(qtbot, window, CLIPS[name].path, view)
    qtbot.waitUntil(lambda: not window.jobs.running, timeout=60_000)
    hands.settle()


def test_one_key_leads_from_an_opened_clip_to_its_numbers(qtbot, window, bench):
    opened(qtbot, window, "walk-rear", "rear")
    frame = bench.board.frame
    proposed = bench.board.proposed[frame]
    truth = CLIPS["walk-rear"].truth(frame)
    assert len(proposed) >= 10 and all(np.hypot(*(at - truth[name])) < 3 for name, at in proposed.items())
    assert not window.workspace.entries(Mark), "nothing is written before somebody takes it"
    QTest.keyClick(bench.canvas, Qt.Key.Key_Return)
    qtbot.waitUntil(lambda: bool(window.workspace.entries(Track)), timeout=60_000)
    hands.settle()
    sides = {(o.measure_id, o.side.value) for o in window.workspace.observations()}
    assert {("gait-pelvic-drop", "left"), ("gait-pelvic-drop", "right")} <= sides
    assert not bench.board.proposed and not bench.propose_button.isVisible()


def test_a_field_keeps_its_own_enter_and_from_another_frame_theirs_is_marked(qtbot, window, bench):
    opened(qtbot, window, "squat-front", "front")
    frame = bench.board.frame
    field = next(field for field in bench.panel.findChildren(QLineEdit) if field.isVisible())
    field.setFocus()
    for key in (Qt.Key.Key_4, Qt.Key.Key_Return, Qt.Key.Key_Escape):
        QTest.keyClick(field, key)
    assert bench.board.proposed and not window.workspace.entries(Mark)
    bench.go(frame + 40)
    qtbot.waitUntil(lambda: bench.board.frame == frame + 40)
    bench.canvas.setFocus()
    QTest.keyClick(bench.canvas, Qt.Key.Key_Return)
    assert {mark.frame for mark in window.workspace.entries(Mark)} == {frame}
    qtbot.waitUntil(lambda: bool(window.workspace.entries(Track)), timeout=60_000)


def test_what_comes_after_another_person_was_opened_is_nobody_s(qtbot, window, bench, patient):
    bench.open_file(CLIPS["squat-front"].path, "front")
    qtbot.waitUntil(lambda: any(job.text == "Looking for the markers" for job in window.jobs.running), timeout=60_000)
    patient("ferry deckhand", "movement")
    qtbot.waitUntil(lambda: not window.jobs.running, timeout=60_000)
    hands.settle()
    bench.canvas.setFocus()
    QTest.keyClick(bench.canvas, Qt.Key.Key_Return)
    assert not bench.board.proposed and not bench.propose_button.isVisible()


def test_escape_leaves_them_and_the_button_looks_again(qtbot, window, bench):
    opened(qtbot, window, "squat-front", "front")
    assert bench.board.proposed and bench.propose_button.text() == "Take 8 markers (Enter)"
    QTest.keyClick(bench.canvas, Qt.Key.Key_Escape)
    assert not bench.board.proposed and bench.propose_button.text() == "Find markers"
    bench.propose_button.click()
    qtbot.waitUntil(lambda: bool(bench.board.proposed), timeout=60_000)
    assert not window.workspace.entries(Mark)


def test_a_clip_from_another_side_than_was_said_is_told_and_not_marked(qtbot, window, bench):
    said = []
    bench.refused.connect(said.append)
    opened(qtbot, window, "squat-front", "rear")
    assert not bench.board.proposed and "from the front, not from behind" in said[-1]
