"""Taking a person out for good."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from tuning.records.dbapi import Connection, Row


@dataclass(frozen=True)
class ErasureResult:
    """What went: uids of everything, how much of each kind, and the files that nobody else uses."""

    uids: tuple[str, ...]
    visits: int
    entries: int
    files: tuple[tuple[str, str], ...]

    @property
    def counts(self) -> dict[str, int]:
        """How many of each."""
        return {"visits": self.visits, "entries": self.entries, "media": len(self.files)}


def take_out(db: Connection, number: int, patient_uid: str, entries: Sequence[Row]) -> ErasureResult:
    """Delete the rows of a person, within the transaction of the caller; `entries` are theirs."""
    visits = [row["uid"] for row in db.execute("select uid from visit where patient_id = ?", (number,))]
    within = "select entry.id from entry join visit on visit_id = visit.id where patient_id = ?"
    db.execute(f"delete from places where entry_id in ({within})", (number,))
    db.execute(f"delete from entry where id in ({within})", (number,))
    db.execute("delete from visit where patient_id = ?", (number,))
    db.execute("delete from digest where patient_id = ?", (number,))
    db.execute("delete from patient where id = ?", (number,))
    named = {row["medium"] for row in entries if row["medium"] is not None}
    unused = "select * from medium where id not in (select medium_id from entry where medium_id is not null)"
    free = [row for row in db.execute(unused).fetchall() if row["uid"] in named]
    db.executemany("delete from medium where id = ?", [(row["id"],) for row in free])
    uids = (patient_uid, *visits, *(row["uid"] for row in entries), *(row["uid"] for row in free))
    return ErasureResult(uids, len(visits), len(entries), tuple((row["sha256"], row["suffix"]) for row in free))
