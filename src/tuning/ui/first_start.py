"""The first page of a new record: who works here, the clinic, its manner, and where everything lies."""

from __future__ import annotations

from typing import Any

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QFileDialog,
    QGridLayout,
    QHBoxLayout,
    QPlainTextEdit,
    QVBoxLayout,
    QWidget,
)

from tuning.core.errors import BadInput
from tuning.core.preferences import (
    BACKUP_FOLDER,
    BY_KEY,
    CLINIC_NAME,
    DAYS,
    DECIMALS,
    LENGTH_UNIT,
    LETTERHEAD,
    MASS_UNIT,
    MONTH_FIRST,
    PAPER,
    TELEPHONE,
    Type,
)
from tuning.core.types import Role
from tuning.records import Record
from tuning.records.store import OWN
from tuning.ui import theme
from tuning.ui.widgets import TextField, button, in_scroll, label, separator
from tuning.ui.workspace import Workspace

CLINIC = (CLINIC_NAME, TELEPHONE, LETTERHEAD)
MANNER = (PAPER, DAYS, DECIMALS, MONTH_FIRST, MASS_UNIT, LENGTH_UNIT)
SECURING = "Ask for a passphrase next, and show the recovery code"
LATER = (
    "Two minutes. Clinic, manner and backups can be changed later in Preferences (Ctrl+,); who else works here is "
    "added under Who is working (Ctrl+U)."
)


def is_new(record: Record) -> bool:
    """Whether this is somebody's own record in which nobody works yet."""
    return record.kind == OWN and not record.read_only and not record.people()


class FirstStart(QWidget):
    """One page; it begins once somebody has a name, as every entry carries one."""

    begun = pyqtSignal(bool)
    """Everything is kept; whether a passphrase is wanted now."""

    def __init__(self, space: Workspace) -> None:
        super().__init__()
        self._space = space
        self.fields: dict[str, QWidget] = {}
        self.name, self.role = TextField(), QComboBox()
        self.name.setPlaceholderText("as it stands under letters")
        self.role.addItems([role.value for role in Role])
        self.secured = QCheckBox(SECURING)
        self.secured.setFont(theme.font(theme.BODY))
        self.wrong = label("", theme.BODY, role="caution", wrap=True)
        self._build()

    def _build(self) -> None:
        left, right = QGridLayout(), QGridLayout()
        self._head(left, "Who works here")
        self._add(left, "Your name", self.name)
        self._add(left, "You work as", self.role)
        self._head(left, "Clinic, as on letters and sheets")
        for key in CLINIC:
            self._preference(left, key)
        self._head(right, "Manner")
        for key in MANNER:
            self._preference(right, key)
        self._head(right, "Where it lies")
        place = label(str(self._space.record.folder), theme.BODY, wrap=True)
        place.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self._add(right, "Record, on this machine alone", place)
        self._preference(right, BACKUP_FOLDER)
        self._add(right, "Protection", self.secured)
        body = QHBoxLayout()
        body.setSpacing(56)
        body.setContentsMargins(0, 0, 0, 0)
        for grid in (left, right):
            grid.setHorizontalSpacing(16)
            grid.setVerticalSpacing(8)
            grid.setColumnStretch(1, 1)
            half = QVBoxLayout()
            half.addLayout(grid)
            half.addStretch(1)
            body.addLayout(half, 1)
        inner = QWidget()
        inner.setLayout(body)
        foot = QHBoxLayout()
        foot.addWidget(label("To look around first: ./run opens five made-up people.", role="muted"), 1)
        foot.addWidget(self.wrong)
        foot.addWidget(button("Begin", self.begin, "primary", "Then the first person: Ctrl+N"))
        column = QVBoxLayout(self)
        column.setContentsMargins(40, 20, 40, 16)
        column.setSpacing(12)
        column.addWidget(label("A new record", theme.TITLE))
        column.addWidget(label(LATER, theme.BODY, role="muted", wrap=True))
        column.addWidget(in_scroll(inner), 1)
        column.addWidget(separator())
        column.addLayout(foot)

    @staticmethod
    def _head(grid: QGridLayout, text: str) -> None:
        head = label(text, theme.LARGE, bold=True)
        head.setContentsMargins(0, 12 if grid.rowCount() > 1 else 0, 0, 2)
        grid.addWidget(head, grid.rowCount(), 0, 1, 2)

    @staticmethod
    def _add(grid: QGridLayout, name: str, field: QWidget) -> None:
        row = grid.rowCount()
        words = label(name, theme.BODY, wrap=True)
        words.setFixedWidth(190)
        if not field.accessibleName():
            field.setAccessibleName(name)
        grid.addWidget(words, row, 0)
        grid.addWidget(field, row, 1)

    def _preference(self, grid: QGridLayout, key: str) -> None:
        one, now = BY_KEY[key], self._space.prefer(key)
        field: QWidget
        if one.type is Type.CHOICE:
            field = choice = QComboBox()
            for value, words in one.options.items():
                choice.addItem(words, value)
            choice.setCurrentIndex(choice.findData(now))
        elif one.type is Type.SWITCH:
            field = switch = QCheckBox("yes")
            switch.setFont(theme.font(theme.BODY))
            switch.setChecked(now)
        elif key == LETTERHEAD:
            field = text = QPlainTextEdit(now)
            text.setTabChangesFocus(True)
            text.setFixedHeight(76)
        else:
            field = line = TextField()
            line.setText(now)
        self.fields[key] = field
        field.setToolTip(one.help)
        field.setAccessibleName(one.name)
        if key == BACKUP_FOLDER:
            row = QHBoxLayout()
            row.setContentsMargins(0, 0, 0, 0)
            row.addWidget(field, 1)
            row.addWidget(button("Choose…", self._choose_folder, tip=one.help))
            around = QWidget()
            around.setLayout(row)
            field = around
        self._add(grid, one.name, field)

    def _choose_folder(self) -> None:
        found = QFileDialog.getExistingDirectory(self, "Folder for backups")
        line = self.fields[BACKUP_FOLDER]
        if found and isinstance(line, TextField):
            line.setText(found)

    def values(self) -> dict[str, Any]:
        """What was chosen, where it is another than before. Raises BadInput."""
        found = dict[str, Any]()
        for key, field in self.fields.items():
            if isinstance(field, QComboBox):
                value: Any = field.currentData()
            elif isinstance(field, QCheckBox):
                value = field.isChecked()
            else:
                value = field.toPlainText() if isinstance(field, QPlainTextEdit) else field.text()  # type: ignore[attr-defined]
                value = value.strip()
            if BY_KEY[key].checked(value) != self._space.prefer(key):
                found[key] = value
        return found

    def begin(self) -> None:
        """Keep it all; nothing is kept while something is wrong."""
        name, space = self.name.text().strip(), self._space
        try:
            if not name:
                raise BadInput("Your name is needed: every entry carries it")
            changes = self.values()
        except BadInput as err:
            self.wrong.setText(f"{str(err).rstrip('.')}.")
            self.name.setFocus()
            return
        with space.trying():
            if space.person is None:  # tried before, and the disk was full in between
                space.choose_person(space.record.add_person(name, self.role.currentText()))
            space.set_preferences(changes, "first start")
            self.begun.emit(self.secured.isChecked())

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Enter in a line begins."""
        if event is not None and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.begin()
            return
        super().keyPressEvent(event)
