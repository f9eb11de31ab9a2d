"""Opens database files, plain ones and those whose folder has a key."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from tuning.records import keys
from tuning.records.dbapi import Connection, sqlite

PLAIN_HEAD = b"SQLite format 3\x00"


def is_plain(file: Path) -> bool:
    """Whether a database file lies open."""
    with file.open("rb") as stream:
        return stream.read(len(PLAIN_HEAD)) == PLAIN_HEAD


def connect(file: Path, mode: str = "", **how: Any) -> Connection:
    """A connection to a database file, with the key of its folder where there is one.

    `mode` is what stands behind the question mark of a file's URI ("mode=ro"). Raises Locked while nobody has told
    the passphrase of the folder in this program.
    """
    key = keys.of(file.parent)
    place = f"{file.absolute().as_uri()}?{mode}" if mode else str(file)
    made: Connection = sqlite.connect(place, uri=bool(mode), **how)
    if key is not None:
        made.execute(pragma_key(key.database))
    return made


def pragma_key(secret: bytes, word: str = "key =") -> str:
    """The statement that gives a raw key of 32 bytes; no passphrase is stretched by the database itself."""
    return f"pragma {word} \"x'{secret.hex()}'\""
