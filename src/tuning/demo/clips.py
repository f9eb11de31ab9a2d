"""The two shipped clips: who moves, which camera, and the exact place of every sticker.

`python -m tuning.demo.clips FOLDER` renders them anew.
"""

from __future__ import annotations

import sys
from collections.abc import Callable
from dataclasses import dataclass
from fractions import Fraction
from importlib.resources import files
from pathlib import Path

import numpy as np

from tuning.demo import render
from tuning.demo.camera import Camera, Vectors
from tuning.demo.mannequin import Body, build
from tuning.demo.motions import Squatter, Walker, squatting, walking


@dataclass(frozen=True)
class DemoClip:
    """A clip by its recipe; `truth` and the file come from the same posture function."""

    name: str
    body_at: Callable[[float], Body]
    camera: Camera
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
        return self.body_at(frame / self.fps).seen(self.camera)

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
POTTER = Squatter(knee_in_left=0, knee_in_right=6, shift=-0.02)

CLIPS = {
    clip.name: clip
    for clip in (
        DemoClip("walk-rear", lambda t: build(walking(GLASSBLOWER, t)), Camera("rear", roll_deg=1.5), 50, 5.0, 11),
        DemoClip("squat-front", lambda t: build(squatting(POTTER, t)), Camera("front"), 30, 9.6, 12),
    )
}


if __name__ == "__main__":
    for name in sys.argv[2:] or CLIPS:
        print(CLIPS[name].render(Path(sys.argv[1])))
