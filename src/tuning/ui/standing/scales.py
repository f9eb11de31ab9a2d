"""Two scales: readings typed or taken, their share and what it says about the lower hip."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from tuning.core.errors import BadInput, DeviceFault
from tuning.core.judging.comparison import judge_value
from tuning.core.standing.level_suspicion import loading_agrees, low_hip
from tuning.core.standing.scales import read_pair, right_share
from tuning.core.test_definitions import observed
from tuning.core.types import PLAIN, FormRef, NotMeasured, Observation, Setup, Side
from tuning.core.units import sentence_case
from tuning.devices import SimulatedSubject, map_device_errors
from tuning.devices.scales import TwoScales
from tuning.ui import theme
from tuning.ui.guided_tests.state import RunState
from tuning.ui.symbols import paint_side
from tuning.ui.widgets import EntryField, button, label, set_role

TEST = "two-scale-share"


class _Readings(QWidget):
    """Each reading as a bar split at its share, with the even line."""

    def __init__(self) -> None:
        super().__init__()
        self.pairs: list[tuple[float, float]] = []
        self.setMinimumHeight(190)
        self.setAccessibleName("Readings of both scales")

    def paintEvent(self, _: QPaintEvent | None) -> None:
        """Left part, right part, both readings."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        middle, reach = self.width() / 2, self.width() / 2 - 20
        for side, x in ((Side.LEFT, 8.0), (Side.RIGHT, self.width() - 8.0)):
            paint_side(painter, QPointF(x, 12), 6, side)
        for n, (left, right) in enumerate(self.pairs):
            y = 30 + 34.0 * n
            share = right_share(left, right)
            # The bar's seam stands off the middle by five times the surplus, so that it can be seen.
            seam = middle - reach * max(-1.0, min(1.0, 5 * (share - 50) / 50))
            painter.fillRect(QRectF(middle - reach, y, seam - middle + reach, 26), theme.colour("left_wash"))
            painter.fillRect(QRectF(seam, y, middle + reach - seam, 26), theme.colour("right_wash"))
            painter.setFont(theme.font(theme.BODY))
            painter.setPen(theme.colour("ink"))
            box = QRectF(middle - reach + 8, y, 2 * reach - 16, 26)
            painter.drawText(box, Qt.AlignmentFlag.AlignVCenter, f"{left:.1f} kg")
            painter.drawText(
                box,
                Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight,
                f"{right:.1f} kg · {share:.1f} % right",
            )
        painter.setFont(theme.font())
        painter.setPen(theme.colour("muted"))
        if self.pairs:
            room = QRectF(middle + 8, 2, reach, 20)
            painter.drawText(room, Qt.AlignmentFlag.AlignVCenter, "even; the surplus is drawn five times")
        painter.setPen(QPen(theme.colour("ink"), 1, Qt.PenStyle.DashLine))
        painter.drawLine(QPointF(middle, 6), QPointF(middle, self.height()))


class ScalesPanel(QWidget):
    """Type `38.2 41.0`, Enter; or take a reading from the scales."""

    def __init__(self, state: RunState) -> None:
        super().__init__()
        self._state = state
        self.device: TwoScales | None = None
        self.field = EntryField()
        self.field.setObjectName("number")
        self.field.setFont(theme.font(theme.LARGE))
        self.field.setFixedHeight(56)
        self.field.setPlaceholderText("38.2 41.0")
        self.field.setAccessibleName("Both scales, left first, kg")
        self.field.returnPressed.connect(self._typed)
        self.hint = label("Swap the scales between readings; three readings.", role="muted", wrap=True)
        self.readings = _Readings()
        self.result = label("", theme.BODY, wrap=True)
        self.agreement = label("", theme.BODY, wrap=True)
        row = QHBoxLayout()
        row.setSpacing(12)
        row.addWidget(self.field, 1)
        if state.workspace.devices.scales is not None:
            row.addWidget(button("Reading from the scales", self.take, tip="The mean of a quiet stand"))
        row.addWidget(button("Strike out last", self.strike, "link"))
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(8)
        column.addWidget(label("Weight on two scales", theme.LARGE, bold=True))
        column.addWidget(
            label(
                "One foot on each of two equal scales, eyes ahead, 20 s quiet. Type left, right in kg.",
                theme.BODY,
                wrap=True,
            )
        )
        for part in (self.hint, self.readings, self.result, self.agreement):
            column.addWidget(part)
        column.insertLayout(2, row)
        column.addStretch(1)
        self.setFocusProxy(self.field)
        state.changed.connect(self.refresh)
        state.workspace.case_changed.connect(self._new_case)

    def _new_case(self) -> None:
        self.device = None

    def _pairs(self) -> list[tuple[float, float]]:
        seen = self._state.observation(TEST, Side.NONE)
        return list(seen.evidence.pairs) if seen is not None and isinstance(seen.evidence, FormRef) else []

    def _typed(self) -> None:
        patient = self._state.workspace.patient
        try:
            pair = read_pair(self.field.text(), patient.body_mass_kg if patient else None)
        except BadInput as err:
            self._say(str(err))
            return
        if self._keep([*self._pairs(), pair], "typed"):
            self.field.clear()

    def take(self) -> None:
        """A reading from the scales."""
        space = self._state.workspace
        if space.devices.scales is None or space.patient is None:
            return
        who = SimulatedSubject(space.patient.occupation, space.patient.body_mass_kg or 70.0)
        try:
            with map_device_errors("pair of scales"):
                self.device = self.device or space.devices.scales(who)
                left, right = (float(v) for v in self.device.read())
        except DeviceFault as err:
            self._say(f"{err}. Readings so far are saved.")
            return
        self._keep([*self._pairs(), (left, right)], self.device.name)

    def strike(self) -> None:
        """Take the last reading out."""
        if self._pairs():
            self._keep(self._pairs()[:-1], "typed")

    def _say(self, refusal: str) -> None:
        self.hint.setText(refusal or "Swap the scales between readings; three readings.")
        set_role(self.hint, role="caution" if refusal else "muted")

    def _keep(self, pairs: list[tuple[float, float]], method: str) -> bool:
        space = self._state.workspace
        self._say("")
        before = self._state.observation(TEST, Side.NONE)
        shares = [right_share(left, right) for left, right in pairs]
        made_up = method != "typed" and space.devices.simulated
        was = before.setup if before is not None else PLAIN
        setup = Setup(device=method if method != "typed" else was.device, simulated=made_up or was.simulated)
        with space.trying(), space.action("scales reading") as act:
            if pairs:
                kept = FormRef(pairs=tuple(pairs))
                act.replace(observed(self._state.measures[TEST], Side.NONE, shares, method, setup, kept), before)
            else:
                act.strike(before)
        return len(self._pairs()) == len(pairs)

    def refresh(self) -> None:
        """Bars, share with spread and verdict, agreement."""
        if not self.isVisible():
            return
        self.readings.pairs = self._pairs()
        self.readings.update()
        seen = self._state.observation(TEST, Side.NONE)
        self.result.setText(self._result(seen) if seen else "No reading yet.")
        self.agreement.setText(self._agreement(seen) if seen else "")

    def _result(self, seen: Observation) -> str:
        row = judge_value(self._state.measures[TEST], seen)
        assert not isinstance(row.verdict, NotMeasured) and not isinstance(seen.value, NotMeasured)
        spread = f", spread {seen.spread:.1f} points" if seen.trials.size > 1 else ""
        return (
            f"Right leg {seen.value:.1f} % of {seen.trials.size} reading(s){spread}. "
            f"{sentence_case(row.verdict.word.value)}: {row.sentence} ({row.error_text})."
        )

    def _agreement(self, seen: Observation) -> str:
        row = judge_value(self._state.measures[TEST], seen)
        assert not isinstance(row.verdict, NotMeasured) and not isinstance(seen.value, NotMeasured)
        low = low_hip(self._state.workspace.observations())
        return f"Lower hip and load: {loading_agrees(seen.value, row.verdict.e, low)}."
