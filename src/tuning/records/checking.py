"""Everything that can be wrong in a record, in sentences."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from tuning.core.types import Entry
from tuning.records import people, trail
from tuning.records.dbapi import Connection, Row

Read = Callable[[Row], Entry]


def problems(db: Connection, entries: Sequence[Row], visits: Sequence[Row], read: Read) -> list[str]:
    """What SQLite, the references, the sums, the trail and the entries themselves say; empty when all is sound."""
    found = [f"database: {row[0]}" for row in db.execute("pragma integrity_check") if row[0] != "ok"]
    found += [f"a row of {row[0]} points at nothing" for row in db.execute("pragma foreign_key_check")]
    media = db.execute("select * from medium").fetchall()
    tables = (
        ("patient", db.execute("select * from patient").fetchall(), trail.PATIENT),
        ("visit", visits, trail.VISIT),
        ("medium", media, trail.MEDIUM),
        ("entry", entries, trail.ENTRY),
    )
    profiles = ("person", db.execute("select * from person").fetchall(), trail.PERSON)
    found += [
        f"{name} {row['uid']} is not what was written"
        for name, rows, fields in (*tables, profiles)
        for row in rows
        if row["sum"] != trail.sum_of(row, fields)
    ]
    found += [f"the day list's sums of patient {number} are not what stands" for number in people.strayed(db)]
    sums = {row["uid"]: row["sum"] for _, rows, _ in tables for row in rows}
    return found + trail.problems(db, sums) + _unreadable(entries, read)


def _unreadable(rows: Sequence[Row], read: Read) -> list[str]:
    """Entries that cannot be read, or that name a picture which is not there."""
    found, uids = [], {row["uid"] for row in rows}
    for row in rows:
        try:
            entry = read(row)
        except (ValueError, KeyError) as err:
            found.append(f"entry {row['id']} cannot be read: {err}")
            continue
        capture = getattr(entry, "capture", "")
        if capture and capture not in uids:
            found.append(f"entry {row['id']} names a picture that is not there")
    return found
