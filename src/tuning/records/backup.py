"""Backups of a record that may be in use, verified after writing."""

from __future__ import annotations

import hashlib
import os
import shutil
import time
from collections.abc import Sequence
from contextlib import closing
from dataclasses import dataclass
from datetime import UTC, date, datetime, timedelta
from pathlib import Path

from tuning.core.errors import BadInput, EnvironmentFault
from tuning.records import engine, integrity, keys, rows, schema, trail_end
from tuning.records.dbapi import sqlite
from tuning.records.error_mapping import told_as_fault
from tuning.records.files import SUMS, owner_only, sync_folder
from tuning.records.media import MediaFolder

FILE, MEDIA, PART = "record.sqlite", "media", ".part-"
SETTINGS, LOST, UNREAD = "settings.json", "lost-media.txt", "unreadable-entries.txt"
STAMP = "%Y%m%dT%H%M%SZ"
A_DAY = 24 * 3600
DAILY, WEEKLY, MONTHLY = 7, 4, 12
"""Backups that stay: the newest of so many days, weeks and months."""


@dataclass(frozen=True)
class Backup:
    """A whole backup: when it was taken (UTC), where it lies, how many files of media it holds.

    `lost` are files that were missing or damaged in the record already, `unreadable` sentences about entries that
    could not be read there either: they keep nobody from saving the rest.
    """

    at: datetime
    folder: Path
    media: int
    lost: tuple[str, ...] = ()
    unreadable: tuple[str, ...] = ()


def backup(record: Path, into: Path, now: datetime | None = None) -> Backup:
    """Back a record up into a folder of its own below `into`, while it may be in use.

    Files of media that an earlier backup holds are linked, not copied, where the disk can. The backup appears whole
    and verified, or not at all. Raises EnvironmentFault, BadInput where there is no record.
    """
    source = record / FILE
    if not source.is_file():
        raise BadInput(f"There is no record in {record}; nothing was backed up.")
    if into.resolve().is_relative_to(record.resolve()):
        raise BadInput(f"{into} lies inside the record; choose another folder or disk.")
    at = (now or datetime.now(UTC)).replace(microsecond=0)
    target = into / at.strftime(STAMP)
    with told_as_fault(into):
        into.mkdir(parents=True, exist_ok=True)
        owner_only(into)
        if target.exists():
            raise BadInput(f"{target} is there already; wait a second.")
        _sweep(into)
        before = newest(into)
        part = into / f"{PART}{target.name}"
        shutil.rmtree(part, ignore_errors=True)
        part.mkdir(mode=0o700)
        try:
            if (record / keys.NAME).exists():  # first: what is written into the folder is sealed from then on
                shutil.copy2(record / keys.NAME, part / keys.NAME)
            if (record / trail_end.NAME).exists():  # before the database: it may lag behind, and never be ahead
                shutil.copy2(record / trail_end.NAME, part / trail_end.NAME)
            schema.copy_of(source, part / FILE)
            with closing(engine.connect(part / FILE)) as copy:  # at rest it is one file, without a log beside it
                copy.execute("pragma journal_mode=DELETE")
            lost = _lost_in(record, part)
            copied = _copy_media(record, part, before, lost)
            unread = unreadable(part / FILE)
            for note, lines in ((LOST, lost), (UNREAD, unread)):
                if lines:
                    (part / note).write_text("\n".join(lines) + "\n")
            if (record / SETTINGS).exists():
                shutil.copy2(record / SETTINGS, part / SETTINGS)
            _write_sums(part)
            problems = verify(part)
            if problems:
                raise EnvironmentFault(f"The backup would not be whole: {problems[0]}. Nothing was saved.")
            os.replace(part, target)
            sync_folder(into)
        finally:
            shutil.rmtree(part, ignore_errors=True)
    return Backup(at, target, copied, lost, unread)


def _lost_in(record: Path, part: Path) -> tuple[str, ...]:
    """Files that the copied database names and that the record itself no longer has as they were."""
    media = MediaFolder(record / MEDIA)
    return tuple(f"{sha}{suffix}" for sha, suffix in _named(part / FILE) if not media.is_intact(sha, suffix))


def _copy_media(record: Path, part: Path, before: Backup | None, lost: Sequence[str]) -> int:
    """Every file that the copied database names, from the earlier backup where it lies there unchanged."""
    copied = 0
    for sha256, suffix in _named(part / FILE):
        if f"{sha256}{suffix}" in lost:
            continue
        source = MediaFolder(record / MEDIA).stored(sha256, suffix)
        target = part / MEDIA / source.relative_to(record / MEDIA)
        target.parent.mkdir(parents=True, exist_ok=True)
        held = before.folder / MEDIA / source.relative_to(record / MEDIA) if before is not None else None
        if held is not None and held.is_file() and held.stat().st_size == source.stat().st_size:
            try:
                os.link(held, target)
            except OSError:
                shutil.copy2(held, target)
        else:
            shutil.copy2(source, target)
        copied += 1
    return copied


def _named(file: Path) -> list[tuple[str, str]]:
    with closing(engine.connect(file, "mode=ro")) as connection:
        return [(str(a), str(b)) for a, b in connection.execute("select sha256, suffix from medium")]


def _write_sums(folder: Path) -> None:
    """The hash of every file beside the media (which carry theirs as names), as `sha256sum --check` reads it."""
    files = sorted(file for file in folder.iterdir() if file.is_file())
    (folder / SUMS).write_text("".join(f"{_sha256(file)}  {file.name}\n" for file in files))


def _sha256(file: Path) -> str:
    with file.open("rb") as stream:
        return hashlib.file_digest(stream, "sha256").hexdigest()


def _changed_since(folder: Path) -> list[str]:
    """Files that are no longer what they were when the backup was taken."""
    note = folder / SUMS
    lines = [line.split("  ", 1) for line in note.read_text().splitlines()] if note.is_file() else []
    return [
        f"{name} is missing or changed"
        for known, name in lines
        if not (folder / name).is_file() or _sha256(folder / name) != known
    ]


def verify(folder: Path) -> list[str]:
    """What is wrong with a record or backup at rest: the database, every entry, each file against its known hash.

    A database can be changed and still be sound to SQLite: a backup is therefore compared with its own sums. Raises
    Locked while nobody has told the passphrase of a protected one.
    """
    file = folder / FILE
    if not file.is_file():
        return [f"{FILE} is missing"]
    try:
        changed = _changed_since(folder)
    except (OSError, ValueError):
        changed = [f"{SUMS} cannot be read"]
    if changed:
        return changed
    try:
        with told_as_fault(folder):
            return _problems_of(folder)
    except keys.Locked:
        raise
    except EnvironmentFault as err:
        return [str(err)]


def _problems_of(folder: Path) -> list[str]:
    """What is wrong with the database and the files that it names."""
    file = folder / FILE
    schema.revision_of(file)
    with closing(engine.connect(file, "mode=ro")) as connection:
        found = [str(row[0]) for row in connection.execute("pragma integrity_check")]
    problems = [] if found == ["ok"] else found
    media, lost, unread = MediaFolder(folder / MEDIA), _known(folder / LOST), _known(folder / UNREAD)
    problems += [line for line in unreadable(file) if line not in unread]
    return problems + [f"{sha}{suffix} is missing or changed" for sha, suffix in _named(file)
                       if f"{sha}{suffix}" not in lost and not media.is_intact(sha, suffix)]  # fmt: skip


def _known(note: Path) -> set[str]:
    """What was lost, or could not be read, before the backup was taken, as it says itself."""
    return set(note.read_text().splitlines()) if note.is_file() else set()


def unreadable(file: Path) -> tuple[str, ...]:
    """Sentences about the entries of a database that this version cannot read; those of an older one read later."""
    with closing(engine.connect(file, "mode=ro")) as db:
        db.row_factory = sqlite.Row
        if schema.revision_of(file) != schema.HEAD:
            return ()
        return tuple(integrity.unreadable(db.execute(f"{rows.ENTRIES} order by entry.id").fetchall(), rows.read))


def contents(folder: Path) -> str:
    """How many people, visits and entries a record or backup holds, and until when. Raises BadInput."""
    file = folder / FILE
    if keys.is_locked(folder):
        return "protected by a passphrase"
    try:
        with closing(engine.connect(file, "mode=ro")) as connection:
            people, visits, entries = (
                connection.execute(f"select count(*) from {table}").fetchone()[0]
                for table in ("patient", "visit", "entry")
            )
            last = connection.execute("select max(started_at) from visit").fetchone()[0]
    except sqlite.Error as err:
        raise BadInput(f"there is no record that can be read in {folder}") from err
    until = f", the last visit on {str(last)[:10]}" if last else ""
    return f"{people} people, {visits} visits, {entries} entries{until}"


def backups(into: Path) -> list[Backup]:
    """Backups in a folder, newest first; what is half written is none. Raises EnvironmentFault."""
    made = []
    with told_as_fault(into):
        folders = list(into.iterdir()) if into.is_dir() else []
    for folder in folders:
        try:
            at = datetime.strptime(folder.name, STAMP).replace(tzinfo=UTC)
        except ValueError:
            continue
        if (folder / FILE).is_file():
            made.append(Backup(at, folder, sum(1 for f in (folder / MEDIA).rglob("*") if f.is_file())))
    return sorted(made, key=lambda one: one.at, reverse=True)


def newest(into: Path) -> Backup | None:
    """The newest backup in a folder."""
    return next(iter(backups(into)), None)


def holding(into: Path, patient_uid: str) -> list[Backup]:
    """Backups in which a person still stands, newest first."""
    found = []
    for one in backups(into):
        if keys.is_locked(one.folder):  # nobody can look; it may well be in there
            found.append(one)
            continue
        with closing(engine.connect(one.folder / FILE, "mode=ro&immutable=1")) as db:
            if db.execute("select 1 from patient where uid = ?", (patient_uid,)).fetchone():
                found.append(one)
    return found


def due(into: Path, now: datetime) -> bool:
    """Whether a day has passed since the newest backup."""
    last = newest(into)
    return last is None or now - last.at >= timedelta(days=1)


def thin_out(into: Path) -> list[Backup]:
    """Remove what need not stay: the newest of seven days, four weeks and twelve months stay, and the newest of all."""
    known = backups(into)
    kept: set[Path] = set()
    for most, key in ((DAILY, _day), (WEEKLY, _week), (MONTHLY, _month)):
        seen: dict[object, Path] = {}
        for one in known:
            seen.setdefault(key(one.at.date()), one.folder)
        kept |= set(list(seen.values())[:most])
    gone = [one for one in known if one.folder not in kept]
    with told_as_fault(into):
        for one in gone:  # no longer in the list before the first of its files goes: what is listed is whole
            part = one.folder.with_name(f"{PART}{one.folder.name}")
            os.replace(one.folder, part)
            shutil.rmtree(part)
    return gone


def _sweep(into: Path) -> None:
    """What killed programs left half written or half removed; what is younger than a day may be at work."""
    for part in into.glob(f"{PART}*"):
        if time.time() - part.stat().st_mtime > A_DAY:
            shutil.rmtree(part, ignore_errors=True)


def _day(day: date) -> object:
    return day


def _week(day: date) -> object:
    return day.isocalendar()[:2]


def _month(day: date) -> object:
    return day.year, day.month
