"""What to do next: the three best tests, the last trial of cause, the way to the programme."""

from __future__ import annotations

from functools import partial

from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from tuning.core.reasoning.next_best_test import Option
from tuning.core.reasoning.trial_of_cause import Response
from tuning.core.units import unit_suffix
from tuning.ui import theme
from tuning.ui.reasoning.state import PROGRAMMED, ReasoningState
from tuning.ui.widgets import button, clear_layout, label

WIDTH, CARD = 276, 104


class OptionCard(QPushButton):
    """One test: number, name, what it separates, minutes and position."""

    def __init__(self, number: int, option: Option) -> None:
        super().__init__()
        self._number, self._option = number, option
        self.setStyleSheet(f"min-height: {CARD}px; max-height: {CARD}px; padding: 0;")
        self.setFixedHeight(CARD)  # a style sheet alone lets a low window press cards into each other
        self.setAutoDefault(False)
        self.setAccessibleName(f"{number}: {option.name}, {option.separates}, {option.minutes:g} minutes")
        self.setToolTip(f"{option.name}. Key {number} starts it")

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """The frame of a button, the words inside."""
        super().paintEvent(event)
        painter = QPainter(self)
        painter.setFont(theme.font(theme.BODY, bold=True))
        painter.setPen(theme.colour("accent"))
        painter.drawText(QPointF(12, 26), str(self._number))
        painter.setPen(theme.colour("ink"))
        metrics = painter.fontMetrics()
        room = self.width() - 46
        painter.drawText(QPointF(34, 26), metrics.elidedText(self._option.name, Qt.TextElideMode.ElideRight, room))
        painter.setFont(theme.font())
        line = painter.fontMetrics().lineSpacing()  # whole lines only: half a line cannot be read
        box = QRectF(34, 32, room, line * ((self.height() - 32 - 24) // line))
        painter.drawText(box, Qt.TextFlag.TextWordWrap, self._option.separates)
        painter.setPen(theme.colour("muted"))
        painter.drawText(QPointF(34, self.height() - 8), f"{self._option.minutes:g} min · {self._option.moves}")


class ResponseView(QWidget):
    """Plain, changed, plain again: three values with their errors; dashed boxes where one is still to be measured."""

    def __init__(self) -> None:
        super().__init__()
        self.setFixedHeight(104)
        self._response: Response | None = None

    def show_response(self, response: Response | None) -> None:
        """The newest trial of cause, or none yet."""
        self._response = response
        told = "none yet" if response is None else f"{response.change}, {response.sentence}"
        self.setAccessibleName(f"One thing changed: {told}")
        self.update()

    def paintEvent(self, _: QPaintEvent | None) -> None:
        """Three columns on one scale."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(theme.colour("line"), 1))
        painter.setBrush(theme.colour("panel"))
        painter.drawRect(QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5))
        found = self._response
        three = [None, None, None] if found is None else [found.before, found.changed, found.after]
        names = ("plain", found.change if found is not None else "changed", "plain")
        values = [seen.measured for seen in three if seen is not None and seen.measured is not None]
        error = found.error if found is not None else 0.0
        low, high = (min(values) - error, max(values) + error) if values else (0.0, 1.0)
        top, bottom = 14.0, self.height() - 30.0
        column = self.width() / 3
        painter.setFont(theme.font())
        for n, (seen, name) in enumerate(zip(three, names, strict=True)):
            middle = column * (n + 0.5)
            painter.setPen(theme.colour("muted"))
            spot = QRectF(middle - column / 2, bottom + 8, column, 18)
            painter.drawText(spot, Qt.AlignmentFlag.AlignCenter, name)
            if seen is None or seen.measured is None or found is None:
                pen = QPen(theme.colour("muted"), 1)
                pen.setDashPattern([3, 3])
                painter.setPen(pen)
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.drawRect(QRectF(middle - 16, top, 32, bottom - top))
                continue
            span = high - low or 1.0
            y = bottom - (bottom - top) * (seen.measured - low) / span
            half = (bottom - top) * error / 2 / span
            painter.fillRect(QRectF(middle - 18, y - half, 36, 2 * half), theme.colour("band"))
            painter.setPen(QPen(theme.colour("ink"), 2.2))
            painter.drawLine(QPointF(middle - 18, y), QPointF(middle + 18, y))
            words = f"{found.measure.text(seen.measured)}{unit_suffix(found.measure.unit)}"
            painter.drawText(QPointF(middle + 22, y + 5) if n < 2 else QPointF(middle - 60, y + 5), words)


class NextPanel(QWidget):
    """The right column of the page."""

    started = pyqtSignal(object)

    def __init__(self, state: ReasoningState, page: QWidget) -> None:
        super().__init__()
        self._state = state
        self.setFixedWidth(WIDTH)
        self._cards = QVBoxLayout()
        self._cards.setSpacing(8)
        self.none = label(role="muted", wrap=True)
        self.response, self.response_words = ResponseView(), label(role="muted", wrap=True)
        self.treated = label("", wrap=True)
        self.programme = button("", getattr(page, "to_programme"), "primary", "Key P")  # noqa: B009
        links = QHBoxLayout()
        links.setSpacing(6)
        for text, name, tip in (
            ("Overrule…", "overrule", "Key O"),
            ("Summary…", "summary", "Plain words, for the record and for the patient"),
            ("Trail", "show_trail", "What was suspected when, and what changed it"),
        ):
            links.addWidget(button(text, getattr(page, name), "link", tip))
        links.addStretch(1)
        head = QHBoxLayout()
        head.addWidget(label("Test next", theme.LARGE, bold=True))
        head.addStretch(1)
        head.addWidget(label("keys 1 2 3", role="muted"))
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(8)
        column.addLayout(head)
        column.addLayout(self._cards)
        column.addWidget(self.none)
        column.addWidget(label("One thing changed", theme.BODY, bold=True))
        column.addWidget(self.response)
        column.addWidget(self.response_words)
        column.addWidget(self.treated)
        column.addWidget(self.programme)
        column.addLayout(links)
        column.addStretch(1)
        column.addWidget(
            label("Likely, not proved. It describes what was seen and what to try.", role="muted", wrap=True)
        )
        state.changed.connect(self.refresh)

    def refresh(self) -> None:
        """Follow the state."""
        clear_layout(self._cards)
        state = self._state
        if state.space.case is None:
            return
        options = state.options()
        for number, option in enumerate(options, start=1):
            card = OptionCard(number, option)
            card.clicked.connect(partial(self.started.emit, option))
            self._cards.addWidget(card)
        self.none.setVisible(not options)
        self.none.setText("" if options else "No further test would change this.")
        tried = state.responses()
        self.response.show_response(tried[-1] if tried else None)
        change = state.space.knowledge.reasoning.changes
        if tried:
            name = change[tried[-1].change].name if tried[-1].change in change else tried[-1].change
            self.response_words.setText(f"{name}: {tried[-1].sentence}")
        else:
            self.response_words.setText("Measure, change one thing, measure, take it away, measure again.")
        sheet = state.sheet
        ready = sheet is not None and sheet.label in PROGRAMMED
        self.programme.setEnabled(ready)
        name = state.name(sheet) if sheet is not None else "No factor"
        self.programme.setText("To the programme: choose exercises" if ready else "Nothing likely is chosen")
        self.treated.setText(f"For: {name}" if ready else "")
        self.treated.setVisible(ready)
