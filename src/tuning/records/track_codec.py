"""Tracks as bytes: single precision, compressed."""

from __future__ import annotations

import zlib
from collections.abc import Sequence

import numpy as np

from tuning.core.movement.tracks import Tracks
from tuning.core.types import Floats


def pack(tracks: Tracks) -> bytes:
    """x, y and quality of shape (n, k, 3), then the SD of the click (k), 0 where a sticker holds the mark, then how the
    camera moved (n, 4) if it did: compressed little-endian float32 (under 0.001 px of rounding)."""
    joined = np.concatenate([tracks.xy, tracks.quality[..., None]], axis=2)
    clicks = np.array([tracks.click_sd.get(name, 0.0) for name in tracks.names])
    camera = np.zeros(0) if tracks.camera is None else tracks.camera.ravel()
    return zlib.compress(np.concatenate([joined.ravel(), clicks, camera]).astype("<f4").tobytes(), 6)


def unpack(data: bytes, names: Sequence[str], times: Floats) -> Tracks:
    """The tracks again. Raises ValueError when the bytes do not fit names and times."""
    flat = np.frombuffer(zlib.decompress(data), dtype="<f4").astype(np.float64)
    size, marks = len(times) * len(names) * 3, len(names)
    moved = flat[size + marks :]
    if flat.size not in (size, size + marks) and moved.size != 4 * len(times):  # older ones tell neither
        raise ValueError("the tracks do not fit the clip")
    joined = flat[:size].reshape(len(times), marks, 3)
    clicks = {name: float(sd) for name, sd in zip(names, flat[size:], strict=False) if sd > 0}
    camera = moved.reshape(-1, 4).copy() if moved.size else None
    xy, quality = joined[..., :2].copy(), joined[..., 2].copy()
    return Tracks(tuple(names), np.asarray(times), xy, quality, click_sd=clicks, camera=camera)
