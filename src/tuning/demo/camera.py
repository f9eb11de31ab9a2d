"""A pinhole camera that stands behind or before the mannequin.

World and body axes: x to the mannequin's right, y up, z forward; metres.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from tuning.demo.ray_kernels import fill_rays

Vectors = NDArray[np.float64]
LOOKS = {
    "rear": (0.0, 0.0, 1.0),
    "front": (0.0, 0.0, -1.0),
    "left": (1.0, 0.0, 0.0),
    "right": (-1.0, 0.0, 0.0),
}
"""Direction in which the camera of each view looks."""


@dataclass(frozen=True)
class PinholeCamera:
    """Stands `distance` m from the origin, level, `height` m up, at the side that `view` names.

    `view` is rear, front, left or right: what of the mannequin it sees.
    `roll_deg` turns the camera about its axis, clockwise as seen from behind
    it; the picture then turns the other way.
    """

    view: str = "rear"
    distance: float = 3.6
    height: float = 0.88
    focal_px: float = 1300.0
    width: int = 1280
    height_px: int = 720
    roll_deg: float = 0.0

    @cached_property
    def position(self) -> Vectors:
        """Place of the lens."""
        return np.array([0.0, self.height, 0.0]) - self.distance * self._forward

    @property
    def _forward(self) -> Vectors:
        return np.array(LOOKS[self.view])

    @property
    def across(self) -> Vectors:
        """World direction along which the room behind the mannequin is laid out."""
        turned = -1.0 if self.view == "front" else 1.0
        return turned * np.cross([0.0, 1.0, 0.0], self._forward)

    @cached_property
    def axes(self) -> tuple[Vectors, Vectors, Vectors]:
        """Unit vectors to the picture's right, down, and along the view."""
        forward, level_down = self._forward, np.array([0.0, -1.0, 0.0])
        level_right = np.cross([0.0, 1.0, 0.0], forward)
        c, s = math.cos(math.radians(self.roll_deg)), math.sin(math.radians(self.roll_deg))
        return c * level_right + s * level_down, c * level_down - s * level_right, forward

    def project(self, points: Vectors) -> Vectors:
        """Pixels (..., 2) of world points (..., 3)."""
        right, down, forward = self.axes
        seen = np.asarray(points) - self.position
        depth = seen @ forward
        return np.stack(
            [
                self.width / 2 + self.focal_px * (seen @ right) / depth,
                self.height_px / 2 + self.focal_px * (seen @ down) / depth,
            ],
            axis=-1,
        )

    def rays(
        self, rows: slice = slice(None), columns: slice = slice(None), shift: tuple[float, float] = (0.0, 0.0)
    ) -> Vectors:
        """Unit directions (rows, columns, 3) through pixel centres, moved by `shift` pixels."""
        # A projected coordinate of n + 0.5 falls on the centre of pixel n.
        u = (np.arange(self.width, dtype=np.float64)[columns] + (0.5 + shift[0] - self.width / 2)) / self.focal_px
        v = (np.arange(self.height_px, dtype=np.float64)[rows] + (0.5 + shift[1] - self.height_px / 2)) / self.focal_px
        rays = np.empty((len(v), len(u), 3))
        fill_rays(np.array(self.axes), np.asarray(u), np.asarray(v), rays)
        return rays
