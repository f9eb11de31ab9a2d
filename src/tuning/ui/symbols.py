"""The drawn signs: sides as half-discs, verdicts as rings and diamonds, the tuning beam."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QBrush, QColor, QPainter, QPainterPath, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QSizePolicy, QWidget

from tuning.core.judging.verdict import Verdict, VerdictWord
from tuning.core.types import LEGS, Side
from tuning.drawings.figure import Outline
from tuning.ui import theme

# Right half of the outline from the crown down the outside and up the inside of
# the leg; x from the midline, y from the crown, both in body heights.
_HALF = (
    (0.0, 0.0), (0.027, 0.009), (0.042, 0.036), (0.043, 0.068), (0.034, 0.1), (0.029, 0.13),
    (0.075, 0.158), (0.118, 0.172), (0.137, 0.2), (0.148, 0.29), (0.158, 0.38), (0.166, 0.47),
    (0.158, 0.5), (0.146, 0.475), (0.134, 0.39), (0.117, 0.27), (0.104, 0.26), (0.096, 0.33),
    (0.088, 0.385), (0.1, 0.45), (0.108, 0.51), (0.1, 0.62), (0.083, 0.715), (0.086, 0.775),
    (0.073, 0.86), (0.057, 0.945), (0.075, 0.985), (0.062, 0.998), (0.036, 0.993), (0.03, 0.95),
    (0.033, 0.88), (0.022, 0.79), (0.031, 0.715), (0.022, 0.63), (0.009, 0.54), (0.0, 0.515),
)  # fmt: skip


def body_outline(box: QRectF) -> QPainterPath:
    """The whole figure as a smooth closed path inside `box`."""
    points = [*_HALF, *((-x, y) for x, y in reversed(_HALF[1:-1]))]
    at = [QPointF(box.center().x() + x * box.height(), box.top() + y * box.height()) for x, y in points]
    path, n = QPainterPath(at[0]), len(at)
    for i in range(n):
        before, start, end, after = at[i - 1], at[i], at[(i + 1) % n], at[(i + 2) % n]
        path.cubicTo(start + (end - before) / 6, end - (after - start) / 6, end)
    return path


def paint_side(painter: QPainter, centre: QPointF, radius: float, side: Side) -> None:
    """Left: an open half-disc to the left. Right: a filled half-disc to the right."""
    box = QRectF(centre.x() - radius, centre.y() - radius, 2 * radius, 2 * radius)
    for which, start in ((Side.LEFT, 90), (Side.RIGHT, 270)):
        if side not in (which, Side.BOTH):
            continue
        path = QPainterPath(centre)
        path.arcTo(box, start, 180)
        path.closeSubpath()
        ink = theme.colour(which.value)
        painter.setPen(QPen(ink, 2))
        painter.setBrush(ink if which is Side.RIGHT else Qt.BrushStyle.NoBrush)
        painter.drawPath(path)


def paint_verdict(painter: QPainter, centre: QPointF, radius: float, word: VerdictWord) -> None:
    """Hollow ring, dashed ring, half-filled diamond, filled diamond."""
    pen = QPen(theme.colour("ink"), 1.8)
    painter.setBrush(theme.colour("panel"))
    if word in (VerdictWord.IN_TUNE, VerdictWord.CANNOT_TELL):
        if word is VerdictWord.CANNOT_TELL:
            pen.setDashPattern([1.6, 1.4])
        painter.setPen(pen)
        painter.drawEllipse(centre, radius * 0.85, radius * 0.85)
        return
    painter.setPen(pen)
    x, y = centre.x(), centre.y()
    diamond = [QPointF(x, y - radius), QPointF(x + radius, y), QPointF(x, y + radius), QPointF(x - radius, y)]
    painter.drawPolygon(QPolygonF(diamond))
    painter.setBrush(theme.colour("ink"))
    if word is VerdictWord.MARKED:
        painter.drawPolygon(QPolygonF(diamond))
    else:
        painter.drawPolygon(QPolygonF([diamond[0], diamond[2], diamond[3]]))


def paint_beam(painter: QPainter, box: QRectF, verdict: Verdict | None) -> None:
    """A bar in multiples of the error, clipped at four; the shaded centre is the error."""
    middle, unit = box.center(), box.width() / 8
    painter.setPen(QPen(theme.colour("muted"), 1))
    painter.drawLine(QPointF(box.left(), middle.y()), QPointF(box.right(), middle.y()))
    if verdict is not None:
        wash = QRectF(middle.x() - unit, box.top(), 2 * unit, box.height())
        painter.fillRect(wash, theme.colour("band"))
        painter.drawLine(QPointF(wash.left(), middle.y()), QPointF(wash.right(), middle.y()))
    painter.drawLine(QPointF(middle.x(), box.top()), QPointF(middle.x(), box.bottom()))
    if verdict is not None:
        x = middle.x() + unit * verdict.in_errors
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.colour("ink"))
        y = middle.y()
        painter.drawPolygon(QPolygonF([QPointF(x, y - 6), QPointF(x + 4.5, y), QPointF(x, y + 6), QPointF(x - 4.5, y)]))


def begin_panel(widget: QWidget) -> tuple[QPainter, QRectF]:
    """A painter on a framed panel that fills the widget, and the panel's box."""
    painter = QPainter(widget)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    box = QRectF(widget.rect()).adjusted(0.5, 0.5, -0.5, -0.5)
    painter.setPen(QPen(theme.colour("line"), 1))
    painter.setBrush(theme.colour("panel"))
    painter.drawRect(box)
    return painter, box


def paint_outlines(
    painter: QPainter, shapes: list[Outline], origin: QPointF, scale: float, side: Side = Side.NONE
) -> None:
    """The drawn person: light wash, ink edge; far limbs paler; working leg and what is felt in the side's colour."""
    for shape in shapes:
        points = [QPointF(origin.x() + x * scale, origin.y() - y * scale) for x, y in shape.points]
        role = "line" if shape.prop else "paper" if shape.far else "skin"
        painter.setBrush(QBrush(_washed(theme.colour(role), shape.tint, side)))
        edge = QPen(theme.colour("muted" if shape.far else "ink"), 1.3)
        painter.setPen(Qt.PenStyle.NoPen if shape.tint == "feel" else edge)
        painter.drawPolygon(QPolygonF(points))


WASHES = {"working": 0.22, "feel": 0.6}
"""How much of the side's colour is mixed in."""


def _washed(ground: QColor, tint: str, side: Side) -> QColor:
    share = WASHES.get(tint, 0.0)
    if not share or (side not in LEGS and tint == "working"):
        return ground
    colour = theme.colour(side.value if side in LEGS else "accent")
    mixed = [round(a + share * (b - a)) for a, b in zip(ground.getRgb()[:3], colour.getRgb()[:3], strict=True)]
    return QColor(*mixed)


class SideSign(QWidget):
    """The sign of a side as a widget."""

    def __init__(self, side: Side, radius: float = 7) -> None:
        super().__init__()
        self.side, self._radius = side, radius
        self.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Fixed)
        self.setAccessibleName(side.value)

    def sizeHint(self) -> QSize:
        """Room for the disc and its pen."""
        edge = round(2 * self._radius + 6)
        return QSize(edge, edge)

    def paintEvent(self, _: QPaintEvent | None) -> None:
        """Draw."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        paint_side(painter, QPointF(self.width() / 2, self.height() / 2), self._radius, self.side)


class VerdictSign(QWidget):
    """The sign of a verdict as a widget."""

    def __init__(self, word: VerdictWord, radius: float = 7) -> None:
        super().__init__()
        self._word, self._radius = word, radius
        self.setFixedSize(round(2 * radius + 6), round(2 * radius + 6))
        self.setAccessibleName(word.value)

    def paintEvent(self, _: QPaintEvent | None) -> None:
        """Draw."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        paint_verdict(painter, QPointF(self.width() / 2, self.height() / 2), self._radius, self._word)
