"""The balance of a pattern: a row a factor, evidence against it on the left of the axis, for it on the right."""

from __future__ import annotations

from dataclasses import dataclass

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QSizePolicy, QWidget

from tuning.core.reasoning.evidence import EvidenceItem, FactorEvidence, Label
from tuning.core.reasoning.rules import EvidenceKind
from tuning.ui import theme
from tuning.ui.reasoning.state import ReasoningState

ROW, CHOSEN_ROW, TOP = 70, 104, 28
NAMES, LABELS, SIGNS, WIDE = 206, 108, 32, 600
"""Room for names at the left and for verdicts at the right, px; below a width of WIDE the verdict is a sign alone, and
its word stands under the name."""
LEAST_AGAINST, MOST_AGAINST = 24.0, 0.42
"""Room left of the axis: at least so many px, at most this share of what the chips have."""
CHIP, GAP, MOST_UNTESTED = 26, 5, 3
LETTERS = {
    EvidenceKind.STRENGTH: "S",
    EvidenceKind.MOVEMENT: "M",
    EvidenceKind.RANGE: "°",
    EvidenceKind.POSTURE: "P",
    EvidenceKind.HISTORY: "H",
    EvidenceKind.PAIN: "!",
    EvidenceKind.RESPONSE: "~",
}
WORDS = {
    EvidenceKind.STRENGTH: "strength",
    EvidenceKind.MOVEMENT: "movement",
    EvidenceKind.RANGE: "range",
    EvidenceKind.POSTURE: "posture",
    EvidenceKind.HISTORY: "history",
    EvidenceKind.PAIN: "pain",
    EvidenceKind.RESPONSE: "response",
}


def paint_label(painter: QPainter, centre: QPointF, label: Label) -> None:
    """Filled and half diamond, two facing bars, ring, dashed ring."""
    pen = QPen(theme.colour("ink"), 1.8)
    painter.setBrush(Qt.BrushStyle.NoBrush)
    if label in (Label.SUPPORTED, Label.LIKELY):
        x, y, r = centre.x(), centre.y(), 7.5
        diamond = [QPointF(x, y - r), QPointF(x + r, y), QPointF(x, y + r), QPointF(x - r, y)]
        painter.setPen(pen)
        painter.drawPolygon(QPolygonF(diamond))
        painter.setBrush(theme.colour("ink"))
        painter.drawPolygon(QPolygonF(diamond if label is Label.SUPPORTED else [diamond[0], diamond[2], diamond[3]]))
        return
    if label is Label.CONTESTED:
        painter.setPen(QPen(theme.colour("ink"), 2.2))
        for x in (-7, 7):
            painter.drawLine(centre + QPointF(x, -6), centre + QPointF(x, 6))
        painter.drawLine(centre + QPointF(-7, 0), centre + QPointF(7, 0))
        return
    if label is Label.UNTESTED:
        pen.setDashPattern([1.6, 1.4])
    painter.setPen(pen)
    painter.drawEllipse(centre, 6.5, 6.5)
    if label is Label.UNLIKELY:
        painter.drawLine(centre + QPointF(-4.5, 4.5), centre + QPointF(4.5, -4.5))


@dataclass(frozen=True)
class _Placed:
    """A chip where it is drawn: factor and line by number."""

    box: QRectF
    factor: int
    chip: int


class BalanceView(QWidget):
    """Up and down choose a factor, left and right a line of evidence, Enter opens it."""

    opened = pyqtSignal(object)

    def __init__(self, state: ReasoningState) -> None:
        super().__init__()
        self._state = state
        self._placed: list[_Placed] = []
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setMouseTracking(True)
        state.changed.connect(self.refresh)

    def refresh(self) -> None:
        """As tall as the rows need."""
        sheets = self._sheets()
        self.setFixedHeight(TOP + ROW * len(sheets) + (CHOSEN_ROW - ROW if sheets else 0) + 12)
        sheet = self._state.sheet
        told = f"{sheet.factor.name}, {sheet.words}" if sheet is not None else "no pattern"
        self.setAccessibleName(f"Balance of evidence: {told}")
        self.update()

    def _sheets(self) -> tuple[FactorEvidence, ...]:
        one = self._state.balance
        return one.sheets if one is not None else ()

    def sizeHint(self) -> QSize:
        """Wide."""
        return QSize(720, self.height())

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Move among factors and lines; Enter opens."""
        if event is None:
            return
        state, key = self._state, event.key()
        if key in (Qt.Key.Key_Up, Qt.Key.Key_Down):
            state.choose(factor=state.factor + (1 if key == Qt.Key.Key_Down else -1))
        elif key in (Qt.Key.Key_Left, Qt.Key.Key_Right):
            state.choose(chip=state.chip + (1 if key == Qt.Key.Key_Right else -1))
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            if state.chosen_chip is not None:
                self.opened.emit(state.chosen_chip)
        else:
            super().keyPressEvent(event)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """A click chooses a factor, on a line of evidence that line; a second click opens it."""
        if event is None:
            return
        self.setFocus()
        place, state = event.position(), self._state
        for one in self._placed:
            if one.box.contains(place):
                again = (state.factor, state.chip) == (one.factor, one.chip)
                if one.factor != state.factor:
                    state.choose(factor=one.factor)
                state.choose(chip=one.chip)
                if again and state.chosen_chip is not None:
                    self.opened.emit(state.chosen_chip)
                return
        for n, top in enumerate(self._tops()):
            if top <= place.y() < top + self._height(n):
                state.choose(factor=n)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        """The pointer tells a line whole."""
        if event is None:
            return
        sheets = self._sheets()
        under = next((one for one in self._placed if one.box.contains(event.position())), None)
        self.setToolTip(evidence_text(_chips(sheets[under.factor])[under.chip]) if under is not None else "")

    def _height(self, n: int) -> int:
        return CHOSEN_ROW if n == self._state.factor else ROW

    def _tops(self) -> list[float]:
        tops, y = [], float(TOP)
        for n in range(len(self._sheets())):
            tops.append(y)
            y += self._height(n)
        return tops

    # drawing

    def paintEvent(self, _: QPaintEvent | None) -> None:
        """Axis, rows, chips, labels."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        self._placed = []
        axis = self._axis(painter)
        painter.setFont(theme.font())
        painter.setPen(theme.colour("muted"))
        right = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
        painter.drawText(QRectF(0, 0, axis - 12, 20), right, "speaks against")
        painter.drawText(QPointF(axis + 12, 15), "speaks for")
        painter.setPen(QPen(theme.colour("ink"), 1.4))
        painter.drawLine(QPointF(axis, 22), QPointF(axis, self.height() - 6))
        for n, (sheet, top) in enumerate(zip(self._sheets(), self._tops(), strict=True)):
            self._paint_row(painter, n, sheet, QRectF(0, top, self.width(), self._height(n)), axis)

    def _axis(self, painter: QPainter) -> float:
        """As far to the right as the longest row of evidence against needs."""
        wanted = [LEAST_AGAINST]
        for sheet in self._sheets():
            against = [chip for chip in sheet.fired if chip.line.sign < 0]
            wanted.append(sum(self._width(painter, chip, 1e4) + GAP for chip in against) + 16)
        return NAMES + min(max(wanted), MOST_AGAINST * (self.width() - NAMES - self._labels))

    @property
    def _labels(self) -> int:
        return LABELS if self.width() >= WIDE else SIGNS

    def _paint_row(self, painter: QPainter, n: int, sheet: FactorEvidence, row: QRectF, axis: float) -> None:
        chosen = n == self._state.factor
        if chosen:
            painter.setPen(QPen(theme.colour("accent" if self.hasFocus() else "line"), 1.4))
            painter.setBrush(theme.colour("panel"))
            painter.drawRect(row.adjusted(1, 1, -1, -5))
            painter.setPen(QPen(theme.colour("ink"), 1.4))
            painter.drawLine(QPointF(axis, row.top() + 2), QPointF(axis, row.top() + ROW - 3))
        faint = sheet.label in (Label.UNTESTED, Label.UNLIKELY, Label.OPEN)
        painter.setFont(theme.font(theme.BODY, bold=True))
        painter.setPen(theme.colour("ink"))
        # Where nothing speaks against it, its words may go as far as the beam.
        room = NAMES - 14 if any(chip.line.sign < 0 for chip in sheet.fired) else int(axis) - 22
        name = painter.fontMetrics().elidedText(self._state.name(sheet), Qt.TextElideMode.ElideRight, room)
        painter.drawText(QPointF(10, row.top() + 22), name)
        painter.setFont(theme.font())
        painter.setPen(theme.colour("muted"))
        word = f"{sheet.words}, by hand" if sheet.overruled else sheet.words
        says = sheet.factor.action if self._labels == LABELS else f"{word} · {sheet.factor.action}"
        action = painter.fontMetrics().elidedText(says, Qt.TextElideMode.ElideRight, room)
        painter.drawText(QPointF(10, row.top() + 41), action)
        self._paint_chips(painter, n, sheet, row, axis)
        middle = QPointF(self.width() - self._labels + 10, row.top() + 19)
        paint_label(painter, middle, sheet.label)
        painter.setFont(theme.font(bold=True))
        painter.setPen(theme.colour("muted" if faint else "ink"))
        if self._labels == LABELS:
            painter.drawText(middle + QPointF(14, 5), sheet.words)
        if sheet.overruled and self._labels == LABELS:
            painter.setFont(theme.font())
            painter.drawText(middle + QPointF(14, 22), "by hand")
        if chosen:
            self._paint_told(painter, sheet, row)

    def _paint_told(self, painter: QPainter, sheet: FactorEvidence, row: QRectF) -> None:
        """The chosen line in full, and why the label is as it is."""
        chip = self._state.chosen_chip
        words = evidence_text(chip) if chip is not None else "nothing to look for in this pattern"
        more = f" · {sheet.follows or sheet.overruled}" if sheet.follows or sheet.overruled else ""
        painter.setFont(theme.font())
        painter.setPen(theme.colour("ink"))
        text = painter.fontMetrics().elidedText(words + more, Qt.TextElideMode.ElideRight, self.width() - 24)
        painter.drawText(QPointF(10, row.top() + 84), text)

    def _paint_chips(self, painter: QPainter, n: int, sheet: FactorEvidence, row: QRectF, axis: float) -> None:
        numbers = {id(chip): k for k, chip in enumerate(_chips(sheet))}
        against = [c for c in sheet.fired if c.line.sign < 0]
        for_ = [c for c in sheet.fired if c.line.sign > 0]
        hollow = [c for c in sheet.untested if c.line.sign > 0][: max(0, MOST_UNTESTED - len(for_))]
        self._paint_side(painter, n, numbers, against, row, axis - 8, NAMES + 4)
        self._paint_side(painter, n, numbers, [*for_, *hollow], row, axis + 8, self.width() - self._labels - 8)

    def _paint_side(
        self, painter: QPainter, n: int, numbers: dict[int, int], chips: list[EvidenceItem], row: QRectF, start: float,
        end: float,
    ) -> None:  # fmt: skip
        """Chips from the axis outward, in two lines where one is too short."""
        way, edge, y = (1 if end > start else -1), start, row.top() + 5
        for chip in chips:
            width = self._width(painter, chip, abs(end - start))
            if edge != start and (edge + way * width - end) * way > 0:
                if y > row.top() + 6:
                    return
                edge, y = start, y + CHIP + 4
            box = QRectF(edge if way > 0 else edge - width, y, width, CHIP)
            self._paint_chip(painter, box, chip, _Placed(box, n, numbers[id(chip)]))
            edge += way * (width + GAP)

    def _width(self, painter: QPainter, chip: EvidenceItem, room: float) -> float:
        painter.setFont(theme.font())
        wanted = painter.fontMetrics().horizontalAdvance(self._text(chip)) + (38 if chip.look.there else 18)
        return float(min(wanted, room))

    def _text(self, chip: EvidenceItem) -> str:
        if chip.look.there:
            return f"{chip.line.words} {chip.look.short}".strip()
        minutes = self._state.minutes_of(chip)
        return f"{chip.line.words}: {minutes:g} min" if minutes else chip.line.words

    def _paint_chip(self, painter: QPainter, box: QRectF, chip: EvidenceItem, placed: _Placed) -> None:
        self._placed.append(placed)
        chosen = (self._state.factor, self._state.chip) == (placed.factor, placed.chip)
        there, for_ = chip.look.there, chip.line.sign > 0
        pen = QPen(theme.colour("accent" if for_ and there else "muted"), 2.2 if chosen else 1.2)
        if not there:
            pen.setDashPattern([3, 2])
        painter.setPen(pen)
        wash = theme.colour("accent_wash" if for_ else "skin")
        painter.setBrush(wash if there else Qt.BrushStyle.NoBrush)
        if there and not chip.counted:
            painter.setBrush(theme.colour("panel"))
        painter.drawRoundedRect(box, 3, 3)
        left = 10.0
        if there:
            left = 31.0
            middle = QPointF(box.left() + 16, box.center().y())
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(theme.colour("accent" if for_ else "muted"))
            painter.drawEllipse(middle, 9, 9)
            painter.setFont(theme.font(bold=True))
            painter.setPen(theme.colour("on_accent"))
            spot = QRectF(middle.x() - 9, middle.y() - 9, 18, 18)
            painter.drawText(spot, Qt.AlignmentFlag.AlignCenter, LETTERS[chip.kind])
        painter.setFont(theme.font())
        painter.setPen(theme.colour("ink" if there else "muted"))
        room = box.adjusted(left, 0, -5, 0)
        text = painter.fontMetrics().elidedText(self._text(chip), Qt.TextElideMode.ElideRight, int(room.width()))
        painter.drawText(room, Qt.AlignmentFlag.AlignVCenter, text)


def _chips(sheet: FactorEvidence) -> list[EvidenceItem]:
    """In the order in which left and right go through them."""
    return [*sheet.fired, *sheet.untested]


def evidence_text(chip: EvidenceItem) -> str:
    """A line of evidence whole: what it says, its number, kind and weight."""
    if not chip.look.done:
        return f"{chip.line.words}: not tested yet ({WORDS[chip.kind]}, weight {chip.line.weight:g})"
    way = "for" if chip.line.sign > 0 else "against"
    text = f": {chip.look.text}" if chip.look.text and chip.look.text != chip.line.words else ""
    once = "" if chip.counted else ", counted with a stronger line of the same test"
    return f"{way}, {chip.line.words}{text} ({WORDS[chip.kind]}, weight {abs(chip.score):g}{once})"
