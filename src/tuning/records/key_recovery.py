"""The way back where the key file of a protected record is damaged or another record's: every backup holds a copy."""

from __future__ import annotations

import json
import os
from collections.abc import Iterable
from contextlib import closing
from datetime import UTC, datetime
from pathlib import Path

from tuning.core.errors import EnvironmentFault, TuningError
from tuning.records import engine, keys
from tuning.records.dbapi import sqlite
from tuning.records.files import write_whole

FILE, STAMP = "record.sqlite", "%Y%m%dT%H%M%SZ"


def fits(folder: Path) -> bool:
    """Whether the key that was told opens the database of a folder. Raises Locked where none was told."""
    key = keys.of(folder)
    return key is not None and _opens(folder / FILE, key)


def is_gone(folder: Path) -> bool:
    """Whether a sealed database lies there without its key file."""
    file = folder / FILE
    return file.is_file() and not engine.is_plain(file) and not (folder / keys.NAME).exists()


def bring_back(folder: Path, backups: Iterable[Path], words: str) -> Path | None:
    """Put a backup's key file in the place of the folder's, and return that backup; None where none of them serves.

    One serves that the words open and whose key opens the database here. What was there lies beside it afterwards.
    Backups keep the passphrase that they were taken with.
    """
    tried = set[str]()
    for backup in backups:
        try:
            told = keys.read(backup)
        except EnvironmentFault:
            continue
        ways = json.dumps(told, sort_keys=True)
        if told is None or ways in tried:
            continue
        tried.add(ways)
        try:
            key = keys.unlock(backup, words)
        except TuningError:
            continue
        if _opens(folder / FILE, key):
            _exchange(folder, {**told, "state": keys.SEALING})  # whoever opens it next goes on sealing what is open
            return backup
    return None


def _opens(file: Path, key: keys.Key) -> bool:
    if engine.is_plain(file):  # the files beside it may be sealed all the same
        return True
    try:
        with closing(sqlite.connect(f"{file.absolute().as_uri()}?mode=ro", uri=True)) as db:
            db.execute(engine.pragma_key(key.database))
            db.execute("select count(*) from sqlite_master")
    except sqlite.DatabaseError:
        return False
    return True


def _exchange(folder: Path, told: dict[str, object]) -> None:
    own = folder / keys.NAME
    if own.exists():
        os.replace(own, own.with_name(f"{keys.NAME}.damaged-{datetime.now(UTC).strftime(STAMP)}"))
    write_whole(own, json.dumps(told, indent=1).encode())
