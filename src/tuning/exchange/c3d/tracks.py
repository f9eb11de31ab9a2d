"""Followed marks as points of a C3D file: picture plane, y upward, in mm where a length scale is known, else in px."""

from __future__ import annotations

import os
import tempfile
from pathlib import Path

import numpy as np

from tuning.core.errors import EnvironmentFault
from tuning.core.movement.tracks import Tracks
from tuning.exchange.files import write_whole

SEEN = 0.5
"""Quality from which a mark counts as seen; a mark that is not is no point (residual -1)."""


def write_c3d(tracks: Tracks, target: Path, height_px: int, mm_per_px: float | None = None) -> None:
    """Write the marks of a picture `height_px` high. Times must be even to be a rate; others are put on an even grid.

    Raises EnvironmentFault.
    """
    import ezc3d

    scale, unit = (mm_per_px, "mm") if mm_per_px else (1.0, "px")
    count = len(tracks.times)
    rate = (count - 1) / float(tracks.times[-1] - tracks.times[0]) if count > 1 else 1.0
    even = np.linspace(tracks.times[0], tracks.times[-1], count)
    file = ezc3d.c3d()
    file["parameters"]["POINT"]["RATE"]["value"] = [rate]
    file["parameters"]["POINT"]["UNITS"]["value"] = [unit]
    file["parameters"]["POINT"]["LABELS"]["value"] = list(tracks.names)
    points = np.zeros((4, len(tracks.names), count))
    residuals = np.zeros((1, len(tracks.names), count))
    for k in range(len(tracks.names)):
        xy, seen = tracks.xy[:, k], tracks.quality[:, k] >= SEEN
        held = seen & np.isfinite(xy).all(axis=1)
        nearest = np.clip(np.searchsorted(tracks.times, even), 0, count - 1)
        gone = ~held[nearest]
        for axis in range(2):
            values = np.interp(even, tracks.times[held], xy[held, axis]) if held.any() else np.zeros(count)
            points[axis, k] = scale * (values if axis == 0 else height_px - values)
        points[:3, k, gone] = np.nan
        residuals[0, k, gone] = -1
    points[3] = 1
    file["data"]["points"] = points
    file["data"]["meta_points"]["residuals"] = residuals
    handle, name = tempfile.mkstemp(suffix=".c3d")
    os.close(handle)
    try:
        file.write(name)
        data = Path(name).read_bytes()
    except (OSError, RuntimeError) as err:
        raise EnvironmentFault(f"The marks could not be written to {target} ({err}). The record is unchanged.") from err
    finally:
        Path(name).unlink(missing_ok=True)
    write_whole(data, target, "The marks")
