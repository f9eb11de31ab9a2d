"""The 32 px tab that a folded column leaves behind."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QAbstractButton, QSizePolicy

from tuning.ui import theme


class CollapsedTab(QAbstractButton):
    """Click to unfold."""

    def __init__(self, name: str, key: str, action: Callable[[], None]) -> None:
        super().__init__()
        self._text = f"{name}  {key}"
        self.setFixedWidth(32)
        self.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Expanding)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setAccessibleName(f"Show the {name}")
        self.setToolTip(f"Show the {name} ({key})")
        self.clicked.connect(lambda: action())

    def paintEvent(self, _: QPaintEvent | None) -> None:
        """Text runs upward."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(theme.colour("accent" if self.hasFocus() else "line"), 1))
        x = self.width() - 1.0 if self.x() == 0 else 0.0
        painter.drawLine(QPointF(x, 0), QPointF(x, self.height()))
        painter.translate(8, 170)
        painter.rotate(-90)
        painter.setFont(theme.font())
        painter.setPen(theme.colour("muted"))
        painter.drawText(QRectF(0, 0, 100, 16), Qt.AlignmentFlag.AlignLeft, self._text)
