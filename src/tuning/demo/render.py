"""Draws the mannequin in a textured room: ray-cast round cones, soft light, blur and noise."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from functools import cache

import cv2
import numpy as np
from numpy.typing import NDArray
from PIL import Image

from tuning.demo.camera import PinholeCamera, Vectors
from tuning.demo.mannequin import SIDES, Body, Limb
from tuning.demo.ray_kernels import cast, meet, shade

Picture = NDArray[np.float32]
Window = tuple[slice, slice]
"""Rows and columns of a picture."""
STICKER_RADIUS = 0.0125
STICKER_LIFT = 0.04
"""How far a sticker's disc is brought before the skin it sits on, m."""
COLOURS = {
    "skin": (0.78, 0.60, 0.50),
    "foot": (0.78, 0.60, 0.50),
    "shorts": (0.24, 0.33, 0.38),
    "shirt": (0.46, 0.54, 0.50),
    "hair": (0.30, 0.24, 0.20),
    "face": (0.76, 0.58, 0.48),
    "box": (0.44, 0.36, 0.30),
    "sticker": (0.99, 0.95, 0.72),
}
LIGHT = np.array([0.35, 0.8, 0.0]) / np.linalg.norm([0.35, 0.8, 0.0])
PLUMB_X = -0.62
"""Place of the hanging plumb line across the view, m; it hangs in the plane of the mannequin."""


@dataclass(frozen=True)
class CameraSettings:
    """How the camera records: exposure parts for blur, exposure time (s), noise SD (0..255)."""

    exposures: int = 5
    exposure_s: float = 0.008
    noise: float = 2.2
    sticker_radius: float = STICKER_RADIUS
    flicker: float = 0.0
    """Depth of a 100 Hz lamp's brightness change, part of 1."""
    colours: Mapping[str, tuple[float, float, float]] = field(default_factory=dict)
    """Cloths and skins that differ from the usual ones."""
    light: float = 1.0
    """How bright the room is."""
    sharpen: float = 0.0
    """How much a phone's sharpening adds at edges, part of 1."""


def _noise_texture(rng: np.random.Generator, size: int = 512) -> Picture:
    total = np.zeros((size, size), dtype=np.float32)
    for cells, weight in ((8, 0.35), (64, 0.35), (256, 0.3)):
        coarse = Image.fromarray(rng.random((cells, cells)).astype(np.float32))
        total += weight * np.asarray(coarse.resize((size, size), Image.Resampling.BICUBIC))
    return total


def room(camera: PinholeCamera, rng: np.random.Generator, belt: bool = False) -> Picture:
    """The empty room (height, width, 3), 0..1: boards, wall, skirting, door, plumb line, a treadmill's `belt`."""
    texture = _noise_texture(rng)
    rays, eye = camera.rays().astype(np.float64), camera.position
    forward, across = camera.axes[2], camera.across

    def look_up(a: Vectors, b: Vectors, scale: float) -> Picture:
        return texture[(a * scale).astype(int) % 512, (b * scale).astype(int) % 512]

    with np.errstate(divide="ignore", invalid="ignore"):
        to_floor = np.where(rays[..., 1] < -1e-6, -eye[1] / rays[..., 1], np.inf)
        to_wall = (2.2 - eye @ forward) / (rays @ forward)
    floor = to_floor < to_wall
    reach = np.minimum(to_floor, to_wall)
    at = eye + rays * reach[..., None]
    x, y, z = at @ across, at[..., 1], at @ forward
    picture = np.empty((*x.shape, 3), dtype=np.float32)
    grain = look_up(y + 50, x + 50, 90)
    picture[:] = np.array([0.60, 0.62, 0.62]) * (0.86 + 0.22 * grain[..., None])
    picture[y < 0.12] = np.array([0.82, 0.80, 0.76])
    door = (np.abs(x - 1.35) < 0.45) & (y < 2.05)
    picture[door] = np.array([0.45, 0.40, 0.36]) * (0.9 + 0.15 * grain[door][:, None])
    boards = (np.floor(x / 0.14) % 3) * 0.05
    plank = look_up(z + 50, np.floor(x / 0.14) + 50, 35)
    wood = np.array([0.52, 0.43, 0.34]) * (0.82 + 0.25 * plank + boards)[..., None]
    picture[floor] = wood[floor]
    if belt:
        on = floor & (np.abs(x) < 0.3) & (np.abs(z) < 0.8)
        picture[on] = np.array([0.20, 0.21, 0.23]) * (0.85 + 0.3 * look_up(z + 50, x + 50, 160)[on][:, None])
    _hang_plumb_line(picture, camera)
    return picture


def plumb_point(camera: PinholeCamera, height: float) -> Vectors:
    """World place of a point of the plumb line, m."""
    return PLUMB_X * camera.across + np.array([0.0, height, 0.0])


def _hang_plumb_line(picture: Picture, camera: PinholeCamera) -> None:
    top, bottom = (camera.project(plumb_point(camera, y)) for y in (1.95, 0.12))
    rows = np.arange(max(0, int(top[1])), min(picture.shape[0], int(bottom[1])))
    columns = top[0] + (rows + 0.5 - top[1]) * (bottom[0] - top[0]) / (bottom[1] - top[1])
    for offset in (-1, 0, 1):
        at = np.floor(columns + offset).astype(int)
        cover = np.clip(1.3 - np.abs(at + 0.5 - columns), 0, 1)[:, None]
        picture[rows, at] = picture[rows, at] * (1 - cover) + np.array([0.10, 0.10, 0.12]) * cover


def _cones(limbs: Sequence[Limb]) -> Vectors:
    """Limbs as the rows that rays are cast on."""
    return np.array([(*one.a, *one.b, one.ra, one.rb, STICKER_LIFT * (one.cloth == "sticker")) for one in limbs])


def _windows(cones: Vectors, camera: PinholeCamera) -> list[Window]:
    """The part of the picture that each cone may be seen in."""
    both = cones[:, :6].reshape(-1, 2, 3)
    radius = cones[:, 6:8].max(axis=1)
    depth = ((both - camera.position) @ camera.axes[2]).min(axis=1)
    margin = (camera.focal_px * radius / (depth - radius) * 1.08 + 2)[:, None]
    ends = camera.project(both)
    most = [camera.width, camera.height_px]
    low = np.maximum((ends.min(axis=1) - margin).astype(int), 0)
    high = np.maximum(np.minimum((ends.max(axis=1) + margin).astype(int) + 1, most), 0)
    return [(slice(y0, y1), slice(x0, x1)) for (x0, y0), (x1, y1) in zip(low.tolist(), high.tolist(), strict=True)]


def _stickers(body: Body, view: str, radius: float) -> list[Limb]:
    up = np.array([0.0, 1e-4, 0.0])
    return [Limb(place, place + up, radius, radius, "sticker") for place in body.stickers(view).values()]


def shown(body: Body, camera: PinholeCamera, radius: float) -> dict[str, float]:
    """How much of each sticker nothing hides, 0..1, by name."""
    ring = [(r * math.cos(a), r * math.sin(a)) for r in (0.45, 0.85) for a in np.arange(0, 2 * math.pi, math.pi / 4)]
    spots = np.array([(0.0, 0.0), *ring])
    right, down, forward = camera.axes
    worn = body.stickers(camera.view)
    places = np.array([*worn.values()])
    depth = ((places - camera.position) @ forward)[:, None]
    at = camera.project(places)[:, None] + (camera.focal_px * radius / depth)[..., None] * spots
    flat = (at - [camera.width / 2, camera.height_px / 2]) / camera.focal_px
    rays = forward + flat[..., :1] * right + flat[..., 1:] * down
    rays /= np.linalg.norm(rays, axis=-1, keepdims=True)
    nearest = np.empty(rays.shape[:2])
    meet(_cones(body.limbs), camera.position, rays.reshape(-1, 3), nearest.reshape(-1))
    own = depth / (rays @ forward) - radius - STICKER_LIFT
    return dict(zip(worn, np.mean(~(nearest < own), axis=1).tolist(), strict=True))


def _draw(
    body: Body, camera: PinholeCamera, background: Picture, shift: tuple[float, float], look: CameraSettings
) -> tuple[Window, Picture]:
    """Where the body stands, and that part of a sharp picture of it, 0..1."""
    limbs = body.limbs + _stickers(body, camera.view, look.sticker_radius)
    cones, eye = _cones(limbs), camera.position
    windows = _windows(cones, camera)
    spots = [camera.project(np.array([1, 0, 1]) * body.points[f"ankle_joint_{side}"]) for side in SIDES]
    box = _around([*windows, *(_shadow_window(spot, camera) for spot in spots)])
    picture = background[box].copy()
    for spot in spots:
        _shade_floor(picture, spot - [box[1].start, box[0].start])
    rays = camera.rays(*box, shift)
    nearest, whose = np.empty(picture.shape[:2]), np.empty(picture.shape[:2], dtype=np.int64)
    within = (_within(window, box) for window in windows)
    cast(cones, np.array([(r.start, r.stop, c.start, c.stop) for r, c in within]), eye, rays, nearest, whose)
    light = LIGHT + 0.55 * -camera.axes[2]
    light /= np.linalg.norm(light)
    colours = np.array([look.colours.get(limb.cloth, COLOURS[limb.cloth]) for limb in limbs])
    shade(cones, colours, eye, rays, nearest, whose, light, picture)
    return box, picture


def _around(windows: Sequence[Window]) -> Window:
    """The smallest window that holds all of them."""
    rows, columns = (slice(min(w[n].start for w in windows), max(w[n].stop for w in windows)) for n in (0, 1))
    return rows, columns


def _within(window: Window, box: Window) -> Window:
    """A window as seen from the corner of a larger one."""
    rows, columns = (slice(w.start - b.start, w.stop - b.start) for w, b in zip(window, box, strict=True))
    return rows, columns


def _shadow_window(spot: Vectors, camera: PinholeCamera) -> Window:
    x, y = int(spot[0]), int(spot[1])
    rows = slice(min(max(0, y - 30), camera.height_px), min(max(0, y + 30), camera.height_px))
    return rows, slice(min(max(0, x - 130), camera.width), min(max(0, x + 130), camera.width))


def _shade_floor(picture: Picture, spot: Vectors) -> None:
    rows, columns = (
        slice(max(0, int(at) - reach), max(0, int(at) + reach)) for at, reach in ((spot[1], 30), (spot[0], 130))
    )
    y = np.arange(picture.shape[0])[rows, None] - spot[1]
    x = np.arange(picture.shape[1])[None, columns] - spot[0]
    picture[rows, columns] *= (1 - 0.45 * np.exp(-((x / 55) ** 2) - (y / 12) ** 2))[..., None]


@cache
def _grain(size: int) -> NDArray[np.float32]:
    """Noise of a sensor for many frames: each takes a stretch of it that begins somewhere else."""
    return np.random.default_rng(0).standard_normal(2 * size, dtype=np.float32)


def photograph(
    body_at: Callable[[float], Body],
    t: float,
    camera: PinholeCamera,
    background: Picture,
    rng: np.random.Generator,
    look: CameraSettings = CameraSettings(),
) -> NDArray[np.uint8]:
    """One recorded frame: the mean of several exposures around `t`, with sensor noise."""
    total = background * np.float32(look.exposures)
    # Sampling places inside the pixel, spread evenly, so that the picture as a whole stays where it is.
    across, down = ((rng.permutation(look.exposures) + 0.5) / look.exposures - 0.5 for _ in range(2))
    for part in range(look.exposures):
        when = t + look.exposure_s * ((part + 0.5) / look.exposures - 0.5)
        box, sharp = _draw(body_at(when), camera, background, (float(across[part]), float(down[part])), look)
        total[box] += sharp - background[box]
    if look.sharpen:
        blurred = np.asarray(cv2.GaussianBlur(total, (0, 0), 1.2), dtype=np.float32)
        total += look.sharpen * (total - blurred)
    gain = 255 * look.light * (1 + look.flicker * math.sin(2 * math.pi * 100 * t)) / look.exposures
    start = int(rng.integers(total.size))
    noise = _grain(total.size)[start : start + total.size].reshape(total.shape)
    return np.asarray(cv2.addWeighted(total, gain, noise, look.noise, 0, dtype=cv2.CV_8U), dtype=np.uint8)
