"""The drawn views of the Force stage by themselves: trace, readings, sway, card, live."""

from __future__ import annotations

import hands
import numpy as np
import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QLabel

from tuning.core.force.analysis import analyse
from tuning.core.force.plate_tests import TESTS
from tuning.core.force.recording import Recording
from tuning.core.types import Side
from tuning.demo.plate_profiles import body, scene
from tuning.demo.simulated_plates import Faults, SimulatedPlates, heard, points_heard
from tuning.knowledge import load
from tuning.ui.force.instruction_card import TestCard
from tuning.ui.force.live import LivePlates
from tuning.ui.force.sway_map import SwayMap
from tuning.ui.force.trace import ReadingTable, TraceView

LEFT_BUTTON, NONE = Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier


def recorded(test: str, side: Side = Side.NONE) -> Recording:
    random = np.random.default_rng(11)
    made = scene(body("potter", 66.0), test, side.value, random)
    left, right = heard(made, Faults(), random)
    points = {Side(leg): at for leg, at in points_heard(made, Faults(), random).items()}
    return Recording(made.rate, {Side.LEFT: left, Side.RIGHT: right}, (), points)


@pytest.fixture
def shown(qtbot):
    """Shows a widget at a size."""

    def show(widget, width=700, height=400):
        qtbot.addWidget(widget)
        widget.resize(width, height)
        widget.show()
        hands.settle()
        return widget

    return show


def words(widget) -> list[str]:
    return [found.text() for found in widget.findChildren(QLabel) if found.isVisible()]


def test_a_stretch_of_the_trace_is_dragged_and_the_whole_comes_back(shown):
    view, recording = shown(TraceView()), recorded("squat-iso")
    empty = view.grab().toImage()
    view.show_recording(recording, analyse(recording, "squat-iso"))
    whole = view._view
    assert whole == (0.0, recording.size / recording.rate) and view.grab().toImage() != empty
    box = view._box()
    start, end = (QPoint(round(box.left() + share * box.width()), 100) for share in (0.25, 0.5))
    QTest.mousePress(view, LEFT_BUTTON, NONE, end)
    QTest.mouseRelease(view, LEFT_BUTTON, NONE, start)
    assert view._view == pytest.approx((0.25 * whole[1], 0.5 * whole[1]), abs=0.05), "dragged from either end"
    close = view._view
    QTest.mousePress(view, LEFT_BUTTON, NONE, start)
    QTest.mouseRelease(view, LEFT_BUTTON, NONE, start + QPoint(5, 0))
    assert view._view == close, "a click is no stretch"
    QTest.mouseDClick(view, LEFT_BUTTON)
    assert view._view == whole
    view.look_at(2.0, 2.0)
    assert view._view[1] > view._view[0], "a stretch is never empty"
    view.grab()


@pytest.mark.parametrize("test", TESTS)
def test_readings_of_one_repetition_are_not_cut_off(shown, test):
    """Its spread is told by no SD, and no error is known of most of what a jump tells."""
    side = Side.LEFT if TESTS[test].legs == 1 else Side.NONE
    found = analyse(recorded(test, side), test, side)
    found.reps = found.reps[:1]
    table = shown(ReadingTable(load().plate_errors), 400, 700)
    table.show_analysis(found)
    hands.settle()
    assert table.widget().minimumSizeHint().width() <= table.viewport().width()


def test_readings_carry_their_error_where_one_is_known_and_their_spread_elsewhere(shown):
    table = shown(ReadingTable(load().plate_errors), 400, 700)
    recording = recorded("squat-iso")
    found = analyse(recording, "squat-iso")
    table.show_analysis(found)
    hands.settle()
    told = words(table)
    mean, _, best, n = found.summary("peak", Side.LEFT)
    assert f"{mean:.0f}" in told and any(text.startswith("±") for text in told)
    assert any(text.startswith("SD ") for text in told), "times have a spread and no stated error"
    assert any("95 % error" in text and "Means of 3 repetitions" in text for text in told)
    tips = [
        w.toolTip() for w in table.findChildren(object) if hasattr(w, "toolTip") and w.toolTip().startswith("Peak:")
    ]
    assert any(f"best {best:.0f}, {n} of {n} repetitions" in tip and "N," in tip for tip in tips)
    table.show_analysis(None)
    hands.settle()
    assert not [text for text in words(table) if text.startswith("±")]


def test_a_mean_says_of_how_many_repetitions_and_what_is_left_out_is_one_sentence(shown):
    """One of three pushes has rates of the first 50 ms: the number must not pass for a mean of three."""
    found = analyse(recorded("squat-iso"), "squat-iso")
    assert len(found.reps) == 3
    for rep in found.reps[1:]:
        rep.values.pop(("rate-50", Side.RIGHT), None)
    found.reps[0].values["rate-50", Side.RIGHT] = 2000.0
    found.not_measured = {f"rise 0-50 ms, right, repetition {n}": "it sways" for n in (2, 3)}
    table = shown(ReadingTable(load().plate_errors))
    table.show_analysis(found)
    texts = [one.text() for one in table.findChildren(QLabel)]
    assert sum(text.endswith(", 1 of 3") for text in texts) == 1
    assert [text for text in texts if text.startswith("Not measured")] == [
        "Not measured, since it sways: rise 0-50 ms, right, repetition 2; rise 0-50 ms, right, repetition 3."
    ]


def test_sway_is_drawn_for_stands_that_tell_it_and_for_nothing_else(shown):
    sway = shown(SwayMap(), 400, 340)
    stand = recorded("quiet-stance")
    sway.show_recording(stand, analyse(stand, "quiet-stance"))
    assert sway.isVisible() and "from above" in sway.accessibleName()
    both = sway.grab().toImage()
    one = recorded("stance-one-leg", Side.RIGHT)
    sway.show_recording(one, analyse(one, "stance-one-leg", Side.RIGHT))
    assert "right leg" in sway.accessibleName() and sway.grab().toImage() != both
    for recording, test in (
        (recorded("squat-iso"), "squat-iso"),
        (Recording(stand.rate, stand.force), "quiet-stance"),
    ):
        sway.show_recording(recording, analyse(recording, test))
        assert sway.isHidden(), "no centre of pressure, no picture"


def test_the_card_says_and_draws_what_the_test_is(shown):
    card, advice = shown(TestCard(), 900, 420), load().plates
    pictures = set()
    for name, told in advice.items():
        side = Side.LEFT if TESTS[name].legs == 1 else Side.NONE
        card.show_test(TESTS[name].name, told, side)
        assert told.cue in card.accessibleName() and told.mistake in card.accessibleName()
        assert ("left leg" in card.accessibleName()) is (side is Side.LEFT)
        image = card.grab().toImage()
        pictures.add(bytes(image.bits().asarray(image.sizeInBytes())))
    assert len(pictures) == len(advice), "no two tests look the same"


def test_crossed_plates_are_put_right_as_they_come(qtbot, shown):
    view, taken = shown(LivePlates(), 800, 380), []
    view.recorded.connect(taken.append)
    made = scene(body("potter", 66.0), "stance-one-leg", "left", np.random.default_rng(3))
    clock = iter(np.arange(0, 100, 2.0))
    view.crossed = True
    view.start(SimulatedPlates(made, seed=5, clock=lambda: float(next(clock))), record=True)
    qtbot.waitUntil(lambda: view.buffer.count > 8000)
    view.grab()
    view.stop()
    samples = taken[0]
    assert samples.shape[1] == 7
    late = samples[samples[:, 0] > 4]
    assert np.median(late[:, 1]) < 20 < 500 < np.median(late[:, 2]), "the left foot stood on the plate called left"
    assert np.median(late[:, 5]) < -100, "the point goes with its plate"
    assert not view.running
