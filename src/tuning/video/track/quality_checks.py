"""What a whole clip tells about its marks: names exchanged, a pelvis on its side, feet too long, half covered, gaps,
most marks lost. Trust only falls here."""

from __future__ import annotations

from itertools import combinations

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import maximum_filter1d, minimum_filter1d, uniform_filter1d

from tuning.core.movement.tracks import TRUSTED, Tracks
from tuning.core.types import Floats
from tuning.video.detect.occlusion import half_covered, uncover
from tuning.video.track.body_constraints import APART, SIDES, body_of

EDGE_QUALITY, DOUBTED = 0.95, 0.4
"""Less than whole beside a gap is doubted; the quality of what is doubted, which nobody trusts."""
FOOT = ("heel", "heel_top", "toe", "second_toe", "ankle")
"""Marks of a foot, as their names begin; the knee's begin with `knee`."""
BEHIND = (("heel_top", "heel"), ("ankle", "second_toe"), ("ankle", "heel"))
"""Pairs of which the first lies nearer to the knee; a toe may lie beside the heel."""
BEHIND_THE_HEEL, HEEL = "toe", "heel"
"""The mark that its own foot can cover, seen from behind; others look narrow where they are seen aslant."""
CLEAR_ORDER, CLEARLY_APART, LEAST_RUN = 0.5, 0.7, 3
"""How clearly two marks must lie one behind the other, seen from the knee, to be told apart by it (1 in a line); how
far apart, share of what is usual in the clip, where a person set them; and for how many frames the other way round
(practice judgement, editable)."""
REST_S, REST_PX = 0.25, 1.5
"""A mark rests where it goes no further than so many px within so many seconds before and after."""
BITS, MOST_QUALITY = (0.004, 0.007, 0.012), (0.6, 0.9, 1.0)
"""Bits for a pixel of a frame, and the quality that a place can have at most: by the share of places within 1.5 px on
24 clips at random (`scripts/wide.py --seed 977`; practice judgement, editable)."""
LEVEL, MOST_TIPPED_DEG = ("psis", "asis", "hip", "buttock"), 30.0
"""Marks of the pelvis whose left and right lie level, and how far the line through them ever turns from how it lay
where they were set: no pelvis tips so far; if it seems to, marks are exchanged (practice judgement, editable)."""
MANY, MOST_OF = 6, 0.5
"""Of so many marks or more, less than this share seen within a while means that following failed there: of what is
still given a third is another's (`scripts/wide.py --seed 4242`; practice judgement, editable)."""
LONGEST_FOOT = 0.85
"""Two marks of a foot never lie further apart than this share of the longest shank seen; a foot is 0.62 of a shank
(after Winter 2009), and pictures are taken aslant."""


def doubt(found: Tracks, start: int, narrow: Floats) -> None:
    """Lower the quality of places that the rest of the clip speaks against.

    `start` is where the marks were set, `narrow` the direction in which each find is narrow and how far its middle may
    be off, px, shape (frames, marks, 2), NaN for a whole disc.
    """
    for side in SIDES:
        names = {name.removesuffix(f"_{side}"): k for k, name in enumerate(found.names) if name.endswith(f"_{side}")}
        knee = next((k for name, k in names.items() if name.startswith("knee")), None)
        foot = [names[name] for name in FOOT if name in names]
        if knee is None:
            continue
        for near, far in BEHIND:
            if near in names and far in names:
                _exchanged(found, start, knee, names[near], names[far])
        _too_far_apart(found, knee, foot)
        if BEHIND_THE_HEEL in names:
            mark = names[BEHIND_THE_HEEL]
            covered = half_covered(found, narrow[:, mark], knee, mark)
            if HEEL in names:
                uncover(found, narrow[:, mark], mark, names[HEEL], covered)
            _doubt(found, mark, covered)
    _tipped(found, start)
    _edges(found, start)  # as who was exchanged is told by all that is seen
    _scattered(found, start)


def doubt_bits(found: Tracks, bits: float, start: int) -> None:
    """Where a clip has few bits for each frame the decoded picture stands still and then jumps, and stickers smear
    over their way: places look whole and are 1 to 2 px off. A mark that rests is where it is. `start` is where a
    person set the marks."""
    most = float(np.interp(bits, BITS, MOST_QUALITY))
    if most == 1.0 or len(found.times) < 2:
        return
    around = _frames_around(found)
    low = minimum_filter1d(np.nan_to_num(found.xy, nan=np.inf), around, axis=0, mode="nearest")
    high = maximum_filter1d(np.nan_to_num(found.xy, nan=-np.inf), around, axis=0, mode="nearest")
    doubted = (high - low).max(axis=2) > REST_PX
    doubted[start] = False
    found.quality[doubted] = np.minimum(found.quality[doubted], most)


def _frames_around(found: Tracks) -> int:
    """Frames from REST_S before one to as long after it."""
    return 1 + 2 * round(REST_S / float(np.median(np.diff(found.times))))


def _tipped(found: Tracks, start: int) -> None:
    """Every mark is told by its place below the pelvis: where that seems to lie on its side, none is trusted."""
    tall = body_of(found.names, found.xy[start]).tall
    for kind in LEVEL:
        pair = [f"{kind}_{side}" for side in SIDES]
        if not set(pair) <= set(found.names):
            continue
        a, b = (found.names.index(name) for name in pair)
        across = (found.xy[:, b] - found.xy[:, a]) @ (1, 1j)
        seen = np.all(found.quality[:, [a, b]] >= TRUSTED, axis=1)
        with np.errstate(invalid="ignore", divide="ignore"):
            tipped = np.abs(np.degrees(np.angle(across / across[start]))) > MOST_TIPPED_DEG
        if seen[start] and abs(across[start].real) > APART * tall:  # seen from the front or from behind
            found.quality[seen & tipped] = np.minimum(found.quality[seen & tipped], DOUBTED)


def _scattered(found: Tracks, start: int) -> None:
    """Where most of the marks are lost, what is given of the others is not trusted."""
    read = np.flatnonzero((found.quality > 0).any(axis=1))
    if len(found.names) < MANY or len(read) < 2:
        return
    span = slice(read[0], read[-1] + 1)
    share = uniform_filter1d(np.mean(found.quality[span] >= TRUSTED, axis=1), _frames_around(found), mode="nearest")
    few = np.flatnonzero(share < MOST_OF) + read[0]
    few = few[few != start]
    found.quality[few] = np.minimum(found.quality[few], DOUBTED)


def _edges(found: Tracks, start: int) -> None:
    """Beside a gap a sticker is half covered and its centroid off: the frame next to it is not trusted, nor is less
    than whole in the one after. Where a person set the marks, in `start`, they stand."""
    unseen = found.quality == 0
    for by in (-2, -1, 1, 2):
        beside = np.roll(unseen, by, axis=0)
        beside[: max(by, 0)] = False
        beside[len(beside) + min(by, 0) :] = False
        whole = (found.quality >= EDGE_QUALITY) & (abs(by) > 1)
        doubtful = beside & (found.quality > 0) & ~whole
        doubtful[start] = False
        found.quality[doubtful] = np.minimum(found.quality[doubtful], DOUBTED)


def _doubt(found: Tracks, mark: int, frames: NDArray[np.bool_] | slice) -> None:
    """Nobody trusts these places any more."""
    found.quality[frames, mark] = np.minimum(found.quality[frames, mark], DOUBTED)


def _apart(found: Tracks, a: int, b: int) -> Floats:
    """Distance of two marks in every frame, px."""
    return np.asarray(np.hypot(*(found.xy[:, a] - found.xy[:, b]).T))


def _exchanged(found: Tracks, start: int, knee: int, a: int, b: int) -> None:
    """From the knee one of two marks of a foot is the nearer one: runs in which it is the other are doubted. Where the
    knee is hidden it is on the way between where it was seen last and next.

    A foot that swings up may turn this round for a moment, but it does so while it is followed, not after a gap.
    """
    both = np.all(found.quality[:, [a, b]] >= TRUSTED, axis=1)
    shown = found.quality[:, knee] >= TRUSTED
    if not both.any() or not shown.any():
        return
    way = [np.interp(found.times, found.times[shown], found.xy[shown, knee, axis]) for axis in (0, 1)]
    from_knee = np.stack(way, axis=1)[:, None] - found.xy[:, [a, b]]
    with np.errstate(invalid="ignore", divide="ignore"):
        order = (np.hypot(*from_knee[:, 0].T) - np.hypot(*from_knee[:, 1].T)) / _apart(found, a, b)
    usual = float(np.median(_apart(found, a, b)[both]))
    if usual == 0:  # one place for both: which is nearer says nothing
        return
    apart = _apart(found, a, b) / usual
    clear = both[start] and shown[start] and apart[start] > CLEARLY_APART and abs(order[start]) > CLEAR_ORDER
    turned = order * np.sign(order[start]) if clear else -order  # a foot may have been marked while it swung up
    for first, last in _runs(both):
        run = slice(first, last)
        if not first <= start < last and last - first >= LEAST_RUN and np.median(turned[run]) < -CLEAR_ORDER:
            _doubt(found, a, run)
            _doubt(found, b, run)


def _too_far_apart(found: Tracks, knee: int, foot: list[int]) -> None:
    """Of the marks of a foot the one that lies too far from the others is another's."""
    trusted = found.quality >= TRUSTED
    seen = [_apart(found, knee, k)[trusted[:, knee] & trusted[:, k]] for k in foot]
    longest = [float(np.percentile(one, 90)) for one in seen if one.size]
    if not longest or len(foot) < 2:
        return
    most = LONGEST_FOOT * float(np.median(longest))
    far = {(a, b): (_apart(found, a, b) > most) & trusted[:, a] & trusted[:, b] for a, b in combinations(foot, 2)}
    for k in foot:
        against = np.sum([away for pair, away in far.items() if k in pair], axis=0)
        with_others = np.sum([trusted[:, k] & trusted[:, o] for o in foot if o != k], axis=0)
        strange = (against > 0) & (2 * against > with_others)
        _doubt(found, k, strange)


def _runs(there: NDArray[np.bool_]) -> list[tuple[int, int]]:
    """First frame and the one after the last of every run."""
    edges = np.flatnonzero(np.diff(np.concatenate([[0], there.astype(int), [0]])))
    return [(int(a), int(b)) for a, b in edges.reshape(-1, 2)]
