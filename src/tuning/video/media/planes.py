"""The decoder's own planes, brightness and colour differences, in either direction, without conversion to RGB."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import av
import cv2
import numpy as np
from numpy.typing import ArrayLike, NDArray

from tuning.core.errors import BadInput
from tuning.video.media.kernels import Greys, Plane, Planes, mix

NO_COLOURS: Plane = np.empty((0, 0), np.uint8)
QUARTERS = {1: cv2.ROTATE_90_COUNTERCLOCKWISE, 2: cv2.ROTATE_180, 3: cv2.ROTATE_90_CLOCKWISE}
"""Turned once and for all: of planes that are only looked at turned every part would be copied whole."""
AS_DECODED = "yuv420p", "yuvj420p"
"""Layouts that are read as they are."""
BACKWARD_BYTES = 192 * 2**20
"""Planes held at a time when frames are read backward."""


@dataclass(frozen=True)
class YuvFrame:
    """One upright frame: brightness, and blue and red differences where the decoder gives them."""

    y: Plane
    halves: tuple[Plane, Plane] | None = None
    """Colour differences as decoded, half as wide and high; each sample lies in the middle of its four pixels."""

    @property
    def shape(self) -> tuple[int, int]:
        """Height and width, px."""
        return self.y.shape[0], self.y.shape[1]

    def part(self, left: int, top: int, size: tuple[int, int], weights: ArrayLike) -> Greys:
        """So many rows and columns from `left` and `top` on, edges repeated, each pixel a mix of brightness, blue and
        red difference by `weights`."""
        mixed, line = np.empty(size, np.float32), np.empty(size[1] // 2 + 2, np.float32)
        mix(self.planes, left, top, np.array(weights, dtype=np.float64), line, mixed)
        return mixed

    @property
    def planes(self) -> Planes:
        """Brightness, blue and red; the last two empty in a picture without colours."""
        return self.y, *(self.halves or (NO_COLOURS, NO_COLOURS))

    def copy(self) -> YuvFrame:
        """A picture that outlives its frame."""
        halves = None if self.halves is None else (self.halves[0].copy(), self.halves[1].copy())
        return YuvFrame(self.y.copy(), halves)


def picture_of(pixels: NDArray[np.uint8]) -> YuvFrame:
    """An RGB picture (height, width, 3) as a decoder would give it, cut to even sides."""
    height, width = (side - side % 2 for side in pixels.shape[:2])
    even = np.ascontiguousarray(pixels[:height, :width])
    planes = cv2.cvtColor(even, cv2.COLOR_RGB2YUV_I420).astype(np.uint8, copy=False)
    blue, red = planes[height:].reshape(2, height // 2, width // 2)
    return YuvFrame(planes[:height], (blue, red))


def square(plane: Plane, x: int, y: int, size: int) -> Plane:
    """A square part from its first pixel, edges repeated."""
    height, width = plane.shape
    if x >= 0 and y >= 0 and x + size <= width and y + size <= height:
        return plane[y : y + size, x : x + size]
    rows, columns = (np.clip(np.arange(n, n + size), 0, most - 1) for n, most in ((y, height), (x, width)))
    return plane[np.ix_(rows, columns)]


def _doubled(half: NDArray[Any]) -> NDArray[np.float32]:
    """Twice as wide and high, between the samples along straight lines."""
    size = (2 * half.shape[1], 2 * half.shape[0])
    return np.asarray(cv2.resize(half.astype(np.float32, copy=False), size, interpolation=cv2.INTER_LINEAR))


def _halved(plane: NDArray[np.float32]) -> Plane:
    """The mean of each four pixels, an odd edge repeated."""
    even = np.pad(plane, [(0, n % 2) for n in plane.shape], mode="edge")
    mean: Plane = np.rint(even.reshape(even.shape[0] // 2, 2, -1, 2).mean(axis=(1, 3))).astype(np.uint8)
    return mean


def _rows(frame: av.VideoFrame, n: int) -> Plane:
    plane = frame.planes[n]
    return np.frombuffer(memoryview(plane), np.uint8).reshape(plane.height, plane.line_size)[:, : plane.width]


def _turned(plane: Plane, turns: int) -> Plane:
    return np.asarray(cv2.rotate(plane, QUARTERS[turns]), dtype=np.uint8)


def _planes(frame: av.VideoFrame) -> tuple[Plane, Plane, Plane]:
    """Brightness and halved colours. Where a file stores whole ones they are halved here: the converter would lay them
    half a pixel aside, and stretch those of an odd picture."""
    if frame.format.name in AS_DECODED:
        return _rows(frame, 0), _rows(frame, 1), _rows(frame, 2)
    whole = frame.format.chroma_width(2) == 2
    frame = frame.reformat(format="yuv444p" if whole else "yuv420p")
    y, blue, red = (_rows(frame, n) for n in range(3))
    return (y, _halved(blue.astype(np.float32)), _halved(red.astype(np.float32))) if whole else (y, blue, red)


def _picture(frame: av.VideoFrame, turns: int) -> YuvFrame:
    y, blue, red = _planes(frame)
    if not turns:
        return YuvFrame(y, (blue, red))
    if y.shape[0] % 2 or y.shape[1] % 2:  # the sample that covers the odd edge alone would come first
        whole = [np.rot90(_doubled(half)[: y.shape[0], : y.shape[1]], turns) for half in (blue, red)]
        blue, red = (_halved(plane) for plane in whole)
        return YuvFrame(_turned(y, turns), (blue, red))
    return YuvFrame(_turned(y, turns), (_turned(blue, turns), _turned(red, turns)))


class LumaReader:
    """Reads a clip of its own, so that the player's decoder is not disturbed.

    `stamps` are the presentation stamps of all frames, `turns` the quarter
    turns to upright (see Clip).
    """

    def __init__(self, path: Path, stamps: NDArray[np.int64], turns: int) -> None:
        try:
            self._container = av.open(str(path))
        except (av.FFmpegError, OSError) as err:
            raise BadInput(f"“{path.name}” cannot be read. What was tracked is saved.") from err
        self._stream = self._container.streams.video[0]
        self._stream.thread_type = "AUTO"
        self._stream.codec_context.options = {"err_detect": "explode"}
        self._stamps, self._turns = stamps, turns
        self._numbers = {int(stamp): n for n, stamp in enumerate(stamps)}

    def close(self) -> None:
        """Let go of the file."""
        self._container.close()

    def forward(self, start: int, stop: int) -> Iterator[tuple[int, YuvFrame]]:
        """Frames start..stop-1 in order, none behind the last; a picture must be copied to be kept."""
        if start >= min(stop, len(self._stamps)):
            return
        for number, frame in self._frames(start):
            if number >= stop:
                return
            if number >= start:
                yield number, _picture(frame, self._turns)

    def backward(self, start: int, stop: int) -> Iterator[tuple[int, YuvFrame]]:
        """Frames start, start-1, … stop+1, a stretch at a time, in bounded memory."""
        codec = self._stream.codec_context
        room = max(8, BACKWARD_BYTES // (codec.width * codec.height * 3 // 2))
        high = start
        while high > stop:
            low = max(stop + 1, high - room + 1)
            held = [(number, plane.copy()) for number, plane in self.forward(low, high + 1)]
            yield from reversed(held)
            high = low - 1

    def _frames(self, start: int) -> Iterator[tuple[int, av.VideoFrame]]:
        self._container.seek(int(self._stamps[start]), stream=self._stream, backward=True)
        whole_from = -(2**62)
        """After damage nothing is shown up to the next key frame: what leans on a damaged picture shows old places."""
        damaged = False
        for packet in self._container.demux(self._stream):
            if damaged and packet.is_keyframe and packet.pts is not None:
                damaged, whole_from = False, packet.pts
            try:
                frames: Sequence[av.VideoFrame] = self._stream.codec_context.decode(packet)
            except av.FFmpegError:
                frames, damaged = (), True
            for frame in frames:
                stamp = -1 if frame.pts is None else frame.pts
                damaged = damaged or frame.is_corrupt
                if stamp in self._numbers and not damaged and stamp >= whole_from:
                    yield self._numbers[stamp], frame
