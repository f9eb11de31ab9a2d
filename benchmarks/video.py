"""Tracking against decoding alone, seek and step latency, memory: `python benchmarks/video.py [--long]`.

Ratios are taken in the same run, on the same clip, through the same library.
"""

from __future__ import annotations

import resource
import statistics
import sys
import tempfile
import time
from fractions import Fraction
from pathlib import Path

import av
import numpy as np

from tuning.demo import render
from tuning.demo.camera import PinholeCamera
from tuning.demo.clips import CLIPS
from tuning.demo.mannequin import build
from tuning.demo.motions import Walker, walking
from tuning.video.media.clip import Clip
from tuning.video.media.planes import LumaReader
from tuning.video.track.clip_tracker import track

FPS = 60
SMALL = "--small" in sys.argv
GROUP = 2 * FPS


def make(folder: Path, height: int, seconds: float, rounds: int) -> tuple[Path, dict[str, np.ndarray]]:
    """A walk of whole strides, its pictures repeated `rounds` times; and the marks of its first frame."""
    camera = PinholeCamera("rear", width=height * 16 // 9, height_px=height, focal_px=1300 * height / 720)
    rng = np.random.default_rng(3)
    background = render.room(camera, rng, belt=True)
    walker = Walker(cycle=1.0)
    frames = [
        render.photograph(
            lambda t: build(walking(walker, t)), n / FPS, camera, background, rng, render.CameraSettings(1)
        )
        for n in range(round(FPS * seconds))
    ]
    path = folder / f"walk{height}.mp4"
    with av.open(str(path), "w") as container:
        stream = container.add_stream("libx264", rate=FPS)
        stream.width, stream.height, stream.pix_fmt = camera.width, camera.height_px, "yuv420p"
        stream.options = {"crf": "23", "preset": "veryfast", "g": str(GROUP)}
        for n in range(rounds * len(frames)):
            frame = av.VideoFrame.from_ndarray(frames[n % len(frames)], format="rgb24")
            frame.pts, frame.time_base = n, Fraction(1, FPS)
            container.mux(stream.encode(frame))
        container.mux(stream.encode())
    return path, build(walking(walker, 0.0)).projected(camera)


def timed(work) -> float:
    start = time.perf_counter()
    work()
    return time.perf_counter() - start


def in_doubt() -> None:
    """A clip in which marks are hidden for part of the time: then whole pictures are looked through."""
    shown = CLIPS["squat-front"]
    clip = Clip(shown.path, shown.path.name)
    reader, n = LumaReader(shown.path, clip.stamps, clip.quarter_turns), len(clip.times)

    def decode() -> None:
        for _, picture in reader.forward(0, n):
            int(picture.y[0, 0])

    decode()
    pairs = [
        (timed(decode), timed(lambda: track(reader, clip.times[:n], 0, shown.truth(0))))
        for _ in range(1 if SMALL else 3)
    ]
    ratio = statistics.median(d / f for d, f in pairs)
    hidden = "shoulders behind the arms in almost half"
    print(f"720p, {hidden} of {n} frames: tracking runs at {ratio:.2f} of the speed of decoding alone")
    reader.close()
    clip.close()


def main() -> None:
    if not SMALL:
        in_doubt()
    with tempfile.TemporaryDirectory() as folder:
        for height in (360,) if SMALL else (720, 1080):
            path, marks = make(Path(folder), height, *((0.4, 5) if SMALL else (1.0, 6)))
            clip = Clip(path, path.name)
            reader = LumaReader(path, clip.stamps, clip.quarter_turns)
            n = len(clip.times)

            def decode(reader=reader, n=n) -> None:
                for _, picture in reader.forward(0, n):
                    int(picture.y[0, 0])

            def follow(reader=reader, n=n, clip=clip, marks=marks) -> None:
                track(reader, clip.times[:n], 0, marks)

            decode()
            pairs = [(timed(decode), timed(follow)) for _ in range(1 if SMALL else 5)]
            ratio = statistics.median(d / f for d, f in pairs)
            alone = statistics.median(d for d, _ in pairs) / n
            print(f"{height}p, {len(marks)} marks, {n} frames: decoding {1e3 * alone:.2f} ms a frame; "
                  f"tracking runs at {ratio:.2f} of the speed of decoding alone (aim above 0.6)")  # fmt: skip
            rng = np.random.default_rng(0)
            near, jumps = [], []
            for i in rng.integers(0, n, 40).tolist():
                near.append(timed(lambda i=i, c=clip, n=n: c.nearest(i, n)))
                jumps.append(near[-1] + timed(lambda i=i, c=clip: c.frame(i)))
            steps = [timed(lambda i=i, c=clip: c.frame(i)) for i in range(60, 120)]
            shown = (
                ("random jump, first picture", near),
                ("random jump, the frame itself", jumps),
                ("one step", steps),
            )
            for name, values in shown:
                low, high = np.percentile(values, [50, 95]) / alone
                print(f"  {name}: median {low:.1f}, 95th percentile {high:.1f} times the decoding of one frame")
            print(f"  (a group of pictures is {GROUP} frames; a jump should take at most 1.2 times its decoding)")
            reader.close()
            clip.close()
        if "--long" in sys.argv:
            path, marks = make(Path(folder), 720, 1.0, 600)
            clip = Clip(path, path.name)
            reader = LumaReader(path, clip.stamps, clip.quarter_turns)
            before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
            track(reader, clip.times, 18000, marks)
            after = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
            print(f"10 minutes, {len(clip.times)} frames: tracking added {(after - before) / 1024:.0f} MB at its peak")


main()
