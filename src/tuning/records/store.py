"""One writer: opens the record, reads cases, and commits one action at a time."""

from __future__ import annotations

import json
import os
from collections.abc import Collection, Iterable, Iterator, Sequence
from contextlib import AbstractContextManager, contextmanager
from dataclasses import fields
from datetime import UTC, date, datetime
from functools import partial
from pathlib import Path
from sqlite3 import Connection, Row
from typing import Any

from tuning.core.case import Case, Patient, Person, Visit, with_facts
from tuning.core.entries import Medium, Track
from tuning.core.errors import Conflict, EnvironmentFault
from tuning.core.names import plain
from tuning.core.types import Entry, Role, Side
from tuning.core.visit.overview import Digest
from tuning.records import bodies, people, schema, trail
from tuning.records.faults import told_as_fault
from tuning.records.files import SUMS, owner_only
from tuning.records.identity import new_uid
from tuning.records.media import Kept, MediaFolder

OWN, DEMO, PRACTICE = "own", "demo", "practice"
PATIENT = tuple(f.name for f in fields(Patient))
ENTRIES = """
    select entry.*, visit.uid as visit, visit.patient_id, person.uid as person, person.name as who,
           medium.uid as medium, sha256, suffix, original_name, size
    from entry join visit on visit_id = visit.id join person on entry.person_id = person.id
         left join medium on medium_id = medium.id
"""
VISITS = """
    select visit.uid, started_at, visit.sum, patient.uid as patient from visit join patient on patient_id = patient.id
"""


def now() -> datetime:
    """The present moment, to the second."""
    return datetime.now(UTC).replace(microsecond=0)


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
            owner_only(folder)
            if not os.access(folder, os.W_OK, effective_ids=True):
                raise EnvironmentFault(f"The folder {folder} may not be written to. Nothing was changed.")
            if (folder / SUMS).exists():
                raise EnvironmentFault(f"{folder} is a backup, kept as it was taken. Restore it to work with it.")
            schema.ready(self.file, kind)
            self._connection = schema.connection_to(self.file)
        self.media = MediaFolder(folder / "media")
        self.media.sweep()
        self._seen = self._data_version()

    def close(self) -> None:
        """Let go of the file."""
        self._connection.close()

    @contextmanager
    def _within(self, begin: str) -> Iterator[Connection]:
        with told_as_fault(self.folder):
            self._connection.execute(begin)
            try:
                yield self._connection
                self._connection.execute("commit")
            finally:
                if self._connection.in_transaction:
                    self._connection.execute("rollback")

    @contextmanager
    def _reading(self) -> Iterator[Connection]:
        """One look: nothing that is written meanwhile is half in it. What makes no sense is told as damage."""
        try:
            with self._within("begin") as db:
                yield db
        except (ValueError, IndexError, KeyError, TypeError) as err:
            raise EnvironmentFault(
                f"The record is damaged ({self.file}): what stands there makes no sense. Restore the last backup."
            ) from err

    def _writing(self) -> AbstractContextManager[Connection]:
        """One transaction that holds the record from its first look on."""
        return self._within("begin immediate")

    def _data_version(self) -> int:
        with told_as_fault(self.folder):
            return int(self._connection.execute("pragma data_version").fetchone()[0])

    def stamp(self) -> tuple[int, int]:
        """Another pair of numbers after every write, whoever wrote."""
        return self._data_version(), self._connection.total_changes

    # what kind of record

    @property
    def kind(self) -> str:
        """Own, demo or practice: only the last two may use made-up devices."""
        with self._reading() as db:
            row = db.execute("select value from info where key = 'kind'").fetchone()
            return str(row["value"]) if row is not None else OWN

    def mark(self, kind: str) -> None:
        """Say what kind of record this is."""
        with self._writing() as db:
            db.execute("insert or replace into info (key, value) values ('kind', ?)", (kind,))

    # people, patients, visits

    def people(self) -> Sequence[Person]:
        """All local user profiles, oldest first."""
        with self._reading() as db:
            return [_person(row) for row in db.execute("select * from person order by id")]

    def add_person(self, name: str, role: str) -> Person:
        """Add a user profile."""
        person = Person(new_uid(), name, Role(role))
        row = {"uid": person.uid, "name": name, "role": person.role.value, "created_at": _stamp(now())}
        with self._writing() as db:
            _insert(db, "person", **row, sum=trail.sum_of(row, trail.PERSON))
        return person

    def patients(self, search: str = "") -> Sequence[Patient]:
        """Patients whose name, occupation or complaint contains every word of `search`, by name."""
        with self._reading() as db:
            found = [patient for _, patient in self._people(db)]
        words = [plain(word) for word in search.split()]
        fitting = [p for p in found if all(w in plain(f"{p.name} {p.occupation} {p.complaint}") for w in words)]
        return sorted(fitting, key=lambda p: plain(p.name))

    def _people(self, db: Connection) -> list[tuple[int, Patient]]:
        """Everybody with the row number, as the newest facts tell."""
        told = people.facts(partial(self._with_patients, db))
        rows = db.execute("select * from patient").fetchall()
        return [(row["id"], with_facts(_patient(row), told.get(row["id"], ()))) for row in rows]

    def digests(self) -> list[Digest]:
        """What the day list tells of everybody, by name."""
        with self._reading() as db:
            found = people.digests(db, self._people(db), partial(self._with_patients, db), _moment)
        return sorted(found, key=lambda one: plain(one.patient.name))

    @staticmethod
    def _with_patients(db: Connection, where: str, values: Sequence[object]) -> list[tuple[int, Entry]]:
        rows = db.execute(f"{ENTRIES} {where} order by entry.id", tuple(values))
        return [(row["patient_id"], _entry(row)) for row in rows]

    def add_patient(self, person: Person, **fields: Any) -> Patient:
        """Add a patient; `fields` as in core.case.Patient."""
        patient = Patient(uid=new_uid(), **{**fields, "involved": Side(fields["involved"])})
        row = {key: getattr(patient, key) for key in PATIENT}
        row |= {"birth_date": patient.birth_date.isoformat(), "involved": patient.involved.value}
        row |= {"created_at": _stamp(now())}
        with self._writing() as db:
            total = trail.sum_of(row, trail.PATIENT)
            _insert(db, "patient", **row, revision=0, created_by=_id(db, "person", person.uid), sum=total)
            self._tell(db, person.uid, "new patient", patient.uid, sum=total)
        return patient

    def start_visit(self, patient: Patient, person: Person, at: datetime | None = None) -> Visit:
        """Begin a visit."""
        visit = Visit(new_uid(), patient.uid, at or now())
        with self._writing() as db:
            started = _stamp(visit.started_at)
            total = trail.sum_of({"uid": visit.uid, "patient": patient.uid, "started_at": started}, trail.VISIT)
            _insert(
                db,
                "visit",
                uid=visit.uid,
                patient_id=_id(db, "patient", patient.uid),
                started_at=started,
                person_id=_id(db, "person", person.uid),
                sum=total,
            )
            self._tell(db, person.uid, "new visit", visit.uid, sum=total)
            self._next_revision(db, patient.uid)
        return visit

    def visits(self, patient: Patient) -> Sequence[Visit]:
        """Visits of a patient in the order in which they were begun, whatever the clock said."""
        with self._reading() as db:
            return self._visits(db, "where patient.uid = ?", (patient.uid,))

    @staticmethod
    def _visits(db: Connection, where: str = "", values: Sequence[Any] = ()) -> list[Visit]:
        rows = db.execute(f"{VISITS} {where} order by visit.id", values)
        found = [trail.sound(row, trail.VISIT, "a visit") for row in rows]
        return [Visit(row["uid"], row["patient"], _moment(row["started_at"])) for row in found]

    # cases

    def case(self, patient_uid: str, visit_uid: str) -> Case:
        """Everything that stands of a person, as of now."""
        with self._reading() as db:
            return self._case(db, patient_uid, visit_uid)

    def _case(self, db: Connection, patient_uid: str, visit_uid: str) -> Case:
        row = db.execute("select * from patient where uid = ?", (patient_uid,)).fetchone()
        visits = tuple(self._visits(db, "where patient.uid = ?", (patient_uid,)))
        standing = "where visit.patient_id = ? and entry.struck_at is null"
        entries = tuple(self._entries(db, standing, (row["id"],)))
        return Case(
            with_facts(_patient(row), entries),
            visits,
            next(v for v in visits if v.uid == visit_uid),
            entries,
            row["revision"],
        )

    def cases_with(self, measure_ids: Collection[str]) -> Iterator[Case]:
        """The case of everybody in whom one of some measures was taken, open at the newest visit."""
        marks = ", ".join("?" * len(measure_ids))
        wanted = f"""
            select distinct patient.uid, (select uid from visit where patient_id = patient.id order by id desc limit 1)
            from entry join visit on visit_id = visit.id join patient on patient_id = patient.id
            where kind = 'observation' and struck_at is null and json_extract(body, '$.measure_id') in ({marks})
        """
        with self._reading() as db:
            found = [tuple(row) for row in db.execute(wanted, tuple(measure_ids))]
        for patient, visit in found:
            yield self.case(patient, visit)

    @staticmethod
    def _entries(db: Connection, where: str, values: Sequence[Any]) -> list[Entry]:
        return [_entry(row) for row in db.execute(f"{ENTRIES} {where} order by entry.id", values)]

    def revision(self, patient_uid: str) -> int:
        """How many commits a case has seen."""
        with self._reading() as db:
            return self._revision(db, patient_uid)

    @staticmethod
    def _revision(db: Connection, patient_uid: str) -> int:
        return int(db.execute("select revision from patient where uid = ?", (patient_uid,)).fetchone()[0])

    def changed_elsewhere(self) -> bool:
        """Whether another connection has written since this was last asked."""
        before, self._seen = self._seen, self._data_version()
        return before != self._seen

    def places(self, track: Track) -> bytes:
        """The packed places of a track."""
        if track.places:
            return track.places
        query = "select data from places join entry on entry_id = entry.id where entry.uid = ?"
        with self._reading() as db:
            row = db.execute(query, (track.uid,)).fetchone()
        if row is None:
            raise EnvironmentFault("The record is damaged: followed marks are missing. Restore the last backup.")
        return bytes(row[0])

    # media

    def medium(self, kept: Kept, person: Person) -> Medium:
        """The note about a kept file; the same file is noted once."""
        with self._writing() as db:
            row = db.execute("select * from medium where sha256 = ?", (kept.sha256,)).fetchone()
            if row is not None:
                return _medium(row)
            medium = Medium(new_uid(), kept.sha256, kept.suffix, kept.original_name, kept.size)
            values = {key: getattr(medium, key.replace("original_", "")) for key in trail.MEDIUM}
            total = trail.sum_of(values, trail.MEDIUM)
            _insert(db, "medium", **values, added_at=_stamp(now()), person_id=_id(db, "person", person.uid), sum=total)
            self._tell(db, person.uid, "new file", medium.uid, sum=total)
        return medium

    # entries

    def commit(
        self, case: Case, added: Sequence[Entry] = (), struck: Collection[str] = (), restored: Collection[str] = (),
        by: str = "",
    ) -> int:  # fmt: skip
        """Add entries, strike out and restore others, all in one transaction; the new revision.

        `by` is the uid of who strikes and restores, for the trail; new entries name theirs.
        `case` is what the action was decided on. Raises Conflict when another window has
        changed that person since, EnvironmentFault when the record cannot be written;
        nothing is changed then.
        """
        with self._writing() as db:
            if self._revision(db, case.patient.uid) != case.revision:
                raise Conflict("Another window has changed this case. It was read again; look, then do it once more.")
            for entry in added:
                self._add(db, entry)
            self._set_struck(db, struck, _stamp(now()), by)
            self._set_struck(db, restored, None, by)
            return self._next_revision(db, case.patient.uid)

    def _add(self, db: Connection, entry: Entry) -> None:
        medium = entry.medium if isinstance(entry, bodies.HOLD_MEDIA) else None
        kind, at, body = bodies.NAMES[type(entry)], _stamp(entry.at), json.dumps(bodies.body(entry))
        told = {
            "uid": entry.uid, "kind": kind, "visit": entry.visit, "at": at, "person": entry.person,
            "medium": medium.uid if medium is not None else None, "replaces": entry.replaces, "struck_at": None,
            "body": body,
        }  # fmt: skip
        total = trail.sum_of(told, trail.ENTRY)
        row = _insert(
            db,
            "entry",
            uid=entry.uid,
            kind=kind,
            visit_id=_id(db, "visit", entry.visit),
            at=at,
            person_id=_id(db, "person", entry.person),
            medium_id=_id(db, "medium", medium.uid) if medium is not None else None,
            replaces=entry.replaces,
            body=body,
            sum=total,
        )
        if isinstance(entry, Track) and entry.places:
            _insert(db, "places", entry_id=row, data=entry.places)
        self._tell(db, entry.person, "entered", entry.uid, sum=total, kind=kind)

    def _set_struck(self, db: Connection, uids: Iterable[str], at: str | None, by: str) -> None:
        for uid in uids:
            row = db.execute(f"{ENTRIES} where entry.uid = ?", (uid,)).fetchone()
            if row is None:
                raise EnvironmentFault("The record holds no entry of this uid any more. Nothing was changed.")
            total = trail.sum_of({**dict(row), "struck_at": at}, trail.ENTRY)
            db.execute("update entry set struck_at = ?, sum = ? where uid = ?", (at, total, uid))
            self._tell(db, by, "struck" if at else "restored", uid, sum=total)

    @staticmethod
    def _tell(db: Connection, who: str, what: str, subject: str, **detail: Any) -> None:
        trail.tell(db, _stamp(now()), who, what, subject, detail)

    def _next_revision(self, db: Connection, patient_uid: str) -> int:
        db.execute("update patient set revision = revision + 1 where uid = ?", (patient_uid,))
        return self._revision(db, patient_uid)

    def note(self, person: Person, what: str, subject: str, **detail: Any) -> None:
        """A line of the trail about something that is no entry: a setting, an export."""
        with self._writing() as db:
            self._tell(db, person.uid, what, subject, **detail)

    def lines(self, subject: str = "") -> list[trail.Line]:
        """The trail of one subject, or whole; oldest first."""
        where, values = ("where subject = ?", (subject,)) if subject else ("", ())
        with self._reading() as db:
            names = dict(db.execute("select uid, name from person").fetchall())
            rows = db.execute(f"select * from trail {where} order by id", values).fetchall()
        return [
            trail.Line(_moment(r["at"]), names.get(r["who"], ""), r["what"], r["subject"], json.loads(r["detail"]))
            for r in rows
        ]

    def check(self) -> list[str]:
        """Sentences about everything wrong in the record; empty when it is sound."""
        with self._reading() as db:
            found = [str(row[0]) for row in db.execute("pragma integrity_check")]
            broken = db.execute("pragma foreign_key_check").fetchall()
            media = db.execute("select * from medium").fetchall()
            rows = db.execute(f"{ENTRIES} order by entry.id").fetchall()
            sums, changed = self._sums(db, rows, media)
            told = trail.problems(db, sums)
        problems = [f"database: {line}" for line in found if line != "ok"]
        problems += [f"a row of {row[0]} points at nothing" for row in broken]
        problems += changed + told
        problems += self._unreadable(rows)
        problems += [
            f"media file {m.name} is missing or changed"
            for m in map(_medium, media)
            if not self.media.is_intact(m.sha256, m.suffix)
        ]
        return problems

    @staticmethod
    def _sums(db: Connection, entries: Sequence[Row], media: Sequence[Row]) -> tuple[dict[str, str], list[str]]:
        """The sum of every row by uid, and sentences about those that are not what was written."""
        tables = (
            ("patient", db.execute("select * from patient").fetchall(), trail.PATIENT),
            ("visit", db.execute(VISITS).fetchall(), trail.VISIT),
            ("medium", media, trail.MEDIUM),
            ("entry", entries, trail.ENTRY),
        )
        problems = [
            f"{name} {row['uid']} is not what was written"
            for name, rows, fields in (*tables, ("person", db.execute("select * from person"), trail.PERSON))
            for row in rows
            if row["sum"] != trail.sum_of(row, fields)
        ]
        return {row["uid"]: row["sum"] for _, rows, _ in tables for row in rows}, problems

    @staticmethod
    def _unreadable(rows: Sequence[Row]) -> list[str]:
        """Entries that cannot be read, or that name a picture which is not there."""
        problems, uids = [], {row["uid"] for row in rows}
        for row in rows:
            try:
                entry = _read(row)
            except (ValueError, KeyError) as err:
                problems.append(f"entry {row['id']} cannot be read: {err}")
                continue
            capture = getattr(entry, "capture", "")
            if capture and capture not in uids:
                problems.append(f"entry {row['id']} names a picture that is not there")
        return problems


def _stamp(moment: datetime) -> str:
    """A moment as it stands in the file. Raises EnvironmentFault for one without a zone."""
    if moment.tzinfo is None:
        raise EnvironmentFault("Not saved: a moment needs its zone.")
    return moment.astimezone(UTC).strftime("%Y-%m-%d %H:%M:%S.%f")


def _moment(stamp: str) -> datetime:
    return datetime.fromisoformat(stamp).replace(tzinfo=UTC)


def _insert(db: Connection, table: str, **values: Any) -> int | None:
    """A new row; its number."""
    names, marks = ", ".join(values), ", ".join("?" * len(values))
    return db.execute(f"insert into {table} ({names}) values ({marks})", tuple(values.values())).lastrowid


def _id(db: Connection, table: str, uid: str) -> int:
    """The row number behind a uid. Raises EnvironmentFault when there is none."""
    row = db.execute(f"select id from {table} where uid = ?", (uid,)).fetchone()
    if row is None:
        raise EnvironmentFault(f"The record holds no {table} of this uid any more. Nothing was changed.")
    return int(row["id"])


def _person(row: Row) -> Person:
    trail.sound(row, trail.PERSON, "somebody's profile")
    return Person(row["uid"], row["name"], Role(row["role"]))


def _patient(row: Row) -> Patient:
    trail.sound(row, trail.PATIENT, "a patient")
    values = {key: row[key] for key in PATIENT}
    return Patient(**{**values, "birth_date": date.fromisoformat(row["birth_date"]), "involved": Side(row["involved"])})


def _medium(row: Row) -> Medium:
    return Medium(row["uid"], row["sha256"], row["suffix"], row["original_name"], row["size"])


def _entry(row: Row) -> Entry:
    """An entry, where it is what was written. Raises EnvironmentFault."""
    trail.sound(row, trail.ENTRY, "an entry")
    try:
        return _read(row)
    except ValueError as err:
        raise EnvironmentFault(f"The record holds an entry that cannot be read: {err}.") from err


def _read(row: Row) -> Entry:
    head = {
        "uid": row["uid"],
        "visit": row["visit"],
        "at": _moment(row["at"]),
        "person": row["person"],
        "who": row["who"],
        "replaces": row["replaces"],
    }
    medium = None
    if row["medium"] is not None:
        medium = Medium(row["medium"], row["sha256"], row["suffix"], row["original_name"], row["size"])
    return bodies.entry_of(row["kind"], head, json.loads(row["body"]), medium)


__all__ = ["DEMO", "OWN", "PRACTICE", "Record", "now"]
