"""The one open case: who works, which patient, which visit; every change goes through here."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from datetime import datetime
from typing import Any, TypeVar

from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtGui import QUndoCommand, QUndoStack

from tuning.core.errors import TuningError
from tuning.core.gate.limits import NO_LIMITS, StandingLimits, standing_limits
from tuning.core.gate.triage import ScreenOnRecord, Triage, standing
from tuning.core.judging.comparison import Comparison, compare_all
from tuning.core.types import Observation, Side
from tuning.core.visit.battery import Status
from tuning.knowledge import Knowledge
from tuning.records import (
    Entry,
    FindingEntry,
    ObservationEntry,
    PatientRow,
    PersonRow,
    PlanItem,
    Record,
    SafetyScreen,
    Visit,
)
from tuning.records.record import now, to_entry, to_observation
from tuning.records.settings import Settings

E = TypeVar("E", bound=Entry)
SAFETY_SCREEN = "safety-screen"
"""Id of the finding that holds the answers of a safety screen."""


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
        self.settings = Settings(record.folder)
        people = record.people()
        self.person: PersonRow | None = people[0] if people else None
        self.patient: PatientRow | None = None
        self.visit: Visit | None = None
        self.visit_number = 0
        self.undo = QUndoStack(self)
        self._standing: list[Entry] = []
        self._earlier: list[Entry] = []
        self._told: dict[int, Observation] = {}
        self._forget()

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
            for kind in (PlanItem, SafetyScreen, FindingEntry):
                self._earlier += self.record.patient_entries(kind, self.patient, but=self.visit)
        self._forget()

    def _forget(self) -> None:
        """What was worked out from the entries is worked out anew."""
        self._seen: list[Observation] | None = None
        self._rows: list[Comparison] | None = None
        self._of_visit: dict[type[Entry], list[Any]] = {}
        self._of_all: dict[type[Entry], list[Any]] = {}

    def entries(self, kind: type[E]) -> Sequence[E]:
        """Standing entries of the open visit, oldest first."""
        return self._sorted(kind, self._standing, self._of_visit)

    def _of_patient(self, kind: type[E]) -> list[E]:
        """Standing entries over all visits, oldest first."""
        return self._sorted(kind, (*self._earlier, *self._standing), self._of_all)

    @staticmethod
    def _sorted(kind: type[E], entries: Iterable[Entry], known: dict[type[Entry], list[Any]]) -> list[E]:
        """Entries of a kind by age; looked for once, until something is added or struck."""
        if kind not in known:
            known[kind] = sorted((e for e in entries if isinstance(e, kind)), key=lambda entry: entry.id)
        return list(known[kind])

    def observations(self) -> list[Observation]:
        """All standing observations of the open visit, oldest first."""
        if self._seen is None:
            rows = self.entries(ObservationEntry)
            self._told = {row.id: self._told.get(row.id) or to_observation(row) for row in rows}
            self._seen = list(self._told.values())
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

    def findings(self, test_id: str) -> list[FindingEntry]:
        """Standing findings of one test in the open visit, oldest first."""
        return [entry for entry in self.entries(FindingEntry) if entry.test_id == test_id]

    def all_findings(self, test_id: str) -> list[FindingEntry]:
        """Standing findings of one test over all visits, oldest first."""
        return [entry for entry in self._of_patient(FindingEntry) if entry.test_id == test_id]

    def form(self, test_id: str) -> FindingEntry | None:
        """The newest finding of one kind over all visits: what was told stays told."""
        found = self.all_findings(test_id)
        return found[-1] if found else None

    @property
    def asked_today(self) -> bool:
        """Whether the safety screen was asked, or cleared, in the open visit."""
        return bool(self.entries(SafetyScreen))

    def last_screen(self) -> SafetyScreen | None:
        """The screen that stands, whenever it was asked; a RED until it is cleared."""
        screens = self._of_patient(SafetyScreen)
        index = standing([ScreenOnRecord(Triage(s.level), bool(s.cleared_by)) for s in screens])
        return None if index is None else screens[index]

    def screen(self) -> SafetyScreen | None:
        """The screen that counts today: NONE and cleared ones are asked again at each visit."""
        found = self.last_screen()
        if found is None or self.visit is None or found.visit_id == self.visit.id:
            return found
        return found if found.level != Triage.NONE.value and not found.cleared_by else None

    def triage(self) -> tuple[Triage | None, bool]:
        """Level of the newest screen and whether it was cleared."""
        screen = self.screen()
        return (None, False) if screen is None else (Triage(screen.level), bool(screen.cleared_by))

    def limits(self) -> StandingLimits:
        """The surgeon's limits that stand: those of the newest screen, until it is cleared."""
        screen, kept = self.last_screen(), self.form(SAFETY_SCREEN)
        if screen is None or screen.cleared_by or kept is None:
            return NO_LIMITS
        return standing_limits(self.knowledge.safety.limits, kept.data["answers"])

    # writing

    def stamp(self, entry: E) -> E:
        """Give a new entry its visit, time and person."""
        assert self.visit is not None and self.person is not None
        entry.visit_id, entry.person_id, entry.at = self.visit.id, self.person.id, now()
        entry.person = self.person
        return entry

    def find(
        self, test_id: str, data: dict[str, Any], side: Side = Side.NONE, status: Status = Status.DONE
    ) -> FindingEntry:
        """The entry of a finding, ready for `do`."""
        return self.stamp(FindingEntry(test_id=test_id, side=side.value, status=status.value, data=data))

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
        self._forget()
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
