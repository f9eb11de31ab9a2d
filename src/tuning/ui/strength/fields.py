"""The number field and the trials beside it."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QPainter, QPaintEvent
from PyQt6.QtWidgets import QSizePolicy, QWidget

from tuning.core.types import LEGS
from tuning.core.units import from_newtons
from tuning.ui import theme
from tuning.ui.strength.state import StrengthState
from tuning.ui.widgets import TextField


class NumberField(TextField):
    """Digits, point, Enter; Space belongs to the gauge while one is chosen."""

    space = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.gauge_chosen = False

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Space starts the gauge; everything else is typing."""
        if event is not None and event.key() == Qt.Key.Key_Space and self.gauge_chosen:
            self.space.emit()
            return
        super().keyPressEvent(event)


class TrialBars(QWidget):
    """The trials of the current effort as numbers and bars."""

    def __init__(self, state: StrengthState) -> None:
        super().__init__()
        self._state = state
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName("Trials so far")
        self.setFixedHeight(26)

    def fit(self) -> None:
        """As tall as the trials."""
        self.setFixedHeight(max(1, self._state.trials(self._state.side).size) * 22 + 2)
        self.update()

    def paintEvent(self, _: QPaintEvent | None) -> None:
        """One line a trial."""
        painter = QPainter(self)
        trials, unit = self._state.trials(self._state.side), self._state.unit
        role = self._state.side.value if self._state.side in LEGS else "accent"
        wash = theme.colour(f"{role}_wash")
        for n, force in enumerate(trials):
            y = 22.0 * n
            painter.setFont(theme.font())
            painter.setPen(theme.colour("muted"))
            painter.drawText(QPointF(0, y + 17), str(n + 1))
            painter.setFont(theme.font(theme.BODY, bold=True))
            painter.setPen(theme.colour("ink"))
            painter.drawText(QPointF(18, y + 18), f"{from_newtons(float(force), unit):.1f} {unit}")
            painter.fillRect(QRectF(120, y + 5, (self.width() - 124) * float(force / trials.max()), 14), wash)
