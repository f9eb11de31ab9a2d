"""The media folder: every file under the name of its hash, bit for bit."""

from __future__ import annotations

import fcntl
import hashlib
import os
import tempfile
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from tuning.core.entries import Medium
from tuning.core.errors import BadInput
from tuning.records.faults import told_as_fault
from tuning.records.files import sync_folder

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

    def lent(self, medium: Medium) -> Path:
        """A path to read a kept file from; ask again rather than keeping it."""
        return self.path(medium.sha256, medium.suffix)

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
                    fcntl.flock(copy, fcntl.LOCK_EX)  # whoever sweeps sees that this one is being written
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
                    sync_folder(target.parent)
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
        """Remove what a killed copy left behind, but nothing that another window is copying just now."""
        for left in self.folder.glob(".incoming-*"):
            try:
                with left.open("rb") as file:
                    fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
                    left.unlink(missing_ok=True)
            except OSError:
                continue
