"""One file sealed in blocks of a megabyte: cut, exchanged or changed blocks are seen; plain text only in memory.

A sealed file is lent as a file of the memory (memfd), which libraries open by path; nothing of it reaches a disk, and
it is gone when the program ends, however it ends.
"""

from __future__ import annotations

import os
import tempfile
import weakref
from collections import OrderedDict
from collections.abc import Iterator
from pathlib import Path
from typing import BinaryIO

from nacl import bindings as sodium
from nacl.exceptions import CryptoError

from tuning.core.errors import EnvironmentFault
from tuning.scratch import scratch

MAGIC = b"TUNING-SEALED-1\n"
BLOCK = 1 << 20
OVERHEAD = sodium.crypto_secretstream_xchacha20poly1305_ABYTES
MORE = sodium.crypto_secretstream_xchacha20poly1305_TAG_MESSAGE
LAST = sodium.crypto_secretstream_xchacha20poly1305_TAG_FINAL
KEPT_OPEN = 12
"""Files of the memory that stay, the newest first."""


class EncryptedWriter:
    """Writes what it is given, sealed. `close` writes the last block."""

    def __init__(self, out: BinaryIO, key: bytes) -> None:
        self._out, self._left = out, b""
        self._state = sodium.crypto_secretstream_xchacha20poly1305_state()
        out.write(MAGIC + sodium.crypto_secretstream_xchacha20poly1305_init_push(self._state, key))

    def write(self, data: bytes) -> None:
        """More of the file."""
        self._left += data
        while len(self._left) > BLOCK:
            self._push(self._left[:BLOCK], MORE)
            self._left = self._left[BLOCK:]

    def close(self) -> None:
        """The end of the file."""
        self._push(self._left, LAST)

    def _push(self, block: bytes, tag: int) -> None:
        self._out.write(sodium.crypto_secretstream_xchacha20poly1305_push(self._state, block, tag=tag))


def opened(source: BinaryIO, key: bytes) -> Iterator[bytes]:
    """The blocks of a sealed file. Raises EnvironmentFault where one is not what was written, or the end is missing."""
    damaged = EnvironmentFault("A stored file is damaged; restore the last backup.")
    if source.read(len(MAGIC)) != MAGIC:
        raise damaged
    state = sodium.crypto_secretstream_xchacha20poly1305_state()
    header = source.read(sodium.crypto_secretstream_xchacha20poly1305_HEADERBYTES)
    try:
        sodium.crypto_secretstream_xchacha20poly1305_init_pull(state, header, key)
        tag = MORE
        while tag != LAST:
            sealed = source.read(BLOCK + OVERHEAD)
            block, tag = sodium.crypto_secretstream_xchacha20poly1305_pull(state, sealed)
            yield block
    except (CryptoError, ValueError, RuntimeError) as err:
        raise damaged from err
    if source.read(1):
        raise damaged


class DecryptedFiles:
    """Sealed files as files of the memory, each under a path with its own suffix."""

    def __init__(self) -> None:
        self._open: OrderedDict[Path, tuple[int, Path]] = OrderedDict()
        self._links = tempfile.TemporaryDirectory(prefix=scratch("lent"))
        self._end = weakref.finalize(self, _close_all, self._open)

    def lent(self, file: Path, key: bytes, name: str) -> Path:
        """A path to read an open copy from. Raises EnvironmentFault."""
        if file in self._open:
            self._open.move_to_end(file)
            return self._open[file][1]
        handle = os.memfd_create(name)
        try:
            with file.open("rb") as source, os.fdopen(os.dup(handle), "wb") as out:
                for block in opened(source, key):
                    out.write(block)
        except BaseException:
            os.close(handle)
            raise
        link = Path(self._links.name) / f"{handle}-{name}"
        link.symlink_to(f"/proc/{os.getpid()}/fd/{handle}")
        self._open[file] = (handle, link)
        while len(self._open) > KEPT_OPEN:
            old, gone = self._open.popitem(last=False)[1]
            os.close(old)
            gone.unlink(missing_ok=True)
        return link


def _close_all(held: OrderedDict[Path, tuple[int, Path]]) -> None:
    for handle, _ in held.values():
        os.close(handle)
