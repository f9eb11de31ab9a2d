"""What is drawn of the left stands left, and moves over when the legs are exchanged: every picture of two sides."""

from __future__ import annotations

from types import SimpleNamespace

import numpy as np
import pytest
from PyQt6.QtCore import QRectF
from PyQt6.QtGui import QColor, QImage, QPainter
from PyQt6.QtWidgets import QWidget

from tuning.core.judging.comparison import compare_sides, judge_value
from tuning.core.movement.kinematics import Curve
from tuning.core.types import LEGS, Observation, Side
from tuning.knowledge import load
from tuning.ui import theme
from tuning.ui.figure_column import FigureColumn, finding_side
from tuning.ui.force.live import paint_beam as paint_live_beam
from tuning.ui.ledger import LedgerRow
from tuning.ui.picture.result_curves import CurveView
from tuning.ui.standing.scales import _Readings
from tuning.ui.symbols import paint_beam

MEASURES = load().measures
LEFT, RIGHT = LEGS
ROLES = ("raised", "standing leg", "supporting", "leg in front", "leg behind", "leading", "rear ", "on top")


def pixels(image: QImage) -> np.ndarray:
    image = image.convertToFormat(QImage.Format.Format_RGB32)
    raw = image.constBits().asarray(image.sizeInBytes())
    lines = np.frombuffer(raw, np.uint8).reshape(image.height(), image.bytesPerLine() // 4, 4)
    return lines[:, : image.width(), :3].copy()  # the image is let go


def grabbed(widget: QWidget) -> np.ndarray:
    return pixels(widget.grab().toImage()).astype(int)


def middle_of(one: np.ndarray, other: np.ndarray) -> float:
    """Where along the width the first picture differs from the second, 0 to 1."""
    changed = np.abs(one - other).sum(axis=(0, 2))
    return float((changed * np.arange(changed.size)).sum() / changed.sum() / changed.size)


def seen(key: str, side: Side, value: float) -> Observation:
    return Observation(key, side, value, np.full(3, value), "mean")


def pair(key: str, left: float, right: float):
    return compare_sides(MEASURES[key], seen(key, LEFT, left), seen(key, RIGHT, right))


@pytest.mark.parametrize("key", ["hip-abd", "knee-to-wall"])
def test_the_beam_of_the_ledger_points_to_the_greater_side(qtbot, key):
    rows = {}
    for name, (left, right) in {"left": (30.0, 10.0), "even": (20.0, 20.0), "right": (10.0, 30.0)}.items():
        row = LedgerRow(pair(key, left, right))
        qtbot.addWidget(row)
        row.resize(280, row.sizeHint().height())
        rows[name] = grabbed(row)[36:52, 90:-90]  # the beam alone
    ink = {name: np.argwhere(beam.sum(axis=2) < 250)[:, 1].mean() / beam.shape[1] for name, beam in rows.items()}
    assert ink["left"] < 0.45 < ink["even"] < 0.55 < ink["right"]


def test_values_of_the_ledger_stand_at_their_legs_and_a_tilt_at_the_higher_side(qtbot):
    def shown(row) -> np.ndarray:
        widget = LedgerRow(row)
        qtbot.addWidget(widget)
        widget.resize(280, widget.sizeHint().height())
        return grabbed(widget)[28:60]

    one, other = shown(pair("hip-abd", 20.0, 88.0)), shown(pair("hip-abd", 88.0, 20.0))
    assert (one[:, 16:90] != other[:, 16:90]).any() and (one[:, 190:264] != other[:, 190:264]).any()
    tilt = MEASURES["gait-pelvic-tilt"]
    up_right, up_left = (shown(judge_value(tilt, seen(tilt.id, Side.NONE, v))) for v in (9.0, -9.0))
    assert tilt.more == ("right higher", "left higher")
    ink = lambda part: int((part.sum(axis=2) < 250).sum())  # noqa: E731
    assert ink(up_right[:, 196:264]) > 10 > ink(up_right[:, 16:84])
    assert ink(up_left[:, 16:84]) > 10 > ink(up_left[:, 196:264])


@pytest.mark.parametrize("key", ["hip-abd", "knee-to-wall", "achilles-heel-tilt"])
def test_the_figure_is_marked_on_the_side_of_the_finding(qtbot, key):
    figure = FigureColumn()
    qtbot.addWidget(figure)
    figure.resize(176, 700)
    bare = grabbed(figure)
    for left, right in ((10.0, 40.0), (40.0, 10.0)):
        row = pair(key, left, right)
        greater = RIGHT if right > left else LEFT
        side = greater.other if MEASURES[key].finding == "smaller" else greater
        assert finding_side(row) is side
        figure.show_rows([row])
        where = middle_of(grabbed(figure)[52:550], bare[52:550])
        assert (where < 0.5) == (side is LEFT), "seen from behind, left is left"


def beam(paint) -> np.ndarray:
    image = QImage(200, 40, QImage.Format.Format_RGB32)
    image.fill(QColor("white"))
    painter = QPainter(image)
    paint(painter, QRectF(10, 4, 180, 32))
    painter.end()
    return pixels(image).astype(int)


def test_the_beams_tip_to_the_heavier_side(qtbot):
    even, left, right = (beam(lambda p, b, v=v: paint_live_beam(p, b, v, 5.0)) for v in (50.0, 30.0, 70.0))
    assert (left == right[:, ::-1]).mean() > 0.9 and (left != right).any() and (even != left).any()
    low = lambda picture, half: np.argwhere((picture != 255).any(axis=2)[:, half])[:, 0].max()  # noqa: E731
    assert low(left, slice(12, 60)) > low(left, slice(140, 188)), "the heavier end hangs lower"
    assert low(right, slice(12, 60)) < low(right, slice(140, 188))
    verdicts = [pair("hip-abd", *values).verdict for values in ((90.0, 30.0), (30.0, 90.0))]
    one, other = (beam(lambda p, b, v=v: paint_beam(p, b, v)) for v in verdicts)
    assert middle_of(one, other) == pytest.approx(0.5, abs=0.02) and (one == other[:, ::-1]).mean() > 0.97


def test_the_bar_of_two_scales_is_longer_on_the_heavier_side(qtbot):
    bars = _Readings()
    qtbot.addWidget(bars)
    bars.resize(400, 190)
    wash = {side: np.array(theme.colour(f"{side.value}_wash").getRgb()[:3][::-1]) for side in LEGS}
    for left, right in ((38.0, 42.0), (42.0, 38.0)):
        bars.pairs = [(left, right)]
        row = grabbed(bars)[54]
        length = {side: int((np.abs(row - wash[side]).sum(axis=1) < 12).sum()) for side in LEGS}
        places = {side: np.flatnonzero(np.abs(row - wash[side]).sum(axis=1) < 12).mean() for side in LEGS}
        assert (length[LEFT] > length[RIGHT]) == (left > right) and places[LEFT] < places[RIGHT]


@pytest.mark.parametrize("key", ["gait-bkh-deviation", "squat-front-fppa"])
def test_the_curve_of_each_leg_has_its_colour_and_only_its_own_cycles(qtbot, key):
    """The left leg is flat and low in its cycles, the right high; in the other leg's cycles both go astray."""
    times = np.arange(0, 4, 0.02)
    for low in LEGS:
        cycles = [(LEFT, 0.2, 1.0), (RIGHT, 1.2, 2.0), (LEFT, 2.2, 3.0), (RIGHT, 3.2, 3.9)]
        values = {side: np.full(times.size, 35.0) for side in LEGS}
        for side, start, end in cycles:
            values[side][(times >= start) & (times <= end)] = 10.0 if side is low else 60.0
        result = SimpleNamespace(curves=[Curve(key, s, values[s]) for s in LEGS], cycles=cycles, task="x")
        view = CurveView(SimpleNamespace(result=result, tracks=SimpleNamespace(times=times)), MEASURES)
        qtbot.addWidget(view)
        view.resize(600, 150)
        view.choose(key)
        picture = grabbed(view)[30:130, 60:450]
        rows = {}
        for side in LEGS:
            colour = np.array(theme.colour(side.value).getRgb()[:3][::-1])
            rows[side] = np.argwhere(np.abs(picture - colour).max(axis=2) < 24)[:, 0]
            assert rows[side].size > 200 and np.ptp(rows[side]) < 12, "a flat line: its own cycles alone"
        assert rows[low].mean() > rows[low.other].mean() + 30


@pytest.mark.parametrize("low", LEGS)
@pytest.mark.parametrize("apart", [0.0, 3.0])
def test_where_two_curves_end_close_together_the_name_of_the_higher_stands_above(qtbot, low, apart):
    times = np.arange(0, 4, 0.02)
    cycles = [(LEFT, 0.0, 0.9), (RIGHT, 1.0, 1.9), (LEFT, 2.0, 2.9), (RIGHT, 3.0, 3.9)]
    values = {s: 60.0 * (1 - times % 1.0) + (0.0 if s is low else apart) for s in LEGS}
    key = "gait-bkh-deviation"
    result = SimpleNamespace(curves=[Curve(key, s, values[s]) for s in LEGS], cycles=cycles, task="x")
    view = CurveView(SimpleNamespace(result=result, tracks=SimpleNamespace(times=times)), MEASURES)
    qtbot.addWidget(view)
    view.resize(600, 170)
    view.choose(key)
    margin = grabbed(view)[:, 600 - 72 :]
    rows = {}
    for side in LEGS:
        colour = np.array(theme.colour(side.value).getRgb()[:3][::-1])
        rows[side] = np.argwhere(np.abs(margin - colour).max(axis=2) < 60)[:, 0]
        assert rows[side].size > 20, "each line has its name"
    upper, lower = sorted(LEGS, key=lambda side: rows[side].mean())
    assert rows[upper].max() < rows[lower].min(), "neither name lies on the other"
    assert not apart or lower is low


def test_no_prompt_with_a_side_can_be_taken_for_the_other_leg():
    """Where one leg stands and the other is raised, or one is in front, the prompt says which, and its mirror too."""
    tests, measures = load().tests, MEASURES
    for test in tests.values():
        for question in test.questions:
            told = measures[question.measure].definition + measures[question.measure].sign if question.measure else ""
            two_roles = any(word in told + question.text for word in ROLES)
            words = {side: test.side_words(question, side) for side in LEGS}
            assert words[LEFT] != words[RIGHT] and "left" in words[LEFT] and "right" in words[RIGHT]
            swapped = words[LEFT].replace("left", "#").replace("right", "left").replace("#", "right")
            assert words[RIGHT] == swapped, (test.id, words)
            asked_by_side = question.per_side or bool(question.measure and measures[question.measure].paired)
            assert not (two_roles and asked_by_side) or len(words[LEFT].split()) > 1, (test.id, question.text)
    bridge = tests["bridge-bar"]
    assert bridge.side_words(bridge.questions[0], RIGHT) == "right foot on the floor, left foot raised"
