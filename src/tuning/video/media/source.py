"""One way to look at a photograph or a clip: frames by number, upright, in true time."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from tuning.core.errors import BadInput

PHOTO_SUFFIXES = (".jpg", ".jpeg", ".png", ".tif", ".tiff", ".webp")
CLIP_SUFFIXES = (".mp4", ".mov", ".m4v", ".avi", ".webm", ".mkv")
ACCEPTED = "a photograph (JPEG, PNG, TIFF, WebP) or a clip (MP4, MOV, AVI, WebM, MKV)"


class PictureSource(Protocol):
    """A photograph is a clip of one frame."""

    @property
    def size(self) -> tuple[int, int]:
        """Width and height in pixels, upright."""
        ...

    @property
    def times(self) -> NDArray[np.float64]:
        """Shape (n_frames,): seconds of each frame from the first."""
        ...

    @property
    def warning(self) -> str:
        """A sentence about something odd in the file, or empty."""
        ...

    @property
    def capture_rate(self) -> float | None:
        """Frames a second at which a slow-motion clip says it was recorded; None when it says nothing."""
        ...

    def frame(self, index: int) -> NDArray[np.uint8]:
        """Shape (height, width, 3), RGB, upright. Raises IndexError or BadInput."""
        ...

    def reach(self, index: int, going: Callable[[], bool]) -> NDArray[np.uint8] | None:
        """As `frame`; None where `going`, asked on the way, ends it."""
        ...

    def nearest(self, index: int, within: int) -> tuple[int, NDArray[np.uint8]] | None:
        """What can be shown at once until the frame is there: number and picture of a frame nearer than `within`."""
        ...

    def close(self) -> None:
        """Let go of the file."""
        ...


def open_source(path: Path, name: str = "") -> PictureSource:
    """Open a photograph or a clip; what is in the file counts, not only its name.

    `name` is what the sentence calls the file. Raises BadInput with a sentence
    that says what is wrong and what is accepted.
    """
    called = name or path.name
    suffix = path.suffix.lower()
    if suffix in PHOTO_SUFFIXES + CLIP_SUFFIXES and not path.exists():
        raise BadInput(f"“{called}” is not there.")
    if suffix in PHOTO_SUFFIXES:
        from tuning.video.media.photo import Photo

        return Photo(path, called)
    if suffix in CLIP_SUFFIXES:
        from tuning.video.media.clip import Clip

        return Clip(path, called)
    raise BadInput(f"“{called}” is no kind of file that can be measured. Open {ACCEPTED}.")
