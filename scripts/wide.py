"""Films people, stickers, light and phones that the everyday tests never show, and tells where following fails.

`python scripts/wide.py [--clips 40] [--seed S] [--keep FOLDER] [--write]`: half a minute a clip. Every clip draws all
its conditions at random; the table groups the same clips by one condition at a time. With `--keep` the outcome of each
clip is kept there, so that a long run that was stopped goes on where it was.
"""

from __future__ import annotations

import pickle
import secrets
import tempfile
from collections import defaultdict
from collections.abc import Callable, Mapping
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from fractions import Fraction
from functools import partial
from pathlib import Path

import accuracy_page
import av
import click
import cv2
import numpy as np

from tuning.core.movement.tracks import TRUSTED
from tuning.demo import render
from tuning.demo.camera import LOOKS, PinholeCamera
from tuning.demo.mannequin import Body, build
from tuning.demo.motions import Runner, Squatter, Stepper, Walker, running, squatting, stepping_down, walking
from tuning.video.track.api import follow_clip

SKINS = {"pale": (0.90, 0.76, 0.68), "fair": (0.78, 0.60, 0.50), "olive": (0.62, 0.46, 0.35),
         "brown": (0.42, 0.29, 0.22), "dark": (0.25, 0.17, 0.14)}  # fmt: skip
CLOTHS = [(0.24, 0.33, 0.38), (0.08, 0.08, 0.09), (0.85, 0.85, 0.86), (0.70, 0.12, 0.12), (0.12, 0.20, 0.55),
          (0.15, 0.42, 0.22), (0.80, 0.68, 0.20)]  # fmt: skip
FRAMES, WHOLE, HALF = 90, 0.95, 0.5
WRONG_PX, EXCHANGED_PX = 1.5, 12.0
LEAST_CONTRAST = 0.16
"""Distance of colours as they are lit from where on a person finds a sticker without hesitating, part of white."""


@dataclass(frozen=True)
class Conditions:
    """Everything that one clip is made of; `words` are its groups in the table."""

    words: Mapping[str, str]
    body_at: Callable[[float], Body]
    camera: PinholeCamera
    look: render.CameraSettings
    fps: int
    bits: int
    seed: int
    hand: tuple[float, float, float]
    """How a hand that holds the camera sways: px, degrees (SD), and how often a second; zeros for a stand."""
    dropped: float
    """Share of the frames that the phone leaves out."""
    on_wall: tuple[tuple[float, float], ...]
    """Places (px) of stickers of the same colour that nobody wears."""
    bystander: Callable[[float], Body] | None
    """Somebody without stickers who walks behind."""
    turned: bool
    """Whether the file holds lying pictures that a note in it turns upright."""


def binned(value: float, edges: tuple[float, ...], unit: str) -> str:
    """The bin of a value, in words."""
    low = max((e for e in edges if e <= value), default=None)
    high = min((e for e in edges if e > value), default=None)
    if low is None:
        return f"under {high:g}{unit}"
    return f"from {low:g}{unit}" if high is None else f"{low:g} to {high:g}{unit}"


def _colours(rng: np.random.Generator, light: float) -> tuple[dict[str, tuple[float, float, float]], str, float]:
    """Skin, cloths, shoes, and a sticker that stands out from all that it may lie on."""
    name = str(rng.choice(list(SKINS)))
    grounds = {"skin": SKINS[name], "face": SKINS[name]}
    for cloth in ("shorts", "shirt", "foot"):
        grounds[cloth] = SKINS[name] if cloth == "foot" and rng.random() < 0.4 else CLOTHS[rng.integers(len(CLOTHS))]
    while True:
        sticker = rng.uniform(0.05, 1.0, 3)
        apart = [float(np.linalg.norm(sticker - grounds[c]) / np.sqrt(3)) for c in ("skin", "shorts", "foot")]
        contrast = light * min(apart)
        if contrast >= LEAST_CONTRAST:
            return {**grounds, "sticker": tuple(map(float, sticker))}, name, contrast  # type: ignore[dict-item]


def _movement(rng: np.random.Generator) -> tuple[str, str, Callable[[float], Body]]:
    u, kind = rng.uniform, str(rng.choice(["walk", "run", "run", "squat", "step-down"]))
    if kind in ("walk", "run"):
        fast = kind == "run"
        habits = {
            "drop_left": u(2, 9), "drop_right": u(2, 9), "knee_in_left": u(0, 10), "toe_out_left": u(3, 20),
            "toe_out_right": u(3, 20), "half_width": u(0.05, 0.11), "stature": u(1.5, 1.95),
        }  # fmt: skip
        if fast:
            runner = Runner(
                cycle=u(0.6, 0.85), step=u(0.2, 0.4), stance=u(0.25, 0.42), recoil=u(0.15, 0.4), fold=u(60, 95),
                landing=u(-14, 6), sinking=u(0.4, 1.1), bob=u(0.02, 0.045), **habits,
            )  # fmt: skip
            return kind, "rear", lambda t: build(running(runner, t + 0.3), runner.stature)
        who = Walker(cycle=u(0.9, 1.5), step=u(0.15, 0.32), stance=u(0.56, 0.7), **habits)
        return kind, "rear", lambda t: build(walking(who, t + 0.3), who.stature)
    if kind == "squat":
        squatter = Squatter(repetition=u(1.6, 4), depth=u(0.2, 0.42), knee_in_left=u(-3, 14), shift=u(-0.03, 0.03))
        return kind, "front", lambda t: build(squatting(squatter, t))
    stepper = Stepper(side=str(rng.choice(["left", "right"])), repetition=u(2, 4), knee_in=u(0, 14))
    return kind, "front", lambda t: build(stepping_down(stepper, t))


def _walking_along(
    body_at: Callable[[float], Body], camera: PinholeCamera, ways: tuple[float, float], seconds: float
) -> Callable[[float], Body]:
    """Somebody who walks away from the camera or towards it, from one distance to another (m), ever as much larger."""
    forward = np.array(LOOKS[camera.view])

    def moved(time: float) -> Body:
        share = float(np.clip(time / seconds, 0, 1))
        return body_at(time).moved(forward * (1 / ((1 - share) / ways[0] + share / ways[1]) - camera.distance))

    return moved


def drawn(seed: int) -> Conditions:
    """One clip's conditions, all at random."""
    rng = np.random.default_rng(seed)
    light = float(rng.uniform(0.45, 1.05))
    colours, skin, contrast = _colours(rng, light)
    kind, view, body_at = _movement(rng)
    large = rng.random() < 0.2
    scale = 1.5 if large else 1.0
    camera = PinholeCamera(
        view,
        distance=3.6,
        focal_px=1300 * scale,
        width=int(1280 * scale),
        height_px=int(720 * scale),
        roll_deg=rng.uniform(-2, 2),
    )
    radius_px, fps = float(rng.uniform(3, 10)), int(rng.choice([25, 30, 60, 60, 120, 240]))
    sharpen, bits = float(rng.choice([0, 0, 0.4, 0.9])), int(1e6 * np.exp(rng.uniform(-0.7, 2.1)))
    exposure = min(float(rng.uniform(0.001, 0.014)), 0.8 / fps)
    look = render.CameraSettings(
        exposures=2, exposure_s=exposure, noise=float(rng.uniform(1, 5)), flicker=float(rng.choice([0, 0, 0.12])),
        sticker_radius=radius_px * 3.6 / camera.focal_px, colours=colours, light=light, sharpen=sharpen,
    )  # fmt: skip
    words = {
        "movement": kind, "skin": skin, "contrast": binned(contrast, (0.22, 0.35), ""),
        "sticker": binned(2 * radius_px, (9, 14), " px"), "frames a second": binned(fps, (30, 60, 120), ""),
        "Mbit/s": binned(bits / 1e6, (1, 3), ""), "light": binned(light, (0.7,), ""),
        "sharpened": f"{sharpen:g}", "exposure": binned(1000 * exposure, (5, 10), " ms"),
        "height": f"{camera.height_px}p",
    }  # fmt: skip
    sway = scale * float(np.exp(rng.uniform(0, 2.3))) if rng.random() < 0.35 else 0.0
    hand = (sway, float(rng.uniform(0, 0.4)) if sway else 0.0, float(rng.uniform(0.7, 5)))
    dropped = float(rng.choice([0, 0, 0, 0.08]))
    words |= {"camera": f"in a hand, {binned(sway, (3,), ' px')}" if sway else "on a stand",
              "frames dropped": f"{100 * dropped:.0f} %"}  # fmt: skip
    far = camera.distance / float(rng.uniform(0.3, 0.8)) if rng.random() < 0.15 and not sway else camera.distance
    ways = (camera.distance, far) if rng.random() < 0.5 else (far, camera.distance)
    if far > camera.distance:
        body_at = _walking_along(body_at, camera, ways, FRAMES / fps)
    words["size"] = binned(camera.distance / far, (0.5, 0.9), " of the greatest")
    count = int(rng.integers(1, 5)) if rng.random() < 0.3 else 0
    size = camera.width, camera.height_px
    on_wall = tuple((float(rng.uniform(0, size[0])), float(rng.uniform(0, size[1]))) for _ in range(count))
    beside = _bystander(camera, rng.choice([-1, 1]) * rng.uniform(0.6, 1.2)) if rng.random() < 0.15 else None
    turned = bool(rng.random() < 0.15)
    words |= {"stickers that nobody wears": "1 to 4" if count else "none", "second person": "yes" if beside else "no",
              "file": "turned by its metadata" if turned else "upright"}  # fmt: skip
    return Conditions(words, body_at, camera, look, fps, bits, seed, hand, dropped, on_wall, beside, turned)


def _bystander(camera: PinholeCamera, aside_m: float) -> Callable[[float], Body]:
    """Walks on the spot beside and behind the person."""
    by = aside_m * camera.across + 0.8 * np.array(LOOKS[camera.view])
    return lambda time: build(walking(Walker(), time), 1.7).moved(by)


def held(made: Conditions, times: np.ndarray) -> np.ndarray:
    """Where the camera takes the middle of the picture and turns it, complex (frames, 2): shift, px, and turn."""
    rng = np.random.default_rng(made.seed + 2)
    px, degrees, often = made.hand

    def wander() -> np.ndarray:
        """A sum of sways of which none is regular, SD 1."""
        waves = [(rng.uniform(0.5, 1.6) * often, rng.uniform(0, 2 * np.pi)) for _ in range(5)]
        return sum(np.sin(2 * np.pi * f * times + p) for f, p in waves) / np.sqrt(2.5)

    return np.stack([px * (wander() + 1j * wander()), np.exp(1j * np.radians(degrees * wander()))], axis=1)


def seen_by_it(places: np.ndarray, move: np.ndarray, camera: PinholeCamera) -> np.ndarray:
    """Places (..., 2) of a still picture in one that the hand moved."""
    middle = (camera.width + 1j * camera.height_px) / 2
    there = (places @ (1, 1j) - middle) * move[1] + middle + move[0]
    return np.stack([there.real, there.imag], axis=-1)


def _in_hand(pixels: np.ndarray, move: np.ndarray, camera: PinholeCamera) -> np.ndarray:
    """The picture as the hand moved it; the library counts from the middle of the first pixel."""
    corners = np.array([[0.5, 0.5], [camera.width, 0.5], [0.5, camera.height_px]])
    there = seen_by_it(corners, move, camera) - 0.5
    turn = cv2.getAffineTransform((corners - 0.5).astype(np.float32), there.astype(np.float32))
    size = camera.width, camera.height_px
    return cv2.warpAffine(pixels, turn, size, flags=cv2.INTER_CUBIC, borderMode=cv2.BORDER_REFLECT)


def moments(made: Conditions) -> np.ndarray:
    """Numbers of the frames that are written: some are left out."""
    rng = np.random.default_rng(made.seed + 3)
    return np.flatnonzero(rng.random(2 * FRAMES) >= made.dropped)[:FRAMES]


def film(path: Path, made: Conditions, rng: np.random.Generator) -> None:
    """The clip, as a phone with so many bits a second would write it."""
    moves = held(made, moments(made) / made.fps)
    background = _strewn(render.room(made.camera, rng, belt=made.camera.view == "rear"), made)
    with av.open(str(path), "w") as container:
        stream = container.add_stream("libx264", rate=made.fps)
        size = made.camera.width, made.camera.height_px
        (stream.width, stream.height), stream.pix_fmt = size[::-1] if made.turned else size, "yuv420p"
        stream.bit_rate, stream.options = made.bits, {"preset": "veryfast", "g": str(made.fps)}
        if made.turned:
            stream.set_display_rotation(90)
        for n, move in zip(moments(made).tolist(), moves, strict=True):
            behind = _with_bystander(background, made, n / made.fps, rng)
            pixels = render.photograph(made.body_at, n / made.fps, made.camera, behind, rng, made.look)
            pixels = _in_hand(pixels, move, made.camera) if made.hand[0] else pixels
            pixels = np.ascontiguousarray(np.rot90(pixels, -1)) if made.turned else pixels
            frame = av.VideoFrame.from_ndarray(pixels, format="rgb24")
            frame.pts, frame.time_base = n, Fraction(1, made.fps)
            container.mux(stream.encode(frame))
        container.mux(stream.encode())


def _strewn(room: np.ndarray, made: Conditions) -> np.ndarray:
    """The room with stickers on wall, floor and furniture."""
    radius = made.look.sticker_radius * made.camera.focal_px / made.camera.distance
    for x, y in made.on_wall:
        at, fine = (round(16 * x), round(16 * y)), round(16 * radius)
        cv2.circle(room, at, fine, made.look.colours["sticker"], -1, cv2.LINE_AA, 4)
    return room


def _with_bystander(room: np.ndarray, made: Conditions, time: float, rng: np.random.Generator) -> np.ndarray:
    """The room with somebody in it who wears none."""
    if made.bystander is None:
        return room
    bare = {**made.look.colours, "sticker": made.look.colours["skin"]}
    look = render.CameraSettings(exposures=1, exposure_s=0.0, noise=0.0, flicker=0.0,
                                 sticker_radius=0.001, colours=bare)  # fmt: skip
    return render.photograph(made.bystander, time, made.camera, room, rng, look).astype(np.float32) / 255


@dataclass(frozen=True)
class Outcome:
    """Of one clip, for each mark and frame: distance from the truth (px, NaN without a place), quality, part shown."""

    words: Mapping[str, str]
    seed: int
    off: np.ndarray
    quality: np.ndarray
    shown: np.ndarray
    names: tuple[str, ...]


def followed(seed: int, keep: Path | None = None) -> Outcome:
    """Film, mark once up to a pixel off, follow, and set against the truth."""
    made, rng = drawn(seed), np.random.default_rng(seed + 1)
    times = moments(made) / made.fps
    bodies = [made.body_at(time) for time in times]
    places = [
        {name: seen_by_it(at, move, made.camera) for name, at in body.projected(made.camera).items()}
        for body, move in zip(bodies, held(made, times), strict=True)
    ]
    parts = [render.shown(body, made.camera, made.look.sticker_radius) for body in bodies]
    start = max(range(FRAMES), key=lambda n: sum(part > WHOLE for part in parts[n].values()))
    worn = {k: at + rng.uniform(-0.7, 0.7, 2) for k, at in places[start].items() if parts[start][k] > WHOLE}
    with tempfile.TemporaryDirectory() as folder:
        path = keep or Path(folder) / "clip.mp4"
        film(path, made, rng)
        found = follow_clip(path, start, worn)
    truth = np.array([[places[n][name] for name in found.names] for n in range(FRAMES)])
    shown = np.array([[parts[n][name] for name in found.names] for n in range(FRAMES)])
    return Outcome(made.words, seed, np.linalg.norm(found.xy - truth, axis=2), found.quality, shown, found.names)


def kept(seed: int, folder: Path | None) -> Outcome:
    """The outcome of a clip, from an earlier run where there is one."""
    path = None if folder is None else folder / f"{seed}.pickle"
    if path is not None and path.exists():
        return pickle.loads(path.read_bytes())
    made = followed(seed)
    if path is not None:
        path.write_bytes(pickle.dumps(made))
    return made


def row(name: str, of: list[Outcome]) -> list[str]:
    """A line of the table for a group of clips."""
    off = np.concatenate([o.off.ravel() for o in of])
    quality = np.concatenate([o.quality.ravel() for o in of])
    shown = np.concatenate([o.shown.ravel() for o in of])
    trusted, whole = quality >= TRUSTED, shown > HALF
    kept = off[trusted & whole]

    def within(q: float) -> str:
        surely = quality >= q
        return f"{100 * np.mean(off[surely] <= WRONG_PX):.1f} %" if surely.any() else "–"

    hidden = shown <= HALF
    reported = f"{100 * np.mean(trusted[hidden]):.1f} % of {hidden.sum()}" if hidden.any() else "–"
    return [
        name, str(len(of)), f"{100 * np.mean(~trusted[shown > WHOLE]):.1f} %",
        f"{np.sqrt(np.mean(np.square(kept))):.2f} px" if kept.size else "–",
        f"{100 * np.mean(off[trusted] > EXCHANGED_PX):.2f} %", within(0.5), within(0.9), reported,
    ]  # fmt: skip


HEAD = ["clips with", "clips", "lost", "RMS", "elsewhere", "q 0.5: within 1.5 px", "q 0.9", "hidden, yet given"]


@click.command()
@click.option("--clips", default=40)
@click.option("--seed", type=int)
@click.option("--jobs", default=1)
@click.option("--keep", type=click.Path(file_okay=False, path_type=Path), help="Keep the outcome of each clip here.")
@click.option("--write/--no-write", default=False, help="Write docs/accuracy.md.")
@click.option("--worst", default=8, help="How many of the worst clips to list.")
def main(clips: int, seed: int | None, jobs: int, keep: Path | None, write: bool, worst: int) -> None:
    """Film, follow, print."""
    seed = secrets.randbits(24) if seed is None else seed
    if keep is not None:
        keep.mkdir(parents=True, exist_ok=True)
    with ProcessPoolExecutor(jobs) as pool:
        made = list(pool.map(partial(kept, folder=keep), range(1000 * seed, 1000 * seed + clips)))
    groups: dict[tuple[str, str], list[Outcome]] = defaultdict(list)
    for one in made:
        for what, value in one.words.items():
            groups[what, value].append(one)
    rows = [row("all", made), *(row(f"{w}: {v}", groups[w, v]) for w, v in sorted(groups))]
    said = f"Seed {seed}, {clips} clips of {FRAMES} frames, all conditions at random."
    click.echo("\n".join([said, *("  ".join(line) for line in (HEAD, *rows))]))
    bad = sorted(made, key=lambda o: -float(np.mean((o.shown > WHOLE) & ~((o.quality >= TRUSTED) & (o.off <= 1.5)))))
    for one in bad[:worst]:
        click.echo(
            f"{one.seed}: {', '.join(f'{k} {v}' for k, v in one.words.items())}: {'; '.join(row('', [one])[2:])}"
        )
    if write:
        accuracy_page.write_table(said, HEAD, rows)


if __name__ == "__main__":
    main()
