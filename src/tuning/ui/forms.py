"""Dialogs: a new patient, a new user profile, who is working."""

from __future__ import annotations

from datetime import date
from functools import partial
from typing import Any

from PyQt6.QtCore import QDate, Qt
from PyQt6.QtWidgets import (
    QComboBox,
    QDateEdit,
    QDialog,
    QFormLayout,
    QHBoxLayout,
    QLineEdit,
    QPlainTextEdit,
    QVBoxLayout,
    QWidget,
)

from tuning.core.case import Person
from tuning.core.errors import BadInput
from tuning.core.intake.patient import body_mass_kg, stature_m
from tuning.core.types import Role
from tuning.records import Record
from tuning.ui import theme
from tuning.ui.widgets import Line, button, label

NOT_SAID = "not said"


class _Form(QDialog):
    """Fields above one sentence of refusal and two buttons."""

    def __init__(self, parent: QWidget | None, title: str, action: str) -> None:
        super().__init__(parent)
        self.setWindowTitle(title)
        self.setMinimumWidth(520)
        column = QVBoxLayout(self)
        column.setContentsMargins(24, 20, 24, 16)
        column.setSpacing(12)
        column.addWidget(label(title, theme.LARGE, bold=True))
        self.fields = QFormLayout()
        self.fields.setSpacing(8)
        column.addLayout(self.fields)
        self.sentence = label("", role="caution", wrap=True)
        column.addWidget(self.sentence)
        row = QHBoxLayout()
        row.addStretch(1)
        row.addWidget(button("Cancel", self.reject))
        keep = button(action, self.keep, "primary")
        keep.setDefault(True)
        row.addWidget(keep)
        column.addLayout(row)

    def line(self, name: str, hint: str = "") -> QLineEdit:
        """A labelled text field."""
        made = Line()
        made.setPlaceholderText(hint)
        self._row(name, made)
        return made

    def choice(self, name: str, options: list[str]) -> QComboBox:
        """A labelled choice."""
        made = QComboBox()
        made.addItems(options)
        self._row(name, made)
        return made

    def _row(self, name: str, field: QWidget) -> None:
        field.setAccessibleName(name)
        self.fields.addRow(label(name, role="muted"), field)

    def keep(self) -> None:
        """Check; close when all is well, else say what would be accepted."""
        try:
            self.check()
        except BadInput as err:
            self.sentence.setText(str(err))
            return
        self.accept()

    def check(self) -> None:
        """Raises BadInput."""
        raise AssertionError("every form checks its own fields")


class PatientForm(_Form):
    """A new patient."""

    def __init__(self, parent: QWidget | None = None, today: date | None = None) -> None:
        super().__init__(parent, "New patient", "Add patient")
        self._today = today or date.today()
        self.name = self.line("Name")
        self.birth = QDateEdit()
        self.birth.setDisplayFormat("dd.MM.yyyy")
        self.birth.setDate(QDate(1985, 1, 1))
        self._row("Birth date", self.birth)
        self.sex = self.choice("Sex", [NOT_SAID, "female", "male", "other"])
        self.occupation = self.line("Occupation", "glassblower")
        self.mass = self.line("Body mass", "74 kg")
        self.stature = self.line("Stature", "172 cm")
        self.hand = self.choice("Writing hand", ["right", "left", "both"])
        self.leg = self.choice("Kicking leg", ["right", "left", "both"])
        self.complaint = QPlainTextEdit()
        self.complaint.setFixedHeight(64)
        self.complaint.setTabChangesFocus(True)
        self._row("Complaint", self.complaint)
        self.involved = self.choice("Involved side", ["none", "left", "right", "both"])
        self.values: dict[str, Any] = {}

    def check(self) -> None:
        """Collect the fields; raises BadInput with what would be accepted."""
        if not self.name.text().strip():
            raise BadInput("A name is needed.")
        birth = self.birth.date().toPyDate()
        if not date(1900, 1, 1) <= birth <= self._today:
            raise BadInput("The birth date must lie between 1900 and today.")
        self.values = {
            "name": self.name.text().strip(),
            "birth_date": birth,
            "sex": self.sex.currentText(),
            "occupation": self.occupation.text().strip(),
            "body_mass_kg": body_mass_kg(self.mass.text()),
            "stature_m": stature_m(self.stature.text()),
            "dominant_hand": self.hand.currentText(),
            "dominant_leg": self.leg.currentText(),
            "complaint": self.complaint.toPlainText().strip(),
            "involved": self.involved.currentText(),
        }


class PersonForm(_Form):
    """A new user profile."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent, "Who is working?", "Add profile")
        self.name = self.line("Name")
        self.role = self.choice("Role", [role.value for role in Role])
        self.role.setToolTip("The role decides wording and who may overrule a caution.")

    def check(self) -> None:
        """A name is needed."""
        if not self.name.text().strip():
            raise BadInput("A name is needed; it is kept with every entry.")


class PersonDialog(QDialog):
    """Choose who is working, or add a profile."""

    def __init__(self, record: Record, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._record = record
        self.person: Person | None = None
        self.setWindowTitle("Who is working?")
        self.setMinimumWidth(380)
        column = QVBoxLayout(self)
        column.setContentsMargins(24, 20, 24, 16)
        column.setSpacing(8)
        column.addWidget(label("Who is working?", theme.LARGE, bold=True))
        for person in record.people():
            made = button(f"{person.name}, {person.role.value}", partial(self._take, person))
            column.addWidget(made)
        column.addWidget(button("Add a profile…", self._add, "primary"), alignment=Qt.AlignmentFlag.AlignRight)

    def _take(self, person: Person) -> None:
        self.person = person
        self.accept()

    def _add(self) -> None:
        form = PersonForm(self)
        if form.exec():
            self._take(self._record.add_person(form.name.text().strip(), form.role.currentText()))
