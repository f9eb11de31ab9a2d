"""Stickers that lie close together are told apart by where they lie to each other: a heel is not its tendon."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import product

import numpy as np
from scipy.optimize import linear_sum_assignment

from tuning.core.types import Floats
from tuning.video.detect.stickers import Blob, Sticker, gap, likeness, search, trace_of
from tuning.video.media.planes import YuvFrame

NEAR_SHARE, NEAR_RADII = 0.075, 9.0
"""Marks closer than this share of the picture's height, or than so many radii, belong together (practice judgement,
editable)."""
BEND_PX, BEND_MORE_PX, BEND_MOST_PX = 2.5, 0.7, 8.0
"""How far a mark may leave its place among the others: at once, more with each frame unseen, at most."""
TURN_SHARE = 0.15
"""The further a group went beyond what was expected the more it may have turned: added to the bend, share of the way
(practice judgement, editable)."""
LEAST_FIT = 0.06
"""A find that fits its place among the others less than this is none."""
SHIFT_COST = 0.5
"""What a shift as far as the next mark of the limb, or as the reach, costs, in marks: of two shifts that fit alike the
shorter is meant, and one mark alone is no reason to go as far as its neighbour."""
TRACE_WORTH, UNSEEN_COST = 0.6, 0.15
"""What a mere trace counts beside a likeness; what a frame unseen takes from a mark's claim on a find."""
MOST_WAYS = 16
"""Shifts of a limb that are tried together with those of another."""
BORROWED = 0.6
"""What the look of another mark counts: stickers of a clip are alike, so that one in a mark's own place is not taken by
its neighbour when blur or bits have changed how it looks (practice judgement, editable)."""
ONE_PLACE_PX = 3.0
FAR_SHARE = 0.12
"""How far off a mark that was hidden for long may come back, share of the height (practice judgement, editable)."""
LONG_HIDDEN, CLEARLY, FREE_PX = 8, 0.6, 9.0
"""Frames after which a mark's place among the others is no longer known, how alike a find must be then, and how far
from what is another's."""


@dataclass(frozen=True)
class GroupMember:
    """A mark that is looked for: where it should be, how far from there at most, how it looks, frames unseen.

    `unsettled` says how little is known of its course among the others, in frames: it was hidden, or has just come.
    """

    predicted: Floats
    reach: float
    sticker: Sticker
    unseen: int
    unsettled: int = 0
    limb: str = ""
    """Members of one limb move together; limbs may part."""
    far: float = 0.0
    """How far from there a mark that was hidden for long may come back; 0 for no further than `reach`."""
    scale: float = 1.0
    """How much further everything goes in a frame than in one of 1/60 s in a picture 720 px high."""

    @property
    def bend(self) -> float:
        """How far it may leave its place among the others, px (SD)."""
        return self.scale * min(BEND_PX + BEND_MORE_PX * max(self.unseen, self.unsettled), BEND_MOST_PX)


def groups(places: Floats, near: float) -> list[list[int]]:
    """Numbers of places, shape (n, 2), that hang together by steps shorter than `near`; singles are left out."""
    apart = np.hypot(*(places[:, None] - places[None]).transpose(2, 0, 1)) < near
    left, found = set(range(len(places))), []
    while left:
        group, edge = set(), {left.pop()}
        while edge:
            group |= edge
            edge = {int(k) for e in edge for k in np.flatnonzero(apart[e])} - group
        left -= group
        if len(group) > 1:
            found.append(sorted(group))
    return found


def solve(picture: YuvFrame, members: Sequence[GroupMember]) -> list[tuple[Blob, float] | None]:
    """The find of each member, with its likeness: all of a limb moved by one shift, none on another's sticker."""
    finds = _candidates(picture, members)
    if not finds:
        return [None] * len(members)
    like = np.array([[likeness(find, m.sticker) for find in finds] for m in members])
    trace = np.array([[trace_of(find, m.sticker) for find in finds] for m in members])
    firm = np.array([1 / (1 + UNSEEN_COST * m.unseen) for m in members])
    borrowed = BORROWED * like.max(axis=0, keepdims=True)
    worth = np.maximum(np.maximum(like, TRACE_WORTH * trace), borrowed) * firm[:, None]
    at = np.array([find.at for find in finds])
    rows_of = _by_limb(members)
    limbs = [_shifted([members[k] for k in rows], rows, at, worth[rows]) for rows in rows_of]
    made: list[tuple[Blob, float] | None] = [None] * len(members)
    pairs = _assigned(limbs, len(members), len(finds))
    for m, c in pairs + _of_their_own(members, rows_of, at, worth, pairs):
        made[m] = finds[c], float(like[m, c])
    _found_again(made, members, finds, like)
    return made


def _by_limb(members: Sequence[GroupMember]) -> list[list[int]]:
    """Numbers of the members of each limb: a left foot does not go where the right one goes."""
    names = dict.fromkeys(m.limb for m in members)
    return [[k for k, m in enumerate(members) if m.limb == name] for name in names]


@dataclass(frozen=True)
class _Limb:
    """Ways in which one limb may have moved, most hopeful first.

    `rows` are its members, `fit` says how well each would sit on each find, shape (ways, members, finds); `cost` and
    `hoped` hold, for each way, what its length costs and the score that it has where finds are shared.
    """

    rows: list[int]
    fit: Floats
    cost: Floats
    hoped: Floats


def _shifted(members: Sequence[GroupMember], rows: list[int], at: Floats, worth: Floats) -> _Limb:
    """Every shift that would put a member of a limb onto a find, and none at all."""
    places = np.array([m.predicted for m in members])
    reach = np.array([m.reach for m in members])
    bend = np.array([m.bend for m in members])
    shifts = (at[None] - places[:, None]).reshape(-1, 2)
    length = np.hypot(*shifts.T)
    known = (length <= np.repeat(reach, len(at))) & (worth.ravel() > LEAST_FIT)
    shifts, length = np.vstack([np.zeros(2), shifts[known]]), np.append(0.0, length[known])
    off = np.linalg.norm(places[None, :, None] + shifts[:, None, None] - at[None, None], axis=3)
    loose = bend[None, :] + TURN_SHARE * length[:, None]
    fit = worth[None] * np.exp(-0.5 * (off / loose[:, :, None]) ** 2)
    apart = np.hypot(*(places[:, None] - places[None]).transpose(2, 0, 1)) + np.diag(np.full(len(places), np.inf))
    # Two marks may be expected at one place; then every shift is a long one.
    cost = SHIFT_COST * np.minimum(length / max(min(float(reach.max()), float(apart.min())), 1.0), 1.0)
    hoped = fit.max(axis=2).sum(axis=1) - cost
    best = np.argsort(-hoped)
    return _Limb(rows, fit[best], cost[best], hoped[best])


def _assigned(limbs: Sequence[_Limb], members: int, finds: int) -> list[tuple[int, int]]:
    """Member and find of the best assignment over all ways of all limbs."""
    ways = [range(min(len(limb.hoped), MOST_WAYS)) for limb in limbs]
    hoped = {way: sum(float(limb.hoped[k]) for limb, k in zip(limbs, way, strict=True)) for way in product(*ways)}
    best, chosen, fit = -np.inf, list[tuple[int, int]](), np.empty((members, finds))
    for way in sorted(hoped, key=lambda w: -hoped[w]):
        if hoped[way] <= best:  # not even where finds might be shared
            break
        for limb, k in zip(limbs, way, strict=True):
            fit[limb.rows] = limb.fit[k]
        rows, columns = linear_sum_assignment(-fit)
        score = float(fit[rows, columns].sum()) - sum(float(o.cost[k]) for o, k in zip(limbs, way, strict=True))
        if score > best:
            best = score
            chosen = [(int(m), int(c)) for m, c in zip(rows, columns, strict=True) if fit[m, c] >= LEAST_FIT]
    return chosen


def _of_their_own(
    members: Sequence[GroupMember], rows_of: list[list[int]], at: Floats, worth: Floats, pairs: list[tuple[int, int]]
) -> list[tuple[int, int]]:
    """A part of a limb may go its own way: a heel lands while hip and toe stay. Two or more that are left over move
    by a shift of their own onto what is left over; one alone does not."""
    taken, more = {m for m, _ in pairs}, list[tuple[int, int]]()
    for rows in rows_of:
        free = [c for c in range(len(at)) if c not in {c for _, c in pairs + more}]
        left = [m for m in rows if m not in taken and not members[m].unseen]
        if len(left) < 2 or len(free) < 2:
            continue
        limb = _shifted([members[m] for m in left], list(range(len(left))), at[free], worth[np.ix_(left, free)])
        found = _assigned([limb], len(left), len(free))
        more += [(left[m], free[c]) for m, c in found] if len(found) > 1 else []
    return more


def _found_again(
    made: list[tuple[Blob, float] | None], members: Sequence[GroupMember], finds: Sequence[Blob], like: Floats
) -> None:
    """A mark that was hidden for long may come back anywhere near: it takes a clear sticker that is nobody's."""
    free = [c for c, find in enumerate(finds) if all(m is None or gap(m[0].at, find.at) > FREE_PX for m in made)]
    for m, member in enumerate(members):
        if made[m] is None and member.unseen >= LONG_HIDDEN:
            clear = [
                c
                for c in free
                if like[m, c] >= CLEARLY and gap(finds[c].at, member.predicted) <= max(member.reach, member.far)
            ]
            if clear:
                best = min(clear, key=lambda c: gap(finds[c].at, member.predicted))
                made[m] = finds[best], float(like[m, best])
                free.remove(best)


def _candidates(picture: YuvFrame, members: Sequence[GroupMember]) -> list[Blob]:
    """Everything near any member that looks like a sticker, once."""
    finds: list[Blob] = []
    for member in members:
        for seen in search(picture, member.predicted, max(member.reach, member.far), member.sticker):
            same = next((n for n, other in enumerate(finds) if gap(seen.at, other.at) <= ONE_PLACE_PX), None)
            if same is None:
                finds.append(seen)
            elif seen.contrast > finds[same].contrast:
                finds[same] = seen
    return finds
