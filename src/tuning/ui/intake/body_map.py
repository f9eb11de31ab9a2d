"""The body map: front, back and soles; a tap marks a site, a tap on a mark chooses it."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QSizePolicy, QWidget

from tuning.core.types import LEGS, Side
from tuning.drawings.positions import sole
from tuning.ui import theme
from tuning.ui.symbols import body_outline, paint_outlines, paint_side

VIEWS = ("front", "back", "soles")


class BodyMap(QWidget):
    """Sites are dictionaries with view, x, y (drawing heights) as the record keeps them."""

    tapped = pyqtSignal(str, float, float)
    site_chosen = pyqtSignal(int)

    def __init__(self) -> None:
        super().__init__()
        self.sites: list[dict[str, object]] = []
        self.current = -1
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName("Body map: front, back and soles")
        self.setCursor(Qt.CursorShape.CrossCursor)

    def sizeHint(self) -> QSize:
        """Three drawings side by side."""
        return QSize(470, 430)

    def box(self, view: str) -> QRectF:
        """Where a drawing stands; its height is the unit of its coordinates."""
        n = VIEWS.index(view)
        width = self.width() / 2.75
        high = min(self.height() - 56.0, 2.5 * width)
        if view == "soles":
            return QRectF(2 * width + 8, 32 + high * 0.62, self.width() - 2 * width - 8, high * 0.38)
        return QRectF(n * width, 32, width, high)

    def place(self, view: str, x: float, y: float) -> QPointF:
        """Widget point of a site."""
        box = self.box(view)
        return QPointF(box.center().x() + x * box.height(), box.top() + y * box.height())

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """Choose the mark under the pointer, else tell the tapped place."""
        if event is None:
            return
        at = event.position()
        for index, site in enumerate(self.sites):
            gap = at - self._site_place(site)
            if gap.manhattanLength() < 14:
                self.site_chosen.emit(index)
                return
        for view in VIEWS:
            box = self.box(view)
            if box.contains(at):
                x, y = (at.x() - box.center().x()) / box.height(), (at.y() - box.top()) / box.height()
                self.tapped.emit(view, round(x, 4), round(y, 4))

    def _site_place(self, site: dict[str, object]) -> QPointF:
        view, x = str(site["view"]), float(str(site["x"]))
        if view == "soles" and site.get("side") in ("left", "right"):
            # The side is what was meant: older records drew the left sole on the left.
            x = abs(x) if site["side"] == "left" else -abs(x)
        return self.place(view, x, float(str(site["y"])))

    def paintEvent(self, _: QPaintEvent | None) -> None:
        """Bodies, soles, sides and marks."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        for view in VIEWS:
            box = self.box(view)
            painter.setFont(theme.font(theme.SMALL, bold=True))
            painter.setPen(theme.colour("ink"))
            painter.drawText(QRectF(box.left(), box.top() - 30, box.width(), 20), Qt.AlignmentFlag.AlignCenter, view)
            if view == "soles":
                self._paint_soles(painter, box)
            else:
                painter.setPen(QPen(theme.colour("ink"), 1.5))
                painter.setBrush(theme.colour("skin"))
                painter.drawPath(body_outline(box))
                if view == "front":
                    self._paint_front(painter, box)
            self._paint_sides(painter, box, view)
        for index, site in enumerate(self.sites):
            place = self._site_place(site)
            chosen = index == self.current
            painter.setPen(QPen(theme.colour("caution"), 3 if chosen else 2))
            painter.setBrush(theme.colour("caution_wash"))
            painter.drawEllipse(place, 10 if chosen else 8, 10 if chosen else 8)
            painter.setPen(theme.colour("caution"))
            painter.setFont(theme.font(theme.SMALL, bold=True))
            painter.drawText(
                QRectF(place.x() - 10, place.y() - 10, 20, 20), Qt.AlignmentFlag.AlignCenter, str(index + 1)
            )

    @staticmethod
    def _paint_front(painter: QPainter, box: QRectF) -> None:
        """Kneecaps and navel tell the front from the back."""
        painter.setPen(QPen(theme.colour("muted"), 1))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        h, x, y = box.height(), box.center().x(), box.top()
        for sign in (-1, 1):
            painter.drawEllipse(QPointF(x + sign * 0.056 * h, y + 0.718 * h), 0.018 * h, 0.022 * h)
            painter.drawLine(QPointF(x + sign * 0.02 * h, y + 0.165 * h), QPointF(x + sign * 0.09 * h, y + 0.168 * h))
        painter.drawEllipse(QPointF(x, y + 0.365 * h), 2, 2)

    @staticmethod
    def _paint_soles(painter: QPainter, box: QRectF) -> None:
        scale = min(box.height() / 0.225, box.width() / 0.19)
        for sign in (-1, 1):
            origin = QPointF(box.center().x() + sign * 0.048 * scale, box.center().y() + 0.015 * scale)
            paint_outlines(painter, [sole((0.0, 0.0), 0, 1.0, mirror=sign < 0)], origin, scale)

    def _paint_sides(self, painter: QPainter, box: QRectF, view: str) -> None:
        for side in LEGS:
            on_left = (side is Side.LEFT) == (view == "back")
            x = box.center().x() + (-1 if on_left else 1) * 0.26 * box.width()
            paint_side(painter, QPointF(x - 16, box.bottom() + 14), 5, side)
            painter.setPen(theme.colour(side.value))
            painter.setFont(theme.font())
            painter.drawText(QPointF(x - 6, box.bottom() + 19), side.value)
