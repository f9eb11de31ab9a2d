"""The media folder: every file under the name of its hash, bit for bit."""

from __future__ import annotations

import fcntl
import hashlib
import os
import tempfile
from collections.abc import Callable, Iterable, Iterator, Mapping
from contextlib import suppress
from dataclasses import dataclass
from functools import cache
from pathlib import Path
from typing import IO, Any

from tuning.core.entries import Medium
from tuning.core.errors import BadInput, EnvironmentFault
from tuning.records import keys
from tuning.records.encrypted_files import DecryptedFiles, EncryptedWriter, opened
from tuning.records.error_mapping import told_as_fault
from tuning.records.files import held, sync_folder

_BLOCK = 1 << 20
INTENT, SESSION = ".pending-", ".at-it-"
"""A mark beside the files: this one is being taken in, or taken out with a person. It is written first, goes last, and
names the file that whoever is at it holds."""
_HASH = 64
"""Letters of a hash."""
SEALED = ".sealed"
"""What a sealed file has behind its own suffix."""


@dataclass(frozen=True)
class StoredFile:
    """A file that lies in the media folder."""

    sha256: str
    suffix: str
    size: int
    original_name: str


class MediaFolder:
    """Copies files in and finds them again. A file is complete or not there."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self._session: IO[bytes] | None = None
        self._held = ""
        self._intents = set[str]()

    # what is being taken in or out

    def intend(self, sha256: str, suffix: str) -> None:
        """Say before a file comes or goes that it does; whoever opens the record later finishes or undoes it."""
        name = f"{sha256}{suffix}"
        if name in self._intents:
            return
        self.folder.mkdir(parents=True, exist_ok=True)
        if self._session is None:
            with held(self.folder.parent, "media"):  # nobody sweeps before it is locked
                handle, self._held = tempfile.mkstemp(prefix=SESSION, dir=self.folder)
                self._session = os.fdopen(handle, "wb")
                fcntl.flock(self._session, fcntl.LOCK_EX)  # whoever sweeps sees that somebody is at it
        (self.folder / f"{INTENT}{name}").write_text(Path(self._held).name)
        sync_folder(self.folder)
        self._intents.add(name)

    def settle(self, names: Iterable[str]) -> None:
        """What was intended with files of these names (hash and suffix) is done."""
        for name in self._intents & set(names):
            self._intents.discard(name)
            (self.folder / f"{INTENT}{name}").unlink(missing_ok=True)

    def cut_off(self) -> list[tuple[str, str]]:
        """Hash and suffix of files whose coming or going ended with whoever was at it."""
        found = []
        for left in sorted(self.folder.glob(f"{INTENT}*")):
            try:
                with (self.folder / left.read_text()).open("rb") as session:
                    fcntl.flock(session, fcntl.LOCK_EX | fcntl.LOCK_NB)
            except (FileNotFoundError, IsADirectoryError):
                pass
            except OSError:
                continue
            name = left.name.removeprefix(INTENT)
            found.append((name[:_HASH], name[_HASH:]))
        return found

    def forget(self, sha256: str, suffix: str) -> None:
        """Take the mark of a file away that somebody else left."""
        (self.folder / f"{INTENT}{sha256}{suffix}").unlink(missing_ok=True)

    def close(self) -> None:
        """Nothing is being done any more; what was not settled is undone at the next opening."""
        if self._session is not None:
            with suppress(OSError):  # it goes with the next sweep
                Path(self._held).unlink(missing_ok=True)
            self._session.close()
            self._session = None
        self._intents.clear()

    def path(self, sha256: str, suffix: str) -> Path:
        """Where the file of that hash lies."""
        return self.folder / sha256[:2] / f"{sha256}{suffix}"

    def stored(self, sha256: str, suffix: str) -> Path:
        """Where it lies now: sealed, or open."""
        sealed = self._sealed(self.path(sha256, suffix))
        return sealed if sealed.is_file() else self.path(sha256, suffix)

    @staticmethod
    def _sealed(path: Path) -> Path:
        return path.with_name(path.name + SEALED)

    def lent(self, medium: Medium | StoredFile) -> Path:
        """A path to read a kept file from; ask again rather than keeping it. Raises EnvironmentFault."""
        return self._lent(medium.sha256, medium.suffix)

    def _lent(self, sha256: str, suffix: str) -> Path:
        stored = self.stored(sha256, suffix)
        if stored.suffix != SEALED:
            return stored
        with told_as_fault(self.folder):
            return _lender().lent(stored, self._key().files, stored.name.removesuffix(SEALED))

    def _key(self) -> keys.Key:
        key = keys.of(self.folder.parent)
        if key is None:
            raise EnvironmentFault(f"A file in {self.folder} is sealed, and its key file is missing. Restore it.")
        return key

    def files(self, rows: Iterable[Mapping[str, Any]]) -> Mapping[str, Path]:
        """Paths by hash to read kept files from, each lent when it is asked for."""
        return _Files(self, {row["sha256"]: row["suffix"] for row in rows})

    def drop(self, sha256: str, suffix: str) -> None:
        """Delete a file."""
        for file in (self.path(sha256, suffix), self._sealed(self.path(sha256, suffix))):
            file.unlink(missing_ok=True)

    # protection

    def plain(self) -> list[Path]:
        """Files that lie open."""
        return [f for f in self.folder.glob("??/*") if f.is_file() and f.suffix != SEALED]

    def sealed(self) -> list[Path]:
        """Files that are sealed."""
        return [f for f in self.folder.glob("??/*") if f.suffix == SEALED]

    def seal(self, file: Path) -> None:
        """Seal a file that lies open; the open one goes when the sealed one is whole."""
        with file.open("rb") as source:
            self._put(iter(lambda: source.read(_BLOCK), b""), lambda: self._sealed(file), self._key())
        file.unlink()

    def open_up(self, file: Path) -> None:
        """The other way round."""
        with file.open("rb") as source:
            plain = file.with_name(file.name.removesuffix(SEALED))
            self._put(opened(source, self._key().files), lambda: plain, None)
        file.unlink()

    def _put(self, blocks: Iterable[bytes], target_of: Callable[[], Path], key: keys.Key | None) -> None:
        """Write a file beside and put it in its place when it is whole; sealed where there is a key."""
        handle, temporary = tempfile.mkstemp(prefix=".incoming-", dir=self.folder)
        try:
            with os.fdopen(handle, "wb") as copy:
                fcntl.flock(copy, fcntl.LOCK_EX)  # whoever sweeps sees that this one is being written
                out = EncryptedWriter(copy, key.files) if key is not None else copy
                for block in blocks:
                    out.write(block)
                if isinstance(out, EncryptedWriter):
                    out.close()
                copy.flush()
                os.fsync(copy.fileno())
            target = target_of()
            target.parent.mkdir(exist_ok=True)
            os.replace(temporary, target)
            sync_folder(target.parent)
        finally:
            Path(temporary).unlink(missing_ok=True)

    def keep(self, source: Path, tick: Callable[[float], None] = lambda _: None) -> StoredFile:
        """Copy `source` in. `tick` is called with the fraction done and may raise to stop.

        Raises BadInput when it cannot be read or is empty, EnvironmentFault
        when the folder cannot take it. Nothing half-written is left behind.
        """
        try:
            incoming = source.open("rb")
        except OSError as err:
            raise BadInput(f"“{source.name}” cannot be read ({err.strerror}). Nothing was changed.") from err
        suffix, key = source.suffix.lower(), keys.of(self.folder.parent)
        digest, size, total = hashlib.sha256(), 0, max(1, source.stat().st_size)

        def blocks() -> Iterator[bytes]:
            """What comes in, counted on the way."""
            nonlocal size
            while block := incoming.read(_BLOCK):
                digest.update(block)
                size += len(block)
                yield block
                tick(size / total)

        def target() -> Path:
            """Where it goes, once its hash is known."""
            if size == 0:
                raise BadInput(f"“{source.name}” is empty (0 bytes). Nothing was changed.")
            path = self.path(digest.hexdigest(), suffix)
            self.intend(digest.hexdigest(), suffix)
            return path if key is None else self._sealed(path)

        with incoming, told_as_fault(self.folder):
            self.folder.mkdir(parents=True, exist_ok=True)
            self._put(blocks(), target, key)
        return StoredFile(digest.hexdigest(), suffix, size, source.name)

    def is_intact(self, sha256: str, suffix: str) -> bool:
        """True when the file is there and still has its hash."""
        path = self.stored(sha256, suffix)
        if not path.is_file():
            return False
        with path.open("rb") as file:
            if path.suffix == SEALED:
                return _hash_of(opened(file, self._key().files)) == sha256
            return hashlib.file_digest(file, "sha256").hexdigest() == sha256

    def sweep(self) -> None:
        """Remove what a killed copy left behind, but nothing that another window is copying just now."""
        if not self.folder.is_dir():
            return
        with held(self.folder.parent, "media"):
            for left in (file for kind in (".incoming-", SESSION) for file in self.folder.glob(f"{kind}*")):
                try:
                    with left.open("rb") as file:
                        fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
                        left.unlink(missing_ok=True)
                except OSError:
                    continue


class _Files(Mapping[str, Path]):
    """Kept files by hash."""

    def __init__(self, media: MediaFolder, suffixes: Mapping[str, str]) -> None:
        self._media, self._suffixes = media, suffixes

    def __getitem__(self, sha256: str) -> Path:
        return self._media._lent(sha256, self._suffixes[sha256])

    def __iter__(self) -> Iterator[str]:
        return iter(self._suffixes)

    def __len__(self) -> int:
        return len(self._suffixes)


@cache
def _lender() -> DecryptedFiles:
    """One for the program: a file is opened once, whoever asks."""
    return DecryptedFiles()


def _hash_of(blocks: Iterable[bytes]) -> str:
    """The hash of what was sealed; empty where it was changed or cut."""
    digest = hashlib.sha256()
    try:
        for block in blocks:
            digest.update(block)
    except EnvironmentFault:
        return ""
    return digest.hexdigest()
