"""One writer: opens the record, reads it, and commits one action at a time."""

from __future__ import annotations

import os
from collections.abc import Iterable, Iterator, Sequence
from contextlib import contextmanager
from datetime import UTC, datetime
from pathlib import Path
from typing import Any, TypeVar

import numpy as np
from sqlalchemy import create_engine, event, select, text, update
from sqlalchemy.orm import Session

from tuning.core.errors import EnvironmentFault
from tuning.core.types import NotMeasured, Observation, Side
from tuning.records import schema
from tuning.records.faults import told_as_fault
from tuning.records.media import Kept, MediaFolder
from tuning.records.models import (
    Base,
    Entry,
    Media,
    ObservationEntry,
    PatientRow,
    PersonRow,
    Visit,
)

E = TypeVar("E", bound=Entry)
B = TypeVar("B", bound=Base)


def now() -> datetime:
    """The present moment, UTC without zone mark, as the record stores it."""
    return datetime.now(UTC).replace(tzinfo=None, microsecond=0)


class Record:
    """A patient record in a folder: `record.sqlite` and `media/`.

    Every writing method is one transaction, durable on disk when it returns
    (write-ahead log, synchronous=FULL). Rows that are returned are detached
    copies: reading them later needs no database.
    """

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self.file = folder / "record.sqlite"
        with told_as_fault(folder):
            folder.mkdir(parents=True, exist_ok=True)
            if not os.access(folder, os.W_OK, effective_ids=True):
                raise EnvironmentFault(f"The folder {folder} may not be written to. Nothing was changed.")
            self._engine = create_engine(f"sqlite:///{self.file}")
            event.listen(self._engine, "connect", _set_pragmas)
            schema.upgrade(self._engine, self.file)
        self.media = MediaFolder(folder / "media")
        self.media.sweep()

    def close(self) -> None:
        """Let go of the file."""
        self._engine.dispose()

    @contextmanager
    def _session(self) -> Iterator[Session]:
        with told_as_fault(self.folder), Session(self._engine, expire_on_commit=False) as session:
            yield session

    def _add(self, row: B) -> B:
        with self._session() as session, session.begin():
            session.add(row)
        return row

    # people, patients, visits

    def people(self) -> Sequence[PersonRow]:
        """All local user profiles, oldest first."""
        with self._session() as session:
            return session.scalars(select(PersonRow).order_by(PersonRow.id)).all()

    def add_person(self, name: str, role: str) -> PersonRow:
        """Add a user profile."""
        return self._add(PersonRow(name=name, role=role, created_at=now()))

    def patients(self, search: str = "") -> Sequence[PatientRow]:
        """Patients whose name, occupation or complaint contains every word of `search`."""
        query = select(PatientRow).order_by(PatientRow.name)
        for word in search.split():
            like = f"%{word}%"
            query = query.where(
                PatientRow.name.ilike(like) | PatientRow.occupation.ilike(like) | PatientRow.complaint.ilike(like)
            )
        with self._session() as session:
            return session.scalars(query).all()

    def add_patient(self, person: PersonRow, **fields: Any) -> PatientRow:
        """Add a patient; `fields` as in PatientRow."""
        return self._add(PatientRow(**fields, created_at=now(), created_by=person.id))

    def start_visit(self, patient: PatientRow, person: PersonRow, at: datetime | None = None) -> Visit:
        """Begin a visit."""
        return self._add(Visit(patient_id=patient.id, started_at=at or now(), person_id=person.id))

    def visits(self, patient: PatientRow) -> Sequence[Visit]:
        """Visits of a patient, oldest first."""
        query = select(Visit).where(Visit.patient_id == patient.id).order_by(Visit.started_at, Visit.id)
        with self._session() as session:
            return session.scalars(query).all()

    # media

    def media_row(self, kept: Kept, person: PersonRow) -> Media:
        """The note about a kept file; the same file is noted once."""
        with self._session() as session, session.begin():
            row = session.get(Media, kept.sha256)
            if row is None:
                row = Media(
                    sha256=kept.sha256,
                    suffix=kept.suffix,
                    original_name=kept.original_name,
                    size=kept.size,
                    added_at=now(),
                    person_id=person.id,
                )
                session.add(row)
        return row

    def media_path(self, media: Media) -> Path:
        """Where the kept file lies."""
        return self.media.path(media.sha256, media.suffix)

    # entries

    def write(self, added: Iterable[Entry] = (), struck: Iterable[int] = ()) -> None:
        """Add new entries and strike out others, all in one transaction."""
        with self._session() as session, session.begin():
            session.add_all(added)
            self._set_struck(session, struck, now())

    def flip(self, restored: Iterable[int], struck: Iterable[int]) -> None:
        """Undo or redo: restore some entries and strike out others in one transaction."""
        with self._session() as session, session.begin():
            self._set_struck(session, restored, None)
            self._set_struck(session, struck, now())

    @staticmethod
    def _set_struck(session: Session, ids: Iterable[int], at: datetime | None) -> None:
        wanted = list(ids)
        if wanted:
            table = Base.metadata.tables["entry"]
            session.execute(update(table).where(table.c.id.in_(wanted)).values(struck_at=at))

    def entries(self, kind: type[E], visit: Visit) -> Sequence[E]:
        """Standing (not struck) entries of one kind in a visit, oldest first."""
        query = select(kind).where(kind.visit_id == visit.id, kind.struck_at.is_(None)).order_by(kind.id)
        with self._session() as session:
            return session.scalars(query).all()

    def patient_entries(self, kind: type[E], patient: PatientRow, but: Visit | None = None) -> Sequence[E]:
        """Standing entries of one kind over all visits of a patient (`but` one), oldest first."""
        query = (
            select(kind)
            .join(Visit, kind.visit_id == Visit.id)
            .where(Visit.patient_id == patient.id, kind.struck_at.is_(None))
            .order_by(kind.id)
        )
        if but is not None:
            query = query.where(Visit.id != but.id)
        with self._session() as session:
            return session.scalars(query).all()

    def check(self) -> list[str]:
        """Sentences about everything wrong in the record; empty when it is sound."""
        with self._session() as session:
            found = [str(row[0]) for row in session.execute(text("pragma integrity_check"))]
            broken = session.execute(text("pragma foreign_key_check")).all()
            media = session.scalars(select(Media)).all()
        problems = [f"database: {line}" for line in found if line != "ok"]
        problems += [f"a row of {row[0]} points at nothing" for row in broken]
        problems += [
            f"media file {m.original_name} is missing or changed"
            for m in media
            if not self.media.is_intact(m.sha256, m.suffix)
        ]
        return problems


def _set_pragmas(connection: Any, _: Any) -> None:
    cursor = connection.cursor()
    for pragma in ("journal_mode=WAL", "foreign_keys=ON", "synchronous=FULL", "busy_timeout=3000"):
        cursor.execute(f"pragma {pragma}")
    cursor.close()


def to_entry(seen: Observation, visit: Visit, person: PersonRow) -> ObservationEntry:
    """The row that keeps a core Observation."""
    refused = seen.value if isinstance(seen.value, NotMeasured) else None
    return ObservationEntry(
        visit_id=visit.id,
        at=now(),
        person_id=person.id,
        measure_id=seen.measure_id,
        side=seen.side.value,
        value=seen.measured,
        not_measured=refused.reason if refused else "",
        detail=refused.detail if refused else "",
        trials=[float(t) for t in seen.trials],
        summary_rule=seen.summary_rule,
        method=seen.method,
        marking_sd=seen.marking_sd,
        quality=seen.quality,
        quality_reason=seen.quality_reason,
        evidence=seen.evidence,
    )


def to_observation(row: ObservationEntry) -> Observation:
    """The core Observation that a row keeps."""
    value = NotMeasured(row.not_measured, row.detail) if row.value is None else row.value
    return Observation(
        measure_id=row.measure_id,
        side=Side(row.side),
        value=value,
        trials=np.asarray(row.trials, dtype=np.float64),
        summary_rule=row.summary_rule,
        method=row.method,
        marking_sd=row.marking_sd,
        quality=row.quality,
        quality_reason=row.quality_reason,
        evidence=row.evidence,
        id=row.id,
        at=row.at,
        who=row.person.name,
    )
