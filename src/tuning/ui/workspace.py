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
        self.case_changed.emit()
        self.content_changed.emit()

    def close_case(self) -> None:
        """Back to the day list."""
        self.patient = self.visit = None
        self.undo.clear()
        self.case_changed.emit()

    # reading

    def entries(self, kind: type[E]) -> Sequence[E]:
        """Standing entries of the open visit."""
        return self.record.entries(kind, self.visit) if self.visit is not None else []

    def observations(self) -> list[Observation]:
        """All standing observations of the open visit, oldest first."""
        return [to_observation(row) for row in self.entries(ObservationEntry)]

    def comparisons(self) -> list[Comparison]:
        """The ledger of the open visit, worst first."""
        return compare_all(self.knowledge.measures, self.observations())

    def plan(self) -> list[PlanItem]:
        """The standing plan over all visits: the newest entry of each rung."""
        if self.patient is None:
            return []
        newest = {item.rung_id: item for item in self.record.patient_entries(PlanItem, self.patient)}
        return [item for item in newest.values() if not item.withdrawn]

    def screen(self) -> SafetyScreen | None:
        """The newest safety screen; a RED or AMBER from an earlier visit still counts."""
        if self.patient is None:
            return None
        screens = self.record.patient_entries(SafetyScreen, self.patient)
        today = [s for s in screens if self.visit is not None and s.visit_id == self.visit.id]
        if today:
            return today[-1]
        standing = [s for s in screens if s.level != Triage.NONE.value]
        return standing[-1] if standing and standing[-1] is screens[-1] else None

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
        rows, gone = list(added), list(struck)
        try:
            self.record.write(rows, gone)
        except TuningError as err:
            self.refused.emit(str(err))
            return False
        self.undo.push(_Step(self, text, [row.id for row in rows], gone))
        self._committed()
        return True

    def flip(self, restored: list[int], struck: list[int]) -> None:
        """Undo or redo in the record."""
        try:
            self.record.flip(restored, struck)
        except TuningError as err:
            self.refused.emit(str(err))
            return
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
