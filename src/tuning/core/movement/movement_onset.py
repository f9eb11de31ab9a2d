"""When a movement leaves a rest, from its course: lowering, hold and rising of a repetition apart."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from tuning.core.types import Floats

LEVELS = np.linspace(0.06, 0.5, 23)
"""Shares of the way whose times tell the course. Nearer to the rest, sway and noise tell more than the movement."""
SHAPES = np.linspace(-0.5, 1.5, 41)
"""Courses that are tried: 0 a raised cosine, 1 least jerk (Flash and Hogan 1985), between and a little beyond."""
SHAPE_SD = 0.3
"""SD of a person's shape from the best one (practice judgement, editable)."""
_WAY = np.linspace(0.0, 1.0, 1001)
_COSINE, _LEAST_JERK = (1 - np.cos(np.pi * _WAY)) / 2, _WAY**3 * (10 - 15 * _WAY + 6 * _WAY**2)


def _passed(shape: float) -> Floats:
    """Share of the duration that has passed at each of LEVELS."""
    course = (1 - shape) * _COSINE + shape * _LEAST_JERK
    return np.asarray(np.interp(LEVELS, np.maximum.accumulate(course), _WAY))


_LINES = {float(shape): np.column_stack([np.ones(LEVELS.size), _passed(shape)]) for shape in SHAPES}
_FITS = {shape: np.linalg.pinv(lines) for shape, lines in _LINES.items()}
"""From times at LEVELS to begin and duration, by least squares."""


@dataclass(frozen=True)
class MovementOnset:
    """Times (s) at which a movement away from a rest reached each of LEVELS; `sign` is -1 where time was turned."""

    times: Floats
    sign: int

    def begin(self, shape: float) -> tuple[float, float]:
        """When it left the rest, s, and how badly the shape fits: share of the duration."""
        at, lasts = _FITS[shape] @ self.times
        misfit = float(np.std(_LINES[shape] @ [at, lasts] - self.times)) / max(float(lasts), 1e-6)
        return self.sign * float(at), misfit


def leaving(height: Floats, times: Floats, rest: int, far: int) -> MovementOnset | None:
    """The movement from frame `rest` to frame `far` of heights (n,); None where too few frames tell its course."""
    step = 1 if far > rest else -1
    frames = np.arange(rest, far + step, step)
    way = height[far] - height[rest]
    if frames.size < 5 or way == 0 or not np.isfinite(height[frames]).all():
        return None
    share = (height[frames] - height[rest]) / way
    half = int(np.argmax(share >= LEVELS[-1]))
    low = half
    while low > 0 and share[low] > LEVELS[0]:
        low -= 1
    part = frames[low : half + 1]
    if part.size < 3:
        return None
    rising = np.maximum.accumulate(share[low : half + 1])
    return MovementOnset(np.interp(LEVELS, rising, step * times[part]), step)


def shape_of(edges: Sequence[MovementOnset]) -> float:
    """The course that fits all movements of a clip best: one person moves much alike every time."""
    return min(_FITS, key=lambda shape: sum(edge.begin(shape)[1] ** 2 for edge in edges))


def begins(edge: MovementOnset, shape: float) -> tuple[float, float]:
    """When a movement left its rest, s, and the SD of it from not knowing its shape."""
    near = [float(s) for s in SHAPES if abs(s - shape) <= SHAPE_SD + 1e-9]
    ends = [edge.begin(s)[0] for s in (near[0], near[-1])]
    spread = abs(ends[1] - ends[0]) * SHAPE_SD / (near[-1] - near[0])
    return edge.begin(shape)[0], float(spread)
