"""Live plates: both traces as they come, the balance read-out, weighing, recording."""

from __future__ import annotations

import time
from contextlib import suppress

import numpy as np
from PyQt6.QtCore import QLine, QPointF, QRectF, QSize, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QSizePolicy, QWidget

from tuning.core.errors import DeviceFault
from tuning.core.force.live import RingBuffer
from tuning.core.types import LEGS, Side
from tuning.devices import map_device_errors
from tuning.devices.plates import ForcePlates
from tuning.ui import theme
from tuning.ui.symbols import begin_panel, paint_side

FRAME_MS = 16
SLICE_S = 0.1
CROSSED, CROSSED_WITH_POINTS = (0, 2, 1), (0, 2, 1, 5, 6, 3, 4)
"""Columns of samples when the cables of the plates are exchanged."""


def paint_beam(painter: QPainter, box: QRectF, share: float | None, band: float) -> None:
    """The share of the right leg as a beam that tips: level is 50 %, the wash is the band."""
    middle, half = box.center(), box.width() / 2
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(theme.colour("accent_wash"))
    painter.drawRect(QRectF(middle.x() - half * band / 25, box.top(), 2 * half * band / 25, box.height()))
    painter.setPen(QPen(theme.colour("line"), 2))
    painter.drawLine(QPointF(box.left(), middle.y()), QPointF(box.right(), middle.y()))
    painter.setPen(QPen(theme.colour("ink"), 2))
    painter.drawLine(QPointF(middle.x(), box.top()), QPointF(middle.x(), box.bottom()))
    for side, x in ((Side.LEFT, box.left() - 16), (Side.RIGHT, box.right() + 16)):
        paint_side(painter, QPointF(x, middle.y()), 9, side)
    if share is None:
        return
    x = middle.x() + half * max(-1.0, min(1.0, (share - 50) / 25))
    painter.setBrush(theme.colour("ink"))
    painter.setPen(Qt.PenStyle.NoPen)
    size = min(12.0, box.height() / 2)
    painter.drawEllipse(QPointF(x, middle.y()), size, size)


class LivePlates(QWidget):
    """Sixty frames a second from a buffer that never grows; what is recorded is collected apart."""

    recorded = pyqtSignal(object)
    """Whole recording as it came, shape (n, 3) or (n, 7): see `ForcePlates.read`."""
    failed = pyqtSignal(str)
    came = pyqtSignal(object)
    """What came in, shape (k, 2): left and right, N, never more than `SLICE_S` at a time."""

    def __init__(self) -> None:
        super().__init__()
        self.plates: ForcePlates | None = None
        self.buffer = RingBuffer(1000.0)
        self.recording: list[np.ndarray] | None = None
        self.top = 1500.0
        self.band = 5.0
        self.beam = True
        self.apart = True
        """False where nothing but the beam may tell one leg from the other: numbers and traces show the sum."""
        self.crossed = False
        """True once the plates were found to be swapped: left and right are exchanged as they come."""
        self.frames: list[float] = []
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumHeight(260)
        self.setAccessibleName("Live force of both plates")
        self._timer = QTimer(self)
        self._timer.setTimerType(Qt.TimerType.PreciseTimer)
        self._timer.setInterval(FRAME_MS)
        self._timer.timeout.connect(self._tick)
        self._seen = 0.0

    def sizeHint(self) -> QSize:
        """Large."""
        return QSize(820, 380)

    @property
    def running(self) -> bool:
        """True while samples come."""
        return self._timer.isActive()

    def start(self, plates: ForcePlates, record: bool) -> None:
        """Stream from plates, and collect everything when it is to be recorded."""
        self.stop()
        try:
            with map_device_errors("pair of plates"):
                plates.start()
        except DeviceFault as err:
            self.failed.emit(f"{err}. Nothing was recorded.")
            return
        self.plates, self.buffer = plates, RingBuffer(plates.rate)
        self.recording = [] if record else None
        self._seen = time.monotonic()
        self._timer.start()

    def stop(self) -> None:
        """End the stream; a recording is handed over whole."""
        if not self.running:
            return
        self._timer.stop()
        if self.plates is not None:
            with suppress(DeviceFault), map_device_errors("pair of plates"):
                self.plates.stop()
        taken, self.recording = self.recording, None
        if taken:
            self.recorded.emit(np.concatenate(taken))
        self.update()

    def _tick(self) -> None:
        assert self.plates is not None
        now = time.monotonic()
        try:
            with map_device_errors("pair of plates"):
                new = np.asarray(self.plates.read(), dtype=float)
                if new.ndim != 2 or new.shape[1] not in (3, 7):
                    raise ValueError("samples of an unknown shape")
        except DeviceFault as err:
            self._timer.stop()
            self.recording = None
            self.failed.emit(f"{err}. The recording was not saved.")
            return
        if len(new):
            self._seen = now
            self._take(new)
        elif now - self._seen > 0.5:
            self.stop()
            return
        self.frames = [*self.frames[-239:], now]
        self.update()

    def _take(self, new: np.ndarray) -> None:
        """In slices, so that whoever listens hears the same after a stall as without one."""
        step = max(1, round(SLICE_S * self.buffer.rate))
        for start in range(0, len(new), step):
            if not self.running:
                return
            part = new[start : start + step]
            if self.crossed:
                part = part[:, CROSSED if part.shape[1] == 3 else CROSSED_WITH_POINTS]
            self.buffer.add(part[:, 1:3])
            if self.recording is not None:
                self.recording.append(part)
            shown = part[:, 1:3] if self.apart else part[:, 1:3].sum(axis=1)
            self.top = max(self.top, 1.1 * float(np.nanmax(shown, initial=0.0)))
            self.came.emit(part[:, 1:3])

    def paintEvent(self, _: QPaintEvent | None) -> None:
        """Traces, numbers at arm's length, the beam."""
        painter, box = begin_panel(self)
        self._paint_numbers(painter, box)
        self._paint_traces(painter, QRectF(62, 70, box.width() - 78, box.height() - 150))
        if self.beam:
            paint_beam(painter, QRectF(60, box.bottom() - 54, box.width() - 120, 34), self.buffer.share(), self.band)

    def _paint_numbers(self, painter: QPainter, box: QRectF) -> None:
        if self.apart:
            self._paint_each(painter, box.adjusted(18, 8, -18, 0))
        else:
            painter.setFont(theme.font())
            painter.setPen(theme.colour("muted"))
            painter.drawText(box.adjusted(18, 12, -18, 0), Qt.AlignmentFlag.AlignLeft, "force of both legs together")
        share = self.buffer.share()
        painter.setPen(theme.colour("ink"))
        painter.setFont(theme.font(theme.LARGE))
        if share is not None and self.beam:
            text = f"left {100 - share:.0f} %   right {share:.0f} %"
            painter.drawText(box.adjusted(0, 16, 0, 0), Qt.AlignmentFlag.AlignHCenter, text)

    def _paint_each(self, painter: QPainter, box: QRectF) -> None:
        now = self.buffer.last(0.15)
        values = np.nanmean(now, axis=0) if len(now) and np.isfinite(now).any() else (None, None)
        painter.setFont(theme.font(theme.TITLE))
        flags = {Side.LEFT: Qt.AlignmentFlag.AlignLeft, Side.RIGHT: Qt.AlignmentFlag.AlignRight}
        for side, value in zip(LEGS, values, strict=True):
            painter.setPen(theme.colour(side.value))
            text = f"{side.value} –" if value is None else f"{side.value} {value:.0f} N"
            painter.drawText(box, flags[side], text)

    def _paint_traces(self, painter: QPainter, box: QRectF) -> None:
        painter.setFont(theme.font())
        for share in (0.0, 0.5, 1.0):
            y = box.bottom() - share * box.height()
            painter.setPen(QPen(theme.colour("line"), 1))
            painter.drawLine(QPointF(box.left(), y), QPointF(box.right(), y))
            painter.setPen(theme.colour("muted"))
            painter.drawText(
                QRectF(0, y - 8, box.left() - 6, 16), Qt.AlignmentFlag.AlignRight, f"{share * self.top:.0f} N"
            )
        # One upright stroke a pixel column, without smoothing: a frame is drawn in a few milliseconds.
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)
        bands = self.buffer.envelope(max(2, int(box.width())), together=not self.apart)
        known = np.flatnonzero(np.isfinite(bands).all(axis=(1, 2)))
        if not known.size:
            return
        xs = (box.left() + known).astype(int)
        heights = box.bottom() - box.height() * np.clip(bands[known], 0, self.top) / self.top
        for leg, colour in enumerate([side.value for side in LEGS] if self.apart else ["ink"]):
            painter.setPen(theme.colour(colour))
            lows, highs = heights[:, leg, 0].astype(int) + 1, heights[:, leg, 1].astype(int)
            # Each stroke reaches to its neighbour's, so that a steep rise has no holes.
            lows[1:] = np.maximum(lows[1:], highs[:-1])
            highs[1:] = np.minimum(highs[1:], lows[:-1])
            strokes = zip(xs.tolist(), lows.tolist(), highs.tolist(), strict=True)
            painter.drawLines(*[QLine(x, a, x, b) for x, a, b in strokes])
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
