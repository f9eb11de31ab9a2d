"""Fields and lists of a form from the knowledge files, kept as soon as they are left."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import date
from typing import Any

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QComboBox, QGridLayout, QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from tuning.core.dates import day_words
from tuning.core.errors import BadInput
from tuning.core.intake.forms import Field, FieldKind, FormDefinition, RowsField, read_field
from tuning.ui import theme
from tuning.ui.widgets import TextField, button, clear_layout, label, set_role


def shown(value: Any) -> str:
    """A kept value as it is typed."""
    if value is None:
        return ""
    return f"{value:g}" if isinstance(value, float | int) else str(value)


class FieldEdit(QWidget):
    """One field with its refusal beside it; what was typed stays until it is mended."""

    changed = pyqtSignal()

    def __init__(self, field: Field, headed: bool = True) -> None:
        super().__init__()
        self.field = field
        self.value: str | float | None = None
        self.refusal = label(role="caution", wrap=True)
        self.refusal.hide()
        self.reading = label(wrap=True)
        self.reading.hide()
        self.edit: QLineEdit | QComboBox
        if field.kind is FieldKind.CHOICE:
            box = QComboBox()
            box.addItems(list(field.options))
            box.activated.connect(lambda _: self._take(box.currentText()))
            self.edit = box
        else:
            line = TextField()
            line.setPlaceholderText(field.hint or field.unit)
            line.editingFinished.connect(lambda: self._take(line.text()))
            self.edit = line
        name = f"{field.label}, {field.unit}" if field.unit else field.label
        self.edit.setAccessibleName(name)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(2)
        self.edit.setMinimumWidth(60)
        if headed:
            column.addWidget(label(name, role="muted"))
        column.addWidget(self.edit)
        column.addWidget(self.refusal)
        column.addWidget(self.reading)

    def show_value(self, value: Any) -> None:
        """Show what the record holds."""
        self.value = value
        if isinstance(self.edit, QComboBox):
            self.edit.setCurrentText(shown(value) or self.field.default)
        else:
            self.edit.setText(shown(value))
        self._refuse("")
        self._read_back()

    def _take(self, text: str) -> None:
        try:
            value = read_field(self.field, text)
        except BadInput as err:
            self._refuse(str(err))
            return
        self._refuse("")
        self._read_back()
        if value != self.value and not (value == self.field.default and self.value is None):
            self.value = value
            self.changed.emit()

    def _read_back(self) -> None:
        """From when a told day is counted, or that it was not understood."""
        if self.field.kind is FieldKind.DAY and isinstance(self.edit, QLineEdit):
            understood, words = day_words(self.edit.text(), date.today())
            self.reading.setText(words)
            self.reading.setVisible(bool(words))
            set_role(self.reading, role="muted" if understood else "caution")

    def _refuse(self, sentence: str) -> None:
        self.refusal.setText(sentence)
        self.refusal.setVisible(bool(sentence))


NARROW, WIDE, ARROW = 12, 26, 7
"""Letters of room in a line, at least and at most, and what a choice needs beside its words."""


def _room(field: Field) -> int:
    """A choice needs room for its longest words, and for the arrow."""
    longest = max((len(one) for one in field.options), default=0)
    return min(max(longest + ARROW if longest else 0, NARROW), WIDE)


class RowsEdit(QWidget):
    """A list: one line a row, a button for the next."""

    changed = pyqtSignal()

    def __init__(self, field: RowsField) -> None:
        super().__init__()
        self.field = field
        self.rows: list[list[FieldEdit]] = []
        self._lines = QVBoxLayout()
        self._lines.setSpacing(4)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        head = QHBoxLayout()
        head.addWidget(label(field.label, theme.BODY, bold=True, wrap=True), 1)
        head.addWidget(button("Add a line", self.add, "link"))
        column.addLayout(head)
        column.addLayout(self._lines)

    def add(self, values: dict[str, Any] | None = None) -> None:
        """One more line."""
        edits = [FieldEdit(column, headed=not self.rows) for column in self.field.columns]
        line = QHBoxLayout()
        line.setSpacing(8)
        for edit in edits:
            edit.show_value((values or {}).get(edit.field.id))
            edit.changed.connect(self.changed)
            line.addWidget(edit, _room(edit.field), Qt.AlignmentFlag.AlignTop)
        self.rows.append(edits)
        self._lines.addLayout(line)
        if values is None:
            edits[0].edit.setFocus()

    def show_values(self, rows: Sequence[dict[str, Any]]) -> None:
        """Show what the record holds."""
        clear_layout(self._lines)
        self.rows.clear()
        for row in rows:
            self.add(row)

    def values(self) -> list[dict[str, Any]]:
        """Lines in which anything was typed; choices left alone count as their first word."""
        kept = []
        for edits in self.rows:
            row = {e.field.id: e.value if e.value is not None else e.field.default or None for e in edits}
            if any(e.value is not None for e in edits):
                kept.append(row)
        return kept


class FormEdit(QWidget):
    """Fields in columns, lists below; `changed` once anything acceptable was entered."""

    changed = pyqtSignal()

    def __init__(self, form: FormDefinition, columns: int = 3) -> None:
        super().__init__()
        self.fields = {field.id: FieldEdit(field) for field in form.fields}
        self.lists = {rows.id: RowsEdit(rows) for rows in form.lists}
        grid = QGridLayout()
        grid.setHorizontalSpacing(16)
        grid.setVerticalSpacing(8)
        for n, edit in enumerate(self.fields.values()):
            grid.addWidget(edit, n // columns, n % columns)
            grid.setColumnStretch(n % columns, 1)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(12)
        column.addLayout(grid)
        for rows in self.lists.values():
            column.addWidget(rows)
        parts: list[FieldEdit | RowsEdit] = [*self.fields.values(), *self.lists.values()]
        for part in parts:
            part.changed.connect(self.changed)

    def show_data(self, data: Mapping[str, Any]) -> None:
        """Show what the record holds."""
        for key, edit in self.fields.items():
            edit.show_value(data.get(key))
        for key, rows in self.lists.items():
            rows.show_values(data.get(key, []))

    def data(self) -> dict[str, Any]:
        """What was entered, ready for the record."""
        found: dict[str, Any] = {key: e.value for key, e in self.fields.items() if e.value is not None}
        found.update({key: rows.values() for key, rows in self.lists.items() if rows.values()})
        return found
