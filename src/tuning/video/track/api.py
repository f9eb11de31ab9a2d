"""Tracking a file from start to end, or one stretch of it."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import replace
from itertools import combinations
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from tuning.core.errors import BadInput
from tuning.core.movement.tracks import TRUSTED, Tracks
from tuning.core.pictures.landmarks import landmark_label
from tuning.video.media.clip import Clip
from tuning.video.media.planes import LumaReader
from tuning.video.media.source import open_source
from tuning.video.track.clip_tracker import track
from tuning.video.track.quality_checks import doubt_bits

LEAST_FRAMES = 3
LEAST_APART = 1.0
"""Two marks nearer to each other, px, are one sticker under two names."""


def follow_clip(
    path: Path,
    frame: int,
    marks: Mapping[str, NDArray[np.float64]],
    *,
    first: int = 0,
    last: int | None = None,
    known: Tracks | None = None,
    tick: Callable[[float], bool] = lambda _: True,
) -> Tracks:
    """Follow marks (px of the upright picture) of one frame both ways, within first..last. Stickers of marks that are
    `known` from before are theirs.

    Raises BadInput when the file is no clip, has too few frames, or a mark lies
    outside the picture. `tick` as in track.
    """
    source = open_source(path)
    try:
        if not isinstance(source, Clip) or len(source.times) < LEAST_FRAMES:
            raise BadInput(f"“{path.name}” is a still picture; following marks needs a clip of three frames or more.")
        _among(path, frame, len(source.times))
        width, height = source.size
        for name, (x, y) in marks.items():
            if not (0 <= x < width and 0 <= y < height):
                raise BadInput(f"The mark {landmark_label(name)} lies outside the picture of {width} x {height}.")
        for (name, at), (other, there) in combinations(marks.items(), 2):
            if np.hypot(*(at - there)) < LEAST_APART:
                both = f"{landmark_label(name)} and {landmark_label(other)}"
                raise BadInput(f"The marks {both} lie on the same place; each has a sticker of its own.")
        until = len(source.times) - 1 if last is None else last
        reader = LumaReader(path, source.stamps, source.quarter_turns)
        try:
            found = track(reader, source.times, frame, marks, within=(first, until), known=known, tick=tick)
            doubt_bits(found, source.bits, frame)
            return found
        finally:
            reader.close()
    finally:
        source.close()


def _among(path: Path, frame: int, count: int) -> None:
    """Raises BadInput for a frame that a clip does not have."""
    if not 0 <= frame < count:
        raise BadInput(f"“{path.name}” has {count} frames; frame {frame} is not among them.")


def follow_more(
    path: Path,
    tracks: Tracks,
    frame: int,
    marks: Mapping[str, NDArray[np.float64]],
    tick: Callable[[float], bool] = lambda _: True,
) -> Tracks:
    """The tracks with marks that were hidden before and are placed in `frame`; raises as `follow_clip`.

    They are followed in the company of what is known there: no two marks share a sticker.
    """
    _among(path, frame, len(tracks.times))
    others = tracks.without(marks)
    seen = np.flatnonzero(others.quality[frame] >= TRUSTED)
    company = {others.names[k]: others.xy[frame, k] for k in seen}
    found = follow_clip(path, frame, {**marks, **company}, known=others, tick=tick)
    new = [found.names.index(name) for name in marks]
    loose = {name: sd for name, sd in found.click_sd.items() if name in marks}
    late = Tracks(tuple(marks), found.times, found.xy[:, new], found.quality[:, new], click_sd=loose)
    return tracks.joined_by(late)


RETRACK_S = 4.0
AGREED_PX, AGREED_FRAMES = 1.5, 3


def correct(
    path: Path, tracks: Tracks, name: str, frame: int, at: NDArray[np.float64], tick: Callable[[float], bool]
) -> Tracks:
    """The tracks after one mark was put right in one frame.

    The mark is followed anew from there, both ways, only to where the old
    track is trusted and agrees again or is surer than the new one; everything
    else stays as it was.
    """
    reach = np.flatnonzero(np.abs(tracks.times - tracks.times[frame]) <= RETRACK_S)
    fresh = follow_clip(path, frame, {name: at}, first=int(reach[0]), last=int(reach[-1]), tick=tick)
    k = tracks.names.index(name) if name in tracks.names else None
    clicked = {n: sd for n, sd in tracks.click_sd.items() if n == name} | fresh.click_sd
    mended = replace(Tracks.empty((name,), tracks.times), click_sd=clicked)  # elsewhere the older click still counts
    mended.xy[frame, 0], mended.quality[frame, 0] = at, 1.0
    for way in (1, -1):
        agreed, n = 0, frame + way
        while reach[0] <= n <= reach[-1] and agreed < AGREED_FRAMES:
            mended.xy[n, 0], mended.quality[n, 0] = fresh.xy[n, 0], fresh.quality[n, 0]
            old_trusted = k is not None and tracks.quality[n, k] >= TRUSTED
            close = k is not None and np.abs(fresh.xy[n, 0] - tracks.xy[n, k]).max() < AGREED_PX
            surer = k is not None and fresh.quality[n, 0] < tracks.quality[n, k]
            agreed = agreed + 1 if old_trusted and (close or surer) else 0
            n += way
    span = np.flatnonzero(mended.quality[:, 0] > 0)
    whole = tracks.merged(mended)
    if k is not None and span.size:  # inside the mended stretch an old wrong place may not shine through
        inside = np.zeros(len(tracks.times), dtype=bool)
        inside[span[0] : span[-1] + 1] = True
        lost = inside & (mended.quality[:, 0] == 0)
        whole.xy[lost, k], whole.quality[lost, k] = np.nan, 0.0
    return whole
