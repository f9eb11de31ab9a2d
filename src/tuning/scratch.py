"""Temporary files carry the number of the process that made them, so that those of a killed one are found and go."""

from __future__ import annotations

import os
import re
import shutil
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from pathlib import Path

IN_MEMORY = Path("/dev/shm")
"""Where nothing reaches a disk."""
_MADE = re.compile(r"tuning-(\d+)-")


def scratch(kind: str) -> str:
    """How the name of a temporary file or folder begins."""
    return f"tuning-{os.getpid()}-{kind}-"


@contextmanager
def scratch_folder(kind: str, inside: Path | None = None) -> Iterator[Path]:
    """A folder for as long as it is needed. What the machine will not let go of then is swept later, and no error."""
    folder = Path(tempfile.mkdtemp(prefix=scratch(kind), dir=inside))
    try:
        yield folder
    finally:
        shutil.rmtree(folder, ignore_errors=True)


def sweep(folders: tuple[Path, ...] | None = None) -> int:
    """Remove what processes of ours that are gone left behind; how much. It may show patients."""
    gone = 0
    for folder in folders if folders is not None else {Path(tempfile.gettempdir()), IN_MEMORY}:
        for left in folder.glob("tuning-*"):
            made = _MADE.match(left.name)
            with suppress(OSError):
                if made is None or left.lstat().st_uid != os.getuid() or _runs(int(made[1])):
                    continue
                shutil.rmtree(left) if left.is_dir() and not left.is_symlink() else left.unlink()
                gone += 1
    return gone


def _runs(process: int) -> bool:
    """Whether a process is there, whosever it is."""
    try:
        os.kill(process, 0)
    except ProcessLookupError:
        return False
    except OSError:
        return True
    return True
