"""Dialogs of reasoning: another label with a reason, the summary in plain words, the trail over the visits."""

from __future__ import annotations

from PyQt6.QtWidgets import QComboBox, QDialog, QHBoxLayout, QPlainTextEdit, QTabWidget, QVBoxLayout, QWidget

from tuning.core.errors import TuningError
from tuning.core.reasoning.evidence import ORDER, Label
from tuning.core.reasoning.label_history import LabelChange
from tuning.ui import theme
from tuning.ui.formatting import day
from tuning.ui.patient_forms import FieldsDialog
from tuning.ui.reasoning.state import ReasoningState
from tuning.ui.widgets import button, in_scroll, label

OWN = "as the balance says"


class OverruleDialog(FieldsDialog):
    """Another label for a factor; it is kept with its reason and can be taken back."""

    def __init__(self, parent: QWidget, state: ReasoningState) -> None:
        sheet = state.sheet
        assert sheet is not None
        super().__init__(parent, f"Overrule: {state.name(sheet)}", "Overrule")
        self._state = state
        self.label: QComboBox = self.choice("It is", [OWN, *(one.value for one in ORDER)])
        self.label.setCurrentText(sheet.label.value if sheet.overruled else OWN)
        self.reason = self.line("Reason", "seen again on the second video")
        self.reason.setText(sheet.overruled)

    def check(self) -> None:
        """Keep it. Refusals stand in the dialog, and what was typed stays."""
        chosen = self.label.currentText()
        try:
            self._state.overrule(None if chosen == OWN else Label(chosen), self.reason.text())
        except TuningError as err:
            self.refuse(str(err))


class SummaryDialog(QDialog):
    """Two pages of plain words, editable; the one for the record can be kept as a note."""

    def __init__(self, parent: QWidget, state: ReasoningState) -> None:
        super().__init__(parent)
        self._state = state
        self.setWindowTitle("Summary in plain words")
        self.resize(700, 620)
        self.tabs = QTabWidget()
        for name, text in zip(("For the record", "For the patient"), state.texts(), strict=True):
            page = QPlainTextEdit(text)
            page.setFont(theme.font(theme.BODY))
            page.setAccessibleName(name)
            self.tabs.addTab(page, name)
        self.told = label(role="caution", wrap=True)
        row = QHBoxLayout()
        row.addWidget(self.told, 1)
        row.addWidget(button("Close", self.reject))
        row.addWidget(button("Keep as a note", self.keep, "primary"))
        column = QVBoxLayout(self)
        column.setContentsMargins(20, 16, 20, 16)
        column.addWidget(self.tabs, 1)
        column.addLayout(row)

    def text(self) -> str:
        """What stands on the open page."""
        page = self.tabs.currentWidget()
        return page.toPlainText() if isinstance(page, QPlainTextEdit) else ""

    def keep(self) -> None:
        """Keep the open page; where that fails it stays open."""
        try:
            self._state.keep_summary(self.text())
        except TuningError as err:
            self.told.setText(str(err))
            return
        self.accept()


class TrailDialog(QDialog):
    """Every change of a label, newest first."""

    def __init__(self, parent: QWidget, turns: list[LabelChange]) -> None:
        super().__init__(parent)
        self.setWindowTitle("Trail: what was suspected when")
        self.resize(720, 560)
        inner = QWidget()
        lines = QVBoxLayout(inner)
        lines.setSpacing(8)
        before = ""
        for turn in turns:
            on = day(turn.at)
            if on != before:
                lines.addWidget(label(on, theme.BODY, bold=True))
                before = on
            was = f" (was {turn.before.value})" if turn.before is not None else ""
            because = f": {'; '.join(turn.because)}" if turn.because else ""
            lines.addWidget(label(f"{turn.factor}: {turn.now.value}{was}{because}", wrap=True))
            lines.addWidget(label(turn.name, role="muted"))
        if not turns:
            lines.addWidget(label("Nothing was suspected so far.", role="muted"))
        lines.addStretch(1)
        column = QVBoxLayout(self)
        column.setContentsMargins(20, 16, 20, 16)
        column.addWidget(in_scroll(inner), 1)
        row = QHBoxLayout()
        row.addStretch(1)
        row.addWidget(button("Close", self.accept, "primary"))
        column.addLayout(row)
