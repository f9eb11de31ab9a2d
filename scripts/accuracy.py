"""Films fresh mannequins, follows and measures them, and writes the table in docs/accuracy.md.

`python scripts/accuracy.py [SEED]`: a new seed each time unless one is given.
"""

from __future__ import annotations

import secrets
import sys
import tempfile
from collections import defaultdict
from fractions import Fraction
from pathlib import Path

import av
import numpy as np

from tuning.core import geometry, tasks
from tuning.core.tracks import TRUSTED
from tuning.core.types import Side
from tuning.core.verdict import Z95
from tuning.demo import render
from tuning.demo.camera import Camera
from tuning.demo.mannequin import build
from tuning.demo.motions import STANCE, Walker, walking
from tuning.video.follow import follow_clip

PAGE = Path(__file__).parent.parent / "docs" / "accuracy.md"
START, END = "<!-- table: scripts/accuracy.py -->", "<!-- end of table -->"
FPS, SECONDS, CLIPS = 60, 3.5, 3
LOOKS = {
    "clean": render.Look(exposures=2),
    "hard (30 % smaller stickers, flicker)": render.Look(2, sticker_radius=0.7 * render.STICKER_RADIUS, flicker=0.12),
}


def film(path: Path, walker: Walker, camera: Camera, look: render.Look, rng: np.random.Generator) -> None:
    """One walk from behind as an H.264 clip."""
    background = render.room(camera, rng, belt=True)
    with av.open(str(path), "w") as container:
        stream = container.add_stream("libx264", rate=FPS)
        stream.width, stream.height, stream.pix_fmt = camera.width, camera.height_px, "yuv420p"
        stream.options = {"crf": "20", "preset": "veryfast"}
        for n in range(round(FPS * SECONDS)):
            pixels = render.photograph(lambda t: build(walking(walker, t)), n / FPS, camera, background, rng, look)
            frame = av.VideoFrame.from_ndarray(pixels, format="rgb24")
            frame.pts, frame.time_base = n, Fraction(1, FPS)
            container.mux(stream.encode(frame))
        container.mux(stream.encode())


def truths(walker: Walker, value: tasks.CycleValue) -> dict[str, float]:
    """Exact values of the step that a measured value belongs to, from the projected stickers."""
    off = 0.0 if value.side is Side.LEFT else 0.5
    contact = (np.floor(value.time_s / walker.cycle + off + 1e-6) - off) * walker.cycle
    s, inward, level = value.side.value, 1 if value.side is Side.LEFT else -1, Camera("rear")

    def knee(t: float) -> float:
        m = build(walking(walker, t)).seen(level)
        return geometry.bend((m[f"buttock_{s}"], m[f"knee_back_{s}"], m[f"heel_{s}"]), inward)

    def tilt(t: float) -> float:
        m = build(walking(walker, t)).seen(level)
        return geometry.right_higher_tilt(m["psis_left"], m["psis_right"])

    stance = np.linspace(contact, contact + STANCE * walker.cycle, 50)
    middle = contact + STANCE / 2 * walker.cycle
    return {
        "gait-pelvic-drop": max(-inward * tilt(t) for t in stance),
        "gait-bkh-deviation": knee(middle),
        "gait-bkh-min-stance": min(180 - abs(knee(t)) for t in stance),
    }


def main() -> None:
    """Film, follow, measure, write the table."""
    seed = int(sys.argv[1]) if len(sys.argv) > 1 else secrets.randbits(24)
    rng = np.random.default_rng(seed)
    lines = [f"Seed {seed}, {CLIPS} clips of {SECONDS:g} s at {FPS} frames/s in each row, marked once a pixel off.", ""]
    lines += [
        "| clips | sticker RMS | worst | seen | events within 1 frame | measure | 95 % within | inside its error |"
    ]
    lines += ["|---|---|---|---|---|---|---|---|"]
    for name, look in LOOKS.items():
        gaps, seen, events = [], [], []
        off: dict[str, list[tuple[float, float]]] = defaultdict(list)
        for _ in range(CLIPS):
            u = rng.uniform
            walker = Walker(
                cycle=u(1, 1.2), drop_left=u(3, 9), drop_right=u(3, 9), knee_in_left=u(0, 10), toe_out_left=u(5, 14)
            )
            roll = u(-2, 2)
            camera = Camera("rear", roll_deg=roll)
            with tempfile.TemporaryDirectory() as folder:
                path = Path(folder) / "walk.mp4"
                film(path, walker, camera, look, rng)
                truth = [build(walking(walker, n / FPS)).seen(camera) for n in range(round(FPS * SECONDS))]
                found = follow_clip(path, 60, {k: at + rng.normal(0, 1, 2) for k, at in truth[60].items()})
            for k, mark in enumerate(found.names):
                trusted = found.quality[:, k] >= TRUSTED
                seen.append(trusted.mean())
                gaps += [np.hypot(*(found.xy[n, k] - truth[n][mark])) for n in np.flatnonzero(trusted)]
            result = tasks.measure(found, "rear-gait", tasks.Options(roll_deg=-roll))
            for kind, side, time in result.events:
                late = (0.0 if side is Side.LEFT else 0.5) + (STANCE if kind == "toe-off" else 0.0)
                phase = (time / walker.cycle - late + 0.5) % 1 - 0.5
                events.append(abs(phase * walker.cycle * FPS) <= 1)
            for value in result.values:
                if value.measure in ("gait-pelvic-drop", "gait-bkh-deviation", "gait-bkh-min-stance"):
                    off[value.measure].append((value.value - truths(walker, value)[value.measure], value.marking_sd))
        head = f"{name} | {np.sqrt(np.mean(np.square(gaps))):.3f} px | {max(gaps):.2f} px | {100 * np.mean(seen):.0f} %"
        head += f" | {100 * np.mean(events):.0f} % of {len(events)}"
        for measure, pairs in off.items():
            gap, sd = np.abs(np.array(pairs)).T
            told = f"{measure} ({len(gap)}) | {np.percentile(gap, 95):.2f}° | {100 * np.mean(gap <= Z95 * sd):.0f} %"
            lines.append(f"| {head} | {told} |")
            head = " | | | | "
    page = PAGE.read_text(encoding="utf-8")
    before, rest = page.split(START)
    table = "\n".join(lines)
    PAGE.write_text(f"{before}{START}\n{table}\n{END}{rest.split(END)[1]}", encoding="utf-8")
    print(table)


main()
