"""Pictures of a rung: a card of the ladder, and the figure that moves between its poses."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QAbstractButton, QSizePolicy

from tuning.core.programme.ladders import Pose, Rung, Sides
from tuning.core.programme.pose import Frame
from tuning.core.types import Side
from tuning.drawings.exercise import exercise_figure, scene_of
from tuning.drawings.figure import Outline
from tuning.ui import theme
from tuning.ui.signs import paint_outlines

MARKS = {"plan": "in plan", "locked": "later", "passed": "passed"}


def figure_of(rung: Rung, pose: Pose, frame: Frame, side: Side) -> list[Outline]:
    """The picture of a rung; the left leg works in the mirror image."""
    return exercise_figure(scene_of(rung, pose, frame), side is Side.LEFT)


def paint_fitted(
    painter: QPainter, shapes: list[Outline], box: QRectF, side: Side, around: Sequence[Outline] = ()
) -> None:
    """A figure standing on the lower edge of a box; `around` keeps the scale of a movement."""
    points = [p for shape in (*shapes, *around) for p in shape.points]
    left, right = min(x for x, _ in points), max(x for x, _ in points)
    low, high = min(y for _, y in points), max(y for _, y in points)
    scale = min(box.width() / (right - left), box.height() / max(high - low, 0.45))
    origin = QPointF(box.center().x() - scale * (left + right) / 2, box.bottom() + scale * low)
    paint_outlines(painter, shapes, origin, scale, side)


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
