"""The knee dial: how far a plan may load knee and kneecap, with the rungs that each notch opens."""

from __future__ import annotations

from functools import cached_property

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QGridLayout, QSlider, QVBoxLayout, QWidget

from tuning.core.programme.joint_load import LoadDial, dial
from tuning.ui import theme
from tuning.ui.programme.state import ProgrammeState
from tuning.ui.widgets import label

ZONES = ("behind the toes", "over mid-foot", "over the toes", "past the toes")
BENDS = ("under 30°", "30 to 59°", "60 to 89°", "from 90°")


class KneeDial(QWidget):
    """Two sliders of four notches; arrows move them."""

    def __init__(self, state: ProgrammeState) -> None:
        super().__init__()
        self._state = state
        self._filling = False
        self.zone, self.kneecap = (
            self._slider("How far the knee may pass the toes"),
            self._slider("How far it may bend"),
        )
        self._zone_words, self._bend_words = label(role="muted"), label(role="muted")
        self.opens = label("", wrap=True)
        grid = QGridLayout()
        grid.setVerticalSpacing(0)
        for n, (name, slider, words) in enumerate(
            (("knee", self.zone, self._zone_words), ("bend", self.kneecap, self._bend_words))
        ):
            grid.addWidget(label(name), 2 * n, 0)
            grid.addWidget(slider, 2 * n, 1)
            grid.addWidget(words, 2 * n + 1, 1)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        column.addWidget(label("Knee dial", theme.BODY, bold=True))
        column.addLayout(grid)
        column.addWidget(self.opens)

    def _slider(self, name: str) -> QSlider:
        made = QSlider(Qt.Orientation.Horizontal)
        made.setRange(0, 3)
        made.setPageStep(1)
        made.setAccessibleName(name)
        made.setTracking(False)
        made.valueChanged.connect(lambda _: self._turned())
        return made

    @cached_property
    def _notches(self) -> LoadDial:
        ladders = self._state._workspace.knowledge.ladders.values()
        return dial(rung for ladder in ladders for rung in ladder.rungs)

    def _turned(self) -> None:
        if not self._filling:
            with self._state._workspace.trying():
                self._state.course.set_caps(self.zone.value(), self.kneecap.value())

    def refresh(self) -> None:
        """Show the caps of the plan."""
        self._filling = True
        zone, kneecap = self._state.course.caps()
        self.zone.setValue(zone)
        self.kneecap.setValue(kneecap)
        self._zone_words.setText(ZONES[zone])
        self._bend_words.setText(f"knee bent {BENDS[kneecap]}")
        inside = {n.rung for n in self._notches.up_to(kneecap, zone)}
        everything = {n.rung for n in self._notches.notches}
        self.opens.setText(f"Opens {len(inside)} of {len(everything)} standing rungs at full range.")
        self._filling = False
