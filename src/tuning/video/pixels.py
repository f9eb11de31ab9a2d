"""Work on single pixels, compiled on a machine's first use of it and kept beside this file: on many small squares the
calls of NumPy cost several times their arithmetic."""

from __future__ import annotations

import math
from collections.abc import Callable
from typing import Any, TypeVar

import numpy as np
from numba import njit, types
from numpy.typing import NDArray

from tuning.core.types import Floats

Plane = NDArray[np.uint8]
Counts = NDArray[np.int64]
Work = TypeVar("Work", bound=Callable[..., Any])

BLACK, FULL, DARK = 16.0, 219.0, 32.0
"""Levels of black and of all that may be above it; what is darker than the third tells no colour well."""
CENTRED_PX = 0.5
"""A window whose middle lies so near to what was found in it, on both axes, is not laid anew."""
LEAST = 1e-3
"""Contrast (grey levels) and area (px²) where nothing is seen, so that neither divides by zero."""

_NUMBER, _COUNT = types.float64, types.int64
_ROW, _ROWS, _COUNTS = _NUMBER[::1], _NUMBER[:, ::1], _COUNT[::1]
_PLANES = (types.Array(types.uint8, 2, "A", readonly=True),) * 3
"""Rows of a decoder may be longer than the picture, and are not ours to write on."""


def _compiled(result: Any, *given: Any) -> Callable[[Work], Work]:
    """One machine code for one signature, whatever the layout of the planes."""

    def compile_(work: Work) -> Work:
        made: Work = njit(result(*given), cache=True, nogil=True)(work)
        return made

    return compile_


@_compiled(_COUNT, _COUNT, _COUNT)
def _held(n: int, size: int) -> int:
    """The nearest number of a line of pixels: edges are repeated."""
    return min(max(n, 0), size - 1)


@_compiled(types.void, *_PLANES, _COUNT, _COUNT, _ROW, _ROW, _ROWS)
def mix(y: Plane, blue: Plane, red: Plane, left: int, top: int, weights: Floats, line: Floats, out: Floats) -> None:
    """Fill `out` (height, width) with the part of a picture from `left` and `top` on, each pixel a mix of brightness,
    blue and red difference by `weights` (3,).

    Colour differences are half as wide and high, and drawn up along straight lines: a pixel's middle lies a quarter of
    a sample before or behind that of its nearest one. Without colours `blue` and `red` are empty. `line` is room for
    width // 2 + 2 numbers.
    """
    height, width = out.shape
    of_y, of_blue, of_red = weights
    coloured = blue.size > 0 and (of_blue != 0 or of_red != 0)
    first = (left - 1) >> 1
    for down in range(height):
        row = _held(top + down, y.shape[0])
        for across in range(width):
            out[down, across] = of_y * y[row, _held(left + across, y.shape[1])]
        if not coloured:
            continue
        above = (top + down - 1) >> 1
        near = 0.75 if (top + down) & 1 else 0.25
        one, two = _held(above, blue.shape[0]), _held(above + 1, blue.shape[0])
        for n in range(width // 2 + 2):
            k = _held(first + n, blue.shape[1])
            upper = of_blue * blue[one, k] + of_red * red[one, k]
            lower = of_blue * blue[two, k] + of_red * red[two, k]
            line[n] = near * upper + (1 - near) * lower
        for across in range(width):
            n = ((left + across - 1) >> 1) - first
            near = 0.75 if (left + across) & 1 else 0.25
            out[down, across] += near * line[n] + (1 - near) * line[n + 1]


@_compiled(types.void, *_PLANES, _NUMBER, _NUMBER, _ROW)
def _colour(y: Plane, blue: Plane, red: Plane, at_x: float, at_y: float, out: Floats) -> None:
    """Fill `out` (2,) with blue and red difference from grey at a place, as they would be at full brightness: shade
    takes both."""
    column, row = _held(int(at_x), y.shape[1]), _held(int(at_y), y.shape[0])
    full = FULL / max(y[row, column] - BLACK, DARK)
    row, column = _held(row // 2, blue.shape[0]), _held(column // 2, blue.shape[1])
    out[0], out[1] = (blue[row, column] - 128.0) * full, (red[row, column] - 128.0) * full


@_compiled(_ROWS, *_PLANES, _ROWS, _ROWS, _COUNTS, _COUNTS, _ROWS, _ROW, _COUNT)
def middles(
    y: Plane,
    blue: Plane,
    red: Plane,
    starts: Floats,
    weights: Floats,
    halves: Counts,
    firsts: Counts,
    levels: Floats,
    window: Floats,
    rounds: int,
) -> Floats:
    """The disc at each of m places `starts` (m, 2), told by its mix `weights` (m, 3), as rows of x, y, contrast, area,
    mean squares about its middle (across, mixed, down), and blue and red difference from grey at full brightness (0
    without colours).

    A disc is what lies above half level between its core and its brightest surroundings. Its masks lie in a square of
    `halves` (m,) pixels around the middle one, from `firsts` (m,) on: `levels` (5, n) draws the levels of the core and
    four parts of the ring from the pixels, `window` (n,) says how much of each may be the disc.
    """
    found = np.zeros((len(starts), 9))
    for m in range(len(starts)):
        half, first = halves[m], firsts[m]
        side = 2 * half + 1
        pixels, line = np.empty((side, side)), np.empty(side // 2 + 2)
        at_x, at_y = starts[m]
        for _ in range(rounds):
            left, top = math.floor(at_x) - half, math.floor(at_y) - half
            mix(y, blue, red, left, top, weights[m], line, pixels)
            core, a, b, c, d = 0.0, 0.0, 0.0, 0.0, 0.0
            for n, seen in enumerate(pixels.flat, first):
                core += levels[0, n] * seen
                a += levels[1, n] * seen
                b += levels[2, n] * seen
                c += levels[3, n] * seen
                d += levels[4, n] * seen
            ground = max(a, b, c, d)
            contrast = max(core - ground, LEAST)
            area, sx, sy, sxx, sxy, syy = 0.0, 0.0, 0.0, 0.0, 0.0, 0.0
            n = first
            for down in range(-half, half + 1):
                for across in range(-half, half + 1):
                    level = (pixels[down + half, across + half] - ground) * 2 / contrast - 1
                    share = window[n] * min(max(level, 0.0), 1.0)
                    area += share
                    sx += share * across
                    sy += share * down
                    sxx += share * across * across
                    sxy += share * across * down
                    syy += share * down * down
                    n += 1
            area = max(area, LEAST)
            sx, sy = sx / area, sy / area
            # Pixel n covers n..n+1, so that its middle lies at n + 0.5.
            at_x, at_y = left + half + 0.5 + sx, top + half + 0.5 + sy
            # What is found hangs on the pixel that the window is centred on, and hardly on its very middle.
            if abs(sx) <= CENTRED_PX and abs(sy) <= CENTRED_PX:
                break
        found[m, 0], found[m, 1], found[m, 2], found[m, 3] = at_x, at_y, contrast, area
        found[m, 4], found[m, 5], found[m, 6] = sxx / area - sx * sx, sxy / area - sx * sy, syy / area - sy * sy
        if blue.size > 0:
            _colour(y, blue, red, at_x, at_y, found[m, 7:])
    return found
