"""Which column of a delimited file is what."""

from __future__ import annotations

import codecs
import math
from collections.abc import Callable, Sequence
from dataclasses import asdict, dataclass, fields, replace
from typing import Any

from tuning.core.errors import BadInput
from tuning.core.types import LEGS, Side
from tuning.core.units import PLATE_UNITS

TIME_UNITS = {"s": 1.0, "ms": 1e-3, "us": 1e-6}
CLOCKS = {"s": "seconds", "ms": "milliseconds", "us": "microseconds"}
"""What a clock counts in, s, and how that is said."""
POINT_UNITS = {"mm": 1.0, "cm": 10.0, "m": 1000.0}


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
    """Columns of the centre of pressure of a plate: to the right, forward."""
    point_unit: str = "mm"

    @property
    def points(self) -> dict[Side, tuple[int, int]]:
        """The mapped centres of pressure by leg."""
        pairs = ((Side.LEFT, self.left_point), (Side.RIGHT, self.right_point))
        return {side: pair for side, pair in pairs if pair is not None}

    def under(self, leg: Side) -> Mapping:
        """The same where its only plate, which no name tells, is this leg's; as it is with two plates or no leg."""
        if (self.left is None) == (self.right is None) or leg not in LEGS:
            return self
        column = self.left if self.left is not None else self.right
        point = self.left_point or self.right_point
        if leg is Side.LEFT:
            return replace(self, left=column, right=None, left_point=point, right_point=None)
        return replace(self, left=None, right=column, left_point=None, right_point=point)

    def to_dict(self) -> dict[str, Any]:
        """For a mapping file."""
        return asdict(self)


def read_mapping(data: dict[str, Any]) -> Mapping:
    """A kept mapping. Raises BadInput that names what does not belong or cannot be."""
    try:
        made = Mapping(**data)
    except TypeError as err:
        raise BadInput(f"The mapping cannot be read: {err}.") from err
    for name, (fits, wanted) in CHECKS.items():
        if not fits(getattr(made, name)):
            raise BadInput(f"The mapping cannot be read: {name} must be {wanted}.")
    made = replace(made, left_point=_pair(made.left_point), right_point=_pair(made.right_point))
    columns = [n for n in (made.time, made.left, made.right) if n is not None]
    columns += [n for pair in made.points.values() for n in pair]
    twice = next((n for n in columns if columns.count(n) > 1), None)
    if twice is not None:
        names = [f.name for f in fields(made) if twice in _columns_of(getattr(made, f.name))]
        raise BadInput(f"The mapping names column {twice} more than once: {', '.join(names)}.")
    return made


def _columns_of(value: Any) -> tuple[Any, ...]:
    return value if isinstance(value, tuple) else (value,) if type(value) is int else ()


def _is_column(value: Any) -> bool:
    return value is None or (type(value) is int and 0 <= value < MOST_COLUMNS)


def _is_pair(value: Any) -> bool:
    return value is None or (
        isinstance(value, list | tuple) and len(value) == 2 and all(type(n) is int and n >= 0 for n in value)
        and value[0] != value[1]
    )  # fmt: skip


def _is_encoding(value: Any) -> bool:
    try:
        return isinstance(value, str) and codecs.lookup(value)._is_text_encoding
    except (LookupError, ValueError):
        return False


def _is_rate(value: Any) -> bool:
    return value is None or (type(value) in (int, float) and math.isfinite(value) and 0 < value < MOST_RATE)


MOST_COLUMNS, MOST_ROWS, MOST_RATE = 10_000, 10_000, 1e6
CHECKS: dict[str, tuple[Callable[[Any], bool], str]] = {
    "encoding": (_is_encoding, "an encoding of text, such as utf-8"),
    "separator": (lambda v: isinstance(v, str) and len(v) == 1 and v not in "\r\n\x00", "one character"),
    "decimal": (lambda v: v in (".", ","), "a dot or a comma"),
    "header_rows": (lambda v: type(v) is int and 0 <= v < MOST_ROWS, "a whole number from 0"),
    "left": (_is_column, "a column, counted from 0"),
    "right": (_is_column, "a column, counted from 0"),
    "time": (_is_column, "a column, counted from 0"),
    "rate": (_is_rate, "samples a second, above 0"),
    "time_unit": (lambda v: isinstance(v, str) and v in TIME_UNITS, f"one of {', '.join(TIME_UNITS)}"),
    "unit": (lambda v: isinstance(v, str) and v in PLATE_UNITS, f"one of {', '.join(PLATE_UNITS)}"),
    "left_point": (_is_pair, "two columns: to the right, forward"),
    "right_point": (_is_pair, "two columns: to the right, forward"),
    "point_unit": (lambda v: isinstance(v, str) and v in POINT_UNITS, f"one of {', '.join(POINT_UNITS)}"),
}
"""What each part of a mapping may be, and how that is said."""


def _pair(columns: Sequence[int] | None) -> tuple[int, int] | None:
    """JSON knows lists only."""
    return None if columns is None else (columns[0], columns[1])
