"""Serves frames off the interface thread; only the newest wish is fulfilled."""

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


class FrameServer(QObject):
    """One thread that decodes for one source. `ready` brings (index, QImage)."""

    ready = pyqtSignal(int, QImage)
    failed = pyqtSignal(str)

    def __init__(self, source: PictureSource) -> None:
        super().__init__()
        self.source = source
        self._wanted: int | None = None
        self._open = True
        self._bell = threading.Condition()
        self._thread = threading.Thread(target=self._serve, daemon=True, name="frames")
        self._thread.start()

    def want(self, index: int) -> None:
        """Ask for a frame; an older wish that was not begun is dropped."""
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
                image = to_image(self.source.frame(index))
            except TuningError as err:
                self.failed.emit(str(err))
            else:
                self.ready.emit(index, image)
