"""The drawn test position: what to say, where the pad goes, which way the patient pushes."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QSizePolicy, QWidget

from tuning.core.test_definitions import TestDefinition
from tuning.core.types import LEGS, Side
from tuning.drawings.strength_pictures import TestPicture, test_picture
from tuning.ui import theme
from tuning.ui.symbols import begin_panel, paint_outlines


class PositionPicture(QWidget):
    """Drawn for the tested leg, large enough for arm's length."""

    def __init__(self) -> None:
        super().__init__()
        self._test: TestDefinition | None = None
        self._side, self._picture = Side.NONE, TestPicture((), (), "")
        self._cue = self._pad = ""
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)

    def sizeHint(self) -> QSize:
        """Wide and low."""
        return QSize(470, 250)

    def show_test(self, test: TestDefinition, position: str, side: Side, cue: str, pad: str) -> None:
        """Draw another test or side, with what to say and where the pad goes."""
        self._test, self._side, self._cue, self._pad = test, side, cue, pad
        self._picture = test_picture(test.picture, position, side)
        self.setAccessibleName(f"Position: {test.name}, {self._picture.caption}. Say: {cue}")
        self.update()

    def paintEvent(self, _: QPaintEvent | None) -> None:
        """The person, the cue above, the pad's place below."""
        painter, box = begin_panel(self)
        if self._test is None:
            return
        wrap = Qt.TextFlag.TextWordWrap
        painter.setPen(theme.colour("ink"))
        painter.setFont(theme.font(theme.BODY, italic=True))
        painter.drawText(QRectF(16, 10, box.width() - 32, 42), wrap, f"“{self._cue}”")
        painter.setFont(theme.font())
        painter.setPen(theme.colour("muted"))
        foot = QRectF(16, box.bottom() - 38, box.width() - 32, 34)
        painter.drawText(foot, wrap | Qt.AlignmentFlag.AlignBottom, f"Pad {self._pad} · {self._picture.caption}")
        self._paint_figure(painter, box.adjusted(16, 58, -16, -44))

    def _paint_figure(self, painter: QPainter, box: QRectF) -> None:
        assert self._test is not None
        points = [p for shape in self._picture.shapes for p in shape.points]
        if not points:
            return
        points += [(at[0] + 0.14 * way[0], at[1] + 0.14 * way[1]) for at, way in self._picture.pushes]
        left, right = min(x for x, _ in points), max(x for x, _ in points)
        low, high = min(y for _, y in points), max(y for _, y in points)
        scale = min(box.width() / (right - left), box.height() / (high - low))
        origin = QPointF(box.center().x() - scale * (left + right) / 2, box.center().y() + scale * (low + high) / 2)
        paint_outlines(painter, list(self._picture.shapes), origin, scale)
        ink = theme.colour(self._side.value if self._side in LEGS else "accent")
        for at, way in self._picture.pushes:
            start = QPointF(origin.x() + scale * at[0], origin.y() - scale * at[1])
            end = start + QPointF(way[0], -way[1]) * max(34.0, 0.1 * scale)
            _arrow(painter, start, end, ink)
        if self._picture.pushes:
            self._paint_words(painter, box, origin, scale)

    def _paint_words(self, painter: QPainter, box: QRectF, origin: QPointF, scale: float) -> None:
        """What the patient does, at the tip of the arrow, on the side with room."""
        assert self._test is not None
        at, way = self._picture.pushes[0]
        tip = QPointF(origin.x() + scale * at[0], origin.y() - scale * at[1])
        tip += QPointF(way[0], -way[1]) * (max(34.0, 0.1 * scale) + 10)
        painter.setFont(theme.font(theme.SMALL, bold=True))
        width = painter.fontMetrics().horizontalAdvance(self._test.arrow)
        flipped = way[0] >= -0.5 and tip.x() + width > box.right()
        x = tip.x() - width - 6 if way[0] < -0.5 or flipped else tip.x() + 8
        room = min(max(x, box.left()), box.right() - width)
        up = 16 if flipped or room != x else 0  # no room beside the tip: the words stand above the arrow
        x = room
        y = max(tip.y() + 4 - up, box.top() + 10)
        painter.fillRect(QRectF(x - 3, y - 12, width + 6, 16), theme.colour("panel"))
        painter.setPen(theme.colour(self._side.value if self._side in LEGS else "accent"))
        painter.drawText(QPointF(x, y), self._test.arrow)


def _arrow(painter: QPainter, start: QPointF, end: QPointF, ink: object) -> None:
    painter.setPen(QPen(ink, 2.5))  # type: ignore[call-overload]
    painter.drawLine(start, end)
    along = end - start
    along /= max(1e-6, (along.x() ** 2 + along.y() ** 2) ** 0.5)
    across = QPointF(-along.y(), along.x())
    painter.setBrush(ink)  # type: ignore[call-overload]
    painter.setPen(Qt.PenStyle.NoPen)
    painter.drawPolygon(QPolygonF([end + along * 6, end - along * 6 + across * 5, end - along * 6 - across * 5]))
