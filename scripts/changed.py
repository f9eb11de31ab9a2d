"""Clips of another renderer with one thing changed, followed and scored against their truth.

FOLDER holds for each clip NAME.mp4, NAME_points.json (the marks, as `tuning track` takes them) and NAME_truth.csv
(frame, landmark, x_px, y_px, visible). What is changed is encoded again, which alone costs accuracy: `same` tells it.
"""

from __future__ import annotations

import csv
import tempfile
from collections.abc import Callable
from fractions import Fraction
from pathlib import Path

import av
import click
import cv2
import numpy as np

from tuning.core.movement.tracks import TRUSTED, Tracks
from tuning.exchange.csv.tracks import read_points
from tuning.video.track.api import follow_clip, follow_more

LOST_PX = 12.0
SWAY_PX, DROPPED, DARKER = 8.0, 0.08, 0.4

Picture = np.ndarray
Truth = dict[tuple[int, str], tuple[np.ndarray, bool]]
"""Place (px) of a mark in a frame, and whether it can be seen."""


class Change:
    """The clip as it was; the others change one thing of it."""

    def __init__(self, frames: int, size: tuple[int, int], rate: float) -> None:
        self.size, self.kept = size, np.arange(frames)
        self.mirrored = False

    def picture(self, pixels: Picture, n: int) -> Picture:
        """A frame (height, width, 3) as it is written."""
        return pixels

    def place(self, at: np.ndarray, n: int) -> np.ndarray:
        """Where a place of frame n is then."""
        return at

    def name(self, landmark: str) -> str:
        """What a mark is called then."""
        stem, _, side = landmark.rpartition("_")
        return f"{stem}_{'right' if side == 'left' else 'left'}" if self.mirrored else landmark


class Mirrored(Change):
    """Left for right."""

    def __init__(self, frames: int, size: tuple[int, int], rate: float) -> None:
        super().__init__(frames, size, rate)
        self.mirrored = True

    def picture(self, pixels: Picture, n: int) -> Picture:
        """The frame turned round."""
        return pixels[:, ::-1]

    def place(self, at: np.ndarray, n: int) -> np.ndarray:
        """The other side."""
        return at * [-1, 1] + [self.size[0], 0]


class Dropped(Change):
    """Frames left out at random, as phones do in the dark."""

    def __init__(self, frames: int, size: tuple[int, int], rate: float) -> None:
        super().__init__(frames, size, rate)
        self.kept = np.flatnonzero((np.random.default_rng(4).random(frames) >= DROPPED) | (self.kept < 8))


class Swayed(Change):
    """A hand that holds the camera, px (SD)."""

    def __init__(self, frames: int, size: tuple[int, int], rate: float) -> None:
        super().__init__(frames, size, rate)
        rng, t = np.random.default_rng(9), np.arange(frames) / rate
        waves = rng.uniform([0.5, 0], [3, 2 * np.pi], (2, 5, 2))
        way = np.sin(2 * np.pi * waves[..., :1] * t + waves[..., 1:]).sum(axis=1).T * SWAY_PX / np.sqrt(2.5)
        self.way = way - way[0]

    def picture(self, pixels: Picture, n: int) -> Picture:
        """The frame where the hand moved it."""
        shift = np.hstack([np.eye(2), self.way[n][:, None]]).astype(np.float32)
        return cv2.warpAffine(pixels, shift, self.size, flags=cv2.INTER_CUBIC, borderMode=cv2.BORDER_REFLECT)

    def place(self, at: np.ndarray, n: int) -> np.ndarray:
        """Carried by the hand."""
        return at + self.way[n]


class Darker(Change):
    """Less light."""

    def picture(self, pixels: Picture, n: int) -> Picture:
        """The frame with less light."""
        return (pixels * DARKER).astype(np.uint8)


def hue(degrees: float) -> type[Change]:
    """Other colours of the same brightness: the plane of colour turned."""
    c, s = np.cos(np.radians(degrees)), np.sin(np.radians(degrees))

    class Turned(Change):
        def picture(self, pixels: Picture, n: int) -> Picture:
            planes = cv2.cvtColor(pixels, cv2.COLOR_RGB2YCrCb).astype(np.float32)
            planes[..., 1:] = (planes[..., 1:] - 128) @ np.array([[c, s], [-s, c]], np.float32) + 128
            return cv2.cvtColor(np.clip(planes, 0, 255).round().astype(np.uint8), cv2.COLOR_YCrCb2RGB)

    return Turned


CHANGES: dict[str, Callable[[int, tuple[int, int], float], Change]] = {
    "same": Change, "mirrored": Mirrored, "frames dropped": Dropped, "swayed": Swayed, "darker": Darker,
    "hue 90": hue(90), "hue 180": hue(180), "hue 270": hue(270),
}  # fmt: skip


def truth_of(path: Path) -> Truth:
    """The truth of a clip."""
    with path.open(newline="") as file:
        return {
            (int(row["frame"]), row["landmark"]): (np.array([float(row["x_px"]), float(row["y_px"])]),
                                                   row["visible"] == "1")
            for row in csv.DictReader(file)
        }  # fmt: skip


def written(clip: Path, target: Path, kind: str, crf: int) -> Change:
    """The clip with one thing changed, into `target`."""
    with av.open(str(clip)) as source, av.open(str(target), "w") as made:
        video = source.streams.video[0]
        rate = video.average_rate or Fraction(30)
        change = CHANGES[kind](video.frames, (video.width, video.height), float(rate))
        stream = made.add_stream("libx264", rate=rate)
        stream.width, stream.height, stream.pix_fmt = video.width, video.height, "yuv420p"
        stream.options = {"crf": str(crf)}
        kept = set(change.kept.tolist())
        for n, frame in enumerate(source.decode(video)):
            if n in kept:
                pixels = np.ascontiguousarray(change.picture(frame.to_ndarray(format="rgb24"), n))
                one = av.VideoFrame.from_ndarray(pixels, format="rgb24")
                one.pts, one.time_base = n, 1 / rate
                made.mux(stream.encode(one))
        made.mux(stream.encode())
    return change


def followed(clip: Path, points: Path, change: Change) -> Tracks:
    """All marks, each from the frame it was placed in."""
    found: Tracks | None = None
    for frame, marks in read_points(points):
        n = int(np.searchsorted(change.kept, frame))
        there = {change.name(k): change.place(at, frame) for k, at in marks.items()}
        found = follow_clip(clip, n, there) if found is None else follow_more(clip, found, n, there)
    assert found is not None
    return found


def scored(found: Tracks, truth: Truth, change: Change) -> str:
    """Share lost and RMS of the others among what can be seen, and how much of what is hidden is trusted."""
    off, lost, trusted, hidden = [], 0, 0, 0
    for n, frame in enumerate(change.kept.tolist()):
        for k, name in enumerate(found.names):
            at, seen = truth[frame, change.name(name)]
            quality = found.quality[n, k]
            hidden += not seen
            trusted += not seen and quality > TRUSTED
            if seen:
                gap = float(np.hypot(*(found.xy[n, k] - change.place(at, frame)))) if quality > 0 else np.inf
                lost += gap > LOST_PX
                off += [gap] if gap <= LOST_PX else []
    share = f", {100 * trusted / hidden:.1f} % of {hidden} hidden ones trusted" if hidden else ""
    return f"{100 * lost / max(lost + len(off), 1):.2f} % lost, {np.sqrt(np.mean(np.square(off))):.2f} px{share}"


@click.command()
@click.argument("folder", type=click.Path(exists=True, file_okay=False, path_type=Path))
@click.option("--clip", "only", multiple=True, help="A clip by name; all without.")
@click.option("--change", "kinds", multiple=True, type=click.Choice(list(CHANGES)), help="All without.")
@click.option("--crf", default=8, help="How hard what is changed is encoded: 8 is nearly whole, 23 usual.")
def main(folder: Path, only: tuple[str, ...], kinds: tuple[str, ...], crf: int) -> None:
    """Change, follow, print."""
    for clip in sorted(folder.glob("*.mp4")):
        if only and clip.stem not in only:
            continue
        truth, points = (clip.with_name(f"{clip.stem}_{end}") for end in ("truth.csv", "points.json"))
        for kind in kinds or CHANGES:
            with tempfile.TemporaryDirectory() as place:
                change = written(clip, Path(place) / clip.name, kind, crf)
                found = followed(Path(place) / clip.name, points, change)
            click.echo(f"{clip.stem}, {kind}: {scored(found, truth_of(truth), change)}")


if __name__ == "__main__":
    main()
