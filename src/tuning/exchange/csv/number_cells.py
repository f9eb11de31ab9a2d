"""Cells of delimited files as numbers, with either decimal mark and grouped thousands."""

from __future__ import annotations

import re
from collections.abc import Sequence
from contextlib import suppress

import numpy as np

from tuning.core.errors import BadInput
from tuning.core.types import Floats

NOTHING = ("", "nan", "na", "n/a", "-")
"""How makers write a sample that is not there."""
GROUPED = {
    ",": re.compile(r"[+-]?[1-9]\d{0,2}(\.\d{3})+(,\d+)?"),
    ".": re.compile(r"[+-]?[1-9]\d{0,2}(,\d{3})+(\.\d+)?"),
}
"""Numbers whose thousands are grouped, by the decimal mark that goes with it."""


CLOCK = re.compile(
    r"(?:\d{4}-\d\d-\d\d[T ]|\d\d?[./]\d\d?[./]\d{2,4} )?(?:(\d\d?):)?(\d\d?):(\d\d(?:[.,]\d+)?) ?(?:Z|[+-]\d\d:?\d\d)?"
)
"""Hours, minutes and seconds, with a date and a zone or without; or minutes and seconds alone."""
DAY_S = 86400.0

OTHER = {",": ".", ".": ","}


def surely_decimal(cell: str, mark: str) -> bool:
    """Whether a cell is a number with this decimal mark and none with the other: 512,5 is, 1,234 may be either."""
    return bool(np.isfinite(number(cell, mark))) and not np.isfinite(number(cell, OTHER[mark]))


def _decimal_of(cells: Sequence[str], usual: str) -> str:
    """The decimal mark of one column, the file's usual one where no cell decides. Raises BadInput when two do.

    A mark in every single cell is no sign for thousands, which smaller numbers would not have.
    """
    sure = [mark for mark in OTHER if any(surely_decimal(c, mark) for c in cells if mark in c)]
    if len(sure) > 1:
        raise BadInput("A column has both dots and commas as decimal marks; export it again with one of them.")
    always = [mark for mark in OTHER if all(c.count(mark) == 1 for c in cells if c.lower() not in NOTHING)]
    return next(iter(sure or (always if len(always) == 1 else [])), usual)


def number(cell: str, decimal: str) -> float:
    """One cell; NaN for what is no number. The other mark only ever groups thousands, never disappears."""
    if OTHER[decimal] in cell:
        if not GROUPED[decimal].fullmatch(cell):
            return float("nan")
        cell = cell.replace(OTHER[decimal], "")
    try:
        return float(cell.replace(decimal, "."))
    except ValueError:
        return float("nan")


def column(rows: Sequence[Sequence[str]], n: int, usual: str) -> Floats:
    """Numbers of one column; NaN where a row is short or holds none. Raises BadInput for two decimal marks."""
    cells = [row[n].strip() if n < len(row) else "" for row in rows]
    if usual == ".":
        with suppress(ValueError):  # whole columns of plain numbers, as most are, in one go
            return np.array(cells, dtype=np.float64)
    cells = [c.replace("\u2212", "-") for c in cells]
    decimal = _decimal_of(cells, usual)
    return np.array([number(cell, decimal) for cell in cells])


def clock(rows: Sequence[Sequence[str]], n: int) -> Floats:
    """Seconds of one column that holds the clock of the day, over midnight, too; NaN where a row tells none."""
    told = [CLOCK.fullmatch(row[n].strip()) if n < len(row) else None for row in rows]
    seconds = np.array([_of_day(*one.groups("0")) if one is not None else np.nan for one in told])
    steps = np.diff(seconds, prepend=seconds[:1])
    return np.asarray(seconds + DAY_S * np.cumsum(np.nan_to_num(steps) < -DAY_S / 2))


def _of_day(hours: str, minutes: str, seconds: str) -> float:
    return 3600.0 * int(hours) + 60.0 * int(minutes) + float(seconds.replace(",", "."))


def _is_number(cell: str) -> bool:
    """A number with either mark."""
    return any(np.isfinite(number(cell.strip().replace("\u2212", "-"), mark)) for mark in OTHER)


def has_number(row: Sequence[str]) -> bool:
    """Whether any cell is a number."""
    return any(_is_number(c) for c in row)


def count_words(row: Sequence[str]) -> int:
    """How many of the cells that hold anything hold no number."""
    return sum(not _is_number(c) for c in row if c.strip().lower() not in NOTHING)


def is_numbers(row: Sequence[str], words: int = 0) -> bool:
    """Whether a row holds numbers: all but so many words, which every row may have, and one more; beside words never
    one number alone, as a mass in the head is."""
    held = sum(c.strip().lower() not in NOTHING for c in row)
    return held - count_words(row) >= max(2 if words else 1, held - words - 1)
