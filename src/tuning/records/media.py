"""The media folder: every file under the name of its hash, bit for bit."""

from __future__ import annotations

import hashlib
import os
import tempfile
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from tuning.core.errors import BadInput
from tuning.records.faults import told_as_fault

_BLOCK = 1 << 20


@dataclass(frozen=True)
class Kept:
    """A file that lies in the media folder."""

    sha256: str
    suffix: str
    size: int
    original_name: str


class MediaFolder:
    """Copies files in and finds them again. A file is complete or not there."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder

    def path(self, sha256: str, suffix: str) -> Path:
        """Where the file of that hash lies."""
        return self.folder / sha256[:2] / f"{sha256}{suffix}"

    def keep(self, source: Path, tick: Callable[[float], None] = lambda _: None) -> Kept:
        """Copy `source` in. `tick` is called with the fraction done and may raise to stop.

        Raises BadInput when it cannot be read or is empty, EnvironmentFault
        when the folder cannot take it. Nothing half-written is left behind.
        """
        try:
            incoming = source.open("rb")
        except OSError as err:
            raise BadInput(f"“{source.name}” cannot be read ({err.strerror}). Nothing was changed.") from err
        suffix = source.suffix.lower()
        with incoming, told_as_fault(self.folder):
            self.folder.mkdir(parents=True, exist_ok=True)
            handle, temporary = tempfile.mkstemp(prefix=".incoming-", dir=self.folder)
            try:
                digest, size, total = hashlib.sha256(), 0, max(1, source.stat().st_size)
                with os.fdopen(handle, "wb") as copy:
                    while block := incoming.read(_BLOCK):
                        digest.update(block)
                        size += len(block)
                        copy.write(block)
                        tick(size / total)
                    copy.flush()
                    os.fsync(copy.fileno())
                if size == 0:
                    raise BadInput(f"“{source.name}” is empty (0 bytes). Nothing was changed.")
                target = self.path(digest.hexdigest(), suffix)
                target.parent.mkdir(exist_ok=True)
                os.replace(temporary, target)
                _sync_folder(target.parent)
            finally:
                Path(temporary).unlink(missing_ok=True)
        return Kept(digest.hexdigest(), suffix, size, source.name)

    def is_intact(self, sha256: str, suffix: str) -> bool:
        """True when the file is there and still has its hash."""
        path = self.path(sha256, suffix)
        if not path.is_file():
            return False
        with path.open("rb") as file:
            return hashlib.file_digest(file, "sha256").hexdigest() == sha256

    def sweep(self) -> None:
        """Remove what a killed copy left behind."""
        for left in self.folder.glob(".incoming-*"):
            left.unlink(missing_ok=True)


def _sync_folder(folder: Path) -> None:
    handle = os.open(folder, os.O_RDONLY)
    try:
        os.fsync(handle)
    finally:
        os.close(handle)
