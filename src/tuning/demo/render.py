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


def _distance(limb: Limb, eye: Vectors, rays: Picture) -> Picture:
    """Distance (inf: none) of a round cone along each ray.

    The side is the quadratic of a cone around the segment; the ends are spheres.
    """
    ba, oa, ob = limb.b - limb.a, eye - limb.a, eye - limb.b
    rr = limb.ra - limb.rb
    length2, along_eye = float(ba @ ba), float(ba @ oa)
    along_ray, toward_a, toward_b = (rays @ v.astype(np.float32) for v in (ba, oa, ob))
    d2 = length2 - rr * rr
    k2 = d2 - along_ray**2
    k1 = d2 * toward_a - along_eye * along_ray + along_ray * (rr * limb.ra)
    k0 = d2 * float(oa @ oa) - along_eye**2 + 2 * along_eye * rr * limb.ra - length2 * limb.ra**2
    inside = k1 * k1 - k0 * k2
    with np.errstate(invalid="ignore", divide="ignore"):
        t = (-np.sqrt(inside) - k1) / k2
        y = along_eye - limb.ra * rr + t * along_ray
        distance = np.where((inside > 0) & (y > 0) & (y < d2), t, np.float32(np.inf))
        for toward, offset, radius in ((toward_a, oa, limb.ra), (toward_b, ob, limb.rb)):
            ball = -toward - np.sqrt(toward * toward - (float(offset @ offset) - radius**2))
            distance = np.fmin(distance, ball)
    return distance.astype(np.float32)


def _normals(limb: Limb, points: Vectors) -> Vectors:
    """Outward unit normals (n, 3) at points of a round cone's surface."""
    ba = limb.b - limb.a
    length2, rr = float(ba @ ba), limb.ra - limb.rb
    d2 = length2 - rr * rr
    from_a = points - limb.a
    # A point of the cone's side stands over the axis point where the tangent sphere sits.
    y = np.clip((from_a @ ba - limb.ra * rr) / d2 if d2 > 0 else np.zeros(len(points)), 0, 1)
    out = from_a - y[:, None] * ba
    return out / np.linalg.norm(out, axis=-1, keepdims=True)


def _window(limb: Limb, camera: PinholeCamera) -> Window:
    ends = camera.project(np.stack([limb.a, limb.b]))
    depth = min(float((p - camera.position) @ camera.axes[2]) for p in (limb.a, limb.b))
    margin = camera.focal_px * max(limb.ra, limb.rb) / (depth - max(limb.ra, limb.rb)) * 1.08 + 2
    low, high = ends.min(axis=0) - margin, ends.max(axis=0) + margin
    x = slice(max(0, int(low[0])), max(0, min(camera.width, int(high[0]) + 1)))
    y = slice(max(0, int(low[1])), max(0, min(camera.height_px, int(high[1]) + 1)))
    return y, x


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
    rays = (rays / np.linalg.norm(rays, axis=-1, keepdims=True)).astype(np.float32)
    with np.errstate(invalid="ignore"):
        nearest = np.min([_distance(limb, camera.position, rays) for limb in body.limbs], axis=0)
    own = depth / (rays @ forward.astype(np.float32)) - radius - STICKER_LIFT
    return dict(zip(worn, np.mean(~(nearest < own), axis=1).tolist(), strict=True))


def _draw(
    body: Body, camera: PinholeCamera, background: Picture, shift: tuple[float, float], look: CameraSettings
) -> tuple[Window, Picture]:
    """Where the body stands, and that part of a sharp picture of it, 0..1."""
    limbs = body.limbs + _stickers(body, camera.view, look.sticker_radius)
    windows = [_window(limb, camera) for limb in limbs]
    spots = [camera.project(np.array([1, 0, 1]) * body.points[f"ankle_joint_{side}"]) for side in SIDES]
    box = _around([*windows, *(_shadow_window(spot, camera) for spot in spots)])
    picture = background[box].copy()
    for spot in spots:
        _shade_floor(picture, spot - [box[1].start, box[0].start])
    rays = camera.rays(*box, shift)
    nearest = np.full(picture.shape[:2], np.inf, dtype=np.float32)
    whose = np.full(picture.shape[:2], -1, dtype=np.int16)
    for n, (limb, window) in enumerate(zip(limbs, windows, strict=True)):
        here = _within(window, box)
        distance = _distance(limb, camera.position, rays[here])
        if limb.cloth == "sticker":  # flat on the skin: nothing of its own body part hides it
            distance = distance - STICKER_LIFT
        nearer = distance < nearest[here]
        np.copyto(nearest[here], distance, where=nearer)
        np.copyto(whose[here], n, where=nearer)
    light = LIGHT + 0.55 * -camera.axes[2]
    light /= np.linalg.norm(light)
    for n, (limb, window) in enumerate(zip(limbs, windows, strict=True)):
        here = _within(window, box)
        shown = whose[here] == n
        tone = np.ones(int(shown.sum()))
        if limb.cloth != "sticker" and tone.size:
            points = camera.position + rays[here][shown] * nearest[here][shown][:, None]
            tone = 0.45 + 0.6 * np.clip(_normals(limb, points) @ light, 0, 1)
        picture[here][shown] = np.array(look.colours.get(limb.cloth, COLOURS[limb.cloth])) * tone[:, None]
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
