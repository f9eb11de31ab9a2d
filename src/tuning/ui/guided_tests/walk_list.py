"""The tests of a stage in working order, with what was found at each."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QScrollArea, QSizePolicy, QWidget

from tuning.core.test_definitions import AnswerKind, TestDefinition, WalkStep
from tuning.core.types import LEGS, Side
from tuning.ui import theme
from tuning.ui.guided_tests.state import RunState

ROW = 32
LETTER = {Side.LEFT: "L", Side.RIGHT: "R"}


def result_text(state: RunState, test: TestDefinition) -> str:
    """What stands in the record for a test, as short as it can be told."""
    whole = state.ending(test)
    if whole is not None:
        return whole.value
    ends = [(side, ending) for side in LEGS if (ending := state.ending(test, side)) is not None]
    if ends:
        return ", ".join(f"{side.value} {ending.value}" for side, ending in ends)
    if state.locked(test):
        return "locked"
    first = next((s for s in state.steps if s.test is test), None)
    return _step_text(state, first) if first is not None else state.panel_text(test)


def _step_text(state: RunState, step: WalkStep) -> str:
    question = step.question
    if question.ask is AnswerKind.CHOICE:
        chosen = state.choice(step)
        return "" if chosen is None else str(chosen.option)
    measure = state.measures[question.measure]
    if question.ask is AnswerKind.NUMBER:
        sides = LEGS if measure.paired else (Side.NONE,)
        means = [state.observation(measure.id, side) for side in sides]
        if not any(means):
            return ""
        shown = ["–" if o is None or o.measured is None else measure.text(o.measured) for o in means]
        return f"{' | '.join(shown)}{'' if measure.unit == '°' else ' '}{measure.unit}"
    if question.ask is AnswerKind.SIGNED:
        number = state.observation(question.number, Side.NONE) if question.number else None
        seen = state.observation(question.measure, Side.NONE) or number
        if seen is None or seen.measured is None:
            return ""
        value = seen.measured
        return f"{'R' if value > 0 else 'L'} {abs(value):g}" if value else "level"
    grades = {side: state.observation(question.measure, side) for side in LEGS}
    if any(o is None for o in grades.values()):
        return ""
    told = [f"{LETTER[side]} {o.measured:g}" for side, o in grades.items() if o is not None and o.measured]
    return " ".join(told) or "none"


class _Rows(QWidget):
    """Painted rows; a click goes there."""

    chosen = pyqtSignal(object)

    def __init__(self, state: RunState) -> None:
        super().__init__()
        self._state = state
        walk = [t for t in state.tests if not t.extra]
        extras = [t for t in state.tests if t.extra]
        self.rows: list[TestDefinition | None] = [*walk, *([None, *extras] if extras else [])]
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFixedHeight(ROW * len(self.rows) + 4)
        self.current: TestDefinition | None = None
        state.changed.connect(self._name)
        self._name()

    def _name(self) -> None:
        """The same for who hears it: each test with what was found."""
        told = ((test.name, result_text(self._state, test)) for test in self.rows if test is not None)
        self.setAccessibleName("Tests of this stage")
        self.setAccessibleDescription("; ".join(f"{name}: {found or 'not asked yet'}" for name, found in told))

    def sizeHint(self) -> QSize:
        """All rows."""
        return QSize(200, ROW * len(self.rows) + 4)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """Go to the test under the pointer."""
        if event is None:
            return
        index = int(event.position().y() // ROW)
        if 0 <= index < len(self.rows) and self.rows[index] is not None:
            self.chosen.emit(self.rows[index])

    def paintEvent(self, _: QPaintEvent | None) -> None:
        """Name, what was found, and the place in the walk."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        for index, test in enumerate(self.rows):
            box = QRectF(0, ROW * index, self.width() - 4, ROW)
            if test is None:
                painter.setFont(theme.font(theme.SMALL, bold=True))
                painter.setPen(theme.colour("muted"))
                painter.drawText(box.adjusted(12, 6, 0, 0), Qt.AlignmentFlag.AlignVCenter, "When wanted")
                continue
            if test is self.current:
                painter.fillRect(box, theme.colour("accent_wash"))
                painter.fillRect(QRectF(0, box.top(), 3, ROW), theme.colour("accent"))
            self._paint_row(painter, box, test)

    def _paint_row(self, painter: QPainter, box: QRectF, test: TestDefinition) -> None:
        found = result_text(self._state, test)
        painter.setFont(theme.font(theme.SMALL, bold=test is self.current))
        metrics = painter.fontMetrics()
        width = min(metrics.horizontalAdvance(found), int(box.width() * 0.5)) + 2
        painter.setPen(theme.colour("ink" if found else "muted"))
        right = Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight
        shown = metrics.elidedText(found, Qt.TextElideMode.ElideRight, width)
        painter.drawText(box.adjusted(0, 0, -8, 0), right, shown)
        room = box.adjusted(12, 0, -width - 16, 0)
        name = metrics.elidedText(test.short or test.name, Qt.TextElideMode.ElideRight, int(room.width()))
        painter.setPen(theme.colour("ink"))
        painter.drawText(room, Qt.AlignmentFlag.AlignVCenter, name)
        painter.setPen(QPen(theme.colour("line"), 1))
        painter.drawLine(QPointF(12, box.bottom()), QPointF(box.right(), box.bottom()))


class WalkList(QScrollArea):
    """Scrolls so that the current test stays in sight."""

    def __init__(self, state: RunState) -> None:
        super().__init__()
        self._state = state
        self.rows = _Rows(state)
        self.setWidget(self.rows)
        self.setWidgetResizable(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setFixedWidth(216)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.setAccessibleName("Tests of this stage")

    def show_current(self, test: TestDefinition) -> None:
        """Mark a test as the one being done."""
        self.rows.current = test
        if test in self.rows.rows:
            middle = round((self.rows.rows.index(test) + 0.5) * ROW)
            self.ensureVisible(0, middle, 0, 3 * ROW)
        self.rows.update()
