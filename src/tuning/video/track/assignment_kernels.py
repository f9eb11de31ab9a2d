"""The small decisions of every frame that are made thousands of times: what goes on as what, and what is in doubt."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from tuning.core.types import Floats
from tuning.video.media.jit import COUNTS, NOTHING, NUMBER, NUMBERS, TABLE, YESSES, compiled

Ints = NDArray[np.intp]
Flags = NDArray[np.bool_]


@compiled(COUNTS, TABLE, NUMBERS, NUMBER, NUMBER)
def going_on(off: Floats, within: Floats, rival: float, rival_px: float) -> Ints:
    """For each of n runs the one of m finds that it surely goes on with, -1 for none, by how far each find is off the
    run's course, `off` (n, m): each is the other's nearest, no further off than `within` (n,), and any other of either
    is `rival` times as far off and `rival_px` more."""
    runs, finds = off.shape
    chosen = np.full(runs, -1)
    for i in range(runs):
        best = 0
        for j in range(1, finds):
            if off[i, j] < off[i, best]:
                best = j
        here = off[i, best]
        if here > within[i]:
            continue
        least = rival * here + rival_px
        alone = True
        for j in range(finds):
            alone = alone and (j == best or off[i, j] >= least)
        for k in range(runs):
            alone = alone and (k == i or (off[k, best] >= least and off[k, best] > here))
        if alone:
            chosen[i] = best
    return chosen


@compiled(NUMBER, TABLE, YESSES, COUNTS)
def each_its_best(gain: Floats, must: Flags, way: Ints) -> float:
    """Fill `way` with each mark's best find where it gains more than none, or where it `must` take one, -1 elsewhere.
    The whole gain, or NaN where two want the same find. `gain` is (marks, finds)."""
    whole = 0.0
    for m in range(gain.shape[0]):
        best = 0
        for n in range(1, gain.shape[1]):
            if gain[m, n] > gain[m, best]:
                best = n
        way[m] = -1
        if not (must[m] or gain[m, best] > 0):
            continue
        for other in range(m):
            if way[other] == best:
                return math.nan
        way[m] = best
        whole += gain[m, best]
    return whole


@compiled(NOTHING, TABLE, COUNTS, NUMBER, NUMBER, YESSES)
def may_differ(gain: Floats, way: Ints, far_worse: float, surely: float, out: Flags) -> None:
    """Fill `out` with whether each mark might be something else than its find in `way`, or nothing: what is worse by
    `far_worse` might not, and a find that is nobody else's and gains more than `surely` is not done without."""
    for m in range(gain.shape[0]):
        own, other, shared = 0.0, -math.inf, 0
        for n in range(gain.shape[1]):
            if n != way[m]:
                other = max(other, gain[m, n])
        if way[m] >= 0:
            own = gain[m, way[m]]
            for k in range(gain.shape[0]):
                shared += gain[k, way[m]] > -far_worse
            if shared > 1 or own < surely:
                other = max(other, 0.0)
        out[m] = own - other < far_worse
