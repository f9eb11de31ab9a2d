"""What the followed marks say: one line a measure, and its curve by step or repetition."""

from __future__ import annotations

import math
from functools import partial

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QPushButton, QSizePolicy, QVBoxLayout, QWidget

from tuning.core.judging.measures import Measure
from tuning.core.movement.kinematics import POINTS, Curve, by_cycle
from tuning.core.movement.tasks import TASKS
from tuning.core.types import LEGS, Side
from tuning.ui import theme
from tuning.ui.picture.tracking_state import TrackingState
from tuning.ui.symbols import SideSign
from tuning.ui.widgets import clear_layout, label, set_role

NAMES_APART = 18
"""Between the names of two lines, px."""


class CurveView(QWidget):
    """All cycles thin, their mean thick, left and right in their colours, named beside the line."""

    def __init__(self, following: TrackingState, measures: dict[str, Measure]) -> None:
        super().__init__()
        self._following, self._measures = following, measures
        self.measure = ""
        self.setMinimumHeight(110)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)

    def sizeHint(self) -> QSize:
        """Wide and low."""
        return QSize(500, 150)

    def choose(self, measure: str) -> None:
        """Show the curve of a measure."""
        self.measure = measure
        name = self._measures[measure].name if measure in self._measures else ""
        self.setAccessibleName(f"Curve: {name}, by step or repetition")
        self.update()

    def _curves(self) -> list[Curve]:
        result = self._following.result
        if result is None:
            return []
        own = [c for c in result.curves if c.measure == self.measure]
        if own:
            return own
        # A least or peak value is read off the curve of its stem.
        stems = [c for c in result.curves if self.measure.startswith(c.measure)]
        return stems

    def paintEvent(self, _: QPaintEvent | None) -> None:
        """Axis, cycles, means."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(theme.colour("line"), 1))
        painter.setBrush(theme.colour("panel"))
        painter.drawRect(QRectF(0.5, 0.5, self.width() - 1, self.height() - 1))
        result, tracks = self._following.result, self._following.tracks
        cut = {}
        if result is not None and tracks is not None:
            cut = {c.side: by_cycle(c, result.cycles, tracks.times) for c in self._curves()}
        lines = [line for group in cut.values() for line in group]
        measure = self._measures.get(self.measure)
        if not lines or measure is None:
            painter.setPen(theme.colour("muted"))
            text = "Choose a measure: its curve by step or repetition appears here."
            painter.drawText(QRectF(self.rect()), Qt.AlignmentFlag.AlignCenter, text)
            return
        low, high = float(np.min(lines)), float(np.max(lines))
        room = max(0.08 * (high - low), 0.5)
        box = QRectF(52, 34, self.width() - 130, self.height() - 58)
        self._paint_axes(painter, box, low - room, high + room, measure)
        ends = list[tuple[QPointF, str, str]]()
        for side, group in cut.items():
            role = side.value if side in LEGS else "ink"
            for values in group:
                self._paint_line(painter, box, values, low - room, high + room, role, 0.8)
            if group:
                mean = np.mean(group, axis=0)
                end = self._paint_line(painter, box, mean, low - room, high + room, role, 2.6)
                ends.append((end, role, f"{side.value if side in LEGS else ''} n {len(group)}".strip()))
        self._paint_names(painter, ends)

    @staticmethod
    def _paint_names(painter: QPainter, ends: list[tuple[QPointF, str, str]]) -> None:
        """A name where each line ends, the higher one above: they stand apart even where the lines end together."""
        below = -math.inf
        for end, role, name in sorted(ends, key=lambda one: one[0].y()):
            near = len(ends) > 1 and max(e.y() for e, *_ in ends) - min(e.y() for e, *_ in ends) < NAMES_APART
            at = max(end.y() + (-5 if near and below == -math.inf else 4), below + NAMES_APART)
            painter.setPen(theme.colour(role))
            painter.drawText(QPointF(end.x() + 6, at), name)
            below = at

    def _paint_axes(self, painter: QPainter, box: QRectF, low: float, high: float, measure: Measure) -> None:
        painter.setFont(theme.font(theme.SMALL, bold=True))
        painter.setPen(theme.colour("ink"))
        painter.drawText(QPointF(12, 18), f"{measure.name}, {measure.unit}")
        painter.setFont(theme.font())
        painter.setPen(theme.colour("muted"))
        flags = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
        places = 1 if high - low < 20 else 0  # a line that stands at 1.5 is not told as 1
        for value in (low, (low + high) / 2, high):
            y = box.bottom() - box.height() * (value - low) / (high - low)
            painter.drawLine(QPointF(box.left(), y), QPointF(box.right(), y))
            painter.drawText(QRectF(0, y - 8, box.left() - 6, 16), flags, f"{value:.{places}f}".replace("-", "−"))
        result = self._following.result
        walking = result is not None and "gait" in result.task
        ends = ("contact", "toe-off") if walking else ("start", "end")
        painter.drawText(QPointF(box.left(), box.bottom() + 18), ends[0])
        width = painter.fontMetrics().horizontalAdvance(ends[1])
        painter.drawText(QPointF(box.right() - width, box.bottom() + 18), ends[1])

    @staticmethod
    def _paint_line(
        painter: QPainter, box: QRectF, values: np.ndarray, low: float, high: float, role: str, width: float
    ) -> QPointF:
        xs = np.linspace(box.left(), box.right(), POINTS)
        ys = box.bottom() - box.height() * (values - low) / (high - low)
        ink = theme.colour(role)
        ink.setAlpha(255 if width > 2 else 120)
        painter.setPen(QPen(ink, width))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPolyline(QPolygonF([QPointF(x, y) for x, y in zip(xs, ys, strict=True)]))
        return QPointF(float(xs[-1]), float(ys[-1]))


class ResultButton(QPushButton):
    """Name of a measure over the clip; F1 tells how its values were worked out."""

    def __init__(self, following: TrackingState, measure: Measure, act: partial[None]) -> None:
        super().__init__(measure.brief)
        self._following, self._measure = following, measure
        self.title = measure.name
        self.setObjectName("link")
        self.setFont(theme.font())
        self.setAutoDefault(False)
        self.setToolTip(f"{measure.name}. Click for the curve; F1 for how this was worked out")
        self.clicked.connect(lambda: act())

    def explanation(self) -> str:
        """What F1 shows."""
        return self._following.explanation(self._measure.id)


class ResultList(QWidget):
    """One line a measure; a click shows its curve and the frame it was read in."""

    chosen = pyqtSignal(str)

    def __init__(self, following: TrackingState, measures: dict[str, Measure]) -> None:
        super().__init__()
        self._following, self._measures = following, measures
        self.current = ""
        self._rows = QVBoxLayout(self)
        self._rows.setContentsMargins(0, 0, 0, 0)
        self._rows.setSpacing(2)
        self._buttons: dict[str, QWidget] = {}

    def refresh(self) -> None:
        """Follow the result."""
        clear_layout(self._rows)
        self._buttons.clear()
        result = self._following.result
        if result is None:
            return
        for text in result.warnings:  # to be read before the numbers
            self._rows.addWidget(label(text, role="caution", wrap=True))
        for measure_id, sides in self._following.summary_lines():
            self._add(measure_id, sides)
        waiting = [words for *_, words in result.waiting]
        missing = self._following.missing_texts()
        for text in (*waiting, *missing, *result.notes, "± is the error of marks and events (95 %)."):
            self._rows.addWidget(label(text, role="muted", wrap=True))
        self._add_smoothing(result.cutoff_hz)
        self.choose(self.current if self.current in self._buttons else next(iter(self._buttons), ""))

    def _add_smoothing(self, now: float) -> None:
        """The cut-off in use, and others to choose."""
        usual = TASKS[self._following.task].cutoff_hz
        self.smoothing = QComboBox()
        self.smoothing.setAccessibleName("Smoothing, cut-off in Hz")
        self.smoothing.addItem(f"smoothed at {usual:g} Hz, usual, zero lag", None)
        for hz in sorted({3.0, 4.0, 6.0, 8.0, 10.0, 12.0, now} - {usual}):
            self.smoothing.addItem(f"smoothed at {hz:g} Hz, zero lag", hz)
        self.smoothing.setCurrentIndex(0 if now == usual else self.smoothing.findData(now))
        self.smoothing.activated.connect(lambda _: self._following.smooth_at(self.smoothing.currentData()))
        self._rows.addWidget(self.smoothing)

    def _add(self, measure_id: str, sides: dict[Side, str]) -> None:
        made = ResultButton(self._following, self._measures[measure_id], partial(self.choose, measure_id))
        self._buttons[measure_id] = made
        self._rows.addWidget(made)
        row = QHBoxLayout()
        row.setSpacing(6)
        for side in (Side.NONE, *LEGS):
            if side not in sides:
                continue
            value, error, spread = sides[side].split("|")
            if side in LEGS:
                row.addWidget(SideSign(side, 5))
            shown = label(value, theme.BODY, bold=True)
            shown.setObjectName(f"over-{measure_id}-{side.value}")
            shown.setToolTip(spread)
            row.addWidget(shown)
            row.addWidget(label(error, role="muted"))
        row.addStretch(1)
        self._rows.addLayout(row)

    def choose(self, measure_id: str) -> None:
        """Show the curve of a measure."""
        self.current = measure_id
        for key, made in self._buttons.items():
            set_role(made, chosen=key == measure_id)
        if measure_id:
            self.chosen.emit(measure_id)
