"""Rows of the tables as types of the core, and back: the one place that knows a column."""

from __future__ import annotations

import json
from collections.abc import Sequence
from dataclasses import fields
from datetime import UTC, date, datetime
from typing import Any

from tuning.core.case import Patient, Person
from tuning.core.entries import Medium
from tuning.core.errors import EnvironmentFault
from tuning.core.types import Entry, Role, Side
from tuning.records import audit_log, entry_codec
from tuning.records.dbapi import Connection, Row

PATIENT = tuple(f.name for f in fields(Patient))
PATIENTS = f"select id, revision, sum, {', '.join(audit_log.PATIENT)} from patient"
ENTRIES = """
    select entry.*, visit.uid as visit, visit.patient_id, person.uid as person, person.name as who,
           medium.uid as medium, sha256, suffix, original_name, size
    from entry join visit on visit_id = visit.id join person on entry.person_id = person.id
         left join medium on medium_id = medium.id
"""
VISITS = """
    select visit.uid, started_at, visit.sum, patient.uid as patient from visit join patient on patient_id = patient.id
"""


def stamp(moment: datetime) -> str:
    """A moment as it stands in the file. Raises EnvironmentFault for one without a zone."""
    if moment.tzinfo is None:
        raise EnvironmentFault("Not saved: a moment needs its zone.")
    return moment.astimezone(UTC).strftime("%Y-%m-%d %H:%M:%S.%f")


def moment(stamp: str) -> datetime:
    """A moment as it was meant."""
    return datetime.fromisoformat(f"{stamp}+00:00")


def insert(db: Connection, table: str, **values: Any) -> int | None:
    """A new row; its number."""
    names, marks = ", ".join(values), ", ".join("?" * len(values))
    return db.execute(f"insert into {table} ({names}) values ({marks})", tuple(values.values())).lastrowid


def as_dicts(found: Sequence[Row]) -> list[dict[str, Any]]:
    """Rows whose columns are found at once: of thousands the search by name is half the time."""
    names = found[0].keys() if found else []
    return [dict(zip(names, row, strict=True)) for row in found]


def number_of(db: Connection, table: str, uid: str) -> int:
    """The row number behind a uid. Raises EnvironmentFault when there is none."""
    row = db.execute(f"select id from {table} where uid = ?", (uid,)).fetchone()
    if row is None:
        raise EnvironmentFault(f"The record holds no {table} of this uid any more. Nothing was changed.")
    return int(row["id"])


def person(row: Row) -> Person:
    """A profile, where it is what was written. Raises EnvironmentFault."""
    audit_log.sound(row, audit_log.PERSON, "somebody's profile")
    return Person(row["uid"], row["name"], Role(row["role"]))


def patient(row: Row) -> Patient:
    """A patient as PATIENTS gives it, where it is what was written. Raises EnvironmentFault."""
    _, _, kept, *values = row  # by place, as thousands are read for the day list
    audit_log.check(kept, audit_log.sum_of_values(values, audit_log.PATIENT), "a patient")
    told = dict(zip(audit_log.PATIENT, values, strict=True))
    del told["created_at"]
    told["birth_date"], told["involved"] = date.fromisoformat(told["birth_date"]), Side(told["involved"])
    return Patient(**told)


def medium(row: Row) -> Medium:
    """A kept file."""
    return Medium(row["uid"], row["sha256"], row["suffix"], row["original_name"], row["size"])


def entry(row: audit_log.AnyRow) -> Entry:
    """An entry, where it is what was written; one that cannot be read is told as such, and hides no other.

    Raises EnvironmentFault.
    """
    audit_log.sound(row, audit_log.ENTRY, "an entry")
    try:
        return read(row)
    except (ValueError, TypeError, AttributeError) as err:
        return entry_codec.unreadable(row["kind"], _head(row), str(err))


def read(row: audit_log.AnyRow) -> Entry:
    """An entry, its sum not looked at. Raises ValueError."""
    medium = None
    if row["medium"] is not None:
        medium = Medium(row["medium"], row["sha256"], row["suffix"], row["original_name"], row["size"])
    said = json.loads(row["body"])
    if not isinstance(said, dict):
        raise ValueError("the body is no object")
    return entry_codec.entry_of(row["kind"], _head(row), said, medium)


def _head(row: audit_log.AnyRow) -> dict[str, Any]:
    return {
        "uid": row["uid"],
        "visit": row["visit"],
        "at": moment(row["at"]),
        "person": row["person"],
        "who": row["who"],
        "replaces": row["replaces"],
    }
