"""Protect a record with a passphrase, and take the protection off: at every moment the whole record can be opened.

The database is sealed on a copy that takes its place by one rename; files follow one by one, each sealed beside before
the open one goes. What a kill left half done is gone on with, or undone, when the record is opened next.
"""

from __future__ import annotations

from collections.abc import Callable
from contextlib import closing
from pathlib import Path

from tuning.core.errors import BadInput, EnvironmentFault
from tuning.records import engine, keys, schema, trail_end
from tuning.records.dbapi import sqlite
from tuning.records.error_mapping import told_as_fault
from tuning.records.files import held
from tuning.records.media import MediaFolder

FILE, MEDIA = "record.sqlite", "media"


def protect(folder: Path, passphrase: str, tick: Callable[[float], None] = lambda _: None) -> str:
    """Seal a record that nobody has open; returns the recovery code, which is told this once.

    Backups taken before stay as they are. Raises BadInput for a short passphrase or a protected record,
    EnvironmentFault where the disk or another window is in the way; the record is open as before then.
    """
    if keys.read(folder) is not None:
        raise BadInput("This record is protected already.")
    with held(folder, "record"), told_as_fault(folder):
        _alone(folder / FILE)
        code = keys.make(folder, passphrase)
        try:
            _rewritten(folder / FILE, keys.of(folder), None)
        except BaseException:
            (folder / keys.NAME).unlink(missing_ok=True)
            raise
        _seal_media(folder, tick)
    return code


def open_up(folder: Path, words: str, tick: Callable[[float], None] = lambda _: None) -> None:
    """Take the protection off a record that nobody has open. Raises BadInput and EnvironmentFault like `protect`."""
    key = keys.unlock(folder, words)
    with held(folder, "record"), told_as_fault(folder):
        _alone(folder / FILE)
        keys.set_state(folder, keys.SEALING)  # until all is open: who comes between seals what was opened
        media = MediaFolder(folder / MEDIA)
        _each(media.open_up, media.sealed(), tick)
        _rewritten(folder / FILE, None, key)
        (folder / keys.NAME).unlink()
        (folder / trail_end.NAME).unlink(missing_ok=True)


def settle(folder: Path) -> None:
    """Go on with what was interrupted, before a record is opened. Raises Locked where that needs the passphrase."""
    told, left = keys.read(folder), _work(folder / FILE)
    if not (folder / FILE).exists() or (told is None and not left.exists()):
        return
    with held(folder, "record"), told_as_fault(folder):
        left.unlink(missing_ok=True)
        told = keys.read(folder)
        if told is None or told["state"] == keys.SEALED:
            return
        if engine.is_plain(folder / FILE) and not MediaFolder(folder / MEDIA).sealed():
            (folder / keys.NAME).unlink()  # the database was not sealed yet, or is open again: so is everything
        else:
            keys.of(folder)
            _seal_media(folder, lambda _: None)


def _seal_media(folder: Path, tick: Callable[[float], None]) -> None:
    media = MediaFolder(folder / MEDIA)
    _each(media.seal, media.plain(), tick)
    keys.set_state(folder, keys.SEALED)


def _each(deed: Callable[[Path], None], files: list[Path], tick: Callable[[float], None]) -> None:
    for n, file in enumerate(files):
        tick(n / len(files))
        deed(file)


def _alone(file: Path) -> None:
    """The log of the database taken in; nobody else has it open. Raises EnvironmentFault."""
    if not file.is_file():
        raise BadInput(f"There is no record in {file.parent}.")
    schema.revision_of(file)
    with closing(engine.connect(file, timeout=0.5)) as db:
        if db.execute("pragma journal_mode=DELETE").fetchone()[0] != "delete":
            raise EnvironmentFault(f"Another window has the record open ({file}). Close it first. Nothing was changed.")


def _work(file: Path) -> Path:
    return file.with_name(f".{file.name}.sealing")


def _rewritten(file: Path, after: keys.Key | None, before: keys.Key | None) -> None:
    """Put a copy of the database with another key, or none, in its place. Raises EnvironmentFault."""
    work = _work(file)
    work.unlink(missing_ok=True)
    with closing(sqlite.connect(str(file), isolation_level=None)) as db:
        if before is not None:
            db.execute(engine.pragma_key(before.database))
        secret = f"\"x'{after.database.hex()}'\"" if after is not None else "''"
        db.execute(f"attach database ? as copied key {secret}", (str(work),))
        db.execute("select sqlcipher_export('copied')")
        tables = [row[0] for row in db.execute("select name from main.sqlite_master where type = 'table'")]
        for table in tables:
            counts = {db.execute(f"select count(*) from {where}.{table}").fetchone() for where in ("main", "copied")}
            if len(counts) != 1:
                raise EnvironmentFault("The copy would not be whole. Nothing was changed.")
        if [row[0] for row in db.execute("pragma copied.integrity_check")] != ["ok"]:
            raise EnvironmentFault("The copy would not be sound. Nothing was changed.")
        db.execute("detach database copied")
    schema.install_file(work, file)
