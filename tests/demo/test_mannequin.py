"""The mannequin: what is drawn is where the geometry says."""

import numpy as np
import pytest

from tuning.demo import render
from tuning.demo.camera import PinholeCamera
from tuning.demo.clips import CLIPS
from tuning.demo.mannequin import SHANK, THIGH, build
from tuning.demo.motions import Squatter, Walker, squatting, walking
from tuning.video import open_source


def sticker_centre(picture: np.ndarray, near: np.ndarray, reach: int = 8) -> np.ndarray | None:
    """Centroid of the bright yellowish disc near a place, None when it is hidden."""
    x, y = (int(v) for v in near)
    box = picture[y - reach : y + reach + 1, x - reach : x + reach + 1].astype(float)
    weight = np.clip(box[..., :2].min(axis=2) - 175, 0, None)
    if weight.sum() < 400:
        return None
    rows, columns = np.mgrid[y - reach : y + reach + 1, x - reach : x + reach + 1] + 0.5
    return np.array([(columns * weight).sum(), (rows * weight).sum()]) / weight.sum()


def offsets(picture: np.ndarray, places: dict[str, np.ndarray]) -> list[float]:
    found = ((sticker_centre(picture, at), at) for at in places.values())
    return [float(np.linalg.norm(centre - at)) for centre, at in found if centre is not None]


@pytest.mark.parametrize("front", [False, True])
@pytest.mark.parametrize("roll", [0.0, 4.0])
def test_drawn_stickers_lie_where_the_projection_says(front, roll):
    camera = PinholeCamera("front" if front else "rear", roll_deg=roll)
    body = build(squatting(Squatter(knee_in_right=6), 1.2) if front else walking(Walker(), 0.3))
    look = render.CameraSettings(exposures=1, noise=0)
    rng = np.random.default_rng(0)
    picture = render.photograph(lambda _: body, 0, camera, render.room(camera, rng), rng, look)
    found = offsets(picture, body.projected(camera))
    assert len(found) >= 6
    assert np.median(found) < 0.7 and max(found) < 2.5


def test_bones_keep_their_length_through_the_step():
    for t in np.linspace(0, 1.1, 23):
        p = build(walking(Walker(), t)).points
        for side in ("left", "right"):
            thigh = np.linalg.norm(p[f"hip_{side}"] - p[f"knee_joint_{side}"])
            shank = np.linalg.norm(p[f"knee_joint_{side}"] - p[f"ankle_joint_{side}"])
            assert thigh == pytest.approx(THIGH * 1.72, abs=0.004)
            assert shank == pytest.approx(SHANK * 1.72, abs=0.02)


def test_a_camera_roll_turns_the_picture_about_its_middle():
    points = np.random.default_rng(1).uniform(-0.8, 0.8, (20, 3)) + [0, 1, 0]
    level, rolled = PinholeCamera("rear").project(points), PinholeCamera("rear", roll_deg=4).project(points)
    middle = np.array([640.0, 360.0])
    angle = np.radians(-4)
    turn = np.array([[np.cos(angle), -np.sin(angle)], [np.sin(angle), np.cos(angle)]])
    assert rolled - middle == pytest.approx((level - middle) @ turn.T)


@pytest.mark.parametrize("name", list(CLIPS))
def test_the_shipped_clips_show_their_own_truth(name):
    clip = CLIPS[name]
    assert 0.5e6 < clip.path.stat().st_size < 2.6e6
    source = open_source(clip.path)
    assert len(source.times) == clip.frames
    assert source.times == pytest.approx(np.arange(clip.frames) / clip.fps, abs=1e-4)
    gaps = [gap for n in range(5, clip.frames, 40) for gap in offsets(source.frame(n), clip.truth(n))]
    source.close()
    assert len(gaps) > 40 and np.median(gaps) < 1.0
