"""A camera that gives pictures as they come."""

from __future__ import annotations

import time
from collections.abc import Iterator
from pathlib import Path
from typing import Protocol

import av
import numpy as np
from numpy.typing import NDArray


class Camera(Protocol):
    """Pictures in their own time."""

    name: str

    def read(self) -> NDArray[np.uint8]:
        """Wait for the next picture: RGB, (height, width, 3). Raises OSError when the camera is gone."""
        ...

    def close(self) -> None:
        """Let go of the camera."""
        ...


class SimulatedCamera:
    """Plays a clip round and round at its own speed, as if someone moved before the lens."""

    def __init__(self, path: Path) -> None:
        self.name = "simulated camera"
        try:
            self._container = av.open(str(path))
        except av.FFmpegError as err:
            raise OSError("the simulated camera has no pictures") from err
        self._stream = self._container.streams.video[0]
        self._frames: Iterator[av.VideoFrame] = iter(())
        self._due = time.monotonic()

    def read(self) -> NDArray[np.uint8]:
        """The next picture when it is due."""
        frame = next(self._frames, None)
        if frame is None:
            self._container.seek(0)
            self._frames = self._container.decode(self._stream)
            frame = next(self._frames)
        rate = float(self._stream.average_rate or 30)
        self._due = max(self._due + 1 / rate, time.monotonic() - 0.2)
        time.sleep(max(0.0, self._due - time.monotonic()))
        return np.asarray(frame.to_ndarray(format="rgb24"), dtype=np.uint8)

    def close(self) -> None:
        """Let go of the clip."""
        self._container.close()
