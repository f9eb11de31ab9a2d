"""Tracking a file from start to end, or one stretch of it."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from tuning.core.errors import BadInput
from tuning.core.tracks import Tracks
from tuning.video.clip import Clip
from tuning.video.luma import LumaReader
from tuning.video.source import open_source
from tuning.video.track import track

LEAST_FRAMES = 3


def follow_clip(
    path: Path,
    frame: int,
    marks: Mapping[str, NDArray[np.float64]],
    *,
    first: int = 0,
    last: int | None = None,
    tick: Callable[[float], None] = lambda _: None,
) -> Tracks:
    """Follow marks (px of the upright picture) of one frame both ways, within first..last.

    Raises BadInput when the file is no clip, has too few frames, or a mark lies outside the picture.
    """
    source = open_source(path)
    try:
        if not isinstance(source, Clip) or len(source.times) < LEAST_FRAMES:
            raise BadInput(f"“{path.name}” is a still picture; following marks needs a clip of three frames or more.")
        if not 0 <= frame < len(source.times):
            raise BadInput(f"“{path.name}” has {len(source.times)} frames; frame {frame} is not among them.")
        width, height = source.size
        for name, (x, y) in marks.items():
            if not (0 <= x < width and 0 <= y < height):
                raise BadInput(f"The mark {name} lies outside the picture of {width} x {height}.")
        reader = LumaReader(path, source.stamps, source.quarter_turns)
        try:
            return track(reader, len(source.times), source.times, frame, marks, first=first, last=last, tick=tick)
        finally:
            reader.close()
    finally:
        source.close()
