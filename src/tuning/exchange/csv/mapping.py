"""Which column of a delimited file is what."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import asdict, dataclass, replace
from typing import Any

from tuning.core.errors import BadInput
from tuning.core.types import Side


@dataclass(frozen=True)
class Mapping:
    """Which column is what. Columns count from 0; `time` None needs `rate`; a leg without a plate is None."""

    encoding: str
    separator: str
    decimal: str
    header_rows: int
    left: int | None
    right: int | None
    time: int | None = None
    rate: float | None = None
    time_unit: str = "s"
    unit: str = "N"
    left_point: tuple[int, int] | None = None
    right_point: tuple[int, int] | None = None
    """Columns of the point of pressure of a plate: to the right, forward."""
    point_unit: str = "mm"

    @property
    def points(self) -> dict[Side, tuple[int, int]]:
        """The mapped points of pressure by leg."""
        pairs = ((Side.LEFT, self.left_point), (Side.RIGHT, self.right_point))
        return {side: pair for side, pair in pairs if pair is not None}

    def kept(self) -> dict[str, Any]:
        """For a mapping file."""
        return asdict(self)


def read_mapping(data: dict[str, Any]) -> Mapping:
    """A kept mapping. Raises BadInput for keys that do not belong."""
    try:
        made = Mapping(**data)
        return replace(made, left_point=_pair(made.left_point), right_point=_pair(made.right_point))
    except (TypeError, ValueError) as err:
        raise BadInput(f"The mapping cannot be read: {err}.") from err


def _pair(columns: Sequence[int] | None) -> tuple[int, int] | None:
    """JSON knows lists only."""
    if columns is None:
        return None
    right, forward = columns
    return int(right), int(forward)
