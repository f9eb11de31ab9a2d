"""The one open case: who works, which patient, which visit; every change goes through here."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from datetime import datetime
from typing import TypeVar

from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtGui import QUndoCommand, QUndoStack

from tuning.core.comparison import Comparison, compare_all
from tuning.core.errors import TuningError
from tuning.core.programme import Triage
from tuning.core.types import Observation
from tuning.knowledge import Knowledge
from tuning.records import (
    Entry,
    ObservationEntry,
    PatientRow,
    PersonRow,
    PlanItem,
    Record,
    SafetyScreen,
    Visit,
)
from tuning.records.record import now, to_entry, to_observation

E = TypeVar("E", bound=Entry)


class Workspace(QObject):
    """Tells the views what changed; never touched by two views behind each other's back."""

    person_changed = pyqtSignal()
    case_changed = pyqtSignal()
    content_changed = pyqtSignal()
    saved = pyqtSignal(str)
    refused = pyqtSignal(str)

    def __init__(self, record: Record, knowledge: Knowledge) -> None:
        super().__init__()
        self.record, self.knowledge = record, knowledge
        people = record.people()
        self.person: PersonRow | None = people[0] if people else None
        self.patient: PatientRow | None = None
        self.visit: Visit | None = None
        self.visit_number = 0
        self.undo = QUndoStack(self)
        self._standing: list[Entry] = []
        self._earlier: list[Entry] = []
        self._seen: list[Observation] | None = None
        self._rows: list[Comparison] | None = None

    # who and which case

    def choose_person(self, person: PersonRow) -> None:
        """Work as `person` from now on."""
        self.person = person
        self.person_changed.emit()

    def open_patient(self, patient: PatientRow) -> None:
        """Open the newest visit of a patient; the first is begun when there is none."""
        visits = self.record.visits(patient)
        self.patient = patient
        if visits:
            self._enter(visits[-1], len(visits))
        else:
            self.new_visit()

    def new_visit(self) -> None:
        """Begin a visit today for the open patient."""
        assert self.patient is not None and self.person is not None
        visit = self.record.start_visit(self.patient, self.person)
        self._enter(visit, len(self.record.visits(self.patient)))
        self.saved.emit(_clock())

    def _enter(self, visit: Visit, number: int) -> None:
        self.visit, self.visit_number = visit, number
        self.undo.clear()
        self._read_again()
        self.case_changed.emit()
        self.content_changed.emit()

    def close_case(self) -> None:
        """Back to the day list."""
        self.patient = self.visit = None
        self.undo.clear()
        self._read_again()
        self.case_changed.emit()

    # reading

    def _read_again(self) -> None:
        self._standing = list(self.record.entries(Entry, self.visit)) if self.visit is not None else []
        self._earlier = []
        if self.patient is not None and self.visit is not None:
            for kind in (PlanItem, SafetyScreen):
                self._earlier += self.record.patient_entries(kind, self.patient, but=self.visit)
        self._seen = self._rows = None

    def entries(self, kind: type[E]) -> Sequence[E]:
        """Standing entries of the open visit, oldest first."""
        return [entry for entry in self._standing if isinstance(entry, kind)]

    def _of_patient(self, kind: type[E]) -> list[E]:
        """Standing entries over all visits, oldest first."""
        found = [entry for entry in (*self._earlier, *self._standing) if isinstance(entry, kind)]
        return sorted(found, key=lambda entry: entry.id)

    def observations(self) -> list[Observation]:
        """All standing observations of the open visit, oldest first."""
        if self._seen is None:
            self._seen = [to_observation(row) for row in self.entries(ObservationEntry)]
        return self._seen

    def comparisons(self) -> list[Comparison]:
        """The ledger of the open visit, worst first."""
        if self._rows is None:
            self._rows = compare_all(self.knowledge.measures, self.observations())
        return self._rows

    def plan(self) -> list[PlanItem]:
        """The standing plan over all visits: the newest entry of each rung."""
        newest = {item.rung_id: item for item in self._of_patient(PlanItem)}
        return [item for item in newest.values() if not item.withdrawn]

    def screen(self) -> SafetyScreen | None:
        """The newest safety screen; a RED or AMBER from an earlier visit still counts."""
        today = self.entries(SafetyScreen)
        if today:
            return today[-1]
        before = self._of_patient(SafetyScreen)
        return before[-1] if before and before[-1].level != Triage.NONE.value else None

    def triage(self) -> tuple[Triage | None, bool]:
        """Level of the newest screen and whether it was cleared."""
        screen = self.screen()
        return (None, False) if screen is None else (Triage(screen.level), bool(screen.cleared_by))

    # writing

    def stamp(self, entry: E) -> E:
        """Give a new entry its visit, time and person."""
        assert self.visit is not None and self.person is not None
        entry.visit_id, entry.person_id, entry.at = self.visit.id, self.person.id, now()
        entry.person = self.person
        return entry

    def observe(self, seen: Observation) -> ObservationEntry:
        """The entry of an observation, ready for `do`."""
        assert self.visit is not None and self.person is not None
        return self.stamp(to_entry(seen, self.visit, self.person))

    def do(self, text: str, added: Iterable[Entry] = (), struck: Iterable[int] = ()) -> bool:
        """Commit one action and make it undoable; False (with a sentence) when refused."""
        rows, gone = list(added), set(struck)
        try:
            self.record.write(rows, gone)
        except TuningError as err:
            self.refused.emit(str(err))
            return False
        self.undo.push(_Step(self, text, [row.id for row in rows], list(gone)))
        self._standing = [e for e in self._standing if e.id not in gone] + rows
        self._seen = self._rows = None
        self._committed()
        return True

    def flip(self, restored: list[int], struck: list[int]) -> None:
        """Undo or redo in the record."""
        try:
            self.record.flip(restored, struck)
        except TuningError as err:
            self.refused.emit(str(err))
            return
        self._read_again()
        self._committed()

    def _committed(self) -> None:
        self.saved.emit(_clock())
        self.content_changed.emit()


def _clock() -> str:
    return f"{datetime.now():%H:%M:%S}"


class _Step(QUndoCommand):
    """One committed action: undo strikes what it added and restores what it struck."""

    def __init__(self, workspace: Workspace, text: str, added: list[int], struck: list[int]) -> None:
        super().__init__(text)
        self._workspace, self._added, self._struck = workspace, added, struck
        self._committed = True

    def redo(self) -> None:
        """The first call, by push, finds the action committed already."""
        if self._committed:
            self._committed = False
            return
        self._workspace.flip(self._added, self._struck)

    def undo(self) -> None:
        """Take the action back."""
        self._workspace.flip(self._struck, self._added)
