"""One mark on its way through a clip: where it was, where it is going, and whom it goes with."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from tuning.core.types import Floats
from tuning.video.detect.stickers import Blob, Sticker, gap
from tuning.video.track.body_constraints import side_of

GATE_PX, GATE_MOST_PX = 9.0, 48.0
"""A mark is looked for this far around its prediction, and never further than the second."""
NEIGHBOUR_SHARE = 0.45
"""How far towards the next mark it may be looked for, share of the way."""
KNOWN_COURSE = 3
"""Frames unseen after which a mark's own speed is forgotten."""


class Detection(NamedTuple):
    """Where a mark was found, how surely (0..1), and as what."""

    at: Floats
    quality: float
    seen: Blob | None = None


@dataclass
class MarkTrack:
    """One mark on its way through the clip."""

    name: str
    at: Floats
    sticker: Sticker | None
    patch: NDArray[np.uint8] | None = None
    hold: float = 1.0
    """How well the place holds a mark, 0..1: a sticker does; plain skin and smooth edges let it slide."""
    velocity: Floats = field(default_factory=lambda: np.zeros(2))
    unseen: int = 0
    age: int = 0
    """Frames in which it was seen."""
    course: Floats = field(default_factory=lambda: np.zeros(2))
    """Where its own course has led since it was last seen at `at`."""
    drift: Floats = field(default_factory=lambda: np.zeros(2))
    """Where the camera alone has taken it since it was last seen."""
    traces: int = 0
    """Frames in which only a trace of it was seen."""
    reach: float = GATE_MOST_PX
    """How far from its prediction it is looked for at most: never as far as the next mark."""
    company: list[tuple[MarkTrack, Floats, Floats, float]] = field(default_factory=list)
    """While unseen: the nearest marks, their places and speeds when it was last seen, and their weights."""

    @property
    def limb(self) -> str:
        """Left or right, as its name ends; empty for a mark of the middle."""
        return side_of(self.name)

    def predicted(self) -> Floats:
        """Its own course, turned as its neighbours left theirs, fading into their motion while unseen."""
        start = self.at + self.drift
        if not self.unseen:
            return start + self.velocity
        fade = 0.8**self.unseen
        own = self.course + fade * self.velocity + self._carried(surprise=True)
        return start + fade * own + (1 - fade) * self._carried()

    def straight(self) -> Floats:
        """Where it would be had it gone on as it was last seen to."""
        return self.at + self.drift + (self.unseen + 1) * self.velocity

    def _carried(self, surprise: bool = False) -> Floats:
        """How far its neighbours went since it was last seen; or how much further than they were on their way to."""
        on_the_way = self.unseen if surprise else 0
        shown = [(t.at - was - self.drift - on_the_way * speed, w) for t, was, speed, w in self.company if not t.unseen]
        total = sum(w for _, w in shown)
        if not total:
            return np.zeros(2) if surprise else self.course
        return sum((moved * w for moved, w in shown), np.zeros(2)) / total

    def carried_speed(self) -> Floats:
        """The speed of what was near it when it was last seen."""
        shown = [(t.velocity, w) for t, _, _, w in self.company if not t.unseen]
        total = sum(w for _, w in shown)
        return sum((speed * w for speed, w in shown), np.zeros(2)) / total if total else np.zeros(2)

    def leave(self, others: list[MarkTrack]) -> None:
        """It is out of sight from now on: remember who was near."""
        shown = [t for t in others if t is not self and not t.unseen]
        near = sorted(shown, key=lambda t: (t.limb != self.limb, gap(t.at, self.at)))[:3]
        self.company = [(t, t.at.copy(), t.velocity.copy(), 1 / (10 + gap(t.at, self.at)) ** 2) for t in near]
        self.course = np.zeros(2)
        gaps = [gap(t.at, self.at) for t in others if t is not self]
        self.reach = float(np.clip(NEIGHBOUR_SHARE * min(gaps, default=GATE_MOST_PX), GATE_PX, GATE_MOST_PX))

    def settle(self, find: Detection | None) -> tuple[Floats, float]:
        """Take a find over, or a frame without one; place and quality as they are told."""
        if find is None:
            self.unseen += 1
            self.course = self.course + 0.8**self.unseen * self.velocity
            return np.full(2, np.nan), 0.0
        at, quality, _ = find
        moved, self.drift = at - self.at - self.drift, np.zeros(2)
        if self.unseen > KNOWN_COURSE:  # the way between says little of where it is going now
            self.velocity, self.age = self.carried_speed(), 0
        elif self.unseen:
            self.velocity = moved / (self.unseen + 1)
        else:
            self.velocity = 0.35 * self.velocity + 0.65 * moved
        self.at, self.unseen, self.age = at, 0, self.age + 1
        return at, quality
