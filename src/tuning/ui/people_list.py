"""People as the rows of one list: a model, a painter, and no widget for any of them."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from datetime import date
from functools import cached_property
from typing import Any

from PyQt6.QtCore import QAbstractListModel, QModelIndex, QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QPainter, QPen
from PyQt6.QtWidgets import QListView, QStyle, QStyledItemDelegate, QStyleOptionViewItem

from tuning.core.case import Patient
from tuning.core.day_list_entry import Digest, ListPriority, Overview, overview
from tuning.core.gate.triage import SafetyTable
from tuning.core.programme.rules import Rules
from tuning.core.text_search import plain
from tuning.core.types import LEGS
from tuning.core.visit.retention import RetentionRule
from tuning.ui import theme
from tuning.ui.formatting import day
from tuning.ui.symbols import paint_side

ROW = 68
DUE = (
    ListPriority.EMERGENCY,
    ListPriority.REFER,
    ListPriority.LOG,
    ListPriority.RETEST,
    ListPriority.SILENT,
    ListPriority.CLEAR,
    ListPriority.PLAN,
)
OVER = "Keep time over"
FILTERS: dict[str, Callable[[PersonLine], bool]] = {
    "Everybody": lambda line: True,
    "Due": lambda line: line.told.need in DUE,
    "Plan running": lambda line: line.digest.rungs > 0,
    "Caution": lambda line: line.told.level is not None,
    OVER: lambda line: line.over,
}
ORDERS: dict[str, Callable[[PersonLine], Any]] = {
    "by need": lambda line: (line.told.need, line.digest.last.timestamp() if line.digest.last else 0.0),
    "by name": lambda line: plain(line.patient.name),
    "by last visit": lambda line: -line.digest.last.timestamp() if line.digest.last else 0.0,
}


@dataclass
class PersonLine:
    """One person as shown; `over` is whether the person may be erased."""

    digest: Digest
    told: Overview
    today: date
    over: bool = False

    @cached_property
    def who(self) -> str:
        """Birth date, age and occupation."""
        p = self.patient
        born = f"{p.birth_date:%-d %b %Y}, {p.age_on(self.today)} y"
        return f"{born} · {p.occupation or 'occupation not recorded'}"

    @cached_property
    def visit_days(self) -> str:
        """The last visit and the next."""
        one = self.digest
        last = f"{day(one.last)}, visit {one.visits}" if one.last is not None else "no visit yet"
        return last + (f" · next {self.told.next:%-d %b}" if self.told.next is not None else "")

    @cached_property
    def sought(self) -> str:
        """What a search looks through."""
        p = self.patient
        born = f"{p.birth_date:%-d.%-m.%Y} {p.birth_date.isoformat()}"
        return plain(f"{p.name} {p.occupation} {p.complaint} {born} {self.who}")

    @property
    def patient(self) -> Patient:
        """Who it is."""
        return self.digest.patient

    @property
    def spoken(self) -> str:
        """The row in words, for screen readers."""
        p = self.patient
        return ", ".join(part for part in (p.name, self.who, p.complaint, self.told.due, self.visit_days) if part)


DayTables = tuple[Rules, SafetyTable]
"""What the list needs of the knowledge files."""


def line_of(digest: Digest, today: date, keep: RetentionRule, tables: DayTables) -> PersonLine:
    """A person as shown today; words are made when they are first painted or searched."""
    last = digest.last.astimezone().date() if digest.last is not None else None
    over = keep.is_over(digest.patient.birth_date, last, today)
    return PersonLine(digest, overview(digest, today, *tables), today, over)


def _again(
    before: PersonLine | None, digest: Digest, today: date, keep: RetentionRule, tables: DayTables
) -> PersonLine:
    """The line as it was where nothing of the person has changed."""
    return before if before is not None and before.digest is digest else line_of(digest, today, keep, tables)


class PeopleModel(QAbstractListModel):
    """Everybody, narrowed by words and a filter, in an order."""

    def __init__(self) -> None:
        super().__init__()
        self.everybody: list[PersonLine] = []
        self.lines: list[PersonLine] = []
        self._by: tuple[date, RetentionRule] | None = None
        self._words, self._filter, self._order = "", "Everybody", "by need"

    def read(self, digests: Sequence[Digest], today: date, keep: RetentionRule, tables: DayTables) -> None:
        """Other people, or the same with newer facts."""
        known = {one.patient.uid: one for one in self.everybody} if (today, keep) == self._by else {}
        self._by = today, keep
        self.everybody = [_again(known.get(one.patient.uid), one, today, keep, tables) for one in digests]
        self._narrow()

    def narrow(self, words: str | None = None, only: str | None = None, order: str | None = None) -> None:
        """Other words, filter or order; what is left out stays."""
        self._words = self._words if words is None else words
        self._filter = self._filter if only is None else only
        self._order = self._order if order is None else order
        self._narrow()

    def _narrow(self) -> None:
        self.beginResetModel()
        words, fits = [plain(word) for word in self._words.split()], FILTERS[self._filter]
        found = [one for one in self.everybody if fits(one) and all(word in one.sought for word in words)]
        self.lines = sorted(found, key=ORDERS[self._order])
        self.endResetModel()

    def rowCount(self, _: QModelIndex | None = None) -> int:
        """How many are shown."""
        return len(self.lines)

    def data(self, index: QModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        """The line itself for the painter, words for screen readers."""
        line = self.lines[index.row()]
        if role == Qt.ItemDataRole.UserRole:
            return line
        return line.spoken if role in (Qt.ItemDataRole.AccessibleTextRole, Qt.ItemDataRole.DisplayRole) else None


class PersonPainter(QStyledItemDelegate):
    """Name and birth date, side, complaint, caution, what is due, last and next visit."""

    def sizeHint(self, _: QStyleOptionViewItem, __: QModelIndex) -> QSize:
        """Every row alike."""
        return QSize(900, ROW)

    def paint(self, painter: QPainter | None, option: QStyleOptionViewItem, index: QModelIndex) -> None:
        """One row."""
        if painter is None:
            return
        line, box = index.data(Qt.ItemDataRole.UserRole), QRectF(option.rect)
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        state = option.state
        chosen = bool(state & QStyle.StateFlag.State_Selected) and bool(state & QStyle.StateFlag.State_HasFocus)
        if chosen or state & QStyle.StateFlag.State_MouseOver:
            painter.fillRect(box, theme.colour("accent_wash"))
        if chosen:
            painter.setPen(QPen(theme.colour("accent"), 1.5))
            painter.drawRect(box.adjusted(1, 1, -1, -1))
        painter.setPen(QPen(theme.colour("line"), 1))
        painter.drawLine(box.bottomLeft(), box.bottomRight())
        painter.translate(box.topLeft())
        self._parts(painter, box.width(), line)
        painter.restore()

    def _parts(self, painter: QPainter, width: float, line: PersonLine) -> None:
        end, patient = width - 320, line.patient
        self._text(painter, QRectF(12, 8, 300, 28), patient.name, theme.LARGE, "ink")
        self._text(painter, QRectF(12, 38, 300, 20), line.who, theme.SMALL, "muted")
        if patient.involved in LEGS:
            paint_side(painter, QPointF(334, ROW / 2), 7, patient.involved)
        self._text(painter, QRectF(356, 6, end - 366, 54), patient.complaint, theme.BODY, "ink", wrapped=True)
        if line.told.level is not None:
            self._text(painter, QRectF(end - 4, 6, 72, 54), line.told.level.value, theme.BODY, "caution")
        urgent = "ink" if line.told.need in DUE else "muted"
        self._text(painter, QRectF(end + 72, 10, 236, 24), line.told.due, theme.BODY, urgent, right=True)
        self._text(painter, QRectF(end + 72, 36, 236, 20), line.visit_days, theme.SMALL, "muted", right=True)

    @staticmethod
    def _text(
        painter: QPainter, box: QRectF, text: str, size: int, role: str, wrapped: bool = False, right: bool = False
    ) -> None:
        painter.setFont(theme.font(size))
        painter.setPen(theme.colour(role))
        way = Qt.AlignmentFlag.AlignRight if right else Qt.AlignmentFlag.AlignLeft
        flags = way | Qt.AlignmentFlag.AlignVCenter
        if wrapped:
            painter.save()
            painter.setClipRect(box)
            painter.drawText(box, int(flags) | int(Qt.TextFlag.TextWordWrap), text)
            painter.restore()
            return
        elided = painter.fontMetrics().elidedText(text, Qt.TextElideMode.ElideRight, int(box.width()))
        painter.drawText(box, int(flags), elided)


class PeopleView(QListView):
    """Arrows choose, Enter or a click opens."""

    opened = pyqtSignal(object)

    def __init__(self, people: PeopleModel) -> None:
        super().__init__()
        self.setModel(people)
        self.setItemDelegate(PersonPainter(self))
        self.setUniformItemSizes(True)
        self.setMouseTracking(True)
        self.setVerticalScrollMode(QListView.ScrollMode.ScrollPerPixel)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setAccessibleName("People")
        self.activated.connect(self._open)
        self.clicked.connect(self._open)

    def _open(self, index: QModelIndex) -> None:
        line = index.data(Qt.ItemDataRole.UserRole)
        if isinstance(line, PersonLine):
            self.opened.emit(line.patient)
