"""Weighing on the live plates, and whether the left plate lies under the left foot."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from PyQt6.QtCore import QObject, pyqtSignal

from tuning.core.errors import DeviceFault, TuningError
from tuning.core.force.recording import Recording
from tuning.core.force.weighing import emptied
from tuning.core.types import LEGS, Floats, NotMeasured, Side
from tuning.core.units import sentence_case
from tuning.devices import map_device_errors
from tuning.devices.plates import ForcePlates
from tuning.ui.force.live import LivePlates
from tuning.ui.force.state import ForceState

STILL, ON_ONE_LEG = "quiet-stance", "stance-one-leg"
"""What a stand-in does while it is weighed, and while the sides are checked."""
WEIGH_S, LIFT_S = 2.2, 4.0
"""Weighing takes so many seconds; the check of the sides looks at the last second and a half of so many."""


class Weigher(QObject):
    """Zero and weigh, check the sides; `said` is a sentence and whether it is a warning."""

    message = pyqtSignal(str, bool)
    crossed = pyqtSignal()
    """The plates are swapped: from now on, or no longer, the program exchanges them."""

    def __init__(
        self,
        state: ForceState,
        live: LivePlates,
        plates_for: Callable[[str, Side], ForcePlates | None],
        stream: Callable[[ForcePlates], None],
    ) -> None:
        super().__init__()
        self._state, self._live, self._plates_for, self._stream = state, live, plates_for, stream
        self._ends: tuple[float, float, Callable[[Floats], None]] | None = None
        """Seconds after which it ends, seconds that are looked at, and what tells them; None while nothing runs."""
        live.came.connect(self._came)

    def forget(self) -> None:
        """Whatever runs is given up."""
        self._ends = None

    def weigh(self) -> None:
        """Zero the empty plates, then weigh two still seconds."""
        plates = None if self._live.running else self._plates_for(STILL, Side.NONE)
        if plates is None:
            return
        try:
            with map_device_errors("pair of plates"):
                plates.zero()
        except DeviceFault as err:
            self.message.emit(f"{err}.", True)
            return
        self._start(plates, "Stand still …", (WEIGH_S, 2.0, self._tell_weight))

    def lift_left(self) -> None:
        """Is the left plate under the left foot? The patient lifts it, and the plates tell."""
        plates = None if self._live.running else self._plates_for(ON_ONE_LEG, Side.RIGHT)
        if plates is not None:
            self._start(plates, "Lift the left foot …", (LIFT_S, 1.5, self._tell_sides))

    def _start(self, plates: ForcePlates, words: str, ends: tuple[float, float, Callable[[Floats], None]]) -> None:
        self._ends = ends
        self.message.emit(words, False)
        self._stream(plates)

    def _came(self) -> None:
        """It ends once there are enough samples; only whole ones are looked at, and the plates are let go."""
        buffer = self._live.buffer
        if self._ends is None or buffer.count / buffer.rate < self._ends[0]:
            return
        _, newest, tell = self._ends
        self._ends = None
        samples = buffer.last(newest)
        self._live.stop()
        try:
            tell(samples[np.isfinite(samples).all(axis=1)])
        except TuningError as err:
            self.message.emit(str(err), True)

    def _tell_weight(self, samples: Floats) -> None:
        found = self._state.weigh(samples, self._live.buffer.rate)
        if isinstance(found, NotMeasured):
            self.message.emit(f"{sentence_case(found.detail)}. Stand still and weigh again.", True)
        else:
            self.message.emit(f"Weighed: {found.newtons:.0f} N, {found.mass_kg:.1f} kg, SD {found.sd:.1f} N.", False)

    def _tell_sides(self, samples: Floats) -> None:
        found = emptied(Recording(self._live.buffer.rate, {leg: samples[:, n] for n, leg in enumerate(LEGS)}))
        if isinstance(found, NotMeasured):
            self.message.emit(f"{sentence_case(found.detail)}. Lift the left foot and check again.", True)
        elif found is Side.LEFT:
            self.message.emit("The left plate emptied: the sides are right.", False)
        else:
            self.crossed.emit()
            self.message.emit(
                "The right plate emptied: the plates are swapped. From now on the program exchanges them.", True
            )
