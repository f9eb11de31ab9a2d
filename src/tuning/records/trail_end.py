"""How far the trail of a protected record went, beside the database and under the record's own key.

A database put back as it was days ago, or a trail whose last lines are gone, has fewer lines than the note says. Who
can put both back, note and database, is found out only by a backup that was taken between.
"""

from __future__ import annotations

import hashlib
import hmac
import json
from contextlib import suppress
from pathlib import Path

from tuning.core.errors import EnvironmentFault
from tuning.records import keys
from tuning.records.dbapi import Connection, sqlite
from tuning.records.files import write_whole

NAME = "trail-end.json"
SHORTER = "trail: its last lines are gone, or the database is older than the note of its end"
MISSING = "trail: the note of its end is gone or was changed; what was taken from the end would not show"


def write(folder: Path, key: keys.Key, db: Connection) -> None:
    """Note the last line. Where the machine refuses, the note stays behind and still holds for what it names.

    What it follows is saved already: nothing that goes wrong here may say otherwise.
    """
    with suppress(EnvironmentFault, sqlite.Error):
        row = db.execute("select id, chain from trail order by id desc limit 1").fetchone()
        if row is None:
            return
        told = {"line": row["id"], "chain": row["chain"]}
        write_whole(folder / NAME, json.dumps({**told, "seal": _seal(key, **told)}).encode())


def problem(folder: Path, key: keys.Key, db: Connection) -> str:
    """What the note says against the trail; empty where they agree, or none was ever written under this key."""
    if not begun(key, db):
        return ""
    try:
        told = json.loads((folder / NAME).read_text(encoding="utf-8"))
        line, chain = int(told["line"]), str(told["chain"])
        if not hmac.compare_digest(str(told["seal"]).encode(), _seal(key, line, chain).encode()):
            return MISSING
    except (OSError, ValueError, KeyError, TypeError, RecursionError):
        return MISSING
    row = db.execute("select chain from trail where id = ?", (line,)).fetchone()
    return "" if row is not None and row["chain"] == chain else SHORTER


def begun(key: keys.Key, db: Connection) -> bool:
    """Whether the database remembers that there is a note under this key."""
    row = db.execute("select value from info where key = 'trail-end'").fetchone()
    return row is not None and row["value"] == key.id


def begin(key: keys.Key, db: Connection) -> None:
    """Remember, within the database, that there is a note from now on."""
    db.execute("insert or replace into info (key, value) values ('trail-end', ?)", (key.id,))


def _seal(key: keys.Key, line: int, chain: str) -> str:
    return hmac.new(key.trail, f"{line} {chain}".encode(), hashlib.sha256).hexdigest()
