"""Everything that can be wrong in a record, in sentences."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from tuning.core.types import Entry
from tuning.records import audit_log, day_list_digest
from tuning.records.dbapi import Connection, Row

Read = Callable[[Row], Entry]


def problems(db: Connection, entries: Sequence[Row], visits: Sequence[Row], read: Read) -> list[str]:
    """What SQLite, the references, the sums, the trail and the entries themselves say; empty when all is sound."""
    found = [f"database: {row[0]}" for row in db.execute("pragma integrity_check") if row[0] != "ok"]
    found += [f"a row of {row[0]} points at nothing" for row in db.execute("pragma foreign_key_check")]
    media = db.execute("select * from medium").fetchall()
    tables = (
        ("patient", db.execute("select * from patient").fetchall(), audit_log.PATIENT),
        ("visit", visits, audit_log.VISIT),
        ("medium", media, audit_log.MEDIUM),
        ("entry", entries, audit_log.ENTRY),
    )
    profiles = ("person", db.execute("select * from person").fetchall(), audit_log.PERSON)
    found += [
        f"{name} {row['uid']} is not what was written"
        for name, rows, fields in (*tables, profiles)
        for row in rows
        if row["sum"] != audit_log.sum_of(row, fields)
    ]
    found += [
        f"the day list's sums of patient {number} do not match the record" for number in day_list_digest.strayed(db)
    ]
    sums = {row["uid"]: row["sum"] for _, rows, _ in tables for row in rows}
    found += audit_log.problems(db, sums) + unreadable(entries, read)
    return found + _without_picture(entries, read)


def unreadable(rows: Sequence[Row], read: Read) -> list[str]:
    """Sentences about entries that cannot be read."""
    return [line for row in rows if (line := _trouble(row, read))]


def _trouble(row: Row, read: Read) -> str:
    try:
        read(row)
    except (ValueError, KeyError, TypeError, AttributeError) as err:
        return f"entry {row['id']} ({row['kind']}) cannot be read: {' '.join(str(err).split())}"
    return ""


def _without_picture(rows: Sequence[Row], read: Read) -> list[str]:
    """Entries that name a picture which is not there."""
    uids = {row["uid"] for row in rows}
    named = ((row["id"], getattr(read(row), "capture", "")) for row in rows if not _trouble(row, read))
    return [f"entry {number} names a picture that is not there" for number, uid in named if uid and uid not in uids]
