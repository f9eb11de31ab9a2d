"""Faults by repetition: one row a fault, one column a repetition, left and right apart."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QSizePolicy, QWidget

from tuning.core.entries import Answer
from tuning.core.test_definitions import Question, TestDefinition, how_often
from tuning.core.types import LEGS, Side
from tuning.ui import theme
from tuning.ui.picture.mark_state import MarkState
from tuning.ui.picture.tracking_state import TrackingState
from tuning.ui.workspace import Workspace

HEAD, ROW, NAME = 24.0, 21.0, 190.0
KEYS = "A click or the digit ticks a fault; left and right change the repetition; 0: the other faults were not seen."


class FaultGrid(QWidget):
    """Ticks are kept at once; the by-eye test of the same movement shows how often."""

    message = pyqtSignal(str)
    moved = pyqtSignal(int)
    """The frame of the turn of the chosen repetition."""

    def __init__(self, workspace: Workspace, board: MarkState, following: TrackingState) -> None:
        super().__init__()
        self._space, self._board, self._following = workspace, board, following
        self.leg, self.column = Side.LEFT, 0
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setToolTip(KEYS)
        workspace.content_changed.connect(self.update)

    # what stands

    def test(self) -> TestDefinition | None:
        """The by-eye test whose faults this clip can show."""
        task = self._following.task
        return next((t for t in self._space.knowledge.tests.values() if task and task in t.tasks), None)

    def cycles(self) -> list[tuple[float, float]]:
        """Start and end (s) of each repetition."""
        result = self._following.result
        return [] if result is None else [(start, end) for _, start, end in result.cycles]

    def legs(self) -> tuple[Side, ...]:
        """Both legs, or the one that stands."""
        side = self._following.side
        return (side,) if side in LEGS else LEGS

    def faults(self) -> list[Question]:
        """The rows."""
        test = self.test()
        return test.faults if test is not None else []

    def entry(self, fault: Question, leg: Side) -> Answer | None:
        """What stands of a fault on a leg; what was seen by eye under a direction or height is another thing."""
        test = self.test()
        found = self._space.answers(test.id) if test is not None else []
        mine = [a for a in found if a.side is leg and a.question == fault.key and not a.under]
        return mine[-1] if mine else None

    def ticked(self, fault: Question, leg: Side) -> list[int]:
        """Repetitions, from 0, in which a fault was ticked in this clip."""
        kept, capture = self.entry(fault, leg), self._board.capture
        if kept is None or capture is None or kept.capture != capture.uid:
            return []
        return list(kept.ticked)

    # ticking

    def enter(self) -> None:
        """Start at the first repetition, on a leg that is seen."""
        self.leg, self.column = self.legs()[0], 0
        self.setFixedHeight(round(HEAD + ROW * max(1, len(self.faults())) + 6))
        self._tell()
        self.setFocus()

    def toggle(self, row: int) -> None:
        """Tick or untick a fault in the chosen repetition of the chosen leg."""
        if not self.cycles():
            return
        fault = self.faults()[row]
        reps = set(self.ticked(fault, self.leg)) ^ {self.column}
        self._keep({fault.key: sorted(reps)})

    def none_else(self) -> None:
        """The faults of this leg that were never ticked were looked for and not seen."""
        open_ones = [f for f in self.faults() if self.entry(f, self.leg) is None]
        if open_ones and self.cycles():
            self._keep({f.key: [] for f in open_ones})

    def _keep(self, reps: dict[str, list[int]]) -> None:
        test, capture, count = self.test(), self._board.capture, len(self.cycles())
        if test is None or capture is None:
            return
        with self._space.trying(), self._space.action(f"faults, {self.leg.value}") as act:
            for fault in (f for f in self.faults() if f.key in reps):
                ticked = tuple(reps[fault.key])
                words = how_often(len(ticked), count)
                answer = Answer(test.id, fault.key, self.leg, words, ticked=ticked, out_of=count, capture=capture.uid)
                act.replace(answer, self.entry(fault, self.leg))

    def choose(self, leg: Side, column: int) -> None:
        """Go to a repetition and leg; the clip shows its deepest point."""
        cycles = self.cycles()
        if not cycles or leg not in self.legs():
            return
        changed = column != self.column
        self.leg, self.column = leg, min(max(column, 0), len(cycles) - 1)
        if changed:
            middle = sum(cycles[self.column]) / 2
            self.moved.emit(int(self._board.times.searchsorted(middle)))
        self._tell()
        self.update()

    def _tell(self) -> None:
        self.setAccessibleName(f"Faults, {self.leg.value}, repetition {self.column + 1}: {KEYS}")

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Digits tick, arrows move, 0 closes the leg."""
        if event is None:
            return
        key = event.text()
        if event.key() in (Qt.Key.Key_Left, Qt.Key.Key_Right):
            self.choose(self.leg, self.column + (1 if event.key() == Qt.Key.Key_Right else -1))
        elif key == "0":
            self.none_else()
        elif key.isdigit() and int(key) <= len(self.faults()):
            self.toggle(int(key) - 1)
        else:
            super().keyPressEvent(event)

    # drawing

    def sizeHint(self) -> QSize:
        """As tall as the faults."""
        return QSize(500, round(HEAD + ROW * max(1, len(self.faults())) + 6))

    def cell(self, leg: Side, row: int, column: int) -> QRectF:
        """Where a tick stands."""
        legs, count = self.legs(), max(1, len(self.cycles()))
        block = (self.width() - NAME - 8) / len(legs)
        width = min((block - 74) / count, 34.0)
        left = NAME + block * legs.index(leg) + width * column
        return QRectF(left, HEAD + ROW * row, width - 3, ROW - 3)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """A click ticks a cell."""
        if event is None:
            return
        for leg in self.legs():
            for row in range(len(self.faults())):
                for column in range(len(self.cycles())):
                    if self.cell(leg, row, column).contains(event.position()):
                        self.choose(leg, column)
                        self.toggle(row)

    def paintEvent(self, _: QPaintEvent | None) -> None:
        """Names, cells, and how often in words."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), theme.colour("panel"))
        painter.setFont(theme.font(theme.SMALL, bold=True))
        painter.setPen(theme.colour("ink"))
        painter.drawText(QPointF(10, 17), "Faults by repetition")
        self._paint_hint(painter)
        faults, cycles = self.faults(), self.cycles()
        if not faults or not cycles:
            painter.setPen(theme.colour("muted"))
            painter.drawText(QPointF(NAME, 17), "no repetitions were found in this clip")
            return
        for leg in self.legs():
            painter.setFont(theme.font(theme.SMALL, bold=leg is self.leg))
            painter.setPen(theme.colour(leg.value))
            painter.drawText(QPointF(self.cell(leg, 0, 0).left(), 17), leg.value)
        for row, fault in enumerate(faults):
            painter.setFont(theme.font())
            painter.setPen(theme.colour("ink"))
            painter.drawText(QPointF(10, HEAD + ROW * row + 14), f"{row + 1}  {fault.text}")
            for leg in self.legs():
                self._paint_leg(painter, row, fault, leg)

    def _paint_hint(self, painter: QPainter) -> None:
        """The keys, where one leg leaves room for them."""
        if len(self.legs()) == 1 and self.cycles():
            painter.setFont(theme.font())
            painter.setPen(theme.colour("muted"))
            right = self.cell(self.legs()[0], 0, len(self.cycles()) - 1).right() + 90
            room = QRectF(right, 4, self.width() - right - 10, self.height() - 8)
            painter.drawText(room, Qt.TextFlag.TextWordWrap | Qt.AlignmentFlag.AlignBottom, KEYS)
            painter.setFont(theme.font(theme.SMALL, bold=True))
            painter.setPen(theme.colour("ink"))

    def _paint_leg(self, painter: QPainter, row: int, fault: Question, leg: Side) -> None:
        ticked, count = self.ticked(fault, leg), len(self.cycles())
        for column in range(count):
            cell = self.cell(leg, row, column)
            here = leg is self.leg and column == self.column and self.hasFocus()
            painter.setPen(QPen(theme.colour("accent" if here else "line"), 2 if here else 1))
            painter.setBrush(theme.colour(leg.value if column in ticked else "paper"))
            painter.drawRoundedRect(cell, 3, 3)
        kept = self.entry(fault, leg)
        if kept is not None:
            painter.setPen(theme.colour("ink"))
            last = self.cell(leg, row, count - 1)
            painter.drawText(QPointF(last.right() + 6, last.top() + 14), kept.option)
