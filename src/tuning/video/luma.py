"""The decoder's own planes, brightness and colour differences, in either direction, without conversion to RGB."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from functools import cached_property
from pathlib import Path

import av
import cv2
import numpy as np
from numpy.typing import NDArray

from tuning.core.errors import BadInput

Plane = NDArray[np.uint8]
BACKWARD_BYTES = 192 * 2**20
"""Planes held at a time when frames are read backward."""


@dataclass(frozen=True)
class Picture:
    """One upright frame: brightness, and blue and red differences where the decoder gives them."""

    y: Plane
    halves: tuple[Plane, Plane] | None = None
    """Colour differences as decoded, half as wide and high, before turning."""
    turns: int = 0

    @property
    def shape(self) -> tuple[int, int]:
        """Height and width, px."""
        return self.y.shape[0], self.y.shape[1]

    @cached_property
    def colours(self) -> tuple[Plane, Plane] | None:
        """Both differences at full size; each sample is taken to lie in the middle of its four pixels."""
        if self.halves is None:
            return None
        height, width = self.shape[::-1] if self.turns % 2 else self.shape
        whole = [cv2.resize(half, (width, height), interpolation=cv2.INTER_LINEAR) for half in self.halves]
        blue, red = (np.rot90(np.asarray(w, dtype=np.uint8), self.turns) for w in whole)
        return blue, red

    def colour_crop(self, x: int, y: int, size: int) -> tuple[Plane, Plane] | None:
        """Both differences of a square at full size, from its first pixel; only this part is scaled up."""
        height, width = self.shape
        whole = self.turns or x < 0 or y < 0 or x + size > width or y + size > height
        if self.halves is None or whole:
            return None
        left, top = max(x // 2 - 1, 0), max(y // 2 - 1, 0)
        right, bottom = (x + size) // 2 + 2, (y + size) // 2 + 2
        columns, rows = slice(x - 2 * left, x - 2 * left + size), slice(y - 2 * top, y - 2 * top + size)

        def scaled(half: Plane) -> Plane:
            part = half[top:bottom, left:right]
            doubled = (2 * part.shape[1], 2 * part.shape[0])
            return np.asarray(cv2.resize(part, doubled, interpolation=cv2.INTER_LINEAR), dtype=np.uint8)[rows, columns]

        return scaled(self.halves[0]), scaled(self.halves[1])

    def copy(self) -> Picture:
        """A picture that outlives its frame."""
        halves = None if self.halves is None else (self.halves[0].copy(), self.halves[1].copy())
        return Picture(self.y.copy(), halves, self.turns)


def _rows(frame: av.VideoFrame, n: int) -> Plane:
    plane = frame.planes[n]
    return np.frombuffer(memoryview(plane), np.uint8).reshape(plane.height, plane.line_size)[:, : plane.width]


def _picture(frame: av.VideoFrame, turns: int) -> Picture:
    if frame.format.name not in ("yuv420p", "yuvj420p"):
        frame = frame.reformat(format="yuv420p")
    y = _rows(frame, 0)
    return Picture(np.rot90(y, turns) if turns else y, (_rows(frame, 1), _rows(frame, 2)), turns)


class LumaReader:
    """Reads a clip of its own, so that the player's decoder is not disturbed.

    `stamps` are the presentation stamps of all frames, `turns` the quarter
    turns to upright (see Clip).
    """

    def __init__(self, path: Path, stamps: NDArray[np.int64], turns: int) -> None:
        try:
            self._container = av.open(str(path))
        except (av.FFmpegError, OSError) as err:
            raise BadInput(f"“{path.name}” cannot be read. What was tracked is kept.") from err
        self._stream = self._container.streams.video[0]
        self._stream.thread_type = "AUTO"
        self._stream.codec_context.options = {"err_detect": "explode"}
        self._stamps, self._turns = stamps, turns
        self._numbers = {int(stamp): n for n, stamp in enumerate(stamps)}

    def close(self) -> None:
        """Let go of the file."""
        self._container.close()

    def forward(self, start: int, stop: int) -> Iterator[tuple[int, Picture]]:
        """Frames start..stop-1 in order; a picture must be copied to be kept."""
        for number, frame in self._frames(start):
            if number >= stop:
                return
            if number >= start:
                yield number, _picture(frame, self._turns)

    def backward(self, start: int, stop: int) -> Iterator[tuple[int, Picture]]:
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
