"""Pictures of a rung: a card of the ladder, and the figure that moves between its poses."""

from __future__ import annotations

from PyQt6.QtCore import QRectF, QSize, Qt
from PyQt6.QtGui import QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QAbstractButton, QSizePolicy

from tuning.core.programme.ladders import Rung, Sides
from tuning.core.types import Side
from tuning.ui import theme
from tuning.ui.exercise_figure import figure_of, paint_fitted

MARKS = {"plan": "in plan", "locked": "later", "passed": "passed"}


class RungCard(QAbstractButton):
    """The pose that tells the exercise, its name, and how it stands."""

    def __init__(self, rung: Rung) -> None:
        super().__init__()
        self.rung, self.side = rung, Side.RIGHT
        self.chosen, self.mark = False, ""
        self.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Fixed)
        self.setFixedSize(self.sizeHint())
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setAccessibleName(rung.name)

    def sizeHint(self) -> QSize:
        """Five fit beside each other."""
        return QSize(116, 146)

    def paintEvent(self, _: QPaintEvent | None) -> None:
        """Draw."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        box = QRectF(self.rect()).adjusted(1, 1, -1, -1)
        role = "accent" if self.chosen or self.hasFocus() else "line"
        painter.setPen(QPen(theme.colour(role), 2 if self.chosen else 1))
        painter.setBrush(theme.colour("accent_wash" if self.chosen else "panel"))
        painter.drawRect(box)
        pose = self.rung.poses[0]
        if self.mark == "locked":
            painter.setOpacity(0.45)
        side = Side.NONE if self.rung.side is Sides.BOTH else self.side
        paint_fitted(painter, figure_of(self.rung, pose, pose.still, side), box.adjusted(12, 20, -12, -44), side)
        painter.setOpacity(1.0)
        painter.setPen(theme.colour("ink"))
        painter.setFont(theme.font(theme.SMALL, bold=self.chosen))
        flags = int(Qt.AlignmentFlag.AlignHCenter) | int(Qt.TextFlag.TextWordWrap)
        painter.drawText(QRectF(box.left() + 4, box.bottom() - 40, box.width() - 8, 38), flags, self.rung.name)
        if self.mark:
            painter.setPen(theme.colour("accent" if self.mark == "plan" else "muted"))
            painter.setFont(theme.font(theme.SMALL, bold=self.mark == "plan"))
            painter.drawText(box.adjusted(0, 3, -6, 0), Qt.AlignmentFlag.AlignRight, MARKS[self.mark])
