"""Places of marks over the frames of a clip, with the quality of each."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass, field, replace

import numpy as np

from tuning.core.types import Floats

TRUSTED = 0.5
"""Quality from which a tracked place counts (practice judgement, editable)."""
LEAST_KNOWN = 0.8
"""Share of the frames in which it has to be known how the camera moved (practice judgement, editable)."""
STILL = np.array([1.0, 0.0, 0.0, 0.0])
"""The move of a camera that is where it was."""


def carried(places: Floats, before: Floats, now: Floats) -> Floats:
    """Places (..., 2) of a frame where the camera alone takes them in another, by its moves (4,) in both, as
    `Tracks.camera` holds them; where they are if these are not known. Moves of shape (n, 1, 4) serve n frames."""
    if not (np.isfinite(before).all() and np.isfinite(now).all()):
        return places
    (turn, shift), (turned, shifted) = ((move[..., :2] @ (1, 1j), move[..., 2:] @ (1, 1j)) for move in (before, now))
    there = turned * (places @ (1, 1j) - shift) / turn + shifted
    return np.stack([there.real, there.imag], axis=-1)


def filled_moves(camera: Floats) -> Floats | None:
    """How the camera moved in every frame (n, 4), short gaps filled; None where it is hardly known."""
    known = np.isfinite(camera).all(axis=1)
    if known.mean() < LEAST_KNOWN:
        return None
    frames = np.arange(len(camera))
    return np.stack([np.interp(frames, frames[known], column[known]) for column in camera.T], axis=1)


@dataclass
class Tracks:
    """`times` (n,) s; `xy` (n, k, 2) image px, NaN where unseen; `quality` (n, k), 0..1."""

    names: tuple[str, ...]
    times: Floats
    xy: Floats
    quality: Floats
    unread: int = 0
    """Frames of the clip that could not be read while marks were followed."""
    click_sd: dict[str, float] = field(default_factory=dict)
    """Marks that no sticker holds, with the SD (px an axis) of the click that placed them: it goes with them through
    the clip, where a sticker's own middle takes it away."""

    camera: Floats | None = None
    """Where the camera moved: a, b, x, y (n, 4) of each frame, in which what stood still at (u, v) in another one is at
    (a u - b v + x, b u + a v + y), px; NaN where that is not known. None for one that stood still, or was not asked
    about."""

    @property
    def problems(self) -> str:
        """What following the marks could not do; empty when every frame was read."""
        frames = "One frame" if self.unread == 1 else f"{self.unread} frames"
        return (
            f"{frames} of the clip cannot be read; no marker is tracked there; all others are used."
            if self.unread
            else ""
        )

    @classmethod
    def empty(cls, names: tuple[str, ...], times: Floats) -> Tracks:
        """Tracks with nothing found yet."""
        n, k = len(times), len(names)
        return cls(names, np.asarray(times, dtype=np.float64), np.full((n, k, 2), np.nan), np.zeros((n, k)))

    def of(self, name: str) -> Floats:
        """Places of one mark, (n, 2). Raises KeyError for a mark that was not tracked."""
        if name not in self.names:
            raise KeyError(name)
        return self.xy[:, self.names.index(name)]

    def has(self, *names: str) -> bool:
        """Whether all these marks were tracked at all."""
        return all(name in self.names for name in names)

    @property
    def camera_told(self) -> str:
        """What is to be said of how the camera moved; empty for one that stood still."""
        if self.camera is None:
            return ""
        if filled_moves(self.camera) is None:
            return "Whether the camera stood still is not known: too little around the person shows it."
        return "The camera moved: this is corrected by what stands still around the person."

    @property
    def moves(self) -> Floats:
        """How the camera moved in every frame (n, 4); nowhere where it stood still or that is hardly known."""
        known = None if self.camera is None else filled_moves(self.camera)
        return np.tile(STILL, (len(self.times), 1)) if known is None else known

    def steadied(self) -> Tracks:
        """The tracks as a camera that stood still would have seen them."""
        xy = self.xy if self.camera is None else carried(self.xy, self.moves[:, None], STILL)
        return replace(self, xy=xy, camera=None)

    def without(self, names: Collection[str]) -> Tracks:
        """The tracks of all other marks."""
        kept = [k for k, name in enumerate(self.names) if name not in names]
        return replace(
            self, names=tuple(self.names[k] for k in kept), xy=self.xy[:, kept], quality=self.quality[:, kept]
        )

    def joined_by(self, late: Tracks, same_px: float = 3.0) -> Tracks:
        """These tracks and those of marks placed later; where a late one sits on another's sticker it is let go."""
        others = [k for k, name in enumerate(self.names) if name not in late.names]
        apart = np.hypot(*(late.xy[:, :, None] - self.xy[:, None, others]).transpose(3, 0, 1, 2))
        taken = (apart < same_px).any(axis=2)
        xy, quality = late.xy.copy(), late.quality.copy()
        xy[taken], quality[taken] = np.nan, 0.0
        return self.merged(replace(late, xy=xy, quality=quality))

    def merged(self, other: Tracks) -> Tracks:
        """These tracks with every place that `other` found put over them."""
        names = (*self.names, *(n for n in other.names if n not in self.names))
        loose = {name: sd for name, sd in self.click_sd.items() if name not in other.names} | other.click_sd
        camera = other.camera if self.camera is None else self.camera
        empty = Tracks.empty(names, self.times)
        joined = replace(empty, unread=max(self.unread, other.unread), click_sd=loose, camera=camera)
        for source in (self, other):
            for k, name in enumerate(source.names):
                seen = source.quality[:, k] > 0
                j = names.index(name)
                joined.xy[seen, j], joined.quality[seen, j] = source.xy[seen, k], source.quality[seen, k]
        return joined
