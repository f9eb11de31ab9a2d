"""One writer: opens the record, reads cases, and commits one action at a time."""

from __future__ import annotations

import os
import unicodedata
from collections.abc import Collection, Iterable, Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path
from typing import Any, TypeVar

from sqlalchemy import func, select, text, update
from sqlalchemy.orm import Session, selectinload

from tuning.core.case import Case, Patient, Person, Visit, with_facts
from tuning.core.entries import Capture, Clearance, Form, Medium, PlanItem, Screen, Track
from tuning.core.errors import Conflict, EnvironmentFault
from tuning.core.types import Entry, Role, Side
from tuning.records import bodies, schema
from tuning.records.faults import told_as_fault
from tuning.records.identity import new_uid
from tuning.records.media import Kept, MediaFolder
from tuning.records.models import Base, EntryRow, InfoRow, MediumRow, PatientRow, PersonRow, PlacesRow, VisitRow

B = TypeVar("B", bound=Base)
OWN, DEMO, PRACTICE = "own", "demo", "practice"
DIGESTED = (Screen, Clearance, PlanItem)
"""What the day list needs of every person."""


def now() -> datetime:
    """The present moment, to the second."""
    return datetime.now(UTC).replace(microsecond=0)


@dataclass(frozen=True)
class Digest:
    """What the day list tells of a person: visits, the standing screens, clearances and plan items, oldest first."""

    patient: Patient
    visits: tuple[Visit, ...]
    entries: tuple[Entry, ...]
    measured: int


class Record:
    """A patient record in a folder: `record.sqlite` and `media/`.

    Every writing method is one transaction, durable on disk when it returns
    (write-ahead log, synchronous=FULL). What is returned are frozen types of the
    core: no row and no row number leaves this floor.
    """

    def __init__(self, folder: Path, kind: str = OWN) -> None:
        """Open the record in a folder, or make one of a `kind` there. Raises EnvironmentFault."""
        self.folder = folder
        self.file = folder / "record.sqlite"
        with told_as_fault(folder):
            folder.mkdir(parents=True, exist_ok=True)
            if not os.access(folder, os.W_OK, effective_ids=True):
                raise EnvironmentFault(f"The folder {folder} may not be written to. Nothing was changed.")
            schema.ready(self.file, kind)
            self._engine = schema.engine_of(self.file)
        self.media = MediaFolder(folder / "media")
        self.media.sweep()
        self._seen = self._data_version()

    def close(self) -> None:
        """Let go of the file."""
        self._engine.dispose()

    @contextmanager
    def _session(self) -> Iterator[Session]:
        with told_as_fault(self.folder), Session(self._engine, expire_on_commit=False) as session:
            yield session

    @contextmanager
    def _writing(self) -> Iterator[Session]:
        """One transaction that holds the record from its first look on."""
        with self._session() as session, session.begin():
            session.execute(text("pragma foreign_keys=ON"))
            session.connection().exec_driver_sql("begin immediate")
            yield session

    def _data_version(self) -> int:
        with told_as_fault(self.folder), self._engine.connect() as connection:
            return int(connection.exec_driver_sql("pragma data_version").scalar_one())

    # what kind of record

    @property
    def kind(self) -> str:
        """Own, demo or practice: only the last two may use made-up devices."""
        with self._session() as session:
            row = session.get(InfoRow, "kind")
            return row.value if row is not None else OWN

    def mark(self, kind: str) -> None:
        """Say what kind of record this is."""
        with self._writing() as session:
            session.merge(InfoRow(key="kind", value=kind))

    # people, patients, visits

    def people(self) -> Sequence[Person]:
        """All local user profiles, oldest first."""
        with self._session() as session:
            return [_person(row) for row in session.scalars(select(PersonRow).order_by(PersonRow.id))]

    def add_person(self, name: str, role: str) -> Person:
        """Add a user profile."""
        row = PersonRow(uid=new_uid(), name=name, role=Role(role).value, created_at=now())
        with self._writing() as session:
            session.add(row)
        return _person(row)

    def patients(self, search: str = "") -> Sequence[Patient]:
        """Patients whose name, occupation or complaint contains every word of `search`, by name."""
        with self._session() as session:
            found = self._people(session)
        words = [_plain(word) for word in search.split()]
        fitting = [p for p in found if all(w in _plain(f"{p.name} {p.occupation} {p.complaint}") for w in words)]
        return sorted(fitting, key=lambda p: _plain(p.name))

    def _people(self, session: Session) -> list[Patient]:
        """Everybody, as the newest facts tell."""
        query = (
            select(EntryRow, VisitRow.patient_id)
            .join(VisitRow, EntryRow.visit_id == VisitRow.id)
            .where(EntryRow.kind == bodies.NAMES[Form], EntryRow.struck_at.is_(None))
            .order_by(EntryRow.id)
        )
        rows = session.execute(query).all()
        entries = self._entries(session, [row for row, _ in rows])
        facts: dict[int, list[Entry]] = {}
        for entry, (_, patient_id) in zip(entries, rows, strict=True):
            facts.setdefault(patient_id, []).append(entry)
        return [with_facts(_patient(row), facts.get(row.id, ())) for row in session.scalars(select(PatientRow))]

    def digests(self, search: str = "") -> list[Digest]:
        """What the day list tells of everybody who fits a search."""
        people = self.patients(search)
        wanted = [bodies.NAMES[kind] for kind in DIGESTED]
        with self._session() as session:
            uids = {row.id: row.uid for row in session.scalars(select(PatientRow))}
            visits: dict[str, list[Visit]] = {}
            of_visit: dict[int, str] = {}
            for visit in session.scalars(select(VisitRow).order_by(VisitRow.id)):
                uid = of_visit[visit.id] = uids[visit.patient_id]
                visits.setdefault(uid, []).append(Visit(visit.uid, uid, visit.started_at))
            rows = session.scalars(select(EntryRow).where(EntryRow.kind.in_(wanted)).order_by(EntryRow.id))
            standing = [row for row in rows if row.struck_at is None]
            entries = self._entries(session, standing)
            of_person: dict[str, list[Entry]] = {}
            for row, entry in zip(standing, entries, strict=True):
                of_person.setdefault(of_visit[row.visit_id], []).append(entry)
            counted = select(EntryRow.visit_id, func.count()).where(
                EntryRow.kind == "observation", EntryRow.struck_at.is_(None)
            )
            measured: dict[str, int] = {}
            for visit_id, count in session.execute(counted.group_by(EntryRow.visit_id)):
                measured[of_visit[visit_id]] = measured.get(of_visit[visit_id], 0) + count
        return [
            Digest(p, tuple(visits.get(p.uid, ())), tuple(of_person.get(p.uid, ())), measured.get(p.uid, 0))
            for p in people
        ]

    def add_patient(self, person: Person, **fields: Any) -> Patient:
        """Add a patient; `fields` as in core.case.Patient."""
        values = {key: value.value if isinstance(value, Side) else value for key, value in fields.items()}
        with self._writing() as session:
            row = PatientRow(
                **values, uid=new_uid(), revision=0, created_at=now(), created_by=_id(session, PersonRow, person.uid)
            )
            session.add(row)
        return _patient(row)

    def start_visit(self, patient: Patient, person: Person, at: datetime | None = None) -> Visit:
        """Begin a visit."""
        with self._writing() as session:
            row = VisitRow(
                uid=new_uid(),
                patient_id=_id(session, PatientRow, patient.uid),
                started_at=at or now(),
                person_id=_id(session, PersonRow, person.uid),
            )
            session.add(row)
            self._next_revision(session, patient.uid)
        return Visit(row.uid, patient.uid, row.started_at)

    def visits(self, patient: Patient) -> Sequence[Visit]:
        """Visits of a patient in the order in which they were begun, whatever the clock said."""
        with self._session() as session:
            return self._visits(session, patient.uid)

    @staticmethod
    def _visits(session: Session, uid: str) -> list[Visit]:
        query = select(VisitRow).join(PatientRow, VisitRow.patient_id == PatientRow.id).where(PatientRow.uid == uid)
        return [Visit(row.uid, uid, row.started_at) for row in session.scalars(query.order_by(VisitRow.id))]

    # cases

    def case(self, patient_uid: str, visit_uid: str) -> Case:
        """Everything that stands of a person, as of now."""
        with self._session() as session, session.begin():
            return self._case(session, patient_uid, visit_uid)

    def _case(self, session: Session, patient_uid: str, visit_uid: str) -> Case:
        row = session.scalars(select(PatientRow).where(PatientRow.uid == patient_uid)).one()
        visits = tuple(self._visits(session, patient_uid))
        query = (
            select(EntryRow)
            .join(VisitRow, EntryRow.visit_id == VisitRow.id)
            .where(VisitRow.patient_id == row.id, EntryRow.struck_at.is_(None))
            .order_by(EntryRow.id)
            .options(selectinload(EntryRow.medium))
        )
        entries = tuple(self._entries(session, session.scalars(query).all()))
        return Case(
            with_facts(_patient(row), entries),
            visits,
            next(v for v in visits if v.uid == visit_uid),
            entries,
            row.revision,
        )

    @staticmethod
    def _entries(session: Session, rows: Sequence[EntryRow]) -> list[Entry]:
        people = {row.id: row for row in session.scalars(select(PersonRow))}
        visits = {row.id: row.uid for row in session.scalars(select(VisitRow))} if rows else {}
        return [_entry(row, visits[row.visit_id], people[row.person_id]) for row in rows]

    def revision(self, patient_uid: str) -> int:
        """How many commits a case has seen."""
        with self._session() as session:
            return session.scalars(select(PatientRow.revision).where(PatientRow.uid == patient_uid)).one()

    def changed_elsewhere(self) -> bool:
        """Whether another connection has written since this was last asked."""
        before, self._seen = self._seen, self._data_version()
        return before != self._seen

    def places(self, track: Track) -> bytes:
        """The packed places of a track."""
        if track.places:
            return track.places
        query = (
            select(PlacesRow.data).join(EntryRow, PlacesRow.entry_id == EntryRow.id).where(EntryRow.uid == track.uid)
        )
        with self._session() as session:
            return session.scalars(query).one()

    # media

    def medium(self, kept: Kept, person: Person) -> Medium:
        """The note about a kept file; the same file is noted once."""
        with self._writing() as session:
            row = session.scalars(select(MediumRow).where(MediumRow.sha256 == kept.sha256)).one_or_none()
            if row is None:
                row = MediumRow(
                    uid=new_uid(),
                    sha256=kept.sha256,
                    suffix=kept.suffix,
                    original_name=kept.original_name,
                    size=kept.size,
                    added_at=now(),
                    person_id=_id(session, PersonRow, person.uid),
                )
                session.add(row)
        return _medium(row)

    # entries

    def commit(
        self, case: Case, added: Sequence[Entry] = (), struck: Collection[str] = (), restored: Collection[str] = ()
    ) -> int:
        """Add entries, strike out and restore others, all in one transaction; the new revision.

        `case` is what the action was decided on. Raises Conflict when another window has
        changed that person since, EnvironmentFault when the record cannot be written;
        nothing is changed then.
        """
        with self._writing() as session:
            known = session.scalars(select(PatientRow.revision).where(PatientRow.uid == case.patient.uid)).one()
            if known != case.revision:
                raise Conflict("Another window has changed this case. It was read again; look, then do it once more.")
            for entry in added:
                self._add(session, entry)
            self._set_struck(session, struck, now())
            self._set_struck(session, restored, None)
            return self._next_revision(session, case.patient.uid)

    def _add(self, session: Session, entry: Entry) -> None:
        medium = entry.medium if isinstance(entry, Capture) else None
        row = EntryRow(
            uid=entry.uid,
            kind=bodies.NAMES[type(entry)],
            visit_id=_id(session, VisitRow, entry.visit),
            at=entry.at,
            person_id=_id(session, PersonRow, entry.person),
            medium_id=_id(session, MediumRow, medium.uid) if medium is not None else None,
            replaces=entry.replaces,
            body=bodies.body(entry),
        )
        session.add(row)
        if isinstance(entry, Track) and entry.places:
            session.flush()
            session.add(PlacesRow(entry_id=row.id, data=entry.places))

    @staticmethod
    def _set_struck(session: Session, uids: Iterable[str], at: datetime | None) -> None:
        wanted = list(uids)
        if wanted:
            session.execute(update(EntryRow).where(EntryRow.uid.in_(wanted)).values(struck_at=at))

    @staticmethod
    def _next_revision(session: Session, patient_uid: str) -> int:
        here = PatientRow.uid == patient_uid
        session.execute(update(PatientRow).where(here).values(revision=PatientRow.revision + 1))
        return session.scalars(select(PatientRow.revision).where(here)).one()

    def check(self) -> list[str]:
        """Sentences about everything wrong in the record; empty when it is sound."""
        with self._session() as session:
            found = [str(row[0]) for row in session.execute(text("pragma integrity_check"))]
            broken = session.execute(text("pragma foreign_key_check")).all()
            media = [_medium(row) for row in session.scalars(select(MediumRow))]
            rows = session.scalars(select(EntryRow).options(selectinload(EntryRow.medium))).all()
            problems = [f"database: {line}" for line in found if line != "ok"]
            problems += [f"a row of {row[0]} points at nothing" for row in broken]
            problems += self._unreadable(session, rows)
        problems += [
            f"media file {m.name} is missing or changed" for m in media if not self.media.is_intact(m.sha256, m.suffix)
        ]
        return problems

    def _unreadable(self, session: Session, rows: Sequence[EntryRow]) -> list[str]:
        """Entries that cannot be read, or that name a picture which is not there."""
        problems, uids = [], {row.uid for row in rows}
        for row in rows:
            try:
                [entry] = self._entries(session, [row])
            except (ValueError, KeyError) as err:
                problems.append(f"entry {row.id} cannot be read: {err}")
                continue
            capture = getattr(entry, "capture", "")
            if capture and capture not in uids:
                problems.append(f"entry {row.id} names a picture that is not there")
        return problems


def _plain(words: str) -> str:
    """Letters without case and accents, so that a search finds a name however it was typed."""
    apart = unicodedata.normalize("NFKD", words.casefold())
    return "".join(c for c in apart if not unicodedata.combining(c))


def _id(session: Session, table: type[Any], uid: str) -> int:
    """The row number behind a uid. Raises EnvironmentFault when there is none."""
    found = session.scalars(select(table.id).where(table.uid == uid)).one_or_none()
    if found is None:
        raise EnvironmentFault(f"The record holds no {table.__tablename__} of this uid any more. Nothing was changed.")
    return int(found)


def _person(row: PersonRow) -> Person:
    return Person(row.uid, row.name, Role(row.role))


def _patient(row: PatientRow) -> Patient:
    return Patient(
        row.uid,
        row.name,
        row.birth_date,
        row.sex,
        row.body_mass_kg,
        row.stature_m,
        row.dominant_hand,
        row.dominant_leg,
        row.complaint,
        Side(row.involved),
        row.occupation,
    )


def _medium(row: MediumRow) -> Medium:
    return Medium(row.uid, row.sha256, row.suffix, row.original_name, row.size)


def _entry(row: EntryRow, visit: str, person: PersonRow) -> Entry:
    head = {
        "uid": row.uid,
        "visit": visit,
        "at": row.at,
        "person": person.uid,
        "who": person.name,
        "replaces": row.replaces,
    }
    medium = None
    if row.medium_id is not None and row.medium is not None:
        medium = _medium(row.medium)
    return bodies.entry_of(row.kind, head, row.body, medium)


__all__ = ["DEMO", "OWN", "PRACTICE", "Digest", "Record", "now"]
