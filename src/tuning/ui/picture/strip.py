"""The strip of a clip: where we are, where marks are; click, drag or arrow keys to move."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QSizePolicy, QWidget

from tuning.ui import theme
from tuning.ui.picture.board import MarkBoard


class Strip(QWidget):
    """Time runs to the right by true time stamps."""

    frame_wanted = pyqtSignal(int)

    def __init__(self, board: MarkBoard) -> None:
        super().__init__()
        self._board = board
        self.setFixedHeight(36)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Strip of the clip")
        board.changed.connect(self.update)

    def sizeHint(self) -> QSize:
        """Thin and wide."""
        return QSize(400, 36)

    def _x(self, frame: int) -> float:
        times = self._board.times
        whole = float(times[-1]) or 1.0
        return 8 + (self.width() - 16) * float(times[frame]) / whole

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """Jump."""
        self._jump(event)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        """Scrub."""
        self._jump(event)

    def _jump(self, event: QMouseEvent | None) -> None:
        times = self._board.times
        if event is None or len(times) < 2:
            return
        share = min(max((event.position().x() - 8) / (self.width() - 16), 0.0), 1.0)
        self.frame_wanted.emit(int(times.searchsorted(share * times[-1])))

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Arrow keys step a frame; Home and End go to the ends."""
        if event is None:
            return
        now, last = self._board.frame, len(self._board.times) - 1
        goal = {
            Qt.Key.Key_Left: now - 1,
            Qt.Key.Key_Right: now + 1,
            Qt.Key.Key_Home: 0,
            Qt.Key.Key_End: last,
        }.get(Qt.Key(event.key()))
        if goal is None:
            super().keyPressEvent(event)
        else:
            self.frame_wanted.emit(goal)

    def paintEvent(self, _: QPaintEvent | None) -> None:
        """Draw ticks of seconds, marked frames and the cursor."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        box = QRectF(0.5, 3.5, self.width() - 1, self.height() - 8)
        painter.setPen(QPen(theme.colour("accent" if self.hasFocus() else "line"), 1))
        painter.setBrush(theme.colour("panel"))
        painter.drawRect(box)
        times = self._board.times
        painter.setPen(QPen(theme.colour("line"), 1))
        for second in range(1, int(times[-1]) + 1):
            x = 8 + (self.width() - 16) * second / float(times[-1])
            painter.drawLine(QPointF(x, box.top()), QPointF(x, box.bottom()))
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.colour("ink"))
        for frame in self._board.marked_frames:
            if frame < len(times):
                x, y = self._x(frame), box.center().y()
                painter.drawEllipse(QPointF(x, y), 4, 4)
        painter.setPen(QPen(theme.colour("accent"), 2))
        x = self._x(min(self._board.frame, len(times) - 1))
        painter.drawLine(QPointF(x, 0), QPointF(x, self.height()))
