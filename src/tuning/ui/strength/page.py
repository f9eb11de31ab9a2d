"""The Strength workbench: position, one big number field or the live trace, the order of the battery."""

from __future__ import annotations

from functools import partial

from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QStackedWidget, QVBoxLayout, QWidget

from tuning.core.entries import Status
from tuning.core.errors import BadInput, TuningError
from tuning.core.strength.trials import MOST_TRIALS, per_mass, percent_of_weight, torque_per_mass
from tuning.core.target import Target
from tuning.core.types import LEGS, NotMeasured, Side
from tuning.core.units import FORCE_UNITS, from_newtons, parse_force, sentence_case
from tuning.devices import SimulatedSubject
from tuning.ui import theme
from tuning.ui.stage import StagePage
from tuning.ui.strength.fields import NumberField, TrialBars
from tuning.ui.strength.live import GaugePhase, LivePanel
from tuning.ui.strength.position import PositionPicture
from tuning.ui.strength.profile import SummaryPanel
from tuning.ui.strength.result import ResultBox
from tuning.ui.strength.setup_row import SetupRow
from tuning.ui.strength.state import PendingEffort, StrengthState
from tuning.ui.strength.strength_queries import STAGE
from tuning.ui.symbols import SideSign
from tuning.ui.visit_order.board import OrderBoard
from tuning.ui.visit_order.dialog import cost_words
from tuning.ui.visit_order.state import OrderState
from tuning.ui.widgets import TextField, button, clear_layout, in_scroll, label, separator, set_role
from tuning.ui.workspace import Workspace

TYPED, GAUGE = "typed", "gauge"
HIGH, LOW = 244, 214
"""Height of the picture without and with the line for the reason under AMBER."""


class StrengthPage(StagePage):
    """Digits, Enter, digits, Enter; the order goes on by itself."""

    def __init__(self, workspace: Workspace, order: OrderState) -> None:
        super().__init__()
        self._workspace = workspace
        self.state = StrengthState(workspace, order)
        self.caught: PendingEffort | None = None
        self._shown = ""
        self._build()
        self.state.changed.connect(self.refresh)
        self.state.finished.connect(self._finished)
        self.state.stopped.connect(self._say)
        self.live.caught.connect(self._caught)
        self.live.refused.connect(lambda text: self._say(text, wrong=True))
        self.number.space.connect(self.live.toggle)

    def _build(self) -> None:
        self.title = label("", theme.TITLE)
        self._side_row = QHBoxLayout()
        self._side_row.setSpacing(8)
        self.view_button = button("Summary", self.toggle_summary, tip="Both legs, all tests")
        head = QHBoxLayout()
        head.setSpacing(16)
        head.addWidget(self.title)
        head.addLayout(self._side_row)
        head.addStretch(1)
        again = button(
            "Repeat last protocol", self.repeat_last, "link", "Order, pads, levers, mode of last time: Ctrl+L"
        )
        head.addWidget(again)
        head.addWidget(self.view_button)
        self.about = label(role="muted", wrap=True)
        self.care = label(role="caution", wrap=True)
        self.reason = TextField()
        self.reason.setPlaceholderText("Reason for testing anyway (saved with each trial)")
        self.reason.setAccessibleName("Reason under AMBER")
        self.reason.textEdited.connect(self._reason_typed)
        self.summary = SummaryPanel(self.state)
        self.stack = QStackedWidget()
        self.stack.addWidget(in_scroll(self._build_run()))
        self.stack.addWidget(self.summary)
        column = QVBoxLayout(self)
        column.setContentsMargins(24, 8, 24, 12)
        column.setSpacing(6)
        column.addLayout(head)
        column.addWidget(self.about)
        column.addWidget(self.care)
        column.addWidget(self.reason)
        column.addWidget(self.stack, 1)

    def _build_run(self) -> QWidget:
        self.picture, self.live, self.setup = PositionPicture(), LivePanel(), SetupRow(self.state)
        self.setup.refused.connect(partial(self._say, wrong=True))
        self.setup.refused.connect(self.refused)
        self.live.phase_changed.connect(self._show_live)
        self.board = OrderBoard(self.state.order, STAGE)
        self.board.chosen.connect(self._go)
        self.board.dragged.connect(lambda e, to: self._order(partial(self.state.order.drag, e, to)))
        self.board.skipped.connect(lambda e: self._order(partial(self.state.order.skip, e)))
        body = QHBoxLayout()
        body.setSpacing(24)
        left = QVBoxLayout()
        left.setSpacing(8)
        self.picture_side = QStackedWidget()
        self.picture_side.addWidget(self.picture)
        self.picture_side.addWidget(self.live)
        self.picture_side.setMinimumWidth(300)
        left.addWidget(self.picture_side)
        left.addWidget(self.setup)
        left.addStretch(1)
        body.addLayout(left, 1)
        body.addLayout(self._build_entry())
        self.cost = label(role="muted")
        order_head = QHBoxLayout()
        order_head.setSpacing(16)
        order_head.addWidget(label("Order", theme.BODY, bold=True))
        order_head.addWidget(self.cost, 1)
        order_head.addWidget(
            button("Plan the visit…", self.plan_wanted.emit, "link", "All stages, in order: Ctrl+Shift+O")
        )
        self.result = ResultBox(self.state)
        run = QWidget()
        column = QVBoxLayout(run)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        column.addLayout(body)
        column.addLayout(order_head)
        column.addWidget(separator())
        column.addWidget(self.board)
        column.addWidget(separator())
        column.addWidget(self.result)
        column.addStretch(1)
        return run

    def _build_entry(self) -> QVBoxLayout:
        self.unit, self.device = QComboBox(), QComboBox()
        self.unit.addItems(list(FORCE_UNITS))
        self.unit.setAccessibleName("Unit")
        self.unit.setCurrentText(self.state.unit)
        self.unit.currentTextChanged.connect(self._unit_chosen)
        self.device.addItems([TYPED, *([GAUGE] if self._workspace.devices.gauge is not None else [])])
        if self.device.count() < 2:
            self.device.hide()
        self.device.setAccessibleName("Where the numbers come from")
        self.device.currentTextChanged.connect(self._device_chosen)
        self.trial = label(role="muted")
        self.number = NumberField()
        self.number.setObjectName("number")
        self.number.setFont(theme.font(theme.TITLE))
        self.number.setFixedHeight(58)
        self.number.returnPressed.connect(self._enter)
        self.number.textChanged.connect(self._typing)
        self.hint = label("", role="muted", wrap=True)
        self.hint.setMinimumHeight(34)
        self.bars = TrialBars(self.state)
        self.spread = label(role="muted")
        self.keep_anyway = button("Keep anyway", self._keep_anyway, tip="The reason is saved with the trial")
        self.keep_anyway.hide()
        top = QHBoxLayout()
        top.setSpacing(6)
        top.addWidget(self.trial, 1)
        top.addWidget(self.device)
        top.addWidget(self.unit)
        ends = QHBoxLayout()
        ends.setSpacing(4)
        strike = partial(self._order, partial(self.state.strike_last))
        ends.addWidget(button("Strike out last", strike, "link", "Also Ctrl+Z"))
        for status in (Status.UNABLE, Status.PAIN, Status.INVALID):
            end = partial(self._order, partial(self.state.end, status))
            ends.addWidget(button(status.value, end, "link", "No force; never a zero"))
        ends.addStretch(1)
        entry = QVBoxLayout()
        entry.setSpacing(4)
        entry.addLayout(top)
        for part in (self.number, self.hint, self.keep_anyway, self.bars, self.spread):
            entry.addWidget(part)
            part.setFixedWidth(300)
        entry.addLayout(ends)
        entry.addStretch(1)
        return entry

    # doing

    def help_key(self) -> str:
        """The help page of what is chosen."""
        return f"test:{self.state.test_id}"

    def enter(self) -> None:
        """The stage is shown."""
        self.refresh()
        self.number.setFocus()

    def leave(self) -> None:
        """Another stage is opened."""
        self.live.stop()

    def unfinished(self) -> str:
        """An effort on the gauge that was not kept."""
        running = self.live.phase in (GaugePhase.COUNTING, GaugePhase.PUSHING) or self.caught is not None
        return "The last effort on the gauge has not been saved yet." if running else ""

    def show_target(self, target: Target) -> None:
        """A test, and a leg of it."""
        test = target.test.removesuffix("-torque")
        stops = [s.effort for s in self.state.order.stops(STAGE) if s.effort.test == test]
        wanted = next((e for e in stops if e.side is target.side), stops[0] if stops else None)
        if wanted is not None:
            self._go(wanted.id)
        elif test in self._workspace.knowledge.tests:
            self.message.emit("This test is not in the order of the visit yet: choose it under Plan the visit.")

    def choose_side(self, side: Side) -> None:
        """The same test on this side."""
        self.setup.keep_lever()
        self.state.choose_side(side)
        self.number.setFocus()

    def back(self) -> None:
        """Alt+Left: one effort back."""
        self.state.back()

    def repeat_last(self) -> None:
        """The protocol of the last visit with strength."""
        try:
            self.message.emit(self.state.repeat_last())
        except TuningError as err:
            self.refused.emit(str(err))
        self.number.setFocus()

    def toggle_summary(self) -> None:
        """Between the run and the summary."""
        showing = self.stack.currentIndex() == 1
        self.stack.setCurrentIndex(0 if showing else 1)
        self.view_button.setText("Summary" if showing else "Back to the run")
        self.refresh()
        if showing:
            self.number.setFocus()

    def _finished(self) -> None:
        self.message.emit("All tests of the order are done; the summary shows both legs.")
        if self.stack.currentIndex() == 0:
            self.toggle_summary()

    def _go(self, effort_id: str) -> None:
        self.setup.keep_lever()
        self.state.choose(effort_id)
        self.number.setFocus()

    def _order(self, act: partial[None]) -> None:
        with self._workspace.trying():
            act()

    def _enter(self) -> None:
        text = self.number.text()
        if not text.strip():
            self.setup.keep_lever()
            self.state.go_on()
            return
        try:
            self.state.enter(text, self.caught)
        except TuningError as err:
            self._say(str(err), wrong=True)
            self.refused.emit(str(err))
            self.number.selectAll()
            return
        self._drop_caught()
        self.number.clear()

    def _caught(self, caught: PendingEffort) -> None:
        """A whole effort came from the gauge; a valid one waits for Enter."""
        trace = caught.trace
        self.caught = caught
        if trace.valid:
            self.number.setText(self._peak_text(caught))
            self._say(
                f"Peak after {trace.time_to_peak:.1f} s, best second {trace.best_second:.0f} N, "
                f"rise {trace.rise:.0f} N/s, in the hold {trace.fatigue:+.1f} N/s. Enter saves it."
            )
        else:
            self.number.clear()
            self._say(f"Not valid: {trace.reason}. Space repeats.", wrong=True)
        self.keep_anyway.setVisible(not trace.valid)

    def _peak_text(self, caught: PendingEffort) -> str:
        return f"{from_newtons(caught.trace.peak, self.state.unit):.1f} {self.state.unit}"

    def _keep_anyway(self) -> None:
        if self.caught is not None:
            self.number.setText(self._peak_text(self.caught))
            self._enter()
            self.number.setFocus()

    def _drop_caught(self) -> None:
        self.caught = None
        self.keep_anyway.hide()

    def _say(self, text: str, wrong: bool = False) -> None:
        self.hint.setText(text)
        set_role(self.hint, role="caution" if wrong else "muted")

    def _typing(self, text: str) -> None:
        if not text.strip():
            self._say(self._waiting_words())
            return
        if self.caught is not None and text.strip() != self._peak_text(self.caught):
            self._drop_caught()
        if self.state.asking_pain:
            self._say("0 no pain, 10 the worst; Enter saves it")
            return
        try:
            force, unit = parse_force(text, self.state.unit)
        except BadInput:
            self._say("Enter saves it; a unit may follow, such as 41.5 lbf.")
            return
        other = f" = {force:.1f} N" if unit != "N" else ""
        self._say(f"{from_newtons(force, unit):g} {unit}{other} · Enter saves it")

    def _waiting_words(self) -> str:
        state = self.state
        lock = state.lock()
        if lock:
            return f"Locked. {sentence_case(lock)}. Enter goes on."
        if state.asking_pain:
            return "How much did it hurt, 0 to 10? Then Enter."
        if state.trials(state.side).size >= MOST_TRIALS:
            return f"{MOST_TRIALS} trials saved. Enter continues."
        if self.live.phase is GaugePhase.READY and self.number.gauge_chosen:
            return "Space starts the gauge; a number may be typed as well."
        if settled := state.settled():
            return f"{sentence_case(settled)}: another trial is not likely to change the verdict. Enter alone goes on."
        return "Type the number, Enter. Enter alone goes on."

    # set-up

    def _reason_typed(self, text: str) -> None:
        self.state.reason = text

    def _unit_chosen(self, unit: str) -> None:
        if unit != self.state.unit:
            self.state.set_unit(unit)
        self._typing(self.number.text())

    def _device_chosen(self, name: str) -> None:
        self.number.gauge_chosen = name == GAUGE
        self._ready_gauge()
        self.refresh()
        self.number.setFocus()

    def _ready_gauge(self) -> None:
        patient = self._workspace.patient
        if not self.number.gauge_chosen or patient is None:
            self.live.use(None)
            return
        devices, state = self._workspace.devices, self.state
        assert devices.gauge is not None
        who = SimulatedSubject(patient.occupation, patient.body_mass_kg or 70.0, state.test_id, state.side.value)
        self.live.simulated = devices.simulated
        self.live.use(devices.gauge(who))

    # showing

    def refresh(self) -> None:
        """Follow the state; a hidden page waits until it is entered."""
        if not self.isVisible() or self._workspace.patient is None:
            return
        state = self.state
        if self.stack.currentIndex() == 1:
            self.title.setText("Strength")
            clear_layout(self._side_row)
            self.about.setText(self._count_words())
            self.reason.hide()
            self.summary.refresh()
            return
        moved = self._shown != state.effort_id
        self._shown = state.effort_id
        if moved:
            self.number.clear()
            self._drop_caught()
            self._ready_gauge()
        self._show_head()
        self.reason.setVisible(state.needs_reason)
        self.picture_side.setFixedHeight(LOW if state.needs_reason else HIGH)
        if not self.reason.hasFocus():
            self.reason.setText(state.reason)
        self.picture.setFixedHeight(LOW if state.needs_reason else HIGH)
        pad = state.test.pad_named(state.pad).text
        self.picture.show_test(state.test, state.position, state.side, state.cue, pad)
        self.live.breaks = state.breaks
        self.setup.refresh()
        self._show_entry()
        self.cost.setText(f"{cost_words(state.order)} · {self._count_words()}")
        self.board.current = state.effort_id
        self.board.fit()
        self.result.refresh()

    def _count_words(self) -> str:
        left = self.state.order.open_stops(STAGE)
        return f"{len(left)} efforts left, about {self.state.order.minutes_left(STAGE):.0f} min" if left else "all done"

    def _show_head(self) -> None:
        state, patient = self.state, self._workspace.patient
        assert patient is not None
        side = state.side
        self.title.setText(state.test.name)
        clear_layout(self._side_row)
        if side in LEGS:
            self._side_row.addWidget(SideSign(side, 9))
            involved = {side: "involved", side.other: "uninvolved", Side.BOTH: "involved"}
            part = involved.get(patient.involved, "")
            self._side_row.addWidget(label(f"{side.value}{', ' + part if part else ''}", theme.LARGE, role=side.value))
        else:
            self._side_row.addWidget(label("both legs", theme.LARGE, role="accent"))
        mode = f"{state.mode.value} test, {state.mode.contraction}"
        self.about.setText(" · ".join(part for part in (state.order.place_words(state.effort_id), mode) if part))
        self.care.setText(f"Easy mistake: {state.test.mistake}. {self._workspace.care(state.test)}".strip())

    def _show_live(self) -> None:
        """The trace in the place of the picture while there is one."""
        self.picture_side.setCurrentWidget(self.picture if self.live.phase is GaugePhase.READY else self.live)

    def _show_entry(self) -> None:
        state = self.state
        count = state.trials(state.side).size
        more = f"Trial {count + 1} of {state.wanted}" if count < state.wanted else f"{count} trials saved"
        self.trial.setText("Pain" if state.asking_pain else more)
        self.number.setAccessibleName("Pain 0 to 10" if state.asking_pain else "Force of this trial")
        if self.unit.currentText() != state.unit:  # what is shown is what a bare number is read in
            self.unit.setCurrentText(state.unit)
        ghost = None if state.asking_pain else state.ghost()
        last = "" if ghost is None else f"last {from_newtons(ghost, state.unit):.1f} {state.unit}"
        self.number.setPlaceholderText(last)
        if not self.number.text() and self.caught is None:
            self._say(self._waiting_words())
        self.bars.fit()
        found = state.summary(state.side)
        self.spread.setText("" if isinstance(found, NotMeasured) else self._side_words(state.side))
        ending = state.ending()
        if ending:
            self.spread.setText(f"On record: {ending}.")

    def _side_words(self, side: Side) -> str:
        found = self.state.summary(side)
        if isinstance(found, NotMeasured):
            return ""
        unit, patient = self.state.unit, self._workspace.patient
        text = f"{self.state.rule.value} {from_newtons(found.value, unit):.1f} {unit}"
        mass = patient.body_mass_kg if patient is not None else None
        torque = torque_per_mass(found.value, self.state.lever(side), mass)
        if not isinstance(torque, NotMeasured) and side in LEGS:
            text += f" · {torque:.2f} Nm/kg"
        elif mass:
            text += f" · {per_mass(found.value, mass):.2f} N/kg"
        if mass:
            lever = self.state.lever(side) if side in LEGS else None
            moment = f", {found.value * lever:.1f} Nm" if lever else ""
            self.spread.setToolTip(f"{percent_of_weight(found.value, mass):.1f} % of body weight{moment}")
        return text + (f" · spread {found.cv_percent:.1f} %" if found.n > 1 else "")
