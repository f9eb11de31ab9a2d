"""Before a recording: how the chosen test looks, what to say, what to watch."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QSizePolicy, QWidget

from tuning.core.force.test_instructions import Advice
from tuning.core.types import LEGS, Side
from tuning.drawings.plates import plate_test_figures
from tuning.ui import theme
from tuning.ui.symbols import begin_panel, paint_outlines, paint_side


class TestCard(QWidget):
    """The drawn test, large enough for arm's length; the words beside it."""

    __test__ = False

    def __init__(self) -> None:
        super().__init__()
        self._advice: Advice | None = None
        self._side = Side.NONE
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumHeight(260)

    def sizeHint(self) -> QSize:
        """As large as the live picture that takes its place."""
        return QSize(820, 380)

    def show_test(self, name: str, advice: Advice, side: Side) -> None:
        """Draw another test or leg."""
        self._advice, self._side = advice, side
        leg = f", {side.value} leg" if side in LEGS else ""
        self.setAccessibleName(f"{name}{leg}. Say: {advice.cue} Watch: {advice.look} Spoilt by: {advice.mistake}.")
        self.update()

    def paintEvent(self, _: QPaintEvent | None) -> None:
        """Figures left, words right."""
        painter, box = begin_panel(self)
        if self._advice is None:
            return
        words = QRectF(box.left() + 0.54 * box.width(), box.top() + 24, 0.46 * box.width() - 28, box.height() - 48)
        figures = QRectF(box.left() + 28, box.top() + 28, 0.54 * box.width() - 56, box.height() - 56)
        self._paint_figures(painter, figures, self._advice)
        self._paint_words(painter, words, self._advice)

    def _paint_figures(self, painter: QPainter, box: QRectF, advice: Advice) -> None:
        drawn = plate_test_figures(advice)
        places = [[p for shape in shapes for p in shape.points] for shapes in drawn]
        spans = [(min(x for x, _ in ps), max(x for x, _ in ps)) for ps in places]
        low, high = min(y for ps in places for _, y in ps), max(y for ps in places for _, y in ps)
        gap = 0.22
        width = sum(b - a for a, b in spans) + gap * (len(drawn) - 1)
        scale = min(box.width() / width, box.height() / (high - low))
        left = box.center().x() - scale * width / 2
        base = box.center().y() + scale * (high + low) / 2
        for n, (shapes, (a, b)) in enumerate(zip(drawn, spans, strict=True)):
            paint_outlines(painter, shapes, QPointF(left - scale * a, base), scale)
            if self._side in LEGS:
                paint_side(painter, QPointF(left + scale * (0.09 - a), base + 22), 9, self._side)
            left += scale * (b - a)
            if n + 1 < len(drawn):
                _arrow(painter, QPointF(left + 0.06 * scale, base - 0.4 * scale), 0.1 * scale)
                left += scale * gap

    def _paint_words(self, painter: QPainter, box: QRectF, advice: Advice) -> None:
        wrap = Qt.TextFlag.TextWordWrap
        lines = (
            (f"\u201c{advice.cue}\u201d", theme.font(theme.LARGE, italic=True), "ink"),
            (advice.look, theme.font(theme.BODY), "ink"),
            (f"Spoilt by {advice.mistake}.", theme.font(theme.BODY), "caution"),
            (advice.suggests, theme.font(theme.BODY), "muted"),
        )
        y = box.top()
        for text, font, colour in lines:
            painter.setFont(font)
            painter.setPen(theme.colour(colour))
            used = painter.boundingRect(QRectF(box.left(), y, box.width(), 400), wrap, text)
            painter.drawText(used, wrap, text)
            y = used.bottom() + 16


def _arrow(painter: QPainter, start: QPointF, length: float) -> None:
    end = start + QPointF(length, 0)
    painter.setPen(QPen(theme.colour("muted"), 2))
    painter.drawLine(start, end)
    painter.setBrush(theme.colour("muted"))
    painter.setPen(Qt.PenStyle.NoPen)
    painter.drawPolygon(QPolygonF([end + QPointF(7, 0), end + QPointF(-3, 5), end + QPointF(-3, -5)]))
