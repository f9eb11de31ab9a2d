"""Writes pictures as they come into an H.264 clip with true time stamps."""

from __future__ import annotations

from fractions import Fraction
from pathlib import Path

import av
import numpy as np
from numpy.typing import NDArray

from tuning.core.errors import EnvironmentFault

BASE = Fraction(1, 90000)


class Recorder:
    """Begin with the size of the first picture; `add` with seconds since the start; `close` ends the clip."""

    def __init__(self, path: Path, width: int, height: int) -> None:
        self.path = path
        try:
            self._container = av.open(str(path), "w", options={"movflags": "faststart"})
        except (av.FFmpegError, OSError) as err:
            raise EnvironmentFault(f"The clip cannot be recorded to {path} ({err}).") from err
        self._stream = self._container.add_stream("libx264", rate=60)
        # The encoder wants even sizes.
        self._stream.width, self._stream.height = width - width % 2, height - height % 2
        self._stream.pix_fmt, self._stream.time_base = "yuv420p", BASE
        self._stream.codec_context.time_base = BASE
        self._stream.options = {"crf": "18", "preset": "ultrafast"}  # a picture lost is worse than a large file
        self._last = -1

    def add(self, pixels: NDArray[np.uint8], seconds: float) -> None:
        """One picture; a stamp that does not grow is put one tick later. Raises EnvironmentFault on a full disk."""
        frame = av.VideoFrame.from_ndarray(
            np.ascontiguousarray(pixels[: self._stream.height, : self._stream.width]), format="rgb24"
        )
        self._last = max(self._last + 1, round(seconds / BASE))
        frame.pts, frame.time_base = self._last, BASE
        try:
            self._container.mux(self._stream.encode(frame))
        except (av.FFmpegError, OSError) as err:
            raise EnvironmentFault(f"Recording stopped: {err}. What was recorded so far may be cut short.") from err

    def close(self) -> Path:
        """End the clip."""
        try:
            self._container.mux(self._stream.encode())
            self._container.close()
        except (av.FFmpegError, OSError) as err:
            raise EnvironmentFault(f"The clip could not be ended: {err}.") from err
        return self.path
