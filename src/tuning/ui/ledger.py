"""The tuning ledger: every measure as a beam with its verdict and error; the source stands behind F1."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import QPointF, QRect, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QFontMetrics, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QResizeEvent, QShowEvent
from PyQt6.QtWidgets import QScrollArea, QSizePolicy, QVBoxLayout, QWidget

from tuning.core.judging.comparison import Comparison
from tuning.core.judging.measures import Measure
from tuning.core.judging.verdict import Verdict
from tuning.core.types import NotMeasured, Observation, Side
from tuning.ui import theme
from tuning.ui.explanation_dialog import explanation
from tuning.ui.stage import StageSpec
from tuning.ui.symbols import paint_beam, paint_side, paint_verdict
from tuning.ui.widgets import button, clear_layout, label, separator

WIDTH = 288
ROOMY = 5
"""Up to so many rows, other stages stand unfolded."""


def value_text(seen: Observation | None, measure: Measure) -> str:
    """A value for the ledger, or a dash."""
    if seen is None or isinstance(seen.value, NotMeasured):
        return "—"
    return measure.text(seen.value)


class LedgerRow(QWidget):
    """One comparison; Enter or a click opens its evidence, F1 its working."""

    chosen = pyqtSignal(object)

    def __init__(self, row: Comparison) -> None:
        super().__init__()
        self.row = row
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setAccessibleName(self.spoken)
        self.setToolTip("Click for the evidence; F1 for how this was worked out")

    @property
    def spoken(self) -> str:
        """The row in words, for screen readers."""
        m, v = self.row.measure, self.row.verdict
        word = "" if isinstance(v, NotMeasured) else f"{v.word.value}, "
        sides = f"left {value_text(self.row.left, m)}, right {value_text(self.row.right, m)}"
        if not m.paired:
            sides = value_text(self.row.right, m)
        return f"{m.name}: {sides} {m.unit}; {word}{self.row.sentence}"

    @property
    def title(self) -> str:
        """Heading of the explanation."""
        return self.row.measure.name

    def explanation(self) -> str:
        """What F1 shows."""
        return explanation(self.row)

    def _blocks(self) -> tuple[QRectF, QRectF]:
        """Where the sentence and the error text go, wrapped to the width."""
        verdict, width = self.row.verdict, float(self.width())
        bold = QFontMetrics(theme.font(theme.SMALL, bold=True))
        x = 0.0 if isinstance(verdict, NotMeasured) else 26.0 + bold.horizontalAdvance(verdict.word.value)
        metrics = QFontMetrics(theme.font())
        top = 79.0 - metrics.ascent()

        def block(left: float, at: float, text: str) -> QRectF:
            room = QRect(0, 0, int(width - left), 400)
            height = metrics.boundingRect(room, Qt.TextFlag.TextWordWrap, text).height() if text else 0
            return QRectF(left, at, width - left, height)

        words = block(x, top, self.row.sentence)
        return words, block(18.0, words.bottom() + 1, self.row.error_words)

    def sizeHint(self) -> QSize:
        """As tall as its words."""
        return QSize(WIDTH - 32, int(self._blocks()[1].bottom()) + 10)

    def minimumSizeHint(self) -> QSize:
        """Never squeezed, however many rows there are."""
        return self.sizeHint()

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """The words wrap anew."""
        self.setFixedHeight(self.sizeHint().height())
        super().resizeEvent(event)

    def mousePressEvent(self, _: QMouseEvent | None) -> None:
        """Open the evidence."""
        self.setFocus()
        self.chosen.emit(self.row)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Enter opens the evidence."""
        if event is not None and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.chosen.emit(self.row)
        else:
            super().keyPressEvent(event)

    def paintEvent(self, _: QPaintEvent | None) -> None:
        """Draw name, values, beam and verdict."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        m, width = self.row.measure, float(self.width())
        painter.setPen(theme.colour("ink"))
        painter.setFont(theme.font(theme.SMALL, bold=True))
        painter.drawText(QPointF(0, 20), m.name)
        painter.setFont(theme.font())
        painter.setPen(theme.colour("muted"))
        painter.drawText(QPointF(width - painter.fontMetrics().horizontalAdvance(m.unit), 20), m.unit)
        self._paint_values(painter, width)
        self._paint_verdict(painter)
        if self.hasFocus():
            painter.setPen(QPen(theme.colour("accent"), 1.5))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRoundedRect(QRectF(self.rect()).adjusted(1, 1, -1, -1), 3, 3)

    def _paint_values(self, painter: QPainter, width: float) -> None:
        row, m, y = self.row, self.row.measure, 44.0
        verdict = None if isinstance(row.verdict, NotMeasured) else row.verdict
        left, right = value_text(row.left, m), value_text(row.right, m)
        if not m.paired:  # a tilt stands on the side that is higher
            tilt = 0.0 if verdict is None else verdict.d
            left, right = "", "" if tilt == 0 else m.text(abs(tilt))
            left, right = (right, "") if tilt < 0 else (left, right)
        painter.setFont(theme.font(theme.LARGE))
        painter.setPen(theme.colour("ink"))
        middle = Qt.AlignmentFlag.AlignVCenter
        painter.drawText(QRectF(16, 28, 74, 32), middle, left)
        painter.drawText(QRectF(width - 90, 28, 74, 32), Qt.AlignmentFlag.AlignRight | middle, right)
        paint_side(painter, QPointF(6, y), 5.5, Side.LEFT)
        paint_side(painter, QPointF(width - 6, y), 5.5, Side.RIGHT)
        paint_beam(painter, QRectF(90, y - 8, width - 180, 16), verdict)

    def _paint_verdict(self, painter: QPainter) -> None:
        verdict = self.row.verdict
        if isinstance(verdict, Verdict):
            paint_verdict(painter, QPointF(7, 74), 6, verdict.word)
            painter.setFont(theme.font(theme.SMALL, bold=True))
            painter.setPen(theme.colour("ink"))
            painter.drawText(QPointF(18, 79), verdict.word.value)
        painter.setFont(theme.font())
        painter.setPen(theme.colour("muted"))
        for box, text in zip(self._blocks(), (self.row.sentence, self.row.error_words), strict=True):
            painter.drawText(box, Qt.TextFlag.TextWordWrap, text)


class Ledger(QWidget):
    """Current stage first, worst first; the rest folded."""

    evidence_wanted = pyqtSignal(object)

    def __init__(self, stages: Sequence[StageSpec]) -> None:
        super().__init__()
        self._names = {stage.id: stage.name for stage in stages}
        self._measuring = {stage.id for stage in stages if stage.ledger}
        self.setFixedWidth(WIDTH)
        self._rows: list[Comparison] = []
        self._shown: list[LedgerRow] = []
        self._stage, self._station = "", ""
        self._unfolded: bool | None = None
        self._scope = label(role="muted")
        self._body = QWidget()
        self._list = QVBoxLayout(self._body)
        self._list.setContentsMargins(16, 0, 16, 8)
        self._list.setSpacing(0)
        area = QScrollArea()
        area.setWidgetResizable(True)
        area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        area.setWidget(self._body)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 12, 0, 0)
        column.setSpacing(4)
        head = label("Tuning ledger", theme.BODY, bold=True)
        head.setContentsMargins(16, 0, 16, 0)
        self._scope.setContentsMargins(16, 0, 16, 4)
        for part in (head, self._scope, area):
            column.addWidget(part)

    def show_rows(self, rows: list[Comparison], stage: str) -> None:
        """Show `rows`, those of `stage` first."""
        self._rows, self._stage = rows, stage
        if self.isVisible():
            self._build()

    def showEvent(self, event: QShowEvent | None) -> None:
        """A folded ledger is built when it is unfolded."""
        self._build()
        super().showEvent(event)

    def filter(self, station: str) -> None:
        """Show only rows of one station of the figure; empty shows all."""
        self._station = station
        self._build()

    def rows_shown(self) -> list[LedgerRow]:
        """The row widgets on screen, top first."""
        return list(self._shown)

    def _build(self) -> None:
        clear_layout(self._list)
        self._shown.clear()
        wanted = [r for r in self._rows if not self._station or r.measure.station == self._station]
        measuring = self._stage in {r.measure.stage for r in self._rows} or self._stage in self._measuring
        here = [r for r in wanted if r.measure.stage == self._stage or self._station or not measuring]
        others = [r for r in wanted if r not in here]
        scope = f"at the {self._station}" if self._station else f"{self._names.get(self._stage, '')} first"
        self._scope.setText(scope if measuring or self._station else "all stages, worst first")
        for row in here:
            self._add(row)
        if not here:
            self._list.addWidget(separator())
            text = "Nothing measured here yet. What you measure appears here with its error and verdict."
            hint = label(text, role="muted", wrap=True)
            hint.setContentsMargins(0, 12, 0, 12)
            self._list.addWidget(hint)
        if others:
            self._list.addWidget(separator())
            unfolded = len(wanted) <= ROOMY if self._unfolded is None else self._unfolded
            word = "Hide other stages" if unfolded else f"{len(others)} from other stages"
            self._list.addWidget(button(word, self._fold, "link"))
            for row in others if unfolded else []:
                self._add(row)
        self._list.addStretch(1)

    def _add(self, row: Comparison) -> None:
        self._list.addWidget(separator())
        shown = LedgerRow(row)
        shown.chosen.connect(self.evidence_wanted)
        self._shown.append(shown)
        self._list.addWidget(shown)

    def _fold(self) -> None:
        shown = len(self._rows) <= ROOMY if self._unfolded is None else self._unfolded
        self._unfolded = not shown
        self._build()
