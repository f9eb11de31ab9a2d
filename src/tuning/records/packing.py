"""Tracks as bytes: single precision, compressed."""

from __future__ import annotations

import zlib
from collections.abc import Sequence

import numpy as np

from tuning.core.movement.tracks import Tracks
from tuning.core.types import Floats


def pack(tracks: Tracks) -> bytes:
    """x, y and quality of shape (n, k, 3) as compressed little-endian float32 (under 0.001 px of rounding)."""
    joined = np.concatenate([tracks.xy, tracks.quality[..., None]], axis=2)
    return zlib.compress(joined.astype("<f4").tobytes(), 6)


def unpack(data: bytes, names: Sequence[str], times: Floats) -> Tracks:
    """The tracks again. Raises ValueError when the bytes do not fit names and times."""
    flat = np.frombuffer(zlib.decompress(data), dtype="<f4").astype(np.float64)
    if flat.size != len(times) * len(names) * 3:
        raise ValueError("the tracks do not fit the clip")
    joined = flat.reshape(len(times), len(names), 3)
    return Tracks(tuple(names), np.asarray(times), joined[..., :2].copy(), joined[..., 2].copy())
