"""Everything in a part of a picture that may be a sticker of the clip, whoever's it is."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import replace
from typing import NamedTuple

import numpy as np

from tuning.core.types import Floats
from tuning.video.detect.stickers import Axis, Blob, Sticker, centroids, likeness, trace_of
from tuning.video.media.kernels import spots
from tuning.video.media.planes import YuvFrame

LEAST_RESPONSE, MOST_FINDS, LEAST_LIKE = 0.2, 30, 0.05
"""Share of a sticker's contrast from which a spot is looked at; how many of them at most; how like a sticker one is at
least (practice judgement, editable)."""
LEAST_TRACE = 0.5
"""How much a spot unlike a sticker must be like one that is turned away, to be its trace."""
SAME_AXIS, ONE_PLACE_PX = 0.8, 3.0
"""Stickers told by mixes of brightness and colour no further apart than this (cosine) have one look; two spots no
further apart than the second are one."""


def looks_of(stickers: Sequence[Sticker]) -> list[Sticker]:
    """One look for all stickers of one colour: the median one of those that are told by nearly the same mix."""
    left, looks = list(stickers), list[Sticker]()
    while left:
        alike = [s for s in left if _cosine(s.axis, left[0].axis) >= SAME_AXIS]
        left = [s for s in left if not any(s is o for o in alike)]
        middle = sorted(alike, key=lambda s: s.area)[len(alike) // 2]
        looks.append(replace(middle, contrast=float(np.median([s.contrast for s in alike])), blurred=None))
    return looks


def _cosine(a: Axis, b: Axis) -> float:
    return sum(x * y for x, y in zip(a, b, strict=True))


class Candidates(NamedTuple):
    """Blobs with how like a sticker each is, 0..1, and the places of what is too little of one to tell."""

    finds: list[tuple[Blob, float]]
    traces: list[Floats]


def survey(picture: YuvFrame, low: Floats, high: Floats, looks: Sequence[Sticker], known: Floats) -> Candidates:
    """What lies between two corners (px); nothing of the `known` places (n, 2)."""
    x0, y0 = (max(0, math.floor(v) // 2 * 2) for v in low)
    x1, y1 = min(math.ceil(high[0]), picture.shape[1]), min(math.ceil(high[1]), picture.shape[0])
    if x1 - x0 < 8 or y1 - y0 < 8:
        return Candidates([], [])
    finds, places, traces = list[tuple[Blob, float]](), list[list[float]](), list[Floats]()
    for look in looks:
        for seen in _spots(picture, (x0, y0, x1, y1), look, known):
            like = likeness(seen, look)
            if like <= LEAST_LIKE:
                if trace_of(seen, look) >= LEAST_TRACE:
                    traces.append(seen.at)
                continue
            x, y = place = seen.at.tolist()
            near = (n for n, (a, b) in enumerate(places) if abs(a - x) <= ONE_PLACE_PX >= abs(b - y))
            same = next(near, None)
            if same is None:
                finds.append((seen, like))
                places.append(place)
            elif like > finds[same][1]:
                finds[same], places[same] = (seen, like), place
    return Candidates(finds, traces)


def _spots(picture: YuvFrame, box: tuple[int, int, int, int], look: Sticker, known: Floats) -> list[Blob]:
    """Spots of a sticker's size, measured as stickers are."""
    x0, y0, x1, y1 = box
    half, least = math.ceil(look.radius), LEAST_RESPONSE * look.contrast
    tops = spots(picture.planes, (x0, y0, y1 - y0, x1 - x0), np.array(look.axis), half, least)
    starts = tops[np.argsort(-tops[:, 2])[:MOST_FINDS], :2] + 0.5
    starts = starts[(np.abs(starts[:, None] - known[None]).max(axis=2) > ONE_PLACE_PX).all(axis=1)]
    if not len(starts):
        return []
    found = centroids(picture, starts, [look.radius] * len(starts), [look.axis] * len(starts))
    return [seen for seen in found if seen is not None]
