"""Photographs through Pillow, EXIF orientation honoured."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageOps, UnidentifiedImageError

from tuning.core.errors import BadInput

MOST_PIXELS = 80_000_000
"""Three copies of it must fit beside everything else (practice judgement, editable)."""
Image.MAX_IMAGE_PIXELS = None  # what the library only warns of is refused here, before anything is unpacked


class Photo:
    """A photograph as a source of one frame."""

    warning = ""
    capture_rate: float | None = None

    def __init__(self, path: Path, name: str) -> None:
        try:
            with Image.open(path, formats=("JPEG", "PNG", "TIFF", "WEBP")) as image:
                if image.width * image.height > MOST_PIXELS:  # a small file may unpack to gigabytes
                    raise BadInput(
                        f"“{name}” has {image.width} x {image.height} pixels; at most {MOST_PIXELS // 10**6} million "
                        "can be read. Save it smaller. Nothing was changed."
                    )
                self._pixels = np.asarray(ImageOps.exif_transpose(image).convert("RGB"))
        except (OSError, UnidentifiedImageError, SyntaxError, ValueError, Image.DecompressionBombError) as err:
            raise BadInput(
                f"“{name}” cannot be read as a photograph: it is damaged, incomplete or another kind of file. "
                "Nothing was changed."
            ) from err

    @property
    def size(self) -> tuple[int, int]:
        """Width and height in pixels, upright."""
        height, width = self._pixels.shape[:2]
        return width, height

    @property
    def times(self) -> NDArray[np.float64]:
        """One frame at time zero."""
        return np.zeros(1)

    def frame(self, index: int) -> NDArray[np.uint8]:
        """The photograph; index must be 0."""
        if index != 0:
            raise IndexError("a photograph has one frame")
        return self._pixels

    def reach(self, index: int, going: Callable[[], bool]) -> NDArray[np.uint8]:
        """The photograph: it is there already."""
        return self.frame(index)

    def nearest(self, index: int, within: int) -> None:
        """Nothing: the one frame is there."""

    def close(self) -> None:
        """Nothing is held open."""
