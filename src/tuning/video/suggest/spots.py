"""Round spots that stand out from what is around them: everything on a person that may be a sticker."""

from __future__ import annotations

import math
from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from tuning.core.types import Floats
from tuning.video.detect.stickers import recognise
from tuning.video.media.planes import picture_of

RADII_PX = (3.0, 4.5, 6.5, 9.5, 13.0)
FINE_PX = 6.0
"""Larger discs are looked for in a picture of half the size."""
CORE, RING = 0.55, 1.3
"""Widths of the two blurs whose difference shows a disc, radii."""
LEAST, MOST = 2.5, 80
"""Difference (CIELAB) from which a spot is looked at, and how many of them at most (practice judgement, editable)."""


class Spot(NamedTuple):
    """A sticker that nobody has named: its centre (px), its colour (CIELAB) and its size (px²)."""

    at: Floats
    colour: Floats
    area: float


def spots_near(pixels: NDArray[np.uint8], places: Floats, reach: float) -> list[Spot]:
    """Stickers of an RGB picture within `reach` of one of the places (n, 2), all in px; the clearest first."""
    low, high = places.min(axis=0) - reach, places.max(axis=0) + reach
    (left, top), limit = np.maximum(np.floor(low), 0).astype(int).tolist(), pixels.shape
    part = pixels[top : min(int(high[1]), limit[0]), left : min(int(high[0]), limit[1])]
    if min(part.shape[:2]) < 8:
        return []
    colours = np.asarray(cv2.cvtColor((part / 255.0).astype(np.float32), cv2.COLOR_RGB2LAB), dtype=np.float32)
    picture, found = picture_of(pixels), list[Spot]()
    for x, y in _standing_out(colours):
        start = np.array([x + left, y + top])
        if np.hypot(*(places - start).T).min() > reach:
            continue
        at, sticker = recognise(picture, start)
        if sticker is None or any(np.hypot(*(at - one.at)) < sticker.radius for one in found):
            continue
        column, row = np.clip((at - (left, top)).astype(int), 0, np.array(colours.shape[1::-1]) - 1)
        near = cv2.getRectSubPix(colours, (2 * int(sticker.radius / 2) + 1,) * 2, (float(column), float(row)))
        found.append(Spot(at, np.median(near.reshape(-1, 3), axis=0).astype(float), sticker.area))
    return found


def _standing_out(colours: NDArray[np.float32]) -> list[tuple[float, float]]:
    """Middles of what differs most from its surroundings, each once."""
    tops = list[tuple[float, float, float, float]]()
    half = cv2.resize(colours, None, fx=0.5, fy=0.5, interpolation=cv2.INTER_AREA)
    for radius in RADII_PX:
        shown, scale = (half, 2) if radius > FINE_PX else (colours, 1)
        inner, outer = (cv2.GaussianBlur(shown, (0, 0), width * radius / scale) for width in (CORE, RING))
        difference = np.linalg.norm(inner - outer, axis=2)
        size = 2 * int(radius / scale) + 1
        highest = difference == cv2.dilate(difference, np.ones((size, size), np.uint8))
        rows, columns = np.nonzero(highest & (difference > LEAST))
        places = scale * (np.stack([columns, rows], axis=1) + 0.5)
        tops += [
            (m, x, y, radius) for m, (x, y) in zip(difference[rows, columns].tolist(), places.tolist(), strict=True)
        ]
    kept = list[tuple[float, float, float]]()
    for _, x, y, radius in sorted(tops, reverse=True):
        if all(math.hypot(x - a, y - b) > max(radius, c) for a, b, c in kept):
            kept.append((x, y, radius))
            if len(kept) == MOST:
                break
    return [(x, y) for x, y, _ in kept]
