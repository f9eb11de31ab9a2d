"""How a test is done: make or break, position, fixation, lever arm, pain; kept with the trials."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QComboBox, QWidget

from tuning.core.errors import TuningError
from tuning.core.preferences import LENGTH_UNIT
from tuning.core.strength.trials import Mode
from tuning.core.types import LEGS
from tuning.core.units import shown_length
from tuning.ui.strength.state import StrengthState
from tuning.ui.widgets import Flow, TextField

PAD_WORDS = {"ankle": "ankle pad", "knee": "knee pad"}
POSITION_WORDS = {"side-opposite": "on the other side", "side-same": "on this side"}


class SetupRow(QWidget):
    """One row of choices under the picture; what is refused is said and put back."""

    refused = pyqtSignal(str)

    def __init__(self, state: StrengthState) -> None:
        super().__init__()
        self._state = state
        self.mode, self.place, self.fixation = QComboBox(), QComboBox(), QComboBox()
        self.pad = QComboBox()
        self.lever, self.pain = TextField(), TextField()
        for mode in Mode:
            self.mode.addItem(mode.value, mode.value)
        self.fixation.addItem("by hand", "hand")
        self.fixation.addItem("by belt", "belt")
        self._shown = ""
        self.pain.setPlaceholderText("pain")
        row = Flow(gap=4)
        self.setLayout(row)
        for part, name, width in (
            (self.mode, "Make or break", 82),
            (self.place, "Position", 100),
            (self.pad, "Where the pad goes", 102),
            (self.fixation, "Gauge held", 88),
            (self.lever, "Lever arm of this side", 84),
            (self.pain, "Pain with this test, 0 to 10", 58),
        ):
            part.setAccessibleName(name)
            part.setToolTip(name)
            part.setFixedWidth(width)
            row.addWidget(part)
        self.mode.activated.connect(lambda _: self._try(partial(state.set_mode, Mode(self.mode.currentData()))))
        self.place.activated.connect(lambda _: self._try(self._use_position))
        self.fixation.activated.connect(lambda _: self._try(partial(state.set_fixation, self.fixation.currentData())))
        self.pad.activated.connect(lambda _: self._try(partial(state.set_pad, self.pad.currentData())))
        self.lever.editingFinished.connect(self.keep_lever)
        self.pain.editingFinished.connect(lambda: self._try(self._keep_pain))

    def _try(self, act: Callable[[], None]) -> None:
        try:
            act()
        except TuningError as err:
            self.refused.emit(str(err))
            return
        self.refresh()

    def keep_lever(self) -> None:
        """Take the lever arm as typed."""
        if self.lever.text() != self._shown:  # shown in another unit it is rounded: only what was typed counts
            self._try(partial(self._state.set_lever, self.lever.text()))

    def _use_position(self) -> None:
        self._state.order.use_position(self._state.test_id, self.place.currentData())

    def _keep_pain(self) -> None:
        text, state = self.pain.text().strip(), self._state
        if not text or text == str(state.pain(state.side)):
            return
        state.set_pain(state.read_pain(text))

    def refresh(self) -> None:
        """Follow the state; a field that is being typed into is left alone."""
        state = self._state
        self.mode.setCurrentIndex(self.mode.findData(state.mode.value))
        names = state.space.knowledge.order.positions
        self.place.clear()
        for position in state.test.positions:
            self.place.addItem(POSITION_WORDS.get(position) or names[position], position)
        self.place.setCurrentIndex(self.place.findData(state.position))
        self.place.setVisible(len(state.test.positions) > 1)
        self.pad.clear()
        for pad in state.test.pads:
            self.pad.addItem(PAD_WORDS.get(pad.id, pad.id), pad.id)
        self.pad.setCurrentIndex(self.pad.findData(state.pad))
        self.pad.setVisible(len(state.test.pads) > 1)
        self.fixation.setCurrentIndex(self.fixation.findData(state.fixation))
        lever, pain = state.lever(state.side), state.pain(state.side)
        self.lever.setVisible(state.side in LEGS and state.test.lever)
        if not self.lever.hasFocus():
            unit = state.space.prefer(LENGTH_UNIT)
            self._shown = shown_length(lever, unit) if lever else ""
            self.lever.setText(self._shown)
            self.lever.setPlaceholderText(f"lever, {unit}")
        if not self.pain.hasFocus():
            self.pain.setText("" if pain is None else str(pain))
