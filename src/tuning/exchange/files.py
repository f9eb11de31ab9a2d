"""Files for others: complete or not at all, readable by their owner alone; and files from others."""

from __future__ import annotations

import json
import os
import tempfile
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from pathlib import Path
from typing import Any, BinaryIO, cast

from tuning.core.errors import BadInput, EnvironmentFault

MOST_JSON_BYTES = 200_000_000


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
            f"{what} could not be written to {target} ({err.strerror or err}). The record is unchanged."
        ) from err


def write_whole(data: bytes, target: Path, what: str) -> None:
    """Write `data` to `target` complete or not at all. Raises EnvironmentFault, naming `what`."""
    with whole_file(target, what) as file:
        file.write(data)


def read_json(path: Path, most_bytes: int = MOST_JSON_BYTES) -> Any:
    """What a JSON file holds; the mark that some editors put before it is no part of it. Raises BadInput."""
    try:
        if path.stat().st_size > most_bytes:
            raise BadInput(f"“{path.name}” is larger than such a file can be.")
        return json.loads(path.read_text(encoding="utf-8-sig"), object_pairs_hook=_each_once)
    except FileNotFoundError as err:
        raise BadInput(f"“{path.name}” is not there.") from err
    except OSError as err:
        raise BadInput(f"“{path.name}” cannot be opened: {err.strerror}.") from err
    except (ValueError, RecursionError) as err:
        raise BadInput(f"“{path.name}” is no JSON file: {err}.") from err


def _each_once(pairs: Sequence[tuple[str, Any]]) -> dict[str, Any]:
    """A table in which nothing is said twice, of which one would be dropped without a word. Raises ValueError."""
    found = dict(pairs)
    if len(found) < len(pairs):
        names = [name for name, _ in pairs]
        raise ValueError(f"“{next(n for n in names if names.count(n) > 1)}” stands in one table twice")
    return found
