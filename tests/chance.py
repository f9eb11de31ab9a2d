"""Random scenes of the tests.

Every run draws the same scenes, so that a red run can be repeated; `TUNING_FRESH=1 ./check` draws new ones, and the
scripts behind docs/accuracy.md always do.
"""

from __future__ import annotations

import os
import secrets
from zlib import crc32

import numpy as np

FRESH = bool(os.environ.get("TUNING_FRESH"))
RANDOM = np.random.default_rng()
"""What every test draws from; `begin` sets it before each of them."""


def begin(test: str) -> int:
    """Set `RANDOM` for a test by name and return the seed."""
    seed = secrets.randbits(32) if FRESH else crc32(test.encode())
    RANDOM.bit_generator.state = np.random.PCG64(seed).state
    return seed
