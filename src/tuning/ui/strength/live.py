"""The gauge on screen: countdown, trace as it comes, what it says; one effort at a time."""

from __future__ import annotations

import time
from contextlib import suppress
from enum import StrEnum

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QApplication, QSizePolicy, QWidget

from tuning.core.errors import DeviceFault
from tuning.core.strength.gauge_trace import BREAK_RULES, MAKE_RULES, read_effort
from tuning.core.types import NotMeasured
from tuning.devices import map_device_errors
from tuning.devices.dynamometer import Dynamometer
from tuning.ui import theme
from tuning.ui.strength.state import PendingEffort
from tuning.ui.symbols import begin_panel

COUNT, TICK_MS = 3, 30
LONGEST_S, QUIET_S = 8.0, 0.7
"""An effort ends by itself after this long on the clock, or this long after the push has ended."""


class GaugePhase(StrEnum):
    """What the gauge is doing."""

    READY = "ready"
    COUNTING = "counting"
    PUSHING = "pushing"
    SHOWN = "shown"


class LivePanel(QWidget):
    """Space starts and stops; the trace is drawn as it comes."""

    caught = pyqtSignal(object)
    """A whole effort, valid or not, as `Caught`."""
    refused = pyqtSignal(str)
    phase_changed = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.gauge: Dynamometer | None = None
        self.breaks = False
        self.simulated = False
        """Whether the gauge is made up; what it sends says so for good."""
        self.phase = GaugePhase.READY
        self.count = 0
        self.samples = np.empty((0, 2))
        self.last: PendingEffort | None = None
        self._started = 0.0
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self._counter = QTimer(self)
        self._counter.setInterval(1000)
        self._counter.timeout.connect(self._count_down)
        self._ticker = QTimer(self)
        self._ticker.setInterval(TICK_MS)
        self._ticker.timeout.connect(self._tick)
        self._tell()

    def sizeHint(self) -> QSize:
        """In the place of the picture."""
        return QSize(470, 250)

    def use(self, gauge: Dynamometer | None) -> None:
        """Take another gauge, or none."""
        self.stop()
        self.gauge = gauge
        self.clear()

    def clear(self) -> None:
        """Forget the last trace."""
        self.samples, self.last = np.empty((0, 2)), None
        self.phase = GaugePhase.READY
        self._tell()

    def toggle(self) -> None:
        """Start the countdown, or end the effort now."""
        if self.phase is GaugePhase.PUSHING:
            self._finish()
        elif self.phase is GaugePhase.COUNTING:
            self.stop()
            self.clear()
        elif self.gauge is not None:
            self.clear()
            self.phase, self.count = GaugePhase.COUNTING, COUNT
            QApplication.beep()
            self._counter.start()
            self._tell()

    def stop(self) -> None:
        """Let the gauge go; what was not whole is dropped."""
        self._counter.stop()
        self._ticker.stop()
        if self.phase is GaugePhase.PUSHING:
            self._stop_gauge()

    def _stop_gauge(self) -> None:
        """A gauge that is gone has stopped, too."""
        if self.gauge is not None:
            with suppress(DeviceFault), map_device_errors("gauge"):
                self.gauge.stop()

    def _count_down(self) -> None:
        self.count -= 1
        QApplication.beep()
        if self.count > 0:
            self._tell()
            return
        self._counter.stop()
        assert self.gauge is not None
        try:
            with map_device_errors("gauge"):
                self.gauge.start()
        except DeviceFault as err:
            self._fail(err)
            return
        self.phase, self._started = GaugePhase.PUSHING, time.monotonic()
        self._ticker.start()
        self._tell()

    def _fail(self, err: DeviceFault) -> None:
        self.stop()
        self.clear()
        self.refused.emit(f"{err}. Nothing was saved; type the number instead.")

    def _tick(self) -> None:
        assert self.gauge is not None
        try:
            with map_device_errors("gauge"):
                taken = np.concatenate([self.samples, np.asarray(self.gauge.read(), dtype=float).reshape(-1, 2)])
        except DeviceFault as err:
            self._fail(err)
            return
        # A gauge that repeats itself or steps back in time is heard once.
        highest = np.maximum.accumulate(taken[:, 0])
        self.samples = taken[np.diff(highest, prepend=-np.inf) > 0]
        if self._is_over() or time.monotonic() - self._started > LONGEST_S:
            self._finish()
        self.update()

    def _is_over(self) -> bool:
        if not self.samples.size:
            return False
        t, f = self.samples[:, 0], np.abs(self.samples[:, 1])
        late = f[t > t[-1] - QUIET_S]
        return bool(t[-1] > 2 and f.max() > 10 and late.max() < 0.25 * f.max())

    def _finish(self) -> None:
        self.stop()
        self._stop_gauge()
        QApplication.beep()
        found = (
            read_effort(self.samples[:, 0], self.samples[:, 1], BREAK_RULES if self.breaks else MAKE_RULES)
            if len(self.samples) > 1
            else None
        )
        if found is None or isinstance(found, NotMeasured):
            why = found.detail if isinstance(found, NotMeasured) else "nothing was recorded"
            self.clear()
            self.refused.emit(f"No trial: {why}. Space starts again.")
            return
        name = self.gauge.name if self.gauge is not None else ""
        self.phase, self.last = GaugePhase.SHOWN, PendingEffort(found, self.samples, name, self.simulated)
        self._tell()
        self.caught.emit(self.last)

    def _tell(self) -> None:
        words = {
            GaugePhase.READY: "Gauge: Space starts the countdown",
            GaugePhase.COUNTING: f"{'Hold' if self.breaks else 'Push'} in {self.count}",
            GaugePhase.PUSHING: "Hold, the tester overcomes; Space ends"
            if self.breaks
            else "Push and hold; Space ends",
            GaugePhase.SHOWN: "Trace of the last effort; Space repeats",
        }
        self.words = words[self.phase]
        self.setAccessibleName(self.words)
        self.phase_changed.emit()
        self.update()

    def paintEvent(self, _: QPaintEvent | None) -> None:
        """Words, the trace, the best second."""
        painter, box = begin_panel(self)
        if self.phase is GaugePhase.COUNTING:
            painter.setFont(theme.font(theme.TITLE))
            painter.setPen(theme.colour("accent"))
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, str(self.count))
            return
        painter.setFont(theme.font(theme.BODY, bold=self.phase is GaugePhase.PUSHING))
        painter.setPen(theme.colour("muted"))
        painter.drawText(QPointF(12, 24), self.words)
        if len(self.samples) < 2:
            return
        self._paint_trace(painter, box.adjusted(12, 40, -60, -14))

    def _paint_trace(self, painter: QPainter, box: QRectF) -> None:
        t, f = self.samples[:, 0], np.abs(self.samples[:, 1])
        span, top = max(5.0, float(t[-1])), max(50.0, 1.08 * float(f.max()))

        def at(x: float, y: float) -> QPointF:
            return QPointF(box.left() + box.width() * x / span, box.bottom() - box.height() * y / top)

        if self.last is not None:
            best = self.last.trace.best_second
            level = QRectF(at(0, best), at(span, best)).adjusted(0, -2, 0, 2)
            painter.fillRect(level, theme.colour("accent_wash"))
        painter.setPen(QPen(theme.colour("ink"), 1.6))
        painter.drawPolyline(QPolygonF([at(float(x), float(y)) for x, y in zip(t, f, strict=True)]))
        peak = int(np.argmax(f))
        painter.setFont(theme.font(theme.BODY, bold=True))
        painter.drawText(at(span, float(f[peak])) + QPointF(4, 5), f"{f[peak]:.0f} N")
