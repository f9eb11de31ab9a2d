"""Marks without a sticker: optical flow from frame to frame, drawn to how the place looked at the click."""

from __future__ import annotations

from functools import partial

import cv2
import numpy as np
from numpy.typing import NDArray

from tuning.core.types import Floats
from tuning.video.detect.stickers import crop
from tuning.video.media.kernels import Plane
from tuning.video.track.track_state import Detection, MarkTrack

LEAST_QUALITY = 0.25
"""A place of less is none."""


def find_plain(earlier: Plane, plane: Plane, target: MarkTrack, predicted: Floats) -> Detection | None:
    """Pyramidal Lucas-Kanade in a small region, checked backward, then drawn to the template."""
    assert target.patch is not None
    half = 44
    before, x0, y0 = crop(earlier, target.at, half)
    first, second = np.ascontiguousarray(before), np.ascontiguousarray(crop(plane, target.at, half)[0])
    origin = np.array([x0 + 0.5, y0 + 0.5])
    start = (target.at - origin).astype(np.float32).reshape(1, 1, 2)
    guess = (predicted - origin).astype(np.float32).reshape(1, 1, 2)
    flow = partial(cv2.calcOpticalFlowPyrLK, winSize=(15, 15), maxLevel=2, flags=cv2.OPTFLOW_USE_INITIAL_FLOW)
    there, ok, _ = flow(first, second, start, guess)
    back, ok_back, _ = flow(second, first, there, start.copy())
    if not (ok[0, 0] and ok_back[0, 0]):
        return None
    wrong = float(np.linalg.norm(back - start))
    at = there[0, 0].astype(np.float64) + origin
    likeness, at = _draw_to_template(plane, target.patch, at)
    quality = float(np.clip(1 - wrong / 1.5, 0, 1) * np.clip((likeness - 0.4) / 0.4, 0, 1))
    quality *= target.hold
    return Detection(at, quality) if quality >= LEAST_QUALITY else None


def _draw_to_template(plane: Plane, patch: NDArray[np.uint8], at: Floats) -> tuple[float, Floats]:
    """Normalised correlation within 3 px of `at`; the place moves to the sub-pixel peak."""
    reach, half = 3, patch.shape[0] // 2
    pixels, x0, y0 = crop(plane, at, half + reach)
    score = cv2.matchTemplate(np.ascontiguousarray(pixels), patch, cv2.TM_CCOEFF_NORMED)
    _, peak, _, (px, py) = cv2.minMaxLoc(score)
    if 0 < px < 2 * reach and 0 < py < 2 * reach:
        dx = _parabola(score[py, px - 1], peak, score[py, px + 1])
        dy = _parabola(score[py - 1, px], peak, score[py + 1, px])
        # The template was cut around the pixel that held the first mark.
        return peak, np.array([x0 + half + px + dx + 0.5, y0 + half + py + dy + 0.5])
    return float(score[reach, reach]), at


def _parabola(left: float, middle: float, right: float) -> float:
    """Offset of the peak through three equally spaced values, -0.5..0.5."""
    bend = left - 2 * middle + right
    return float(np.clip(0.5 * (left - right) / bend, -0.5, 0.5)) if bend < 0 else 0.0
