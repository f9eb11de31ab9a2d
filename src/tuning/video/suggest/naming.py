"""Which sticker is which landmark: by its place on the body, by the colour that all share, and in several frames."""

from __future__ import annotations

import math
from collections import defaultdict
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from scipy.optimize import linear_sum_assignment

from tuning.core.types import LEGS, Floats
from tuning.video.suggest.spots import Spot

FARTHEST, UNNAMED = 3.2, 9.0
"""A sticker further from its place than so many SD is another; what leaving a landmark out costs, SD squared."""
CLEAR = 4.0
"""Exchanging two names must cost so much more (SD squared), or both are unsure."""
SAME_COLOUR, SHADE = 14.0, 0.35
"""How far colours of one set of stickers lie apart at most (CIELAB), and how much of a difference in brightness
counts: the same sticker is darker in shade."""
MOST_COLOURS = 200
"""So many colours are tried."""
LARGER = 1.6
"""A spot so many times as large as that landmark is in other frames is two stickers that touch."""
ORDERED, APART_PX = (("heel_top", "heel", "knee_back"),), 6.0
"""Of two landmarks of a leg the first is always nearer to the third; told from so many px on."""
SAME_PLACE, LEAST_FRAMES, LEAST_SHARE = 1.6, 3, 0.3
"""A sticker stays where it is on the body, to so many SD of its place; and it is seen there in so many frames and so
much of them (all practice judgement, editable)."""
Expected = Mapping[str, tuple[Floats, Floats]]


@dataclass(frozen=True)
class FrameSpots:
    """What one frame shows: where landmarks are expected, and which spots there are."""

    frame: int
    expected: Expected
    spots: Sequence[Spot]


def named(looks: Sequence[FrameSpots]) -> dict[int, dict[str, Floats]]:
    """Places (px) of the landmarks that are sure, for every frame."""
    colour = _colour_of_most(looks)
    if colour is None:
        return {look.frame: {} for look in looks}
    found = {look.frame: _assigned(look, colour) for look in looks}
    return _consistent(looks, found)


def _apart(a: Floats, b: Floats) -> Floats:
    """How far colours (..., 3) lie apart."""
    return np.asarray(np.linalg.norm((a - b) * (SHADE, 1.0, 1.0), axis=-1))


def _off(spot: Spot, place: tuple[Floats, Floats]) -> Floats:
    at, axes = place
    return np.asarray(axes @ (spot.at - at), dtype=float)


def _colour_of_most(looks: Sequence[FrameSpots]) -> Floats | None:
    """The colour with which most landmarks of all frames find a sticker near their place."""
    colours, fits, keys = list[Floats](), list[float](), list[tuple[int, str]]()
    for look in looks:
        for spot in look.spots:
            for name, place in look.expected.items():
                off = float(np.hypot(*_off(spot, place)))
                if off <= FARTHEST:
                    colours.append(spot.colour)
                    fits.append(math.exp(-((off / 2) ** 2) / 2))
                    keys.append((look.frame, name))
    if not colours:
        return None
    every, weights = np.array(colours), np.array(fits)
    place_of = {key: n for n, key in enumerate(dict.fromkeys(keys))}
    places = np.array([place_of[key] for key in keys])

    def filled(colour: Floats) -> float:
        """How well one colour fills all places, the best sticker of it counting at each."""
        best = np.zeros(len(place_of))
        alike = _apart(every, colour) <= SAME_COLOUR
        np.maximum.at(best, places[alike], weights[alike])
        return float(best.sum())

    best: Floats = max(every[:: max(1, len(every) // MOST_COLOURS)], key=filled)
    return best


def _assigned(look: FrameSpots, colour: Floats) -> dict[str, Spot]:
    """The cheapest naming of one frame, without names that could as well be exchanged."""
    names = list(look.expected)
    spots = [spot for spot in look.spots if _apart(spot.colour, colour) <= SAME_COLOUR]
    if not spots:
        return {}
    offs = np.array([[np.hypot(*_off(spot, look.expected[name])) for spot in spots] for name in names])
    cost = np.where(offs <= FARTHEST, offs**2, 1e6)
    whole = np.hstack([cost, np.where(np.eye(len(names)) > 0, UNNAMED, 1e9)])
    rows, columns = linear_sum_assignment(whole)
    chosen = {int(r): int(c) for r, c in zip(rows, columns, strict=True) if c < len(spots)}
    settled = _by_order(look, names, spots, chosen)
    unsure = {
        r for r, c in chosen.items() for s, d in chosen.items()
        if r < s and (r, s) not in settled and cost[r, d] + cost[s, c] - cost[r, c] - cost[s, d] < CLEAR for r in (r, s)
    }  # fmt: skip
    taken = set(chosen.values())
    free, nameless = set(range(len(spots))) - taken, set(range(len(names))) - set(chosen)
    for r, c in chosen.items():  # a free sticker, or a landmark that is not seen, fits nearly as well
        rivals = [cost[r, other] for other in free] + [cost[other, c] for other in nameless]
        if min(rivals, default=1e6) - cost[r, c] < CLEAR / 2:
            unsure.add(r)
    return {names[r]: spots[c] for r, c in chosen.items() if r not in unsure}


def _by_order(
    look: FrameSpots, names: Sequence[str], spots: Sequence[Spot], chosen: dict[int, int]
) -> set[tuple[int, int]]:
    """Put in order what lies on one line whichever way the foot is turned; the pairs that this settles."""
    settled = set[tuple[int, int]]()
    for side in LEGS:
        for upper, lower, above in ORDERED:
            pair = [f"{stem}_{side.value}" for stem in (upper, lower, above)]
            if not all(name in look.expected for name in pair):
                continue
            first, second = names.index(pair[0]), names.index(pair[1])
            if first in chosen and second in chosen:
                start = look.expected[pair[2]][0]
                far = [float(np.hypot(*(spots[chosen[r]].at - start))) for r in (first, second)]
                if abs(far[0] - far[1]) >= APART_PX:
                    settled |= {(first, second), (second, first)}
                if far[0] > far[1]:
                    chosen[first], chosen[second] = chosen[second], chosen[first]
    return settled


def _consistent(looks: Sequence[FrameSpots], found: Mapping[int, Mapping[str, Spot]]) -> dict[int, dict[str, Floats]]:
    """Only what lies at one place of the body in enough frames."""
    offs: dict[str, dict[int, Floats]] = defaultdict(dict)
    for look in looks:
        for name, spot in found[look.frame].items():
            offs[name][look.frame] = _off(spot, look.expected[name])
    made: dict[int, dict[str, Floats]] = {look.frame: {} for look in looks}
    least = min(LEAST_FRAMES, len(looks))
    for name, seen in offs.items():
        middle = np.median(np.array(list(seen.values())), axis=0)
        usual = float(np.median([found[frame][name].area for frame in seen]))
        same = [
            frame for frame, off in seen.items()
            if np.hypot(*(off - middle)) <= SAME_PLACE and found[frame][name].area <= LARGER * usual
        ]  # fmt: skip
        if len(same) >= max(least, LEAST_SHARE * len(looks)):
            for frame in same:
                made[frame][name] = found[frame][name].at
    return made
