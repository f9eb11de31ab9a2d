"""How large a person is who walks towards the camera or away from it: told by the size of all stickers together."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, field, replace

import numpy as np

from tuning.core.types import Floats
from tuning.video.detect.stickers import RADII, Sticker
from tuning.video.track.detections import Detections
from tuning.video.track.track_state import Detection, MarkTrack

WHOLE, LEAST_SEEN, FOLLOWS = 0.5, 2, 0.25
"""Finds so good tell a size; at least so many are asked; the scale follows what they tell by this share a frame, since
one picture is blurred more than the next (practice judgement, editable)."""
CHANGED, GROWN = 0.04, 0.15
"""A person whose size changes by less than the second share stays as large as at first, since turning and blur change
stickers, too; after that masks are made anew with every change by the first (practice judgement, editable)."""


SAME_CONTRAST, JUMP = 1.4, 0.2
"""What is blurred grows, too, but pales by such a factor; and nobody grows by such a share from frame to frame, as all
stickers do when a picture goes out of focus (practice judgement, editable)."""


@dataclass
class PersonScale:
    """Size of the person in the newest picture as a share of that in the first."""

    now: float = 1.0
    _applied: float = 1.0
    _bases: dict[str, tuple[Sticker, float, float]] = field(default_factory=dict)
    """Each mark's sticker, and what radius and area it would have in the first picture."""

    def follow(self, targets: Sequence[MarkTrack], finds: Sequence[Detection | None]) -> None:
        """Take what one picture tells; stickers, hidden ones too, are looked for in their new size from then on."""
        told = []
        for target, find in zip(targets, finds, strict=True):
            sticker = target.sticker
            if sticker is None:
                continue
            base = self._bases.get(target.name)
            if base is None or base[0] is not sticker or target.age < LEARNT:
                base = (sticker, sticker.radius / self._applied, sticker.area / self.now**2)
                self._bases[target.name] = base
            elif (
                find is not None
                and find.seen is not None
                and find.quality >= WHOLE
                and 1 / SAME_CONTRAST < find.seen.contrast / sticker.contrast < SAME_CONTRAST
            ):
                told.append(math.sqrt(find.seen.area / base[2]))
        if len(told) < LEAST_SEEN or abs(float(np.median(told)) / self.now - 1) > JUMP:
            return
        self.now += FOLLOWS * (float(np.median(told)) - self.now)
        if abs(self.now / self._applied - 1) > (CHANGED if self._applied != 1 else GROWN):
            self._applied = self.now
            for target in targets:
                if target.sticker is not None:
                    _, radius, area = self._bases[target.name]
                    target.sticker.radius = float(np.clip(round(2 * radius * self.now) / 2, RADII[0], RADII[-1]))
                    target.sticker.area = area * self.now**2


LEARNT = 8
"""Frames in which a sticker must have been seen before its size is known."""


def of_one_size(sights: Sequence[Detections], scale: Floats, shape: tuple[int, int]) -> Sequence[Detections]:
    """What the frames would show of a person who stays as large: places drawn to the middle of the picture, to which
    somebody who walks away goes. As they are where the size hardly changes."""
    if np.abs(scale - 1).max(initial=0.0) < GROWN:
        return sights
    middle = np.array([shape[1] / 2, shape[0] / 2])
    return [replace(seen, at=middle + (seen.at - middle) / s) for seen, s in zip(sights, scale.tolist(), strict=True)]
