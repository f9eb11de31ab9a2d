"""Dialogs: a new patient, a new user profile, who is working."""

from __future__ import annotations

from collections.abc import Callable
from datetime import date
from functools import partial
from typing import Any

from PyQt6.QtCore import QLocale, Qt
from PyQt6.QtWidgets import (
    QComboBox,
    QDialog,
    QFormLayout,
    QHBoxLayout,
    QLineEdit,
    QPlainTextEdit,
    QVBoxLayout,
    QWidget,
)

from tuning.core.case import Patient, Person
from tuning.core.dates import birth_date
from tuning.core.errors import BadInput
from tuning.core.preferences import BY_KEY, LENGTH_UNIT, MASS_UNIT, MONTH_FIRST
from tuning.core.types import Role
from tuning.core.units import parse_body_mass, parse_stature, shown_length, shown_mass
from tuning.records import Record
from tuning.records.settings import Settings
from tuning.ui import theme
from tuning.ui.widgets import TextField, button, label

NOT_SAID = "not said"


class FieldsDialog(QDialog):
    """Fields above one sentence of refusal and two buttons."""

    def __init__(self, parent: QWidget | None, title: str, action: str) -> None:
        super().__init__(parent)
        self.setWindowTitle(title)
        self.setMinimumWidth(520)
        self._standing: dict[QLineEdit, float | None] = {}
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
        made = TextField()
        made.setPlaceholderText(hint)
        self._row(name, made)
        return made

    def choice(self, name: str, options: list[str]) -> QComboBox:
        """A labelled choice."""
        made = QComboBox()
        made.addItems(options)
        self._row(name, made)
        return made

    def stands(self, line: QLineEdit, value: float | None) -> None:
        """What a line shows stands in the record, to digits that are not shown; until somebody types into it."""
        self._standing[line] = value
        line.textChanged.connect(lambda _: self._standing.pop(line, None))

    def number(self, line: QLineEdit, read: Callable[[str, str], float], unit: str) -> float | None:
        """What a line says, None for nothing; what stands where nobody touched it. Raises BadInput."""
        if line in self._standing:
            return self._standing[line]
        return read(line.text(), unit) if line.text().strip() else None

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

    def refuse(self, sentence: str) -> None:
        """What else refuses is a sentence in the dialog, too. Raises BadInput."""
        raise BadInput(sentence)

    def check(self) -> None:
        """Raises BadInput."""
        raise AssertionError("every form checks its own fields")


def month_first(settings: Settings | None) -> bool:
    """The order of day and month in typed dates."""
    usual = QLocale().dateFormat(QLocale.FormatType.ShortFormat).lower().startswith("m")
    return bool(settings.get(MONTH_FIRST, usual)) if settings is not None else usual


class PatientForm(FieldsDialog):
    """A new patient, or the facts of one put right."""

    def __init__(
        self,
        parent: QWidget | None = None,
        today: date | None = None,
        patient: Patient | None = None,
        settings: Settings | None = None,
    ) -> None:
        known = patient is not None
        super().__init__(parent, "Patient details" if known else "New patient", "Keep" if known else "Add patient")
        self._today, self._settings = today or date.today(), settings
        self.name = self.line("Name")
        self.birth, self.date_order = (
            self.line("Birth date"),
            self.choice("Dates are typed", ["day first", "month first"]),
        )
        self.date_order.setCurrentIndex(int(month_first(settings)))
        self.date_order.activated.connect(self._styled)
        self.read_back = label("", role="muted")
        self.fields.addRow(label(""), self.read_back)
        self.birth.textChanged.connect(self._read_back)
        self.sex = self.choice("Sex", [NOT_SAID, "female", "male", "other"])
        self.occupation = self.line("Occupation", "glassblower")
        kept = settings.values if settings is not None else {}
        self._mass_unit, self._length_unit = (BY_KEY[key].read(kept) for key in (MASS_UNIT, LENGTH_UNIT))
        self.mass = self.line("Body mass", shown_mass(74, self._mass_unit))
        self.stature = self.line("Stature", shown_length(1.72, self._length_unit))
        self.hand = self.choice("Writing hand", [NOT_SAID, "right", "left", "both"])
        self.leg = self.choice("Kicking leg", [NOT_SAID, "right", "left", "both"])
        self.complaint = QPlainTextEdit()
        self.complaint.setTabChangesFocus(True)
        self._row("Complaint", self.complaint)
        self.involved = self.choice("Involved side", ["none", "left", "right", "both"])
        self.values: dict[str, Any] = {}
        self._styled(self.date_order.currentIndex())
        if patient is not None:
            self._fill(patient)

    def _fill(self, patient: Patient) -> None:
        """What stands; the name is who it is and is not changed here."""
        self.name.setText(patient.name)
        self.name.setEnabled(False)
        self.birth.setText(f"{patient.birth_date:%-d %B %Y}")
        self.occupation.setText(patient.occupation)
        self.mass.setText(shown_mass(patient.body_mass_kg, self._mass_unit) if patient.body_mass_kg else "")
        self.stature.setText(shown_length(patient.stature_m, self._length_unit) if patient.stature_m else "")
        self.stands(self.mass, patient.body_mass_kg)
        self.stands(self.stature, patient.stature_m)
        self.complaint.setPlainText(patient.complaint)
        chosen = ((self.sex, patient.sex), (self.hand, patient.dominant_hand), (self.leg, patient.dominant_leg))
        for box, value in (*chosen, (self.involved, patient.involved.value)):
            box.setCurrentIndex(max(0, box.findText(value)))
        self._read_back()

    def _styled(self, index: int) -> None:
        self.birth.setPlaceholderText("3/12/1979" if index else "12.3.1979")
        if self._settings is not None and bool(index) != month_first(self._settings):
            self._settings.set(MONTH_FIRST, bool(index))
        self._read_back()

    def _birth(self) -> date:
        return birth_date(self.birth.text(), self._today, bool(self.date_order.currentIndex()))

    def _read_back(self) -> None:
        """The date in words and the age, as it would be kept."""
        try:
            born = self._birth()
        except BadInput:
            self.read_back.setText("")
            return
        years = self._today.year - born.year - ((self._today.month, self._today.day) < (born.month, born.day))
        self.read_back.setText(f"{born:%-d %B %Y}, {years} y")

    def check(self) -> None:
        """Collect the fields; raises BadInput with what would be accepted."""
        if not self.name.text().strip():
            raise BadInput("A name is needed.")
        self.values = {
            "name": self.name.text().strip(),
            "birth_date": self._birth(),
            "sex": self.sex.currentText(),
            "occupation": self.occupation.text().strip(),
            "body_mass_kg": self.number(self.mass, parse_body_mass, self._mass_unit),
            "stature_m": self.number(self.stature, parse_stature, self._length_unit),
            "dominant_hand": self.hand.currentText(),
            "dominant_leg": self.leg.currentText(),
            "complaint": self.complaint.toPlainText().strip(),
            "involved": self.involved.currentText(),
        }

    def changes(self, patient: Patient) -> dict[str, Any]:
        """What differs from what stands, as it is kept with the visit."""
        told = {**self.values, "birth_date": self.values["birth_date"].isoformat()}
        stood = {key: getattr(patient, key) for key in told}
        stood |= {"birth_date": patient.birth_date.isoformat(), "involved": patient.involved.value}
        return {key: value for key, value in told.items() if value != stood[key]}


class PersonForm(FieldsDialog):
    """A new user profile."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent, "Who is working?", "Add profile")
        self.name = self.line("Name")
        self.role = self.choice("Role", [role.value for role in Role])
        self.role.setToolTip("The role decides wording and who may overrule a caution.")

    def check(self) -> None:
        """A name is needed."""
        if not self.name.text().strip():
            raise BadInput("A name is needed; it is saved with every entry.")


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
