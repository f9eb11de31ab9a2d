"""The Strength workbench: position picture, one big number field, both sides at a glance."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QLineEdit, QSizePolicy, QVBoxLayout, QWidget

from tuning.core.errors import BadInput
from tuning.core.figure import side_lying_abduction
from tuning.core.strength import MOST_TRIALS, per_mass, torque_per_mass
from tuning.core.types import LEGS, NotMeasured, Side
from tuning.core.units import FORCE_UNITS, from_newtons, parse_force
from tuning.core.verdict import Verdict
from tuning.ui import theme
from tuning.ui.signs import SideSign, VerdictSign, paint_outlines
from tuning.ui.strength.state import StrengthState
from tuning.ui.widgets import button, empty, label, rule, set_role
from tuning.ui.workspace import Workspace

CUE = "“Push your leg up into my hand, harder, harder, hold … and relax.”"


class PositionPicture(QWidget):
    """The drawn test position with what to say and where to hold."""

    def __init__(self) -> None:
        super().__init__()
        self.side = Side.RIGHT
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFixedHeight(236)
        self.setAccessibleName("Position: lying on the side, upper leg lifted against the pad")

    def sizeHint(self) -> QSize:
        """Wide and low."""
        return QSize(470, 236)

    def paintEvent(self, _: QPaintEvent | None) -> None:
        """Draw the person, the cue and the two arrows."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        box = QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5)
        painter.setPen(QPen(theme.colour("line"), 1))
        painter.setBrush(theme.colour("panel"))
        painter.drawRect(box)
        picture = side_lying_abduction()
        scale = min(box.width() / 1.36, 350.0)
        origin = QPointF(box.center().x(), box.bottom() - 0.175 * scale)
        paint_outlines(painter, picture.shapes, origin, scale)
        painter.setPen(theme.colour("ink"))
        painter.setFont(theme.font(theme.BODY, italic=True))
        flags = Qt.TextFlag.TextWordWrap
        painter.drawText(QRectF(16, 10, box.width() * 0.56, 50), flags, CUE)
        pad = QPointF(origin.x() + picture.pad[0] * scale, origin.y() - picture.pad[1] * scale)
        painter.setFont(theme.font(theme.SMALL, bold=True))
        self._arrow(painter, pad + QPointF(-2, -46), pad + QPointF(0, -16), "ink")
        painter.drawText(pad + QPointF(-64, -36), "you hold")
        push = QPointF(picture.push[0], -picture.push[1])
        start = pad + QPointF(-88, 8)
        painter.setPen(theme.colour(self.side.value))
        painter.drawText(start + QPointF(-122, -14), "patient pushes up")
        self._arrow(painter, start, start + push * 40, self.side.value)

    @staticmethod
    def _arrow(painter: QPainter, start: QPointF, end: QPointF, role: str) -> None:
        ink = theme.colour(role)
        painter.setPen(QPen(ink, 2))
        painter.drawLine(start, end)
        along = end - start
        along /= max(1e-6, (along.x() ** 2 + along.y() ** 2) ** 0.5)
        across = QPointF(-along.y(), along.x())
        painter.setBrush(ink)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.drawPolygon(QPolygonF([end + along * 5, end - along * 5 + across * 4, end - along * 5 - across * 4]))
        painter.setPen(ink)


class TrialBars(QWidget):
    """Trials of both sides as bars on one scale, mirrored about the middle."""

    def __init__(self, state: StrengthState) -> None:
        super().__init__()
        self._state = state
        self.setMinimumHeight(MOST_TRIALS * 28 + 8)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName("Trials of both sides")

    def paintEvent(self, _: QPaintEvent | None) -> None:
        """Left bars grow to the left, right bars to the right."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        middle = self.width() / 2
        both = {side: self._state.trials(side) for side in LEGS}
        top = max([float(t.max()) for t in both.values() if t.size] or [1.0])
        painter.setPen(QPen(theme.colour("line"), 1))
        painter.drawLine(QPointF(middle, 0), QPointF(middle, self.height()))
        painter.setFont(theme.font(theme.BODY))
        reach = middle - 110
        for side, trials in both.items():
            sign = -1 if side is Side.LEFT else 1
            for n, force in enumerate(trials):
                y, length = 4 + 28.0 * n, reach * float(force) / top
                bar = QRectF(middle + (2 if sign > 0 else -2 - length), y + 3, length, 18)
                painter.fillRect(bar, theme.colour(f"{side.value}_wash"))
                painter.setPen(theme.colour("ink"))
                text = f"{force:.1f} N"
                width = painter.fontMetrics().horizontalAdvance(text)
                x = bar.right() + 8 if sign > 0 else bar.left() - 8 - width
                painter.drawText(QPointF(x, y + 17), text)


class StrengthPage(QWidget):
    """Digits, Enter, digits, Enter; F5 and F6 choose the side."""

    def __init__(self, workspace: Workspace) -> None:
        super().__init__()
        self._workspace = workspace
        self.state = StrengthState(workspace)
        self._build()
        self.state.changed.connect(self.refresh)

    def _build(self) -> None:
        self.title = label("Hip abduction", theme.TITLE)
        self._side_row = QHBoxLayout()
        self._side_row.setSpacing(8)
        head = QHBoxLayout()
        head.setSpacing(24)
        head.addWidget(self.title)
        head.addLayout(self._side_row)
        head.addStretch(1)
        head.addWidget(button("Left  F5", lambda: self.choose_side(Side.LEFT)))
        head.addWidget(button("Right  F6", lambda: self.choose_side(Side.RIGHT)))
        self.about = label(role="muted")
        self.reason = QLineEdit()
        self.reason.setPlaceholderText("AMBER: reason for testing all the same, kept with every trial")
        self.reason.setAccessibleName("Reason under AMBER")
        self.reason.textEdited.connect(self._reason_typed)
        self.picture = PositionPicture()
        body = QHBoxLayout()
        body.setSpacing(24)
        body.addWidget(self.picture, 1)
        body.addLayout(self._entry())
        self.bars = TrialBars(self.state)
        self._result = QVBoxLayout()
        self._result.setSpacing(2)
        column = QVBoxLayout(self)
        column.setContentsMargins(24, 8, 24, 12)
        column.setSpacing(8)
        column.addLayout(head)
        column.addWidget(self.about)
        column.addWidget(self.reason)
        column.addLayout(body)
        bars_head = QHBoxLayout()
        self.left_head, self.right_head = label(role="left"), label(role="right")
        bars_head.addWidget(self.left_head)
        bars_head.addStretch(1)
        bars_head.addWidget(label("Trials", theme.BODY, bold=True))
        bars_head.addStretch(1)
        bars_head.addWidget(self.right_head)
        column.addSpacing(8)
        column.addLayout(bars_head)
        column.addWidget(rule())
        column.addWidget(self.bars)
        column.addWidget(rule())
        column.addLayout(self._result)
        column.addStretch(1)

    def _entry(self) -> QVBoxLayout:
        self.trial = label(role="muted")
        self.number = QLineEdit()
        self.number.setObjectName("number")
        self.number.setFont(theme.font(theme.TITLE))
        self.number.setFixedHeight(72)
        self.number.setAccessibleName("Force of this trial")
        self.number.returnPressed.connect(self._enter)
        self.number.textChanged.connect(self._typing)
        self.hint = label("", role="muted", wrap=True)
        self.hint.setMinimumHeight(36)
        self.unit = QComboBox()
        self.unit.addItems(list(FORCE_UNITS))
        self.unit.setAccessibleName("Unit")
        self.unit.currentTextChanged.connect(self._unit_chosen)
        self.lever = QLineEdit()
        self.lever.setPlaceholderText("0.78 m")
        self.lever.setAccessibleName("Lever arm of this side")
        self.lever.editingFinished.connect(self._lever_typed)
        self.fixation = QComboBox()
        self.fixation.addItems(["hand", "belt"])
        self.fixation.setAccessibleName("Device held by")
        self.fixation.activated.connect(lambda: self.state.set_fixation(self.fixation.currentText()))
        row = QHBoxLayout()
        row.setSpacing(8)
        for name, part in (("unit", self.unit), ("lever", self.lever), ("held by", self.fixation)):
            box = QVBoxLayout()
            box.setSpacing(2)
            box.addWidget(label(name, role="muted"))
            box.addWidget(part)
            row.addLayout(box, 1)
        entry = QVBoxLayout()
        entry.setSpacing(6)
        entry.addWidget(self.trial)
        entry.addWidget(self.number)
        entry.addWidget(self.hint)
        entry.addLayout(row)
        entry.addWidget(button("Strike out last trial", self.state.strike_last, "link", "Also Ctrl+Z"))
        entry.addStretch(1)
        column: list[QWidget] = [self.number, self.hint, self.trial]
        for widget in column:
            widget.setFixedWidth(276)
        return entry

    def enter(self) -> None:
        """The stage is shown."""
        self.refresh()
        self.number.setFocus()

    def choose_side(self, side: Side) -> None:
        """Test this side next."""
        self._lever_typed()
        self.state.choose_side(side)
        self.number.setFocus()

    def _enter(self) -> None:
        text = self.number.text()
        if not text.strip():
            self.choose_side(self.state.side.other)
            return
        try:
            self.state.enter(text)
        except BadInput as err:
            self._say(str(err), wrong=True)
            self.number.selectAll()
            return
        self.number.clear()

    def _say(self, text: str, wrong: bool = False) -> None:
        self.hint.setText(text)
        set_role(self.hint, role="caution" if wrong else "muted")

    def _typing(self, text: str) -> None:
        if not text.strip():
            self._say(self._waiting_words())
            return
        try:
            force, unit = parse_force(text, self.state.unit)
        except BadInput:
            self._say("Enter keeps it; a unit may follow, such as 41.5 lbf.")
            return
        other = f" = {force:.1f} N" if unit != "N" else ""
        self._say(f"{from_newtons(force, unit):g} {unit}{other} · Enter keeps it")

    def _waiting_words(self) -> str:
        if self.state.trials(self.state.side).size >= MOST_TRIALS:
            return f"{MOST_TRIALS} trials kept. Enter goes to the other side."
        return "Type the number, Enter. Enter alone goes to the other side."

    def _reason_typed(self, text: str) -> None:
        self.state.reason = text

    def _unit_chosen(self, unit: str) -> None:
        self.state.unit = unit
        self._typing(self.number.text())

    def _lever_typed(self) -> None:
        try:
            self.state.set_lever(self.lever.text())
        except BadInput as err:
            self._say(str(err), wrong=True)

    def refresh(self) -> None:
        """Follow the state; a hidden page waits until it is entered."""
        if not self.isVisible():
            return
        state, patient = self.state, self._workspace.patient
        if patient is None:
            return
        side = state.side
        empty(self._side_row)
        self._side_row.addWidget(SideSign(side, 9))
        part = {side.value: "involved", side.other.value: "uninvolved", "both": "involved"}.get(patient.involved, "")
        self._side_row.addWidget(label(f"{side.value}{', ' + part if part else ''}", theme.LARGE, role=side.value))
        lever = state.lever(side)
        lever_text = f"lever {lever:g} m" if lever else "no lever arm yet"
        self.about.setText(
            f"Make test · lying on the {side.other.value} side · pad 5 cm above the outer ankle · {lever_text}"
        )
        self.reason.setVisible(state.needs_reason)
        if not self.reason.hasFocus():
            self.reason.setText(state.reason)
        self.picture.side = side
        self.picture.update()
        count = state.trials(side).size
        self.trial.setText(f"Trial {count + 1} of at most {MOST_TRIALS}" if count < MOST_TRIALS else "All trials kept")
        if not self.lever.hasFocus():
            self.lever.setText(f"{lever:g} m" if lever else "")
        self.fixation.setCurrentText(state.fixation)
        if not self.number.text():
            self._say(self._waiting_words())
        self.left_head.setText(self._side_words(Side.LEFT))
        self.right_head.setText(self._side_words(Side.RIGHT))
        self.bars.update()
        self._show_result()

    def _side_words(self, side: Side) -> str:
        found = self.state.summary(side)
        if isinstance(found, NotMeasured):
            return f"{side.value}: {found.detail}"
        patient = self._workspace.patient
        text = f"{side.value}: mean {found.value:.1f} N"
        if patient is not None and patient.body_mass_kg:
            text += f", {per_mass(found.value, patient.body_mass_kg):.2f} N/kg"
        torque = torque_per_mass(found.value, self.state.lever(side), patient.body_mass_kg if patient else None)
        if not isinstance(torque, NotMeasured):
            text += f", {torque:.2f} Nm/kg"
        if found.n > 1:
            text += f" · spread {found.cv_percent:.1f} %"
        return text

    def _show_result(self) -> None:
        empty(self._result)
        row = self.state.comparison()
        line = QHBoxLayout()
        line.setSpacing(8)
        if isinstance(row.verdict, Verdict):
            v = row.verdict
            line.addWidget(VerdictSign(v.word))
            words = label(f"{v.word.value}: {row.sentence}", theme.BODY, bold=True)
            words.setObjectName("strength-verdict")
            line.addWidget(words)
            line.addStretch(1)
            self._result.addLayout(line)
            error = f"error ±{v.e:.0f} % ({row.error_source})"
            self._result.addWidget(label(f"Formula: {row.measure.formula}; {error}.", role="muted", wrap=True))
        else:
            self._result.addWidget(label(row.sentence.capitalize() + ".", theme.BODY, role="muted"))
        self._result.addWidget(self._index_words())
        if isinstance(row.verdict, Verdict) and not row.verdict.resolves:
            text = f"With these trials the test cannot tell {row.verdict.band:g} % apart; more trials or a belt would."
            self._result.addWidget(label(text, role="caution", wrap=True))
        if row.settle:
            self._result.addWidget(label(row.settle.capitalize() + ".", role="muted", wrap=True))
        advised = [
            s.value
            for s in LEGS
            if not isinstance(found := self.state.summary(s), NotMeasured) and found.repeat_advised
        ]
        if advised:
            text = f"Best two trials differ by more than 10 %: repeat {' and '.join(advised)}."
            self._result.addWidget(label(text, role="caution"))

    def _index_words(self) -> QWidget:
        index = self.state.symmetry_index()
        if isinstance(index, NotMeasured):
            text = f"Limb symmetry index: {index.detail}."
        else:
            text = f"Limb symmetry index {index:.0f} % (100 x involved / uninvolved)."
        made = label(text, role="muted")
        made.setObjectName("lsi")
        return made
