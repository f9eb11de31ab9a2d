"""Files for others: complete or not at all, readable by their owner alone."""

from __future__ import annotations

import os
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import BinaryIO, cast

from tuning.core.errors import EnvironmentFault


@contextmanager
def whole_file(target: Path, what: str) -> Iterator[BinaryIO]:
    """A file to write into that becomes `target` at the end. Raises EnvironmentFault, naming `what`."""
    try:
        handle, temporary = tempfile.mkstemp(prefix=".part-", suffix=target.suffix, dir=target.parent)
        try:
            with os.fdopen(handle, "w+b") as half:
                yield cast(BinaryIO, half)
                half.flush()
                os.fsync(half.fileno())
            os.replace(temporary, target)
        finally:
            Path(temporary).unlink(missing_ok=True)
    except OSError as err:
        raise EnvironmentFault(
            f"{what} could not be written to {target} ({err.strerror or err}). The record is kept."
        ) from err


def write_whole(data: bytes, target: Path, what: str) -> None:
    """Write `data` to `target` complete or not at all. Raises EnvironmentFault, naming `what`."""
    with whole_file(target, what) as file:
        file.write(data)
