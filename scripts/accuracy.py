"""Films fresh mannequins, follows and measures them, and writes the table in docs/accuracy.md.

`python scripts/accuracy.py [SEED]`: a new seed each time unless one is given. Takes about ten minutes.
"""

from __future__ import annotations

import tempfile
from collections import defaultdict
from collections.abc import Callable
from dataclasses import dataclass, replace
from fractions import Fraction
from pathlib import Path

import accuracy_page
import av
import numpy as np

from tuning.core.judging.verdict import Z95
from tuning.core.movement import tasks
from tuning.core.movement.tracks import TRUSTED, Tracks
from tuning.core.pictures import geometry
from tuning.core.types import Side
from tuning.demo import render
from tuning.demo.camera import PinholeCamera, Vectors
from tuning.demo.mannequin import SIDES, Body, build
from tuning.demo.motions import STANCE, Squatter, Walker, squatting, walking

BodyAt = Callable[[float], Body]
CLEAN = render.CameraSettings(exposures=2)
HARD = render.CameraSettings(exposures=2, sticker_radius=0.7 * render.STICKER_RADIUS, flicker=0.12)
HARD_WORDS = "hard: marks hidden 0.2 s a cycle, sway, flicker, stickers 30 % smaller"
HIDDEN_S = 0.2
CLIPS = 3
Truth = Callable[[tasks.CycleValue], float | None]


@dataclass(frozen=True)
class Scene:
    """A made-up movement: who moves and how, what is true of it, how it is filmed."""

    task: str
    view: str
    body_at: BodyAt
    truth: Truth
    event_gap_s: Callable[[str, Side, float], float | None]
    """How far an event was found from its true time, s; None for one that has no exact time."""
    fps: int
    seconds: float
    covered: tuple[str, ...] = ()
    """Marks that the body itself covers."""


# bodies


def swayed(body: Body, t: float) -> Body:
    """The whole body drifts from side to side."""
    off = np.array([0.03 * np.sin(2 * np.pi * 0.7 * t), 0, 0])
    body.points = {name: at + off for name, at in body.points.items()}
    body.limbs = [replace(limb, a=limb.a + off, b=limb.b + off) for limb in body.limbs]
    return body


def hard_walk(walker: Walker) -> BodyAt:
    """Marks of the stance leg hidden 0.2 s a stride, the walker drifting sideways."""

    def body_at(t: float) -> Body:
        body = swayed(build(walking(walker, t)), t)
        hidden = set()
        for side, off in zip(SIDES, (0.0, 0.5), strict=True):
            if 0.3 < (t / walker.cycle + off) % 1 < 0.3 + HIDDEN_S / walker.cycle:
                hidden |= {f"psis_{side}", f"knee_back_{side}"}
        body.marked = {name: name for name in body.stickers("rear") if name not in hidden}
        return body

    return body_at


def hard_squat(who: Squatter) -> BodyAt:
    """Marks of the pelvis hidden 0.2 s on the way down, as by an arm, the body drifting sideways."""

    def body_at(t: float) -> Body:
        body = swayed(build(squatting(who, t)), t)
        covered = 0.2 < (t / who.repetition) % 1 < 0.2 + HIDDEN_S / who.repetition
        hidden = {"asis_left", "asis_right"} if covered else set()
        body.marked = {name: name for name in body.stickers("front") if name not in hidden}
        return body

    return body_at


def places(body: Body, camera: PinholeCamera) -> tuple[dict[str, Vectors], set[str]]:
    """Exact places of all stickers, those hidden for the moment included, and the names of those to be seen."""
    worn, body.marked = body.marked, None
    everything = body.projected(camera)
    body.marked = worn
    return everything, set(body.stickers(camera.view))


# what is true of them, from the projected stickers


def _bend(m: dict[str, Vectors], names: tuple[str, str, str], side: Side, inward: int) -> float:
    a, b, c = (m[f"{name}_{side.value}"] for name in names)
    return geometry.bend((a, b, c), inward)


def walk_truth(walker: Walker, hidden: bool = False) -> Truth:
    """Exact values of the step that a measured value belongs to."""

    def truth(value: tasks.CycleValue) -> float | None:
        off = 0.0 if value.side is Side.LEFT else 0.5
        contact = (np.floor(value.time_s / walker.cycle + off + 1e-6) - off) * walker.cycle
        inward, level = 1 if value.side is Side.LEFT else -1, PinholeCamera("rear")
        leg = ("buttock", "knee_back", "heel")

        def seen(t: float) -> dict[str, Vectors]:
            body = build(walking(walker, t))
            return (swayed(body, t) if hidden else body).projected(level)

        def tilt(m: dict[str, Vectors]) -> float:
            return geometry.right_higher_tilt(m["psis_left"], m["psis_right"])

        stance = np.linspace(contact, contact + STANCE * walker.cycle, 50)
        middle = contact + STANCE / 2 * walker.cycle
        made = {
            "gait-pelvic-drop": lambda: max(-inward * tilt(seen(t)) for t in stance),
            "gait-bkh-deviation": lambda: _bend(seen(middle), leg, value.side, inward),
            "gait-bkh-min-stance": lambda: min(180 - abs(_bend(seen(t), leg, value.side, inward)) for t in stance),
        }.get(value.measure)
        return None if made is None else made()

    return truth


def squat_truth(who: Squatter, hidden: bool = False) -> Truth:
    """Exact values in the frame that a measured value was read in; the bottom is held, the sway goes on."""

    def truth(value: tasks.CycleValue) -> float | None:
        t = value.time_s
        body = build(squatting(who, t))
        m = (swayed(body, t) if hidden else body).projected(PinholeCamera("front"))
        inward = 1 if value.side is Side.RIGHT else -1
        feet, pelvis = (m[f"{n}_left"] + m[f"{n}_right"] for n in ("ankle", "asis"))
        made = {
            "squat-front-fppa": lambda: _bend(m, ("asis", "knee", "ankle"), value.side, inward),
            "squat-hip-shift": lambda: (
                50 * float((feet - pelvis)[0] / np.linalg.norm(m["ankle_left"] - m["ankle_right"]))
            ),
        }.get(value.measure)
        return None if made is None else made()

    return truth


def a_walk(rng: np.random.Generator, hard: bool) -> Scene:
    """Somebody walks on the treadmill."""
    u = rng.uniform
    walker = Walker(
        cycle=u(1, 1.2), drop_left=u(3, 9), drop_right=u(3, 9), knee_in_left=u(0, 10), toe_out_left=u(5, 14)
    )

    def gap(kind: str, side: Side, time: float) -> float:
        late = (0.0 if side is Side.LEFT else 0.5) + (STANCE if kind == "toe-off" else 0.0)
        return ((time / walker.cycle - late + 0.5) % 1 - 0.5) * walker.cycle

    body_at = hard_walk(walker) if hard else lambda t: build(walking(walker, t))
    return Scene("rear-gait", "rear", body_at, walk_truth(walker, hard), gap, 60, 3.5)


def a_squat(rng: np.random.Generator, hard: bool) -> Scene:
    """Somebody squats twice before the camera."""
    u = rng.uniform
    who = Squatter(
        repetition=u(2.4, 3.2),
        depth=u(0.28, 0.4),
        knee_in_left=u(-3, 12),
        knee_in_right=u(-3, 12),
        shift=u(-0.03, 0.03),
    )
    body_at = hard_squat(who) if hard else lambda t: build(squatting(who, t))

    def gap(kind: str, _: Side, time: float) -> float | None:
        """The bottom is held from 0.4 to 0.5 of a repetition: any moment of it is the turn."""
        s = time / who.repetition % 1
        return max(0.0, 0.4 - s, s - 0.5) * who.repetition if kind == "turn" else None

    truth, seconds = squat_truth(who, hard), 2.3 * who.repetition
    return Scene("front-squat", "front", body_at, truth, gap, 30, seconds, ("shoulder",))


ROWS = (
    ("walk, clean", a_walk, False),
    (f"walk, {HARD_WORDS}", a_walk, True),
    ("squat, clean", a_squat, False),
    (f"squat, {HARD_WORDS}", a_squat, True),
)
UNIT = {"squat-hip-shift": " points"}


def film(
    path: Path, scene: Scene, camera: PinholeCamera, look: render.CameraSettings, rng: np.random.Generator
) -> None:
    """One scene as an H.264 clip."""
    background = render.room(camera, rng, belt=scene.view == "rear")
    with av.open(str(path), "w") as container:
        stream = container.add_stream("libx264", rate=scene.fps)
        stream.width, stream.height, stream.pix_fmt = camera.width, camera.height_px, "yuv420p"
        stream.options = {"crf": "20", "preset": "veryfast", "g": str(scene.fps)}
        for n in range(round(scene.fps * scene.seconds)):
            pixels = render.photograph(scene.body_at, n / scene.fps, camera, background, rng, look)
            frame = av.VideoFrame.from_ndarray(pixels, format="rgb24")
            frame.pts, frame.time_base = n, Fraction(1, scene.fps)
            container.mux(stream.encode(frame))
        container.mux(stream.encode())


class Row:
    """What one kind of clip has shown so far."""

    def __init__(self) -> None:
        self.gaps: list[float] = []
        self.seen: list[float] = []
        self.invented = 0
        self.events: list[bool] = []
        self.off: dict[str, list[tuple[float, float]]] = defaultdict(list)

    def follow(self, scene: Scene, look: render.CameraSettings, rng: np.random.Generator) -> None:
        """Film a scene, mark it once a pixel off, follow and measure it."""
        from tuning.video.track.api import follow_clip

        camera = PinholeCamera(scene.view, roll_deg=rng.uniform(-2, 2))
        truth = []
        for n in range(round(scene.fps * scene.seconds)):
            everything, worn = places(scene.body_at(n / scene.fps), camera)
            for part in (-look.exposure_s / 4, look.exposure_s / 4):  # what one half of the exposure shows is shown
                worn |= places(scene.body_at(n / scene.fps + part), camera)[1]
            truth.append((everything, worn))
        # Marks are set in a frame in which all of them can be seen.
        start = next(n for n in range(30, len(truth)) if len(truth[n][1]) == len(truth[n][0]))
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "clip.mp4"
            film(path, scene, camera, look, rng)
            worn = {k: at for k, at in truth[start][0].items() if not k.startswith(scene.covered)}
            found = follow_clip(path, start, {k: at + rng.normal(0, 1, 2) for k, at in worn.items()})
        self._against(found, truth)
        result = tasks.measure(found, scene.task, tasks.Options(roll_deg=-camera.roll_deg))
        events = [scene.event_gap_s(*event) for event in result.events]
        self.events += [abs(gap) * scene.fps <= 1 for gap in events if gap is not None]
        for value in result.values:
            true = scene.truth(value)
            if true is not None:
                self.off[value.measure].append((value.value - true, value.marking_sd))

    def _against(self, found: Tracks, truth: list[tuple[dict[str, Vectors], set[str]]]) -> None:
        for k, mark in enumerate(found.names):
            trusted = found.quality[:, k] >= TRUSTED
            shown = np.array([mark in names for _, names in truth])
            self.seen.append(float(trusted[shown].mean()))
            self.invented += int((trusted & ~shown).sum())
            at = np.flatnonzero(trusted & shown)
            self.gaps += [float(np.hypot(*(found.xy[n, k] - truth[n][0][mark]))) for n in at]

    def told(self, name: str) -> list[list[str]]:
        """A line for each measure; what holds for all stands in the first."""
        rms = float(np.sqrt(np.mean(np.square(self.gaps))))
        events = f"{100 * np.mean(self.events):.0f} % of {len(self.events)}" if self.events else "–"
        head = [name, f"{rms:.3f} px", f"{max(self.gaps):.2f} px", f"{100 * np.mean(self.seen):.0f} %"]
        head += [str(self.invented), events]
        lines = []
        for measure, pairs in self.off.items():
            gap, sd = np.abs(np.array(pairs)).T
            worst = f"{np.percentile(gap, 95):.2f}{UNIT.get(measure, '°')}"
            lines.append([*head, f"{measure} ({len(gap)})", worst, f"{100 * np.mean(gap <= Z95 * sd):.0f} %"])
            head = [""] * len(head)
        return lines


def main() -> None:
    """Film, follow, measure, write the table."""
    seed = accuracy_page.seed()
    rng = np.random.default_rng(seed)
    rows: list[list[str]] = []
    for name, make, hard in ROWS:
        row = Row()
        for _ in range(CLIPS):
            row.follow(make(rng, hard), HARD if hard else CLEAN, rng)
        rows += row.told(name)
        print(name)
    head = ["clips", "sticker RMS", "worst", "seen", "invented", "events within 1 frame", "measure", "95 % within"]
    accuracy_page.write_table(
        f"Seed {seed}, {CLIPS} clips in each row (walks 3.5 s at 60 frames/s, squats at 30), marked once a pixel off.",
        [*head, "inside its error"],
        rows,
    )


if __name__ == "__main__":
    main()
