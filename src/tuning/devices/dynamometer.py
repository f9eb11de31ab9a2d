"""A hand-held gauge that streams force."""

from __future__ import annotations

from typing import Protocol

import numpy as np
from numpy.typing import NDArray


class Dynamometer(Protocol):
    """Streams force while open. Push is above zero, pull below."""

    name: str

    def start(self) -> None:
        """Zero and begin to stream. Raises OSError when the gauge does not answer."""
        ...

    def read(self) -> NDArray[np.float64]:
        """Samples since the last call, shape (n, 2): seconds since the start, newtons. Lost ones are missing.

        Raises OSError when the gauge is gone.
        """
        ...

    def stop(self) -> None:
        """End the stream."""
        ...
