"""Marks that are already known in other frames: their stickers are theirs, whoever else is looked for."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from tuning.core.movement.tracks import Tracks
from tuning.video.track.assignment_kernels import Ints
from tuning.video.track.detections import Detections

SAME_PX = 3.0
"""Two places closer than this are one sticker."""


def insert_fixed(
    sights: Sequence[Detections], names: Sequence[str], known: Tracks, first: int
) -> tuple[list[Detections], Ints]:
    """The frames from `first` on with what is known put in, and the number of each mark's find in every frame,
    (frames, marks), -1 where it is not known.

    The place of a known mark that is none of `names` is nobody else's and is left out; so is one that is not trusted,
    since it is in doubt between marks that were there before.
    """
    own = [known.names.index(name) if name in known.names else -1 for name in names]
    numbers = np.full((len(sights), len(names)), -1)
    filled = list[Detections]()
    for n, seen in enumerate(sights):
        sure = known.quality[first + n] > 0
        taken = known.xy[first + n, sure]
        free = (np.linalg.norm(seen.at[:, None] - taken[None], axis=2) > SAME_PX).all(axis=1)
        marks = [m for m, k in enumerate(own) if k >= 0 and sure[k]]
        columns = [own[m] for m in marks]
        numbers[n, marks] = int(free.sum()) + np.arange(len(marks))
        filled.append(
            Detections(
                np.concatenate([seen.at[free], known.xy[first + n, columns]]),
                np.concatenate([seen.like[free], known.quality[first + n, columns]]),
                np.concatenate([seen.narrow[free], np.full((len(marks), 2), np.nan)]),
                seen.traces,
            )
        )
    return filled, numbers
