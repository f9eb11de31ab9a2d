"""What looks like a sticker and stays where it is: a bolt of the treadmill, a sticker on the wall. It is nobody's."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from tuning.core.movement.tracks import carried
from tuning.core.types import Floats
from tuning.video.detect.candidates import looks_of, survey
from tuning.video.media.planes import YuvFrame
from tuning.video.track.track_state import MarkTrack

AROUND_SHARE, OWN_PX, SAME_SPOT_PX, LEAST_LIKE = 0.35, 6.0, 1.5, 0.35
"""How far around the marks is looked, share of the height; spots so near to a mark are its own; what is found within
the third of a spot is the spot; and how like a sticker it must look (practice judgement, editable)."""


class FixedSpots:
    """Places (n, 2) of the opening picture, px, that look like a sticker and bear no mark; carried with the camera.

    What a person wears without a mark leaves its place as soon as the body moves, and then hides nothing there.
    """

    def __init__(self, picture: YuvFrame, targets: Sequence[MarkTrack]) -> None:
        looks = looks_of([t.sticker for t in targets if t.sticker is not None])
        marks = np.array([t.at for t in targets], dtype=np.float64).reshape(-1, 2)
        self.at = np.zeros((0, 2))
        if looks and len(marks):
            around = AROUND_SHARE * picture.shape[0]
            finds, _ = survey(picture, marks.min(axis=0) - around, marks.max(axis=0) + around, looks, marks)
            places = np.array([seen.at for seen, like in finds if like >= LEAST_LIKE]).reshape(-1, 2)
            near = np.linalg.norm(places[:, None] - marks[None], axis=2)
            self.at = places[(near > OWN_PX).all(axis=1)]

    def carry(self, before: Floats, now: Floats) -> None:
        """Take them along with the camera."""
        if len(self.at):
            self.at = carried(self.at, before, now)

    def has(self, at: Floats) -> bool:
        """Whether a place is one of them."""
        return bool(len(self.at)) and bool((np.abs(self.at - at).max(axis=1) <= SAME_SPOT_PX).any())
