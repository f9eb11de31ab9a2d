"""The day list: people of the clinic, what is open for each, and search."""

from __future__ import annotations

from datetime import date

from PyQt6.QtCore import QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QAbstractButton, QHBoxLayout, QScrollArea, QSizePolicy, QVBoxLayout, QWidget

from tuning.core.errors import TuningError
from tuning.core.types import Side
from tuning.core.visit.overview import overview
from tuning.records import Digest, Record
from tuning.ui import theme
from tuning.ui.signs import SideSign
from tuning.ui.widgets import Line, button, empty, label, rule
from tuning.ui.words import day


class PatientLine(QAbstractButton):
    """One person; Enter or a click opens the newest visit."""

    def __init__(self, found: Digest, today: date) -> None:
        super().__init__()
        patient = self.patient = found.patient
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFixedHeight(72)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self._who = f"{patient.occupation or 'occupation not told'} · {patient.age_on(today)} y"
        visits = found.visits
        self._last = f"{day(visits[-1].started_at)}, visit {len(visits)}" if visits else "no visit yet"
        seen = overview(found.entries, found.measured)
        self.level, self.due = seen.level, seen.due
        self.setAccessibleName(f"{patient.name}, {self._who}, {patient.complaint}, {self._last}, {self.due}")
        if patient.involved is not Side.NONE:
            sign = SideSign(patient.involved, 7)
            sign.setParent(self)
            sign.move(284, 26)

    def sizeHint(self) -> QSize:
        """A tall line."""
        return QSize(900, 72)

    def paintEvent(self, _: QPaintEvent | None) -> None:
        """Name and who, side, complaint, caution, last visit and what is open."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if self.underMouse() or self.hasFocus():
            painter.fillRect(self.rect(), theme.colour("accent_wash"))
        if self.hasFocus():
            painter.setPen(QPen(theme.colour("accent"), 1.5))
            painter.drawRect(QRectF(self.rect()).adjusted(1, 1, -1, -1))
        width = float(self.width())
        left = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter
        self._text(painter, QRectF(12, 10, 264, 28), self.patient.name, theme.LARGE, "ink", left)
        self._text(painter, QRectF(12, 40, 264, 22), self._who, theme.SMALL, "muted", left)
        flags = left | Qt.TextFlag.TextWordWrap
        end = width - 300
        self._text(painter, QRectF(316, 8, end - 330, 56), self.patient.complaint, theme.BODY, "ink", flags)
        if self.level is not None:
            self._text(painter, QRectF(end - 4, 8, 90, 56), self.level.value, theme.BODY, "caution", left)
        right = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
        self._text(painter, QRectF(width - 212, 12, 200, 24), self.due, theme.BODY, "ink", right)
        self._text(painter, QRectF(width - 212, 38, 200, 22), self._last, theme.SMALL, "muted", right)

    @staticmethod
    def _text(painter: QPainter, box: QRectF, text: str, size: int, role: str, flags: object) -> None:
        painter.setFont(theme.font(size))
        painter.setPen(theme.colour(role))
        painter.drawText(box, int(getattr(flags, "value", flags)), text)  # type: ignore[call-overload]


class DayList(QWidget):
    """Search narrows by every word in name, occupation or complaint."""

    patient_chosen = pyqtSignal(object)
    new_chosen = pyqtSignal()
    refused = pyqtSignal(str)

    def __init__(self, record: Record) -> None:
        super().__init__()
        self._record = record
        self._lines: list[PatientLine] = []
        self.search = Line()
        self.search.setPlaceholderText("Search name, occupation or complaint")
        self.search.setAccessibleName("Search")
        self.search.setFixedWidth(320)
        self.search.textChanged.connect(self.refresh)
        self.search.returnPressed.connect(self._open_first)
        head = QHBoxLayout()
        head.setSpacing(16)
        head.addWidget(label("People", theme.TITLE))
        self.heading = label(role="muted")
        head.addWidget(self.heading, 1, Qt.AlignmentFlag.AlignBottom)
        head.addWidget(self.search)
        head.addWidget(button("New patient", self.new_chosen.emit, "primary", "Ctrl+N"))
        body = QWidget()
        self._list = QVBoxLayout(body)
        self._list.setContentsMargins(0, 0, 0, 0)
        self._list.setSpacing(0)
        area = QScrollArea()
        area.setWidgetResizable(True)
        area.setWidget(body)
        column = QVBoxLayout(self)
        column.setContentsMargins(48, 16, 48, 16)
        column.setSpacing(12)
        column.addLayout(head)
        column.addWidget(area, 1)

    def lines(self) -> list[PatientLine]:
        """People shown, top first."""
        return list(self._lines)

    def _open_first(self) -> None:
        lines = self.lines()
        if lines:
            self.patient_chosen.emit(lines[0].patient)

    def refresh(self) -> None:
        """Read the people anew."""
        empty(self._list)
        self._lines.clear()
        found: list[Digest] = []
        refusal = ""
        try:
            found = self._record.digests(self.search.text())
        except TuningError as err:
            refusal = str(err)
            self.refused.emit(refusal)
        today = date.today()
        self.heading.setText(f"{today:%A, %-d %B %Y} · {len(found)} {'person' if len(found) == 1 else 'people'}")
        for person in found:
            self._list.addWidget(rule())
            line = PatientLine(person, today)
            line.clicked.connect(lambda _, p=person.patient: self.patient_chosen.emit(p))
            self._list.addWidget(line)
            self._lines.append(line)
        self._list.addWidget(rule())
        if not found:
            text = "Nobody fits this search." if self.search.text() else "No patients yet. Add the first one."
            hint = label(refusal or text, theme.BODY, role="muted")
            hint.setContentsMargins(12, 24, 0, 0)
            self._list.addWidget(hint)
        self._list.addStretch(1)
