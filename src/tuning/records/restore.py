"""Put a backup in the place of a record, so that a kill at any moment leaves a record, and nothing half.

The copy is verified and marked before what is there is moved aside; whoever opens the record next goes on from the
mark.
"""

from __future__ import annotations

import os
import shutil
from contextlib import closing
from datetime import UTC, datetime
from itertools import count
from pathlib import Path

from tuning.core.errors import BadInput, EnvironmentFault
from tuning.records import engine
from tuning.records.backup import FILE, LOST, PART, STAMP, UNREAD, verify
from tuning.records.dbapi import sqlite
from tuning.records.error_mapping import told_as_fault
from tuning.records.files import SUMS, owner_only, sync_folder

MARK = ".restoring"
"""In a copy that is whole and verified, until it is the record and speaks of the backup no more."""


def restore(source: Path, record: Path) -> Path | None:
    """Put a backup in the place of a record; what was there is moved beside it, whole, and its folder returned.

    The backup is verified first and stays as it is. What an earlier record left beside its file (its write-ahead log)
    goes with it, so that it cannot reach into the restored one. Raises BadInput for a backup that is not whole,
    EnvironmentFault where the disk or another window is in the way.
    """
    problems = verify(source)
    if problems:
        raise BadInput(f"{source} is no whole backup: {problems[0]}. Nothing was changed.")
    part = _part_of(record)
    with told_as_fault(record.parent):
        record.parent.mkdir(parents=True, exist_ok=True)
        shutil.rmtree(part, ignore_errors=True)
        try:
            shutil.copytree(source, part)
            owner_only(part)
            problems = verify(part)
            if problems:
                raise EnvironmentFault(f"The copy would not be whole: {problems[0]}. Nothing was changed.")
            (part / MARK).touch()
            sync_folder(part)
            aside = _move_aside(record)
            try:
                os.replace(part, record)
            except BaseException:
                if aside is not None:
                    os.replace(aside, record)
                raise
            sync_folder(record.parent)
            _drop_notes(record)
        finally:
            shutil.rmtree(part, ignore_errors=True)
    return aside


def finish(record: Path) -> bool:
    """Go on with a restore that was killed, before a record is opened; whether there was one to finish."""
    part = _part_of(record)
    gone = not record.exists() and (part / MARK).exists()
    with told_as_fault(record.parent):
        if gone:
            os.replace(part, record)
            sync_folder(record.parent)
        shutil.rmtree(part, ignore_errors=True)
        if (record / MARK).exists():
            _drop_notes(record)
            return True
    return gone


def _part_of(record: Path) -> Path:
    return record.with_name(f"{PART}{record.name}")


def _drop_notes(record: Path) -> None:
    """The notes speak of the backup, and the record goes on; the mark last."""
    for note in (SUMS, LOST, UNREAD, MARK):
        (record / note).unlink(missing_ok=True)


def _is_open(file: Path) -> bool:
    """Whether another window has a record open; what its log still holds is taken in on the way."""
    try:
        with closing(engine.connect(file, timeout=0.2)) as connection:
            return str(connection.execute("pragma journal_mode=DELETE").fetchone()[0]) != "delete"
    except sqlite.OperationalError as err:
        return "locked" in str(err)
    except sqlite.DatabaseError:
        return False  # a damaged record is what a backup is for


def _move_aside(record: Path) -> Path | None:
    if not record.exists():
        return None
    if not any(record.iterdir()):
        record.rmdir()
        return None
    file = record / FILE
    if file.is_file() and _is_open(file):
        raise EnvironmentFault(f"{record} is open in another window. Close it to restore. Nothing was changed.")
    stamp = datetime.now(UTC).strftime(STAMP)
    names = (record.with_name(f"{record.name}.before-restore-{stamp}{n or ''}") for n in count())
    aside = next(name for name in names if not name.exists())
    os.replace(record, aside)
    return aside
