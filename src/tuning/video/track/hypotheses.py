"""Who is who among the stickers of a clip, told by all its frames at once.

Several accounts of the clip are kept side by side, each saying which sticker is which mark, and carried from frame to
frame (multiple hypothesis tracking, Reid 1979). An account is charged for jumps, for marks that are missing, for
stickers that are nobody's, and for a body that nobody has. What a single frame cannot tell, such as whose heel has come
out from behind which knee, later frames do: the account that was charged least is told.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable, Sequence
from dataclasses import replace
from typing import NamedTuple

import numpy as np
from scipy.optimize import linear_sum_assignment

from tuning.core.types import Floats
from tuning.video.track.assignment_kernels import Flags, Ints, each_its_best, may_differ
from tuning.video.track.body_constraints import MarkSkeleton
from tuning.video.track.detections import Detections, Tracklets
from tuning.video.track.group_assignment import FAR_SHARE
from tuning.video.track.hypothesis_step import Finds, Hypotheses, Pace, gains, move

STATURE_PX, STATURE_M = 1.3, 1.7
"""A body fills the picture's height divided by the first where its marks do not tell its stature, and has the second
(practice judgement, editable)."""
JITTER_PX, SPEEDS_UP = 2.0, 30.0
"""What a mark may differ from its course by (SD): px at rest; what a foot speeds up by, m/s² (practice judgement,
editable)."""
ACCOUNTS, WORSE, ONE_PLACE_PX = 12, 20.0, 30.0
"""Accounts kept at most, and how much worse than the best the last of them may be; two that put hidden marks no further
apart than this are one."""
TIED = 2.0
"""An account no worse than the best by more than this may be the true one (log odds; practice judgement, editable)."""
AT_LEAST = -10.0
"""What it gains at least to go on as is known from before: so much of a surprise as it may be (log odds)."""
ASKED_EVERY = 8
"""Frames between two questions whether to go on."""
MOST_WAYS, OTHER_WAYS, SURELY = 8, 8.0, 3.0
"""Ways in which one frame may be meant, at most; how much worse than the best another may be; a find that is better by
the last than none is not done without for nothing."""


class Assignment(NamedTuple):
    """The number of each mark's sticker in every frame, -1 for none, (frames, marks), and where another account that is
    about as good has another sticker for it, or another mark for its sticker."""

    numbers: Ints
    tied: Flags


class HypothesisTracker:
    """Tells the marks of one clip apart, forward or backward from the frame in which a person set them.

    `frame_s` is the usual time between frames, `height` that of the picture, px. No mark is taken for a sticker that
    nobody marked and that may be worn.
    """

    def __init__(self, body: MarkSkeleton, frame_s: float, height: int) -> None:
        self.body = body
        tall = body.tall if np.isfinite(body.tall) else height / STATURE_PX
        self.pace = Pace(0.0, FAR_SHARE * height, tall / STATURE_M, frame_s)
        self._set_pace(frame_s)

    def _set_pace(self, frame_s: float) -> None:
        loose = float(np.hypot(JITTER_PX, SPEEDS_UP * self.pace.metre_px * frame_s**2))
        self.pace = self.pace._replace(loose_px=loose, frame_s=frame_s)

    def assign_frames(
        self, sights: Iterable[Detections], between: Floats, given: Ints, going: Callable[[], bool]
    ) -> Assignment | None:
        """What is told of these frames, each so long after the one before, `between` (frames,) s; None if `going` ends
        it. Finds whose numbers are `given` (frames, m) are those of their marks, -1 where nothing is known."""
        now, trail, runs = self._first(), list[tuple[Ints, Ints]](), Tracklets.begin(np.zeros((0, 2)))
        for n, (seen, frame_s, sure) in enumerate(zip(sights, between.tolist(), given, strict=True)):
            if n % ASKED_EVERY == 0 and not going():
                return None
            if frame_s != self.pace.frame_s:
                longer = frame_s / self.pace.frame_s
                now, runs = now._replace(speed=longer * now.speed), replace(runs, speed=longer * runs.speed)
                self._set_pace(frame_s)
            runs = runs.then(seen.at, self.pace.loose_px)
            now, parents, chosen = self._next(now, seen, runs.follower, sure)
            trail.append((parents, chosen))
        rows = np.argsort(now.charge, kind="stable")
        rows, said = rows[now.charge[rows] <= now.charge[rows[0]] + TIED], list[Ints]()
        for parents, chosen in reversed(trail):
            said.append(chosen[rows])
            rows = parents[rows]
        every = np.array(said[::-1], dtype=np.intp).reshape(len(said), len(rows), len(self.body.at))
        best = every[:, :1]
        elsewhere = (every != best) & (every >= 0)
        anothers = ((every[:, :, None] == best[..., None]) & ~np.eye(len(self.body.at), dtype=bool)).any(axis=3)
        return Assignment(every[:, 0], ((elsewhere | anothers) & (best >= 0)).any(axis=1))

    def _first(self) -> Hypotheses:
        at = self.body.at[None].copy()
        none = np.zeros(at.shape[:2], dtype=np.intp)
        stray = np.square(self.body.stays)[None]
        pelvis = at[:, self.body.root].mean(axis=1, keepdims=True) if self.body.root.any() else 0.0
        return Hypotheses(at, np.zeros_like(at), none, none, at - pelvis, stray, none - 1, np.zeros(1))

    def _next(self, now: Hypotheses, seen: Detections, follower: Ints, sure: Ints) -> tuple[Hypotheses, Ints, Ints]:
        """The accounts after one more frame, the one that each came from, and what each says."""
        finds = Finds(seen.at, seen.like)
        gain = gains(now, finds, self.body, self.pace)
        goes_on = np.append(follower, -1)[now.last]
        known = np.flatnonzero(sure >= 0)
        goes_on[:, known] = sure[known]
        gain[:, known, sure[known]] = np.maximum(gain[:, known, sure[known]], AT_LEAST)
        ways = [(n, way) for n in range(len(gain)) for way in _ways_on(gain[n], goes_on[n])]
        parents = np.array([n for n, _ in ways], dtype=np.intp)
        chosen = np.array([way for _, way in ways], dtype=np.intp).reshape(len(ways), len(self.body.at))
        after = now.of(parents)._replace(last=chosen)
        move(after, finds, parents, gain, self.body)
        kept = _best(after, chosen)
        return after.of(kept), parents[kept], chosen[kept]


def _ways_on(gain: Floats, goes_on: Ints) -> list[tuple[int, ...]]:
    """The ways of one frame for those marks whose stickers do not surely go on, or go on where the mark cannot."""
    goes_on = np.where(gain[np.arange(len(gain)), goes_on] > -np.inf, goes_on, -1)
    sure = goes_on >= 0
    free = np.flatnonzero(~sure)
    if not len(free):
        return [tuple(goes_on.tolist())]
    left = gain[free].copy()
    left[:, goes_on[sure]] = -np.inf
    found = list[tuple[int, ...]]()
    for way in _ways(left):
        whole = goes_on.copy()
        whole[free] = way
        found.append(tuple(whole.tolist()))
    return found


def _ways(gain: Floats) -> list[tuple[int, ...]]:
    """What may be what in one frame, best first: the best assignment, and the best without parts of it that are in
    doubt (after Murty 1968). `gain` (marks, finds) is over leaving both alone."""
    total, way = _assigned(gain)
    open_: list[tuple[float, tuple[int, ...], Floats, frozenset[int]]] = [(total, way, gain, frozenset())]
    ways: dict[tuple[int, ...], None] = {}
    seen = {way}
    while open_ and len(ways) < MOST_WAYS:
        n = max(range(len(open_)), key=lambda k: open_[k][0])
        _, way, left, forced = open_.pop(n)
        ways.setdefault(way)
        for m in _in_doubt(left, way):
            without, must = left, forced
            if way[m] >= 0:
                without = left.copy()
                without[m, way[m]] = -np.inf
            else:
                must = forced | {m}
            value, other = _assigned(without, must)
            if total - value < OTHER_WAYS and other not in seen:
                seen.add(other)
                open_.append((value, other, without, must))
    return list(ways)


def _in_doubt(gain: Floats, way: tuple[int, ...]) -> list[int]:
    """Marks that might be something else, or nothing."""
    doubtful = np.empty(len(way), dtype=np.bool_)
    may_differ(gain, np.array(way, dtype=np.intp), OTHER_WAYS, SURELY, doubtful)
    return np.flatnonzero(doubtful).tolist()


def _assigned(gain: Floats, forced: frozenset[int] = frozenset()) -> tuple[float, tuple[int, ...]]:
    """The best assignment and its gain; the `forced` marks take some find."""
    marks = len(gain)
    must, way = np.zeros(marks, dtype=np.bool_), np.empty(marks, dtype=np.intp)
    must[list(forced)] = True
    whole_gain = each_its_best(gain, must, way)
    if not math.isnan(whole_gain):
        return whole_gain, tuple(way.tolist())
    none = np.where(np.eye(marks, dtype=bool), 0.0, -1e6)
    none[list(forced), list(forced)] = -1e5
    whole = np.concatenate([np.maximum(gain, -1e6), none], axis=1)
    rows, columns = linear_sum_assignment(-whole)
    return float(whole[rows, columns].sum()), tuple(int(c) if c < gain.shape[1] else -1 for c in columns)


def _best(after: Hypotheses, chosen: Ints) -> Ints:
    """Numbers of the accounts that are kept; of those that say the same now and go on alike, the better one."""
    kept, known = list[int](), set[tuple[bytes, ...]]()
    order = np.argsort(after.charge, kind="stable")
    shown = chosen >= 0
    hidden = np.where(shown[..., None], 0, np.round(after.at / ONE_PLACE_PX)).astype(np.int32)
    for n in order:
        if after.charge[n] > after.charge[order[0]] + WORSE or len(kept) == ACCOUNTS:
            break
        key = (chosen[n].tobytes(), hidden[n].tobytes())
        if key not in known:
            known.add(key)
            kept.append(int(n))
    return np.array(kept, dtype=np.intp)


def solve(
    body: MarkSkeleton,
    sights: Sequence[Detections],
    first: int,
    frame_s: float | Floats,
    height: int,
    going: Callable[[], bool] = lambda: True,
    given: Ints | None = None,
) -> Assignment | None:
    """What the marks of a clip are in every frame, from where they lay in frame `first`, of which it says nothing.
    `frame_s` is the time from each frame to the next, one for all or (frames - 1,). None where `going` ends it.
    `given` as `HypothesisTracker.assign_frames` takes it."""
    between = np.broadcast_to(frame_s, max(len(sights) - 1, 0))
    teller = HypothesisTracker(body, float(np.median(frame_s)), height)
    given = np.full((len(sights), len(body.at)), -1) if given is None else given
    before = teller.assign_frames(reversed(sights[:first]), between[:first][::-1], given[:first][::-1], going)
    after = teller.assign_frames(sights[first + 1 :], between[first:], given[first + 1 :], going)
    if before is None or after is None:
        return None
    nothing = np.full((1, len(body.at)), -1)
    numbers = np.concatenate([before.numbers[::-1], nothing, after.numbers])
    return Assignment(numbers, np.concatenate([before.tied[::-1], nothing > 0, after.tied]))
