"""Brightness planes straight from the decoder, in either direction, without colour conversion."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import av
import numpy as np
from numpy.typing import NDArray

from tuning.core.errors import BadInput

Plane = NDArray[np.uint8]
BACKWARD_BYTES = 192 * 2**20
"""Planes held at a time when frames are read backward."""


def _plane(frame: av.VideoFrame, turns: int) -> Plane:
    plane = frame.planes[0]
    rows = np.frombuffer(memoryview(plane), np.uint8).reshape(plane.height, plane.line_size)
    return np.rot90(rows[:, : plane.width], turns) if turns else rows[:, : plane.width]


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
        self._stamps, self._turns = stamps, turns
        self._numbers = {int(stamp): n for n, stamp in enumerate(stamps)}

    def close(self) -> None:
        """Let go of the file."""
        self._container.close()

    def forward(self, start: int, stop: int) -> Iterator[tuple[int, Plane]]:
        """Frames start..stop-1 in order; the planes must be copied to be kept."""
        for number, frame in self._frames(start):
            if number >= stop:
                return
            if number >= start:
                yield number, _plane(frame, self._turns)

    def backward(self, start: int, stop: int) -> Iterator[tuple[int, Plane]]:
        """Frames start, start-1, … stop+1, a stretch at a time, in bounded memory."""
        codec = self._stream.codec_context
        room = max(8, BACKWARD_BYTES // (codec.width * codec.height))
        high = start
        while high > stop:
            low = max(stop + 1, high - room + 1)
            held = [(number, plane.copy()) for number, plane in self.forward(low, high + 1)]
            yield from reversed(held)
            high = low - 1

    def _frames(self, start: int) -> Iterator[tuple[int, av.VideoFrame]]:
        self._container.seek(int(self._stamps[start]), stream=self._stream, backward=True)
        try:
            for frame in self._container.decode(self._stream):
                number = self._numbers.get(frame.pts) if frame.pts is not None else None
                if number is not None:
                    yield number, frame
        except av.FFmpegError as err:
            raise BadInput("A stretch of the clip cannot be read. What was tracked so far is kept.") from err
