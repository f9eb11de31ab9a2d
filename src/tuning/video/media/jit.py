"""Inner loops as machine code: made on a machine's first use of them and kept beside their files, because on small
arrays the calls of NumPy cost several times their arithmetic. Importing a module that has some takes up to a second."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, TypeVar

from numba import njit, types

Work = TypeVar("Work", bound=Callable[..., Any])

NOTHING, YES, COUNT, NUMBER = types.void, types.boolean, types.int64, types.float64
YESSES, COUNTS, NUMBERS = YES[::1], COUNT[::1], NUMBER[::1]
TABLE, GREYS, LEVELS = NUMBER[:, ::1], types.float32[:, ::1], types.float32[::1]
SHADES = types.float32[:, :, ::1]
GRID, CUBE = COUNT[:, ::1], NUMBER[:, :, ::1]
PLANE = types.Array(types.uint8, 2, "A", readonly=True)
"""Rows of a decoder may be longer than the picture, and are not ours to write on."""


def several(kind: Any, n: int) -> Any:
    """The kind of so many of a kind."""
    return types.Tuple([kind] * n)  # type: ignore[no-untyped-call]


def named(kind: type, *fields: Any) -> Any:
    """The kind of a named tuple whose fields are of these kinds."""
    if len(set(fields)) == 1:
        return types.NamedUniTuple(fields[0], len(fields), kind)  # type: ignore[no-untyped-call]
    return types.NamedTuple(fields, kind)  # type: ignore[no-untyped-call]


BOX = several(COUNT, 4)


def compiled(result: Any, *given: Any) -> Callable[[Work], Work]:
    """One machine code for the one kind of result and arguments; wrong ones raise TypeError.

    Where it cannot be kept or read back (no place to write, a full disk, a damaged file) it is made anew each time,
    which takes longer and nothing else. What is wrong with the code itself raises all the same.
    """

    def compile_(work: Work) -> Work:
        made: Work
        try:
            made = njit(result(*given), cache=True, nogil=True)(work)
        except Exception:  # a damaged file may raise anything
            made = njit(result(*given), nogil=True)(work)
        return made

    return compile_
