"""Twin force plates that stream."""

from __future__ import annotations

from typing import Protocol

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]


class ForcePlates(Protocol):
    """Streams the vertical force of two plates while open, and the centre of pressure where they tell it."""

    name: str
    rate: float

    def zero(self) -> None:
        """Take the empty plates as zero. Raises OSError when they do not answer."""
        ...

    def start(self) -> None:
        """Begin to stream. Raises OSError."""
        ...

    def read(self) -> Floats:
        """Samples since the last call: seconds, left N, right N, and where the plates tell the centre of pressure
        left across, left ahead, right across, right ahead in mm; shape (n, 3) or (n, 7).

        Raises OSError when the plates are gone.
        """
        ...

    def stop(self) -> None:
        """End the stream."""
        ...
