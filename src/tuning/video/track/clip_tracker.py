"""Follows marks through a clip, both ways from where a person set them, and tells them apart by all its frames.

Coordinates are image pixels of the upright picture with pixel n covering
n..n+1, as everywhere. A mark that cannot be found is a gap, never a guess.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import partial
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from tuning.core.errors import BadInput
from tuning.core.movement.tracks import STILL, Tracks, carried
from tuning.core.pictures.marks import CLICK_SD_PX
from tuning.core.types import Floats
from tuning.video.detect.camera_motion import CameraMotion, known_moves
from tuning.video.detect.stickers import gap
from tuning.video.media.planes import LumaReader, YuvFrame
from tuning.video.track.body_constraints import body_of, places_unmarked
from tuning.video.track.detections import Detections
from tuning.video.track.fixed_tracks import SAME_PX, insert_fixed
from tuning.video.track.frame_tracker import OFTEN, SURE, USUAL_FRAME_S, Follower
from tuning.video.track.gap_ends import follow_traces
from tuning.video.track.hypotheses import solve
from tuning.video.track.person_scale import of_one_size
from tuning.video.track.quality_checks import DOUBTED, doubt

LONGEST_BREAK = 4.0
"""Usual frames after which a mark may be anywhere (practice judgement, editable)."""


def track(
    reader: LumaReader,
    times: Floats,
    start: int,
    marks: Mapping[str, Floats],
    *,
    within: tuple[int, int] | None = None,
    known: Tracks | None = None,
    tick: Callable[[float], bool] = lambda _: True,
) -> Tracks:
    """Follow `marks` (landmark to (2,) px) of frame `start` both ways, from the first to the last frame `within`.

    `tick` is told the share that is done; when it returns False the work stops
    and what was found so far is returned. Stickers of marks that are `known`
    from before are theirs. Returns Tracks over all frames, at their `times`,
    NaN and quality 0 where a mark was not found, or a frame not read. Raises
    BadInput where `start` cannot be read.
    """
    first, last = within or (0, len(times) - 1)
    opening = _opening(reader, start)
    seen = _FrameDetections.at_first(tuple(marks), times, start)
    found, background = seen.found, CameraMotion(opening.y, np.array(list(marks.values())))
    frame_s = float(np.median(seen.between))
    follower = Follower(opening, marks, frame_s)
    worn = [k for k, target in enumerate(follower.targets) if target.sticker is not None]
    for k, target in enumerate(follower.targets):
        found.xy[start, k], found.quality[start, k] = target.at, 1.0

    def goes_on() -> bool:
        return tick(int(seen.read.sum()) / max(1, last - first))

    going = seen.follow(reader.forward(start + 1, last + 1), follower, background, start, goes_on)
    if start > first and going:
        back = Follower(opening, marks, frame_s)
        going = seen.follow(reader.backward(start - 1, first - 1), back, background, start, goes_on)
    found.camera = _whole(seen.camera, opening.shape, first, last)
    shown = seen.sights[first : last + 1]
    if seen.unsure and going:
        one_size = partial(of_one_size, scale=seen.scale[first : last + 1], shape=opening.shape)
        span = _Span(found, seen.narrow, shown, start, first, opening.shape[0])
        going = _tell_apart(span, worn, lambda: tick(1.0), known, one_size)
    doubt(found, start, seen.narrow)
    follow_traces(found, shown, first)
    found.click_sd = {name: CLICK_SD_PX for k, name in enumerate(found.names) if k not in worn}
    found.unread = int((~seen.read[first : last + 1]).sum()) if going else 0
    return found


@dataclass
class _FrameDetections:
    """What the frames of a clip show, as they are read: `found`; the narrow ways of the finds (frames, marks, 2); all
    that may be a sticker; how the camera moved (frames, 4); how large the person is (frames); which frames were
    read; the time between them, s; and whether a mark was not surely found anywhere."""

    found: Tracks
    narrow: Floats
    sights: list[Detections]
    camera: Floats
    scale: Floats
    read: NDArray[np.bool_]
    between: Floats
    unsure: bool = False

    @classmethod
    def at_first(cls, names: tuple[str, ...], times: Floats, start: int) -> _FrameDetections:
        """Before anything but the frame with the marks was read."""
        frames = len(times)
        camera, read = np.full((frames, 4), np.nan), np.zeros(frames, dtype=bool)
        camera[start], read[start] = STILL, True
        narrow = np.full((frames, len(names), 2), np.nan)
        sights = [Detections.none()] * frames
        return cls(Tracks.empty(names, times), narrow, sights, camera, np.ones(frames), read, paces(times))

    def follow(
        self,
        pictures: Iterable[tuple[int, YuvFrame]],
        follower: Follower,
        background: CameraMotion,
        start: int,
        goes_on: Callable[[], bool],
    ) -> bool:
        """Follow the marks through pictures on one side of frame `start`; whether it was not ended by `goes_on`."""
        before = start
        for number, picture in pictures:
            follower.miss(abs(number - before) - 1)
            self.camera[number] = background.moved(picture.y)
            if (self.camera[number] != self.camera[before]).any():
                follower.carry(self.camera[before], self.camera[number])
            before = number
            told = follower.step(picture, float(self.between[number - (number > start)]))
            for k, (at, quality) in enumerate(told):
                self.found.xy[number, k], self.found.quality[number, k] = at, quality
            self.narrow[number], self.scale[number] = follower.narrow, follower.scale.now
            self.sights[number] = follower.sights(picture)
            self.unsure = self.unsure or follower.unsure
            self.read[number] = True
            if number % 8 == 0 and not goes_on():
                return False
        return True


def paces(times: Floats) -> Floats:
    """Time from each frame to the next, s: whole and half ones of the usual frame, since files round their times; of a
    long break no more is known than of a short one."""
    if len(times) < 2:
        return np.array([USUAL_FRAME_S])
    steps = np.diff(times)
    usual = np.median(steps)
    return np.asarray(usual * np.clip(np.round(2 * steps / usual) / 2, 0.5, LONGEST_BREAK))


def _opening(reader: LumaReader, start: int) -> YuvFrame:
    """The picture in which the marks were set."""
    for _, picture in reader.forward(start, start + 1):
        return picture.copy()
    raise BadInput(f"Frame {start + 1} cannot be read; place the marks in another one.")


def _whole(camera: Floats, shape: tuple[int, int], first: int, last: int) -> Floats | None:
    """How the camera moved, over all frames of the clip, NaN where that is not known; None where it stood still."""
    inside = known_moves(camera[first : last + 1], shape)
    if inside is None:
        return None
    camera[first : last + 1] = inside
    return camera


def _steadied(sights: Sequence[Detections], camera: Floats | None, start: int, first: int) -> Sequence[Detections]:
    """What the frames from `first` on would have shown from where the camera was in frame `start`."""
    if camera is None:
        return sights
    return [replace(seen, at=carried(seen.at, camera[first + n], camera[start])) for n, seen in enumerate(sights)]


class _Span(NamedTuple):
    """What is `found` in a clip and the `narrow` ways of the finds (frames, marks, 2), and all that may be a sticker in
    its frames from `first` on; marks were set in frame `start` of a picture so many pixels high."""

    found: Tracks
    narrow: Floats
    sights: Sequence[Detections]
    start: int
    first: int
    height: int


def _tell_apart(
    span: _Span,
    worn: Sequence[int],
    going: Callable[[], bool],
    known: Tracks | None = None,
    one_size: Callable[[Sequence[Detections]], Sequence[Detections]] = lambda sights: sights,
) -> bool:
    """Put every mark of a sticker where the whole clip says that it is; what was surely found there stays as it was
    measured.

    Whether the work was not ended by `going`; then nothing is changed.
    """
    found, narrow, sights, start, first, height = span
    marks = list(range(len(found.names)) if len(worn) >= OFTEN * len(found.names) else worn)
    if len(marks) < 2:
        return True
    names = [found.names[k] for k in marks]
    others = places_unmarked(found.names, found.xy[start])
    at = np.array([*found.xy[start, marks], *others.values()])
    between = paces(found.times)[first : first + len(sights) - 1]
    body = body_of([*names, *others], at, len(others))
    sights, sure = insert_fixed(sights, [*names, *others], known or Tracks.empty((), found.times), first)
    told = solve(
        body,
        one_size(_steadied(sights, found.camera, start, first)),
        start - first,
        between,
        height,
        going,
        sure,
    )
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
