"""One person as plain data that travels: all by uid, nothing by row number; and merged again without duplicates."""

from __future__ import annotations

import base64
import json
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date, datetime
from typing import Any

from tuning.core.errors import BadInput, Conflict
from tuning.core.types import Role
from tuning.core.units import sentence_case
from tuning.records import audit_log, entry_codec
from tuning.records.dbapi import Connection, Row

ROWS = """
    select entry.uid, kind, visit.uid as visit, entry.at, person.uid as person, medium.uid as medium, replaces,
           struck_at, body, places.data as places
    from entry join visit on visit_id = visit.id join person on entry.person_id = person.id
         left join medium on medium_id = medium.id left join places on places.entry_id = entry.id
    where visit.patient_id = ? order by entry.id
"""
PEOPLE = """
    select distinct person.uid, person.name, role, person.created_at from person where id in (
        select person_id from visit where patient_id = :id
        union select entry.person_id from entry join visit on visit_id = visit.id where patient_id = :id
        union select created_by from patient where id = :id
        union select medium.person_id from medium join entry on medium_id = medium.id join visit on visit_id = visit.id
              where patient_id = :id)
"""
MEDIA = """
    select distinct medium.uid, sha256, suffix, original_name, size, added_at, person.uid as person
    from medium join entry on medium_id = medium.id join visit on visit_id = visit.id
         join person on medium.person_id = person.id where patient_id = ?
"""
Data = Mapping[str, Any]


@dataclass(frozen=True)
class MergeResult:
    """What an import added; `kept` counts what was there already."""

    patient: str
    visits: int = 0
    entries: int = 0
    media: int = 0
    kept: int = 0
    notes: tuple[str, ...] = ()


def dump(db: Connection, patient_uid: str) -> dict[str, Any]:
    """Everything of a person, struck entries too. Raises BadInput when there is nobody of this uid."""
    patient = db.execute("select * from patient where uid = ?", (patient_uid,)).fetchone()
    if patient is None:
        raise BadInput("The record holds nobody of this uid.")
    visits = db.execute(
        "select visit.uid, started_at, person.uid as person from visit join person on person_id = person.id "
        "where patient_id = ? order by visit.id",
        (patient["id"],),
    ).fetchall()
    entries = [_entry(row) for row in db.execute(ROWS, (patient["id"],))]
    creator = db.execute("select uid from person where id = ?", (patient["created_by"],)).fetchone()
    return {
        "patient": {**{name: patient[name] for name in audit_log.PATIENT}, "created_by": creator["uid"]},
        "people": [dict(row) for row in db.execute(PEOPLE, {"id": patient["id"]})],
        "visits": [dict(row) for row in visits],
        "media": [dict(row) for row in db.execute(MEDIA, (patient["id"],))],
        "entries": entries,
        "trail": [_line(row) for row in _told(db, [patient_uid, *(e["uid"] for e in entries)])],
    }


def _told(db: Connection, subjects: Sequence[str]) -> list[Row]:
    wanted = set(subjects)
    return [row for row in db.execute("select * from trail order by id") if row["subject"] in wanted]


def _line(row: Row) -> dict[str, Any]:
    return {**{name: row[name] for name in ("at", "who", "what", "subject")}, "detail": json.loads(row["detail"])}


def _entry(row: Row) -> dict[str, Any]:
    told = {**dict(row), "body": json.loads(row["body"])}
    places = told.pop("places")
    return told if places is None else {**told, "places": base64.b64encode(places).decode()}


def check(data: Data) -> None:
    """Whether data make a person that this version can hold. Raises BadInput with what is wrong."""
    visits, media = ({row["uid"] for row in data[name]} for name in ("visits", "media"))
    people = {row["uid"] for row in data["people"]}
    patient = data["patient"]
    names = [("the patient", patient["created_by"]), *(("a visit", row["person"]) for row in data["visits"]),
             *(("a file", row["person"]) for row in data["media"])]  # fmt: skip
    for what, uid in names:
        if uid not in people:
            raise BadInput(f"{sentence_case(what)} names a profile that is not there.")
    _dates(data)
    if any(row["role"] not in set(Role) for row in data["people"]):
        raise BadInput("A profile has a role that is none.")
    for row in data["entries"]:
        if row["visit"] not in visits or row["person"] not in people or (row["medium"] and row["medium"] not in media):
            raise BadInput(f"Entry {row['uid']} names a visit, person or file that is not there.")
        if (row["kind"] in {entry_codec.NAMES[kind] for kind in entry_codec.HOLD_MEDIA}) != bool(row["medium"]):
            raise BadInput(f"Entry {row['uid']} ({row['kind']}) should hold a file, or should not.")
        try:
            entry_codec.readable(row["kind"], row["body"])
            base64.b64decode(row.get("places", ""), validate=True)
        except ValueError as err:
            raise BadInput(f"Entry {row['uid']} cannot be read: {err}.") from err


def _dates(data: Data) -> None:
    """Every day and moment is one."""
    patient = data["patient"]
    stamps = [patient["created_at"], *(row["created_at"] for row in data["people"]),
              *(row["started_at"] for row in data["visits"]), *(row["added_at"] for row in data["media"]),
              *(row["at"] for row in data["entries"]),
              *(row["struck_at"] for row in data["entries"] if row["struck_at"] is not None)]  # fmt: skip
    try:
        date.fromisoformat(patient["birth_date"])
        for stamp in stamps:
            datetime.strptime(stamp, "%Y-%m-%d %H:%M:%S.%f")
    except ValueError as err:
        raise BadInput(f"A date makes no sense: {err}.") from err


def merge(db: Connection, data: Data, told: Any) -> MergeResult:
    """Put a person into the record, or together with the same one; nothing is taken twice.

    `told(what, subject, **detail)` writes the audit_log. Raises Conflict where the same entry says something else here:
    nothing is changed then, as the caller's transaction is given up.
    """
    people = {row["uid"]: _person(db, row) for row in data["people"]}
    patient, uid, notes = data["patient"], data["patient"]["uid"], []
    known = db.execute("select * from patient where uid = ?", (uid,)).fetchone()
    if known is None:
        row = {name: patient[name] for name in audit_log.PATIENT}
        total = audit_log.sum_of(row, audit_log.PATIENT)
        number = _insert(db, "patient", **row, revision=0, created_by=people[patient["created_by"]], sum=total)
        told("imported patient", uid, sum=total)
    else:
        number = known["id"]
        if any(known[name] != patient[name] for name in audit_log.PATIENT):
            notes.append("the person's details are kept as they are here")
    visits, new_visits = _visits(db, data["visits"], uid, number, people, told)
    media, new_media = _media(db, data["media"], people, told)
    added, kept = _entries(db, data["entries"], visits, people, media, told, notes)
    if known is not None and (added or new_visits):
        _in_order(db, number)
    db.execute("update patient set revision = revision + 1 where id = ?", (number,))
    return MergeResult(uid, new_visits, added, new_media, kept, tuple(dict.fromkeys(notes)))


def _person(db: Connection, row: Data) -> int:
    known = db.execute("select id from person where uid = ?", (row["uid"],)).fetchone()
    if known is not None:
        return int(known["id"])
    values = {name: row[name] for name in audit_log.PERSON}
    return _insert(db, "person", **values, sum=audit_log.sum_of(values, audit_log.PERSON))


def _visits(
    db: Connection, rows: Sequence[Data], patient: str, number: int, people: Mapping[str, int], told: Any
) -> tuple[dict[str, int], int]:
    found, added = {}, 0
    for row in rows:
        known = db.execute("select id, patient_id, started_at from visit where uid = ?", (row["uid"],)).fetchone()
        if known is not None:
            if known["patient_id"] != number or known["started_at"] != row["started_at"]:
                raise Conflict("A visit of the same uid is another one here. Nothing was taken over.")
            found[row["uid"]] = int(known["id"])
            continue
        values = {"uid": row["uid"], "patient": patient, "started_at": row["started_at"]}
        total = audit_log.sum_of(values, audit_log.VISIT)
        found[row["uid"]] = _insert(
            db, "visit", uid=row["uid"], patient_id=number, started_at=row["started_at"],
            person_id=people[row["person"]], sum=total,
        )  # fmt: skip
        told("imported visit", row["uid"], sum=total)
        added += 1
    return found, added


def _media(
    db: Connection, rows: Sequence[Data], people: Mapping[str, int], told: Any
) -> tuple[dict[str, tuple[int, str]], int]:
    """Row number and uid here of every file, by its uid in the parcel: the same file is noted once."""
    found, added = {}, 0
    for row in rows:
        known = db.execute("select id, uid from medium where sha256 = ?", (row["sha256"],)).fetchone()
        if known is not None:
            found[row["uid"]] = (int(known["id"]), str(known["uid"]))
            continue
        values = {name: row[name] for name in audit_log.MEDIUM}
        total = audit_log.sum_of(values, audit_log.MEDIUM)
        number = _insert(db, "medium", **values, added_at=row["added_at"], person_id=people[row["person"]], sum=total)
        found[row["uid"]] = (number, row["uid"])
        told("imported file", row["uid"], sum=total)
        added += 1
    return found, added


def _entries(
    db: Connection, rows: Sequence[Data], visits: Mapping[str, int], people: Mapping[str, int],
    media: Mapping[str, tuple[int, str]], told: Any, notes: list[str],
) -> tuple[int, int]:  # fmt: skip
    added = kept = 0
    for row in rows:
        known = db.execute("select kind, body, struck_at from entry where uid = ?", (row["uid"],)).fetchone()
        if known is not None:
            if known["kind"] != row["kind"] or json.loads(known["body"]) != row["body"]:
                raise Conflict("An entry of the same uid says something else here. Nothing was taken over.")
            if bool(known["struck_at"]) != bool(row["struck_at"]):
                notes.append("what was struck or restored elsewhere stays as it is here")
            kept += 1
            continue
        number, medium = media[row["medium"]] if row["medium"] else (None, None)
        values = {**{name: row[name] for name in audit_log.ENTRY}, "medium": medium, "body": json.dumps(row["body"])}
        total = audit_log.sum_of(values, audit_log.ENTRY)
        entry = _insert(
            db, "entry", uid=row["uid"], kind=row["kind"], visit_id=visits[row["visit"]], at=row["at"],
            person_id=people[row["person"]], medium_id=number, replaces=row["replaces"], struck_at=row["struck_at"],
            body=values["body"], sum=total,
        )  # fmt: skip
        if "places" in row:
            _insert(db, "places", entry_id=entry, data=base64.b64decode(row["places"]))
        told("imported", row["uid"], sum=total, kind=row["kind"])
        added += 1
    return added, kept


def _in_order(db: Connection, patient: int) -> None:
    """Rows of a person numbered by time anew: what is newest is read off the order, wherever it was written."""
    db.execute("pragma defer_foreign_keys = on")
    visits = [row["id"] for row in db.execute(
        "select id from visit where patient_id = ? order by started_at, id", (patient,))]  # fmt: skip
    if visits != sorted(visits):
        for old, new in _numbers(db, "visit", visits):
            db.execute("update visit set id = ? where id = ?", (new, old))
            db.execute("update entry set visit_id = ? where visit_id = ?", (new, old))
    entries = [row["id"] for row in db.execute(
        "select entry.id from entry join visit on visit_id = visit.id where patient_id = ? "
        "order by visit_id, entry.at, entry.id", (patient,))]  # fmt: skip
    if entries != sorted(entries):
        for old, new in _numbers(db, "entry", entries):
            db.execute("update entry set id = ? where id = ?", (new, old))
            db.execute("update places set entry_id = ? where entry_id = ?", (new, old))


def _numbers(db: Connection, table: str, old: Sequence[int]) -> list[tuple[int, int]]:
    """New numbers behind all that there are, in the order of `old`."""
    top = int(db.execute(f"select max(id) from {table}").fetchone()[0])
    return [(one, top + n) for n, one in enumerate(old, start=1)]


def _insert(db: Connection, table: str, **values: Any) -> int:
    names, marks = ", ".join(values), ", ".join("?" * len(values))
    made = db.execute(f"insert into {table} ({names}) values ({marks})", tuple(values.values()))
    assert made.lastrowid is not None
    return made.lastrowid
