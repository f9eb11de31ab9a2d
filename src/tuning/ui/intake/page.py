"""The Intake workbench, first part: the safety screen that stands before any loading."""

from __future__ import annotations

from datetime import date
from functools import partial

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QDateEdit, QHBoxLayout, QLineEdit, QPushButton, QVBoxLayout, QWidget

from tuning.core.programme import Triage
from tuning.records import SafetyScreen
from tuning.ui import theme
from tuning.ui.widgets import button, label, rule, set_role
from tuning.ui.workspace import Workspace

EFFECT = {
    Triage.NONE: "Nothing of the lists above. Testing and loading are open.",
    Triage.AMBER: "Maximal tests and loaded rungs need a licensed clinician and a reason, kept in the record.",
    Triage.RED: "Refer. Testing and loading are locked; only a recorded clearance lifts the lock.",
}


class IntakePage(QWidget):
    """Three answers; the newest one counts."""

    refused = pyqtSignal(str)

    def __init__(self, workspace: Workspace) -> None:
        super().__init__()
        self._workspace = workspace
        self.level: Triage | None = None
        self.choices: dict[Triage, QPushButton] = {}
        self._build()
        workspace.content_changed.connect(self.refresh)
        workspace.case_changed.connect(self._forget)

    def _build(self) -> None:
        column = QVBoxLayout(self)
        column.setContentsMargins(24, 8, 24, 12)
        column.setSpacing(8)
        column.addWidget(label("Safety screen", theme.TITLE))
        self.complaint = label("", theme.BODY, wrap=True)
        column.addWidget(self.complaint)
        column.addWidget(label("Ask before any loading. This is not a diagnosis.", role="muted"))
        texts = self._workspace.knowledge.cautions
        for level, lines in (
            (Triage.RED, texts.red),
            (Triage.AMBER, texts.amber),
            (Triage.NONE, ("None of these.",)),
        ):
            column.addWidget(rule())
            row = QHBoxLayout()
            row.setSpacing(24)
            made = button(level.value, partial(self.choose, level))
            made.setFixedSize(104, 40)
            self.choices[level] = made
            row.addWidget(made)
            words = QVBoxLayout()
            words.setSpacing(2)
            for line in lines:
                words.addWidget(label(line, theme.BODY, wrap=True))
            words.addWidget(label(EFFECT[level], role="muted", wrap=True))
            row.addLayout(words, 1)
            column.addLayout(row)
        column.addWidget(rule())
        self.note = QLineEdit()
        self.note.setPlaceholderText("What was said, or the surgeon's limit, for example: surgeon, no jumps")
        self.note.setAccessibleName("Note to the safety screen")
        self.save = button("Record the screen", self.record, "primary")
        bottom = QHBoxLayout()
        bottom.setSpacing(16)
        bottom.addWidget(self.note, 1)
        bottom.addWidget(self.save)
        column.addLayout(bottom)
        column.addWidget(self._clearance())
        self.standing = label("", theme.BODY, wrap=True)
        column.addWidget(self.standing)
        column.addStretch(1)
        promise = "Body map, history, habits, shoe wear and goals will be asked here as well."
        column.addWidget(label(promise, role="muted"))

    def _clearance(self) -> QWidget:
        self.clearance = QWidget()
        self.cleared_by, self.cleared_on, self.result = QLineEdit(), QDateEdit(), QLineEdit()
        self.cleared_by.setPlaceholderText("Cleared by (name)")
        self.result.setPlaceholderText("With what result")
        self.cleared_on.setDate(date.today())
        self.cleared_on.setDisplayFormat("d MMM yyyy")
        for part, name in ((self.cleared_by, "Cleared by"), (self.cleared_on, "Cleared on"), (self.result, "Result")):
            part.setAccessibleName(name)
        row = QHBoxLayout(self.clearance)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(8)
        row.addWidget(self.cleared_by, 1)
        row.addWidget(self.cleared_on)
        row.addWidget(self.result, 2)
        row.addWidget(button("Record clearance", self.clear))
        return self.clearance

    def enter(self) -> None:
        """The stage is shown."""
        self.refresh()
        self.setFocus()

    def _forget(self) -> None:
        self.level = None
        self.note.clear()

    def choose(self, level: Triage) -> None:
        """Answer, not yet recorded."""
        self.level = level
        self.refresh()

    def record(self) -> None:
        """Keep the answer."""
        if self.level is None:
            self.refused.emit("Choose RED, AMBER or NONE first.")
            return
        self._keep(SafetyScreen(level=self.level.value, note=self.note.text().strip()))
        self.note.clear()

    def clear(self) -> None:
        """Keep who cleared a RED or AMBER, when and with what result."""
        level, _ = self._workspace.triage()
        who, result = self.cleared_by.text().strip(), self.result.text().strip()
        if level is None or not who or not result:
            self.refused.emit("A clearance needs a name and a result.")
            return
        when = self.cleared_on.date().toPyDate()
        screen = self._workspace.screen()
        note = screen.note if screen is not None else ""
        self._keep(SafetyScreen(level=level.value, note=note, cleared_by=who, cleared_on=when, cleared_result=result))
        self.cleared_by.clear()
        self.result.clear()

    def _keep(self, screen: SafetyScreen) -> None:
        self.level = None
        self._workspace.do(f"safety screen {screen.level}", [self._workspace.stamp(screen)])

    def refresh(self) -> None:
        """Follow the state; a hidden page waits until it is entered."""
        if not self.isVisible():
            return
        patient = self._workspace.patient
        if patient is None:
            return
        self.complaint.setText(f"Complaint: {patient.complaint or 'none told'}")
        level, cleared = self._workspace.triage()
        shown = self.level or level
        for choice, made in self.choices.items():
            set_role(made, chosen=choice is shown)
        self.save.setEnabled(self.level is not None)
        self.clearance.setVisible(level in (Triage.RED, Triage.AMBER) and not cleared)
        screen = self._workspace.screen()
        if screen is None:
            self.standing.setText("Not asked in this visit yet.")
        else:
            text = f"On record: {screen.level}, {screen.at:%-d %b %Y}, {screen.person.name}."
            if screen.note:
                text += f" {screen.note}."
            if screen.cleared_by:
                text += f" Cleared by {screen.cleared_by} on {screen.cleared_on:%-d %b %Y}: {screen.cleared_result}."
            self.standing.setText(text)
