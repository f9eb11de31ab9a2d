"""The strength profile: both legs as bars about one line, their error as a wash, the verdict beside them."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QComboBox, QDialog, QGridLayout, QHBoxLayout, QScrollArea, QSizePolicy, QVBoxLayout, QWidget

from tuning.core.judging.comparison import Comparison
from tuning.core.judging.symmetry import DIFFERENCES
from tuning.core.judging.trial_rule import TrialRule
from tuning.core.judging.verdict import Verdict
from tuning.core.strength.trials import Ratio
from tuning.core.types import NotMeasured, Side
from tuning.core.units import sentence_case
from tuning.ui import theme
from tuning.ui.strength.state import MOST_WANTED, StrengthState
from tuning.ui.symbols import paint_side, paint_verdict
from tuning.ui.widgets import button, clear_layout, label

ROW, NAME, WORDS = 58, 150, 210


class ProfileView(QWidget):
    """One row a test; left grows to the left, right to the right, each in its own unit against the larger side."""

    def __init__(self, state: StrengthState) -> None:
        super().__init__()
        self._state = state
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName("Strength profile, left and right")

    def rows(self) -> list[Comparison]:
        """Comparisons of the tested pairs."""
        return [self._state.comparison(t) for t in self._state.tested() if self._state.space.knowledge.tests[t].by_side]

    def fit(self) -> None:
        """As tall as its rows."""
        self.setFixedHeight(max(1, len(self.rows())) * ROW + 30)
        self.update()

    def sizeHint(self) -> QSize:
        """Wide."""
        return QSize(760, self.height())

    def paintEvent(self, _: QPaintEvent | None) -> None:
        """Heads and rows."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        middle = NAME + (self.width() - NAME - WORDS) / 2
        painter.setFont(theme.font(theme.SMALL, bold=True))
        for side, x in ((Side.LEFT, middle - 70), (Side.RIGHT, middle + 24)):
            paint_side(painter, QPointF(x, 12), 6, side)
            painter.setPen(theme.colour(side.value))
            painter.drawText(QPointF(x + 12, 17), side.value)
        painter.setPen(QPen(theme.colour("ink"), 1.2))
        painter.drawLine(QPointF(middle, 26), QPointF(middle, self.height() - 4))
        for n, row in enumerate(self.rows()):
            self._paint_row(painter, row, 30 + n * ROW, middle)

    def _paint_row(self, painter: QPainter, row: Comparison, y: float, middle: float) -> None:
        measure = row.measure
        painter.setFont(theme.font(theme.SMALL, bold=True))
        painter.setPen(theme.colour("ink"))
        painter.drawText(QPointF(0, y + 18), measure.brief)
        painter.setFont(theme.font())
        painter.setPen(theme.colour("muted"))
        seen = next(o for o in (row.left, row.right) if o is not None)
        mode = seen.setup.mode or "make"
        painter.drawText(QPointF(0, y + 36), f"{measure.unit}, {mode}, {seen.summary_rule}")
        values = {s: o.measured for s, o in ((Side.LEFT, row.left), (Side.RIGHT, row.right)) if o is not None}
        top = max([v for v in values.values() if v] or [1.0])
        reach = (self.width() - NAME - WORDS) / 2 - 76
        for side, value in values.items():
            if value is not None:
                self._paint_bar(painter, row, side, value, value / top * reach, y, middle)
        self._paint_words(painter, row, y)

    def _paint_bar(
        self, painter: QPainter, row: Comparison, side: Side, value: float, length: float, y: float, middle: float
    ) -> None:
        sign = -1 if side is Side.LEFT else 1
        left = middle + 2 if sign > 0 else middle - 2 - length
        painter.fillRect(QRectF(left, y + 10, length, 22), theme.colour(f"{side.value}_wash"))
        half = 0.0
        if isinstance(row.verdict, Verdict):  # the error of the difference, drawn at the end of each bar
            half = row.verdict.e / 100 * length / 2
            tip = middle + sign * (2 + length)
            band = theme.colour(side.value)
            band.setAlpha(70)
            painter.fillRect(QRectF(tip - half, y + 14, 2 * half, 14), band)
        seen = row.left if side is Side.LEFT else row.right
        trials = seen.trials.tolist() if seen is not None else []
        painter.setPen(QPen(theme.colour(side.value), 1.6))
        for trial in trials:
            x = middle + sign * (2 + length * float(trial) / value)
            painter.drawLine(QPointF(x, y + 34), QPointF(x, y + 39))
        painter.setFont(theme.font(theme.BODY, bold=True))
        painter.setPen(theme.colour("ink"))
        text = row.measure.text(value)
        width = painter.fontMetrics().horizontalAdvance(text)
        tip = middle + sign * (length + half + 10)
        painter.drawText(QPointF(tip if sign > 0 else tip - width, y + 27), text)

    def _paint_words(self, painter: QPainter, row: Comparison, y: float) -> None:
        x = self.width() - WORDS + 14.0
        room = QRectF(x, y + 24, WORDS - 16, ROW - 26)
        painter.setFont(theme.font(theme.SMALL, bold=True))
        painter.setPen(theme.colour("ink"))
        wrap = Qt.TextFlag.TextWordWrap
        if isinstance(row.verdict, Verdict):
            paint_verdict(painter, QPointF(x + 7, y + 13), 6, row.verdict.word)
            test = row.measure.id.removesuffix("-torque")
            painter.setPen(theme.colour("ink"))
            painter.drawText(QPointF(x + 22, y + 18), f"{row.verdict.word.value}  {self._state.difference(test)}")
            painter.setFont(theme.font())
            painter.setPen(theme.colour("muted"))
            painter.drawText(room, wrap, row.sentence)
        else:
            painter.setFont(theme.font())
            painter.setPen(theme.colour("caution" if "pain" in row.sentence else "muted"))
            painter.drawText(QRectF(x, y + 6, WORDS - 16, ROW - 8), wrap, row.sentence)


class PainSign(QWidget):
    """The band of the squeeze pain as a shape: ring, half, full."""

    def __init__(self, pain: int | None, band: int, words: str) -> None:
        super().__init__()
        self._pain, self._band = pain, band
        self.setFixedSize(22, 22)
        self.setAccessibleName(f"pain band: {words}" if pain is not None else "pain not asked")

    def paintEvent(self, _: QPaintEvent | None) -> None:
        """Fuller is worse."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        box = QRectF(3, 3, 16, 16)
        style = Qt.PenStyle.DashLine if self._pain is None else Qt.PenStyle.SolidLine
        painter.setPen(QPen(theme.colour("ink"), 1.8, style))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRect(box)
        if self._pain is not None:
            painter.fillRect(QRectF(3, 19 - 8 * self._band, 16, 8 * self._band), theme.colour("ink"))


class SummaryPanel(QWidget):
    """The profile with ratios, the squeeze and the settings that shape the numbers."""

    def __init__(self, state: StrengthState) -> None:
        super().__init__()
        self._state = state
        self.view = ProfileView(state)
        self.count, self.rule, self.formula = QComboBox(), QComboBox(), QComboBox()
        for count in range(1, MOST_WANTED + 1):
            self.count.addItem(f"{count} trial{'s' if count > 1 else ''} a test", count)
        self.count.setAccessibleName("Trials of each test, in this clinic")
        self.count.activated.connect(lambda _: self._keep(partial(state.set_count, self.count.currentData())))
        for rule in TrialRule:
            self.rule.addItem(f"{rule.value} of trials", rule.value)
        self.rule.setAccessibleName("How trials become one value")
        self.rule.activated.connect(lambda _: self._keep(partial(state.set_rule, TrialRule(self.rule.currentData()))))
        for key, formula in DIFFERENCES.items():
            self.formula.addItem(formula.name, key)
        self.formula.setAccessibleName("Percentage that is shown")
        self.formula.activated.connect(lambda _: self._keep(partial(state.set_formula, self.formula.currentData())))
        self._below = QVBoxLayout()
        self._below.setSpacing(6)
        head = QHBoxLayout()
        head.setSpacing(12)
        for part in (self.count, self.rule, self.formula):
            head.addWidget(part)
        head.addWidget(button("All formulas", self.show_formulas, tip="Every percentage, and when it fits"))
        head.addStretch(1)
        inside = QWidget()
        column = QVBoxLayout(inside)
        column.setContentsMargins(0, 0, 8, 0)
        column.setSpacing(8)
        column.addWidget(self.view)
        column.addLayout(self._below)
        column.addStretch(1)
        area = QScrollArea()
        area.setWidget(inside)
        area.setWidgetResizable(True)
        area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        outer.setSpacing(8)
        outer.addLayout(head)
        outer.addWidget(area, 1)

    def _keep(self, act: Callable[[], None]) -> None:
        with self._state.space.trying():
            act()

    def refresh(self) -> None:
        """Follow the state."""
        state = self._state
        self.count.setCurrentIndex(self.count.findData(state.count))
        self.rule.setCurrentIndex(self.rule.findData(state.rule.value))
        self.formula.setCurrentIndex(self.formula.findData(state.formula))
        self.view.fit()
        clear_layout(self._below)
        if not state.tested():
            self._below.addWidget(label("No force yet. The profile grows as efforts are entered.", role="muted"))
        for name, by_side in state.ratios():
            self._below.addWidget(self._ratio(name, by_side))
        squeeze = state.squeeze()
        if squeeze is not None:
            force, pain, band, words = squeeze
            row = QHBoxLayout()
            row.setSpacing(8)
            row.addWidget(PainSign(pain, band, words))
            told = f", pain {pain}/10: {words}" if pain is not None else f", {words}"
            row.addWidget(label(f"Five-second squeeze, both legs: {force:.0f} N{told}", theme.BODY, bold=True))
            row.addStretch(1)
            self._below.addLayout(row)
            bands = state.space.knowledge.strength.pain_words
            self._below.addWidget(label(f"{bands}; both legs at once, no side percentage.", role="muted"))

    @staticmethod
    def _ratio(name: str, by_side: dict[Side, Ratio | NotMeasured]) -> QWidget:
        parts, source = [], ""
        for side, found in by_side.items():
            if isinstance(found, NotMeasured):
                parts.append(f"{side.value}: {found.detail}")
            else:
                source = f" Band {found.band.source}."
                parts.append(f"{side.value} {found.value:.2f} ±{found.error:.2f}, {found.words}")
        return label(f"{sentence_case(name)}: {'; '.join(parts)}.{source}", wrap=True)

    def show_formulas(self) -> None:
        """Every formula for every test with both sides."""
        FormulaDialog(self, self._state).exec()


class FormulaDialog(QDialog):
    """All percentages of the profile, with the sentence that says when each fits."""

    def __init__(self, parent: QWidget, state: StrengthState) -> None:
        super().__init__(parent)
        self.setWindowTitle("Every formula")
        grid = QGridLayout(self)
        grid.setContentsMargins(24, 20, 24, 20)
        grid.setHorizontalSpacing(24)
        grid.setVerticalSpacing(8)
        for column, formula in enumerate(DIFFERENCES.values(), start=1):
            grid.addWidget(label(formula.name, bold=True, wrap=True), 0, column)
            grid.addWidget(label(formula.text, role="muted", wrap=True), 1, column)
            grid.addWidget(label(formula.fits, wrap=True), 2, column)
        rows = [(t, state.formulas(t)) for t in state.tested()]
        for n, (test, found) in enumerate((r for r in rows if r[1]), start=3):
            grid.addWidget(label(state.space.knowledge.tests[test].name), n, 0)
            for column, (_, _, value, _) in enumerate(found, start=1):
                grid.addWidget(label(value, theme.BODY, bold=True), n, column)
        index = "Limb symmetry index 100 x involved / uninvolved is shown beside each test where one leg is involved."
        grid.addWidget(label(index, role="muted", wrap=True), grid.rowCount(), 0, 1, 4)
        self.setMinimumWidth(760)
