"""How the camera moves: by what stands still around the person, held against one frame of the clip.

A camera that is held by hand sways by more than a heel sinks. What the background does the person did not.
"""

from __future__ import annotations

from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from tuning.core.movement.tracks import filled_moves
from tuning.core.types import Floats
from tuning.video.media.kernels import Plane

WIDTHS = 320, 80
"""The picture is looked at so many pixels wide, or little more; the second finds what was knocked far away."""
BLUR_PX, PIXELS, LEAST_SLOPE = 1.2, 1200, 2.0
"""Of the small picture: how far it is blurred, px (SD); of how many pixels, the steepest, the move is read; the least
slope of one, grey levels a pixel (practice judgement, editable)."""
BODY_SHARE, LEAST_REACH = 0.6, 0.2
"""How far to each side of its marks a body may reach, share of their height: arms swing, and the marks move; and at
least, where few are marked, share of the height of the picture (practice judgement, editable)."""
ROUNDS, DONE_PX, LEAST_PIXELS = 12, 0.02, 60
"""Steps toward the move at most, the last of which is no longer than so many px of the small picture; fewer pixels tell
nothing."""
ASTRAY, ASTRAY_PX, UNSURE_PX = 2.0, 0.3, 0.15
"""What differs by so many times the usual is another thing; what is left over may be as much as so many px of the small
picture would make; the shift may be known so exactly at least, px (SD; practice judgement, editable)."""
STEADYING = 1e-3 * np.eye(4)
"""Of a ground whose lines all run one way no shift along them is told: it is not known, and not infinite."""
ALIKE_NEAR = 3.0
"""Pixels that lie side by side tell the same: they count as so many fewer (square root)."""
STILL_PX = 1.0
"""A camera that moves the corners of the picture by less (root mean square) stands still: so much is told of one that
does, in the dark or of few bits (practice judgement, editable)."""
STANDS_FOR, LOOKED_AT = 12, 12
"""A camera that stood still for so many frames is on a stand: every so many frames are enough to see it knocked."""
Move = tuple[complex, complex]
"""Turn and stretch, and shift, of places as complex numbers about the middle of the picture."""


class _Ground:
    """The steepest pixels of one small picture, and where they are in others (inverse compositional alignment, Baker
    and Matthews 2004, with weights for what moves by itself)."""

    def __init__(self, small: NDArray[np.float32], free: NDArray[np.bool_]) -> None:
        down, across = np.gradient(small)
        steep = np.hypot(across, down) * free
        chosen = np.argsort(-steep, axis=None)[:PIXELS]
        chosen = chosen[steep.ravel()[chosen] >= LEAST_SLOPE]
        self._level, self._middle = float(small.mean()), complex(small.shape[1] - 1, small.shape[0] - 1) / 2
        rows, columns = np.unravel_index(chosen, small.shape)
        self._at = columns + 1j * rows - self._middle
        self._grey = small.ravel()[chosen].astype(np.float64)
        self._slope = steep.ravel()[chosen]
        x, y = across.ravel()[chosen], down.ravel()[chosen]
        u, v = self._at.real / small.shape[1], self._at.imag / small.shape[1]
        self._wide = small.shape[1]
        self._by = np.stack([x * u + y * v, y * u - x * v, x, y], axis=1)

    def moved(self, small: NDArray[np.float32], guess: Move) -> Move | None:
        """Where the ground has gone, looked for from a guess; None where that is not told."""
        if len(self._at) < LEAST_PIXELS:
            return None
        lit = small * np.float32(self._level / max(float(small.mean()), 1.0))  # lamps flicker
        turn, shift = guess
        for _ in range(ROUNDS):
            there = turn * self._at + shift + self._middle
            off = self._seen(lit, there) - self._grey
            usual = 1.4826 * float(np.median(np.abs(off))) + 0.5
            weight = 1 / np.square(1 + np.square(off / (ASTRAY * usual)))
            by = self._by * weight[:, None]
            known = by.T @ self._by
            step = np.linalg.solve(known + STEADYING, by.T @ off)
            turned = 1 + complex(step[0], step[1]) / self._wide
            turn, shift = turn / turned, shift - turn / turned * complex(step[2], step[3])
            if float(np.abs(step).max()) < DONE_PX:
                break
        else:
            return None
        unsure = ALIKE_NEAR * usual * np.sqrt(np.diag(np.linalg.inv(known + STEADYING)))[2:]
        if usual > ASTRAY_PX * float(np.median(self._slope)) + 0.5 or unsure.max() > UNSURE_PX:
            return None
        return turn, shift

    @staticmethod
    def _seen(small: NDArray[np.float32], at: NDArray[np.complex128]) -> Floats:
        """Grey levels between pixels."""
        x, y = at.real.astype(np.float32), at.imag.astype(np.float32)
        seen = cv2.remap(small, x, y, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
        return np.asarray(seen, dtype=np.float64).ravel()


class CameraMotion:
    """What stands still around the person in one picture, and where it is in others."""

    def __init__(self, plane: Plane, marks: Floats) -> None:
        """`marks` (m, 2) px are those of the person."""
        self._by = [max(1, round(plane.shape[1] / width)) for width in WIDTHS]
        known = marks[np.isfinite(marks).all(axis=1)]
        self._grounds = list[_Ground]()
        for by in self._by:
            small = self._small(plane, by)
            free = np.ones(small.shape, dtype=bool)
            if len(known):
                reach = max(BODY_SHARE * float(np.ptp(known[:, 1])), LEAST_REACH * plane.shape[0])
                left, right = (round(float(x) / by) for x in (known[:, 0].min() - reach, known[:, 0].max() + reach))
                free[:, max(left, 0) : max(right, 0)] = False
            free[:2] = free[-2:] = free[:, :2] = free[:, -2:] = False
            self._grounds.append(_Ground(small, free))
        self._last: Move = (1 + 0j, 0j)
        self._told, self._shape, self._stood = np.full(4, np.nan), (plane.shape[0], plane.shape[1]), 0

    @staticmethod
    def _small(plane: Plane, by: int) -> NDArray[np.float32]:
        height, width = (side // by for side in plane.shape)
        small: NDArray[Any] = plane[: height * by, : width * by]
        while by % 2 == 0:  # the mean of four, which is quicker than that of sixteen
            by //= 2
            small = cv2.resize(small, (width * by, height * by), interpolation=cv2.INTER_LINEAR)
        small = cv2.resize(small, (width, height), interpolation=cv2.INTER_AREA)
        return np.asarray(cv2.GaussianBlur(small.astype(np.float32), (0, 0), BLUR_PX), dtype=np.float32)

    def moved(self, plane: Plane) -> Floats:
        """Where the camera has taken the picture: a, b, x, y of the first picture's place (u, v) being now at
        (a u - b v + x, b u + a v + y), px; NaN where too little stands still to tell."""
        self._stood += 1
        if self._stood <= STANDS_FOR or self._stood % LOOKED_AT == 0:
            self._told = self._found(plane)
            if not corners_moved(self._told[None], self._shape).max() < STILL_PX:
                self._stood = 0
        return self._told

    def _found(self, plane: Plane) -> Floats:
        fine = self._small(plane, self._by[0])
        told = self._grounds[0].moved(fine, self._last)
        if told is None:  # a knock, or somebody went by
            coarse = self._small(plane, self._by[1])
            times = self._by[1] / self._by[0]
            for turn, shift in ((self._last[0], self._last[1] / times), (1 + 0j, 0j)):
                near = self._grounds[1].moved(coarse, (turn, shift))
                told = told or (None if near is None else self._grounds[0].moved(fine, (near[0], near[1] * times)))
        if told is None:
            return np.full(4, np.nan)
        self._last = turn, shift = told
        # Pixel n of the small picture covers n..n+1, as everywhere; the library counts from its middle.
        middle = self._by[0] * complex(fine.shape[1], fine.shape[0]) / 2
        shift = self._by[0] * shift + middle - turn * middle
        return np.array([turn.real, turn.imag, shift.real, shift.imag])


def corners_moved(camera: Floats, shape: tuple[int, int]) -> Floats:
    """How far the camera has moved each corner of a picture so high and wide, px (n, 4)."""
    height, width = shape
    corners = np.array([0, width, 1j * height, width + 1j * height])
    turn, shift = camera[:, :2] @ (1, 1j), camera[:, 2:] @ (1, 1j)
    return np.asarray(np.abs(turn[:, None] * corners + shift[:, None] - corners))


def known_moves(camera: Floats, shape: tuple[int, int]) -> Floats | None:
    """How the camera moved in every frame, from `moved` of all of them (n, 4), short gaps filled; NaN throughout where
    it is hardly known, None where it stood still. The pictures are so high and wide."""
    filled = filled_moves(camera)
    if filled is None:
        return np.full_like(camera, np.nan)
    return filled if float(np.sqrt(np.mean(np.square(corners_moved(filled, shape))))) >= STILL_PX else None
