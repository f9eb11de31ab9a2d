"""The six-item foot score: a drawing for each criterion, both feet beside it."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from tuning.core.standing.photo_measures import foot_score_band
from tuning.core.test_definitions import observed
from tuning.core.types import LEGS, FormRef, Observation, Side
from tuning.core.units import format_signed
from tuning.drawings.positions import CRITERIA, criterion
from tuning.ui import theme
from tuning.ui.guided_tests.pictures import paint_position
from tuning.ui.guided_tests.state import RunState
from tuning.ui.symbols import paint_side
from tuning.ui.widgets import button, in_scroll, label

TEST = "foot-posture-score"
LEAST, MOST = -2, 2
HEAD, CELL = 24.0, 28.0


class FootScoreGrid(QWidget):
    """Arrows move between the cells; -, 0, 1, 2 and the mouse set them."""

    message = pyqtSignal()
    """The cursor moved or a score was set."""

    def __init__(self) -> None:
        super().__init__()
        self.scores: dict[Side, list[int | None]] = {side: [None] * len(CRITERIA) for side in LEGS}
        self.at = (0, Side.LEFT)
        self._minus = False
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMinimumHeight(round(HEAD + 62 * len(CRITERIA)))
        self.setAccessibleName("Six-item foot score: arrows move, minus and 0 to 2 set the item")

    def total(self, side: Side) -> int | None:
        """Sum of a foot, None until all six are set."""
        scores = self.scores[side]
        return None if any(s is None for s in scores) else sum(s for s in scores if s is not None)

    def set_score(self, value: int) -> None:
        """Set the item under the cursor and go on: left foot, right foot, next item."""
        row, side = self.at
        self.scores[side][row] = value
        self.at = (row, Side.RIGHT) if side is Side.LEFT else (min(row + 1, len(CRITERIA) - 1), Side.LEFT)
        self._tell()

    def _tell(self) -> None:
        row, side = self.at
        self.setAccessibleDescription(f"{CRITERIA[row][0]}, {side.value}")
        self.update()
        self.message.emit()

    def cursor_box(self) -> QRectF:
        """Where the cells of the cursor stand."""
        return self._cell(*self.at, LEAST).united(self._cell(*self.at, MOST))

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Digits set, a minus before them makes them negative, arrows move."""
        if event is None:
            return
        row, side = self.at
        moves = {Qt.Key.Key_Up: -1, Qt.Key.Key_Down: 1}
        if event.key() in moves:
            self.at = (min(max(row + moves[Qt.Key(event.key())], 0), len(CRITERIA) - 1), side)
        elif event.key() in (Qt.Key.Key_Left, Qt.Key.Key_Right):
            self.at = (row, Side.LEFT if event.key() == Qt.Key.Key_Left else Side.RIGHT)
        elif event.text() in ("-", "−"):
            self._minus = True
        elif event.text() in ("0", "1", "2"):
            self.set_score(int(event.text()) * (-1 if self._minus else 1))
            self._minus = False
        else:
            super().keyPressEvent(event)
            return
        self._tell()

    def _cell(self, row: int, side: Side, value: int) -> QRectF:
        height = (self.height() - HEAD) / len(CRITERIA)
        right_edge = self.width() - (0 if side is Side.RIGHT else 5 * CELL + 22)
        left = right_edge - 5 * CELL + (value - LEAST) * CELL
        return QRectF(left, HEAD + row * height + 22 + (height - 22 - CELL) / 2, CELL, CELL)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """Set the item under the pointer."""
        if event is None:
            return
        for row in range(len(CRITERIA)):
            for side in LEGS:
                for value in range(LEAST, MOST + 1):
                    if self._cell(row, side, value).contains(event.position()):
                        self.at = (row, side)
                        self.set_score(value)

    def paintEvent(self, _: QPaintEvent | None) -> None:
        """Criterion, its three drawings, and the two scales."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        height = (self.height() - HEAD) / len(CRITERIA)
        for side in LEGS:
            middle = self._cell(0, side, 0).center().x()
            paint_side(painter, QPointF(middle - 22, 10), 6, side)
            painter.setPen(theme.colour(side.value))
            painter.setFont(theme.font(theme.SMALL, bold=True))
            painter.drawText(QPointF(middle - 8, 15), side.value)
        for row, (name, *words) in enumerate(CRITERIA):
            top = HEAD + row * height
            painter.setPen(QPen(theme.colour("line"), 1))
            painter.drawLine(QPointF(0, top), QPointF(self.width(), top))
            self._paint_drawings(painter, row, QRectF(0, top, self.width() - 10 * CELL - 36, height), name, words)
            for side in LEGS:
                self._paint_scale(painter, row, side)

    def _paint_drawings(self, painter: QPainter, row: int, box: QRectF, name: str, words: list[str]) -> None:
        painter.setFont(theme.font(theme.SMALL, bold=True))
        painter.setPen(theme.colour("ink"))
        painter.drawText(QPointF(0, box.top() + 16), name)
        after = painter.fontMetrics().horizontalAdvance(name) + 12
        painter.setFont(theme.font())
        painter.setPen(theme.colour("muted"))
        painter.drawText(QPointF(after, box.top() + 16), f"−2 {words[0]},  0 {words[1]},  +2 {words[2]}")
        room = box.width() / 3
        for n, value in enumerate((-2, 0, 2)):
            cell = QRectF(box.left() + n * room, box.top() + 22, room, box.height() - 24)
            paint_position(painter, criterion(row, value), cell.adjusted(26, 0, -16, 0))
            painter.setPen(theme.colour("muted"))
            painter.drawText(cell, Qt.AlignmentFlag.AlignVCenter, f"{value:+d}".replace("-", "−") if value else "0")

    def _paint_scale(self, painter: QPainter, row: int, side: Side) -> None:
        for value in range(LEAST, MOST + 1):
            box = self._cell(row, side, value).adjusted(1, 1, -1, -1)
            chosen = self.scores[side][row] == value
            painter.setPen(QPen(theme.colour("accent" if chosen else "line"), 1))
            painter.setBrush(theme.colour("accent" if chosen else "panel"))
            painter.drawRect(box)
            painter.setPen(theme.colour("on_accent" if chosen else "ink"))
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, f"{value:+d}".replace("-", "−") if value else "0")
        if self.at == (row, side) and self.hasFocus():
            painter.setPen(QPen(theme.colour("accent"), 2))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRoundedRect(self.cursor_box().adjusted(-2, -2, 2, 2), 3, 3)


class FootScorePanel(QWidget):
    """Grid, totals with their bands, and the button that keeps them."""

    def __init__(self, state: RunState) -> None:
        super().__init__()
        self._state = state
        self.grid = FootScoreGrid()
        self.totals = label("", theme.BODY, bold=True)
        self.keep_button = button("Keep the score", self.keep, "primary")
        row = QHBoxLayout()
        row.addWidget(self.totals, 1)
        row.addWidget(self.keep_button)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(8)
        column.addWidget(label("Six-item foot score, standing relaxed", theme.LARGE, bold=True))
        self._room = in_scroll(self.grid)
        column.addWidget(self._room, 1)
        column.addLayout(row)
        self.grid.message.connect(self._follow)
        self.setFocusProxy(self.grid)
        state.workspace.case_changed.connect(self.load)
        state.workspace.reloaded.connect(self.load)
        self.load()

    def _follow(self) -> None:
        self.show_totals()
        middle = self.grid.cursor_box().center()
        self._room.ensureVisible(round(middle.x()), round(middle.y()), 10, 50)

    def load(self) -> None:
        """Take up what is on record."""
        for side in LEGS:
            seen = self._state.observation(TEST, side)
            self.grid.scores[side] = _items(seen)
        self.grid.at = (0, Side.LEFT)
        self.grid.update()
        self.show_totals()

    def show_totals(self) -> None:
        """Both totals with band; what is missing, otherwise."""
        told = []
        for side in LEGS:
            total = self.grid.total(side)
            left = sum(s is None for s in self.grid.scores[side])
            told.append(
                f"{side.value}: {left} items to go"
                if total is None
                else f"{side.value} {format_signed(total, 0)}, {foot_score_band(total)}"
            )
        self.totals.setText("     ".join(told))
        self.keep_button.setEnabled(any(self.grid.total(side) is not None for side in LEGS))

    def keep(self) -> None:
        """Write every complete foot."""
        space = self._state.workspace
        measure = self._state.measures[TEST]
        done = {side: total for side in LEGS if (total := self.grid.total(side)) is not None}
        with space.trying(), space.action("six-item foot score") as act:
            for side, total in done.items():
                items = FormRef(tuple(self.grid.scores[side]))
                act.replace(
                    observed(measure, side, [float(total)], "by eye", evidence=items),
                    self._state.observation(TEST, side),
                )


def _items(seen: Observation | None) -> list[int | None]:
    """The six items on record; none of them where there is no score yet."""
    kept = seen.evidence if seen is not None else None
    items = kept.items if isinstance(kept, FormRef) and kept.items else (None,) * len(CRITERIA)
    return [None if item is None else int(item) for item in items]
