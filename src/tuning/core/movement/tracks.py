"""Places of marks over the frames of a clip, with the quality of each."""

from __future__ import annotations

from dataclasses import dataclass, field, replace

import numpy as np

from tuning.core.types import Floats

TRUSTED = 0.5
"""Quality from which a tracked place counts (practice judgement, editable)."""


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

    @property
    def told(self) -> str:
        """What following the marks could not do; empty when every frame was read."""
        frames = "One frame" if self.unread == 1 else f"{self.unread} frames"
        return (
            f"{frames} of the clip cannot be read; no mark is followed there, all others are kept."
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
        joined = replace(Tracks.empty(names, self.times), unread=max(self.unread, other.unread), click_sd=loose)
        for source in (self, other):
            for k, name in enumerate(source.names):
                seen = source.quality[:, k] > 0
                j = names.index(name)
                joined.xy[seen, j], joined.quality[seen, j] = source.xy[seen, k], source.quality[seen, k]
        return joined
