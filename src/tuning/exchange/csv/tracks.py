"""Tracks as CSV, points and measured values as JSON."""

from __future__ import annotations

import csv
import json
import math
from collections.abc import Mapping
from pathlib import Path
from typing import Any

import numpy as np

from tuning.core.errors import BadInput, EnvironmentFault
from tuning.core.judging.measures import Measure
from tuning.core.movement.tasks import Result
from tuning.core.movement.tracks import Tracks
from tuning.core.types import Floats
from tuning.exchange.files import read_json, write_whole

COLUMNS = ("frame", "time_s", "landmark", "x_px", "y_px", "quality")
CLICK = "click_sd_px"
"""A further column where marks are held by no sticker: SD of the click that placed them; empty for the others."""
CAMERA = ("camera_a", "camera_b", "camera_x_px", "camera_y_px")
"""Further columns where the camera moved: what stood still at (u, v) is in a frame at (a u - b v + x, b u + a v + y);
empty where that is not known."""
LEAST_ZOOM = 0.1
VERSION = 1


def read_points(path: Path, origin: str = "corner") -> list[tuple[int, dict[str, Floats]]]:
    """Frames and places of marks from `{"frame": 0, "points": {"landmark": [x, y]}, "extra": [the same]}`.

    Marks that are hidden in the first frame stand under `extra` with their own. Raises BadInput.
    """
    data = read_json(path)
    try:
        found = [_marks(one) for one in (data, *(data.get("extra") or ()))]
    except (ValueError, KeyError, TypeError, AttributeError, OverflowError) as err:
        raise BadInput(
            f"“{path.name}” holds no points; expected {{“frame”: 0, “points”: {{“knee_left”: [x, y]}}}} in pixels."
        ) from err
    for name, place in (item for _, places in found for item in places.items()):
        if not np.isfinite(place).all():
            raise BadInput(f"“{path.name}”: the place of {name} is not a number.")
    return [(frame, {name: place + ORIGINS[origin] for name, place in places.items()}) for frame, places in found]


def write_points(
    frames: Mapping[int, Mapping[str, Floats]], path: Path, origin: str = "corner", **more: object
) -> None:
    """Places of marks as `read_points` takes them, the first frame first. Raises EnvironmentFault."""
    off = ORIGINS[origin]
    made = [
        {"frame": frame, "points": {name: [round(float(v) - off, 2) for v in at] for name, at in places.items()}}
        for frame, places in frames.items()
    ]
    data = {**made[0], "extra": made[1:], **more}
    write_whole(json.dumps(data, indent=1).encode(), path, "The markers")


def _marks(data: dict[str, Any]) -> tuple[int, dict[str, Floats]]:
    frame, points = data["frame"], data["points"]
    if not isinstance(frame, int) or isinstance(frame, bool) or frame < 0 or not points:
        raise ValueError
    return frame, {str(name): np.array([float(x), float(y)]) for name, (x, y) in points.items()}


ORIGINS = {"corner": 0.0, "centre": 0.5}
"""Where (0, 0) lies: at the corner of the top-left pixel, as everywhere here, or in its middle, half a pixel in."""


def write_tracks(tracks: Tracks, path: Path, origin: str = "corner") -> None:
    """One line for each frame and mark; the place is empty where the mark was not seen. Raises EnvironmentFault.

    `origin` is one of ORIGINS.
    """
    off, clicks = ORIGINS[origin], tracks.click_sd
    try:
        with path.open("w", newline="", encoding="utf-8") as file:
            writer = csv.writer(file)
            moved = None if tracks.camera is None else _from_origin(tracks.camera, -off)
            writer.writerow((*COLUMNS, *([CLICK] if clicks else []), *(CAMERA if moved is not None else ())))
            for frame, time in enumerate(tracks.times):
                camera = () if moved is None else [f"{v:.8g}" if math.isfinite(v) else "" for v in moved[frame]]
                for k, name in enumerate(tracks.names):
                    x, y = tracks.xy[frame, k]
                    place = (f"{x - off:.3f}", f"{y - off:.3f}") if math.isfinite(x) else ("", "")
                    row = (frame, f"{time:.6f}", name, *place, f"{tracks.quality[frame, k]:.3f}")
                    click = f"{clicks[name]:.3f}" if name in clicks else ""
                    writer.writerow((*row, *([click] if clicks else []), *camera))
    except OSError as err:
        raise EnvironmentFault(f"The tracks could not be written to {path} ({err.strerror or err}).") from err


def read_tracks(path: Path, origin: str = "corner") -> Tracks:
    """Tracks from CSV, `origin` one of ORIGINS. Raises BadInput that names the line and what is wrong there."""
    try:
        with path.open(newline="", encoding="utf-8") as file:
            reader = csv.DictReader(file)
            missing = [c for c in COLUMNS if c not in (reader.fieldnames or ())]
            if missing:
                raise BadInput(f"“{path.name}” is no table of tracks: the column {missing[0]} is missing.")
            lines = [_line(path.name, n, row) for n, row in enumerate(reader, start=2)]
            moved = set(CAMERA) <= set(reader.fieldnames or ())
    except (OSError, UnicodeDecodeError, csv.Error) as err:
        raise BadInput(f"“{path.name}” cannot be read as a table of tracks.") from err
    if not lines:
        raise BadInput(f"“{path.name}” holds no tracks.")
    names = tuple(dict.fromkeys(line[2] for line in lines))
    last = max(line[0] for line in lines)
    times = np.full(last + 1, np.nan)
    for frame, time, *_ in lines:
        times[frame] = time
    if not np.isfinite(times).all() or (np.diff(times) <= 0).any():
        raise BadInput(f"“{path.name}”: every frame from 0 needs a time, and times must grow.")
    tracks = Tracks.empty(names, times)
    camera = np.full((last + 1, 4), np.nan)
    for frame, _, name, x, y, quality, click, there in lines:
        camera[frame] = there
        k = names.index(name)
        if click > 0:
            tracks.click_sd[name] = max(click, tracks.click_sd.get(name, 0.0))
        x, y = x + ORIGINS[origin], y + ORIGINS[origin]
        tracks.xy[frame, k], tracks.quality[frame, k] = (x, y), quality if math.isfinite(x) else 0.0
    if moved:
        tracks.camera = _from_origin(camera, ORIGINS[origin])
    return tracks


def _from_origin(camera: Floats, off: float) -> Floats:
    """How a camera moved (n, 4) where every place is said `off` px further on."""
    a, b, x, y = camera.T
    return np.stack([a, b, x + off * (1 - a + b), y + off * (1 - b - a)], axis=1)


_Line = tuple[int, float, str, float, float, float, float, list[float]]


def _line(file: str, number: int, row: Mapping[str, str]) -> _Line:
    try:
        frame, time = int(row["frame"]), float(row["time_s"])
        x, y = (float(row[c]) if row[c] else math.nan for c in ("x_px", "y_px"))
        quality, click = float(row["quality"]), float(row.get(CLICK) or 0)
        camera = [float(row.get(column) or math.nan) for column in CAMERA]
    except (ValueError, TypeError) as err:
        raise BadInput(f"“{file}”, line {number}: a number is missing or is no number.") from err
    if frame < 0 or frame > 10**7 or not math.isfinite(time) or not 0 <= quality <= 1 or not row["landmark"]:
        raise BadInput(f"“{file}”, line {number}: frame, time, landmark or quality (0 to 1) is not possible.")
    if math.isfinite(x) != math.isfinite(y):
        raise BadInput(f"“{file}”, line {number}: one coordinate is missing.")
    if not 0 <= click < math.inf:
        raise BadInput(f"“{file}”, line {number}: {CLICK} is not possible.")
    if any(math.isinf(v) for v in camera) or math.hypot(camera[0], camera[1]) < LEAST_ZOOM:
        raise BadInput(f"“{file}”, line {number}: a camera cannot move like that.")
    return frame, time, row["landmark"], x, y, quality, click, camera


def result_json(result: Result, measures: Mapping[str, Measure]) -> dict[str, Any]:
    """Values, summaries and warnings of a measured clip, ready for JSON."""

    def unit(measure: str) -> str:
        return measures[measure].unit if measure in measures else ""

    values = [
        {
            "measure": v.measure,
            "side": v.side.value,
            "cycle": v.cycle,
            "value": round(v.value, 4),
            "unit": unit(v.measure),
            "frame": v.frame,
            "time_s": round(v.time_s, 4),
        }
        for v in result.values
    ]
    summaries = [
        {
            "measure": s.measure,
            "side": s.side.value,
            "mean": round(s.mean, 4),
            "sd": round(s.sd, 4),
            "n": s.n,
            "of": s.of,
            "predicted_error": round(s.predicted_error, 4),
        }
        for s in result.summaries()
    ]
    events = [{"kind": kind, "side": side.value, "time_s": round(time, 4)} for kind, side, time in result.events]
    return {
        "version": VERSION,
        "values": values,
        "summaries": summaries,
        "events": events,
        "event_error_s": {kind: round(error, 4) for kind, error in result.event_error.items()},
        "missing": [
            {"measure": m.measure, "side": m.side.value, "cycle": m.cycle, "why": m.why} for m in result.missing
        ],
        "warnings": result.warnings,
        "notes": result.notes,
    }
