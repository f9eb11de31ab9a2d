"""One rung of a ladder as a drawn card."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QAbstractButton, QSizePolicy

from tuning.core.programme.ladders import Rung
from tuning.drawings.figure import exercise_figure
from tuning.ui import theme
from tuning.ui.signs import paint_outlines


class RungCard(QAbstractButton):
    """The end pose on its step, the name, and whether it is in the plan."""

    def __init__(self, rung: Rung) -> None:
        super().__init__()
        self.rung = rung
        self.chosen = self.planned = False
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFixedHeight(196)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setAccessibleName(f"Rung {rung.order}: {rung.name}")

    def sizeHint(self) -> QSize:
        """Five fit beside each other."""
        return QSize(148, 196)

    def paintEvent(self, _: QPaintEvent | None) -> None:
        """Draw."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        box = QRectF(self.rect()).adjusted(1, 1, -1, -1)
        role = "accent" if self.chosen or self.hasFocus() else "line"
        painter.setPen(QPen(theme.colour(role), 2 if self.chosen else 1))
        painter.setBrush(theme.colour("accent_wash" if self.chosen else "panel"))
        painter.drawRect(box)
        rung, scale, floor = self.rung, 122.0, box.top() + 144
        frame = rung.poses[len(rung.poses) // 2].end
        paint_outlines(painter, exercise_figure(frame, rung.step_cm / 172), QPointF(box.center().x() - 8, floor), scale)
        painter.setPen(QPen(theme.colour("line"), 1))
        painter.drawLine(QPointF(box.left() + 12, floor), QPointF(box.right() - 12, floor))
        painter.setPen(theme.colour("ink"))
        painter.setFont(theme.font(theme.SMALL, bold=True))
        flags = int(Qt.AlignmentFlag.AlignHCenter) | int(Qt.TextFlag.TextWordWrap)
        painter.drawText(QRectF(box.left() + 6, floor + 6, box.width() - 12, 40), flags, rung.name)
        painter.setPen(theme.colour("muted"))
        painter.setFont(theme.font())
        painter.drawText(QPointF(box.left() + 8, box.top() + 18), str(rung.order))
        if self.planned:
            painter.setPen(theme.colour("accent"))
            painter.setFont(theme.font(theme.SMALL, bold=True))
            painter.drawText(box.adjusted(0, 4, -8, 0), Qt.AlignmentFlag.AlignRight, "in plan")
