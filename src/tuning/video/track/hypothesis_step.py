"""What every account of a clip expects of its marks in the next frame, and what the frame then makes of it.

An account says which sticker is which mark (`hypotheses`). There are n of them with m marks each.
"""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np

from tuning.core.types import Floats
from tuning.video.media.jit import (
    COUNT,
    COUNTS,
    CUBE,
    GRID,
    NOTHING,
    NUMBER,
    NUMBERS,
    TABLE,
    YES,
    YESSES,
    compiled,
    named,
)
from tuning.video.track.assignment_kernels import Ints
from tuning.video.track.body_constraints import MarkSkeleton
from tuning.video.track.detections import OLD_SHARE, YOUNG

STARTS, WANDERS, WANDERS_S, QUICK = 2.0, 1.5, 0.35, 0.1
"""What a mark may differ from its course by (SD): what is not known of its speed at first, m/s; how fast a hidden mark
leaves its course, m/s, and for how long, s; share of its speed (practice judgement, editable)."""
GATE = 4.5
"""A find further off than so many SD is not the mark."""
UNLIKE, NOBODYS, GOES, STAYS_AWAY = 1.5, 2.0, 3.0, 0.5
"""Charges (log odds): for a find unlike a sticker; for a sticker that is nobody's; for a mark that is not seen, in the
first frame and in each that follows (practice judgement, editable)."""
TOO_LONG, TOO_LONG_BY, UPSIDE_DOWN, TURNED_BY, PLACE_MOST = 8.0, 0.035, 0.4, 0.02, 4.0
"""Charges for each frame with a limb too long or upside down, reached at so much, share of stature; and for a mark that
is out of its place, at most (practice judgement, editable)."""
PLACE_MEMORY, LEAST_STAY = 60, 0.8
"""Frames that tell a mark's place below the pelvis, and how little it strays there, share of what it usually does."""
FADE, FORGOTTEN = 0.8, 3
"""What is left of a hidden mark's own speed after a frame, and the frames after which it says nothing any more."""


class Hypotheses(NamedTuple):
    """n accounts of m marks: places and speeds (n, m, 2) px, frames unseen and seen (n, m), mean place below the pelvis
    and its variance (n, m, 2), numbers of their stickers in the last frame (n, m), -1 for none, and charges (n)."""

    at: Floats
    speed: Floats
    unseen: Ints
    age: Ints
    place: Floats
    stray: Floats
    last: Ints
    charge: Floats

    def of(self, rows: Ints) -> Hypotheses:
        """Some of them, in this order."""
        at, speed, unseen, age, place, stray, last, charge = self
        return Hypotheses(
            at[rows], speed[rows], unseen[rows], age[rows], place[rows], stray[rows], last[rows], charge[rows]
        )


class Finds(NamedTuple):
    """What a frame shows: f places (f, 2) px, and how much each is `like` a sticker (f,), 0..1."""

    at: Floats
    like: Floats


class Pace(NamedTuple):
    """How marks may move: one of known speed is `loose_px` off its course (SD) and never more than `far_px`; `metre_px`
    is a metre, `frame_s` a frame."""

    loose_px: float
    far_px: float
    metre_px: float
    frame_s: float


HYPOTHESES = named(Hypotheses, CUBE, CUBE, GRID, GRID, CUBE, CUBE, GRID, NUMBERS)
FINDS, PACE = named(Finds, TABLE, NUMBERS), named(Pace, *[NUMBER] * 4)
SKELETON = named(
    MarkSkeleton,
    *(TABLE, YESSES, TABLE, COUNTS, COUNTS, NUMBERS, NUMBERS, NUMBERS, COUNTS, COUNTS, YESSES, TABLE, NUMBER),
)


@compiled(NUMBER, NUMBERS, NUMBERS, NUMBERS)
def _out_of_place(below: Floats, place: Floats, stray: Floats) -> float:
    """What a mark is charged that lies so far `below` the pelvis (2,) and not in its usual `place`."""
    x, y = below[0] - place[0], below[1] - place[1]
    charge: float = min(0.5 * (x * x / stray[0] + y * y / stray[1]), PLACE_MOST)
    return charge


@compiled(NUMBER, COUNT, YES)
def _missing(unseen: int, unmarked: bool) -> float:
    """What a mark is charged for not being seen."""
    if unmarked:
        return 0.0
    return STAYS_AWAY if unseen > 0 else GOES


@compiled(NOTHING, TABLE, SKELETON, NUMBERS)
def _pelvis(at: Floats, body: MarkSkeleton, out: Floats) -> None:
    """Fill `out` (2,) with the middle of the marks of the pelvis, hidden ones where they are thought to be; zeros
    without any."""
    out[:] = 0.0
    many = 0
    for m in range(len(at)):
        if body.root[m]:
            out[0] += at[m, 0]
            out[1] += at[m, 1]
            many += 1
    if many:
        out /= many


@compiled(YES, SKELETON)
def has_places(body: MarkSkeleton) -> bool:
    """Whether marks have a place below the pelvis."""
    return bool(body.root.any()) and not math.isnan(body.tall)


@compiled(CUBE, HYPOTHESES, FINDS, SKELETON, PACE)
def gains(now: Hypotheses, finds: Finds, body: MarkSkeleton, pace: Pace) -> Floats:
    """What is gained over leaving mark and find alone, (n, m, f), -inf where they are too far apart; one find that is
    none where there are none."""
    accounts, marks = now.unseen.shape
    gain = np.full((accounts, marks, max(len(finds.at), 1)), -math.inf)
    there, pelvis, placed = np.empty((marks, 2)), np.empty(2), has_places(body)
    for n in range(accounts):
        for m in range(marks):
            there[m, 0], there[m, 1] = now.at[n, m, 0] + now.speed[n, m, 0], now.at[n, m, 1] + now.speed[n, m, 1]
        _pelvis(there, body, pelvis)
        for m in range(marks):
            unseen, below = now.unseen[n, m], placed and not body.root[m]
            away = WANDERS * pace.metre_px * pace.frame_s * min(float(unseen), WANDERS_S / pace.frame_s)
            starting = STARTS * pace.metre_px * pace.frame_s if now.age[n, m] < YOUNG else 0.0
            quick = QUICK * math.hypot(now.speed[n, m, 0], now.speed[n, m, 1])
            loose = math.sqrt(pace.loose_px**2 + starting**2 + away**2 + quick**2)
            missing = _missing(unseen, body.unmarked[m])
            if below:  # unseen it is out of its place as well: hiding saves nothing
                missing += _out_of_place(there[m] - pelvis, now.place[n, m], now.stray[n, m])
            for f in range(len(finds.at)):
                off = math.hypot(there[m, 0] - finds.at[f, 0], there[m, 1] - finds.at[f, 1])
                if off > GATE * loose or off > pace.far_px:
                    continue
                like = finds.like[f]
                best = missing + NOBODYS * like - UNLIKE * (1 - like) - 0.5 * (off / loose) ** 2
                if below:
                    best -= _out_of_place(finds.at[f] - pelvis, now.place[n, m], now.stray[n, m])
                gain[n, m, f] = best
    return gain


@compiled(NOTHING, TABLE, TABLE, COUNTS, COUNTS, TABLE, COUNTS, TABLE)
def _go_on(at: Floats, speed: Floats, unseen: Ints, age: Ints, finds: Floats, chosen: Ints, company: Floats) -> None:
    """Bring one account's marks to their finds, and hidden ones on as their company goes."""
    marks = len(at)
    moved = np.zeros((marks, 2))
    for m in range(marks):
        if chosen[m] >= 0:
            moved[m, 0], moved[m, 1] = finds[chosen[m], 0] - at[m, 0], finds[chosen[m], 1] - at[m, 1]
    carried = speed.copy()
    for m in range(marks):
        weight, x, y = 0.0, 0.0, 0.0
        for k in range(marks):
            if chosen[k] >= 0 and unseen[k] == 0:
                weight += company[m, k]
                x += company[m, k] * moved[k, 0]
                y += company[m, k] * moved[k, 1]
        if weight > 0:
            carried[m, 0], carried[m, 1] = x / weight, y / weight
    for m in range(marks):
        hidden = unseen[m]
        for i in range(2):
            fade = FADE ** (hidden + 1)
            drift = fade * speed[m, i] + (1 - fade) * carried[m, i]
            if chosen[m] < 0:
                at[m, i] += drift
                speed[m, i] = drift
            else:
                at[m, i] = finds[chosen[m], i]
                if hidden > FORGOTTEN:  # the way between says little of where it is going now
                    speed[m, i] = carried[m, i]
                elif hidden:
                    speed[m, i] = moved[m, i] / (hidden + 1)
                elif age[m] == 0:
                    speed[m, i] = moved[m, i]
                else:
                    speed[m, i] = OLD_SHARE * speed[m, i] + (1 - OLD_SHARE) * moved[m, i]
        if chosen[m] < 0:
            unseen[m] += 1
        else:
            unseen[m], age[m] = 0, 0 if hidden > FORGOTTEN else age[m] + 1


@compiled(NUMBER, TABLE, COUNTS, SKELETON)
def _misfit(at: Floats, chosen: Ints, body: MarkSkeleton) -> float:
    """Charge of one account for a body that nobody has."""
    charge = 0.0
    for p in range(len(body.first)):
        a, b = body.first[p], body.second[p]
        if chosen[a] >= 0 and chosen[b] >= 0:
            across, down = at[a, 0] - at[b, 0], at[a, 1] - at[b, 1]
            over = max(math.hypot(across, down) - body.longest[p], abs(across) - body.widest[p])
            charge += TOO_LONG * body.share[p] * min(max(over / (TOO_LONG_BY * body.tall), 0.0), 1.0)
    for p in range(len(body.above)):
        a, b = body.above[p], body.below[p]
        if chosen[a] >= 0 and chosen[b] >= 0:
            turned = (at[a, 1] - at[b, 1]) / (TURNED_BY * body.tall)
            charge += UPSIDE_DOWN * min(max(turned, 0.0), 1.0)
    return charge


@compiled(NOTHING, HYPOTHESES, FINDS, COUNTS, CUBE, SKELETON)
def move(now: Hypotheses, finds: Finds, parents: Ints, gain: Floats, body: MarkSkeleton) -> None:
    """Bring the accounts one frame on, and their charges, in place: each is a copy of that of the frame before whose
    number is in `parents` (n,), and puts its marks on the finds in its `last`, -1 for none. `gain` is that of `gains`
    for those before.
    """
    accounts, marks = now.unseen.shape
    pelvis, least, placed = np.empty(2), np.square(LEAST_STAY * body.stays), has_places(body)
    part = 1 / (PLACE_MEMORY + 1)
    nobodys = NOBODYS * finds.like.sum()
    for n in range(accounts):
        at, place, stray, chosen = now.at[n], now.place[n], now.stray[n], now.last[n]
        charge = nobodys
        there = at + now.speed[n]
        _pelvis(there, body, pelvis)
        for m in range(marks):
            charge += _missing(now.unseen[n, m], body.unmarked[m])
            if placed and not body.root[m]:
                charge += _out_of_place(there[m] - pelvis, place[m], stray[m])
            if chosen[m] >= 0:
                charge -= gain[parents[n], m, chosen[m]]
        _go_on(at, now.speed[n], now.unseen[n], now.age[n], finds.at, chosen, body.company)
        if not math.isnan(body.tall):
            charge += _misfit(at, chosen, body)
        now.charge[n] += charge
        _pelvis(at, body, pelvis)
        for m in range(marks):
            for i in range(2):
                if chosen[m] >= 0:
                    off = at[m, i] - pelvis[i] - place[m, i]
                    place[m, i] += part * off
                    stray[m, i] += part * (off * off * (1 - part) - stray[m, i])
                stray[m, i] = max(stray[m, i], least[m, i])
