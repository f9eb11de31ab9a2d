"""The order on screen: one column a stay in a position, efforts from top to bottom; click, drag, skip."""

from __future__ import annotations

from dataclasses import dataclass

from PyQt6.QtCore import QPoint, QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QHelpEvent, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QSizePolicy, QToolTip, QWidget

from tuning.core.types import LEGS
from tuning.core.units import sentence_case
from tuning.core.visit.visit_items import OrderedItem
from tuning.ui import theme
from tuning.ui.symbols import paint_side
from tuning.ui.visit_order.state import OrderState

ROW, HEAD, GAP, MOST_COLUMNS = 25.0, 26.0, 8.0, 5


@dataclass(frozen=True)
class _Cell:
    """A stop and where it is drawn; `place` is its number in the whole order."""

    stop: OrderedItem
    place: int
    box: QRectF


class OrderBoard(QWidget):
    """Click an effort to do it; drag it to where it should be; Delete leaves it out."""

    chosen = pyqtSignal(str)
    dragged = pyqtSignal(str, int)
    skipped = pyqtSignal(str)

    def __init__(self, state: OrderState, stage: str = "") -> None:
        super().__init__()
        self._state, self._stage = state, stage
        self.current = ""
        self._held = ""
        self._pressed = QPoint()
        self._at = QPointF()
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName("Order of the tests; Up and Down choose, Delete leaves out")
        state.changed.connect(self.fit)

    def columns(self) -> list[list[OrderedItem]]:
        """Stays with the efforts of this board's stage."""
        stays = [
            [s for s in stay if not self._stage or self._state.stage(s.effort) == self._stage]
            for stay in self._state.order.stays()
        ]
        return [stay for stay in stays if stay]

    def packed(self) -> list[list[list[OrderedItem]]]:
        """Stays in columns: one each while they fit, else short ones below one another."""
        stays = self.columns()
        if len(stays) <= MOST_COLUMNS:
            return [[stay] for stay in stays]
        room = max(max(len(s) + 1 for s in stays), -(-sum(len(s) + 1 for s in stays) // MOST_COLUMNS) + 1)
        packed: list[list[list[OrderedItem]]] = [[]]
        for stay in stays:
            if packed[-1] and sum(len(s) + 1 for s in (*packed[-1], stay)) > room:
                packed.append([])
            packed[-1].append(stay)
        return packed

    def fit(self) -> None:
        """Take the room that the order needs."""
        tallest = max((sum(HEAD + ROW * len(s) + GAP for s in column) for column in self.packed()), default=HEAD)
        self.setFixedHeight(round(tallest + 2))
        self.update()

    def sizeHint(self) -> QSize:
        """Columns side by side."""
        return QSize(760, self.height())

    def layout_of(self) -> tuple[list[tuple[str, QRectF]], list[_Cell]]:
        """Heads and efforts with their boxes."""
        columns = self.packed()
        order = {s.effort.id: n for n, s in enumerate(self._state.order.stops)}
        width = self.width() / max(1, len(columns))
        heads, cells = [], []
        for c, column in enumerate(columns):
            y = 0.0
            for stay in column:
                heads.append((stay[0].effort.place.position, QRectF(c * width + 8, y, width - 16, HEAD)))
                y += HEAD
                for stop in stay:
                    cells.append(_Cell(stop, order[stop.effort.id], QRectF(c * width, y, width - 14, ROW - 2)))
                    y += ROW
                y += GAP
        return heads, cells

    def cells(self) -> list[_Cell]:
        """Every effort with its box."""
        return self.layout_of()[1]

    def _under(self, at: QPointF) -> _Cell | None:
        return next((cell for cell in self.cells() if cell.box.contains(at)), None)

    # hands

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """Take hold of an effort."""
        if event is None:
            return
        cell = self._under(event.position())
        self._held = cell.stop.effort.id if cell is not None else ""
        self._pressed, self._at = event.position().toPoint(), event.position()

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        """Show where it would go."""
        if event is not None and self._held:
            self._at = event.position()
            self.update()

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        """A click chooses, a drag moves."""
        if event is None or not self._held:
            return
        held, self._held = self._held, ""
        if (event.position().toPoint() - self._pressed).manhattanLength() < 8:
            self.chosen.emit(held)
        else:
            target = self._target(event.position(), held)
            if target is not None:
                self.dragged.emit(held, target)
        self.update()

    def _target(self, at: QPointF, held: str) -> int | None:
        """Place in the order, without the held effort, that a point means."""
        cells = [c for c in self.cells() if c.stop.effort.id != held]
        column = [c for c in cells if c.box.left() <= at.x() <= c.box.right() + 14]
        if not column:
            return None
        before = [c for c in cells if c.place < min(d.place for d in column)]
        above = [c for c in column if c.box.center().y() < at.y()]
        return len(before) + len(above)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Arrows choose, Delete leaves out; with Alt the arrows move the effort."""
        if event is None:
            return
        cells = self.cells()
        ids = [c.stop.effort.id for c in cells]
        n = ids.index(self.current) if self.current in ids else -1
        step = {Qt.Key.Key_Down: 1, Qt.Key.Key_Up: -1}.get(Qt.Key(event.key()))
        if step is not None and ids:
            if event.modifiers() & Qt.KeyboardModifier.ShiftModifier and n >= 0:
                self.dragged.emit(self.current, cells[n].place + step)
            else:
                self.chosen.emit(ids[min(max(n + step, 0), len(ids) - 1)])
        elif event.key() == Qt.Key.Key_Delete and n >= 0:
            self.skipped.emit(self.current)
        else:
            super().keyPressEvent(event)

    def event(self, event: object) -> bool:
        """Why an effort stands where it stands, on hovering."""
        if isinstance(event, QHelpEvent):
            cell = self._under(QPointF(event.pos()))
            QToolTip.showText(event.globalPos(), f"{cell.stop.effort.name}: {cell.stop.why}" if cell else "")
            return True
        return super().event(event)  # type: ignore[arg-type]

    # drawing

    def paintEvent(self, _: QPaintEvent | None) -> None:
        """Heads, efforts, ticks; a line where a held effort would go."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        names = self._state.position_names()
        for position, box in self.layout_of()[0]:
            painter.setFont(theme.font(theme.SMALL, bold=True))
            painter.setPen(theme.colour("ink"))
            painter.drawText(box, Qt.AlignmentFlag.AlignVCenter, sentence_case(names[position]))
        width = self.width() / max(1, len(self.packed()))
        painter.setPen(QPen(theme.colour("line"), 1.5, Qt.PenStyle.DashLine))
        for c in range(1, len(self.packed())):
            painter.drawLine(QPointF(c * width - 6, 4), QPointF(c * width - 6, self.height() - 4))
        for cell in self.cells():
            self._paint_cell(painter, cell)
        if self._held and (self._at.toPoint() - self._pressed).manhattanLength() >= 8:
            painter.setPen(QPen(theme.colour("accent"), 2))
            painter.drawLine(self._at + QPointF(-60, 0), self._at + QPointF(60, 0))

    def _paint_cell(self, painter: QPainter, cell: _Cell) -> None:
        effort, box = cell.stop.effort, cell.box
        have, wanted = self._state.progress(effort)
        if effort.id == self.current:
            painter.fillRect(box, theme.colour("accent_wash"))
        x = box.left() + 8
        if effort.side in LEGS:
            paint_side(painter, QPointF(x + 6, box.center().y()), 6, effort.side)
            x += 20
        done = have >= wanted
        told = "✓" if done else f"{have} of {wanted}" if have else ""
        painter.setFont(theme.font(theme.SMALL, bold=effort.id == self.current))
        metrics = painter.fontMetrics()
        room = metrics.horizontalAdvance(told) + 10
        painter.setPen(theme.colour("muted" if done else "ink"))
        name = effort.name.rsplit(", ", 1)[0] if effort.side in LEGS else effort.name
        name = name.removeprefix("Hip ") if self._stage else name
        wide = metrics.horizontalAdvance(name) > box.right() - x - room
        name = effort.short if wide and effort.short else name
        text = metrics.elidedText(name, Qt.TextElideMode.ElideRight, round(box.right() - x - room))
        painter.drawText(
            QRectF(x, box.top(), box.right() - x - room, box.height()), Qt.AlignmentFlag.AlignVCenter, text
        )
        flags = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
        painter.drawText(box.adjusted(0, 0, -6, 0), flags, told)
        if cell.stop.rest:
            painter.setPen(theme.colour("caution"))
            painter.drawText(QPointF(x, box.top() + 2), "rest first")
