"""Work on single pixels against the same by NumPy and OpenCV."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
from chance import RANDOM

from tuning.video.media.kernels import ground_beside, spots, telling_mix
from tuning.video.media.planes import YuvFrame


def picture(height: int = 90, width: int = 120) -> YuvFrame:
    halves = RANDOM.integers(0, 255, (2, height // 2, width // 2)).astype(np.uint8)
    return YuvFrame(RANDOM.integers(0, 255, (height, width)).astype(np.uint8), (halves[0], halves[1]))


@pytest.mark.parametrize("half", [3, 6, 40])
def test_spots_stand_out_most_of_all_around_them(half):
    """The larger square reaches beyond every edge of the part; with 40 px beyond the whole of it, mirrored back."""
    seen, weights, least = picture(), RANDOM.normal(0, 0.6, 3), 1.0
    part = seen.part(11, 6, (70, 95), weights)
    pad = [(2 * half + 1,) * 2] * 2
    wide = np.pad(part.astype(float), pad, mode="reflect")
    near, far = (cv2.blur(wide, (2 * n + 1, 2 * n + 1)) for n in (half, 2 * half + 1))
    above = (near - far)[pad[0][0] : -pad[0][0], pad[0][0] : -pad[0][0]]
    top = cv2.dilate(above, np.ones((2 * half + 1, 2 * half + 1), np.uint8))
    rows, columns = np.nonzero((above >= top) & (above > least))
    found = spots(seen.planes, (11, 6, 70, 95), weights, half, least)
    assert found[:, :2].tolist() == np.stack([columns + 11, rows + 6], axis=1).tolist() and len(found)
    assert found[:, 2] == pytest.approx(above[rows, columns], abs=1e-3)


def test_the_telling_mix_is_fishers():
    for _ in range(20):
        colours = RANDOM.normal(0, RANDOM.uniform(1, 20, 3), (60, 3)) + RANDOM.uniform(0, 255, 3)
        core, ring = np.arange(0, 25), np.arange(30, 60)
        colours[core] += RANDOM.normal(0, 30, 3)
        changes, spread = np.cov(colours[ring].T), np.diag([9.0, 4.0, 4.0])
        mix = np.linalg.solve(changes + spread, colours[core].mean(axis=0) - colours[ring].mean(axis=0))
        mix /= np.linalg.norm(mix)
        assert telling_mix(colours, core, ring, spread) == pytest.approx([*mix, mix @ changes @ mix])
    assert not telling_mix(np.full((60, 3), 7.0), core, ring, spread).any()


@pytest.mark.parametrize("way", [(1, 0), (-1, 0), (0, 1), (0, -1)])
def test_the_ground_is_that_on_the_side_of_the_way(way):
    """Left and right, up and down differ in brightness, blue and red."""
    down, across = np.mgrid[0:90, 0:120]
    grounds = {(1, 0): across >= 60, (-1, 0): across < 60, (0, 1): down >= 44, (0, -1): down < 44}
    y = np.where(grounds[way], 200, 40).astype(np.uint8)
    seen = YuvFrame(y, (y[::2, ::2] // 2, y[::2, ::2] // 4))
    along = 5.0 * np.array([-way[1], way[0]])
    mean = ground_beside(seen.planes, 60.0, 44.0, along, np.array(way, dtype=float), 8.0)
    assert mean == pytest.approx([200, 100, 50])
