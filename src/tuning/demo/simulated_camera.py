"""A stand-in for a camera: a clip goes round and round."""

from __future__ import annotations

import time
from collections.abc import Iterator
from pathlib import Path

import av
import numpy as np
from numpy.typing import NDArray


class SimulatedCamera:
    """Plays a clip round and round at its own speed, as if someone moved before the lens.

    Before each round the first picture stays for `stand_s`; a mirrored clip shows the movement from the other side.
    """

    def __init__(self, path: Path, mirrored: bool = False, stand_s: float = 0.0) -> None:
        self.name = "simulated camera"
        self.at = 0.0
        """Place in the round of the picture given last, s."""
        self._mirrored, self._stand_s = mirrored, stand_s
        try:
            self._container = av.open(str(path))
        except av.FFmpegError as err:
            raise OSError("the simulated camera has no pictures") from err
        self._stream = self._container.streams.video[0]
        self._rate = float(self._stream.average_rate or 30)
        self._frames = self._rounds()
        self._due = time.monotonic()

    def _rounds(self) -> Iterator[tuple[float, av.VideoFrame]]:
        """Pictures with their place in the round."""
        while True:
            self._container.seek(0)
            for n, frame in enumerate(self._container.decode(self._stream)):
                if n == 0:
                    yield from ((k / self._rate, frame) for k in range(round(self._stand_s * self._rate)))
                yield self._stand_s + n / self._rate, frame

    def read(self) -> NDArray[np.uint8]:
        """The next picture when it is due."""
        at, frame = next(self._frames)
        self._due = max(self._due + 1 / self._rate, time.monotonic() - 0.2)
        time.sleep(max(0.0, self._due - time.monotonic()))
        self.at = at
        pixels = np.asarray(frame.to_ndarray(format="rgb24"), dtype=np.uint8)
        return np.ascontiguousarray(pixels[:, ::-1]) if self._mirrored else pixels

    def close(self) -> None:
        """Let go of the clip."""
        self._container.close()
