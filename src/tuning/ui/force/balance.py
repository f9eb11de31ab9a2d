"""Balance feedback in squats: the beam fades until the patient squats blind; only blind repetitions are scored."""

from __future__ import annotations

import math

import numpy as np
from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from tuning.core.errors import TuningError
from tuning.core.force.analysis import analyse
from tuning.core.force.live import BLIND, FADING, RepCounter, beam_shown, score
from tuning.core.force.plate_tests import Rep
from tuning.core.types import NotMeasured, Side
from tuning.core.units import GRAVITY
from tuning.devices import SimulatedSubject, map_device_errors
from tuning.exchange.force_cleaning import as_sent
from tuning.ui import theme
from tuning.ui.force.live import LivePlates
from tuning.ui.force.state import ForceState
from tuning.ui.widgets import button, label, set_role

STAGES = (*FADING, BLIND)
MADE_UP_SET = "balance-set"
"""What a stand-in is told to do; a person squats slowly."""
SQUAT = "squat-fast"
SHARE = ("share", Side.NONE)


class BalancePanel(QWidget):
    """One stage after the other; the beam shows in fewer and fewer repetitions."""

    refused = pyqtSignal(str)

    def __init__(self, state: ForceState) -> None:
        super().__init__()
        self._state = state
        self.stage = STAGES[0]
        self.live = LivePlates()
        self.live.apart = False
        self.counter: RepCounter | None = None
        self.words = label("", theme.LARGE, bold=True)
        self.result = label("", theme.BODY, wrap=True)
        self.buttons = {}
        row = QHBoxLayout()
        row.setSpacing(8)
        row.addWidget(label("Beam", bold=True))
        for stage in STAGES:
            made = button(stage, lambda s=stage: self.choose(s))  # type: ignore[misc]
            self.buttons[stage] = made
            row.addWidget(made)
        row.addStretch(1)
        self.go = button("Start the set", self.toggle, "primary")
        self.go.setEnabled(state.space.devices.plates is not None)
        row.addWidget(self.go)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(8)
        about = (
            "Squat slowly. The beam tips to the heavier side; keep it level. It fades so that nobody comes to need it."
        )
        column.addWidget(label(about, role="muted", wrap=True))
        column.addLayout(row)
        column.addWidget(self.live, 1)
        column.addWidget(self.words)
        column.addWidget(self.result)
        self.live.came.connect(self._follow)
        self.live.recorded.connect(self._finished)
        self.live.failed.connect(self.refused)
        self._lit: list[bool] = []
        self.choose(self.stage)

    def choose(self, stage: str) -> None:
        """Another stage of the fading."""
        self.stage = stage
        for key, made in self.buttons.items():
            set_role(made, chosen=key == stage)
        self._light(1)

    def toggle(self) -> None:
        """Start a set, or end it."""
        if self.live.running:
            self.live.stop()
            return
        space = self._state.space
        if space.patient is None or space.devices.plates is None:
            return
        mass = space.patient.body_mass_kg or 75.0
        try:
            self._state.permit(SQUAT)  # squats, whatever test is chosen beside
            with map_device_errors("pair of plates"):
                plates = space.devices.plates(SimulatedSubject(space.patient.occupation, mass, MADE_UP_SET))
        except TuningError as err:
            self.result.setText(str(err))
            self.refused.emit(str(err))
            return
        weight = self._state.weight.newtons if self._state.weight is not None else mass * GRAVITY
        self.counter, self._lit = RepCounter(weight, plates.rate), []
        self.result.setText("")
        self.live.top = 100.0 * math.ceil(1.5 * weight / 100)
        self.live.start(plates, record=True)
        self.go.setText("End the set")
        self._light(1)

    def _light(self, repetition: int) -> None:
        self.live.beam = beam_shown(self.stage, repetition)
        lit = "beam on" if self.live.beam else "no beam: squat by feel"
        self.words.setText(f"Repetition {repetition} · {lit}")
        self.live.update()

    def _follow(self, samples: np.ndarray) -> None:
        """Count what came in and light the beam for the next repetition."""
        if self.counter is None:
            return
        self._lit += [self.live.beam] * len(samples)
        if self.counter.add(samples[np.isfinite(samples).all(axis=1)]):
            self._light(self.counter.count + 1)

    def _was_lit(self, rep: Rep) -> bool:
        """Whether the beam shone at any moment of a repetition, whatever the schedule had meant."""
        first, last = (round(rep.events[name] * self.live.buffer.rate) for name in ("start", "end"))
        return any(self._lit[first:last])

    def _finished(self, taken: np.ndarray) -> None:
        self.go.setText("Start the set")
        self.words.setText("The set has ended.")
        try:
            found = analyse(as_sent(self.live.buffer.rate, taken), SQUAT)
        except TuningError as err:
            self.result.setText(str(err))
            return
        shares = [(r.values[SHARE], self._was_lit(r)) for r in found.reps if SHARE in r.values]
        blind = np.array([share for share, lit in shares if not lit])
        measure = self._state.space.knowledge.measures["squat-fast-share"]
        told = score(blind, measure.band or 5.0, self._state.space.knowledge.plate_errors)
        if told is None:
            self.result.setText(f"{len(shares)} repetitions with the beam. Only repetitions without it are scored.")
            return
        side = "right" if told.mean > 50 else "left"
        self.result.setText(
            f"{told.count} repetitions without the beam: on average {abs(told.mean - 50):.1f} points to the {side} "
            f"(95 % error ±{told.error:.1f}), "
            f"{told.inside} of {told.count} inside {50 - (measure.band or 5):.0f} to {50 + (measure.band or 5):.0f} %."
        )
        weight = None if isinstance(found.weight, NotMeasured) else found.weight.newtons
        with self._state.space.trying():
            self._state.keep_balance(self.stage, [round(float(s), 2) for s in blind], weight)
