"""Round stickers in a picture: where their discs lie and how each looks."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache

import cv2
import numpy as np
from numpy.typing import NDArray

from tuning.core.types import Floats
from tuning.video.luma import Picture, Plane

SETTLED_PX = 0.06
"""A centroid that moved less in a round is final."""
Axis = tuple[float, float, float]
"""Weights of brightness, blue and red difference."""
BRIGHT: Axis = (1.0, 0.0, 0.0)
DARK: Axis = (-1.0, 0.0, 0.0)
SPREAD = np.diag([15.0**2, 6.0**2, 6.0**2])
"""How much the ground of a mark changes beyond what is around it now (grey levels, squared): shade more than hue
(practice judgement, editable)."""

RADII = np.arange(2.5, 14.1, 0.5)
"""Sticker radii looked for, px."""
SNAP_PX = 4.0
"""A click counts as meant for a sticker no further away than this."""
CLEARER, SAME_HUE, LEAST_LEFT = 1.3, 0.7, 0.25
"""A mark is learnt anew where its contrast is so much greater than it was, along nearly the same mix of brightness and
colour, and where so much of its area is left: out of focus it was larger (practice judgement, editable)."""
LEAST_CONTRAST = 30.0
"""Sticker over its surroundings, grey levels."""


@dataclass
class Sticker:
    """How one mark looks: radius (px), the mix of brightness and colour that tells it from its surroundings,
    contrast along that mix, and area seen. `blurred` is how it looked before it was seen clearer."""

    radius: float
    axis: Axis
    contrast: float
    area: float
    blurred: Sticker | None = None


def gap(a: Floats, b: Floats) -> float:
    """Distance of two places, px."""
    return math.hypot(a[0] - b[0], a[1] - b[1])


def crop(plane: Plane, centre: Floats, half: int) -> tuple[Plane, int, int]:
    """Square crop around a point, edges repeated; with the image place of its first pixel."""
    x, y = int(np.floor(centre[0])) - half, int(np.floor(centre[1])) - half
    size = 2 * half + 1
    height, width = plane.shape
    if x >= 0 and y >= 0 and x + size <= width and y + size <= height:
        return plane[y : y + size, x : x + size], x, y
    columns = np.clip(np.arange(x, x + size), 0, width - 1)
    rows = np.clip(np.arange(y, y + size), 0, height - 1)
    return plane[np.ix_(rows, columns)], x, y


def _look(picture: Picture, centre: Floats, half: int, axis: Axis) -> tuple[NDArray[np.float32], int, int]:
    """Square crop along a mix of brightness and colour, with the image place of its first pixel."""
    part, x, y = crop(picture.y, centre, half)
    seen = part.astype(np.float32)
    if axis[0] != 1.0:
        seen *= axis[0]
    if (axis[1] or axis[2]) and picture.halves is not None:
        colours = picture.colour_crop(x, y, 2 * half + 1)
        if colours is None and picture.colours is not None:  # at the edge, or turned
            blue, red = (crop(plane, centre, half)[0] for plane in picture.colours)
            colours = blue, red
        for plane, weight in zip(colours or (), axis[1:], strict=True):
            seen += np.float32(weight) * plane
    return seen, x, y


class Discs:
    """Masks for m stickers on one square grid: core and four ring sectors, and the counting window."""

    def __init__(self, radii: tuple[float, ...]) -> None:
        self.half = int(np.ceil(2.1 * max(radii))) + 1
        grid = np.arange(-self.half, self.half + 1, dtype=np.float32)
        x, y = (g.ravel() for g in np.meshgrid(grid, grid))
        self.sums = np.stack([np.ones_like(x), x, y], axis=1)
        distance = np.hypot(x, y)
        windows, levels = [], []
        for radius in radii:
            windows.append(np.clip(1.75 * radius + 0.5 - distance, 0, 1))
            core = distance <= 0.55 * radius
            ring = (distance >= 1.5 * radius) & (distance <= 2.1 * radius)
            ways = ((1, 0), (-1, 0), (0, 1), (0, -1))
            sectors = [ring & ((x * sx + y * sy) > 0.7 * distance) for sx, sy in ways]
            levels.append(np.stack([part / part.sum() for part in (core, *sectors)], axis=1))
        self.window = np.array(windows, dtype=np.float32)
        self.levels = np.array(levels, dtype=np.float32)

    @staticmethod
    @lru_cache(maxsize=64)
    def of(radii: tuple[float, ...]) -> Discs:
        """The masks of a set of stickers, made once."""
        return Discs(radii)


@dataclass(frozen=True)
class Blob:
    """A sticker as found in a picture."""

    at: Floats
    contrast: float
    area: float


def centroids(
    picture: Picture, starts: Floats, discs: Discs, axes: Sequence[Axis], rounds: int = 4
) -> list[Blob | None]:
    """For each start the centroid of what lies above half level between sticker and brightest surroundings."""
    at = starts.copy()
    size = 2 * discs.half + 1
    pixels = np.empty((len(at), size * size), dtype=np.float32)
    corners = np.empty((len(at), 2))
    for _ in range(rounds):
        for m, centre in enumerate(at):
            crop, x0, y0 = _look(picture, centre, discs.half, axes[m])
            pixels[m] = crop.ravel()
            corners[m] = x0, y0
        levels = np.matmul(pixels[:, None, :], discs.levels)[:, 0]
        ground = levels[:, 1:].max(axis=1)
        contrast = np.maximum(levels[:, 0] - ground, 1e-3)
        weight = np.clip((pixels - (ground + 0.5 * contrast)[:, None]) * (2 / contrast)[:, None], 0, 1) * discs.window
        area, along, down = np.maximum(weight @ discs.sums, [1e-3, -np.inf, -np.inf]).T
        # Pixel n covers n..n+1, so that its middle lies at n + 0.5.
        found = corners + discs.half + 0.5 + np.stack([along, down], axis=1) / area[:, None]
        found = np.clip(found, at - discs.half, at + discs.half)
        moved = np.abs(found - at).max()
        at = found
        if moved < SETTLED_PX:
            break
    return [
        Blob(place, float(c), float(size_)) if c >= 6 and size_ >= 2 else None
        for place, c, size_ in zip(at, contrast, area, strict=True)
    ]


def _centroid(picture: Picture, start: Floats, radius: float, axis: Axis) -> Blob | None:
    return centroids(picture, start[None], Discs.of((radius,)), (axis,))[0]


def _telling_axis(picture: Picture, at: Floats, radius: float) -> Axis | None:
    """The mix of brightness and colour that tells a disc here from the ring around it best (Fisher 1936)."""
    if picture.colours is None:
        return None
    half = int(np.ceil(2.1 * radius)) + 1
    planes = [crop(plane, at, half)[0].ravel().astype(np.float64) for plane in (picture.y, *picture.colours)]
    grid = np.arange(-half, half + 1)
    x, y = (g.ravel() for g in np.meshgrid(grid, grid))
    distance = np.hypot(x, y)
    colours = np.stack(planes, axis=1)
    core, ring = (
        colours[distance <= max(0.55 * radius, 1.0)],
        colours[(distance >= 1.5 * radius) & (distance <= 2.1 * radius)],
    )
    weights = np.linalg.solve(np.cov(ring.T) + SPREAD, core.mean(axis=0) - ring.mean(axis=0))
    length = float(np.linalg.norm(weights))
    if length == 0:
        return None
    wy, wu, wv = weights / length
    return float(wy), float(wu), float(wv)


LEAST_COLOUR = 14.0
"""Sticker over its surroundings along its own mix of brightness and colour, grey levels."""


def recognise(picture: Picture | Plane, click: Floats) -> tuple[Floats, Sticker | None]:
    """The sticker that was meant by a click, with its centre; None where there is no sticker."""
    picture = as_picture(picture)
    best: tuple[float, Blob, float, Axis] | None = None
    for radius in map(float, RADII[::3]):
        own = _telling_axis(picture, click, radius)
        for axis, least in ((BRIGHT, LEAST_CONTRAST), (DARK, LEAST_CONTRAST), (own, LEAST_COLOUR)):
            seen = _centroid(picture, click, radius, axis) if axis is not None else None
            off = gap(seen.at, click) if seen is not None else math.inf
            if axis is None or seen is None or seen.contrast < least or off > SNAP_PX + radius / 2:
                continue
            # A disc of this radius fills this area; anything else is an edge or a stripe.
            fit = seen.contrast / least * min(seen.area / (np.pi * radius**2), np.pi * radius**2 / seen.area)
            # The sticker under the click is meant, not the bright foot that it sits on.
            fit /= 1 + (off / SNAP_PX) ** 2
            if best is None or fit > best[0]:
                best = (fit, seen, radius, axis)
    if best is None:
        return click, None
    _, seen, radius, axis = best
    for _ in range(2):  # seen whole it tells its own mix better
        radius = float(np.clip(np.round(2 * np.sqrt(seen.area / np.pi)) / 2, RADII[0], RADII[-1]))
        axis = _telling_axis(picture, seen.at, radius) or axis
        again = _centroid(picture, seen.at, radius, axis)
        if again is None or not 0.55 < again.area / (np.pi * radius**2) < 1.8 or again.contrast < LEAST_COLOUR:
            return click, None
        seen = again
    return seen.at, Sticker(radius, axis, seen.contrast, seen.area)


def as_picture(found: Picture | Plane) -> Picture:
    """A brightness plane alone is a picture without colour."""
    return found if isinstance(found, Picture) else Picture(found)


def search(picture: Picture, centre: Floats, reach: float, sticker: Sticker) -> list[Blob]:
    """Places within `reach` that look like the sticker, best first."""
    pixels, x0, y0 = _look(picture, centre, int(reach + 2.1 * sticker.radius) + 2, sticker.axis)
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
    return max(_likeness(seen, look) for look in _looks(seen, sticker))


def _looks(seen: Blob, sticker: Sticker) -> list[Sticker]:
    """Looks that a find may have: it is small for being blurred only while its contrast is that of blur."""
    before = sticker.blurred
    return [sticker, before] if before is not None and seen.contrast < CLEARER * before.contrast else [sticker]


def _likeness(seen: Blob, sticker: Sticker) -> float:
    contrast = min(seen.contrast / (0.75 * sticker.contrast), 1.0)
    ratio = seen.area / sticker.area
    cover = np.clip((ratio - 0.5) / 0.3, 0, 1) if ratio < 1 else np.clip((2.2 - ratio) / 0.8, 0, 1)
    return float(max(contrast, 0.0) * cover)


def trace_of(seen: Blob, sticker: Sticker) -> float:
    """How much a find may still be the sticker turned away, blurred or half covered, 0..1: less is asked than of a
    likeness, so it counts only where the sticker is expected."""
    return max(_trace(seen, look) for look in _looks(seen, sticker))


def _trace(seen: Blob, sticker: Sticker) -> float:
    contrast = min(seen.contrast / (0.5 * sticker.contrast), 1.0)
    ratio = seen.area / sticker.area
    cover = np.clip((ratio - 0.2) / 0.4, 0, 1) if ratio < 1 else np.clip((2.5 - ratio) / 0.8, 0, 1)
    return float(max(contrast, 0.0) * cover)


def weakest_slope(patch: NDArray[np.uint8]) -> float:
    """Mean squared slope of the brightness in the direction in which it changes least (after Shi and Tomasi 1994)."""
    down, across = np.gradient(patch.astype(np.float64))
    mixed = float(np.mean(down * across))
    both = np.array([[np.mean(across * across), mixed], [mixed, np.mean(down * down)]])
    return float(np.linalg.eigvalsh(both)[0])
