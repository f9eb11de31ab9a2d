"""Looks at a foreign clip or photograph within limits first: `python -m tuning.video.media.safe_open FILE`."""

from __future__ import annotations

import sys
from functools import partial
from pathlib import Path

from tuning.core.errors import BadInput
from tuning.sandbox import limited, trouble

FRAMES, SHOWN_EVERY = 200, 10
"""Frames decoded from the start, and which of them are made into pictures; the last one, too. Whole clips would take as
long as following them."""
MEMORY, SECONDS = 4 << 30, 45
"""Bytes of address space and seconds of processor: a clip of 4K needs a gigabyte (practice judgement, editable)."""


def look_at(path: Path) -> None:
    """See that a file can be read without harm. Raises BadInput with what became of the reader."""
    why = trouble("tuning.video.media.safe_open", str(path.absolute()))
    if why:
        told = why if why.startswith("“") else f"“{path.name}” cannot be read ({why}). Nothing was changed."
        raise BadInput(told)


def _decode(path: Path) -> None:
    from tuning.video.media.source import open_source

    source = open_source(path)
    frames = len(source.times)
    most = min(FRAMES, frames)
    for n in (*range(0, most, SHOWN_EVERY), most - 1, frames - 1):  # those between are decoded on the way
        source.frame(n)
    source.close()


if __name__ == "__main__":
    limited(partial(_decode, Path(sys.argv[1])), MEMORY, SECONDS)
