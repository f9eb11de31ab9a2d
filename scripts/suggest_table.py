"""How well stickers are found and named, on people, light and stickers drawn at random.

`python scripts/suggest_table.py [--clips 100] [--seed S] [--jobs 2] [--write]`: six seconds a clip. The clips are those
of `wide.py`; of each as many frames are filmed as are looked at.
"""

from __future__ import annotations

import secrets
import time
from collections import defaultdict
from collections.abc import Mapping
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass

import accuracy_page
import click
import numpy as np
import wide
from numpy.typing import NDArray

from tuning.core.errors import BadInput
from tuning.core.types import Floats
from tuning.demo import render
from tuning.video.suggest.api import LOOKED_AT, Suggestion, suggest_in

NEAR_PX, SAME_PX, SEEN = 3.0, 4.0, 0.9
"""A marker so near to the truth is right; one so near to that of another landmark has its name; what is to be named is
shown so far in one of the frames."""
SPREAD_S = 1.2
HEAD = ["clips with", "clips", "found", "named", "off by over 3 px", "another's name", "sides exchanged", "view", "s"]


class Filmed:
    """A clip of a few frames in memory, as `suggest_in` reads it."""

    warning, capture_rate = "", None

    def __init__(self, frames: list[NDArray[np.uint8]], times: NDArray[np.float64]) -> None:
        self._frames, self.times = frames, times
        self.size = (frames[0].shape[1], frames[0].shape[0])

    def frame(self, index: int) -> NDArray[np.uint8]:
        """A frame."""
        return self._frames[index]


@dataclass(frozen=True)
class Outcome:
    """Of one clip: landmarks to be named and named; markers given, off, under another's name, on the other side."""

    words: Mapping[str, str]
    wanted: int
    named: int
    given: int
    off: int
    others: int
    exchanged: int
    view: bool
    seconds: float


def tried(seed: int) -> Outcome:
    """Film, suggest, and set against the truth."""
    made, rng = wide.drawn(seed), np.random.default_rng(seed + 1)
    times = np.linspace(0, max(wide.FRAMES / made.fps, SPREAD_S), LOOKED_AT)
    room = render.room(made.camera, rng, belt=made.camera.view == "rear")
    frames = [render.photograph(made.body_at, float(t), made.camera, room, rng, made.look) for t in times]
    bodies = [made.body_at(float(t)) for t in times]
    truth = [body.projected(made.camera) for body in bodies]
    shown = [render.shown(body, made.camera, made.look.sticker_radius) for body in bodies]
    begun = time.monotonic()
    try:
        found = suggest_in(Filmed(frames, times), "clip")  # type: ignore[arg-type]
    except BadInput:
        found = Suggestion("", 0, {})
    spent = time.monotonic() - begun
    given = [(frame, name, at) for frame, points in ((found.frame, found.points), *found.extra.items())
             for name, at in points.items()]  # fmt: skip
    off = [one for one in given if not _near(one[2], truth[one[0]].get(one[1]), NEAR_PX)]
    others, exchanged = 0, 0
    for frame, name, at in off:
        others += any(_near(at, place, SAME_PX) for other, place in truth[frame].items() if other != name)
        exchanged += _near(at, truth[frame].get(_other_side(name)), SAME_PX)
    wanted = {name for name in truth[0] if any(part[name] > SEEN for part in shown)}
    right = {name for _, name, _ in given} - {name for _, name, _ in off}
    return Outcome(
        made.words, len(wanted), len(wanted & right), len(given), len(off), others, exchanged,
        found.view == made.camera.view, spent,
    )  # fmt: skip


def _near(at: Floats, place: Floats | None, px: float) -> bool:
    return place is not None and bool(np.hypot(*(at - place)) <= px)


def _other_side(name: str) -> str:
    stem, _, side = name.rpartition("_")
    return f"{stem}_{'right' if side == 'left' else 'left'}"


def row(name: str, of: list[Outcome]) -> list[str]:
    """A line of the table for a group of clips."""

    def part(a: int, b: int) -> str:
        return f"{100 * a / b:.1f} %" if b else "–"

    given = sum(one.given for one in of)
    return [
        name, str(len(of)), part(sum(bool(one.given) for one in of), len(of)),
        part(sum(one.named for one in of), sum(one.wanted for one in of)), part(sum(one.off for one in of), given),
        str(sum(one.others for one in of)), str(sum(one.exchanged for one in of)),
        part(sum(one.view for one in of), len(of)),
        f"{np.median([one.seconds for one in of]):.1f}",
    ]  # fmt: skip


WRITTEN = ("all", "movement", "light")
"""Groups that stand in the page; the rest is printed."""


@click.command()
@click.option("--clips", default=100)
@click.option("--seed", type=int)
@click.option("--jobs", default=1)
@click.option("--write/--no-write", default=False, help="Write docs/accuracy.md.")
def main(clips: int, seed: int | None, jobs: int, write: bool) -> None:
    """Film, suggest, print."""
    seed = secrets.randbits(24) if seed is None else seed
    with ProcessPoolExecutor(jobs) as pool:
        made = list(pool.map(tried, range(1000 * seed, 1000 * seed + clips)))
    groups: dict[tuple[str, str], list[Outcome]] = defaultdict(list)
    for one in made:
        for what in ("movement", "skin", "contrast", "sticker", "light", "size"):
            groups[what, one.words[what]].append(one)
    rows = [row("all", made), *(row(f"{what}: {value}", groups[what, value]) for what, value in sorted(groups))]
    said = f"Seed {seed}, {clips} clips, all conditions at random."
    click.echo("\n".join([said, *("  ".join(line) for line in (HEAD, *rows))]))
    if write:
        written = [line for line in rows if line[0].startswith(WRITTEN)]
        accuracy_page.write_table(said, HEAD, written)


if __name__ == "__main__":
    main()
