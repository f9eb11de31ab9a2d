"""Who works, who is here, and which visit is open: what is asked before anything is measured."""

from __future__ import annotations

from datetime import UTC, datetime
from functools import partial
from typing import TYPE_CHECKING

from PyQt6.QtWidgets import QMenu, QMessageBox

from tuning.core.case import FACTS, Patient
from tuning.core.entries import Form
from tuning.core.visit.visit_window import is_ongoing
from tuning.ui.formatting import day
from tuning.ui.patient_forms import PatientForm, PersonDialog

if TYPE_CHECKING:
    from tuning.ui.window import MainWindow


class PatientDialogs:
    """The questions at the door of the window."""

    def __init__(self, window: MainWindow) -> None:
        self._window, self._space = window, window.workspace

    def receive(self, patient: Patient) -> None:
        """Somebody is here: today's visit goes on, or is begun after one question; without it the last one is read."""
        visits = self._space.record.visits(patient)
        self._window.open_patient(patient)
        space = self._space
        if not visits or space.case is None or is_ongoing(visits[-1], datetime.now(UTC)):
            return
        question = f"The last visit was on {day(visits[-1].started_at)}. Begin today's visit?"
        buttons = QMessageBox.StandardButton.Yes | QMessageBox.StandardButton.No
        asked = QMessageBox.question(self._window, patient.name, question, buttons, QMessageBox.StandardButton.Yes)
        if asked == QMessageBox.StandardButton.Yes:
            self._window.new_visit()
        else:
            self.read_visit(visits[-1].uid)

    def read_visit(self, uid: str) -> None:
        """Open a visit; one that is over opens to read."""
        self._window.leave()
        with self._space.trying():
            self._space.open_visit(uid)
            self._window.go(self._window.stage)

    def choose_visit(self) -> None:
        """Every visit of the open person, newest first."""
        case = self._space.case
        if case is None:
            return
        menu = QMenu(self._window)
        for number, visit in reversed(list(enumerate(case.visits, start=1))):
            made = menu.addAction(f"Visit {number} · {day(visit.started_at)}", partial(self.read_visit, visit.uid))
            assert made is not None
            made.setEnabled(visit.uid != case.visit.uid)
        menu.exec(self._window.header.visit.mapToGlobal(self._window.header.visit.rect().bottomLeft()))

    def choose_person(self) -> bool:
        """Ask who is working."""
        dialog = PersonDialog(self._space.record, self._window)
        if dialog.exec() and dialog.person is not None:
            self._space.choose_person(dialog.person)
            return True
        return False

    def new_patient(self) -> None:
        """Ask for a new patient and open the first visit."""
        if self._space.person is None and not self.choose_person():
            return
        form = PatientForm(self._window, settings=self._space.settings)
        if form.exec() and self._space.person is not None:
            with self._space.trying():
                self._window.open_patient(self._space.record.add_patient(self._space.person, **form.values))

    def edit_patient(self) -> None:
        """Put facts of the open patient right; what stood before stays in the record."""
        space = self._space
        if space.patient is None:
            return
        form = PatientForm(self._window, patient=space.patient, settings=space.settings)
        if form.exec() and (changes := form.changes(space.patient)):
            with space.trying(), space.action("patient details") as act:
                act.add(Form(FACTS, changes))
