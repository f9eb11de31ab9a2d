"""The two shipped clips: who moves, which camera, and the exact place of every sticker.

`python -m tuning.demo.clips FOLDER` renders them anew.
"""

from __future__ import annotations

import sys
from collections.abc import Callable
from dataclasses import dataclass
from fractions import Fraction
from functools import partial
from importlib.resources import files
from pathlib import Path

import numpy as np

from tuning.demo import render
from tuning.demo.camera import PinholeCamera, Vectors
from tuning.demo.mannequin import Body, Limb, Posture, build
from tuning.demo.motions import Squatter, Stepper, Walker, squatting, stepping_down, walking


@dataclass(frozen=True)
class DemoClip:
    """A clip by its recipe; `truth` and the file come from the same posture function."""

    name: str
    body_at: Callable[[float], Body]
    camera: PinholeCamera
    fps: int
    seconds: float
    seed: int

    @property
    def frames(self) -> int:
        """Number of frames."""
        return round(self.fps * self.seconds)

    @property
    def path(self) -> Path:
        """Where the shipped file lies."""
        return Path(str(files("tuning.demo"))) / "media" / f"{self.name}.mp4"

    def truth(self, frame: int) -> dict[str, Vectors]:
        """Exact sticker places of a frame, pixels."""
        return self.body_at(frame / self.fps).projected(self.camera)

    def plumb_line(self) -> tuple[Vectors, Vectors]:
        """Image places of two points of the hanging line, upper first."""
        upper, lower = (self.camera.project(render.plumb_point(self.camera, y)) for y in (1.6, 0.2))
        return upper, lower

    def render(self, folder: Path) -> Path:
        """Draw and encode the clip into `folder` as H.264 in MP4."""
        import av

        rng = np.random.default_rng(self.seed)
        background = render.room(self.camera, rng, belt=self.camera.view == "rear")
        target = folder / f"{self.name}.mp4"
        with av.open(str(target), "w", options={"movflags": "faststart"}) as container:
            stream = container.add_stream("libx264", rate=self.fps)
            stream.width, stream.height, stream.pix_fmt = self.camera.width, self.camera.height_px, "yuv420p"
            stream.options = {"crf": "20", "preset": "slow", "g": str(self.fps)}
            for n in range(self.frames):
                pixels = render.photograph(self.body_at, n / self.fps, self.camera, background, rng)
                frame = av.VideoFrame.from_ndarray(pixels, format="rgb24")
                frame.pts, frame.time_base = n, Fraction(1, self.fps)
                container.mux(stream.encode(frame))
            container.mux(stream.encode())
        return target


GLASSBLOWER = Walker(
    drop_left=8.5, drop_right=3.5, knee_in_left=11, knee_in_right=2, toe_out_left=14, toe_out_right=7, arc_left=0.03
)
GLASSBLOWER_LATER = Walker(
    drop_left=4.5, drop_right=3.5, knee_in_left=4, knee_in_right=2, toe_out_left=9, toe_out_right=7, arc_left=0.015
)
POTTER = Squatter(knee_in_left=0, knee_in_right=6, shift=-0.02)
CONDUCTOR = Squatter(depth=0.30, knee_ahead=0.06, trunk_lean=26)
CONDUCTOR_DEEP = Squatter(depth=0.40, knee_ahead=0.0, trunk_lean=42, tuck=22)
STEPS = {
    "left": Stepper("left", knee_in=16, pelvis_drop=6, trunk_side=4),
    "right": Stepper("right", knee_in=4, pelvis_drop=2),
}


def step_down(who: Stepper, t: float) -> Body:
    """A step-down with the padded step under the stance foot."""
    body = build(stepping_down(who, t))
    middle, high = -0.09 if who.side == "left" else 0.09, who.box / 2
    for ahead in (-0.05, 0.06, 0.16):
        inner, outer = (np.array([middle + across, high, ahead]) for across in (-0.06, 0.06))
        body.limbs.append(Limb(inner, outer, high, high, "box"))
    return body


def side_squats(t: float) -> Posture:
    """Two shallow knee-led squats, then two deep ones that tuck the pelvis."""
    return squatting(CONDUCTOR if t < 2 * CONDUCTOR.repetition else CONDUCTOR_DEEP, t)


CLIPS = {
    clip.name: clip
    for clip in (
        DemoClip(
            "walk-rear", lambda t: build(walking(GLASSBLOWER, t)), PinholeCamera("rear", roll_deg=1.5), 50, 5.0, 11
        ),
        DemoClip(
            "walk-later",
            lambda t: build(walking(GLASSBLOWER_LATER, t)),
            PinholeCamera("rear", roll_deg=-0.8),
            50,
            5.0,
            13,
        ),
        DemoClip("squat-front", lambda t: build(squatting(POTTER, t)), PinholeCamera("front"), 30, 9.6, 12),
        DemoClip("squat-side", lambda t: build(side_squats(t)), PinholeCamera("right", roll_deg=0.6), 30, 12.8, 14),
        *(
            DemoClip(
                f"step-{side}",
                partial(step_down, who),
                PinholeCamera("front", 4.0, 0.95),
                30,
                10.8,
                15,
            )
            for side, who in STEPS.items()
        ),
    )
}


if __name__ == "__main__":
    for name in sys.argv[2:] or CLIPS:
        print(CLIPS[name].render(Path(sys.argv[1])))
