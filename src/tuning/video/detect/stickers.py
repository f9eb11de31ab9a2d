"""Round stickers in a picture: where their discs lie and how each looks."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache
from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from tuning.core.types import Floats
from tuning.video.media.kernels import Discs, Plane, middles, telling_mix
from tuning.video.media.planes import YuvFrame, picture_of, square

ROUNDS, LEAST_SEEN, LEAST_AREA = 4, 2.0, 2.0
"""How often a window is laid anew at most; what has less contrast (grey levels) or less area (px²) is nothing."""
NOISE, LEAST_SHARE = 6.0, 0.3
"""What has less contrast than the first (grey levels) is no sticker; where that has little itself, as in the dark, what
has less than the share of it (practice judgement, editable)."""
Axis = tuple[float, float, float]
"""Weights of brightness, blue and red difference."""
Colour = tuple[float, float]
"""Blue and red difference from grey, of full brightness."""
NO_COLOUR: Colour = (0.0, 0.0)
BRIGHT: Axis = (1.0, 0.0, 0.0)
DARK: Axis = (-1.0, 0.0, 0.0)
SPREAD = np.diag([15.0**2, 6.0**2, 6.0**2])
"""How much the ground of a mark changes beyond what is around it now (grey levels, squared): shade more than hue
(practice judgement, editable)."""

RING = 1.5, 2.1
"""The ring around a sticker that its surroundings are taken from, radii."""
RADII = np.arange(2.5, 14.1, 0.5)
"""Sticker radii looked for, px."""
SNAP_PX = 4.0
"""A click counts as meant for a sticker no further away than this."""
LOOK_PX = 64
"""So far around a click a picture is looked at for a sticker."""
CLEARER, SAME_HUE, LEAST_LEFT, MOST_GROWN = 1.3, 0.7, 0.25, 4.0
"""A mark is learnt anew where its contrast is so much greater than it was, along nearly the same mix of brightness and
colour, and where so much of its area is left, since out of focus it was larger, or it has grown no more than so much:
smeared over its ground it was smaller (practice judgement, editable)."""
SAME_SIZE, DIMMER = 1.5, 0.25
"""In another light a mark is learnt anew where its area differs by no more than this factor, so that half a sticker is
none, and where so much of its contrast is left (practice judgement, editable)."""
LEAST_STRENGTH, NOT_IT, SURELY_IT = 30.0, 0.1, 0.35
"""A sticker has a colour of its own from so many levels off grey; what has less than the second share of it is another
thing, what has more than the third may be it in shade or blurred (practice judgement, editable)."""
LEAST_CONTRAST = 30.0
"""Sticker over its surroundings, grey levels."""
LEAST_COLOUR, LEAST_ON_PLAIN, NO_CHANCE = 14.0, 7.5, 3.0
"""Sticker over its surroundings along its own mix of brightness and colour, grey levels; less is enough where it is so
many times what the surroundings change by, and no less than the second (practice judgement, editable)."""


@dataclass
class Sticker:
    """How one mark looks: radius (px), the mix of brightness and colour that tells it from its surroundings,
    contrast along that mix, area seen, and its own colour. `blurred` is how it looked before it was seen clearer."""

    radius: float
    axis: Axis
    contrast: float
    area: float
    colour: Colour = NO_COLOUR
    blurred: Sticker | None = None


def gap(a: Floats, b: Floats) -> float:
    """Distance of two places, px."""
    return math.hypot(a[0] - b[0], a[1] - b[1])


def crop(plane: Plane, centre: Floats, half: int) -> tuple[Plane, int, int]:
    """Square crop around a point, edges repeated; with the image place of its first pixel."""
    x, y = math.floor(centre[0]) - half, math.floor(centre[1]) - half
    return square(plane, x, y, 2 * half + 1), x, y


def _reach(radius: float) -> int:
    """How many pixels from its middle one a disc and the ring around it reach."""
    return int(RING[1] * radius)


@lru_cache(maxsize=64)
def _discs(radii: tuple[float, ...]) -> Discs:
    """The masks of a set of stickers, made once; those of one radius share theirs."""
    sizes = sorted(set(radii))
    masks = [_masks(radius) for radius in sizes]
    firsts = np.cumsum([0, *(len(window) for _, window in masks)])
    levels, window = (np.concatenate(parts, axis=-1) for parts in zip(*masks, strict=True))
    of = [sizes.index(radius) for radius in radii]
    return Discs(np.array([_reach(radius) for radius in radii]), firsts[of], levels, window)


@lru_cache(maxsize=64)
def _masks(radius: float) -> tuple[Floats, Floats]:
    """Weights (5, n) for the levels of core and ring sectors in the square around a disc, and its window (n,)."""
    grid = np.arange(-_reach(radius), _reach(radius) + 1.0)
    x, y = (g.ravel() for g in np.meshgrid(grid, grid))
    distance = np.hypot(x, y)
    ring = (distance >= RING[0] * radius) & (distance <= RING[1] * radius)
    ways = ((1, 0), (-1, 0), (0, 1), (0, -1))
    parts = [distance <= 0.55 * radius, *(ring & ((x * sx + y * sy) > 0.7 * distance) for sx, sy in ways)]
    return np.array([part / part.sum() for part in parts]), np.clip(1.75 * radius + 0.5 - distance, 0, 1)


class Blob(NamedTuple):
    """A sticker as found in a picture."""

    at: Floats
    contrast: float
    area: float
    spread: tuple[float, float, float] = (1.0, 0.0, 1.0)
    """Mean squares about its middle, px²: across, mixed, down."""
    colour: Colour | None = None
    """Of its middle; None in a picture without colours."""


def centroids(picture: YuvFrame, starts: Floats, radii: Sequence[float], axes: Sequence[Axis]) -> list[Blob | None]:
    """For each start the centroid of what lies above half level between sticker and brightest surroundings."""
    at, weights = np.ascontiguousarray(starts, dtype=np.float64), np.array(axes, dtype=np.float64)
    found = middles(picture.planes, at, weights, _discs(tuple(radii)), ROUNDS)
    return [
        Blob(place, contrast, area, (xx, xy, yy), None if picture.halves is None else (blue, red))
        if contrast >= LEAST_SEEN and area >= LEAST_AREA
        else None
        for place, (contrast, area, xx, xy, yy, blue, red) in zip(found[:, :2], found[:, 2:].tolist(), strict=True)
    ]


def _centroid(picture: YuvFrame, start: Floats, radius: float, axis: Axis) -> Blob | None:
    return centroids(picture, start[None], (radius,), (axis,))[0]


def _telling_axes(picture: YuvFrame, at: Floats, radii: Sequence[float]) -> list[tuple[Axis, float] | None]:
    """For each radius the mix of brightness and colour that tells a disc here from the ring around it best (Fisher
    1936), and the contrast along it from which a disc is no chance: a plain ground needs little."""
    if picture.halves is None:
        return [None] * len(radii)
    half = _reach(max(radii))
    left, top = (math.floor(v) - half for v in at)
    size = (2 * half + 1, 2 * half + 1)
    colours = np.stack([picture.part(left, top, size, one).ravel() for one in np.eye(3)], axis=1).astype(np.float64)
    return [_telling_axis(colours, *_core_and_ring(radius, half)) for radius in radii]


@lru_cache(maxsize=256)
def _core_and_ring(radius: float, half: int) -> tuple[NDArray[np.intp], NDArray[np.intp]]:
    """Pixels of a square that lie inside a disc in its middle, and those of the ring around it."""
    grid = np.arange(-half, half + 1)
    distance = np.hypot(*np.meshgrid(grid, grid)).ravel()
    ring = (distance >= RING[0] * radius) & (distance <= RING[1] * radius)
    return np.flatnonzero(distance <= max(0.55 * radius, 1.0)), np.flatnonzero(ring)


def _telling_axis(colours: Floats, core: NDArray[np.intp], ring: NDArray[np.intp]) -> tuple[Axis, float] | None:
    """As `_telling_axes` gives it, from the colours (n, 3) of a square."""
    wy, wu, wv, changes = telling_mix(colours, core, ring, SPREAD).tolist()
    least = min(max(NO_CHANCE * math.sqrt(changes), LEAST_ON_PLAIN), LEAST_COLOUR)
    return ((wy, wu, wv), least) if (wy, wu, wv) != (0, 0, 0) else None


def recognise(picture: YuvFrame | Plane, click: Floats) -> tuple[Floats, Sticker | None]:
    """The sticker that was meant by a click, with its centre; None where there is no sticker."""
    picture = as_picture(picture)
    sizes = RADII[::3].tolist()
    bright = [(radius, axis, LEAST_CONTRAST, LEAST_CONTRAST) for radius in sizes for axis in (BRIGHT, DARK)]
    own = zip(sizes, _telling_axes(picture, click, sizes), strict=True)
    ways = [*bright, *((radius, told[0], LEAST_COLOUR, told[1]) for radius, told in own if told is not None)]
    radii, axes, _, _ = zip(*ways, strict=True)
    best: tuple[float, Blob, float, Axis] | None = None
    for seen, (radius, axis, usual, least) in zip(
        centroids(picture, np.tile(click, (len(ways), 1)), radii, axes), ways, strict=True
    ):
        off = gap(seen.at, click) if seen is not None else math.inf
        if seen is None or seen.contrast < least or off > SNAP_PX + radius / 2:
            continue
        # A disc of this radius fills this area; anything else is an edge or a stripe.
        fit = seen.contrast / usual * min(seen.area / (np.pi * radius**2), np.pi * radius**2 / seen.area)
        # The sticker under the click is meant, not the bright foot that it sits on.
        fit /= 1 + (off / SNAP_PX) ** 2
        if best is None or fit > best[0]:
            best = (fit, seen, radius, axis)
    if best is None:
        return click, None
    _, found, radius, axis = best
    for _ in range(2):  # seen whole it tells its own mix better
        radius = float(np.clip(np.round(2 * np.sqrt(found.area / np.pi)) / 2, RADII[0], RADII[-1]))
        axis, least = _telling_axes(picture, found.at, (radius,))[0] or (axis, LEAST_COLOUR)
        again = _centroid(picture, found.at, radius, axis)
        if again is None or not 0.55 < again.area / (np.pi * radius**2) < 1.8 or again.contrast < least:
            return click, None
        found = again
    if gap(found.at, click) > SNAP_PX + radius / 2:  # seen whole it lies elsewhere: the foot after all
        return click, None
    return found.at, Sticker(radius, axis, found.contrast, found.area, found.colour or NO_COLOUR)


def sticker_under(pixels: NDArray[np.uint8], click: Floats) -> bool:
    """Whether a click into an RGB picture (height, width, 3) finds a sticker that can be followed."""
    corner = np.maximum(np.floor(click).astype(int) - LOOK_PX, 0) // 2 * 2
    (x, y), reach = corner.tolist(), 2 * LOOK_PX
    return recognise(picture_of(pixels[y : y + reach, x : x + reach]), click - corner)[1] is not None


def as_picture(found: YuvFrame | Plane) -> YuvFrame:
    """A brightness plane alone is a picture without colour."""
    return found if isinstance(found, YuvFrame) else YuvFrame(found)


def search(picture: YuvFrame, centre: Floats, reach: float, sticker: Sticker) -> list[Blob]:
    """Places within `reach` that look like the sticker, best first."""
    half = int(reach + 2.1 * sticker.radius) + 2
    x0, y0 = (math.floor(v) - half for v in centre)
    pixels = picture.part(x0, y0, (2 * half + 1, 2 * half + 1), sticker.axis)
    size = 2 * int(np.ceil(sticker.radius)) + 1
    near = cv2.boxFilter(pixels, -1, (size, size))
    wide = cv2.boxFilter(pixels, -1, (2 * size + 1, 2 * size + 1))
    response = near - wide
    found: list[Blob] = []
    for _ in range(4):
        _, peak, _, (px, py) = cv2.minMaxLoc(response)
        if peak < 0.15 * sticker.contrast:
            break
        seen = _centroid(picture, np.array([x0 + px + 0.5, y0 + py + 0.5]), sticker.radius, sticker.axis)
        cv2.circle(response, (px, py), size, -1e3, -1)
        if seen is not None and gap(seen.at, centre) <= reach:
            found.append(seen)
    return found


def likeness(seen: Blob, sticker: Sticker) -> float:
    """How much a find looks like the sticker, 0..1; a third of it covered is the end of trust."""
    return max(_likeness(seen, look) for look in _looks(seen, sticker)) * as_coloured(seen.colour, sticker)


def as_coloured(colour: Colour | None, sticker: Sticker) -> float:
    """How far a colour is that of a sticker which has one, 0..1: beside a pink sticker on brown skin a white heel is
    brighter than the skin, too."""
    strength = math.hypot(*sticker.colour)
    if colour is None or strength < LEAST_STRENGTH:
        return 1.0
    share = (colour[0] * sticker.colour[0] + colour[1] * sticker.colour[1]) / strength**2
    return min(max((share - NOT_IT) / (SURELY_IT - NOT_IT), 0.0), 1.0)


def _looks(seen: Blob, sticker: Sticker) -> list[Sticker]:
    """Looks that a find may have: it is small for being blurred only while its contrast is that of blur."""
    before = sticker.blurred
    return [sticker, before] if before is not None and seen.contrast < CLEARER * before.contrast else [sticker]


def _is_noise(seen: Blob, sticker: Sticker) -> bool:
    return seen.contrast < min(NOISE, LEAST_SHARE * sticker.contrast)


def _likeness(seen: Blob, sticker: Sticker) -> float:
    if _is_noise(seen, sticker):
        return 0.0
    contrast = min(seen.contrast / (0.75 * sticker.contrast), 1.0)
    ratio = seen.area / sticker.area
    cover = (ratio - 0.5) / 0.3 if ratio < 1 else (2.2 - ratio) / 0.8
    return max(contrast, 0.0) * min(max(cover, 0.0), 1.0)


def trace_of(seen: Blob, sticker: Sticker) -> float:
    """How much a find may still be the sticker turned away, blurred or half covered, 0..1: less is asked than of a
    likeness, so it counts only where the sticker is expected."""
    return max(_trace(seen, look) for look in _looks(seen, sticker)) * as_coloured(seen.colour, sticker)


def _trace(seen: Blob, sticker: Sticker) -> float:
    if _is_noise(seen, sticker):
        return 0.0
    contrast = min(seen.contrast / (0.5 * sticker.contrast), 1.0)
    ratio = seen.area / sticker.area
    cover = (ratio - 0.2) / 0.4 if ratio < 1 else (2.5 - ratio) / 0.8
    return max(contrast, 0.0) * min(max(cover, 0.0), 1.0)


def weakest_slope(patch: NDArray[np.uint8]) -> float:
    """Mean squared slope of the brightness in the direction in which it changes least (after Shi and Tomasi 1994)."""
    down, across = np.gradient(patch.astype(np.float64))
    mixed = float(np.mean(down * across))
    both = np.array([[np.mean(across * across), mixed], [mixed, np.mean(down * down)]])
    return float(np.linalg.eigvalsh(both)[0])
