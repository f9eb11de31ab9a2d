"""All tests side by side: force and rise of each, with side, size, error and verdict, and the pattern in a sentence."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QSizePolicy, QWidget

from tuning.core.judging.comparison import Comparison
from tuning.core.types import NotMeasured, Side
from tuning.ui import theme
from tuning.ui.force.state import ForceState
from tuning.ui.symbols import paint_beam, paint_side, paint_verdict

ROW, HEAD, NAME = 62.0, 40.0, 190.0


class MatrixView(QWidget):
    """One row a test, one beam for force and one for the rise; the wash is the error, the pointer points to more."""

    chosen = pyqtSignal(str)

    def __init__(self, state: ForceState) -> None:
        super().__init__()
        self._state = state
        self.current = 0
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName("All plate tests side by side")

    def fit(self) -> None:
        """As tall as the tests."""
        self.setFixedHeight(round(HEAD + ROW * max(1, len(self._state.matrix())) + 8))
        self.update()

    def sizeHint(self) -> QSize:
        """Wide."""
        return QSize(900, self.height())

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """A row opens its test."""
        if event is None:
            return
        n = int((event.position().y() - HEAD) // ROW)
        rows = self._state.matrix()
        if 0 <= n < len(rows):
            self.chosen.emit(rows[n].test.id)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Up and Down move, Enter opens the test."""
        rows = self._state.matrix()
        step = {Qt.Key.Key_Down: 1, Qt.Key.Key_Up: -1}
        if event is None:
            return
        if event.key() in step and rows:
            self.current = min(max(self.current + step[Qt.Key(event.key())], 0), len(rows) - 1)
            self.update()
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and rows:
            self.chosen.emit(rows[min(self.current, len(rows) - 1)].test.id)
        else:
            super().keyPressEvent(event)

    def paintEvent(self, _: QPaintEvent | None) -> None:
        """Heads and rows."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        width = (self.width() - NAME) / 2
        for n, words in enumerate(("Force", "Rise")):
            x = NAME + n * width
            painter.setFont(theme.font(theme.BODY, bold=True))
            painter.setPen(theme.colour("ink"))
            painter.drawText(QPointF(x + 8, 20), words)
            painter.setFont(theme.font(theme.SMALL, bold=True))
            for side, at in ((Side.LEFT, x + 90), (Side.RIGHT, x + 196)):
                paint_side(painter, QPointF(at, 15), 6, side)
                painter.setPen(theme.colour(side.value))
                painter.drawText(QPointF(at + 12, 20), side.value)
        rows = self._state.matrix()
        if not rows:
            painter.setFont(theme.font(theme.BODY))
            painter.setPen(theme.colour("muted"))
            text = "No test on record yet. Each recording adds a row here."
            painter.drawText(QRectF(0, HEAD, self.width(), 30), Qt.AlignmentFlag.AlignLeft, text)
        for n, row in enumerate(rows):
            y = HEAD + ROW * n
            if n == self.current and self.hasFocus():
                painter.fillRect(QRectF(0, y + 1, self.width(), ROW - 2), theme.colour("accent_wash"))
            painter.setPen(QPen(theme.colour("line"), 1))
            painter.drawLine(QPointF(0, y), QPointF(self.width(), y))
            painter.setFont(theme.font(theme.SMALL, bold=True))
            painter.setPen(theme.colour("ink"))
            painter.drawText(QPointF(0, y + 22), row.test.name)
            painter.setFont(theme.font())
            painter.setPen(theme.colour("muted"))
            kind = "share of both legs" if row.test.legs == 2 else "leg against leg"
            painter.drawText(QPointF(0, y + 40), kind)
            for m, comparison in enumerate((row.force, row.rate)):
                self._paint_half(painter, comparison, NAME + m * width, y, width)

    def _paint_half(self, painter: QPainter, row: Comparison | None, x: float, y: float, width: float) -> None:
        painter.setFont(theme.font())
        if row is None or isinstance(row.verdict, NotMeasured):
            painter.setPen(theme.colour("muted"))
            text = row.sentence if row is not None else "not measured by this test"
            painter.drawText(QRectF(x + 8, y + 8, width - 16, ROW - 10), Qt.TextFlag.TextWordWrap, text)
            return
        paint_beam(painter, QRectF(x + 8, y + 12, 250, 18), row.verdict)
        paint_verdict(painter, QPointF(x + 16, y + 44), 6, row.verdict.word)
        painter.setFont(theme.font(theme.SMALL, bold=True))
        painter.setPen(theme.colour("ink"))
        word = row.verdict.word.value
        painter.drawText(QPointF(x + 30, y + 49), word)
        painter.setFont(theme.font())
        painter.setPen(theme.colour("muted"))
        start = x + 38 + painter.fontMetrics().horizontalAdvance(word) * 1.1
        unit = row.measure.comparison_unit
        text = f"{row.sentence}, ±{row.verdict.e:.1f} {unit}"
        room = QRectF(start, y + 38, x + width - start - 8, 20)
        shown = painter.fontMetrics().elidedText(text, Qt.TextElideMode.ElideRight, int(room.width()))
        painter.drawText(room, Qt.AlignmentFlag.AlignLeft, shown)
