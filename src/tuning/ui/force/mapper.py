"""Which column is what, with the first rows in sight; remembered for files of the same shape."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

from PyQt6.QtWidgets import (
    QComboBox,
    QDialog,
    QHBoxLayout,
    QLineEdit,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from tuning.core.errors import BadInput
from tuning.core.units import FORCE_UNITS, parse_number
from tuning.exchange.plates import Mapping, Preview, read_table
from tuning.ui import theme
from tuning.ui.widgets import button, label

NONE = "—"


class MapperDialog(QDialog):
    """Every choice is tried at once; the sentence below says what would be read."""

    def __init__(self, parent: QWidget | None, path: Path, found: Preview, mapping: Mapping) -> None:
        super().__init__(parent)
        self.setWindowTitle(f"Columns of {path.name}")
        self.resize(860, 520)
        self._path, self.mapping = path, mapping
        self.table = QTableWidget()
        self.table.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        self.table.setFont(theme.font())
        self.table.setAccessibleName("First rows of the file")
        width = max(len(row) for row in found.rows)
        self.table.setColumnCount(width)
        self.table.setRowCount(len(found.rows))
        self.table.setHorizontalHeaderLabels([f"{n + 1}" for n in range(width)])
        for r, row in enumerate(found.rows):
            for c, cell in enumerate(row):
                self.table.setItem(r, c, QTableWidgetItem(cell.strip()))
        self.boxes: dict[str, QComboBox] = {}
        choices = QHBoxLayout()
        choices.setSpacing(12)
        for key, words in (("time", "Time"), ("left", "Left plate"), ("right", "Right plate")):
            box = QComboBox()
            box.addItem(NONE, None)
            for n in range(width):
                box.addItem(f"column {n + 1}", n)
            box.setCurrentIndex(box.findData(getattr(mapping, key)))
            self._add(choices, key, words, box)
        for key, words, options in (("unit", "Unit", list(FORCE_UNITS)), ("time_unit", "Time in", ["s", "ms"])):
            box = QComboBox()
            for option in options:
                box.addItem(option, option)
            box.setCurrentText(getattr(mapping, key))
            self._add(choices, key, words, box)
        self.rate = QLineEdit(f"{mapping.rate:g}" if mapping.rate else "")
        self.rate.setPlaceholderText("1000")
        self.rate.setAccessibleName("Samples a second, where there is no time column")
        self.rate.textChanged.connect(lambda _: self.try_out())
        part = QVBoxLayout()
        part.addWidget(label("Samples/s", role="muted"))
        part.addWidget(self.rate)
        choices.addLayout(part)
        self.told = label("", theme.BODY, wrap=True)
        self.use = button("Read the file", self.accept, "primary")
        column = QVBoxLayout(self)
        column.setContentsMargins(20, 16, 20, 16)
        column.setSpacing(12)
        column.addLayout(choices)
        column.addWidget(self.table, 1)
        column.addWidget(self.told)
        column.addWidget(self.use)
        self.try_out()

    def _add(self, row: QHBoxLayout, key: str, words: str, box: QComboBox) -> None:
        box.setAccessibleName(words)
        box.activated.connect(lambda _: self.try_out())
        self.boxes[key] = box
        part = QVBoxLayout()
        part.addWidget(label(words, role="muted"))
        part.addWidget(box)
        row.addLayout(part)

    def try_out(self) -> None:
        """Read with the choices as they are, and say what came of it."""
        said = {key: box.currentData() for key, box in self.boxes.items()}
        text = self.rate.text().strip()
        try:
            rate = parse_number(text, "/s", {"/s": 1.0}, "sample rate") if text else None
            self.mapping = replace(self.mapping, rate=rate, **said)
            found = read_table(self._path, self.mapping)
        except BadInput as err:
            self.told.setText(str(err))
            self.use.setEnabled(False)
            return
        legs = ", ".join(f"{leg.value} up to {found.force[leg].max():.0f} N" for leg in found.legs)
        notes = f" {' '.join(found.notes)}" if found.notes else ""
        self.told.setText(f"{found.size / found.rate:.1f} s at {found.rate:g} samples a second; {legs}.{notes}")
        self.use.setEnabled(True)
