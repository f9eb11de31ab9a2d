"""Every change as a row of a list: side, name, before and now, and the word for it."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from PyQt6.QtCore import QAbstractListModel, QModelIndex, QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QPainter, QPen
from PyQt6.QtWidgets import QListView, QStyle, QStyledItemDelegate, QStyleOptionViewItem, QWidget

from tuning.core.judging.verdict import Verdict
from tuning.core.review.changes import ORDER, ChangeFinding, Row
from tuning.core.types import LEGS
from tuning.core.units import sentence_case, unit_suffix
from tuning.ui import theme
from tuning.ui.symbols import paint_side, paint_verdict

ROW, HEAD = 52, 34
MISSING = "due and not re-tested"
Item = Row | str


class ChangeModel(QAbstractListModel):
    """Rows under the word for them; a text is a heading."""

    def __init__(self) -> None:
        super().__init__()
        self.items: list[Item] = []

    def fill(self, rows: Sequence[Row], missing: Sequence[Row]) -> None:
        """Other rows."""
        self.beginResetModel()
        self.items = []
        keys = {row.key for row in missing}
        if missing:
            self.items += [f"{sentence_case(MISSING)} · {len(missing)}", *missing]
        for finding in ORDER:
            found = [r for r in rows if r.change is not None and r.finding is finding]
            if found:
                self.items += [f"{sentence_case(finding.value)} · {len(found)}", *found]
        for name, alone in (
            ("New at this visit", [r for r in rows if r.before is None]),
            ("Earlier only", [r for r in rows if r.now is None and r.key not in keys]),
        ):
            if alone:
                self.items += [f"{name} · {len(alone)}", *alone]
        self.endResetModel()

    def rowCount(self, _: QModelIndex | None = None) -> int:
        """How many lines."""
        return len(self.items)

    def flags(self, index: QModelIndex) -> Qt.ItemFlag:
        """Headings are not chosen."""
        if isinstance(self.items[index.row()], str):
            return Qt.ItemFlag.NoItemFlags
        return Qt.ItemFlag.ItemIsSelectable | Qt.ItemFlag.ItemIsEnabled

    def data(self, index: QModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        """The item itself for the painter, words for screen readers."""
        item = self.items[index.row()]
        if role == Qt.ItemDataRole.UserRole:
            return item
        if role in (Qt.ItemDataRole.AccessibleTextRole, Qt.ItemDataRole.DisplayRole):
            return item if isinstance(item, str) else f"{item.name}: {values(item)}; {item.sentence}"
        return None


def values(row: Row) -> str:
    """Before and now with the unit."""
    m = row.measure
    a, b = (
        m.text(seen.measured) if seen is not None and seen.measured is not None else "–"
        for seen in (row.before, row.now)
    )
    return f"{a} → {b}{unit_suffix(m.unit)}"


class ChangeDelegate(QStyledItemDelegate):
    """Paints a row; no widget of its own for any of them."""

    def sizeHint(self, _: QStyleOptionViewItem, index: QModelIndex) -> QSize:
        """Headings are lower."""
        return QSize(300, HEAD if isinstance(index.data(Qt.ItemDataRole.UserRole), str) else ROW)

    def paint(self, painter: QPainter | None, option: QStyleOptionViewItem, index: QModelIndex) -> None:
        """A heading, or a row with its signs."""
        if painter is None:
            return
        item, box = index.data(Qt.ItemDataRole.UserRole), QRectF(option.rect)
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if isinstance(item, str):
            painter.setFont(theme.font(theme.SMALL, bold=True))
            painter.setPen(theme.colour("muted"))
            painter.drawText(box.adjusted(2, 10, 0, 0), int(_LEFT), item)
        else:
            self._row(painter, option, box, item)
        painter.restore()

    def _row(self, painter: QPainter, option: QStyleOptionViewItem, box: QRectF, row: Row) -> None:
        if option.state & QStyle.StateFlag.State_Selected:
            painter.fillRect(box, theme.colour("accent_wash"))
            if option.state & QStyle.StateFlag.State_HasFocus:
                painter.setPen(QPen(theme.colour("accent"), 1.5))
                painter.drawRect(box.adjusted(1, 1, -1, -1))
        painter.setPen(QPen(theme.colour("line"), 1))
        painter.drawLine(box.bottomLeft(), box.bottomRight())
        if row.side in LEGS:
            paint_side(painter, QPointF(box.left() + 12, box.top() + 17), 6, row.side)
        painter.setFont(theme.font(theme.BODY, bold=True))
        painter.setPen(theme.colour("ink"))
        shown = values(row)
        wide = painter.fontMetrics().horizontalAdvance(shown) + 8
        painter.drawText(box.adjusted(0, 5, -8, -24), int(_RIGHT), shown)
        painter.setFont(theme.font(theme.BODY))
        room = QRectF(box.left() + 28, box.top() + 5, box.width() - 28 - wide - 8, 24)
        metrics, place = painter.fontMetrics(), f", {row.region}" if row.region else ""
        whole = f"{row.measure.name}{place}"
        name = whole if metrics.horizontalAdvance(whole) <= room.width() else f"{row.measure.brief}{place}"
        elided = metrics.elidedText(name, Qt.TextElideMode.ElideRight, int(room.width()))
        painter.drawText(room, int(_LEFT), elided)
        verdict = row.change.verdict if row.change is not None else None
        if isinstance(verdict, Verdict) and row.finding is not ChangeFinding.UNLIKE:
            paint_verdict(painter, QPointF(box.left() + 34, box.top() + 39), 5, verdict.word)
        painter.setFont(theme.font())
        painter.setPen(theme.colour("muted"))
        below = QRectF(box.left() + 46, box.top() + 29, box.width() - 54, 20)
        words = painter.fontMetrics().elidedText(row.sentence, Qt.TextElideMode.ElideRight, int(below.width()))
        painter.drawText(below, int(_LEFT), words)


_LEFT = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter
_RIGHT = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter


class ChangeList(QListView):
    """Up and down choose; Enter opens."""

    chosen = pyqtSignal(object)
    opened = pyqtSignal(object)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.rows = ChangeModel()
        self._shown: Sequence[Row] = ()
        self._filling = False
        self.setModel(self.rows)
        self.setItemDelegate(ChangeDelegate(self))
        self.setVerticalScrollMode(QListView.ScrollMode.ScrollPerPixel)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setAccessibleName("Changes")
        self.activated.connect(lambda index: self._tell(index, self.opened))
        self.clicked.connect(lambda index: self._tell(index, self.chosen))

    def _tell(self, index: QModelIndex, signal: Any) -> None:
        item = index.data(Qt.ItemDataRole.UserRole)
        if isinstance(item, Row):
            signal.emit(item)

    def currentChanged(self, current: QModelIndex, previous: QModelIndex) -> None:
        """The keyboard chooses as the pointer does."""
        super().currentChanged(current, previous)
        if self.hasFocus() and not self._filling:
            self._tell(current, self.chosen)

    def show_rows(self, rows: Sequence[Row], missing: Sequence[Row], chosen: Row | None) -> None:
        """Rows with the chosen one in sight; the list is made anew only for other rows."""
        self._filling = True
        if rows is not self._shown:
            self.rows.fill(rows, missing)
            self._shown = rows
        at = next((n for n, i in enumerate(self.rows.items) if i is chosen), None)
        if at is not None and at != self.currentIndex().row():
            self.setCurrentIndex(self.rows.index(at))
        self._filling = False
