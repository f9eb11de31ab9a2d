"""Patterns on the standing figure, and their list."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QIcon, QMouseEvent, QPainter, QPaintEvent, QPen, QPixmap
from PyQt6.QtWidgets import QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from tuning.core.reasoning.evidence import Label, PatternEvidence
from tuning.core.types import Side
from tuning.ui import theme
from tuning.ui.figure_column import STATIONS
from tuning.ui.reasoning.balance_view import paint_label
from tuning.ui.reasoning.state import ReasoningState
from tuning.ui.symbols import body_outline, paint_side
from tuning.ui.widgets import label

WIDTH = 196


def best_label(one: PatternEvidence) -> Label:
    """The best that a pattern has: what marks it on the figure."""
    return one.sheets[0].label if one.sheets else Label.UNTESTED


def _icon(side: Side) -> QIcon:
    made = QPixmap(18, 18)
    made.fill(Qt.GlobalColor.transparent)
    painter = QPainter(made)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    paint_side(painter, QPointF(9, 9), 6, side)
    painter.end()
    return QIcon(made)


class PatternFigure(QWidget):
    """The figure from behind: a mark where each pattern is, a ring around the chosen one; a click chooses."""

    def __init__(self, state: ReasoningState) -> None:
        super().__init__()
        self._state = state
        self.setFixedWidth(WIDTH)
        self.setMinimumHeight(240)
        self.setAccessibleName("Patterns on the standing figure, rear view")
        state.changed.connect(self.update)

    def _box(self) -> QRectF:
        return QRectF(8, 8, self.width() - 16, self.height() - 20)

    def _place(self, one: PatternEvidence) -> QPointF:
        x, y = STATIONS[one.seen.pattern.station]
        box = self._box()
        sign = {Side.LEFT: -1, Side.RIGHT: 1}.get(one.seen.side, 0)
        return QPointF(box.center().x() + sign * max(x, 0.05) * box.height(), box.top() + y * box.height())

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """Choose the pattern under the pointer."""
        if event is None or self._state.space.case is None:
            return
        for n, one in enumerate(self._state.conclusion.balances):
            if (self._place(one) - event.position()).manhattanLength() < 20:
                self._state.choose(pattern=n)
                return

    def paintEvent(self, _: QPaintEvent | None) -> None:
        """Body and marks; of several marks in one place the chosen one, else the first."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(theme.colour("ink"), 1.5))
        painter.setBrush(theme.colour("skin"))
        painter.drawPath(body_outline(self._box()))
        if self._state.space.case is None:
            return
        taken: list[QPointF] = []
        chosen = self._state.balance
        found = self._state.conclusion.balances
        for one in sorted(found, key=lambda b: b is not chosen):
            place = self._place(one)
            if any((place - other).manhattanLength() < 6 for other in taken):
                continue
            taken.append(place)
            if one is chosen:
                painter.setPen(QPen(theme.colour("accent"), 2.2))
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.drawEllipse(place, 14, 14)
            paint_label(painter, place, best_label(one))


class PatternColumn(QWidget):
    """Figure above, list below."""

    def __init__(self, state: ReasoningState) -> None:
        super().__init__()
        self._state = state
        self.setFixedWidth(WIDTH)
        self.figure = PatternFigure(state)
        self.list = QListWidget()
        self.list.setAccessibleName("Patterns seen")
        self.list.setIconSize(QSize(18, 18))
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.setFont(theme.font())
        self.count = label(role="muted")
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        column.addWidget(label("Patterns seen", role="muted"))
        column.addWidget(self.figure, 3)
        column.addWidget(self.list, 2)
        column.addWidget(self.count)
        self.list.currentRowChanged.connect(self._chosen)
        state.changed.connect(self.refresh)

    def _chosen(self, row: int) -> None:
        if row >= 0 and row != self._state.pattern:
            self._state.choose(pattern=row)

    def refresh(self) -> None:
        """Follow the state."""
        found = self._state.conclusion.balances if self._state.space.case is not None else ()
        self.list.blockSignals(True)
        self.list.clear()
        for one in found:
            item = QListWidgetItem(_icon(one.seen.side), one.seen.pattern.short)
            item.setToolTip(one.seen.name)
            self.list.addItem(item)
        self.list.setCurrentRow(min(self._state.pattern, len(found) - 1))
        self.list.blockSignals(False)
        self.count.setText("1 pattern" if len(found) == 1 else f"{len(found)} patterns")
