"""Makes, checks and upgrades the database file. A record is the old one or the new one, never half of either.

A new record and an upgraded one are made beside and put in place by one rename. Whoever
opens a record holds a lock of the folder meanwhile. Alembic is loaded only when needed.
"""

from __future__ import annotations

import os
import re
from contextlib import closing
from pathlib import Path

from tuning.core.errors import EnvironmentFault
from tuning.records import engine
from tuning.records.dbapi import sqlite
from tuning.records.error_mapping import told_as_fault
from tuning.records.files import held, sync_folder

HEAD = "0006"
"""Newest revision in migrations/versions; a test holds the two together."""
KNOWN = ("0001", "0002", "0003", "0004", "0005", HEAD)
TABLES_SQL = Path(__file__).with_name("tables.sql").read_text(encoding="utf-8")
PATIENCE_MS = 3000
"""So long a write waits for another window's."""
CACHE = "cache_size=-65536"
"""64 MiB: pages of a protected record are costly to read twice."""
TABLES = set(re.findall(r"(?i)^create table (\w+)", TABLES_SQL, re.MULTILINE))
OLD_TABLES = {
    "0001": {"person", "media", "patient", "visit", "entry", "capture", "observation", "plan_item", "safety_screen",
             "calibration", "mark"},
}  # fmt: skip
OLD_TABLES["0002"] = OLD_TABLES["0001"] | {"finding"}
OLD_TABLES["0003"] = OLD_TABLES["0002"] | {"track"}
OLD_TABLES["0004"] = {"info", "person", "patient", "medium", "visit", "entry", "places"}
OLD_TABLES["0005"] = OLD_TABLES["0004"] | {"trail"}


def connection_to(file: Path, writing: bool = True) -> sqlite.Connection:
    """A connection whose commits are durable; transactions are begun by hand."""
    connection = engine.connect(file, timeout=PATIENCE_MS / 1000, isolation_level=None)
    kept_open = ("journal_mode=WAL", "foreign_keys=ON", "synchronous=FULL") if writing else ("query_only=ON",)
    for pragma in (*kept_open, CACHE):
        connection.execute(f"pragma {pragma}")
    connection.row_factory = sqlite.Row
    return connection


def ready(file: Path, kind: str) -> bool:
    """See to it that there is a record of the newest revision at `file`; `kind` is that of a new one.

    Whether it may be written: one of a newer version that has all tables is opened to read. Raises
    EnvironmentFault when it is none of ours, damaged, or cannot be written; nothing is changed then.
    """
    with held(file.parent, "record"), told_as_fault(file):
        if not file.exists():
            _sweep(file)
            _make(file, kind)
            return True
        found = revision_of(file, newer=True)
        if found not in KNOWN or found == HEAD:
            _look_through(file)
            return found == HEAD
        _sweep(file)
        _upgrade(file, found)
        return True


def revision_of(file: Path, newer: bool = False) -> str:
    """The revision of a record, its tables looked at; one of a newer version only where `newer` says so.

    Raises EnvironmentFault when it is no sound record.
    """
    if file.stat().st_size == 0:
        raise EnvironmentFault(f"{file} is empty (0 bytes), so it is no record any more. Restore the last backup.")
    with told_as_fault(file), closing(_plain(file)) as connection:
        tables = _tables(connection)
        if "alembic_version" not in tables:
            raise EnvironmentFault(f"{file} is a database, but not a Tuning record. Nothing was changed.")
        row = connection.execute("select version_num from alembic_version").fetchone()
    found = str(row[0]) if row else ""
    later = found.isdigit() and found > HEAD
    if found not in KNOWN and not (newer and later and tables >= TABLES):
        who = f"was written by a newer Tuning (revision {found})" if later else f"has an unknown revision “{found}”"
        raise EnvironmentFault(f"This record {who}. Nothing was changed; open it with the version that wrote it.")
    missing = OLD_TABLES.get(found, TABLES) - tables
    if missing:
        raise EnvironmentFault(
            f"The record is damaged: the table “{min(missing)}” is missing ({file}). Restore the last backup."
        )
    return found


def _look_through(file: Path) -> None:
    """Every page and index, as a row that is gone would leave no other sign. Raises EnvironmentFault."""
    with closing(_plain(file)) as connection:
        wrong = [str(row[0]) for row in connection.execute("pragma integrity_check(1)") if row[0] != "ok"]
    if wrong:
        raise EnvironmentFault(f"The record is damaged ({file}: {wrong[0]}). Restore the last backup.")


def _tables(connection: sqlite.Connection) -> set[str]:
    return {str(row[0]) for row in connection.execute("select name from sqlite_master where type = 'table'")}


def _plain(file: Path) -> sqlite.Connection:
    connection = engine.connect(file, timeout=PATIENCE_MS / 1000)
    connection.execute("pragma synchronous=FULL")
    return connection


def _beside(file: Path, what: str) -> Path:
    return file.with_name(f".{file.name}.{what}")


def _sweep(file: Path) -> None:
    """What a killed start left beside."""
    for what in ("making", "upgrading", "copying"):
        for left in (_beside(file, what), Path(f"{_beside(file, what)}-journal"), Path(f"{_beside(file, what)}-wal")):
            left.unlink(missing_ok=True)


def _make(file: Path, kind: str) -> None:
    made = _beside(file, "making")
    with closing(engine.connect(made)) as connection:
        connection.executescript(f"begin; {TABLES_SQL} commit;")
        with connection:
            connection.execute("insert into alembic_version values (?)", (HEAD,))
            connection.execute("insert into info values ('kind', ?)", (kind,))
    install_file(made, file)


def install_file(made: Path, file: Path) -> None:
    """Put a whole database file in its place."""
    with made.open("rb") as written:
        os.fsync(written.fileno())
    made.chmod(0o600)
    os.replace(made, file)
    sync_folder(file.parent)


def copy_of(file: Path, target: Path) -> None:
    """A whole copy of a database that may be in use, by SQLite's own backup; there or not there."""
    part = _beside(target, "copying")
    part.unlink(missing_ok=True)
    with closing(_plain(file)) as source, closing(engine.connect(part)) as copy:
        source.backup(copy)
    install_file(part, target)


def _upgrade(file: Path, found: str) -> None:
    """Keep a copy, upgrade another copy, and put that in place. The first copy is never written over."""
    kept = file.with_name(f"{file.name}.before-{HEAD}")
    if not kept.exists():
        copy_of(file, kept)
    work = _beside(file, "upgrading")
    with closing(_plain(file)) as source:
        if source.execute("pragma journal_mode=DELETE").fetchone()[0] != "delete":  # takes in what the log still holds
            raise EnvironmentFault(f"Another window has the record open ({file}). Close it to upgrade the record.")
        with closing(engine.connect(work)) as copy:
            source.backup(copy)
    migrate(work)
    install_file(work, file)


def migrate(file: Path, to: str = "head") -> None:
    """Run the migrations on a file that nobody else uses."""
    from alembic import command
    from alembic.config import Config
    from sqlalchemy import create_engine
    from sqlalchemy.pool import NullPool

    config = Config()
    config.set_main_option("script_location", str(Path(__file__).with_name("migrations")))
    way = create_engine(
        "sqlite://", module=sqlite, creator=lambda: engine.connect(file), poolclass=NullPool, hide_parameters=True
    )
    try:
        with way.begin() as connection:
            config.attributes["connection"] = connection
            command.upgrade(config, to)
    finally:
        way.dispose()
    with closing(_plain(file)) as made:
        problems = [str(row[0]) for row in made.execute("pragma integrity_check")]
        missing = TABLES - _tables(made) if to == "head" else set()
    if problems != ["ok"] or missing:
        what = f"the table “{min(missing)}” is missing" if missing else problems[0]
        raise EnvironmentFault(f"The record could not be upgraded: {what}. The old one is unchanged.")
