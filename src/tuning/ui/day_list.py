"""The day list: people of the clinic by what is due for them, filters and search."""

from __future__ import annotations

from datetime import date
from functools import partial

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from tuning.core.errors import TuningError
from tuning.core.preferences import BY_KEY, KEEP_AGE, KEEP_YEARS
from tuning.core.visit.retention import RetentionRule
from tuning.records import Record
from tuning.records.settings import Settings
from tuning.ui import theme
from tuning.ui.people_list import FILTERS, ORDERS, OVER, DayTables, PeopleModel, PeopleView, PersonLine
from tuning.ui.widgets import TextField, button, label, separator, set_role

FIRST = (
    "Nobody is here yet. Add the first person (Ctrl+N): name and birth date are enough.\n"
    "Then ask what hurts and the safety questions; the line below always says what comes next."
)


class DayList(QWidget):
    """Search narrows by every word in name, birth date, occupation or complaint."""

    patient_chosen = pyqtSignal(object)
    new_chosen = pyqtSignal()
    refused = pyqtSignal(str)

    def __init__(self, record: Record, tables: DayTables) -> None:
        super().__init__()
        self._record, self._tables = record, tables
        self.people = PeopleModel()
        self.view = PeopleView(self.people)
        self.view.opened.connect(self.patient_chosen.emit)
        self.search = TextField()
        self.search.setPlaceholderText("Search name, birth date, occupation, complaint")
        self.search.setAccessibleName("Search")
        self.search.setFixedWidth(320)
        self.search.textChanged.connect(lambda text: self._narrow(words=text))
        self.search.returnPressed.connect(self._open_first)
        self.heading, self.hint = label(role="muted"), label("", theme.BODY, role="muted", wrap=True)
        self.hint.setContentsMargins(12, 24, 0, 0)
        self.filters: dict[str, QPushButton] = {}
        self._refusal = ""
        self._read: tuple[int, int, date, RetentionRule] | None = None
        self._build()

    def _build(self) -> None:
        head = QHBoxLayout()
        head.setSpacing(16)
        head.addWidget(label("People", theme.TITLE))
        head.addWidget(self.heading, 1, Qt.AlignmentFlag.AlignBottom)
        head.addWidget(self.search)
        head.addWidget(button("New patient", self.new_chosen.emit, "primary", "Ctrl+N"))
        narrow = QHBoxLayout()
        narrow.setSpacing(8)
        for name in FILTERS:
            self.filters[name] = button(name, partial(self._choose, name))
            narrow.addWidget(self.filters[name])
        narrow.addStretch(1)
        self.order = QComboBox()
        self.order.addItems(list(ORDERS))
        self.order.setAccessibleName("Order of the list")
        self.order.activated.connect(lambda _: self._narrow(order=self.order.currentText()))
        narrow.addWidget(self.order)
        column = QVBoxLayout(self)
        column.setContentsMargins(48, 16, 48, 16)
        column.setSpacing(12)
        column.addLayout(head)
        column.addLayout(narrow)
        column.addWidget(separator())
        column.addWidget(self.view, 1)
        column.addWidget(self.hint)
        column.addStretch(0)
        self._mark("Everybody")

    def lines(self) -> list[PersonLine]:
        """People shown, top first."""
        return list(self.people.lines)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Down leaves the search for the list."""
        if event is not None and event.key() == Qt.Key.Key_Down and self.people.lines:
            self.view.setFocus()
            self.view.setCurrentIndex(self.people.index(0))
        else:
            super().keyPressEvent(event)

    def _open_first(self) -> None:
        if self.people.lines:
            self.patient_chosen.emit(self.people.lines[0].patient)

    def _choose(self, name: str) -> None:
        self._mark(name)
        self._narrow(only=name)

    def _mark(self, name: str) -> None:
        for other, made in self.filters.items():
            set_role(made, chosen=other == name)

    def _narrow(self, words: str | None = None, only: str | None = None, order: str | None = None) -> None:
        self.people.narrow(words, only, order)
        self._tell()

    def refresh(self) -> None:
        """Read the people anew where anything was written since."""
        self._refusal = ""
        try:
            values = Settings(self._record.folder).values
            keep = RetentionRule(int(BY_KEY[KEEP_YEARS].read(values)), int(BY_KEY[KEEP_AGE].read(values)))
            now = (*self._record.stamp(), date.today(), keep)
            if now != self._read:
                self.people.read(self._record.digests(), date.today(), keep, self._tables)
                self._read = now
        except TuningError as err:
            self._refusal, self._read = str(err), None
            self.people.read([], date.today(), RetentionRule(), self._tables)
            self.refused.emit(self._refusal)
        for name, fits in FILTERS.items():
            fitting = sum(map(fits, self.people.everybody))
            self.filters[name].setText(f"{name} {fitting}")
            self.filters[name].setVisible(bool(fitting) or name != OVER)
        self._tell()

    def _tell(self) -> None:
        shown, everybody = len(self.people.lines), len(self.people.everybody)
        people = "person" if everybody == 1 else "people"
        of = f"{shown} of {everybody} {people}" if shown != everybody else f"{everybody} {people}"
        self.heading.setText(f"{date.today():%A, %-d %B %Y} · {of}")
        text = "No match. Try fewer letters, or Everybody." if everybody else FIRST
        self.hint.setText(self._refusal or text)
        self.hint.setVisible(not shown)
        self.view.setVisible(bool(shown))
