"""Files that are whole or not there, and one lock for whoever opens a record."""

from __future__ import annotations

import fcntl
import os
import tempfile
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from tuning import scratch
from tuning.records.error_mapping import told_as_fault

AN_HOUR = 3600
SUMS = "SHA256SUMS"
"""In a backup: the hashes of its files. A folder with it is kept as it was taken."""


@contextmanager
def held(folder: Path, name: str) -> Iterator[None]:
    """Alone with a thing of the folder, across programs; waits for whoever holds it."""
    with told_as_fault(folder), open(folder / f".{name}.lock", "w") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        yield


def owner_only(folder: Path) -> None:
    """Nobody else on the machine may look into a folder; one that belongs to somebody else stays as it is."""
    if folder.stat().st_uid == os.getuid():
        folder.chmod(0o700)


def identity(file: Path) -> tuple[int, int] | None:
    """Which file lies at a place, whatever is its name; None where none does, or where its disk is gone."""
    try:
        found = file.stat()
    except OSError:
        return None
    return found.st_dev, found.st_ino


def sync_folder(folder: Path) -> None:
    """What was renamed in a folder stays renamed when the power goes."""
    handle = os.open(folder, os.O_RDONLY)
    try:
        os.fsync(handle)
    finally:
        os.close(handle)


def sweep(folder: Path) -> None:
    """Files that a killed program had begun to write; what is younger than an hour may be at work."""
    for left in folder.glob(".*.json-*"):
        if time.time() - left.stat().st_mtime > AN_HOUR:
            left.unlink(missing_ok=True)
    scratch.sweep((folder,))


def write_whole(target: Path, data: bytes) -> None:
    """Write a file so that it is the old one or the new one, never half of it. Raises EnvironmentFault."""
    with told_as_fault(target.parent):
        handle, name = tempfile.mkstemp(dir=target.parent, prefix=f".{target.name}-")
        try:
            with os.fdopen(handle, "wb") as out:
                out.write(data)
                out.flush()
                os.fsync(out.fileno())
            os.replace(name, target)
            sync_folder(target.parent)
        except BaseException:
            Path(name).unlink(missing_ok=True)
            raise
