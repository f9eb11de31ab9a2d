"""What every account of a clip expects of its marks in the next frame, and what the frame then makes of it.

An account says which sticker is which mark (`accounts`). There are n of them with m marks each: places `at` and `speed`
(n, m, 2) px, frames `unseen` and seen, `age`, (n, m), the mean `place` below the pelvis and its variance, `stray`,
(n, m, 2); a frame shows f `finds` (f, 2) px, each like a sticker by `like` (f,), 0..1.
"""

from __future__ import annotations

import math

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
)
from tuning.video.track.assignment_kernels import Flags, Ints
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


@compiled(NOTHING, TABLE, YESSES, NUMBERS)
def _pelvis(at: Floats, root: Flags, out: Floats) -> None:
    """Fill `out` (2,) with the middle of the marks of the pelvis, hidden ones where they are thought to be; zeros
    without any."""
    out[:] = 0.0
    many = 0
    for m in range(len(at)):
        if root[m]:
            out[0] += at[m, 0]
            out[1] += at[m, 1]
            many += 1
    if many:
        out /= many


@compiled(CUBE, CUBE, CUBE, GRID, GRID, CUBE, CUBE, TABLE, NUMBERS, YESSES, YESSES, YES, NUMBER, NUMBER, NUMBER, NUMBER)
def gains(
    at: Floats,
    speed: Floats,
    unseen: Ints,
    age: Ints,
    place: Floats,
    stray: Floats,
    finds: Floats,
    like: Floats,
    root: Flags,
    unmarked: Flags,
    placed: bool,
    loose_px: float,
    metre_px: float,
    frame_s: float,
    far_px: float,
) -> Floats:
    """What is gained over leaving mark and find alone, (n, m, f), -inf where they are too far apart; one find that is
    none where there are none.

    `root` (m,) are the marks of the pelvis and `placed` whether the others have a place below it; a mark of known speed
    is `loose_px` off its course (SD) and never more than `far_px`; `metre_px` is a metre, `frame_s` a frame.
    """
    accounts, marks = unseen.shape
    gain = np.full((accounts, marks, max(len(finds), 1)), -math.inf)
    there, pelvis = np.empty((marks, 2)), np.empty(2)
    for n in range(accounts):
        for m in range(marks):
            there[m, 0], there[m, 1] = at[n, m, 0] + speed[n, m, 0], at[n, m, 1] + speed[n, m, 1]
        _pelvis(there, root, pelvis)
        for m in range(marks):
            away = WANDERS * metre_px * frame_s * min(float(unseen[n, m]), WANDERS_S / frame_s)
            starting = STARTS * metre_px * frame_s if age[n, m] < YOUNG else 0.0
            quick = QUICK * math.hypot(speed[n, m, 0], speed[n, m, 1])
            loose = math.sqrt(loose_px**2 + starting**2 + away**2 + quick**2)
            missing = _missing(unseen[n, m], unmarked[m])
            if placed and not root[m]:  # unseen it is out of its place as well: hiding saves nothing
                missing += _out_of_place(there[m] - pelvis, place[n, m], stray[n, m])
            for f in range(len(finds)):
                off = math.hypot(there[m, 0] - finds[f, 0], there[m, 1] - finds[f, 1])
                if off > GATE * loose or off > far_px:
                    continue
                best = missing + NOBODYS * like[f] - UNLIKE * (1 - like[f]) - 0.5 * (off / loose) ** 2
                if placed and not root[m]:
                    best -= _out_of_place(finds[f] - pelvis, place[n, m], stray[n, m])
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


@compiled(NUMBER, TABLE, COUNTS, COUNTS, COUNTS, NUMBERS, NUMBERS, NUMBERS, COUNTS, COUNTS, NUMBER)
def _misfit(
    at: Floats,
    chosen: Ints,
    first: Ints,
    second: Ints,
    share: Floats,
    longest: Floats,
    widest: Floats,
    above: Ints,
    below: Ints,
    tall: float,
) -> float:
    """Charge of one account for a body that nobody has."""
    charge = 0.0
    for p in range(len(first)):
        a, b = first[p], second[p]
        if chosen[a] >= 0 and chosen[b] >= 0:
            across, down = at[a, 0] - at[b, 0], at[a, 1] - at[b, 1]
            over = max(math.hypot(across, down) - longest[p], abs(across) - widest[p]) / (TOO_LONG_BY * tall)
            charge += TOO_LONG * share[p] * min(max(over, 0.0), 1.0)
    for p in range(len(above)):
        a, b = above[p], below[p]
        if chosen[a] >= 0 and chosen[b] >= 0:
            turned = (at[a, 1] - at[b, 1]) / (TURNED_BY * tall)
            charge += UPSIDE_DOWN * min(max(turned, 0.0), 1.0)
    return charge


@compiled(
    NOTHING,
    CUBE,
    CUBE,
    GRID,
    GRID,
    CUBE,
    CUBE,
    NUMBERS,
    TABLE,
    NUMBERS,
    GRID,
    COUNTS,
    CUBE,
    TABLE,
    COUNTS,
    COUNTS,
    NUMBERS,
    NUMBERS,
    NUMBERS,
    COUNTS,
    COUNTS,
    YESSES,
    YESSES,
    TABLE,
    NUMBER,
)
def move(
    at: Floats,
    speed: Floats,
    unseen: Ints,
    age: Ints,
    place: Floats,
    stray: Floats,
    charge: Floats,
    finds: Floats,
    like: Floats,
    chosen: Ints,
    parents: Ints,
    gain: Floats,
    company: Floats,
    first: Ints,
    second: Ints,
    share: Floats,
    longest: Floats,
    widest: Floats,
    above: Ints,
    below: Ints,
    root: Flags,
    unmarked: Flags,
    stays: Floats,
    tall: float,
) -> None:
    """Bring the accounts one frame on, and their `charge` (n,), in place: each is a copy of that of the frame before
    whose number is in `parents` (n,), and puts its marks on the finds in `chosen` (n, m), -1 for none. `gain` is that
    of `gains` for those before; the rest is a body's (`anatomy.Body`), and NaN for `tall` where its names tell none.
    """
    accounts, marks = unseen.shape
    pelvis, least = np.empty(2), np.square(LEAST_STAY * stays)
    placed = root.any() and not math.isnan(tall)
    part = 1 / (PLACE_MEMORY + 1)
    nobodys = NOBODYS * like.sum()
    for n in range(accounts):
        charge[n] += nobodys
        there = at[n] + speed[n]
        _pelvis(there, root, pelvis)
        for m in range(marks):
            charge[n] += _missing(unseen[n, m], unmarked[m])
            if placed and not root[m]:
                charge[n] += _out_of_place(there[m] - pelvis, place[n, m], stray[n, m])
            if chosen[n, m] >= 0:
                charge[n] -= gain[parents[n], m, chosen[n, m]]
        _go_on(at[n], speed[n], unseen[n], age[n], finds, chosen[n], company)
        if not math.isnan(tall):
            charge[n] += _misfit(at[n], chosen[n], first, second, share, longest, widest, above, below, tall)
        _pelvis(at[n], root, pelvis)
        for m in range(marks):
            for i in range(2):
                if chosen[n, m] >= 0:
                    off = at[n, m, i] - pelvis[i] - place[n, m, i]
                    place[n, m, i] += part * off
                    stray[n, m, i] += part * (off * off * (1 - part) - stray[n, m, i])
                stray[n, m, i] = max(stray[n, m, i], least[m, i])
