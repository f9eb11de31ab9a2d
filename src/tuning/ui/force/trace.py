"""A recording: force of each leg, repetitions, onsets, windows; and what was read from it, leg by leg."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QGridLayout, QHBoxLayout, QScrollArea, QSizePolicy, QVBoxLayout, QWidget

from tuning.core.force.plate_errors import PlateErrors
from tuning.core.force.plate_tests import UNITS, Analysis, PlateKind
from tuning.core.force.recording import Recording
from tuning.core.types import LEGS, Side
from tuning.core.units import format_signed, sentence_case
from tuning.ui import theme
from tuning.ui.widgets import clear_layout, label

WINDOWS = (50, 100, 150, 200, 250)
NAMES = {
    "share": "Right share at the peak", "peak": "Peak", "peak-net": "Peak above quiet", "peak-bw": "Peak",
    "time-of-peak": "Time to peak", "onset-error": "Onset, 95 % error", "delay": "Delay of the leg",
    "rate-50": "Rise 0-50 ms", "rate-100": "Rise 0-100 ms",
    "rate-150": "Rise 0-150 ms", "rate-200": "Rise 0-200 ms", "rate-250": "Rise 0-250 ms",
    "own-rate-100": "Rise 0-100 ms, own onset", "own-rate-200": "Rise 0-200 ms, own onset",
    "rate-best20": "Best 20 ms", "impulse-100": "Impulse 0-100 ms", "impulse-200": "Impulse 0-200 ms",
    "rise-rate": "Lowest to peak", "impulse-drive": "Impulse of the drive", "depth": "Depth", "pause": "Pause",
    "unweighting": "Unweighting", "braking": "Braking", "propulsion": "Drive", "duration": "Duration",
    "contact": "Contact", "push-off": "Push-off", "loading-rate": "Loading rate", "impulse-braking": "Braking impulse",
    "impulse-push": "Push-off impulse", "velocity-peak": "Fastest", "height": "Height", "flight": "In the air",
    "share-sway": "Shift of weight a second", "held": "Stood on one leg", "sway-path": "Sway, path of pressure",
    "sway-speed": "Sway, mean speed", "sway-area": "Sway, 95 % area",
}  # fmt: skip
"""What is listed, in this order; the other windows stand on the command line."""
STANDING = {"share": "Right share, mean of the stand"}
"""What is called otherwise where nobody pushes."""


class TraceView(QWidget):
    """Drag to look closer, double-click for the whole."""

    def __init__(self) -> None:
        super().__init__()
        self.recording: Recording | None = None
        self.found: Analysis | None = None
        self._view = (0.0, 1.0)
        self._unread = ""
        self._held: float | None = None
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumHeight(240)
        self.setAccessibleName("Force over time; drag to look closer, double-click for all")

    def sizeHint(self) -> QSize:
        """Large."""
        return QSize(700, 340)

    def show_recording(self, recording: Recording | None, found: Analysis | None) -> None:
        """Another recording, as a whole."""
        self.recording, self.found = recording, found
        self.show_all()

    def tell_unread(self, words: str) -> None:
        """Why a recording on record is not shown; empty where there is none."""
        self._unread = words
        self.update()

    def show_all(self) -> None:
        """All of it."""
        end = self.recording.size / self.recording.rate if self.recording is not None else 1.0
        self._view = (0.0, end)
        self.update()

    def look_at(self, start: float, end: float) -> None:
        """A stretch in s."""
        self._view = (start, max(end, start + 0.05))
        self.update()

    def _box(self) -> QRectF:
        return QRectF(56, 26, self.width() - 72, self.height() - 58)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """Begin to choose a stretch."""
        if event is not None:
            self._held = event.position().x()

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        """Look at the chosen stretch."""
        if event is None or self._held is None:
            return
        box, (start, end) = self._box(), self._view
        a, b = sorted((self._held, event.position().x()))
        self._held = None
        if b - a > 12:
            per_px = (end - start) / box.width()
            self.look_at(start + (a - box.left()) * per_px, start + (b - box.left()) * per_px)

    def mouseDoubleClickEvent(self, _: QMouseEvent | None) -> None:
        """All of it again."""
        self.show_all()

    def paintEvent(self, _: QPaintEvent | None) -> None:
        """Axes, repetitions, traces, onsets."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(theme.colour("line"), 1))
        painter.setBrush(theme.colour("panel"))
        painter.drawRect(QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5))
        if self.recording is None or self.found is None:
            painter.setPen(theme.colour("muted"))
            painter.setFont(theme.font(theme.BODY))
            words = self._unread or "No recording of this test yet.\nRecord it (Space), or open a CSV or C3D file."
            wrapped = Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap
            painter.drawText(QRectF(self.rect()).adjusted(24, 0, -24, 0), wrapped, words)
            return
        box = self._box()
        start, end = self._view
        rate = self.recording.rate
        a, b = max(0, int(start * rate)), min(self.recording.size, int(end * rate) + 1)
        parts = {leg: self.recording.force[leg][a:b] for leg in self.recording.legs}
        top = 1.05 * max(100.0, *(float(p.max()) for p in parts.values() if p.size))
        self._paint_windows(painter, box)
        self._paint_axes(painter, box, top)
        for leg, part in parts.items():
            self._paint_leg(painter, box, part, top, leg)
        self._paint_events(painter, box)

    def _x(self, box: QRectF, t: float) -> float:
        start, end = self._view
        return box.left() + box.width() * (t - start) / (end - start)

    def _paint_axes(self, painter: QPainter, box: QRectF, top: float) -> None:
        painter.setFont(theme.font())
        for share in (0.0, 0.5, 1.0):
            y = box.bottom() - share * box.height()
            painter.setPen(QPen(theme.colour("line"), 1))
            painter.drawLine(QPointF(box.left(), y), QPointF(box.right(), y))
            painter.setPen(theme.colour("muted"))
            painter.drawText(QRectF(0, y - 8, box.left() - 6, 16), Qt.AlignmentFlag.AlignRight, f"{share * top:.0f} N")
        start, end = self._view
        for share in (0.0, 0.25, 0.5, 0.75, 1.0):
            x = box.left() + share * box.width()
            text = f"{start + share * (end - start):.2f} s"
            room = QRectF(min(x - 40, self.width() - 82), box.bottom() + 6, 80, 16)
            painter.drawText(room, Qt.AlignmentFlag.AlignHCenter, text)

    def _paint_leg(self, painter: QPainter, box: QRectF, part: np.ndarray, top: float, leg: Side) -> None:
        columns = max(2, int(box.width()))
        step = max(1, part.size // columns)
        whole = part[: part.size // step * step].reshape(-1, step)
        low, high = whole.min(axis=1), whole.max(axis=1)
        xs = box.left() + box.width() * (np.arange(len(low)) + 0.5) * step / max(1, part.size)
        painter.setPen(QPen(theme.colour(leg.value), 1.6))
        points = []
        for x, a, b in zip(xs, low, high, strict=True):
            points += [QPointF(x, box.bottom() - box.height() * v / top) for v in ((a, b) if step > 1 else (a,))]
        painter.drawPolyline(QPolygonF(points))
        if points:
            painter.setFont(theme.font(theme.SMALL, bold=True))
            painter.drawText(QPointF(box.left() + 8 + 60 * LEGS.index(leg), 18), leg.value)

    def _paint_windows(self, painter: QPainter, box: QRectF) -> None:
        """The rate windows from each onset, darker the shorter."""
        assert self.found is not None
        if self._view[1] - self._view[0] > 3:
            return
        painter.setPen(Qt.PenStyle.NoPen)
        for rep in self.found.reps:
            at = rep.events.get("onset", rep.events.get("drive"))
            if at is None or not any(m.startswith("rate-") for m, _ in rep.values):
                continue
            for window in WINDOWS:
                wash = theme.colour("accent")
                wash.setAlpha(26)
                painter.setBrush(wash)
                left, right = self._x(box, at), self._x(box, at + window / 1000)
                painter.drawRect(QRectF(left, box.top(), right - left, box.height()).intersected(box))

    def _paint_events(self, painter: QPainter, box: QRectF) -> None:
        assert self.found is not None
        painter.setFont(theme.font())
        close = self._view[1] - self._view[0] < 4
        for rep in self.found.reps:
            for n, (name, at) in enumerate(rep.events.items()):
                x = self._x(box, at)
                if not box.left() <= x <= box.right():
                    continue
                painter.setPen(QPen(theme.colour("accent"), 1.2, Qt.PenStyle.DashLine))
                painter.drawLine(QPointF(x, box.top()), QPointF(x, box.bottom()))
                painter.setPen(theme.colour("accent"))
                text = name if close else str(rep.number) if n == 0 else ""
                painter.drawText(QPointF(x + 3, box.top() + 12 + 14 * (n % 3 if close else 0)), text)


UNKNOWN = "± ?"
"""Short, so that two of them fit beside their numbers."""


class ReadingTable(QScrollArea):
    """Mean, spread and best of each leg over the repetitions."""

    def __init__(self, errors: PlateErrors) -> None:
        super().__init__()
        self._errors = errors
        inside = QWidget()
        column = QVBoxLayout(inside)
        column.setContentsMargins(0, 0, 8, 0)
        self._grid = QGridLayout()
        self._grid.setHorizontalSpacing(12)
        self._grid.setVerticalSpacing(4)
        self._notes = QVBoxLayout()
        column.addLayout(self._grid)
        column.addLayout(self._notes)
        column.addStretch(1)
        self.setWidget(inside)
        self.setWidgetResizable(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setFixedWidth(400)
        self.setAccessibleName("What was read from the recording")

    def show_analysis(self, found: Analysis | None) -> None:
        """Fill in another analysis."""
        clear_layout(self._grid)
        clear_layout(self._notes)
        if found is None:
            return
        for column, words in enumerate(("", "left", "right", "")):
            self._grid.addWidget(label(words, bold=True, role=words), 0, column)
        row = 1
        for metric, name in (NAMES | (STANDING if found.test.kind is PlateKind.STAND else {})).items():
            by_side = {s: found.summary(metric, s) for s in (*LEGS, Side.NONE, Side.BOTH)}
            if not any(by_side.values()):
                continue
            self._grid.addWidget(label(name), row, 0)
            for column, side in ((1, Side.LEFT), (2, Side.RIGHT)):
                told = by_side[side]
                if told is not None:
                    self._grid.addWidget(_value(told, metric, self._errors, len(found.reps)), row, column)
            whole = by_side[Side.NONE] or by_side[Side.BOTH]
            if whole is not None and not (by_side[Side.LEFT] or by_side[Side.RIGHT]):
                self._grid.addWidget(
                    _value(whole, metric, self._errors, len(found.reps)), row, 1, 1, 2, Qt.AlignmentFlag.AlignHCenter
                )
            self._grid.addWidget(label(UNITS[metric], role="muted"), row, 3)
            row += 1
        for text in (*found.warnings, *found.left_out_sentences()):
            self._notes.addWidget(label(text, role="caution", wrap=True))
        count = len(found.reps)
        what = "One repetition" if count == 1 else f"Means of {count} repetitions"
        how = (
            f"{what}, ± the 95 % error (standard errors: {self._errors.source}); SD alone, or {UNKNOWN}, where no "
            f"error is known. {sentence_case(found.filter_words)}."
        )
        self._notes.addWidget(label(how, role="muted", wrap=True))


def _value(told: tuple[float, float, float, int], metric: str, errors: PlateErrors, of: int) -> QWidget:
    """A mean with its error, and of how many of the repetitions where some give none."""
    mean, sd, best, n = told
    error = errors.of_mean(metric, mean, n)
    places = 0 if abs(mean) >= 100 else 1 if abs(mean) >= 10 else 2
    pair = QWidget()
    row = QHBoxLayout(pair)
    row.setContentsMargins(0, 0, 0, 0)
    row.setSpacing(4)
    row.addWidget(label(format_signed(mean, places), bold=True))
    spread = f"±{error:.{places}f}" if error is not None else f"SD {sd:.{places}f}" if n > 1 else UNKNOWN
    row.addWidget(label(f"{spread}, {n} of {of}" if n < of else spread, role="muted"))
    row.addStretch(1)
    known = f"±{error:.{places}f}" if error is not None else "not known"
    pair.setToolTip(
        f"{NAMES[metric]}: mean {format_signed(mean, places)} {UNITS[metric]}, 95 % error {known}, SD {sd:.{places}f}, "
        f"best {format_signed(best, places)}, {n} of {of} repetitions"
    )
    return pair
