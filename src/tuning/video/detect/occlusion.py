"""Stickers at the edge of a limb that covers half of them: what is seen looks whole, but its middle is another.

A disc that is turned away from the camera looks narrow as well. It lies on one ground, though, and a foot that pitches
makes its marks narrow along the shank; what covers a mark lies beside it and makes it narrow across.
"""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import uniform_filter1d

from tuning.core.movement.tracks import Tracks
from tuning.core.types import Floats
from tuning.video.detect.stickers import Blob
from tuning.video.media.kernels import ground_beside
from tuning.video.media.planes import YuvFrame

NARROW, UNLIKE = 0.8, 10.0
"""Half a disc is narrower than this share of its length, and its two sides differ by more than so many grey levels,
colour counted twice (practice judgement, editable)."""
ACROSS, AROUND_S, LEAST_SHARE = 0.8, 0.07, 0.3
"""How far the narrow way has to lie across the limb (cosine), and for which share of the time around, s before and
after: one narrow frame is noise (practice judgement, editable)."""
HIDDEN_SHARE = 1.8
"""The middle of a disc cut by a straight edge lies off by so many times what it is narrower than long (standard
deviations of its area): exact for half a disc, within 7 % of the radius from there to the whole."""
WHOLE = np.full(2, np.nan)
COLOUR_COUNTS = np.array([1.0, 2.0, 2.0])


def narrow_way(picture: YuvFrame, seen: Blob | None) -> Floats:
    """The direction in which a find is narrow between two unlike grounds, as long as its middle is off (px) if it is a
    disc with a part hidden on one of the two sides; NaN where it is whole."""
    if picture.halves is None or seen is None:
        return WHOLE
    xx, xy, yy = seen.spread
    middle, half = (xx + yy) / 2, math.hypot((xx - yy) / 2, xy)
    length, width = math.sqrt(middle + half), math.sqrt(max(middle - half, 0.0))
    if width >= NARROW * length:
        return WHOLE
    turn = 0.5 * math.atan2(2 * xy, xx - yy)
    along, way = np.array([math.cos(turn), math.sin(turn)]), np.array([-math.sin(turn), math.cos(turn)])
    (x, y), along = seen.at.tolist(), along * length
    ahead, behind = (ground_beside(picture.planes, x, y, along, side * way, 2 * width) for side in (1.0, -1.0))
    return HIDDEN_SHARE * (length - width) * way if np.linalg.norm(COLOUR_COUNTS * (ahead - behind)) > UNLIKE else WHOLE


def half_covered(found: Tracks, narrow: Floats, knee: int, mark: int) -> NDArray[np.bool_]:
    """Whether a mark of the foot is half covered by it, shape (frames,), from its narrow ways (frames, 2), NaN where it
    looks whole or is not seen."""
    shank = found.xy[:, mark] - found.xy[:, knee]
    with np.errstate(invalid="ignore", divide="ignore"):
        turned = np.abs(narrow[:, 0] * shank[:, 1] - narrow[:, 1] * shank[:, 0])
        across = turned / (np.hypot(*narrow.T) * np.hypot(*shank.T))
    seen = found.quality[:, mark] > 0
    around = 1 + 2 * round(AROUND_S / float(np.median(np.diff(found.times)))) if len(found.times) > 1 else 1
    cut = uniform_filter1d((seen & (across > ACROSS)).astype(float), around, mode="nearest")
    least = LEAST_SHARE * uniform_filter1d(seen.astype(float), around, mode="nearest") - 1e-9
    return np.asarray(seen & (cut >= least))


def uncover(found: Tracks, narrow: Floats, mark: int, cover: int, frames: NDArray[np.bool_]) -> None:
    """Move a half covered mark to where the middle of its whole disc lies: towards the mark of what covers it, where
    that is seen."""
    hidden = found.xy[:, cover] - found.xy[:, mark]
    towards = np.sign((hidden * narrow).sum(axis=1, keepdims=True))
    known = frames & np.isfinite(towards[:, 0])
    found.xy[known, mark] += (towards * narrow)[known]
