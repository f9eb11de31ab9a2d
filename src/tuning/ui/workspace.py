"""The one open case: who works, which patient, which visit; every change goes through here."""

from __future__ import annotations

import logging
from collections.abc import Iterator, Mapping, Sequence
from contextlib import contextmanager
from datetime import date, datetime
from typing import Any, TypeVar

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from tuning.core.case import Case, Patient, Person, Visit
from tuning.core.entries import Answer, Clearance, Decision, Ending, Form, PlanItem, Screen, Unreadable
from tuning.core.errors import BadInput, Conflict, Refused, TuningError
from tuning.core.gate.clearance import check_clearance
from tuning.core.gate.limits import NO_LIMITS, StandingLimits
from tuning.core.gate.open_findings import ScreeningStatus, limits_of, screened_today, standing_of
from tuning.core.gate.permission import GateAct, GateFacts, Permission, gate_facts, permission_for, require_permission
from tuning.core.gate.text import finding_name
from tuning.core.intake.consent import check_pictures, film_refused, letters_refused, newest
from tuning.core.judging.comparison import Comparison
from tuning.core.judging.ledger import ledger, observed_today
from tuning.core.judging.measures import NOBODY, ReferenceGroup
from tuning.core.judging.side_guard import SideGuard, is_read_off_a_file
from tuning.core.judging.trial_rule import TrialRule
from tuning.core.preferences import RULE, TRIALS
from tuning.core.programme.active_plan import standing_plan
from tuning.core.programme.plan_moves import check_programme
from tuning.core.programme.plan_status import PlanStatus, plan_status
from tuning.core.test_definitions import AnswerKind, TestDefinition
from tuning.core.types import Entry, Observation, Role, Triage
from tuning.core.visit.visit_window import is_ongoing
from tuning.devices import NO_DEVICES, Devices
from tuning.knowledge import Knowledge
from tuning.knowledge.gate_acts import new_acts
from tuning.records import Record
from tuning.records.settings import Settings
from tuning.records.store import NEWER, now
from tuning.ui.change_set import ChangeSet
from tuning.ui.clinic_settings import ClinicSettings
from tuning.ui.formatting import day
from tuning.ui.undo import UndoStack, UndoStep

E = TypeVar("E", bound=Entry)
LOOK_MS = 1000
"""How often it is asked whether another window has changed the record."""


class Workspace(QObject):
    """Tells the views what changed; never touched by two views behind each other's back."""

    person_changed = pyqtSignal()
    case_changed = pyqtSignal()
    """Another person or visit is open: forget what was typed."""
    content_changed = pyqtSignal()
    reloaded = pyqtSignal()
    """Undo, redo or another window changed what stands: fields show the record again."""
    saved = pyqtSignal(str)
    refused = pyqtSignal(str)
    message = pyqtSignal(str)

    def __init__(self, record: Record, knowledge: Knowledge, devices: Devices = NO_DEVICES) -> None:
        super().__init__()
        self.record, self.devices = record, devices
        self.settings = Settings(record.folder)
        self._clinic = ClinicSettings(record, self.settings, knowledge, lambda: self.person)
        people = record.people()
        self.reading = False
        """Whether an earlier visit is open to be read only."""
        self._done: dict[str, Entry] = {}
        """What this sitting has added: redoing it is doing it again, and the gate is asked again."""
        self.person: Person | None = people[0] if people else None
        self.case: Case | None = None
        self._sides = SideGuard()
        self.undo = UndoStack(self.apply_undo)
        self._look = QTimer(self)
        self._look.setInterval(LOOK_MS)
        self._look.timeout.connect(self.poll_external_changes)
        self._look.start()

    # preferences

    def prefer(self, key: str) -> Any:
        """What the clinic prefers."""
        return self.knowledge.preferences[key]

    def set_preferences(self, changes: Mapping[str, Any], reason: str) -> None:
        """Keep other preferences, each logged with the reason; what is read anew is read anew. Raises TuningError."""
        with self._clinic.because(reason):
            for key, value in changes.items():
                self.settings.set(key, value)
        self.content_changed.emit()

    @property
    def knowledge(self) -> Knowledge:
        """The knowledge with what the clinic prefers in it."""
        return self._clinic.knowledge()

    @property
    def shipped(self) -> Knowledge:
        """The knowledge without the clinic's own bands."""
        return self._clinic.shipped

    def close(self) -> None:
        """Let go of the record."""
        self.stop()
        self.record.close()

    def stop(self) -> None:
        """Look for changes no more; the record stays open for whoever opened it."""
        self._look.stop()

    @property
    def kind(self) -> str:
        """Own, demo or practice."""
        return self.record.kind

    # who and which case

    @property
    def patient(self) -> Patient | None:
        """Who is assessed; None on the day list."""
        return self.case.patient if self.case is not None else None

    @property
    def visit(self) -> Visit | None:
        """The open visit; None on the day list."""
        return self.case.visit if self.case is not None else None

    @property
    def role(self) -> Role:
        """Who is looking; nobody counts as a student."""
        return self.person.role if self.person is not None else Role.STUDENT

    def choose_person(self, person: Person) -> None:
        """Work as `person` from now on."""
        self.person = person
        self.person_changed.emit()

    def open_patient(self, patient: Patient) -> None:
        """Open the newest visit of a patient; the first is begun when there is none. Raises TuningError."""
        visits = self.record.visits(patient)
        if visits:
            self._enter(self.record.case(patient.uid, visits[-1].uid))
        else:
            self._begin(patient)

    def open_visit(self, uid: str) -> None:
        """Open any visit of the open patient; one that is over opens to read. Raises TuningError."""
        assert self.case is not None
        self._enter(self.record.case(self.case.patient.uid, uid))
        self.reading = self.record.read_only or not is_ongoing(self.case.visit, now())
        self.content_changed.emit()

    def new_visit(self) -> None:
        """Begin a visit today for the open patient, unless the open one is of today and still empty."""
        case = self.case
        assert case is not None
        begun = case.visits[-1]
        if is_ongoing(begun, now()) and not any(entry.visit == begun.uid for entry in case.entries):
            self._enter(self.record.case(case.patient.uid, begun.uid))
            self.message.emit("A visit of today is open already, with nothing in it yet.")
            return
        self._begin(case.patient)

    def _begin(self, patient: Patient) -> None:
        assert self.person is not None
        visit = self.record.start_visit(patient, self.person)
        self._enter(self.record.case(patient.uid, visit.uid))
        self.saved.emit(_clock())

    def _enter(self, case: Case) -> None:
        self.case, self.reading = case, self.record.read_only
        self._sides = SideGuard()
        self.undo.clear()
        self.case_changed.emit()
        self.content_changed.emit()
        if unread := case.all(Unreadable):
            kinds = ", ".join(sorted({entry.kind for entry in unread}))
            self.message.emit(
                f"{len(unread)} of this person's entries cannot be read ({kinds}); nothing of them is lost. "
                "“tuning check-record” says which."
            )

    def close_case(self) -> None:
        """Back to the day list."""
        self.case = None
        self.undo.clear()
        self.case_changed.emit()

    # reading

    def entries(self, kind: type[E]) -> Sequence[E]:
        """Standing entries of the open visit, oldest first."""
        return self.case.today(kind) if self.case is not None else ()

    def observations(self) -> Sequence[Observation]:
        """All standing observations of the open visit as the clinic's rule reads them, oldest first."""
        return observed_today(self.case, self.knowledge.measures, self.rule) if self.case is not None else ()

    def comparisons(self) -> Sequence[Comparison]:
        """The ledger of the open visit, worst first."""
        return ledger(self.case, self.knowledge.measures, self.rule) if self.case is not None else ()

    def plan(self) -> list[PlanItem]:
        """The standing plan over all visits: the newest entry of each rung."""
        return standing_plan(self.case.entries) if self.case is not None else []

    @property
    def rule(self) -> TrialRule:
        """Clinic setting: how trials become one value."""
        return self.knowledge.preferences.rule

    def set_rule(self, rule: TrialRule) -> None:
        """Another rule: every value is read anew, none is rewritten. Raises EnvironmentFault."""
        self.settings.set(RULE, rule.value)
        self.content_changed.emit()

    def answers(self, test: str) -> list[Answer]:
        """Standing answers of a test in the open visit, oldest first."""
        return [a for a in self.entries(Answer) if a.test == test]

    def endings(self, test: str) -> list[Ending]:
        """How a test ended without values in the open visit, oldest first."""
        return [e for e in self.entries(Ending) if e.test == test]

    def decisions(self, subject: str) -> list[Decision]:
        """Standing decisions of the open visit, oldest first."""
        return [d for d in self.entries(Decision) if d.subject == subject]

    def form(self, kind: str) -> Form | None:
        """The newest form of a kind over all visits: what was told stays told."""
        return self._newest(kind, self.case.all(Form) if self.case is not None else ())

    def form_today(self, kind: str) -> Form | None:
        """The form of a kind in the open visit."""
        return self._newest(kind, self.entries(Form))

    @staticmethod
    def _newest(kind: str, forms: Sequence[Form]) -> Form | None:
        return next((f for f in reversed(forms) if f.kind == kind), None)

    # the gate

    @property
    def asked_today(self) -> bool:
        """Whether the safety screen was asked in the open visit."""
        return self.case is not None and screened_today(self.case)

    def standing(self) -> ScreeningStatus | None:
        """What stands of the safety screens, finding by finding; None before the first."""
        return standing_of(self.case, self.knowledge.safety) if self.case is not None else None

    def triage(self) -> Triage | None:
        """The worst level that stands; None before the first screen."""
        found = self.standing()
        return found.level if found is not None else None

    def limits(self) -> StandingLimits:
        """The surgeon's limits that stand."""
        return limits_of(self.case, self.knowledge.safety) if self.case is not None else NO_LIMITS

    def trials_wanted(self, test: TestDefinition) -> int:
        """Trials wanted of a test: what it asks for, or fewer by the clinic's setting where each trial is an effort."""
        asked = max([q.trials for q in test.questions if q.ask is AnswerKind.NUMBER] or [1])
        return min(asked, int(self.settings.get(TRIALS, asked))) if test.every_trial else asked

    @property
    def who(self) -> ReferenceGroup:
        """Whom the bands of usual values are for, on the day of the open visit."""
        if self.case is None:
            return NOBODY
        patient, day = self.case.patient, self.case.visit.started_at.astimezone().date()
        return ReferenceGroup(patient.age_on(day), patient.sex)

    def film_refused(self) -> str:
        """Why no pictures may be taken or opened; empty where they may."""
        return film_refused(newest(self.case.all(Form))) if self.case is not None else ""

    def letters_refused(self) -> str:
        """Why no pictures may leave in a letter; empty where they may."""
        return letters_refused(newest(self.case.all(Form))) if self.case is not None else ""

    def facts(self, case: Case | None = None) -> GateFacts:
        """What the gate knows now."""
        asked = case or self.case
        role = self.person.role if self.person is not None else None
        return gate_facts(asked, self.knowledge.safety, role) if asked is not None else GateFacts(role=role)

    def plan_status(self) -> PlanStatus | None:
        """What stands of the programme today, None while no case is open."""
        return plan_status(self.case, self.knowledge, date.today()) if self.case is not None else None

    def care(self, test: TestDefinition) -> str:
        """What to take care with in a test: its own caution, and those that this person has."""
        status = self.plan_status()
        person = status.cautions_of_test(test) if status is not None else []
        return " ".join(filter(None, [test.caution, f"Take care: {'; '.join(person)}." if person else ""]))

    def may(self, act: GateAct) -> Permission:
        """The gate's answer for the open case."""
        return permission_for(act, self.facts())

    # writing

    @contextmanager
    def trying(self) -> Iterator[None]:
        """Where a gesture ends: a refusal becomes a sentence, and what was typed stays in its field."""
        try:
            yield
        except TuningError as err:
            self.refused.emit(str(err))

    @contextmanager
    def action(self, text: str, case: Case | None = None) -> Iterator[ChangeSet]:
        """Collect what one gesture changes and commit it as one undo step.

        `case` is another than the open one where long work ends after its case was
        left: it is kept where it belongs. Raises TuningError, and changes nothing, when
        the gate refuses, the record cannot be written, or another window was faster.
        """
        where = case or self.case
        if self.record.read_only:
            raise Refused(NEWER)
        if self.reading and where is self.case and where is not None:
            raise Refused(f"The visit of {day(where.visit.started_at)} is open to read. A new visit takes new entries.")
        if where is None or self.person is None:
            raise Refused("Nothing was saved: no case is open, or nobody said who works.")
        act = ChangeSet(where, self.person)
        yield act
        if act.added or act.struck:
            self._commit(text, act)

    def _commit(self, text: str, act: ChangeSet) -> None:
        here = self.case is not None and act.case.visit.uid == self.case.visit.uid
        case = (
            self.case if here and self.case is not None else self.record.case(act.case.patient.uid, act.case.visit.uid)
        )
        self._ask_gate(case, act.added)
        exchanged = self._ask_sides(case, act) if here else ""
        try:
            revision = self.record.commit(case, act.added, act.struck, by=act.by)
        except Conflict:
            self._again(case, act, here)
            case = self.case if here and self.case is not None else case
            revision = self.record.commit(case, act.added, act.struck, by=act.by)
        if not here:
            self.message.emit(f"Kept with {case.patient.name}: {text}.")
            return
        before = standing_of(case, self.knowledge.safety)
        self.case = case.changed(act.added, act.struck, revision)
        self._say_what_rose(before, act.added)
        if exchanged:
            self.refused.emit(f"{exchanged}. It is kept; Ctrl+Z takes it back.")
        self._done |= {entry.uid: entry for entry in act.added}
        self.undo.push(UndoStep(text, tuple(e.uid for e in act.added), tuple(sorted(act.struck))))
        self._committed()

    def _say_what_rose(self, before: ScreeningStatus | None, added: Sequence[Entry]) -> None:
        """A value that raises the level says so at once, wherever it was entered; a screen says it itself."""
        now, table = self.standing(), self.knowledge.safety
        if now is None or any(isinstance(entry, Screen) for entry in added):
            return
        known = {f.id for f in before.open} if before is not None else set()
        for one in (f for f in now.open if f.id not in known):
            self.refused.emit(f"{one.level.value}: {finding_name(one, table)}. {table.urgencies[one.urgency].now}")

    def _ask_gate(self, case: Case, added: Sequence[Entry]) -> None:
        """The gate is asked again for whatever is new, whichever page collected it. Raises Refused."""
        facts = self.facts(case)
        for entry, asked in new_acts(self.knowledge, added, case.entry):
            require_permission(asked, facts, str(getattr(entry, "reason", "")))
        check_pictures(case.all(Form), added)
        day = case.visit.started_at.astimezone().date()
        check_programme(plan_status(case, self.knowledge, day), added, facts.role)
        found = standing_of(case, self.knowledge.safety)
        for entry in added:
            if isinstance(entry, Clearance):
                check_clearance(entry, found, facts.role, datetime.now().astimezone().date())

    def _ask_sides(self, case: Case, act: ChangeSet) -> str:
        """What is to be said, once it is kept, of legs that look exchanged against the last visit's: values of a
        recording or picture are never thrown away. Raises BadInput for typed ones, which stay in their field."""
        added = [entry for entry in act.added if isinstance(entry, Observation)]
        wanted = {one.measure_id for one in added}
        seen = [o for o in case.all(Observation) if o.measure_id in wanted and o.uid not in act.struck]
        before = [o for o in seen if o.visit != case.visit.uid]
        if not before:
            return ""
        today = [o for o in seen if o.visit == case.visit.uid]
        words = self._sides.question(self.knowledge.measures, before, [*today, *added])
        if words and not any(is_read_off_a_file(one) for one in added):
            raise BadInput(f"{words}. Choose the other leg, or do the same once more to keep it.")
        return words

    def _again(self, case: Case, act: ChangeSet, here: bool) -> None:
        """Another window was faster: look at what stands now, and go on only where nothing is in the way."""
        fresh = self.record.case(case.patient.uid, case.visit.uid)
        if here:
            self.case = fresh
            self.reloaded.emit()
            self.content_changed.emit()
        gone = [uid for uid in act.struck if fresh.entry(uid) is None]
        if gone:
            raise Conflict("Another window has changed this just now. It was read again; look, then do it once more.")
        self._ask_gate(fresh, act.added)

    def apply_undo(self, restored: list[str], struck: list[str], again: bool) -> None:
        """Undo, or redo where `again`, in the record. Raises TuningError; nothing is changed then."""
        case = self.case
        assert case is not None
        if case.revision != self.record.revision(case.patient.uid):
            self._read_again()
            case = self.case
            assert case is not None
        self._may_take_back([entry for uid in struck if (entry := case.entry(uid)) is not None])
        if again:
            self._ask_gate(case, [self._done[uid] for uid in restored])
        self.record.commit(case, struck=struck, restored=restored, by=self.person.uid if self.person else "")
        self._read_again()
        self._committed()

    def _may_take_back(self, struck: Sequence[Entry]) -> None:
        """A screen is taken back by who recorded it or a licensed clinician: undo is no way round a lock."""
        screens = [entry for entry in struck if isinstance(entry, Screen)]
        own = self.person is not None and all(entry.person == self.person.uid for entry in screens)
        if not own and self.role is not Role.CLINICIAN:
            raise Refused("A safety screen is taken back by who recorded it or a licensed clinician.")

    def _read_again(self) -> None:
        if self.case is not None:
            self.case = self.record.case(self.case.patient.uid, self.case.visit.uid)
            self.reloaded.emit()

    def poll_external_changes(self) -> None:
        """Whether another window has changed what is open here."""
        try:
            if not self.record.changed_elsewhere() or self.case is None:
                return
            if self.record.revision(self.case.patient.uid) != self.case.revision:
                self._read_again()
                self.content_changed.emit()
        except TuningError as err:  # asked again in a second; a gesture would say it loudly
            logging.getLogger("tuning").warning("looking for changes failed: %s", type(err).__name__)

    def _committed(self) -> None:
        self.saved.emit(_clock())
        self.content_changed.emit()


def _clock() -> str:
    return f"{datetime.now():%H:%M:%S}"
