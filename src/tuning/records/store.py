"""One writer: opens the record, reads cases, and commits one action at a time."""

from __future__ import annotations

import json
import os
from collections.abc import Collection, Iterable, Iterator, Mapping, Sequence
from contextlib import AbstractContextManager, contextmanager, suppress
from datetime import UTC, datetime
from functools import partial
from pathlib import Path
from typing import Any

from tuning.core.case import FACTS, Case, Patient, Person, Visit, corrected, with_facts
from tuning.core.day_list_entry import Digest
from tuning.core.entries import Form, Medium, Track
from tuning.core.errors import BadInput, Conflict, EnvironmentFault
from tuning.core.text_search import plain
from tuning.core.types import Entry, Role, Side
from tuning.records import (
    audit_log,
    day_list_digest,
    encryption,
    entry_codec,
    erasure,
    integrity,
    keys,
    person_transfer,
    rows,
    schema,
    trail_end,
)
from tuning.records.dbapi import Connection, Row
from tuning.records.error_mapping import told_as_fault
from tuning.records.files import SUMS, identity, owner_only, sweep
from tuning.records.identity import new_uid
from tuning.records.media import MediaFolder, StoredFile
from tuning.records.restore import finish as finish_restore

NEWER = "This record was written by a newer Tuning. It is open to read; nothing can be changed in it here."
NEWER_HOLDS = (
    "This record was written by a newer Tuning and holds what this version cannot read. Nothing was changed; open it "
    "with the version that wrote it."
)
GONE = (
    "The folder of the record was moved, removed or exchanged, or its disk is no longer there ({folder}). Nothing was "
    "saved. Put it back and save again, or close Tuning and open the record where it lies now."
)
WRITING = "begin immediate"
OWN, DEMO, PRACTICE = "own", "demo", "practice"


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
        self.restored = finish_restore(folder)
        """Whether a restore that was cut off had to be finished."""
        with told_as_fault(folder):
            folder.mkdir(parents=True, exist_ok=True)
            owner_only(folder)
            if not os.access(folder, os.W_OK, effective_ids=True):
                raise EnvironmentFault(f"The folder {folder} may not be written to. Nothing was changed.")
            if (folder / SUMS).exists():
                raise EnvironmentFault(f"{folder} is a backup, kept as it was taken. Restore it to work with it.")
            encryption.settle(folder)
            sweep(folder)
            self.read_only = not schema.ready(self.file, kind)
            self._connection = schema.connection_to(self.file, not self.read_only)
            self._opened = identity(self.file)
        self.media = MediaFolder(folder / "media")
        self._in_use: set[str] = set()
        self._key: keys.Key | None = None
        self.cut_off = 0
        """Files of an import or an erasure that was cut off, which were taken away when the record was opened."""
        if not self.read_only:
            self.media.sweep()
            with suppress(EnvironmentFault):  # on a full disk it waits for the next opening
                self._finish_what_was_cut_off()
        self.trail_problem = self._trail_problem()
        """What the note of the trail's end said when the record was opened; of a protected record only."""
        self._seen = self._data_version()
        self._checked: dict[int, tuple[Row, Patient]] = {}
        self._digests: day_list_digest.Known = {}

    def _trail_problem(self) -> str:
        self._key = None if self.read_only else keys.of(self.folder)
        if self._key is None:
            return ""
        with self._reading() as db:
            found, begun = trail_end.problem(self.folder, self._key, db), trail_end.begun(self._key, db)
        if begun and not found:
            return ""
        with suppress(EnvironmentFault), self._writing() as db:  # on a full disk it opens, and says so all the same
            trail_end.begin(self._key, db)
            if found:
                self._tell(db, "", "trail end", "", problem=found)
        return found

    def close(self) -> None:
        """Let go of the file."""
        self.media.close()
        self._connection.close()

    def _finish_what_was_cut_off(self) -> None:
        """Files that were being taken in or out when the program ended stay only where an entry names them."""
        left = self.media.cut_off()
        if not left:
            return
        noted = "select id, uid, (select 1 from entry where medium_id = medium.id) as used from medium"
        with self._writing() as db:
            gone = list[str]()
            for sha256, suffix in left:
                row = db.execute(f"{noted} where sha256 = ? and suffix = ?", (sha256, suffix)).fetchone()
                if row is not None and row["used"]:
                    continue
                if row is not None:
                    db.execute("delete from medium where id = ?", (row["id"],))
                    gone.append(row["uid"])
                self.media.drop(sha256, suffix)
                self.cut_off += 1
            if self.cut_off:
                self._tell(db, "", "cut off", "", erased=gone, files=self.cut_off)
        for sha256, suffix in left:
            self.media.forget(sha256, suffix)

    @contextmanager
    def _within(self, begin: str) -> Iterator[Connection]:
        if self._connection.in_transaction:  # part of what is done at once: it is finished or undone as a whole
            yield self._connection
            return
        with told_as_fault(self.folder):
            self._connection.execute(begin)
            try:
                yield self._connection
                if begin == WRITING:
                    self._check_it_is_there()
                self._connection.execute("commit")
                self.media.settle(self._in_use)
                if begin == WRITING and self._key is not None:
                    trail_end.write(self.folder, self._key, self._connection)
            finally:
                self._in_use.clear()
                if self._connection.in_transaction:
                    self._connection.execute("rollback")

    def _check_it_is_there(self) -> None:
        """A file that was taken away is written to as before, and all of it is lost when the program ends."""
        if identity(self.file) != self._opened:
            raise EnvironmentFault(GONE.format(folder=self.folder))

    @contextmanager
    def _reading(self) -> Iterator[Connection]:
        """One look: nothing that is written meanwhile is half in it. What makes no sense is told as damage."""
        try:
            with self._within("begin") as db:
                yield db
        except (ValueError, IndexError, KeyError, TypeError, EnvironmentFault) as err:
            if self.read_only:
                raise EnvironmentFault(NEWER_HOLDS) from err
            if isinstance(err, EnvironmentFault):
                raise
            raise EnvironmentFault(
                f"The record is damaged ({self.file}): what is stored there makes no sense. Restore the last backup."
            ) from err

    def _writing(self) -> AbstractContextManager[Connection]:
        """One transaction that holds the record from its first look on. Raises EnvironmentFault for one to read."""
        if self.read_only:
            raise EnvironmentFault(NEWER)
        return self._within(WRITING)

    @contextmanager
    def at_once(self) -> Iterator[None]:
        """Everything within is one transaction: whoever is killed in it leaves nothing of it."""
        with self._writing():
            yield

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

    # day_list_digest, patients, visits

    def people(self) -> Sequence[Person]:
        """All local user profiles, oldest first."""
        with self._reading() as db:
            return [rows.person(row) for row in db.execute("select * from person order by id")]

    def add_person(self, name: str, role: str) -> Person:
        """Add a user profile."""
        person = Person(new_uid(), name, Role(role))
        row = {"uid": person.uid, "name": name, "role": person.role.value, "created_at": rows.stamp(now())}
        with self._writing() as db:
            rows.insert(db, "person", **row, sum=audit_log.sum_of(row, audit_log.PERSON))
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
        told = day_list_digest.facts(partial(self._with_patients, db))
        found = db.execute(f"{rows.PATIENTS} order by name").fetchall()
        # A row that is as it was when its sum was checked is not checked again.
        self._checked = {
            row[0]: known if (known := self._checked.get(row[0])) and known[0] == row else (row, rows.patient(row))
            for row in found
        }
        return [(row, with_facts(patient, told.get(row, ()))) for row, (_, patient) in self._checked.items()]

    def digests(self) -> list[Digest]:
        """What the day list tells of everybody, by name."""
        if not self.read_only:
            self._sum_up()
        with self._reading() as db:
            everybody, entries_of, kept = self._people(db), partial(self._with_patients, db), not self.read_only
            self._digests = day_list_digest.digests(db, everybody, entries_of, rows.moment, self._digests, kept)
        return [digest for _, _, digest in self._digests.values()]

    def _sum_up(self) -> None:
        """Keep the sums of those who have none; where that cannot be, the list is made without them."""
        with self._reading() as db:
            if not day_list_digest.unsummed(db):
                return
        with suppress(EnvironmentFault), self._at_once(), self._writing() as db:
            day_list_digest.sum_up(db, day_list_digest.unsummed(db))  # asked again, as nobody else writes now

    @contextmanager
    def _at_once(self) -> Iterator[None]:
        """What is wanted here can be done without: it does not wait for who else writes."""
        self._connection.execute("pragma busy_timeout = 0")
        try:
            yield
        finally:
            self._connection.execute(f"pragma busy_timeout = {schema.PATIENCE_MS}")

    @staticmethod
    def _with_patients(db: Connection, where: str, values: Sequence[object]) -> list[tuple[int, Entry]]:
        found = db.execute(f"{rows.ENTRIES} {where} order by entry.id", tuple(values)).fetchall()
        return [(row["patient_id"], rows.entry(row)) for row in rows.as_dicts(found)]

    def add_patient(self, person: Person, **fields: Any) -> Patient:
        """Add a patient; `fields` as in core.case.Patient."""
        patient = Patient(uid=new_uid(), **{**fields, "involved": Side(fields["involved"])})
        row = {key: getattr(patient, key) for key in rows.PATIENT}
        row |= {"birth_date": patient.birth_date.isoformat(), "involved": patient.involved.value}
        row |= {"created_at": rows.stamp(now())}
        with self._writing() as db:
            total = audit_log.sum_of(row, audit_log.PATIENT)
            rows.insert(
                db, "patient", **row, revision=0, created_by=rows.number_of(db, "person", person.uid), sum=total
            )
            self._tell(db, person.uid, "new patient", patient.uid, sum=total)
        return patient

    def start_visit(self, patient: Patient, person: Person, at: datetime | None = None) -> Visit:
        """Begin a visit."""
        visit = Visit(new_uid(), patient.uid, at or now())
        with self._writing() as db:
            started = rows.stamp(visit.started_at)
            total = audit_log.sum_of({"uid": visit.uid, "patient": patient.uid, "started_at": started}, audit_log.VISIT)
            rows.insert(
                db,
                "visit",
                uid=visit.uid,
                patient_id=rows.number_of(db, "patient", patient.uid),
                started_at=started,
                person_id=rows.number_of(db, "person", person.uid),
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
        known = db.execute(f"{rows.VISITS} {where} order by visit.id", values)
        found = [audit_log.sound(row, audit_log.VISIT, "a visit") for row in known]
        return [Visit(row["uid"], row["patient"], rows.moment(row["started_at"])) for row in found]

    # cases

    def case(self, patient_uid: str, visit_uid: str) -> Case:
        """Everything that stands of a person, as of now."""
        with self._reading() as db:
            return self._case(db, patient_uid, visit_uid)

    def _case(self, db: Connection, patient_uid: str, visit_uid: str) -> Case:
        row = db.execute(f"{rows.PATIENTS} where uid = ?", (patient_uid,)).fetchone()
        visits = tuple(self._visits(db, "where patient.uid = ?", (patient_uid,)))
        standing = "where visit.patient_id = ? and entry.struck_at is null"
        entries = tuple(self._entries(db, standing, (row["id"],)))
        return Case(
            with_facts(rows.patient(row), entries),
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
        found = db.execute(f"{rows.ENTRIES} {where} order by entry.id", values).fetchall()
        return [rows.entry(row) for row in rows.as_dicts(found)]

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

    def medium(self, kept: StoredFile, person: Person) -> Medium:
        """The note about a kept file; the same file is noted once."""
        with self._writing() as db:
            row = db.execute("select * from medium where sha256 = ?", (kept.sha256,)).fetchone()
            if row is not None:
                return rows.medium(row)
            medium = Medium(new_uid(), kept.sha256, kept.suffix, kept.original_name, kept.size)
            values = {key: getattr(medium, key.replace("original_", "")) for key in audit_log.MEDIUM}
            total = audit_log.sum_of(values, audit_log.MEDIUM)
            rows.insert(
                db,
                "medium",
                **values,
                added_at=rows.stamp(now()),
                person_id=rows.number_of(db, "person", person.uid),
                sum=total,
            )
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
        changed that person since, EnvironmentFault when the record cannot be written, BadInput for
        what could not be read again; nothing is changed then.
        """
        with self._writing() as db:
            if self._revision(db, case.patient.uid) != case.revision:
                raise Conflict("Another window has changed this case. It was read again; look, then do it once more.")
            patient = case.patient
            for entry in added:
                if isinstance(entry, Form) and entry.kind == FACTS:
                    patient = corrected(patient, entry.data)
                self._add(db, entry)
            self._set_struck(db, struck, rows.stamp(now()), by)
            self._set_struck(db, restored, None, by)
            return self._next_revision(db, case.patient.uid)

    def _add(self, db: Connection, entry: Entry) -> None:
        body, at = entry_codec.entry_to_dict(entry), rows.stamp(entry.at)
        kind = entry_codec.NAMES[type(entry)]
        medium = entry.medium if isinstance(entry, entry_codec.HOLD_MEDIA) else None
        self._in_use |= {f"{medium.sha256}{medium.suffix}"} if medium is not None else set()
        told = {
            "uid": entry.uid, "kind": kind, "visit": entry.visit, "at": at, "person": entry.person,
            "medium": medium.uid if medium is not None else None, "replaces": entry.replaces, "struck_at": None,
            "body": body,
        }  # fmt: skip
        total = audit_log.sum_of(told, audit_log.ENTRY)
        row = rows.insert(
            db,
            "entry",
            uid=entry.uid,
            kind=kind,
            visit_id=rows.number_of(db, "visit", entry.visit),
            at=at,
            person_id=rows.number_of(db, "person", entry.person),
            medium_id=rows.number_of(db, "medium", medium.uid) if medium is not None else None,
            replaces=entry.replaces,
            body=body,
            sum=total,
        )
        if isinstance(entry, Track) and entry.places:
            rows.insert(db, "places", entry_id=row, data=entry.places)
        self._tell(db, entry.person, "entered", entry.uid, sum=total, kind=kind)

    def _set_struck(self, db: Connection, uids: Iterable[str], at: str | None, by: str) -> None:
        for uid in uids:
            row = db.execute(f"{rows.ENTRIES} where entry.uid = ?", (uid,)).fetchone()
            if row is None:
                raise EnvironmentFault("The record holds no entry of this uid any more. Nothing was changed.")
            total = audit_log.sum_of({**dict(row), "struck_at": at}, audit_log.ENTRY)
            db.execute("update entry set struck_at = ?, sum = ? where uid = ?", (at, total, uid))
            self._tell(db, by, "struck" if at else "restored", uid, sum=total)

    @staticmethod
    def _tell(db: Connection, who: str, what: str, subject: str, **detail: Any) -> None:
        audit_log.append_line(db, rows.stamp(now()), who, what, subject, detail)

    def _next_revision(self, db: Connection, patient_uid: str) -> int:
        db.execute("update patient set revision = revision + 1 where uid = ?", (patient_uid,))
        return self._revision(db, patient_uid)

    def note(self, person: Person, what: str, subject: str, **detail: Any) -> None:
        """A line of the trail about something that is no entry: a setting, an export."""
        with self._writing() as db:
            self._tell(db, person.uid, what, subject, **detail)

    def lines(self, subject: str = "") -> list[audit_log.AuditLine]:
        """The trail of one subject, or whole; oldest first."""
        where, values = ("where subject = ?", (subject,)) if subject else ("", ())
        with self._reading() as db:
            names = dict(db.execute("select uid, name from person").fetchall())
            told = db.execute(f"select * from trail {where} order by id", values).fetchall()
        return [
            audit_log.AuditLine(
                rows.moment(r["at"]), names.get(r["who"], ""), r["what"], r["subject"], json.loads(r["detail"])
            )
            for r in told
        ]

    # people that travel, and people that go

    def dump(self, patient_uid: str) -> dict[str, Any]:
        """Everything of a person as plain data, by uid. Raises BadInput."""
        with self._reading() as db:
            return person_transfer.dump(db, patient_uid)

    def merge(self, data: Mapping[str, Any], person: Person, files: Mapping[str, Path]) -> person_transfer.MergeResult:
        """Put a person into the record, or together with the same one; nothing is taken twice.

        `files` are the media by hash; each is copied in first, and kept though nothing else is taken over. Raises
        BadInput, Conflict, EnvironmentFault; no row is written then.
        """
        person_transfer.check(data)
        for row in data["media"]:
            if not self.media.is_intact(row["sha256"], row["suffix"]):
                if row["sha256"] not in files:
                    raise BadInput(f"The file {row['original_name']} is missing. Nothing was taken over.")
                kept = self.media.keep(files[row["sha256"]])
                if (kept.sha256, kept.suffix) != (row["sha256"], row["suffix"]):
                    raise BadInput(f"The file {row['original_name']} is not what it was. Nothing was taken over.")
        with self._writing() as db:
            result = person_transfer.merge(db, data, partial(self._tell, db, person.uid))
            self._in_use |= {f"{row['sha256']}{row['suffix']}" for row in data["media"]}
            return result

    def erase(self, patient_uid: str, person: Person, reason: str) -> dict[str, int]:
        """Take a person out for good: rows, places, files that nobody else uses; how many of each.

        The trail keeps that it was done, by whom and why, and uids without a name. What was deleted is overwritten in
        the file. Backups are not touched; they must be removed by who made them. Raises BadInput, EnvironmentFault.
        """
        if not reason.strip():
            raise BadInput("Say why; the reason stays in the trail.")
        with told_as_fault(self.folder):
            self._connection.execute("pragma secure_delete = on")
        with self._writing() as db:
            number = rows.number_of(db, "patient", patient_uid)
            name = next(patient.name for _, patient in self._people(db) if patient.uid == patient_uid)
            if set(plain(name).split()) & set(plain(reason).split()):
                raise BadInput("The reason names the person, and it stays in the trail. Say why without the name.")
            entries = db.execute(f"{rows.ENTRIES} where visit.patient_id = ?", (number,)).fetchall()
            gone = erasure.take_out(db, number, patient_uid, entries)
            for sha256, suffix in gone.files:
                self.media.intend(sha256, suffix)
            self._tell(db, person.uid, "erased", patient_uid, erased=gone.uids, reason=reason.strip())
        with told_as_fault(self.folder):
            for sha256, suffix in gone.files:
                self.media.drop(sha256, suffix)
            self.media.settle([f"{sha256}{suffix}" for sha256, suffix in gone.files])
            self._connection.execute("vacuum")
            self._connection.execute("pragma wal_checkpoint(truncate)")
        return gone.counts

    def where_readable(self, name: str) -> list[Path]:
        """Files of the folder in which a name can be read, byte by byte; after an erasure there should be none."""
        wanted = [name.encode(encoding) for encoding in ("utf-8", "utf-16-le", "latin-1") if _can(name, encoding)]
        files = (file for file in sorted(self.folder.rglob("*")) if file.is_file())
        with told_as_fault(self.folder):
            return [file for file in files if _holds(file, wanted)]

    def line_of(self, uid: str) -> list[Entry]:
        """An entry and those that it took the place of, newest first; struck ones too."""
        found: list[Entry] = []
        with self._reading() as db:
            while uid and (row := db.execute(f"{rows.ENTRIES} where entry.uid = ?", (uid,)).fetchone()) is not None:
                found.append(rows.entry(row))
                uid = found[-1].replaces
        return found

    def check(self) -> list[str]:
        """Sentences about everything wrong in the record; empty when it is sound."""
        with self._reading() as db:
            entries = db.execute(f"{rows.ENTRIES} order by entry.id").fetchall()
            found = integrity.problems(db, entries, db.execute(rows.VISITS).fetchall(), rows.read)
            found += [self.trail_problem] if self.trail_problem else []
            media = [rows.medium(row) for row in db.execute("select * from medium")]
        return found + [
            f"media file {m.name} is missing or changed" for m in media if not self.media.is_intact(m.sha256, m.suffix)
        ]


def _can(name: str, encoding: str) -> bool:
    try:
        return bool(name.encode(encoding))
    except UnicodeEncodeError:
        return False


def _holds(file: Path, wanted: Sequence[bytes]) -> bool:
    """Whether any of these bytes stands in a file, over the ends of the pieces in which it is read."""
    longest, before = max(map(len, wanted)), b""
    with file.open("rb") as source:
        while block := source.read(1 << 20):
            if any(words in before + block for words in wanted):
                return True
            before = block[-longest:]
    return False


__all__ = ["DEMO", "OWN", "PRACTICE", "Record", "now"]
