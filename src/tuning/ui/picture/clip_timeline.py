"""The strip of a clip: where we are, where marks are; click, drag or arrow keys to move."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QSizePolicy, QWidget

from tuning.core.movement.tracks import TRUSTED
from tuning.core.types import LEGS, Side
from tuning.ui import theme
from tuning.ui.picture.mark_state import MarkState
from tuning.ui.picture.tracking_state import TrackingState


class ClipTimeline(QWidget):
    """Time runs to the right by true time stamps."""

    frame_wanted = pyqtSignal(int)

    def __init__(self, board: MarkState) -> None:
        super().__init__()
        self._board = board
        self.setFixedHeight(36)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Strip of the clip")
        board.changed.connect(self.update)
        self._following: TrackingState | None = None
        self._held: tuple[int, float] | None = None

    def follow(self, following: TrackingState) -> None:
        """Show the quality and the events of followed marks."""
        self._following = following
        following.changed.connect(self.update)

    def _events(self) -> list[tuple[int, str, Side, float]]:
        """Events with their number; a held one where the pointer is."""
        result = self._following.result if self._following is not None else None
        if result is None:
            return []
        return [
            (n, kind, side, self._held[1] if self._held is not None and self._held[0] == n else time)
            for n, (kind, side, time) in enumerate(result.events)
        ]

    def _time_at(self, x: float) -> float:
        share = min(max((x - 8) / (self.width() - 16), 0.0), 1.0)
        return share * float(self._board.times[-1])

    def _x_of(self, time: float) -> float:
        return 8 + (self.width() - 16) * time / (float(self._board.times[-1]) or 1.0)

    def sizeHint(self) -> QSize:
        """Thin and wide."""
        return QSize(400, 36)

    def _x(self, frame: int) -> float:
        times = self._board.times
        whole = float(times[-1]) or 1.0
        return 8 + (self.width() - 16) * float(times[frame]) / whole

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """Take hold of an event tick, else jump."""
        if event is None:
            return
        near = [e for e in self._events() if abs(self._x_of(e[3]) - event.position().x()) < 5]
        if near and event.position().y() < 14:
            number, _, _, time = min(near, key=lambda e: abs(self._x_of(e[3]) - event.position().x()))
            self._held = (number, time)
        else:
            self._jump(event)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        """Carry the held event, or scrub."""
        if event is None:
            return
        if self._held is None:
            self._jump(event)
            return
        self._held = (self._held[0], self._time_at(event.position().x()))
        self.frame_wanted.emit(int(np.argmin(np.abs(self._board.times - self._held[1]))))
        self.update()

    def mouseReleaseEvent(self, _: QMouseEvent | None) -> None:
        """The event stays where it was put; everything is measured anew."""
        held, self._held = self._held, None
        if held is not None and self._following is not None:
            self._following.move_event(*held)

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
        self._paint_quality(painter, box)
        self._paint_events(painter, box)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.colour("ink"))
        for frame in self._board.marked_frames:
            if frame < len(times):
                x, y = self._x(frame), box.center().y()
                painter.drawEllipse(QPointF(x, y), 4, 4)
        painter.setPen(QPen(theme.colour("accent"), 2))
        x = self._x(min(self._board.frame, len(times) - 1))
        painter.drawLine(QPointF(x, 0), QPointF(x, self.height()))

    def _paint_quality(self, painter: QPainter, box: QRectF) -> None:
        """A band at the foot: washed where a mark is lost, the darker the more are."""
        tracks = self._following.tracks if self._following is not None else None
        if tracks is None or len(tracks.times) != len(self._board.times):
            return
        lost = (tracks.quality < TRUSTED).mean(axis=1)
        painter.setPen(Qt.PenStyle.NoPen)
        ink = theme.colour("caution")
        width = max(1.0, (self.width() - 16) / len(lost) + 0.5)
        for frame in np.flatnonzero(lost > 0):
            ink.setAlphaF(0.25 + 0.6 * float(lost[frame]))
            painter.fillRect(QRectF(self._x(int(frame)), box.bottom() - 8, width, 8), ink)

    def _paint_events(self, painter: QPainter, box: QRectF) -> None:
        """Contact and turn as ticks with a foot, others without; in the colour of the side. What was put by hand and
        waits for its other end is dotted."""
        events = [(kind, side, time, Qt.PenStyle.SolidLine) for _, kind, side, time in self._events()]
        result = self._following.result if self._following is not None else None
        for kind, side, time, _ in result.waiting if result is not None else ():
            events.append((kind, side, time, Qt.PenStyle.DotLine))
        for kind, side, time, style in events:
            x = self._x_of(time)
            painter.setPen(QPen(theme.colour(side.value if side in LEGS else "accent"), 1.8, style))
            painter.drawLine(QPointF(x, box.top() + 1), QPointF(x, box.top() + 11))
            if kind in ("contact", "turn"):
                painter.drawLine(QPointF(x - 3, box.top() + 11), QPointF(x + 3, box.top() + 11))
