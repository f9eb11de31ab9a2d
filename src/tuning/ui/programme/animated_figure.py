"""The figure of a rung, still or moving between its poses at the prescribed tempo."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, QSize, QTimer
from PyQt6.QtGui import QPainter, QPaintEvent
from PyQt6.QtWidgets import QSizePolicy, QWidget

from tuning.core.pose import between
from tuning.core.programme.dose import Dose
from tuning.core.programme.ladders import Pose, Rung, Sides
from tuning.core.types import LEGS, Side
from tuning.ui import theme
from tuning.ui.exercise_figure import figure_of, paint_fitted
from tuning.ui.symbols import paint_side

TICK_MS = 50
USUAL_TEMPO = (2.0, 0.5, 2.0)
"""Seconds down, pause and up where no tempo is prescribed."""


def tempo_of(dose: Dose) -> tuple[float, float, float]:
    """Lower, pause, rise in seconds."""
    if not (dose.reps and dose.tempo):
        return USUAL_TEMPO
    lower, pause, rise = (float(part) for part in dose.tempo.split("-"))
    return max(lower, 0.3), pause, max(rise, 0.3)


def phase_at(seconds: float, dose: Dose) -> tuple[str, float, int]:
    """Word, share of the way from start to end, and repetitions done at a moment of a set."""
    lower, pause, rise = tempo_of(dose)
    whole = lower + pause + rise
    count, t = int(seconds // whole), seconds % whole
    if t < lower:
        return "lower", t / lower, count
    if t < lower + pause:
        return "hold", 1.0, count
    return "rise", 1 - (t - lower - pause) / rise, count


class MovingFigure(QWidget):
    """Moves while `play` is on; a hold stands in its last pose."""

    def __init__(self) -> None:
        super().__init__()
        self._rung: Rung | None = None
        self._pose: Pose | None = None
        self._dose: Dose | None = None
        self._side = Side.NONE
        self._share = 1.0
        self._seconds = 0.0
        self._timer = QTimer(self)
        self._timer.setInterval(TICK_MS)
        self._timer.timeout.connect(self._tick)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumSize(180, 180)

    def sizeHint(self) -> QSize:
        """Arm's length."""
        return QSize(260, 260)

    def show_rung(self, rung: Rung, pose: Pose, dose: Dose, side: Side) -> None:
        """Another rung, variant or side; it stands still."""
        self._rung, self._pose, self._dose = rung, pose, dose
        self._side = Side.NONE if rung.side is Sides.BOTH else side
        self._share, self._seconds = 1.0, 0.0
        leg = f", {side.value}" if self._side in LEGS else ""
        self.setAccessibleName(f"Drawn: {rung.name}{leg}")
        self.update()

    def play(self, on: bool) -> None:
        """Move, or stand still."""
        if on:
            self._timer.start()
        else:
            self._timer.stop()

    @property
    def playing(self) -> bool:
        """Whether it moves."""
        return self._timer.isActive()

    def at(self, seconds: float) -> None:
        """Show a moment of a set."""
        self._seconds = seconds
        if self._dose is not None:
            self._share = phase_at(seconds, self._dose)[1] if self._dose.reps or self._dose.breaths else 1.0
        self.update()

    def _tick(self) -> None:
        self.at(self._seconds + TICK_MS / 1000)

    def hideEvent(self, event: object) -> None:
        """Hidden figures do not move."""
        self.play(False)
        super().hideEvent(event)  # type: ignore[arg-type]

    def paintEvent(self, _: QPaintEvent | None) -> None:
        """The pose, in a box that holds the whole movement."""
        if self._rung is None or self._pose is None or self._dose is None:
            return
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        frames = self._pose.at(self._dose.depth_deg)
        place = self._share * (len(frames) - 1)
        first = min(int(place), len(frames) - 2) if len(frames) > 1 else 0
        frame = between(frames[first], frames[first + 1], place - first) if len(frames) > 1 else frames[0]
        around = [s for f in frames for s in figure_of(self._rung, self._pose, f, self._side)]
        box = QRectF(self.rect()).adjusted(12, 12, -12, -10)
        paint_fitted(painter, figure_of(self._rung, self._pose, frame, self._side), box, self._side, around)
        if self._side in LEGS:
            paint_side(painter, QPointF(16, 16), 8, self._side)
            painter.setPen(theme.colour(self._side.value))
            painter.setFont(theme.font(theme.BODY, bold=True))
            painter.drawText(QRectF(30, 4, 120, 24), self._side.value)
