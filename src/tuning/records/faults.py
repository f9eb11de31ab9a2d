"""Foreign errors of disk and database, mapped once to sentences."""

from __future__ import annotations

import errno
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from sqlalchemy.exc import DatabaseError

from tuning.core.errors import EnvironmentFault

_OS_SENTENCES = {
    errno.ENOSPC: "The disk is full",
    errno.EDQUOT: "Your disk quota is used up",
    errno.EACCES: "The folder may not be written to",
    errno.EPERM: "The folder may not be written to",
    errno.EROFS: "The folder is read-only",
}

_DATABASE_SENTENCES = {
    "readonly": "The record is read-only",
    "unable to open": "The record cannot be opened; its folder may be read-only or missing",
    "disk is full": "The disk is full",
    "disk i/o": "The disk refused to write",
    "locked": "Another program holds the record; close it and try again",
    "not a database": "The file record.sqlite is not a Tuning record",
    "malformed": "The record is damaged; restore the last backup",
}


@contextmanager
def told_as_fault(place: Path) -> Iterator[None]:
    """Turn errors of the machine into an EnvironmentFault with a plain sentence."""
    try:
        yield
    except DatabaseError as err:
        text = str(err.orig).lower()
        for sign, sentence in _DATABASE_SENTENCES.items():
            if sign in text:
                raise EnvironmentFault(f"{sentence} ({place}). What was saved before is kept.") from err
        raise
    except OSError as err:
        known = _OS_SENTENCES.get(err.errno or 0)
        if known is None:
            raise
        raise EnvironmentFault(f"{known} ({place}). What was saved before is kept.") from err
