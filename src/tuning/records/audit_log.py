"""The trail: who did what when, each line chained to the one before; and the sum of a row, so that a changed one shows.

A row's sum says that it is what was written; the chain says that no line of the trail was taken out or put in. Who
changes row, sum and every later line of the chain is not found out: the trail shows tampering, it cannot prevent it.
"""

from __future__ import annotations

import hashlib
import json
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any, TypeVar

from tuning.core.errors import EnvironmentFault
from tuning.records.dbapi import Connection, Row

PERSON = ("uid", "name", "role", "created_at")
AnyRow = Row | Mapping[str, Any]
R = TypeVar("R", bound=AnyRow)
PATIENT = (
    "uid", "name", "birth_date", "sex", "body_mass_kg", "stature_m", "dominant_hand", "dominant_leg", "complaint",
    "involved", "occupation", "created_at",
)  # fmt: skip
DOUBLES = ("body_mass_kg", "stature_m")
"""Columns that SQLite hands back as floating point, whatever was put in."""
VISIT = ("uid", "patient", "started_at")
MEDIUM = ("uid", "sha256", "suffix", "original_name", "size")
ENTRY = ("uid", "kind", "visit", "at", "person", "medium", "replaces", "struck_at", "body")
"""What the sum of each row is made of, in this order; rows of other tables by their uid."""


def sum_of(row: AnyRow, fields: Sequence[str]) -> str:
    """The sum of a row: the same for one about to be written and one that was read, which knows 74 kg as 74.0."""
    return sum_of_values([row[name] for name in fields], fields)


def sum_of_values(values: Sequence[Any], fields: Sequence[str]) -> str:
    """The same of what stands in these columns."""
    # Text is taken as it is: the day list sums thousands of rows before it shows.
    words = [value if type(value) is str else _word(name, value) for value, name in zip(values, fields, strict=True)]
    return hashlib.sha256("\x1f".join(words).encode()).hexdigest()[:32]


def _word(name: str, value: Any) -> str:
    if value is None:
        return ""
    return str(float(value)) if name in DOUBLES else str(value)


def sound(row: R, fields: Sequence[str], what: str) -> R:
    """The row, where it is what was written. Raises EnvironmentFault."""
    check(row["sum"], sum_of(row, fields), what)
    return row


def check(kept: str, total: str, what: str) -> None:
    """Whether a row is what was written. Raises EnvironmentFault."""
    if kept != total:
        raise EnvironmentFault(
            f"The record is damaged: {what} is not what was written. Nothing was changed; restore the last backup."
        )


@dataclass(frozen=True)
class AuditLine:
    """A line of the trail: when, who (name, empty where the program itself), what, about what, with details."""

    at: datetime
    who: str
    what: str
    subject: str
    detail: Mapping[str, Any]


def append_line(db: Connection, at: str, who: str, what: str, subject: str, detail: Mapping[str, Any]) -> None:
    """One more line, within the transaction of what it tells."""
    row = db.execute("select chain from trail order by id desc limit 1").fetchone()
    words = json.dumps(dict(detail), ensure_ascii=False)
    chain = _link(str(row["chain"]) if row is not None else "", at, who, what, subject, words)
    db.execute(
        "insert into trail (at, who, what, subject, detail, chain) values (?, ?, ?, ?, ?, ?)",
        (at, who, what, subject, words, chain),
    )


def _link(before: str, *parts: str) -> str:
    return hashlib.sha256("\x1f".join((before, *parts)).encode()).hexdigest()


def problems(db: Connection, sums: Mapping[str, str]) -> list[str]:
    """What is wrong with the trail, and what of the record it tells otherwise; `sums` of every row by uid."""
    found: list[str] = []
    chain, told, gone = "", dict[str, str](), set[str]()
    for row in db.execute("select * from trail order by id"):
        parts = (row["at"], row["who"], row["what"], row["subject"], row["detail"])
        if _link(chain, *map(str, parts)) != row["chain"]:
            found.append(f"trail: line {row['id']} is not what was written, or one before it is missing")
        chain = str(row["chain"])
        try:
            detail = json.loads(row["detail"])
        except ValueError:
            continue
        if "sum" in detail:
            told[row["subject"]] = detail["sum"]
        gone |= set(detail.get("erased", ()))
    found += [f"trail: {uid} was changed outside the program" for uid, one in sums.items() if told.get(uid, one) != one]
    found += [f"trail: no author for {uid}" for uid in sums if uid not in told]
    found += [f"trail: {uid} is missing from the record" for uid in told if uid not in sums and uid not in gone]
    return found
