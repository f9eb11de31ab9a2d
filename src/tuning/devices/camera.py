"""A camera that gives pictures as they come."""

from __future__ import annotations

from typing import Protocol

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
