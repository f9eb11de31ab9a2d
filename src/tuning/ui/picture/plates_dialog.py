"""Which plates ran with the open clip, so that the load share stands on the measured centre of pressure."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtWidgets import QComboBox, QDialog, QFileDialog, QHBoxLayout, QVBoxLayout, QWidget

from tuning.core.errors import BadInput, TuningError
from tuning.core.units import parse_number
from tuning.ui import theme
from tuning.ui.formatting import clock
from tuning.ui.picture.tracking_state import TrackingState
from tuning.ui.widgets import TextField, button, label, set_role

ABOUT = (
    "The hip share is then worked out at the measured centre of pressure, beside the one at mid-foot. "
    "Clip and plates find each other by the movement: both should see the stand before the first squat "
    "and after the last one."
)
HEELS_MM = 1000.0
"""Heels stand no further than this from the plates' origin."""


class GroundDialog(QDialog):
    """Choose a recording of the visit or open a file; say where the heels stood."""

    def __init__(self, parent: QWidget | None, following: TrackingState) -> None:
        super().__init__(parent)
        self.setWindowTitle("Plates that ran with this clip")
        self.resize(620, 260)
        self._following = following
        self.choice = QComboBox()
        self.choice.setAccessibleName("Recording of the plates")
        self.heels = TextField()
        self.heels.setAccessibleName("Heels ahead of the plates' origin, mm")
        self.heels.setMaximumWidth(90)
        self.heels.returnPressed.connect(self.keep)
        self.told = label("", role="caution", wrap=True)
        chosen = following.ground
        self.heels.setText(f"{chosen.heel_mm:g}" if chosen is not None else "0")
        self._fill(chosen.capture if chosen is not None else "")
        self._build()

    def _build(self) -> None:
        first, second, last = QHBoxLayout(), QHBoxLayout(), QHBoxLayout()
        for row in (first, second, last):
            row.setSpacing(8)
        first.addWidget(self.choice, 1)
        first.addWidget(button("Open file…", self.ask_file, tip="CSV or C3D with centres of pressure"))
        second.addWidget(label("Heels stand", theme.BODY))
        second.addWidget(self.heels)
        second.addWidget(label("mm ahead of the plates' origin", theme.BODY))
        second.addStretch(1)
        last.addStretch(1)
        last.addWidget(button("Cancel", self.reject))
        self.use = button("Use", self.keep, "primary")
        last.addWidget(self.use)
        column = QVBoxLayout(self)
        column.setContentsMargins(20, 16, 20, 16)
        column.setSpacing(12)
        column.addWidget(label(ABOUT, theme.BODY, wrap=True))
        column.addLayout(first)
        column.addLayout(second)
        column.addWidget(self.told)
        column.addStretch(1)
        column.addLayout(last)

    def _fill(self, chosen: str) -> None:
        self.choice.clear()
        self.choice.addItem("no plates: mid-foot", "")
        for capture in self._following.recordings.of_visit():
            self.choice.addItem(f"{capture.medium.name}, {clock(capture.at)}", capture.uid)
        self.choice.setCurrentIndex(max(0, self.choice.findData(chosen)))

    def ask_file(self) -> None:
        """Let the user choose a file."""
        found, _ = QFileDialog.getOpenFileName(self, "Plates", "", "Plate files (*.csv *.txt *.tsv *.c3d)")
        if found:
            self.open_file(Path(found))

    def open_file(self, path: Path) -> None:
        """Keep a file in the record and choose it."""
        try:
            self._fill(self._following.recordings.add(path).uid)
            self._say(f"{path.name} is saved in the record.")
        except TuningError as err:
            self._say(str(err), wrong=True)

    def keep(self) -> None:
        """Measure again with what is chosen."""
        try:
            heels = parse_number(self.heels.text(), "mm", {"mm": 1.0, "cm": 10.0}, "place of the heels")
            if abs(heels) > HEELS_MM:
                raise BadInput(f"The heels cannot stand {heels:g} mm from the plates' origin.")
            self._following.stand_on(self.choice.currentData(), heels)
        except TuningError as err:
            self._say(str(err), wrong=True)
            return
        self.accept()

    def _say(self, text: str, wrong: bool = False) -> None:
        self.told.setText(text)
        set_role(self.told, role="caution" if wrong else "muted")
