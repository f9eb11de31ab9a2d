"""Which column is what, with the first rows in sight; remembered for files of the same shape."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

from PyQt6.QtWidgets import (
    QComboBox,
    QDialog,
    QHBoxLayout,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from tuning.core.errors import BadInput
from tuning.core.units import PLATE_UNITS, parse_number
from tuning.exchange.csv.detect_columns import Preview
from tuning.exchange.csv.mapping import CLOCKS, POINT_UNITS, Mapping
from tuning.exchange.csv.plates import read_table
from tuning.ui import theme
from tuning.ui.widgets import TextField, button, label

NONE = "—"


def _column_box(width: int, chosen: int | None) -> QComboBox:
    box = QComboBox()
    box.addItem(NONE, None)
    for n in range(width):
        box.addItem(f"column {n + 1}", n)
    box.setCurrentIndex(box.findData(chosen) if chosen is not None else 0)
    return box


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
            self._add(choices, key, words, _column_box(width, getattr(mapping, key)))
        for key, words, options in (
            ("unit", "Unit", {unit: unit for unit in PLATE_UNITS}),
            ("time_unit", "Time in", CLOCKS),
        ):
            box = QComboBox()
            for option, said in options.items():
                box.addItem(said, option)
            box.setCurrentIndex(box.findData(getattr(mapping, key)))
            self._add(choices, key, words, box)
        self.rate = TextField(f"{mapping.rate:g}" if mapping.rate else "")
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
        column.addLayout(self._build_points(width, mapping))
        for text in filter(None, (found.doubt, *found.notes)):
            column.addWidget(label(text, role="caution", wrap=True))
        column.addWidget(self.table, 1)
        column.addWidget(self.told)
        column.addWidget(self.use)
        self.try_out()

    def _build_points(self, width: int, mapping: Mapping) -> QHBoxLayout:
        """Where the file tells the centre of pressure; all four columns may be missing."""
        row = QHBoxLayout()
        row.setSpacing(12)
        self._points: dict[str, list[QComboBox]] = {}
        for key, leg in (("left_point", "Left"), ("right_point", "Right")):
            known = getattr(mapping, key) or (None, None)
            self._points[key] = [_column_box(width, column) for column in known]
            for box, way in zip(self._points[key], ("across", "ahead"), strict=True):
                self._place(row, f"{leg} point, {way}", box)
        unit = QComboBox()
        unit.addItems(list(POINT_UNITS))
        unit.setCurrentText(mapping.point_unit)
        self._point_unit = unit
        self._place(row, "Points in", unit)
        row.addStretch(1)
        return row

    def _add(self, row: QHBoxLayout, key: str, words: str, box: QComboBox) -> None:
        self.boxes[key] = box
        self._place(row, words, box)

    def _place(self, row: QHBoxLayout, words: str, box: QComboBox) -> None:
        box.setAccessibleName(words)
        box.activated.connect(lambda _: self.try_out())
        part = QVBoxLayout()
        part.addWidget(label(words, role="muted"))
        part.addWidget(box)
        row.addLayout(part)

    def try_out(self) -> None:
        """Read with the choices as they are, and say what came of it."""
        said = {key: box.currentData() for key, box in self.boxes.items()}
        for key, pair in self._points.items():
            columns = [box.currentData() for box in pair]
            said[key] = None if None in columns else tuple(columns)
        said["point_unit"] = self._point_unit.currentText()
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
        if found.point:
            legs += f"; centre of pressure {' and '.join(leg.value for leg in found.point)}"
        notes = f" {' '.join(found.notes)}" if found.notes else ""
        self.told.setText(f"{found.size / found.rate:.1f} s at {found.rate:g} samples a second; {legs}.{notes}")
        self.use.setEnabled(True)
