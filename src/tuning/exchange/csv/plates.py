"""Recordings of force plates as delimited text, from any maker through a mapping."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from tuning.core.errors import BadInput
from tuning.core.force.recording import Recording
from tuning.core.types import LEGS, Floats, Side
from tuning.core.units import PLATE_UNITS, mid_sentence
from tuning.exchange.csv.detect_columns import preview, rows_of, text_of
from tuning.exchange.csv.mapping import CLOCKS, POINT_UNITS, TIME_UNITS, Mapping
from tuning.exchange.csv.number_cells import clock, column
from tuning.exchange.force_cleaning import LONGEST_GAP_S, MOST_LOST, finish


def read_table(path: Path, mapping: Mapping | None = None) -> Recording:
    """Read a delimited file as a recording.

    Repaired and noted: gaps up to 20 ms (straight line), doubled time stamps
    (dropped), single-sample spikes (neighbours' mean), force pointing down
    (turned), uneven clock (resampled). Refused with BadInput: everything that
    would leave a number in doubt.
    """
    seen = preview(path) if mapping is None else None
    if seen is not None and seen.doubt:
        raise BadInput(f"{path.name}: {mid_sentence(seen.doubt)}")
    found = seen.mapping if seen is not None else mapping
    assert found is not None
    text, _ = text_of(path, found.encoding)
    lines = [line for line in text.splitlines() if line.strip()]
    rows = rows_of(lines[found.header_rows :], found.separator, path)
    if not rows:
        raise BadInput(f"{path.name} has a header but no samples.")
    points = found.points
    wanted = [
        n for n in (found.time, found.left, found.right, *(n for p in points.values() for n in p)) if n is not None
    ]
    if found.left is None and found.right is None:
        raise BadInput("No column of force was named; map a column to the left or the right plate.")
    short = min(len(row) for row in rows[: max(1, len(rows) - 1)])
    if max(wanted) >= max(len(row) for row in rows):
        raise BadInput(f"Column {max(wanted) + 1} is missing: the rows have {short} columns.")
    notes = list(seen.notes) if seen is not None else []
    if len(rows) > 1 and len(rows[-1]) < max(len(row) for row in rows[:-1]):
        rows.pop()
        notes.append("The last line was cut and is left out.")
    if seen is not None and found.time is not None and found.time_unit != "s":
        notes.append(f"The clock was taken as {CLOCKS[found.time_unit]}.")
    values = {n: column(rows, n, found.decimal) for n in wanted}
    _refuse_a_second_table(np.column_stack(list(values.values())), found.header_rows)
    times = values[found.time] if found.time is not None else None
    if times is not None and found.time is not None and np.isfinite(times).mean() < 0.5:
        of_day = clock(rows, found.time)
        if np.isfinite(of_day).mean() > 0.5:
            times = of_day / TIME_UNITS[found.time_unit]
            notes.append("The clock of the day was taken for the time.")
    legs = {s: n for s, n in ((Side.LEFT, found.left), (Side.RIGHT, found.right)) if n is not None}
    samples = {(side, "force"): values[n] * PLATE_UNITS[found.unit] for side, n in legs.items()}
    for side, pair in points.items():
        for axis, n in zip("xy", pair, strict=True):
            samples[side, axis] = values[n] * POINT_UNITS[found.point_unit]
    if found.unit != "N":
        notes.append(f"The force was converted from {found.unit} to newtons.")
    rate, samples = _even_clock(times, samples, found, notes)
    force = {side: samples[side, "force"] for side in legs}
    if len(force) == len(LEGS) and np.array_equal(force[Side.LEFT], force[Side.RIGHT]):
        raise BadInput(f"{path.name}: both plates hold the very same numbers; one channel was written twice.")
    at = {side: np.stack([samples[side, "x"], samples[side, "y"]], axis=1) for side in points if side in legs}
    return finish(rate, force, notes, at, unnamed=seen is not None and not seen.sided and len(force) == 1)


def _refuse_a_second_table(rows: Floats, header: int) -> None:
    """Rows without a number of ours in the midst of others are the head of another table. Raises BadInput."""
    numbers = np.asarray(np.isfinite(rows).any(axis=1))
    at = np.flatnonzero(~numbers)
    after = [int(n) for n in at if numbers[:n].any() and numbers[n:].sum() > LEAST_TABLE]
    if after:
        raise BadInput(f"Another table begins at row {after[0] + header + 1}; export one recording a file.")


LEAST_TABLE = 50
"""So many rows of numbers after a row of words are no summary but a table of their own."""
Columns = dict[tuple[Side, str], Floats]
"""Samples by leg and what they are: force (N), and x (right) and y (forward) of the centre of pressure (mm)."""


def _even_clock(times: Floats | None, columns: Columns, mapping: Mapping, notes: list[str]) -> tuple[float, Columns]:
    """Samples on an even clock. Raises BadInput when time runs back or stands still for long."""
    if times is None:
        if not mapping.rate:
            raise BadInput("There is no column of time: say how many samples a second were taken.")
        notes.append(f"There is no clock: {mapping.rate:g} samples a second were taken for granted.")
        return mapping.rate, columns
    t = times * TIME_UNITS[mapping.time_unit]
    if not np.isfinite(t).all():
        bad = int((~np.isfinite(t)).sum())
        if bad > MOST_LOST * t.size:
            raise BadInput(f"{bad} of {t.size} time stamps cannot be read.")
        keep = np.isfinite(t)
        t, columns = t[keep], {s: f[keep] for s, f in columns.items()}
        notes.append(f"{bad} rows without a time stamp were dropped.")
    steps = np.diff(t)
    if np.any(steps < 0):
        raise BadInput(f"Time runs backwards at row {int(np.argmax(steps < 0)) + 2}: two recordings in one file?")
    doubled = int((steps == 0).sum())
    if doubled:
        if doubled > MOST_LOST * t.size:
            raise BadInput(f"{doubled} time stamps are doubled; the clock of this file cannot be trusted.")
        keep = np.concatenate([[True], steps > 0])
        t, columns = t[keep], {s: f[keep] for s, f in columns.items()}
        notes.append(f"{doubled} doubled time stamps were dropped.")
    if t.size < 3:
        raise BadInput("The file has fewer than three samples.")
    step = float(np.median(np.diff(t)))
    gap = float(np.diff(t).max())
    if gap > LONGEST_GAP_S + step:
        raise BadInput(f"{1000 * gap:.0f} ms are missing at {t[int(np.argmax(np.diff(t)))]:.2f} s; too long to bridge.")
    rate = 1 / step
    grid = t[0] + np.arange(round((t[-1] - t[0]) / step) + 1) * step
    if gap > 1.5 * step:
        notes.append("Missing samples of up to 20 ms were bridged by a straight line.")
    if grid.size == t.size and np.allclose(grid, t, atol=0.02 * step):
        return round(rate, 6), columns
    even = {}
    for key, samples in columns.items():
        known = np.isfinite(samples)
        # Lost force is bridged here if there is little of it; a centre of pressure stays unknown where nothing presses.
        if key[1] == "force" and known.mean() > 0.9:
            even[key] = np.interp(grid, t[known], samples[known])
        else:
            even[key] = np.interp(grid, t, samples)
    return round(rate, 6), even


def read_kept(path: Path) -> Recording:
    """What `write_csv` wrote, as it was: it was judged when it came in. Raises BadInput where it is damaged."""
    seen = preview(path).mapping
    rows = rows_of([line for line in text_of(path, seen.encoding)[0].splitlines() if line.strip()][1:], ",", path)
    values = [column(rows, n, ".") for n in range(len(rows[0]))]
    legs = {s: n for s, n in ((Side.LEFT, seen.left), (Side.RIGHT, seen.right)) if n is not None}
    samples = {(side, "force"): values[n] for side, n in legs.items()}
    samples |= {(s, axis): values[n] for s, pair in seen.points.items() for axis, n in zip("xy", pair, strict=True)}
    rate, samples = _even_clock(values[0], samples, seen, [])
    force = {side: samples[side, "force"] for side in legs}
    if not all(np.isfinite(f).all() for f in force.values()):
        raise BadInput(f"{path.name} is damaged: samples cannot be read.")
    at = {s: np.stack([samples[s, "x"], samples[s, "y"]], axis=1) for s in seen.points if s in legs}
    return Recording(rate, force, (), at)


def write_csv(recording: Recording, path: Path) -> None:
    """Samples as an open file: time in s, force in N, centres of pressure in mm where they are known."""
    columns = [recording.times, *(recording.force[leg] for leg in recording.legs)]
    head = ["time (s)", *(f"{leg.value} Fz (N)" for leg in recording.legs)]
    for leg, at in recording.point.items():
        columns += list(at.T)
        head += [f"{leg.value} COP x (mm)", f"{leg.value} COP y (mm)"]
    np.savetxt(path, np.column_stack(columns), fmt="%.4f", delimiter=",", header=",".join(head), comments="")
