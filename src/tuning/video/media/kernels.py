"""Work on single pixels: parts of a picture, the discs in it, and spots that may be discs."""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from tuning.core.types import Floats
from tuning.video.media.jit import (
    BOX,
    COUNT,
    COUNTS,
    GREYS,
    LEVELS,
    NOTHING,
    NUMBER,
    NUMBERS,
    PLANE,
    TABLE,
    YES,
    compiled,
    named,
    several,
)

Plane = NDArray[np.uint8]
Planes = tuple[Plane, Plane, Plane]
"""A picture's brightness, blue and red difference; colours are half as wide and high, or empty."""
Greys = NDArray[np.float32]
Counts = NDArray[np.int64]

BLACK, FULL, DARK = 16.0, 219.0, 32.0
"""Levels of black and of all that may be above it; what is darker than the third tells no colour well."""
CENTRED_PX = 0.5
"""A window whose middle lies so near to what was found in it, on both axes, is not laid anew."""
LEAST = 1e-3
"""Contrast (grey levels) and area (px²) where nothing is seen, so that neither divides by zero."""

NOWHERE_PX = 1e6
"""A place so far off, or NaN, is none: nothing is seen there."""


class Discs(NamedTuple):
    """Masks of m stickers, one behind the other: how many pixels each reaches from its middle one, the place of its
    first pixel, and for each pixel the weights (5, n) that draw the levels of core and four ring sectors, and (n,) how
    much of it may be the disc."""

    halves: Counts
    firsts: Counts
    levels: Floats
    window: Floats


PLANES, DISCS = several(PLANE, 3), named(Discs, COUNTS, COUNTS, TABLE, NUMBERS)


@compiled(COUNT, COUNT, COUNT)
def _held(n: int, size: int) -> int:
    """The nearest number of a line of pixels: edges are repeated."""
    return min(max(n, 0), size - 1)


@compiled(NOTHING, PLANES, COUNT, COUNT, NUMBERS, LEVELS, GREYS)
def mix(planes: Planes, left: int, top: int, weights: Floats, line: Greys, out: Greys) -> None:
    """Fill `out` (height, width) with the part of a picture from `left` and `top` on, each pixel a mix of brightness,
    blue and red difference by `weights` (3,).

    Colour differences are half as wide and high, and drawn up along straight lines: a pixel's middle lies a quarter of
    a sample before or behind that of its nearest one. Without colours `blue` and `red` are empty. `line` is room for
    width // 2 + 2 numbers.
    """
    y, blue, red = planes
    height, width = out.shape
    of_y, of_blue, of_red = np.float32(weights[0]), np.float32(weights[1]), np.float32(weights[2])
    near, far = np.float32(0.75), np.float32(0.25)
    coloured = blue.size > 0 and (of_blue != 0 or of_red != 0)
    first, odd = (left - 1) >> 1, left & 1
    inside = left >= 0 and left + width <= y.shape[1]
    for down in range(height):
        row, mixed = _held(top + down, y.shape[0]), out[down]
        if inside:
            seen = y[row, left : left + width]
            for across in range(width):
                mixed[across] = of_y * seen[across]
        else:
            for across in range(width):
                mixed[across] = of_y * y[row, _held(left + across, y.shape[1])]
        if not coloured:
            continue
        above = (top + down - 1) >> 1
        upper, lower = (near, far) if (top + down) & 1 else (far, near)
        one, two = _held(above, blue.shape[0]), _held(above + 1, blue.shape[0])
        samples = width // 2 + 2
        if first >= 0 and first + samples <= blue.shape[1]:
            blue_one, blue_two = blue[one, first : first + samples], blue[two, first : first + samples]
            red_one, red_two = red[one, first : first + samples], red[two, first : first + samples]
            for n in range(samples):
                over = of_blue * blue_one[n] + of_red * red_one[n]
                line[n] = upper * over + lower * (of_blue * blue_two[n] + of_red * red_two[n])
        else:
            for n in range(samples):
                k = _held(first + n, blue.shape[1])
                over = of_blue * blue[one, k] + of_red * red[one, k]
                line[n] = upper * over + lower * (of_blue * blue[two, k] + of_red * red[two, k])
        # Both pixels of a sample at once, which the machine does for several samples together.
        if odd:
            for n in range(width // 2):
                mixed[2 * n] += near * line[n] + far * line[n + 1]
                mixed[2 * n + 1] += far * line[n] + near * line[n + 1]
        else:
            for n in range(width // 2):
                mixed[2 * n] += far * line[n] + near * line[n + 1]
                mixed[2 * n + 1] += near * line[n + 1] + far * line[n + 2]
        if width & 1:
            n = width // 2
            mixed[2 * n] += near * line[n] + far * line[n + 1] if odd else far * line[n] + near * line[n + 1]


@compiled(NOTHING, PLANES, NUMBER, NUMBER, NUMBERS)
def _colour(planes: Planes, at_x: float, at_y: float, out: Floats) -> None:
    """Fill `out` (2,) with blue and red difference from grey at a place, as they would be at full brightness: shade
    takes both."""
    y, blue, red = planes
    column, row = _held(int(at_x), y.shape[1]), _held(int(at_y), y.shape[0])
    full = FULL / max(y[row, column] - BLACK, DARK)
    row, column = _held(row // 2, blue.shape[0]), _held(column // 2, blue.shape[1])
    out[0], out[1] = (blue[row, column] - 128.0) * full, (red[row, column] - 128.0) * full


@compiled(several(NUMBER, 2), GREYS, TABLE, COUNT)
def _core_and_ground(pixels: Greys, levels: Floats, first: int) -> tuple[float, float]:
    """The levels of a disc's core and of its brightest surroundings."""
    core, a, b, c, d = 0.0, 0.0, 0.0, 0.0, 0.0
    flat = pixels.ravel()
    middle, left_of, right_of, below, above = levels[0], levels[1], levels[2], levels[3], levels[4]
    for n in range(len(flat)):
        core += middle[first + n] * flat[n]
        a += left_of[first + n] * flat[n]
        b += right_of[first + n] * flat[n]
        c += below[first + n] * flat[n]
        d += above[first + n] * flat[n]
    return core, max(a, b, c, d)


@compiled(several(NUMBER, 6), GREYS, NUMBERS, NUMBER, NUMBER)
def _moments(pixels: Greys, window: Floats, ground: float, contrast: float) -> tuple[float, ...]:
    """Area of what lies above half level, its middle from the middle pixel, and its mean squares about that: across,
    mixed, down."""
    side = len(pixels)
    half = side // 2
    area, sx, sy, sxx, sxy, syy = 0.0, 0.0, 0.0, 0.0, 0.0, 0.0
    for row in range(side):
        down, seen, part = float(row - half), pixels[row], window[row * side : (row + 1) * side]
        whole, along, square = 0.0, 0.0, 0.0
        for column in range(side):
            level = (seen[column] - ground) * (2 / contrast) - 1
            share, across = part[column] * min(max(level, 0.0), 1.0), float(column - half)
            whole += share
            along += share * across
            square += share * across * across
        area += whole
        sx += along
        sy += whole * down
        sxx += square
        sxy += along * down
        syy += whole * down * down
    area = max(area, LEAST)
    sx, sy = sx / area, sy / area
    return area, sx, sy, sxx / area - sx * sx, sxy / area - sx * sy, syy / area - sy * sy


@compiled(TABLE, PLANES, TABLE, TABLE, DISCS, COUNT)
def middles(planes: Planes, starts: Floats, weights: Floats, discs: Discs, rounds: int) -> Floats:
    """The disc at each of m places `starts` (m, 2), told by its mix `weights` (m, 3), as rows of x, y, contrast, area,
    mean squares about its middle (across, mixed, down), and blue and red difference from grey at full brightness (0
    without colours).

    A disc is what lies above half level between its core and its brightest surroundings.
    """
    found = np.zeros((len(starts), 9))
    for m in range(len(starts)):
        half, first = discs.halves[m], discs.firsts[m]
        side = 2 * half + 1
        window = discs.window[first : first + side * side]
        pixels, line = np.empty((side, side), np.float32), np.empty(side // 2 + 2, np.float32)
        at_x, at_y = starts[m]
        if not (abs(at_x) < NOWHERE_PX and abs(at_y) < NOWHERE_PX):
            continue
        seen = found[m]
        for _ in range(rounds):
            left, top = math.floor(at_x) - half, math.floor(at_y) - half
            mix(planes, left, top, weights[m], line, pixels)
            core, ground = _core_and_ground(pixels, discs.levels, first)
            contrast = max(core - ground, LEAST)
            area, sx, sy, across, mixed, down = _moments(pixels, window, ground, contrast)
            # Pixel n covers n..n+1, so that its middle lies at n + 0.5.
            at_x, at_y = left + half + 0.5 + sx, top + half + 0.5 + sy
            seen[0], seen[1], seen[2], seen[3], seen[4], seen[5], seen[6] = (
                at_x,
                at_y,
                contrast,
                area,
                across,
                mixed,
                down,
            )
            # What is found hangs on the pixel that the window is centred on, and hardly on its very middle.
            if abs(sx) <= CENTRED_PX and abs(sy) <= CENTRED_PX:
                break
        if planes[1].size > 0:
            _colour(planes, at_x, at_y, seen[7:])
    return found


@compiled(NUMBERS, TABLE, COUNTS, COUNTS, TABLE)
def telling_mix(colours: Floats, core: Counts, ring: Counts, spread: Floats) -> Floats:
    """The mix of unit length of three colours that tells the pixels of `core` from those of `ring` best (Fisher 1936),
    and the variance of the ring along it, as four numbers; zeros where nothing tells them apart.

    `colours` is (n, 3); the ring's own changes are widened by `spread` (3, 3).
    """
    inside, ground = np.zeros(3), np.zeros(3)
    for n in core:
        inside += colours[n]
    for n in ring:
        ground += colours[n]
    inside /= len(core)
    ground /= len(ring)
    changes = np.zeros((3, 3))
    for n in ring:
        for i in range(3):
            for j in range(3):
                changes[i, j] += (colours[n, i] - ground[i]) * (colours[n, j] - ground[j]) / (len(ring) - 1)
    told, best = np.zeros(4), inside - ground
    left = changes + spread  # symmetric and positive: no pivot is needed
    for i in range(3):
        for k in range(i + 1, 3):
            share = left[k, i] / left[i, i]
            left[k] -= share * left[i]
            best[k] -= share * best[i]
    for i in range(2, -1, -1):
        for k in range(i + 1, 3):
            best[i] -= left[i, k] * best[k]
        best[i] /= left[i, i]
    length = math.sqrt((best * best).sum())
    if length > 0:
        best /= length
        told[:3] = best
        for n in ring:
            told[3] += ((colours[n] - ground) * best).sum() ** 2 / (len(ring) - 1)
    return told


@compiled(NUMBERS, PLANES, NUMBER, NUMBER, NUMBERS, NUMBERS, NUMBER)
def ground_beside(planes: Planes, at_x: float, at_y: float, along: Floats, way: Floats, width: float) -> Floats:
    """Mean brightness, blue and red of a strip beside a place, on the side of `way` (2,), `along` (2,) it, clear of a
    blurred edge `width` px away."""
    y, blue, red = planes
    mean = np.zeros(3)
    for n in range(5):
        for away in (1.5, 3.0):
            share = -1.2 + 0.6 * n
            column = math.floor(at_x + width * way[0] + share * along[0] + away * way[0])
            row = math.floor(at_y + width * way[1] + share * along[1] + away * way[1])
            row, column = _held(row, y.shape[0]), _held(column, y.shape[1])
            half_row, half_column = _held(row // 2, blue.shape[0]), _held(column // 2, blue.shape[1])
            mean[0] += 0.1 * y[row, column]
            mean[1] += 0.1 * blue[half_row, half_column]
            mean[2] += 0.1 * red[half_row, half_column]
    return mean


@compiled(COUNT, COUNT, COUNT)
def _mirrored(n: int, size: int) -> int:
    """The place of a line that stands for one beyond its ends, as if a mirror stood on the last one."""
    if size == 1:
        return 0
    n = abs(n) % (2 * (size - 1))
    return min(n, 2 * (size - 1) - n)


@compiled(TABLE, GREYS, COUNT)
def _summed(pixels: Greys, around: int) -> Floats:
    """Sums of all pixels above and left of each, mirrored for `around` pixels beyond the edges (Crow 1984)."""
    height, width = pixels.shape
    rows, columns = height + 2 * around, width + 2 * around
    sums, line = np.zeros((rows + 1, columns + 1)), np.empty(columns)
    for row in range(rows):
        seen = pixels[_mirrored(row - around, height)]
        line[around : around + width] = seen
        for n in range(around):
            line[n], line[around + width + n] = seen[_mirrored(n - around, width)], seen[_mirrored(width + n, width)]
        above, here = sums[row, 1:], sums[row + 1, 1:]
        so_far = 0.0
        for n in range(columns):
            so_far += line[n]
            here[n] = above[n] + so_far
    return sums


@compiled(NOTHING, GREYS, COUNT, GREYS)
def _standing_out(pixels: Greys, half: int, out: Greys) -> None:
    """Fill `out` with what the mean of the square of `half` pixels around each is above that of one twice as large."""
    near, far, inset = 2 * half + 1, 4 * half + 3, half + 1
    sums = _summed(pixels, near)
    near_share, far_share = 1 / near**2, 1 / far**2
    for row in range(out.shape[0]):
        drawn, top, end = out[row], sums[row + inset], sums[row + inset + near]
        a, b, c, d = top[inset:], top[inset + near :], end[inset:], end[inset + near :]
        top, end = sums[row], sums[row + far]
        e, f, g, h = top, top[far:], end, end[far:]
        for n in range(out.shape[1]):
            drawn[n] = (d[n] - c[n] - b[n] + a[n]) * near_share - (h[n] - g[n] - f[n] + e[n]) * far_share


@compiled(YES, GREYS, COUNT, COUNT, COUNT)
def _is_top(response: Greys, row: int, column: int, half: int) -> bool:
    """Whether nothing within `half` pixels is greater."""
    here = response[row, column]
    for other in range(max(row - half, 0), min(row + half + 1, response.shape[0])):
        for beside in range(max(column - half, 0), min(column + half + 1, response.shape[1])):
            if response[other, beside] > here:
                return False
    return True


@compiled(TABLE, PLANES, BOX, NUMBERS, COUNT, NUMBER)
def spots(planes: Planes, box: tuple[int, int, int, int], weights: Floats, half: int, least: float) -> Floats:
    """Pixels (n, 3: x, y, response) of a `box` of a picture (left, top, height, width) where the mean of a square of
    `half` pixels around is above that of one twice as large by more than `least`, and nowhere within `half` by more."""
    left, top, height, width = box
    pixels, line = np.empty((height, width), np.float32), np.empty(width // 2 + 2, np.float32)
    mix(planes, left, top, weights, line, pixels)
    response = np.empty((height, width), np.float32)
    _standing_out(pixels, half, response)
    found = np.empty((height * width, 3))  # a plain of one level has as many tops as pixels
    count = 0
    for row in range(height):
        for column in range(width):
            here = response[row, column]
            # Most pixels lie on a slope, which the one beside them tells.
            if here <= least or (column > 0 and response[row, column - 1] > here):
                continue
            if column + 1 < width and response[row, column + 1] > here:
                continue
            if _is_top(response, row, column, half):
                found[count, 0], found[count, 1], found[count, 2] = left + column, top + row, here
                count += 1
    return found[:count].copy()
