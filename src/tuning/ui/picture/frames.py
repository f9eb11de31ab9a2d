"""Serves frames off the interface thread: the nearest at hand at once, then the newest that was wished for."""

from __future__ import annotations

import threading

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtGui import QImage

from tuning.core.errors import TuningError
from tuning.video import PictureSource


def to_image(pixels: NDArray[np.uint8]) -> QImage:
    """A QImage with its own copy of RGB pixels (height, width, 3)."""
    height, width = pixels.shape[:2]
    return QImage(pixels.tobytes(), width, height, 3 * width, QImage.Format.Format_RGB888).copy()


def to_pixels(image: QImage) -> NDArray[np.uint8]:
    """RGB pixels (height, width, 3) of an image, as `to_image` takes them."""
    plain = image.convertToFormat(QImage.Format.Format_RGB888)
    bits = plain.constBits()
    assert bits is not None
    rows = np.frombuffer(bits.asstring(plain.sizeInBytes()), np.uint8).reshape(plain.height(), plain.bytesPerLine())
    return rows[:, : 3 * plain.width()].reshape(plain.height(), plain.width(), 3)


FAR_AWAY = -(10**9)
"""Before the first picture every frame is nearer."""


class FrameServer(QObject):
    """One thread that decodes for one source. `ready` brings (index, QImage); until the frame is there it may bring
    others that are nearer than what it brought last."""

    ready = pyqtSignal(int, QImage)
    failed = pyqtSignal(str)

    def __init__(self, source: PictureSource) -> None:
        super().__init__()
        self.source = source
        self._wanted: int | None = None
        self._brought = FAR_AWAY
        self._open = True
        self._bell = threading.Condition()
        self._thread = threading.Thread(target=self._serve, daemon=True, name="frames")
        self._thread.start()

    def want(self, index: int) -> None:
        """Ask for a frame; an older wish is dropped, begun or not."""
        with self._bell:
            self._wanted = index
            self._bell.notify()

    def close(self) -> None:
        """Stop the thread and let go of the file."""
        with self._bell:
            self._open = False
            self._bell.notify()
        self._thread.join()
        self.source.close()

    def _serve(self) -> None:
        while True:
            with self._bell:
                self._bell.wait_for(lambda: self._wanted is not None or not self._open)
                if not self._open:
                    return
                index, self._wanted = self._wanted, None
            assert index is not None
            try:
                self._bring(self.source.nearest(index, abs(self._brought - index)))
                pixels = self.source.reach(index, self._still)
            except TuningError as err:
                self.failed.emit(str(err))
            else:
                self._bring(None if pixels is None else (index, pixels))

    def _still(self) -> bool:
        """Whether nothing else has been wished for meanwhile."""
        return self._wanted is None and self._open

    def _bring(self, found: tuple[int, NDArray[np.uint8]] | None) -> None:
        if found is not None:
            self._brought = found[0]
            self.ready.emit(found[0], to_image(found[1]))
