"""Foreign errors of disk and database, mapped once to sentences."""

from __future__ import annotations

import errno
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from tuning.core.errors import EnvironmentFault
from tuning.records.dbapi import sqlite

_OS_SENTENCES = {
    errno.ENOSPC: "The disk is full",
    errno.EDQUOT: "Your disk quota is used up",
    errno.EFBIG: "The file may not grow any further",
    errno.EACCES: "The folder may not be written to",
    errno.EPERM: "The folder may not be written to",
    errno.EROFS: "The folder is read-only",
}

_DATABASE_SENTENCES = {
    sqlite.SQLITE_READONLY: "The record is read-only",
    sqlite.SQLITE_CANTOPEN: "The record cannot be opened; its folder may be read-only or missing",
    sqlite.SQLITE_FULL: "The disk is full",
    sqlite.SQLITE_IOERR: "The disk refused to read or write",
    sqlite.SQLITE_BUSY: "Another program holds the record; close it and try again",
    sqlite.SQLITE_LOCKED: "Another program holds the record; close it and try again",
    sqlite.SQLITE_NOTADB: "The file record.sqlite is not a Tuning record, or is protected and its key file is gone",
    sqlite.SQLITE_CORRUPT: "The record is damaged; restore the last backup",
}


def database_sentence(err: BaseException | None) -> str:
    """What a database error means in plain words, by its code."""
    code = getattr(err, "sqlite_errorcode", None)
    known = _DATABASE_SENTENCES.get(code & 0xFF) if code is not None else None  # the low byte is the kind of error
    return known or "The record refused to answer"


@contextmanager
def told_as_fault(place: Path) -> Iterator[None]:
    """Turn errors of the machine into an EnvironmentFault with a plain sentence."""
    try:
        yield
    except sqlite.Error as err:
        raise EnvironmentFault(f"{database_sentence(err)} ({place}). What was saved before is unchanged.") from err
    except UnicodeDecodeError as err:  # SQLite quotes damaged bytes in what it says, and Python cannot read them
        raise EnvironmentFault(f"The record is damaged ({place}). Restore the last backup.") from err
    except OSError as err:
        known = _OS_SENTENCES.get(err.errno or 0, f"The machine refused: {err.strerror or err}")
        raise EnvironmentFault(f"{known} ({place}). What was saved before is unchanged.") from err
