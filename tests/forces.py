"""Force through corners that are written down, and what is read of it."""

import numpy as np

from tuning.core.force.analysis import analyse
from tuning.core.force.recording import Recording
from tuning.core.types import LEGS, Side
from tuning.knowledge import load

ERRORS = load().plate_errors

LEFT, RIGHT = LEGS
RATE = 1000.0


def line(*corners, seconds=None, noise=0.0, seed=0):
    """Force through (s, N) corners, straight between them."""
    times, force = zip(*corners, strict=True)
    t = np.arange(0, seconds or times[-1], 1 / RATE)
    return np.interp(t, times, force) + np.random.default_rng(seed).normal(0, noise, t.size)


def read(test, force, side=Side.NONE, mass=None):
    return analyse(Recording(RATE, force), test, side, mass)
