"""What each frame of a clip shows, and which sticker of one frame surely is which of the next."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

from tuning.core.types import Floats
from tuning.video.track.assignment_kernels import Ints, going_on

YOUNG = 2
"""Frames after which a speed is known."""
SURE_SD, YOUNG_SD, RIVAL, RIVAL_SD = 2.5, 7.5, 2.0, 1.5
"""A sticker surely goes on where it is found within so many SD of its course, within the second while its speed is not
known, and where any other is so many times as far off and so many SD more (practice judgement, editable)."""
OLD_SHARE = 0.35
"""What the speed so far counts beside the last step."""


@dataclass(frozen=True)
class Detections:
    """Everything in a frame that may be a sticker: places (n, 2) px, how like one each is (n), 0..1, and the direction
    in which it is narrow (n, 2) as `narrow_way` gives it, NaN for a whole disc. `traces` (t, 2) are places of what is
    too little of one to tell by itself."""

    at: Floats
    like: Floats
    narrow: Floats
    traces: Floats = field(default_factory=lambda: np.zeros((0, 2)))

    @classmethod
    def none(cls) -> Detections:
        """A frame that shows nothing, or was not read."""
        return cls(np.zeros((0, 2)), np.zeros(0), np.zeros((0, 2)))


@dataclass(frozen=True)
class Tracklets:
    """Stickers followed from frame to frame where no other can be meant: places (n, 2), speeds (n, 2), frames so far
    (n), and for each of the frame before its number in this one, -1 where that is not sure."""

    at: Floats
    speed: Floats
    age: Ints
    follower: Ints

    @classmethod
    def begin(cls, at: Floats, before: int = 0) -> Tracklets:
        """All of them new; none of the `before` goes on."""
        return cls(at, np.zeros_like(at), np.zeros(len(at), dtype=np.intp), np.full(before, -1, dtype=np.intp))

    def then(self, at: Floats, loose: float) -> Tracklets:
        """The runs after a frame with stickers at these places (n, 2), each within `loose` px (SD) of its course."""
        runs = Tracklets.begin(at, len(self.at))
        if not len(at) or not len(self.at):
            return runs
        off = np.linalg.norm((self.at + self.speed)[:, None] - at[None], axis=2)
        within = np.where(self.age >= YOUNG, SURE_SD, YOUNG_SD) * loose
        runs.follower[:] = going_on(off, within, RIVAL, RIVAL_SD * loose)
        for i in np.flatnonzero(runs.follower >= 0).tolist():
            j = runs.follower[i]
            step = at[j] - self.at[i]
            runs.age[j] = self.age[i] + 1
            runs.speed[j] = OLD_SHARE * self.speed[i] + (1 - OLD_SHARE) * step if self.age[i] else step
        return runs
