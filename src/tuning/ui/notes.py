"""Notes at any stage, and the log of what was done between two measurements."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeySequence, QShortcut
from PyQt6.QtWidgets import QComboBox, QDialog, QHBoxLayout, QPlainTextEdit, QScrollArea, QVBoxLayout, QWidget

from tuning.core.entries import Note, Treatment
from tuning.core.errors import TuningError
from tuning.core.visit.notes import make_note, make_treatment, treatment_text
from tuning.ui import theme
from tuning.ui.formatting import clock, day
from tuning.ui.widgets import TextField, button, clear_layout, label, separator, set_role
from tuning.ui.workspace import Workspace


class NotesDialog(QDialog):
    """Write a note or a treatment; everything written before stands below, newest first."""

    def __init__(self, parent: QWidget, workspace: Workspace, stage: str, stages: dict[str, str]) -> None:
        super().__init__(parent)
        self._space, self._stages = workspace, stages
        self.setWindowTitle("Notes and treatments")
        self.resize(620, 560)
        self.about = QComboBox()
        self.about.setAccessibleName("Stage that the note is about")
        for key, name in stages.items():
            self.about.addItem(name, key)
        self.about.setCurrentIndex(max(0, self.about.findData(stage)))
        self.text = QPlainTextEdit()
        self.text.setPlaceholderText("Note, in your own words")
        self.text.setAccessibleName("Note")
        self.text.setTabChangesFocus(True)
        self.text.setFixedHeight(84)
        self.what, self.minutes, self.by = TextField(), TextField(), TextField()
        for line, hint, width in (
            (self.what, "What was done, such as calf released", 0),
            (self.minutes, "minutes", 90),
            (self.by, "by whom", 130),
        ):
            line.setPlaceholderText(hint)
            line.setAccessibleName(hint)
            line.returnPressed.connect(self.keep_treatment)
            if width:
                line.setFixedWidth(width)
        self.wrong = label("", role="caution", wrap=True)
        self._list = QVBoxLayout()
        self._list.setSpacing(4)
        self._build()
        QShortcut(QKeySequence("Ctrl+Return"), self, self.keep_note)
        self.refresh()
        self.text.setFocus()

    def _build(self) -> None:
        note = QHBoxLayout()
        note.setSpacing(8)
        note.addWidget(label("About", role="muted"))
        note.addWidget(self.about)
        note.addStretch(1)
        note.addWidget(button("Keep the note", self.keep_note, "primary", "Ctrl+Return"))
        done = QHBoxLayout()
        done.setSpacing(8)
        for part in (self.what, self.minutes, self.by):
            done.addWidget(part)
        done.addWidget(button("Keep", self.keep_treatment))
        inner = QWidget()
        inner.setLayout(self._list)
        area = QScrollArea()
        area.setWidget(inner)
        area.setWidgetResizable(True)
        column = QVBoxLayout(self)
        column.setContentsMargins(24, 20, 24, 16)
        column.setSpacing(8)
        column.addWidget(label("Note", theme.LARGE, bold=True))
        column.addWidget(self.text)
        column.addLayout(note)
        column.addWidget(label("Done between two measurements", theme.LARGE, bold=True))
        column.addLayout(done)
        column.addWidget(self.wrong)
        column.addWidget(area, 1)

    def keep_note(self) -> None:
        """Keep what was written, or say why not."""
        if self._keep("note", lambda: make_note(self.about.currentData(), self.text.toPlainText())):
            self.text.clear()

    def keep_treatment(self) -> None:
        """Keep what was done, or say why not."""
        made = lambda: make_treatment(self.what.text(), self.minutes.text(), self.by.text())  # noqa: E731
        if self._keep("treatment", made):
            self.what.clear()
            self.minutes.clear()
            self.what.setFocus()

    def _keep(self, name: str, make: Callable[[], Note | Treatment]) -> bool:
        try:
            entry = make()
            with self._space.action(name) as act:
                act.add(entry)
        except TuningError as err:
            self.wrong.setText(str(err))
            return False
        self.wrong.setText("")
        self.refresh()
        return True

    def lines(self) -> list[str]:
        """What stands, newest first, with day, author and stage."""
        case = self._space.case
        if case is None:
            return []
        return [self._line(entry) for entry in reversed(case.entries) if isinstance(entry, Note | Treatment)]

    def _line(self, entry: Note | Treatment) -> str:
        when = f"{day(entry.at)} {clock(entry.at)}"
        if isinstance(entry, Treatment):
            return f"{when} · done: {treatment_text(entry)}"
        return f"{when} · {self._stages.get(entry.stage, entry.stage)} · {entry.who}\n{entry.text}"

    def refresh(self) -> None:
        """The list anew."""
        clear_layout(self._list)
        lines = self.lines()
        for text in lines:
            self._list.addWidget(separator())
            row = label(text, theme.BODY, wrap=True)
            row.setTextFormat(Qt.TextFormat.PlainText)
            self._list.addWidget(row)
        if not lines:
            none = label("Nothing written yet.", role="muted")
            self._list.addWidget(none)
        self._list.addStretch(1)
        set_role(self.wrong, role="caution")
