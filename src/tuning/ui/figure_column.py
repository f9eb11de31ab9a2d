"""The standing figure, seen from behind: where something was found."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QMouseEvent, QPainter, QPainterPath, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from tuning.core.judging.comparison import Comparison
from tuning.core.judging.measures import Compare
from tuning.core.judging.verdict import Verdict, VerdictWord
from tuning.core.types import NotMeasured, Side
from tuning.ui import theme
from tuning.ui.symbols import body_outline, paint_side, paint_verdict

STATIONS = {
    "shoulder": (0.1, 0.185),
    "trunk": (0.0, 0.3),
    "pelvis": (0.0, 0.415),
    "hip": (0.085, 0.475),
    "knee": (0.056, 0.725),
    "ankle": (0.047, 0.925),
    "foot": (0.055, 0.985),
}


def finding_side(row: Comparison) -> Side:
    """The side to mark: the weaker one in strength, else the larger value."""
    if isinstance(row.verdict, NotMeasured) or row.measure.compare is Compare.VALUE:
        return Side.NONE
    larger = Side.RIGHT if row.verdict.d > 0 else Side.LEFT
    return larger.other if row.measure.finding == "smaller" else larger


class FigureColumn(QWidget):
    """Clicking a station filters the ledger; clicking it again shows all."""

    station_chosen = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        self.setFixedWidth(176)
        self.setAccessibleName("Standing figure, rear view")
        self._rows: list[Comparison] = []
        self.chosen = ""

    def show_rows(self, rows: list[Comparison]) -> None:
        """Mark what was found."""
        self._rows = [row for row in rows if isinstance(row.verdict, Verdict)]
        self.update()

    def _box(self) -> QRectF:
        height = min(self.height() - 150.0, 490.0)
        return QRectF(8, 52, self.width() - 16, height)

    def _place(self, station: str, side: Side) -> QPointF:
        x, y = STATIONS[station]
        box = self._box()
        sign = {Side.LEFT: -1, Side.RIGHT: 1}.get(side, 0)
        return QPointF(box.center().x() + sign * x * box.height(), box.top() + y * box.height())

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """Choose the station under the pointer."""
        if event is None:
            return
        for station in STATIONS:
            for side in (Side.LEFT, Side.RIGHT, Side.NONE):
                gap = self._place(station, side) - event.position()
                if gap.manhattanLength() < 18:
                    self.chosen = "" if self.chosen == station else station
                    self.station_chosen.emit(self.chosen)
                    self.update()
                    return

    def paintEvent(self, _: QPaintEvent | None) -> None:
        """Draw the body, its marks and the legend."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        box = self._box()
        painter.setFont(theme.font())
        painter.setPen(theme.colour("muted"))
        painter.drawText(QPointF(20, 26), "Rear view")
        painter.setPen(QPen(theme.colour("ink"), 1.5))
        painter.setBrush(theme.colour("skin"))
        painter.drawPath(body_outline(box))
        self._paint_lines(painter, box)
        for row in reversed(self._rows):
            assert isinstance(row.verdict, Verdict)
            if row.verdict.word is not VerdictWord.CANNOT_TELL or len(self._rows) < 12:
                place = self._place(row.measure.station, finding_side(row))
                if row.measure.station == self.chosen:
                    painter.setPen(QPen(theme.colour("accent"), 2))
                    painter.setBrush(Qt.BrushStyle.NoBrush)
                    painter.drawEllipse(place, 13, 13)
                paint_verdict(painter, place, 7.5, row.verdict.word)
        self._paint_legend(painter, box.bottom() + 34)

    def _paint_lines(self, painter: QPainter, box: QRectF) -> None:
        h, x, y = box.height(), box.center().x(), box.top()
        painter.setPen(QPen(theme.colour("muted"), 1))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawLine(QPointF(x, y + 0.15 * h), QPointF(x, y + 0.41 * h))
        for sign in (-1, 1):
            fold = QPainterPath(QPointF(x + sign * 0.012 * h, y + 0.515 * h))
            fold.quadTo(QPointF(x + sign * 0.06 * h, y + 0.54 * h), QPointF(x + sign * 0.094 * h, y + 0.505 * h))
            blade = QPainterPath(QPointF(x + sign * 0.03 * h, y + 0.2 * h))
            blade.quadTo(QPointF(x + sign * 0.03 * h, y + 0.27 * h), QPointF(x + sign * 0.055 * h, y + 0.285 * h))
            crease = QPainterPath(QPointF(x + sign * 0.036 * h, y + 0.728 * h))
            crease.quadTo(QPointF(x + sign * 0.055 * h, y + 0.74 * h), QPointF(x + sign * 0.075 * h, y + 0.728 * h))
            for path in (fold, blade, crease):
                painter.drawPath(path)

    def _paint_legend(self, painter: QPainter, y: float) -> None:
        for side, x in ((Side.LEFT, 30.0), (Side.RIGHT, 108.0)):
            paint_side(painter, QPointF(x, y), 6, side)
            painter.setPen(theme.colour(side.value))
            painter.drawText(QPointF(x + 14, y + 5), side.value)
        painter.setPen(theme.colour("muted"))
        count = len({row.measure.station for row in self._rows})
        painter.drawText(QPointF(20, y + 34), f"{count} stations marked" if count != 1 else "1 station marked")
