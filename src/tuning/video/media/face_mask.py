"""A face hidden behind a box that goes with it through a clip; the copy holds neither sound nor what the file told."""

from __future__ import annotations

import os
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray
from PIL import Image

from tuning.core.errors import BadInput
from tuning.core.types import Floats
from tuning.video.media.recorder import Recorder
from tuning.video.media.source import PictureSource, open_source

Box = tuple[float, float, float, float]
"""Left, top, width, height; px of the upright picture."""
SMALL_WIDTH = 320
"""Width of the pictures in which a box is followed."""
REACH_SHARE = 0.09
"""How far a face may go in one frame, share of the width."""
SURE, KEEPS = 0.6, 0.85
"""Likeness (normalised correlation) from which a box is where the face is; from which the face's look is learnt on."""
LEARNT, AROUND = 0.15, 0.2
"""How much of its look is learnt on in a frame; how much around the box belongs to it, share of its size."""
MARGIN, DOUBT_MARGIN = 0.15, 0.5
"""What is hidden beyond the box, share of its size: where it is sure, and where it is not (practice judgement)."""
INK, LEAST_PX = 96, 4


@dataclass(frozen=True)
class BoxTrack:
    """The box in every frame, shape (n, 4), and whether the face was surely behind it, shape (n,)."""

    boxes: Floats
    sure: NDArray[np.bool_]

    @property
    def doubted(self) -> list[tuple[int, int]]:
        """First and last frame of each stretch that somebody should look at."""
        edges = np.flatnonzero(np.diff(np.concatenate([[0], (~self.sure).astype(int), [0]])))
        return [(int(a), int(b) - 1) for a, b in edges.reshape(-1, 2)]


def masked(
    path: Path, boxes: Mapping[int, Box], out: Path, tick: Callable[[float], bool] = lambda _: True
) -> BoxTrack | None:
    """Write a copy of a clip or photograph with the box through all frames; None where `tick` said stop.

    `boxes` are set by a person in some frames; between them each is followed from the nearest earlier one, before the
    first backwards. Raises BadInput for no box or one outside the picture, EnvironmentFault where it cannot be written.
    """
    source, part = open_source(path), out.with_name(f".{out.stem}-part{out.suffix}")
    try:
        way = followed(source, boxes, lambda done: tick(done / 2))
        if way is None:
            return None
        width, height = source.size
        if len(source.times) == 1:
            Image.fromarray(_painted(source, way, 0)).save(out)
            return way
        part.touch(0o600)
        recorder = Recorder(part, width, height)
        for n, seconds in enumerate(source.times):
            recorder.add(_painted(source, way, n), float(seconds))
            if not tick(0.5 + n / (2 * len(source.times))):
                recorder.close()
                return None
        recorder.close()
        os.replace(part, out)
        return way
    finally:
        source.close()
        part.unlink(missing_ok=True)


def followed(
    source: PictureSource, boxes: Mapping[int, Box], tick: Callable[[float], bool] = lambda _: True
) -> BoxTrack | None:
    """The way of the box through all frames. Raises BadInput."""
    frames, (width, height) = len(source.times), source.size
    if not boxes:
        raise BadInput("Draw a box around the face first.")
    for frame, (left, top, wide, tall) in boxes.items():
        inside = left < width and top < height and left + wide > 0 and top + tall > 0
        known = 0 <= frame < frames and bool(np.isfinite((left, top, wide, tall)).all())
        if not (known and inside and min(wide, tall) >= LEAST_PX):
            raise BadInput(f"The box of frame {frame} lies outside the picture of {width} x {height}, or is too small.")
    scale = min(1.0, SMALL_WIDTH / width)
    small = []
    for n in range(frames):
        grey = cv2.cvtColor(source.frame(n), cv2.COLOR_RGB2GRAY)
        small.append(np.asarray(cv2.resize(grey, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA), np.uint8))
        if not tick(n / frames):
            return None
    found, sure = np.zeros((frames, 4)), np.zeros(frames, dtype=bool)
    for start in sorted(boxes):  # a later box takes over from its frame on
        _follow(small, start, range(start + 1, frames), np.array(boxes[start]) * scale, found, sure)
    start = min(boxes)
    _follow(small, start, range(start - 1, -1, -1), np.array(boxes[start]) * scale, found, sure)
    return BoxTrack(found / scale, sure)


def _follow(
    small: list[NDArray[np.uint8]], start: int, onward: range, box: Floats, found: Floats, sure: NDArray[np.bool_]
) -> None:
    """Carry a box from frame to frame by what is in it; where that is not found it stays, in doubt."""
    found[start], sure[start] = box, True
    width = small[start].shape[1]
    rim = AROUND * box[2:]  # a plain face is told by its outline alone
    look = _part(small[start], box[:2] - rim, box[2:] + 2 * rim).astype(np.float32)
    reach, speed = int(REACH_SHARE * width) + 1, np.zeros(2)
    for n in onward:
        first = np.round(box[:2] + speed - rim) - reach
        area = _part(small[n], first, np.array(look.shape[::-1]) + 2 * reach).astype(np.float32)
        score = cv2.matchTemplate(area, look, cv2.TM_CCOEFF_NORMED)
        _, best, _, peak = cv2.minMaxLoc(np.nan_to_num(score, nan=-1.0, posinf=-1.0, neginf=-1.0))
        if best >= SURE:
            place = first + peak + rim
            speed = 0.5 * speed + 0.5 * (place - box[:2])
            box = np.array([*place, *box[2:]])
            if best >= KEEPS:
                seen = _part(small[n], first + peak, np.array(look.shape[::-1]))
                look = (1 - LEARNT) * look + LEARNT * seen.astype(np.float32)
        else:
            speed = np.zeros(2)
        found[n], sure[n] = box, best >= SURE


def _part(picture: NDArray[np.uint8], corner: Floats, size: Floats) -> NDArray[np.uint8]:
    """What lies in a box of whole pixels, edges repeated."""
    left, top = (round(float(v)) for v in corner)
    wide, tall = (max(3, round(float(v))) for v in size)
    rows = np.clip(np.arange(top, top + tall), 0, picture.shape[0] - 1)
    columns = np.clip(np.arange(left, left + wide), 0, picture.shape[1] - 1)
    return picture[np.ix_(rows, columns)]


def _painted(source: PictureSource, way: BoxTrack, frame: int) -> NDArray[np.uint8]:
    """A frame without what the box hides."""
    picture = source.frame(frame).copy()
    left, top, right, bottom = _hidden(way, frame, *source.size)
    picture[top:bottom, left:right] = INK
    return picture


def _hidden(way: BoxTrack, frame: int, width: int, height: int) -> tuple[int, int, int, int]:
    """Left, top, right and bottom of what is hidden: in doubt, also where the neighbouring frames had the face."""
    near = way.boxes[max(0, frame - 1) : frame + 2] if not way.sure[frame] else way.boxes[frame : frame + 1]
    more = (MARGIN if way.sure[frame] else DOUBT_MARGIN) * near[:, 2:].max(axis=0)
    low, high = near[:, :2].min(axis=0) - more, (near[:, :2] + near[:, 2:]).max(axis=0) + more
    left, top = np.clip(np.floor(low), 0, (width, height)).astype(int)
    right, bottom = np.clip(np.ceil(high), 0, (width, height)).astype(int)
    return int(left), int(top), int(right), int(bottom)
