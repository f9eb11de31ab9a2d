"""Where a mark goes out of sight or comes back: the last of it, and the first, that lie on its course."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from tuning.core.movement.tracks import TRUSTED, Tracks
from tuning.core.types import Floats
from tuning.video.track.detections import Detections
from tuning.video.track.fixed_tracks import SAME_PX

TRACE_QUALITY = 0.3
"""Of a place where only a trace of the sticker is left: nobody trusts it (practice judgement, editable)."""
COURSE, MOST, REACH_PX, REACH_SPEED = 3, 8, 3.0, 0.35
"""Frames that tell a course, the frames beyond them in which a trace is looked for, and how far off it may lie: px, and
share of the speed (practice judgement, editable)."""


def follow_traces(found: Tracks, sights: Sequence[Detections], first: int) -> None:
    """Fill the ends of gaps, from `first` on, with traces that lie where the mark came from or was going."""
    for k in range(len(found.names)):
        seen = found.quality[first : first + len(sights), k] > 0
        for n in range(len(seen)):
            for way in (1, -1):
                course = [n - way * back for back in range(COURSE)]
                if all(0 <= m < len(seen) and seen[m] for m in course):
                    _outward(found, k, sights, first, n, way)


def _outward(found: Tracks, k: int, sights: Sequence[Detections], first: int, n: int, way: int) -> None:
    """From a mark's place in frame `n` on into a gap, if there is one, as long as there is something."""
    at, before = found.xy[first + n, k], found.xy[first + n - way * (COURSE - 1), k]
    step = (at - before) / (COURSE - 1)
    for _ in range(MOST):
        n += way
        if not 0 <= n < len(sights) or found.quality[first + n, k] > 0:
            return
        places = _free(found.xy[first + n], sights[n])
        off = np.linalg.norm(places - (at + step), axis=1)
        if not len(off) or off.min() > REACH_PX + REACH_SPEED * float(np.linalg.norm(step)):
            return
        step, at = places[off.argmin()] - at, places[off.argmin()]
        found.xy[first + n, k], found.quality[first + n, k] = at, TRACE_QUALITY


def _free(taken: Floats, seen: Detections) -> Floats:
    """Places of what is hardly a sticker and no mark's: a clear one that was told to be nobody's is."""
    places = np.concatenate([seen.at[seen.like < TRUSTED], seen.traces])
    near: NDArray[np.bool_] = np.linalg.norm(places[:, None] - taken[None], axis=2) <= SAME_PX
    return np.asarray(places[~near.any(axis=1)])
