"""The whole course on one time axis: values of both sides, their gap as a ribbon, pain and goals, rungs, treatments."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QColor, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QSizePolicy, QWidget

from tuning.core.review.timeline import Point, Series
from tuning.core.types import LEGS, Side
from tuning.core.units import format_signed
from tuning.ui import theme
from tuning.ui.formatting import short_day
from tuning.ui.review.state import CourseView

LEFT, RIGHT, HEAD = 56, 176, 18
"""Room left of the plots for names, right of them for labels, above each for its title."""


class CourseChart(QWidget):
    """Bands above each other, one axis below."""

    def __init__(self) -> None:
        super().__init__()
        self._course = CourseView()
        self._unit = ""
        self._moments: tuple[datetime, ...] = ()
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumHeight(280)

    def sizeHint(self) -> QSize:
        """Wide."""
        return QSize(720, 360)

    def show_course(self, course: CourseView, visits: Sequence[datetime]) -> None:
        """Another row or newer values; `visits` are the days on the axis."""
        self._course = course
        done = [*(s.at for s in course.rungs), *(t.at for t in course.ticks)]
        self._moments = tuple(sorted({*visits, *done}))
        self._visits = tuple(visits)
        words = []
        for one in (*course.values, *course.told):
            side = f" {one.side.value}" if one.side in LEGS else ""
            values = ", ".join(f"{short_day(p.at)} {one.measure.text(p.value)}" for p in one.points)
            words.append(f"{one.measure.name}{side} {one.region}: {values}")
        self.setAccessibleName("Course over the visits. " + "; ".join(words))
        self.update()

    def _x(self, at: datetime, box: QRectF) -> float:
        first, last = self._moments[0], self._moments[-1]
        span = max((last - first).total_seconds(), 1.0)
        return box.left() + box.width() * (at - first).total_seconds() / span if last > first else box.center().x()

    def paintEvent(self, _: QPaintEvent | None) -> None:
        """Draw the bands that hold something."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(theme.font())
        if not self._moments:
            return
        course = self._course
        bands: list[tuple[str, float]] = []
        if any(s.points for s in course.values):
            bands.append(("values", 1.5))
        if course.gap:
            bands.append(("gap", 1.1))
        if course.told:
            bands.append(("told", 1.0))
        if course.rungs:
            bands.append(("rungs", 0.9))
        room = QRectF(LEFT, 4, self.width() - LEFT - RIGHT, self.height() - 44)
        total, y = sum(weight for _, weight in bands) or 1.0, room.top()
        for name, weight in bands:
            tall = room.height() * weight / total
            box = QRectF(room.left(), y + HEAD, room.width(), tall - HEAD - 8)
            getattr(self, f"_paint_{name}")(painter, box)
            y += tall
        self._axis(painter, QRectF(room.left(), room.bottom(), room.width(), 40))

    # bands

    def _paint_values(self, painter: QPainter, box: QRectF) -> None:
        shown = [s for s in self._course.values if s.points]
        measure = shown[0].measure
        ends = [v for s in shown for p in s.points for v in (p.value - p.error, p.value + p.error)]
        low, high = min(ends), max(ends)
        pad = (high - low) * 0.08 or 1.0
        scale = _Scale(box, low - pad, high + pad)
        self._frame(painter, box, f"{measure.brief}, {measure.unit}", scale, measure.text)
        for one in shown:
            self._line(painter, box, scale, one, _ink(one.side))
        self._labels(painter, box, scale, [(s.points[-1].value, s.side.value if s.side in LEGS else "", _ink(s.side))
                                           for s in shown])  # fmt: skip

    def _paint_gap(self, painter: QPainter, box: QRectF) -> None:
        gap, measure = self._course.gap, self._course.values[0].measure
        reach = max(abs(p.value) + p.error for p in gap) * 1.1 or 1.0
        scale = _Scale(box, -reach, reach)
        unit = measure.comparison_unit
        self._frame(
            painter, box, f"Left-right gap, {unit}, with its error as a wash", scale, lambda v: format_signed(v, 0)
        )
        painter.setPen(QPen(theme.colour("muted"), 1))
        painter.drawLine(QPointF(box.left(), scale.y(0)), QPointF(box.right(), scale.y(0)))
        wash = QColor(theme.colour("band"))
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(wash)
        if len(gap) > 1:
            upper = [QPointF(self._x(p.at, box), scale.y(p.value + p.error)) for p in gap]
            lower = [QPointF(self._x(p.at, box), scale.y(p.value - p.error)) for p in gap]
            painter.drawPolygon(QPolygonF([*upper, *reversed(lower)]))
        else:
            x = self._x(gap[0].at, box)
            painter.drawRect(QRectF(x - 14, scale.y(gap[0].value + gap[0].error), 28, scale.tall(2 * gap[0].error)))
        self._points(painter, box, scale, gap, theme.colour("ink"))
        painter.setPen(theme.colour("muted"))
        at = QRectF(box.right() + 10, 0, RIGHT - 12, 18)
        painter.drawText(at.translated(0, box.top() - 2), int(_LEFT), "right larger")
        painter.drawText(at.translated(0, box.bottom() - 16), int(_LEFT), "left larger")

    def _paint_told(self, painter: QPainter, box: QRectF) -> None:
        scale = _Scale(box, 0, 10)
        self._frame(painter, box, "Pain and goals, 0 to 10", scale, lambda v: f"{v:.0f}")
        labels = []
        for one in self._course.told:
            ink = theme.colour("accent") if one.measure.better == "more" else _ink(one.side)
            self._line(painter, box, scale, one, ink)
            if one.points:
                labels.append((one.points[-1].value, _short(one), ink))
        self._labels(painter, box, scale, labels)

    def _paint_rungs(self, painter: QPainter, box: QRectF) -> None:
        steps = self._course.rungs
        top = max(s.place for s in steps)
        scale = _Scale(box, 0.5, top + 0.5)
        self._frame(painter, box, "Rungs", None, str)
        labels: list[tuple[float, str, QColor]] = []
        for n, ladder in enumerate(dict.fromkeys(s.ladder for s in steps)):
            own = [s for s in steps if s.ladder == ladder]
            pen = QPen(
                theme.colour("ink"), 1.6, (Qt.PenStyle.SolidLine, Qt.PenStyle.DashLine, Qt.PenStyle.DotLine)[n % 3]
            )
            painter.setPen(pen)
            y = 0.0
            for k, step in enumerate(own):
                y = scale.y(step.place) + 2.5 * n
                end = self._x(own[k + 1].at, box) if k + 1 < len(own) else box.right()
                start = self._x(step.at, box)
                painter.drawLine(QPointF(start, y), QPointF(end, y))
                if k + 1 < len(own):
                    painter.drawLine(QPointF(end, y), QPointF(end, scale.y(own[k + 1].place) + 2.5 * n))
            labels.append((own[-1].place, f"{own[-1].place} {own[-1].name}", theme.colour("ink")))
        self._labels(painter, box, scale, labels)

    # parts

    def _frame(self, painter: QPainter, box: QRectF, title: str, scale: _Scale | None, text: object) -> None:
        painter.setFont(theme.font(theme.SMALL, bold=True))
        painter.setPen(theme.colour("ink"))
        painter.drawText(QRectF(box.left(), box.top() - HEAD, box.width() + RIGHT, HEAD), int(_LEFT), title)
        painter.setFont(theme.font())
        painter.setPen(QPen(theme.colour("line"), 1))
        painter.drawLine(box.bottomLeft(), box.bottomRight())
        for at in self._visits:
            x = self._x(at, box)
            painter.drawLine(QPointF(x, box.top()), QPointF(x, box.bottom()))
        if scale is not None:
            painter.setPen(theme.colour("muted"))
            for value in (scale.low, scale.high):
                place = QRectF(0, scale.y(value) - 8, box.left() - 8, 16)
                painter.drawText(place, int(_RIGHT), text(value))  # type: ignore[operator]

    def _line(self, painter: QPainter, box: QRectF, scale: _Scale, one: Series, ink: QColor) -> None:
        for p in one.points:
            if p.error:
                x = self._x(p.at, box) + {Side.LEFT: -3, Side.RIGHT: 3}.get(one.side, 0)
                painter.setPen(QPen(ink, 1))
                painter.drawLine(QPointF(x, scale.y(p.value - p.error)), QPointF(x, scale.y(p.value + p.error)))
        self._points(painter, box, scale, one.points, ink, one.side)

    def _points(
        self, painter: QPainter, box: QRectF, scale: _Scale, points: Sequence[Point], ink: QColor,
        side: Side = Side.NONE,
    ) -> None:  # fmt: skip
        shift = {Side.LEFT: -3, Side.RIGHT: 3}.get(side, 0)
        at = [QPointF(self._x(p.at, box) + shift, scale.y(p.value)) for p in points]
        style = Qt.PenStyle.DashLine if side is Side.LEFT else Qt.PenStyle.SolidLine
        painter.setPen(QPen(ink, 2, style))
        for a, b in zip(at, at[1:], strict=False):
            painter.drawLine(a, b)
        painter.setPen(QPen(ink, 2))
        painter.setBrush(theme.colour("paper") if side is Side.LEFT else ink)
        for place in at:
            painter.drawEllipse(place, 3.5, 3.5)

    def _labels(
        self, painter: QPainter, box: QRectF, scale: _Scale, labels: Sequence[tuple[float, str, QColor]]
    ) -> None:
        """Words beside the last points, pushed apart where they would lie on each other."""
        last = box.top() - 18.0
        for value, text, ink in sorted(labels, key=lambda one: -one[0]):
            y = max(scale.y(value) - 8, last + 15)
            last = y
            painter.setPen(ink)
            room = QRectF(box.right() + 10, y, RIGHT - 12, 16)
            elided = painter.fontMetrics().elidedText(text, Qt.TextElideMode.ElideRight, int(room.width()))
            painter.drawText(room, int(_LEFT), elided)

    def _axis(self, painter: QPainter, box: QRectF) -> None:
        painter.setPen(theme.colour("muted"))
        edge = -1e9
        for at in self._visits:
            x = self._x(at, box)
            if x - edge > 52:
                painter.drawText(QRectF(x - 40, box.top() + 16, 80, 18), int(_CENTRE), short_day(at))
                edge = x
        painter.setPen(QPen(theme.colour("accent"), 2))
        for tick in self._course.ticks:
            x = self._x(tick.at, box)
            painter.drawLine(QPointF(x, box.top()), QPointF(x, box.top() + 10))
        if self._course.ticks:
            painter.drawText(QRectF(box.right() + 10, box.top() - 4, RIGHT - 12, 18), int(_LEFT), "treatments")


class _Scale:
    """From values to heights."""

    def __init__(self, box: QRectF, low: float, high: float) -> None:
        self._box, self.low, self.high = box, low, high

    def y(self, value: float) -> float:
        """Where a value lies."""
        return self._box.bottom() - self._box.height() * (value - self.low) / (self.high - self.low)

    def tall(self, span: float) -> float:
        """How high a span is."""
        return self._box.height() * span / (self.high - self.low)


def _ink(side: Side) -> QColor:
    return theme.colour(side.value if side in LEGS else "ink")


def _short(one: Series) -> str:
    side = one.side.value if one.side in LEGS else ""
    name = "goals" if one.measure.better == "more" else "worst" if "worst" in one.measure.id else "now"
    return " ".join(part for part in (name, one.region, side) if part)


_STYLES = (Qt.PenStyle.SolidLine, Qt.PenStyle.DashLine, Qt.PenStyle.DotLine)
_LEFT = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter
_RIGHT = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
_CENTRE = Qt.AlignmentFlag.AlignHCenter | Qt.AlignmentFlag.AlignTop
