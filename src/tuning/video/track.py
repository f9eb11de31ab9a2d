"""Follows marks through a clip, both ways from where a person set them, and tells them apart by all its frames.

Coordinates are image pixels of the upright picture with pixel n covering
n..n+1, as everywhere. A mark that cannot be found is a gap, never a guess.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence

import numpy as np

from tuning.core.errors import BadInput
from tuning.core.movement.tracks import Tracks
from tuning.core.pictures.marks import CLICK_SD_PX
from tuning.core.types import Floats
from tuning.video.accounts import tell
from tuning.video.anatomy import body_of, unmarked
from tuning.video.doubts import DOUBTED, doubt
from tuning.video.follower import OFTEN, SAME_PX, SURE, USUAL_FRAME_S, Follower
from tuning.video.luma import LumaReader, Picture
from tuning.video.sights import Sights
from tuning.video.stickers import gap


def track(
    reader: LumaReader,
    frames: int,
    times: Floats,
    start: int,
    marks: Mapping[str, Floats],
    *,
    first: int = 0,
    last: int | None = None,
    tick: Callable[[float], bool] = lambda _: True,
) -> Tracks:
    """Follow `marks` (landmark to (2,) px) of frame `start` both ways, within first..last.

    `tick` is told the share that is done; when it returns False the work stops
    and what was found so far is returned. Returns Tracks over all `frames`,
    NaN and quality 0 where a mark was not found, or a frame not read. Raises
    BadInput where `start` cannot be read.
    """
    last = frames - 1 if last is None else last
    found = Tracks.empty(tuple(marks), times)
    total = max(1, last - first)
    narrow = np.full((frames, len(marks), 2), np.nan)
    sights, unsure = [Sights.none()] * frames, False
    read = np.zeros(frames, dtype=bool)
    going = True

    def run(pictures: Iterable[tuple[int, Picture]], follower: Follower) -> None:
        nonlocal going, unsure
        before = start
        for number, picture in pictures:
            follower.miss(abs(number - before) - 1)
            before = number
            for k, (at, quality) in enumerate(follower.step(picture)):
                found.xy[number, k], found.quality[number, k] = at, quality
            narrow[number] = follower.narrow
            sights[number] = follower.sights(picture)
            unsure = unsure or follower.unsure
            read[number] = True
            if number % 8 == 0 and not tick(int(read.sum()) / total):
                going = False
                return

    opening = _opening(reader, start)
    read[start] = True
    frame_s = float(np.median(np.diff(times))) if len(times) > 1 else USUAL_FRAME_S
    follower = Follower(opening, marks, frame_s)
    worn = [k for k, target in enumerate(follower.targets) if target.sticker is not None]
    for k, target in enumerate(follower.targets):
        found.xy[start, k], found.quality[start, k] = target.at, 1.0
    run(reader.forward(start + 1, last + 1), follower)
    if start > first and going:
        run(reader.backward(start - 1, first - 1), Follower(opening, marks, frame_s))
    if unsure and going:
        shown = sights[first : last + 1]
        going = _tell_apart(found, narrow, shown, start, first, worn, opening.shape[0], lambda: tick(1.0))
    doubt(found, start, narrow)
    found.click_sd = {name: CLICK_SD_PX for k, name in enumerate(found.names) if k not in worn}
    found.unread = int((~read[first : last + 1]).sum()) if going else 0
    return found


def _opening(reader: LumaReader, start: int) -> Picture:
    """The picture in which the marks were set."""
    for _, picture in reader.forward(start, start + 1):
        return picture.copy()
    raise BadInput(f"Frame {start + 1} cannot be read; place the marks in another one.")


def _tell_apart(
    found: Tracks,
    narrow: Floats,
    sights: Sequence[Sights],
    start: int,
    first: int,
    worn: Sequence[int],
    height: int,
    going: Callable[[], bool],
) -> bool:
    """Put every mark of a sticker where the whole clip says that it is; what was surely found there stays as it was
    measured.

    Whether the work was not ended by `going`; then nothing is changed.
    """
    marks = list(range(len(found.names)) if len(worn) >= OFTEN * len(found.names) else worn)
    if len(marks) < 2:
        return True
    names = [found.names[k] for k in marks]
    others = unmarked(found.names, found.xy[start])
    at = np.array([*found.xy[start, marks], *others.values()])
    frame_s = float(np.median(np.diff(found.times)))
    told = tell(body_of([*names, *others], at), at, sights, start - first, frame_s, height, going, len(others))
    if told is None:
        return False
    for frame, seen, numbers, tied in zip(range(first, first + len(sights)), sights, *told, strict=True):
        if frame == start:
            continue
        for k, number in zip(marks, numbers[: len(marks)].tolist(), strict=True):
            if number < 0:
                if found.quality[frame, k] >= SURE:  # a trace nobody trusts may stay
                    found.xy[frame, k], found.quality[frame, k] = np.nan, 0.0
            elif found.quality[frame, k] < SURE or gap(found.xy[frame, k], seen.at[number]) > SAME_PX:
                found.xy[frame, k], found.quality[frame, k] = seen.at[number], seen.like[number]
                narrow[frame, k] = seen.narrow[number]
        unclear = np.array(marks)[tied[: len(marks)]]
        found.quality[frame, unclear] = np.minimum(found.quality[frame, unclear], DOUBTED)
    return True
