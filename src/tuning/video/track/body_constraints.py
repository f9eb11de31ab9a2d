"""What the names of marks tell of where they can lie to each other: limbs, longest lengths, order from the hip down."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from tuning.core.types import Floats

SIDES = ("left", "right")
HEIGHTS = {
    "shoulder": 0.818, "psis": 0.57, "asis": 0.56, "hip": 0.53, "buttock": 0.48, "knee_back": 0.285, "knee": 0.285,
    "heel_top": 0.075, "ankle": 0.039, "heel": 0.02, "second_toe": 0.02, "toe": 0.01,
}  # fmt: skip
"""How high marks lie on a standing body, share of stature: joints after Winter (2009), marks on the skin beside them
practice judgement, editable."""
FOOT_LONG, FRONT_OF_FOOT = 0.152, ("toe", "second_toe")
"""Length of the foot, share of stature (Winter 2009), and the marks at its front end."""
FOOT_WIDE = 0.1
"""How far apart two marks of a foot may lie across, share of stature, where it is seen from the front or from behind: a
foot turns out, and is not seen from its side (practice judgement, editable)."""
ROOT_FROM, LEG_FROM = 0.45, 0.15
"""Marks from this height up move with the pelvis; below the second they swing with the foot."""
TOLERANCE, LEAST_LENGTH = 1.25, 0.05
"""People are built differently and cameras stand aslant: lengths may be longer by this factor; and none is taken to be
shorter than the second, share of stature (practice judgement, editable)."""
TELLING_LENGTH, UPRIGHT = 0.15, 75.0
"""Two marks at least so far apart on a body, share of stature, tell how tall it stands in the picture; some are seen
aslant, others sit a little off: this percentile of what they tell is taken (practice judgement, editable)."""
FROM_HIP_DOWN = (
    ("hip", "knee"), ("asis", "knee"), ("buttock", "knee_back"), ("knee", "ankle"), ("knee", "second_toe"),
    ("knee_back", "heel_top"), ("knee_back", "heel"), ("heel_top", "heel"), ("ankle", "second_toe"), ("ankle", "heel"),
)  # fmt: skip
"""Pairs of which the first lies higher nearly all the time."""
FOOT_BEHIND = ("heel_top", "heel")
FROM_BEHIND, ONLY_BEHIND = ("buttock", "knee_back", "heel_top", "heel", "toe"), ("knee_back", "heel_top")
"""Marks of a leg that is seen from behind, downward, those of its foot, and those that tell that it is."""
KNEE_STAYS, FOOT_STAYS, SEEN_ASIDE = (0.025, 0.05), (0.1, 0.15), (0.15, 0.15)
"""How far knee and foot leave their usual place below the pelvis, across and down, where they are seen from the front
or from behind; and what is below the pelvis, where it is seen from the side: share of stature (SD; practice judgement,
editable)."""
APART = 0.03
"""Left and right at least so far apart across the picture, share of stature: seen from the front or from behind."""


class MarkSkeleton(NamedTuple):
    """The marks of a clip as parts of a body; m marks, p pairs of one limb. Compiled code reads it by its fields.

    They lie `at` (m, 2) px in the frame in which a person set them; those that are `unmarked` (m) nobody did.
    `company` (m, m) weighs whose motion a hidden mark shares; `first`, `second` are the pairs with `share` (p) of their
    limb's word, `longest` (p) and, across, `widest` (p) px; of `above` and `below` each first is the higher; `root` (m)
    are those of the pelvis, and `stays` (m, 2) how far each leaves its usual place below them, px. `tall` is the height
    of the body in the picture, px, NaN if names do not tell.
    """

    at: Floats
    unmarked: NDArray[np.bool_]
    company: Floats
    first: NDArray[np.intp]
    second: NDArray[np.intp]
    share: Floats
    longest: Floats
    widest: Floats
    above: NDArray[np.intp]
    below: NDArray[np.intp]
    root: NDArray[np.bool_]
    stays: Floats
    tall: float


def side_of(name: str) -> str:
    """Left or right, as its name ends; empty for a mark of the middle."""
    return next((side for side in SIDES if name.endswith(f"_{side}")), "")


def body_of(names: Sequence[str], places: Floats, unmarked: int = 0) -> MarkSkeleton:
    """The body that wears these marks at these places (m, 2), px; the last `unmarked` of them nobody set."""
    limbs = [side_of(name) for name in names]
    kinds = [name.removesuffix(f"_{limb}") for name, limb in zip(names, limbs, strict=True)]
    high = np.array([HEIGHTS.get(kind, np.nan) for kind in kinds])
    apart = np.hypot(*(places[:, None] - places[None]).transpose(2, 0, 1))
    pairs = [(a, b) for a in range(len(names)) for b in range(a) if limbs[a] == limbs[b]]
    first, second = (np.array([pair[n] for pair in pairs], dtype=np.intp) for n in (0, 1))
    front = np.array([kind in FRONT_OF_FOOT for kind in kinds])
    along = np.where(front[first] != front[second], FOOT_LONG, 0.0)
    lengths = np.maximum(np.hypot(high[first] - high[second], along), LEAST_LENGTH)
    telling = lengths > TELLING_LENGTH
    tall = float(np.percentile(apart[first, second][telling] / lengths[telling], UPRIGHT)) if telling.any() else np.nan
    order = [(a, b) for over, under in FROM_HIP_DOWN for a, b in _pairs(names, over, under)]
    order = [(a, b) for a, b in order if places[b, 1] > places[a, 1]]
    frontal = any(abs(places[a, 0] - places[b, 0]) > APART * tall for a, b in _sides(names))
    low = high < LEG_FROM
    below = np.where(~low[:, None], KNEE_STAYS, FOOT_STAYS)
    stays = below if frontal else np.broadcast_to(SEEN_ASIDE, below.shape)
    return MarkSkeleton(
        at=np.ascontiguousarray(places, dtype=np.float64),
        unmarked=np.arange(len(names)) >= len(names) - unmarked,
        company=_company(apart, limbs),
        first=first,
        second=second,
        share=np.array([1 / max(1, limbs.count(limbs[a]) - 1) for a, _ in pairs]),
        longest=np.nan_to_num(TOLERANCE * lengths * tall, nan=np.inf),
        widest=np.where(frontal & low[first] & low[second], FOOT_WIDE * tall, np.inf),
        above=np.array([a for a, _ in order], dtype=np.intp),
        below=np.array([b for _, b in order], dtype=np.intp),
        root=high >= ROOT_FROM,
        stays=stays * tall,
        tall=tall,
    )


def places_unmarked(names: Sequence[str], places: Floats) -> dict[str, Floats]:
    """About where stickers of a foot seen from behind lie, px, that nobody marked, since they were hidden then or are
    not asked for, by name: on the line of the two marks next to them, as high as on a standing body."""
    known = dict(zip(names, places, strict=True))
    found = dict[str, Floats]()
    for side in SIDES:
        marked = [kind for kind in FROM_BEHIND if f"{kind}_{side}" in known]
        if not set(marked) & set(ONLY_BEHIND) or len(marked) < 2:
            continue
        for kind in (kind for kind in FOOT_BEHIND if kind not in marked):
            a, b = sorted(marked, key=lambda other: abs(FROM_BEHIND.index(other) - FROM_BEHIND.index(kind)))[:2]
            along = (known[f"{b}_{side}"] - known[f"{a}_{side}"]) / (HEIGHTS[b] - HEIGHTS[a])
            found[f"{kind}_{side}"] = known[f"{a}_{side}"] + (HEIGHTS[kind] - HEIGHTS[a]) * along
    return found


def _pairs(names: Sequence[str], over: str, under: str) -> list[tuple[int, int]]:
    """Numbers of two marks, for each side that has both."""
    wanted = [(f"{over}_{side}", f"{under}_{side}") for side in SIDES]
    return [(names.index(a), names.index(b)) for a, b in wanted if a in names and b in names]


def _sides(names: Sequence[str]) -> list[tuple[int, int]]:
    """Numbers of the left and the right one of each kind of mark that is worn on both sides."""
    left = {name.removesuffix("_left"): k for k, name in enumerate(names) if name.endswith("_left")}
    return [(left[kind], names.index(f"{kind}_right")) for kind in left if f"{kind}_right" in names]


def _company(apart: Floats, limbs: Sequence[str]) -> Floats:
    """Weights of the three nearest marks, those of the other limb counting little."""
    own = np.array([[1.0 if a == b else 0.2 for b in limbs] for a in limbs])
    weights = own / (10 + apart) ** 2
    np.fill_diagonal(weights, 0.0)
    for row in weights:
        row[np.argsort(-row)[3:]] = 0.0
    return np.asarray(weights)
