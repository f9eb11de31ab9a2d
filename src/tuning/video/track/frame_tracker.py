"""Carries marks from frame to frame: stickers by their centroid, plain landmarks by optical flow and template.

Coordinates are image pixels of the upright picture with pixel n covering
n..n+1, as everywhere. A mark that cannot be found is a gap, never a guess.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import replace
from itertools import combinations

import numpy as np

from tuning.core.movement.tracks import carried
from tuning.core.types import Floats
from tuning.video.detect.candidates import looks_of, survey
from tuning.video.detect.occlusion import narrow_way
from tuning.video.detect.stickers import (
    CLEARER,
    DIMMER,
    LEAST_LEFT,
    MOST_GROWN,
    SAME_HUE,
    SAME_SIZE,
    SNAP_PX,
    Blob,
    Sticker,
    as_coloured,
    as_picture,
    centroids,
    crop,
    gap,
    likeness,
    recognise,
    search,
    trace_of,
    weakest_slope,
)
from tuning.video.media.kernels import Plane
from tuning.video.media.planes import YuvFrame
from tuning.video.track.detections import Detections
from tuning.video.track.fixed_spots import FixedSpots
from tuning.video.track.fixed_tracks import SAME_PX
from tuning.video.track.gap_ends import TRACE_QUALITY
from tuning.video.track.group_assignment import (
    BORROWED,
    CLEARLY,
    FAR_SHARE,
    FREE_PX,
    LONG_HIDDEN,
    NEAR_RADII,
    NEAR_SHARE,
    GroupMember,
    groups,
    solve,
)
from tuning.video.track.optical_flow import find_plain
from tuning.video.track.person_scale import PersonScale
from tuning.video.track.track_state import GATE_MOST_PX, GATE_PX, NEIGHBOUR_SHARE, Detection, MarkTrack

USUAL_FRAME_S, USUAL_HEIGHT = 1 / 60, 720
"""Gates are those of a picture 720 px high at 60 frames/s. What a foot gains of speed in a longer frame moves it by the
square of its time."""
GATE_SPEED, GATE_START_PX, STARTING = 0.5, 24.0, 4
"""The faster a mark goes the further from its prediction it may be; in its first frames nothing is known of it."""
GATE_GROWTH_PX = 2.5
OFF_CENTRE = 0.75
"""How far a blurred disc may have been marked from the middle of the clear one, share of its radius."""
SURE = 0.5
"""Quality from which a place is trusted."""
FIRM = 4.0
"""Weakest mean squared slope (grey levels a pixel, squared) at which a place without a sticker holds a mark fully;
plain skin has a tenth, an edge along itself a quarter of it (practice judgement, editable)."""
TRACE_PX, MOST_TRACES = 3.0, 25
"""How far from its course a trace of a sticker may lie, for how many frames (practice judgement, editable)."""
CLEAR, DOUBT_SHARE = 0.8, 0.3
"""A find less alike, or off its course by more than this share of the way to the next mark, is in doubt."""
PALE, PALE_LIKE = 12.0, 0.1
"""A sticker that only the look of the others tells: least contrast (grey levels), least likeness to one of them. Less
than elsewhere, since somebody has clicked there."""
LEARNING = 12
"""Frames in which a sticker's look is still learnt: it may have been blurred or half turned at the click."""
UNSETTLED = 8
"""How loosely a mark hangs among the others when it comes back, as if it had been unseen for so many frames, two fewer
with each frame."""
MARGIN_SHARE, OFTEN = 0.1, 0.5
"""How far around its marks everything in a picture is looked at, share of the height; where so many of the marks are
stickers the others are stickers, too, that were not recognised."""
STRAIGHT_ON = 15
"""Frames for which a hidden mark may have gone on as it was last seen to (practice judgement, editable)."""


class Follower:
    """Carries all marks from one frame to the next."""

    def __init__(self, picture: YuvFrame | Plane, marks: Mapping[str, Floats], frame_s: float = USUAL_FRAME_S) -> None:
        self._frame_s = frame_s
        self._set_gates(as_picture(picture).shape[0])
        self.targets: list[MarkTrack] = []
        self.narrow: list[Floats] = []
        """For each mark the direction in which its last find is narrow, as half a disc is (`narrow_way`)."""
        self.finds: list[Detection | None] = []
        """What was found of each mark in the last picture."""
        self.scale = PersonScale()
        self._any_plain = False
        self._before = as_picture(picture).y.copy()
        for name, click in marks.items():
            self.add(picture, name, click)
        for target in self.targets:  # the first one could not be told by the look of those that came after it
            self._by_the_others(as_picture(picture), target)
        self._fixed = FixedSpots(as_picture(picture), self.targets)

    def _set_gates(self, height: int) -> None:
        longer = max(1.0, self._frame_s / USUAL_FRAME_S)
        self._gate = GATE_PX * height / USUAL_HEIGHT * longer**2
        self._scale = max(1.0, height / USUAL_HEIGHT) * longer

    def _by_the_others(self, picture: YuvFrame, target: MarkTrack) -> None:
        """A sticker too pale or blurred to be told by itself may look like the other stickers of the clip."""
        if target.sticker is None:
            looks = [t.sticker for t in self.targets if t.sticker is not None]
            self._take_as(picture, target, looks, PALE_LIKE, SNAP_PX)

    def _take_as(
        self, picture: YuvFrame, target: MarkTrack, looks: Sequence[Sticker], least: float, reach: float
    ) -> None:
        """Take what is nobody's, lies within `reach` px and looks, at `least` so much, like one of these stickers."""
        taken = [t.at for t in self.targets if t.sticker is not None]
        finds = [
            (seen.contrast / look.contrast * min(seen.area / look.area, look.area / seen.area), seen, look)
            for look in looks
            for seen in search(picture, target.at, reach, replace(look, contrast=2 * min(PALE, look.contrast / 2)))
            if all(gap(seen.at, place) > SAME_PX for place in taken)
            and seen.contrast >= min(PALE, look.contrast / 2)
            and as_coloured(seen.colour, look) >= least
        ]
        best = max(finds, key=lambda find: find[0], default=None)
        if best is not None and best[0] >= least:
            _, seen, look = best
            target.at, target.patch, target.hold = seen.at, None, 1.0
            target.sticker = Sticker(look.radius, look.axis, seen.contrast, seen.area, seen.colour or look.colour)
            self._any_plain = any(t.sticker is None for t in self.targets)

    def _take_late(self, picture: YuvFrame) -> None:
        """A sticker that did not show where it was clicked is taken when it does."""
        looks = looks_of([t.sticker for t in self.targets if t.sticker is not None])
        for target in [t for t in self.targets if t.sticker is None]:
            self._take_as(picture, target, looks, CLEARLY, max(SNAP_PX, self._gate))

    def add(self, picture: YuvFrame | Plane, name: str, click: Floats) -> None:
        """Follow one more mark from this picture on."""
        picture = as_picture(picture)
        plane = picture.y
        at, sticker = recognise(picture, np.asarray(click, dtype=np.float64))
        patch = None if sticker is not None else crop(plane, at, 10)[0].copy()
        hold = 1.0 if patch is None else min(1.0, weakest_slope(patch) / FIRM)
        self.targets.append(MarkTrack(name, at, sticker, patch, hold))
        self._any_plain = self._any_plain or sticker is None
        self._before = plane.copy()
        self._by_the_others(picture, self.targets[-1])

    def step(self, picture: YuvFrame | Plane, frame_s: float | None = None) -> list[tuple[Floats, float]]:
        """Places and qualities in the next picture, in the order of the marks; NaN where lost. `frame_s` is the time
        since the one before, as usual where it is not given."""
        picture = as_picture(picture)
        if frame_s is not None and frame_s != self._frame_s:
            for target in self.targets:
                target.velocity = target.velocity * (frame_s / self._frame_s)
            self._frame_s = frame_s
            self._set_gates(picture.shape[0])
        predicted = [t.predicted() for t in self.targets]
        quick = self._quick(picture, predicted)
        nearest = self._to_the_next(predicted)
        finds = [
            self._find(picture, target, place, quick.get(k), min(max(NEIGHBOUR_SHARE * room, GATE_PX), GATE_MOST_PX))
            for k, (target, place, room) in enumerate(zip(self.targets, predicted, nearest, strict=True))
        ]
        self._together(picture, finds, predicted, nearest)
        self._come_back(picture, finds, predicted)
        self._guard(finds, predicted)
        finds = [None if find is not None and self._fixed.has(find.at) else find for find in finds]
        for target, find in zip(self.targets, finds, strict=True):
            if find is None and not target.unseen:
                target.leave(self.targets)
        told = [target.settle(find) for target, find in zip(self.targets, finds, strict=True)]
        self.narrow = [narrow_way(picture, find and find.seen) for find in finds]
        self.finds = finds
        self.scale.follow(self.targets, finds)
        if self._any_plain:
            self._before = picture.y.copy()
        if self._any_plain and self._worn_by_most:
            self._take_late(picture)
        return told

    def carry(self, before: Floats, now: Floats) -> None:
        """Take all marks along with the camera, by how it had moved in the last picture and has in the next."""
        at = np.array([target.at for target in self.targets])
        self._fixed.carry(before, now)
        there = carried(at + [target.drift for target in self.targets], before, now)
        for target, drift in zip(self.targets, there - at, strict=True):
            target.drift = drift

    def sights(self, picture: YuvFrame | Plane) -> Detections:
        """What the last picture shows; all of it where a mark was not surely found."""
        picture = as_picture(picture)
        worn = self._worn_by_most
        own = [
            (f.at, BORROWED * f.quality if worn and t.sticker is None else f.quality, way)
            for t, f, way in zip(self.targets, self.finds, self.narrow, strict=True)
            if f is not None
        ]
        traces = list[Floats]()
        if self.unsure:
            around = MARGIN_SHARE * picture.shape[0]
            places = np.array([t.predicted() for t in self.targets])
            known = np.array([at for at, quality, _ in own if quality >= CLEAR]).reshape(-1, 2)
            looks = looks_of([t.sticker for t in self.targets if t.sticker is not None])
            more, traces = survey(picture, places.min(axis=0) - around, places.max(axis=0) + around, looks, known)
            more = [(seen, like) for seen, like in more if not self._fixed.has(seen.at)]
            near = [n for n, (at, _, _) in enumerate(own) if any(gap(at, seen.at) <= SAME_PX for seen, _ in more)]
            own = [one for n, one in enumerate(own) if n not in near]
            own += [(seen.at, like, narrow_way(picture, seen)) for seen, like in more]
        at, quality, narrow = zip(*own, strict=True) if own else ((), (), ())
        return Detections(_pairs(at), np.array(quality, dtype=np.float64), _pairs(narrow), _pairs(traces))

    @property
    def unsure(self) -> bool:
        """Whether a mark was not surely found in the last picture, or its sticker has not been recognised yet."""
        worn = [find for find, t in zip(self.finds, self.targets, strict=True) if t.sticker is not None]
        unlearnt = len(worn) < len(self.finds) and self._worn_by_most
        return unlearnt or any(find is None or find.quality < CLEAR for find in worn)

    @property
    def _worn_by_most(self) -> bool:
        """Whether so many of the marks are stickers that the others must be stickers, too."""
        return sum(t.sticker is not None for t in self.targets) >= OFTEN * len(self.targets)

    def miss(self, frames: int) -> None:
        """So many frames could not be read: every mark was hidden in them."""
        for target in self.targets:
            if frames and not target.unseen:
                target.leave(self.targets)
        for _ in range(frames):
            for target in self.targets:
                target.settle(None)

    @staticmethod
    def _to_the_next(predicted: list[Floats]) -> list[float]:
        """How far the next mark is expected from each."""
        at = np.array(predicted) @ (1, 1j)
        apart = np.abs(at[:, None] - at)
        np.fill_diagonal(apart, np.inf)
        nearest: list[float] = apart.min(axis=1).tolist()
        return nearest

    def _quick(self, picture: YuvFrame, predicted: list[Floats]) -> dict[int, Blob | None]:
        """All stickers that were seen in the frame before, at one go."""
        at = [k for k, t in enumerate(self.targets) if t.sticker is not None and not t.unseen]
        if not at:
            return {}
        stickers = [s for k in at if (s := self.targets[k].sticker) is not None]
        starts = np.array([predicted[k] for k in at])
        seen = centroids(picture, starts, [s.radius for s in stickers], [s.axis for s in stickers])
        return dict(zip(at, seen, strict=True))

    def _find(
        self, picture: YuvFrame, target: MarkTrack, predicted: Floats, quick: Blob | None, free: float
    ) -> Detection | None:
        height, width = picture.shape
        inside = -4 <= predicted[0] < width + 4 and -4 <= predicted[1] < height + 4
        if not inside:
            return None
        if target.sticker is None:
            return find_plain(self._before, picture.y, target, predicted)
        return self._find_sticker(picture, target, target.sticker, predicted, quick, free)

    def _find_sticker(
        self, picture: YuvFrame, target: MarkTrack, sticker: Sticker, predicted: Floats, seen: Blob | None, free: float
    ) -> Detection | None:
        speed = math.hypot(target.velocity[0], target.velocity[1])
        gate = min(self._gate + GATE_SPEED * speed + (GATE_START_PX if target.age < STARTING else 0.0), free)
        if target.unseen:
            gate = min(gate + GATE_GROWTH_PX * target.unseen, max(target.reach, GATE_PX))
        seen = None if seen is not None and self._fixed.has(seen.at) else seen
        like = likeness(seen, sticker) if seen is not None else 0.0
        if like < SURE and sticker.blurred is not None and not target.unseen:
            seen, like = _as_before(picture, predicted, sticker.blurred) or (seen, like)
        if seen is None or like < SURE or gap(seen.at, predicted) > gate:
            # Its neighbours may stand still while it moves on: for a while it is looked for where it was going, too.
            ways = [predicted, target.straight()] if 0 < target.unseen <= STRAIGHT_ON else [predicted]
            finds = [(s, likeness(s, sticker), way) for way in ways for s in search(picture, way, gate, sticker)]
            finds = [find for find in finds if not self._fixed.has(find[0].at)]
            good = [find for find in finds if find[1] >= SURE]
            if not good:
                if target.unseen:
                    return None
                close = [s for s, _, way in finds if gap(s.at, way) <= TRACE_PX]
                nearest = min(close, key=lambda s: gap(s.at, predicted)).at if close else predicted
                anew = _learnt_anew(picture, target, sticker, nearest)
                if anew is not None:
                    return Detection(anew, 1.0)
                traces = [s for s in close if trace_of(s, sticker) >= SURE]
                return self._trace(target, min(traces, key=lambda s: gap(s.at, predicted))) if traces else None
            seen, like, _ = min(good, key=lambda find: gap(find[0].at, find[2]) / (0.3 + find[1]))
        # Light and distance change the look slowly, something that covers it fast.
        if 0.8 < seen.area / sticker.area < 1.25 or target.age < LEARNING:
            sticker.contrast += 0.05 * (seen.contrast - sticker.contrast)
            sticker.area += 0.25 * (seen.area - sticker.area)
        target.traces = 0
        return Detection(seen.at, like, seen)

    def _together(
        self,
        picture: YuvFrame,
        finds: list[Detection | None],
        predicted: list[Floats],
        nearest: list[float],
    ) -> None:
        """Marks that lie close together are looked for at once where one of them is in doubt."""
        stickers = [k for k, t in enumerate(self.targets) if t.sticker is not None]
        doubtful = {k for k in stickers if self._in_doubt(finds[k], predicted[k], nearest[k])}
        if not doubtful:
            return
        radii = [t.sticker.radius for t in self.targets if t.sticker is not None]
        near = max(NEAR_SHARE * picture.shape[0], NEAR_RADII * float(np.median(radii or [0.0])))
        for group in groups(np.array([predicted[k] for k in stickers]).reshape(-1, 2), near):
            numbers = [stickers[n] for n in group]
            if doubtful.isdisjoint(numbers):
                continue
            far = FAR_SHARE * picture.shape[0]
            members = [self._member(k, predicted[k], far) for k in numbers]
            for k, found in zip(numbers, solve(picture, members), strict=True):
                finds[k] = None if found is None else self._taken(picture, self.targets[k], *found)

    def _come_back(self, picture: YuvFrame, finds: list[Detection | None], predicted: list[Floats]) -> None:
        """A mark hidden for long may be far from where its neighbours went: a clear sticker that is nobody's is it."""
        height = picture.shape[0]
        for k, target in enumerate(self.targets):
            if target.sticker is None or finds[k] is not None or target.unseen < LONG_HIDDEN:
                continue
            # Every other frame: a foot that comes back stays for more than one, and looking far takes long.
            if (target.unseen + k) % 2:
                continue
            taken = [find[0] for find in finds if find is not None]
            clear = [
                (seen, like)
                for seen in search(picture, predicted[k], FAR_SHARE * height, target.sticker)
                if (like := likeness(seen, target.sticker)) >= CLEARLY
                and all(gap(seen.at, place) > FREE_PX for place in taken)
                and not self._fixed.has(seen.at)
            ]
            if clear:
                seen, like = min(clear, key=lambda one: gap(one[0].at, predicted[k]))
                finds[k] = self._taken(picture, target, seen, like)

    def _taken(self, picture: YuvFrame, target: MarkTrack, seen: Blob, like: float) -> Detection | None:
        """A find as place and quality: the mark itself, the mark as it looks in another light, or a trace of it."""
        if like >= SURE:
            target.traces = 0
            return Detection(seen.at, like, seen)
        if target.sticker is not None and not target.unseen:
            anew = _learnt_anew(picture, target, target.sticker, seen.at)
            if anew is not None:
                return Detection(anew, 1.0)
        return self._trace(target, seen)

    @staticmethod
    def _trace(target: MarkTrack, seen: Blob) -> Detection | None:
        """A trace keeps a mark's course alive for a while, at a quality nobody trusts."""
        target.traces += 1
        return Detection(seen.at, TRACE_QUALITY) if target.traces <= MOST_TRACES else None

    @staticmethod
    def _in_doubt(find: Detection | None, predicted: Floats, nearest: float) -> bool:
        """Not found, half covered, or found as far from its course as another mark might lie."""
        return find is None or find[1] < CLEAR or gap(find[0], predicted) > DOUBT_SHARE * nearest

    def _member(self, k: int, predicted: Floats, far: float) -> GroupMember:
        target = self.targets[k]
        assert target.sticker is not None
        speed = math.hypot(target.velocity[0], target.velocity[1])
        reach = self._gate + GATE_SPEED * speed + (GATE_START_PX if target.age < STARTING else 0.0)
        reach = min(reach + GATE_GROWTH_PX * target.unseen, GATE_MOST_PX * self._scale)
        unsettled = max(0, UNSETTLED - 2 * target.age)
        far = far if target.unseen >= LONG_HIDDEN else 0.0
        return GroupMember(predicted, reach, target.sticker, target.unseen, unsettled, target.limb, far, self._scale)

    def _guard(self, finds: list[Detection | None], predicted: list[Floats]) -> None:
        """Two marks may not sit on one sticker: the one that fits its own course worse is let go."""
        shown = [(k, find.at.tolist()) for k, find in enumerate(finds) if find is not None]
        for (a, one), (b, other) in combinations(shown, 2):
            if abs(one[0] - other[0]) < SAME_PX > abs(one[1] - other[1]) and finds[a] and finds[b]:
                misfit = [
                    math.dist(at, predicted[k]) + min(2.0 * self.targets[k].unseen, 12.0)
                    for k, at in ((a, one), (b, other))
                ]
                finds[a if misfit[0] > misfit[1] else b] = None


def _pairs(of: Sequence[Floats]) -> Floats:
    """As an array of shape (n, 2), for none as well."""
    return np.array(of, dtype=np.float64).reshape(-1, 2)


def _as_before(picture: YuvFrame, at: Floats, blurred: Sticker) -> tuple[Blob, float] | None:
    """A mark that was learnt anew may be as blurred again as it was before."""
    [seen] = centroids(picture, at[None], (blurred.radius,), (blurred.axis,))
    like = likeness(seen, blurred) if seen is not None else 0.0
    return (seen, like) if seen is not None and like >= SURE else None


def _learnt_anew(picture: YuvFrame, target: MarkTrack, sticker: Sticker, at: Floats) -> Floats | None:
    """Where a mark lies that looks otherwise now than when it was learnt, much clearer or in another light.

    Many clips begin blurred, and a disc that was smeared over its ground has a small radius and little contrast; and
    a leg turns out of the shadow, so that what was redder than its ground alone is darker, too.
    """
    place, fresh = recognise(picture, at)
    if fresh is None or gap(place, at) > max(0.5 + sticker.radius / 2, OFF_CENTRE * fresh.radius):
        return None
    alike = sum(a * b for a, b in zip(fresh.axis, sticker.axis, strict=True))
    grown = fresh.area / sticker.area
    clearer = fresh.contrast >= CLEARER * sticker.contrast and LEAST_LEFT <= grown <= MOST_GROWN
    otherwise = fresh.contrast >= DIMMER * sticker.contrast and 1 / SAME_SIZE < grown < SAME_SIZE
    clicked = sticker.blurred or sticker
    if alike < SAME_HUE or not (clearer or otherwise) or as_coloured(fresh.colour, clicked) < SURE:
        return None
    target.sticker, target.traces = replace(fresh, blurred=clicked), 0
    return place
