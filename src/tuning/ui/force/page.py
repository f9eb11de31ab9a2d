"""The Force workbench: live plates, the last trace, all tests side by side, balance feedback."""

from __future__ import annotations

from functools import partial
from pathlib import Path

import numpy as np
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QFileDialog,
    QHBoxLayout,
    QScrollArea,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from tuning.core.errors import DeviceFault, TuningError
from tuning.core.force.plate_tests import TESTS, Analysis
from tuning.core.force.recording import Recording
from tuning.core.target import Target
from tuning.core.types import LEGS, NotMeasured, Side
from tuning.core.units import sentence_case
from tuning.devices import SimulatedSubject, map_device_errors
from tuning.devices.plates import ForcePlates
from tuning.exchange.csv.detect_columns import preview
from tuning.exchange.csv.mapping import Mapping, read_mapping
from tuning.exchange.force_cleaning import as_sent
from tuning.ui import theme
from tuning.ui.explanation_dialog import ExplainDialog
from tuning.ui.force.balance import SQUAT, BalancePanel
from tuning.ui.force.column_dialog import MapperDialog
from tuning.ui.force.instruction_card import TestCard
from tuning.ui.force.live import LivePlates
from tuning.ui.force.recording_view import RecordingView
from tuning.ui.force.state import ForceState
from tuning.ui.force.test_matrix import MatrixView
from tuning.ui.force.weighing_control import Weigher
from tuning.ui.stage import StagePage
from tuning.ui.symbols import VerdictSign
from tuning.ui.widgets import TextField, button, clear_layout, label, separator, set_role
from tuning.ui.workspace import Workspace

VIEWS = ("Live", "Trace", "All tests", "Balance")
MAPPINGS = "force.mappings"


def _told(found: Analysis) -> str:
    """How many repetitions were found, and what makes them doubtful."""
    many = "1 repetition" if len(found.reps) == 1 else f"{len(found.reps)} repetitions"
    return " ".join([f"{many}.", *found.warnings])


class ForcePage(StagePage):
    """Space records; F5 and F6 choose the leg of one-leg tests."""

    def __init__(self, workspace: Workspace) -> None:
        super().__init__()
        self._space = workspace
        self.state = ForceState(workspace)
        self.live, self.card = LivePlates(), TestCard()
        self.past = RecordingView(workspace.knowledge.plate_errors, self.swap, self.show_formulas)
        self.matrix, self.balance = MatrixView(self.state), BalancePanel(self.state)
        self.weigher = Weigher(self.state, self.live, self._plates, partial(self._stream, record=False))
        self._last_file: Path | None = None
        self._live_of: tuple[str, Side] | None = None
        self._build()
        workspace.case_changed.connect(self._forget)
        self.state.changed.connect(self.refresh)
        self.live.recorded.connect(self._recorded)
        self.weigher.message.connect(self._say)
        self.weigher.crossed.connect(self._cross)
        for source in (self.live.failed, self.balance.refused):
            source.connect(self.refused)
        self.matrix.chosen.connect(self._open_test)

    def _build(self) -> None:
        self.test = QComboBox()
        for test in TESTS.values():
            self.test.addItem(test.name, test.id)
        self.test.setAccessibleName("Test on the plates")
        self.test.activated.connect(lambda _: self.state.choose(self.test.currentData()))
        self.legs = {side: button(side.value, partial(self.choose_side, side)) for side in LEGS}
        self.views = {name: button(name, partial(self.show_view, name)) for name in VIEWS}
        head = QHBoxLayout()
        head.setSpacing(10)
        self.title = label("Force", theme.TITLE)
        head.addWidget(self.title)
        head.addWidget(self.test)
        for made in self.legs.values():
            head.addWidget(made)
        head.addStretch(1)
        for made in self.views.values():
            head.addWidget(made)
        self.reason = TextField()
        self.reason.setPlaceholderText("Reason for testing anyway (saved with the recording)")
        self.reason.setAccessibleName("Reason under AMBER")
        self.reason.textEdited.connect(self._reason_typed)
        self.lock = label(role="caution", wrap=True)
        self.stack = QStackedWidget()
        self.stack.addWidget(self._build_live())
        self.stack.addWidget(self.past)
        self.stack.addWidget(self._build_matrix())
        self.stack.addWidget(self.balance)
        column = QVBoxLayout(self)
        column.setContentsMargins(20, 8, 20, 12)
        column.setSpacing(8)
        column.addLayout(head)
        column.addWidget(self.reason)
        column.addWidget(self.lock)
        column.addWidget(self.stack, 1)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.show_view(VIEWS[0])

    def _build_live(self) -> QWidget:
        self.zero = button("Zero and weigh", self.weigher.weigh, tip="Step off, then stand still for two seconds")
        self.check_sides = button(
            "Check sides", self.weigher.lift_left, tip="The patient lifts the left foot: plates swapped?"
        )
        self.record = button("Record", self.toggle_record, "primary", "Space")
        self.open_button = button("Open file…", self.ask_file, tip="CSV of any maker, or C3D")
        self.columns = button("Columns…", self.map_again, tip="Choose the columns of this file again")
        self.columns.hide()
        for device_button in (self.zero, self.check_sides, self.record) if self._space.devices.plates is None else ():
            device_button.hide()
        self.eye = QCheckBox("Guess by eye first, then see the numbers")
        self.eye.setFont(theme.font())
        self.status = label("", theme.BODY, wrap=True)
        self._guess_row = QHBoxLayout()
        self._guess_row.setSpacing(8)
        row = QHBoxLayout()
        row.setSpacing(8)
        for part in (self.zero, self.check_sides, self.record, self.open_button, self.columns, self.eye):
            row.addWidget(part)
        row.addStretch(1)
        row.addLayout(self._guess_row)
        self._verdicts = QVBoxLayout()
        self._verdicts.setSpacing(4)
        page = QWidget()
        column = QVBoxLayout(page)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(8)
        column.addWidget(self.card, 1)
        column.addWidget(self.live, 1)
        column.addLayout(row)
        column.addWidget(self.status)
        column.addLayout(self._verdicts)
        return page

    def _build_matrix(self) -> QWidget:
        self.pattern = label("", theme.LARGE, bold=True, wrap=True)
        about = (
            "The wash is the error, the pointer leans toward the leg with more. A share of two legs is how the load "
            "is split, not strength. Only differences beyond error are counted. Enter opens a test."
        )
        inside = QWidget()
        column = QVBoxLayout(inside)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(8)
        column.addWidget(self.pattern)
        column.addWidget(label(about, role="muted", wrap=True))
        column.addWidget(separator())
        column.addWidget(self.matrix)
        self.eye_words = label(role="muted")
        column.addWidget(self.eye_words)
        column.addStretch(1)
        area = QScrollArea()
        area.setWidget(inside)
        area.setWidgetResizable(True)
        return area

    # doing

    def help_key(self) -> str:
        """The help page of what is chosen."""
        return f"test:plates-{self.state.test_id}"

    def enter(self) -> None:
        """The stage is shown, with what the record holds of the chosen test."""
        if self.state.shown is None:
            self.state.choose(self.state.test_id)
        self.refresh()
        self.setFocus()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Space records and ends."""
        if event is not None and event.key() == Qt.Key.Key_Space:
            self.toggle_record()
            return
        super().keyPressEvent(event)

    def leave(self) -> None:
        """Another stage is opened: leave the plates alone."""
        self.weigher.forget()
        self.live.recording = None
        self.live.stop()
        self.balance.live.recording = None
        self.balance.live.stop()

    def unfinished(self) -> str:
        """A recording that runs."""
        recording = self.live.recording is not None or self.balance.live.recording is not None
        return "A recording on the plates has not ended." if recording else ""

    def show_target(self, target: Target) -> None:
        """A test, by its own name, that of a clip in the order, or that of a measure."""
        knowledge = self._space.knowledge
        clip = next((c for c in knowledge.order.clip if c.id == target.test), None)
        named = clip.plates if clip is not None else target.test
        test = next((t for t in sorted(TESTS, key=len, reverse=True) if named == t or named.startswith(f"{t}-")), None)
        if test is not None:
            self.state.choose(test, target.side)
            self.show_view("Trace" if self.state.shown is not None else "Live")

    def choose_side(self, side: Side) -> None:
        """F5 and F6."""
        self.state.choose(self.state.test_id, side)

    def show_view(self, name: str) -> None:
        """One of the four views."""
        self.stack.setCurrentIndex(VIEWS.index(name))
        for key, made in self.views.items():
            set_role(made, chosen=key == name)
        self.refresh()

    def _open_test(self, test_id: str) -> None:
        self.state.choose(test_id)
        self.show_view("Trace")

    def show_formulas(self) -> None:
        """Every percentage of the shown test."""
        with self._space.trying():  # the other leg's recording may be lost
            ExplainDialog(self, f"{self.state.test.name}: every formula", self.state.formulas()).exec()

    def _plates(self, test: str, side: Side) -> ForcePlates | None:
        """The plates with the patient on them, or a stand-in that does this test."""
        patient, devices = self._space.patient, self._space.devices
        if patient is None or devices.plates is None:
            return None
        who = SimulatedSubject(patient.occupation, patient.body_mass_kg or 75.0, test, side.value)
        try:
            with map_device_errors("pair of plates"):
                return devices.plates(who)
        except DeviceFault as err:
            self.refused.emit(f"{err}.")
            return None

    def _cross(self) -> None:
        self.live.crossed = self.balance.live.crossed = not self.live.crossed
        self.check_sides.setText("Sides exchanged" if self.live.crossed else "Check sides")

    def toggle_record(self) -> None:
        """Record the chosen test, or end the recording."""
        if self.live.running:
            self.live.stop()
            return
        try:
            self.state.permit()
        except TuningError as err:
            self._say(str(err), wrong=True)
            self.refused.emit(str(err))
            return
        plates = self._plates(self.state.test_id, self.state.side)
        if plates is None:
            return
        self.show_view("Live")
        clear_layout(self._verdicts)
        clear_layout(self._guess_row)
        self._say("Recording; Space ends it.")
        self._stream(plates, record=True)
        self.record.setText("End")

    def _recorded(self, taken: np.ndarray) -> None:
        self.record.setText("Record")
        try:
            name = self.live.plates.name if self.live.plates is not None else ""
            recording = as_sent(self.live.buffer.rate, taken)
            self._keep(recording, f"{self.state.test_id} recorded", name)
        except TuningError as err:
            self._say(str(err), wrong=True)
            self.refused.emit(str(err))

    def _keep(self, recording: Recording, name: str, device: str) -> None:
        found = self.state.keep(recording, name, device, self._space.devices.simulated)
        self._say(_told(found), wrong=bool(found.warnings))
        if self.eye.isChecked() and found.test.legs == 2 and found.reps:
            self._ask_eye()
        else:
            self._show_verdicts()

    def _ask_eye(self) -> None:
        """The numbers wait until somebody has said which leg took more."""
        clear_layout(self._verdicts)
        self._guess_row.addWidget(label("Which leg took more?", bold=True))
        for side in LEGS:
            self._guess_row.addWidget(button(side.value, partial(self._guessed, side)))

    def _guessed(self, side: Side) -> None:
        clear_layout(self._guess_row)
        with self._space.trying():
            self._say(self.state.guess(side))
        self._show_verdicts()

    # files

    def ask_file(self) -> None:
        """Let the user choose a file."""
        found, _ = QFileDialog.getOpenFileName(self, "Plates", "", "Plate files (*.csv *.txt *.tsv *.c3d)")
        if found:
            self.open_file(Path(found))

    def open_file(self, path: Path, ask: bool = True) -> None:
        """Read a file; text files go through the mapper, unless files of this shape were mapped before."""
        try:
            mapping = None
            if path.suffix.lower() != ".c3d":
                mapping = self._mapping(path, ask)
                if mapping is None:
                    return
            found = self.state.keep_file(path, mapping)
        except TuningError as err:
            self._say(str(err), wrong=True)
            self.refused.emit(str(err))
            return
        self._last_file = path
        self.columns.setVisible(mapping is not None)
        self._say(f"{path.name}: {_told(found)}", wrong=bool(found.warnings))
        self._show_verdicts()

    def map_again(self) -> None:
        """Forget how files of this shape were mapped, and ask anew."""
        if self._last_file is None:
            return
        with self._space.trying():
            shape = preview(self._last_file).shape
            kept = {key: value for key, value in self._space.settings.get(MAPPINGS, {}).items() if key != shape}
            self._space.settings.set(MAPPINGS, kept)
            self.open_file(self._last_file)

    def swap(self) -> None:
        """Left for right in the shown recording."""
        try:
            self.state.swap()
        except TuningError as err:
            self.refused.emit(str(err))

    def _mapping(self, path: Path, ask: bool) -> Mapping | None:
        seen = preview(path)
        kept = self._space.settings.get(MAPPINGS, {})
        leg = Side.NONE if seen.sided or self.state.test.legs == 2 else self.state.side
        if seen.shape in kept:  # a plate that names no leg is now under this one
            return read_mapping(kept[seen.shape]).under(leg)
        if not ask:
            return seen.mapping.under(leg)
        dialog = MapperDialog(self, path, seen, seen.mapping.under(leg))
        if not dialog.exec():
            return None
        self._space.settings.set(MAPPINGS, {**kept, seen.shape: dialog.mapping.to_dict()})
        return dialog.mapping

    # showing

    def _forget(self) -> None:
        """What was said and read of one person is nothing of the next."""
        self._last_file = None
        self.columns.hide()
        clear_layout(self._verdicts)
        clear_layout(self._guess_row)
        self._say("")

    def _reason_typed(self, text: str) -> None:
        self.state.reason = text

    def _say(self, text: str, wrong: bool = False) -> None:
        self.status.setText(text)
        set_role(self.status, role="caution" if wrong else "")

    def refresh(self) -> None:
        """Follow the state; a hidden page waits until it is entered."""
        if not self.isVisible() or self._space.patient is None:
            return
        state = self.state
        self.test.setCurrentIndex(self.test.findData(state.test_id))
        for side, made in self.legs.items():
            made.setVisible(state.test.legs == 1)
            set_role(made, chosen=side is state.side)
        squats = self.stack.currentIndex() == VIEWS.index("Balance")
        self.reason.setVisible(state.asks_reason(SQUAT if squats else state.test_id))
        if not self.reason.hasFocus():
            self.reason.setText(state.reason)
        lock = state.lock(SQUAT if squats else "")
        self.lock.setVisible(bool(lock))
        self.lock.setText(f"Locked. {sentence_case(lock)}." if lock else "")
        self._show_live()
        if self.stack.currentIndex() == 1:
            self.past.show_found(state.recording, state.shown, state.unread)
        if self.stack.currentIndex() == 2:
            self.pattern.setText(state.pattern())
            self.matrix.fit()
            hits, asked = state.guesses()
            self.eye_words.setText(f"By eye: {hits} of {asked} guesses right in this visit." if asked else "")

    def _show_live(self) -> None:
        """The test as it is done, until the plates have something to show of it."""
        state = self.state
        shown = (state.test_id, state.side if state.test.legs == 1 else Side.NONE)
        if shown != self._live_of:
            self._live_of = None
        self.live.setVisible(self._live_of is not None)
        self.card.setVisible(self._live_of is None)
        self.card.show_test(state.test.name, state.space.knowledge.plates[state.test_id], shown[1])

    def _stream(self, plates: ForcePlates, record: bool) -> None:
        state = self.state
        self._live_of = (state.test_id, state.side if state.test.legs == 1 else Side.NONE)
        self.live.start(plates, record)
        self._show_live()

    def _show_verdicts(self) -> None:
        """What the chosen test says about the sides, force and rise."""
        clear_layout(self._verdicts)
        for row in self.state.matrix():
            if row.test.id != self.state.test_id:
                continue
            for comparison in (row.force, row.rate):
                if comparison is None:
                    continue
                line = QHBoxLayout()
                line.setSpacing(8)
                if not isinstance(comparison.verdict, NotMeasured):
                    line.addWidget(VerdictSign(comparison.verdict.word))
                    unit = comparison.measure.comparison_unit
                    text = (
                        f"{comparison.verdict.word.value}: {comparison.sentence} (±{comparison.verdict.e:.1f} {unit})"
                    )
                else:
                    text = comparison.sentence
                words = label(f"{comparison.measure.name}: {text}", theme.BODY, bold=True)
                words.setObjectName("force-verdict")
                line.addWidget(words)
                line.addStretch(1)
                self._verdicts.addLayout(line)
