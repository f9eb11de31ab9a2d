"""Drawings beside a question: where to look on the body, or the test position with what is read off."""

from __future__ import annotations

import math

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QSizePolicy, QWidget

from tuning.core.test_definitions import AnswerKind, TestDefinition
from tuning.core.types import LEGS, Side
from tuning.drawings.positions import DRAWN, PositionDrawing, standing_side
from tuning.ui import theme
from tuning.ui.exercise_figure import paint_fitted, tested_figure
from tuning.ui.guided_tests.state import RunState
from tuning.ui.symbols import begin_panel, body_outline, paint_outlines, paint_side

TILT_PER_GRADE = 4.0
"""Drawn tilt of a level line, degrees a grade: a picture, not the measured angle."""


def paint_position(painter: QPainter, position: PositionDrawing, box: QRectF) -> None:
    """A position to fit a box, with the angles and lengths that are read off."""
    points = [p for shape in position.shapes for p in shape.points]
    points += [p for angle in position.angles for p in angle] + [p for line in position.lengths for p in line]
    left, right = min(x for x, _ in points), max(x for x, _ in points)
    low, high = min(y for _, y in points), max(y for _, y in points)
    scale = min(box.width() / (right - left), box.height() / (high - low))
    origin = QPointF(box.center().x() - scale * (left + right) / 2, box.center().y() + scale * (low + high) / 2)

    def at(point: tuple[float, float]) -> QPointF:
        return QPointF(origin.x() + scale * point[0], origin.y() - scale * point[1])

    paint_outlines(painter, list(position.shapes), origin, scale)
    painter.setBrush(Qt.BrushStyle.NoBrush)
    for vertex, first, second in position.angles:
        for end, style in ((first, Qt.PenStyle.DashLine), (second, Qt.PenStyle.SolidLine)):
            painter.setPen(QPen(theme.colour("accent"), 2, style))
            painter.drawLine(at(vertex), at(end))
        turns = [math.degrees(math.atan2(e[1] - vertex[1], e[0] - vertex[0])) for e in (first, second)]
        sweep = (turns[1] - turns[0] + 180) % 360 - 180
        radius = 0.6 * scale * min(math.dist(vertex, first), math.dist(vertex, second))
        place = at(vertex)
        painter.setPen(QPen(theme.colour("accent"), 2))
        painter.drawArc(
            QRectF(place.x() - radius, place.y() - radius, 2 * radius, 2 * radius),
            round(turns[0] * 16),
            round(sweep * 16),
        )
    painter.setPen(QPen(theme.colour("accent"), 2))
    for start, end in position.lengths:
        painter.drawLine(at(start), at(end))
        for tip in (at(start), at(end)):
            painter.drawLine(tip + QPointF(0, -5), tip + QPointF(0, 5))
    painter.setBrush(theme.colour("accent"))
    for dot in position.dots:
        painter.drawEllipse(at(dot), 5, 5)


class TestPictureView(QWidget):
    """The drawing that belongs to the current step."""

    __test__ = False

    def __init__(self, state: RunState) -> None:
        super().__init__()
        self._state = state
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumSize(180, 200)
        state.changed.connect(self._follow)
        self._follow()

    def _follow(self) -> None:
        if not self._state.steps:
            return
        test = self._state.step.test
        self.setAccessibleName(f"Drawing: {test.name}, {test.view}")
        self.update()

    def paintEvent(self, _: QPaintEvent | None) -> None:
        """Draw the position, or the body with the level under the eye."""
        painter, frame = begin_panel(self)
        if not self._state.steps:
            return
        test = self._state.step.test
        painter.setPen(theme.colour("muted"))
        painter.setFont(theme.font())
        painter.drawText(QPointF(12, 22), test.view)
        box = frame.adjusted(20, 36, -20, -36)
        if test.pose:
            self._paint_pose(painter, frame.adjusted(20, 44, -20, -20), test)
        elif test.picture:
            paint_position(painter, DRAWN[test.picture](), frame.adjusted(20, 28, -20, -16))
        elif "side" in test.view:
            self._paint_side_view(painter, box)
        else:
            self._paint_body(painter, box, test)

    def _paint_pose(self, painter: QPainter, box: QRectF, test: TestDefinition) -> None:
        """The person in the test, the tested leg washed in its colour; the left one in the mirror image."""
        rung_id, _, variant = test.pose.partition("/")
        rung, side = self._state.workspace.knowledge.rung(rung_id), self._state.step.side
        pose = rung.pose(variant)
        paint_fitted(painter, tested_figure(rung, pose, test.view, side), box, side)
        if side in LEGS:
            paint_side(painter, QPointF(box.left() + 8, box.top() - 6), 6, side)
            painter.setPen(theme.colour(side.value))
            painter.drawText(QPointF(box.left() + 20, box.top() - 1), side.value)

    def _paint_side_view(self, painter: QPainter, box: QRectF) -> None:
        figure = standing_side()
        paint_position(painter, figure, box)
        scale = box.height() / 1.0
        x = box.center().x() + scale * (0.055 - 0.07)
        painter.setPen(QPen(theme.colour("accent"), 1.5, Qt.PenStyle.DashLine))
        painter.drawLine(QPointF(x, box.top() - 8), QPointF(x, box.bottom() + 8))

    def _paint_body(self, painter: QPainter, box: QRectF, test: TestDefinition) -> None:
        painter.setPen(QPen(theme.colour("ink"), 1.5))
        painter.setBrush(theme.colour("skin"))
        painter.drawPath(body_outline(box))
        front = "front" in test.view
        for other in self._state.tests:
            if ("front" in other.view) == front and other is not test and "side" not in other.view:
                self._paint_level(painter, box, other, front, current=False)
        self._paint_level(painter, box, test, front, current=True)
        for side in LEGS:
            on_left = (side is Side.LEFT) != front
            x = box.left() + 4 if on_left else box.right() - 4
            paint_side(painter, QPointF(x, box.bottom() + 20), 6, side)
            painter.setPen(theme.colour(side.value))
            painter.setFont(theme.font())
            words = painter.fontMetrics().horizontalAdvance(side.value)
            painter.drawText(QPointF(x + 12 if on_left else x - 12 - words, box.bottom() + 25), side.value)

    def _paint_level(self, painter: QPainter, box: QRectF, test: TestDefinition, front: bool, current: bool) -> None:
        """The level line of a test, tipped by its grade; dashed while nothing is answered."""
        question = next((q for q in test.questions if q.ask is AnswerKind.SIGNED), None)
        grades = self._state.trials(question.measure, Side.NONE) if question is not None else []
        if not current and not grades:
            return
        grade = sum(grades) / len(grades) if grades else 0.0
        turn = math.radians(TILT_PER_GRADE * grade) * (-1 if front else 1)
        half = 0.5 * box.width() if current else 0.1 * box.height()
        middle = QPointF(box.center().x(), box.top() + test.place * box.height())
        reach = QPointF(half * math.cos(turn), -half * math.sin(turn))
        style = Qt.PenStyle.SolidLine if grades or question is None else Qt.PenStyle.DashLine
        painter.setPen(QPen(theme.colour("accent" if current else "muted"), 2.5 if current else 1.5, style))
        painter.drawLine(middle - reach, middle + reach)
