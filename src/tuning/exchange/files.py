"""Files for others: complete or not at all, readable by their owner alone."""

from __future__ import annotations

import os
import tempfile
from pathlib import Path

from tuning.core.errors import EnvironmentFault


def write_whole(data: bytes, target: Path, what: str) -> None:
    """Write `data` to `target` complete or not at all. Raises EnvironmentFault, naming `what`."""
    try:
        handle, temporary = tempfile.mkstemp(prefix=".part-", suffix=target.suffix, dir=target.parent)
        try:
            with os.fdopen(handle, "wb") as half:
                half.write(data)
                half.flush()
                os.fsync(half.fileno())
            os.replace(temporary, target)
        finally:
            Path(temporary).unlink(missing_ok=True)
    except OSError as err:
        raise EnvironmentFault(
            f"{what} could not be written to {target} ({err.strerror or err}). The record is kept."
        ) from err
