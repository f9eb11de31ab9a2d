"""Two equal scales, one foot on each."""

from __future__ import annotations

from typing import Protocol


class TwoScales(Protocol):
    """Gives the mean of a quiet stand."""

    name: str

    def read(self) -> tuple[float, float]:
        """Mean mass (left, right) in kg over 20 s. Raises OSError when a scale does not answer."""
        ...
