"""Force-plate files: delimited text from any maker through a mapping, and C3D. Repairs are stated, doubts refused."""

from __future__ import annotations

import csv
import re
from collections.abc import Sequence
from contextlib import suppress
from dataclasses import asdict, dataclass, replace
from pathlib import Path
from typing import Any

import numpy as np

from tuning.core.errors import BadInput
from tuning.core.force.recording import LEAST_PRESSING_N, Recording
from tuning.core.signals import stretches
from tuning.core.types import LEGS, Floats, Side
from tuning.core.units import FORCE_UNITS

ENCODINGS = ("utf-8-sig", "utf-16", "latin-1")
SEPARATORS = (";", "\t", "|", ",")
LONGEST_GAP_S = 0.02
"""Lost samples up to this long are bridged by a straight line, longer ones refused (practice judgement, editable)."""
MOST_LOST, MOST_SPIKES = 0.02, 0.002
"""Greatest shares of bridged samples and single-sample spikes that are repaired (practice judgement, editable)."""
LONGEST_FILE = 400_000_000
POINT_WORDS = r"\bcop|cent(er|re) of pressure|point of pressure"
POINT_UNITS = {"mm": 1.0, "cm": 10.0, "m": 1000.0}
TIME_WORDS, LEFT_WORDS, RIGHT_WORDS = (
    ("time", "zeit", "temps", "sec"),
    ("left", "links", "gauche"),
    ("right", "rechts", "droit"),
)


@dataclass(frozen=True)
class Mapping:
    """Which column is what. Columns count from 0; `time` None needs `rate`; a leg without a plate is None."""

    encoding: str
    separator: str
    decimal: str
    header_rows: int
    left: int | None
    right: int | None
    time: int | None = None
    rate: float | None = None
    time_unit: str = "s"
    unit: str = "N"
    left_point: tuple[int, int] | None = None
    right_point: tuple[int, int] | None = None
    """Columns of the point of pressure of a plate: to the right, forward."""
    point_unit: str = "mm"

    @property
    def points(self) -> dict[Side, tuple[int, int]]:
        """The mapped points of pressure by leg."""
        pairs = ((Side.LEFT, self.left_point), (Side.RIGHT, self.right_point))
        return {side: pair for side, pair in pairs if pair is not None}

    def kept(self) -> dict[str, Any]:
        """For a mapping file."""
        return asdict(self)


@dataclass(frozen=True)
class Preview:
    """The first rows as text, with what was recognised; `shape` names files of the same make."""

    rows: list[list[str]]
    mapping: Mapping
    shape: str


def read_mapping(data: dict[str, Any]) -> Mapping:
    """A kept mapping. Raises BadInput for keys that do not belong."""
    try:
        made = Mapping(**data)
        return replace(made, left_point=_pair(made.left_point), right_point=_pair(made.right_point))
    except (TypeError, ValueError) as err:
        raise BadInput(f"The mapping cannot be read: {err}.") from err


def _pair(columns: Sequence[int] | None) -> tuple[int, int] | None:
    """JSON knows lists only."""
    if columns is None:
        return None
    right, forward = columns
    return int(right), int(forward)


def _text(path: Path, encoding: str = "", most: int = -1) -> tuple[str, str]:
    """Text and encoding. Raises BadInput when it is no text."""
    try:
        if path.stat().st_size > LONGEST_FILE:
            raise BadInput(f"{path.name} is larger than {LONGEST_FILE // 1_000_000} MB; cut it into recordings.")
        with path.open("rb") as file:
            raw = file.read(most)
    except OSError as err:
        raise BadInput(f"{path.name} cannot be opened: {err.strerror}.") from err
    if not raw.strip():
        raise BadInput(f"{path.name} is empty.")
    starts = raw.startswith((b"\xff\xfe", b"\xfe\xff"))
    for name in (encoding,) if encoding else (("utf-16",) if starts else ("utf-8-sig", "latin-1")):
        try:
            text = raw.decode(name, errors="ignore" if most > 0 else "strict")
        except UnicodeDecodeError:
            continue
        if "\x00" not in text:
            return text, name
    raise BadInput(f"{path.name} is no text file; open a CSV or C3D file.")


def preview(path: Path, most_rows: int = 12) -> Preview:
    """Recognise separator, decimal comma, header rows and columns. Raises BadInput when it is no table of numbers."""
    text, encoding = _text(path, most=200_000)
    lines = [line for line in text.splitlines() if line.strip()][:400]
    separator = next((s for s in SEPARATORS if _is_even(lines, s)), ",")
    rows = list(csv.reader(lines, delimiter=separator))
    cells = [c.strip() for row in rows[-40:] for c in row]
    comma = separator != "," and any(re.fullmatch(r"-?\d+,\d+", c) and _surely_decimal(c, ",") for c in cells)
    first = next((n for n, row in enumerate(rows) if _is_numbers(row)), None)
    if first is None:
        raise BadInput(f"{path.name} holds no rows of numbers; a table with a column for each plate is needed.")
    body = [row for row in rows[first:] if _is_numbers(row)]
    mapping = _guess(rows[:first], body, Mapping(encoding, separator, "," if comma else ".", first, None, None))
    head = separator.join(c.strip().lower() for c in rows[first - 1]) if first else ""
    return Preview(rows[:most_rows], mapping, f"{len(body[0])} columns, {first} header rows: {head}")


def _is_even(lines: Sequence[str], separator: str) -> bool:
    """Whether nearly all of the last lines have the same number of these separators."""
    counts = [line.count(separator) for line in lines[-60:]]
    best = max(set(counts), key=counts.count)
    return best > 0 and counts.count(best) >= 0.9 * len(counts)


NOTHING = ("", "nan", "na", "n/a", "-")
"""How makers write a sample that is not there."""
GROUPED = {
    ",": re.compile(r"[+-]?[1-9]\d{0,2}(\.\d{3})+(,\d+)?"),
    ".": re.compile(r"[+-]?[1-9]\d{0,2}(,\d{3})+(\.\d+)?"),
}
"""Numbers whose thousands are grouped, by the decimal mark that goes with it."""
OTHER = {",": ".", ".": ","}


def _surely_decimal(cell: str, mark: str) -> bool:
    """Whether a cell is a number with this decimal mark and none with the other: 512,5 is, 1,234 may be either."""
    return bool(np.isfinite(_number(cell, mark))) and not np.isfinite(_number(cell, OTHER[mark]))


def _decimal_of(cells: Sequence[str], usual: str) -> str:
    """The decimal mark of one column, the file's usual one where no cell decides. Raises BadInput when two do.

    A mark in every single cell is no sign for thousands, which smaller numbers would not have.
    """
    sure = [mark for mark in OTHER if any(_surely_decimal(c, mark) for c in cells if mark in c)]
    if len(sure) > 1:
        raise BadInput("A column has both dots and commas as decimal marks; export it again with one of them.")
    always = [mark for mark in OTHER if all(c.count(mark) == 1 for c in cells if c.lower() not in NOTHING)]
    return next(iter(sure or (always if len(always) == 1 else [])), usual)


def _number(cell: str, decimal: str) -> float:
    """One cell; NaN for what is no number. The other mark only ever groups thousands, never disappears."""
    if OTHER[decimal] in cell:
        if not GROUPED[decimal].fullmatch(cell):
            return float("nan")
        cell = cell.replace(OTHER[decimal], "")
    try:
        return float(cell.replace(decimal, "."))
    except ValueError:
        return float("nan")


def _column(rows: Sequence[Sequence[str]], n: int, usual: str) -> Floats:
    """Numbers of one column; NaN where a row is short or holds none. Raises BadInput for two decimal marks."""
    cells = [row[n].strip() if n < len(row) else "" for row in rows]
    if usual == ".":
        with suppress(ValueError):  # whole columns of plain numbers, as most are, in one go
            return np.array(cells, dtype=np.float64)
    cells = [c.replace("\u2212", "-") for c in cells]
    decimal = _decimal_of(cells, usual)
    return np.array([_number(cell, decimal) for cell in cells])


def _is_number(cell: str) -> bool:
    """A number with either mark."""
    return any(np.isfinite(_number(cell.strip().replace("\u2212", "-"), mark)) for mark in OTHER)


def _is_numbers(row: Sequence[str]) -> bool:
    values = [c for c in row if c.strip().lower() not in NOTHING]
    return bool(values) and sum(map(_is_number, values)) >= max(1, len(values) - 1)


def _guess(head: list[list[str]], body: list[list[str]], blank: Mapping) -> Mapping:
    """Columns by their names, else by what they hold."""
    width = max(len(row) for row in body)
    names = [" ".join(row[n].lower() for row in head if n < len(row)) for n in range(width)]
    columns = np.column_stack([_column(body, n, blank.decimal) for n in range(width)])

    points = [n for n in range(width) if re.search(POINT_WORDS, names[n])]

    def named(words: Sequence[str]) -> int | None:
        hits = [n for n in range(width) if n not in points and any(w in names[n] for w in words)]
        vertical = [n for n in hits if re.search(r"(f|force)?[\s_.]*(z|vert)|\bv?grf", names[n])]
        return next(iter(vertical or hits), None)

    time = named(TIME_WORDS)
    if time is None and width > 1 and len(body) > 2 and np.all(np.diff(columns[:, 0]) > 0):
        time = 0
    left, right = named(LEFT_WORDS), named(RIGHT_WORDS)
    rest = [n for n in range(width) if n not in (time, left, right, *points) and np.isfinite(columns[:, n]).any()]
    if left is None and right is None and rest:
        left, right = rest[0], (rest[1] if len(rest) > 1 else None)
    header = " ".join(names)
    pairs = {
        side: _point_columns([n for n in points if any(w in names[n] for w in words)], names)
        for side, words in ((Side.LEFT, LEFT_WORDS), (Side.RIGHT, RIGHT_WORDS))
    }
    lengths = re.search(r"\b(mm|cm|m)\b", " ".join(names[n] for n in points))
    unit = "kgf" if re.search(r"\bkgf?\b", header) else "lbf" if re.search(r"\blbf?\b", header) else "N"
    milli = time is not None and (
        re.search(r"\bms\b|milli", names[time]) is not None
        or (len(body) > 2 and float(np.nanmedian(np.diff(columns[:, time]))) >= 0.5)
    )
    rate = re.search(r"(\d+(?:\.\d+)?)\s*hz", header)
    return replace(
        blank,
        time=time,
        left=left,
        right=right,
        unit=unit,
        time_unit="ms" if milli else "s",
        rate=float(rate[1]) if rate else None,
        left_point=pairs[Side.LEFT],
        right_point=pairs[Side.RIGHT],
        point_unit=lengths[1] if lengths else "mm",
    )


def _point_columns(columns: list[int], names: list[str]) -> tuple[int, int] | None:
    """Which two columns of a leg's point go to the right (x) and forward (y); None when that is not said."""

    def axis(pattern: str) -> int | None:
        hits = [n for n in columns if re.search(pattern, names[n])]
        return hits[0] if len(hits) == 1 else None

    right, forward = axis(r"x\b|medio|\bml\b|to the right"), axis(r"y\b|antero|\bap\b|forward")
    return (right, forward) if right is not None and forward is not None and right != forward else None


def read_table(path: Path, mapping: Mapping | None = None) -> Recording:
    """Read a delimited file as a recording.

    Repaired and noted: gaps up to 20 ms (straight line), doubled time stamps
    (dropped), single-sample spikes (neighbours' mean), force pointing down
    (turned), uneven clock (resampled). Refused with BadInput: everything that
    would leave a number in doubt.
    """
    found = mapping or preview(path).mapping
    text, _ = _text(path, found.encoding)
    lines = [line for line in text.splitlines() if line.strip()]
    rows = list(csv.reader(lines[found.header_rows :], delimiter=found.separator))
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
    notes: list[str] = []
    values = {n: _column(rows, n, found.decimal) for n in wanted}
    times = values[found.time] if found.time is not None else None
    legs = {s: n for s, n in ((Side.LEFT, found.left), (Side.RIGHT, found.right)) if n is not None}
    samples = {(side, "force"): values[n] * FORCE_UNITS[found.unit] for side, n in legs.items()}
    for side, pair in points.items():
        for axis, n in zip("xy", pair, strict=True):
            samples[side, axis] = values[n] * POINT_UNITS[found.point_unit]
    rate, samples = _even_clock(times, samples, found, notes)
    force = {side: samples[side, "force"] for side in legs}
    at = {side: np.stack([samples[side, "x"], samples[side, "y"]], axis=1) for side in points if side in legs}
    return finish(rate, force, notes, at)


Columns = dict[tuple[Side, str], Floats]
"""Samples by leg and what they are: force (N), and x (right) and y (forward) of the point of pressure (mm)."""


def _even_clock(times: Floats | None, columns: Columns, mapping: Mapping, notes: list[str]) -> tuple[float, Columns]:
    """Samples on an even clock. Raises BadInput when time runs back or stands still for long."""
    if times is None:
        if not mapping.rate:
            raise BadInput("There is no column of time: say how many samples a second were taken.")
        return mapping.rate, columns
    t = times / 1000 if mapping.time_unit == "ms" else times
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
        # Lost force is bridged here if there is little of it; a point of pressure stays unknown where nothing presses.
        if key[1] == "force" and known.mean() > 0.9:
            even[key] = np.interp(grid, t[known], samples[known])
        else:
            even[key] = np.interp(grid, t, samples)
    return round(rate, 6), even


def finish(
    rate: float, force: dict[Side, Floats], notes: list[str], points: dict[Side, Floats] | None = None
) -> Recording:
    """The last repairs and refusals, the same for every format. Raises BadInput.

    `points` are places of pressure by leg, mm, shape (n, 2): right, forward.
    """
    made = {}
    for side, samples in force.items():
        name = f"{side.value} plate"
        if not samples.size:
            raise BadInput(f"The {name} holds no samples.")
        samples = _bridged(samples, rate, name, notes)
        if float(np.median(samples)) < -20 or (float(samples.min()) < -100 > -float(samples.max())):
            samples = -samples
            notes.append(f"The {name} pointed down; its sign was turned.")
        samples = _without_spikes(samples, rate, name, notes)
        _refuse_flat(samples, rate, name)
        made[side] = samples
    _refuse_units(made)
    return Recording(rate, made, tuple(notes), {s: _on_the_plate(p, made[s], s) for s, p in (points or {}).items()})


def as_sent(rate: float, samples: Floats) -> Recording:
    """What live plates sent, shape (n, 3) or (n, 7) as `ForcePlates.read` gives it. Raises BadInput."""
    force = {side: samples[:, n] for n, side in enumerate(LEGS, 1)}
    has_points = samples.shape[1] == 7
    points = {side: samples[:, n : n + 2] for n, side in zip((3, 5), LEGS, strict=True)} if has_points else {}
    return finish(rate, force, [], points)


LONGEST_PLATE_MM = 2000.0
"""No point of pressure lies further from the origin (practice judgement, editable)."""


def _on_the_plate(points: Floats, force: Floats, side: Side) -> Floats:
    """Points where something presses; elsewhere NaN. Raises BadInput for places beyond any plate."""
    pressed = np.where((force > LEAST_PRESSING_N)[:, None], points, np.nan)
    far = float(np.nanpercentile(np.abs(pressed), 99)) if np.isfinite(pressed).any() else 0.0
    if far > LONGEST_PLATE_MM:
        raise BadInput(f"The point of pressure of the {side.value} plate lies {far:.0f} mm out. Check its unit.")
    return pressed


def _bridged(samples: Floats, rate: float, name: str, notes: list[str]) -> Floats:
    known = np.isfinite(samples)
    if known.all():
        return samples
    lost = int((~known).sum())
    if not known.any():
        raise BadInput(f"The {name} has no readable sample: is it the right column?")
    longest = max(b - a for a, b in stretches(~known)) / rate
    if longest > LONGEST_GAP_S or lost > MOST_LOST * samples.size:
        raise BadInput(
            f"The {name} misses {lost} of {samples.size} samples, up to {1000 * longest:.0f} ms in a row; "
            f"at most {1000 * LONGEST_GAP_S:.0f} ms are bridged."
        )
    notes.append(f"{lost} lost samples of the {name} were bridged by a straight line.")
    at = np.arange(samples.size)
    return np.interp(at, at[known], samples[known])


def _without_spikes(samples: Floats, rate: float, name: str, notes: list[str]) -> Floats:
    """Single samples that stand out from both neighbours by more than any muscle could in a millisecond."""
    if samples.size < 5:
        return samples
    middle = (samples[:-2] + samples[2:]) / 2
    off = np.abs(samples[1:-1] - middle)
    typical = 1.4826 * float(np.median(off)) + 1.0
    limit = max(30 * typical, 0.3 * float(np.percentile(np.abs(samples), 99)))
    hits = np.flatnonzero((off > limit) & (np.abs(samples[2:] - samples[:-2]) < limit)) + 1
    if not hits.size:
        return samples
    if hits.size > MOST_SPIKES * samples.size:
        raise BadInput(
            f"The {name} has {hits.size} spikes; its cable or amplifier needs a look before anything is read."
        )
    repaired = samples.copy()
    repaired[hits] = middle[hits - 1]
    notes.append(f"{hits.size} single-sample spikes of the {name} were replaced by their neighbours' mean.")
    return repaired


def _refuse_flat(samples: Floats, rate: float, name: str) -> None:
    """A ceiling that force runs along is saturation; a plate that never moves is dead."""
    if float(np.ptp(samples)) == 0.0 and abs(float(samples[0])) > 20:
        raise BadInput(f"The {name} reads {samples[0]:.0f} N throughout; it is not measuring.")
    top = float(samples.max())
    if top < 100:
        return
    at_top = stretches(samples >= top - 1e-9 * max(1.0, top))
    first, last = max(at_top, key=lambda run: run[1] - run[0])
    if last - first >= max(4, round(0.004 * rate)) and (_has_noise(samples) or _was_steep(samples, first, last, rate)):
        raise BadInput(
            f"The {name} is at its ceiling of {top:.0f} N for {1000 * (last - first) / rate:.0f} ms: "
            "peaks were cut off."
        )


CUT_OFF_N = 20.0
"""A flat top hides more than this when force ran into it so fast (practice judgement, editable)."""


def _has_noise(samples: Floats) -> bool:
    """Whether neighbouring samples differ by noise far above the file's resolution: then no top is flat by chance."""
    steps = np.abs(np.diff(samples))
    resolution = float(steps[steps > 1e-9].min()) if (steps > 1e-9).any() else 0.0
    return resolution > 0 and float(np.median(np.abs(np.diff(samples, 2)))) >= 3 * resolution


def _was_steep(samples: Floats, first: int, last: int, rate: float) -> bool:
    """Whether force ran into its flat top so fast that it would have gone far beyond."""
    before = max(0, first - max(2, round(0.01 * rate)))
    if before == first:
        return False
    return float(samples[first] - samples[before]) / (first - before) * (last - first) / 2 > CUT_OFF_N


def _refuse_units(force: dict[Side, Floats]) -> None:
    total = np.asarray(sum(force.values()))
    high = float(np.percentile(total, 99))
    if high > 20_000:
        raise BadInput(f"The force reaches {high:.0f} N; no leg does that. Is the unit mN, or a scale factor missing?")
    if high < 100:
        raise BadInput(f"The force never passes {high:.0f} N: nobody on the plates, or kgf read as N. Check the unit.")


def _c3d(path: Path) -> Any:
    """The file as the library reads it; without its plates where they are described in a way nobody can follow."""
    import ezc3d  # slow to load, not needed for the first window

    try:
        return ezc3d.c3d(str(path), extract_forceplat_data=True)
    except Exception:  # the library raises bare RuntimeError, ValueError and others for damaged files
        try:
            return ezc3d.c3d(str(path))
        except Exception as err:
            raise BadInput(f"{path.name} is no C3D file that can be read ({err}).") from err


def read_c3d(path: Path) -> Recording:
    """Vertical force of one or two plates from a C3D file: plates of the file, else analog channels named by side.

    Raises BadInput when the file cannot be read or holds no vertical force.
    """
    file = _c3d(path)
    rate = float(file["header"]["analogs"]["frame_rate"])
    plates = file["data"].get("platform", [])
    if plates:
        return _of_c3d_plates(plates[:2], rate)
    labels = [str(label).lower() for label in file["parameters"]["ANALOG"]["LABELS"]["value"]]
    data = np.asarray(file["data"]["analogs"], float)[0]
    found = {}
    for side, words in ((Side.LEFT, LEFT_WORDS), (Side.RIGHT, RIGHT_WORDS)):
        hits = [n for n, label in enumerate(labels) if "z" in label and any(w in label for w in words)]
        if hits:
            found[side] = data[hits[0]]
    if not found:
        kinds = sorted({int(k) for k in file["parameters"].get("FORCE_PLATFORM", {}).get("TYPE", {}).get("value", [])})
        if kinds:
            told = f"The plates of {path.name} are of type {' and '.join(map(str, kinds))}"
            raise BadInput(f"{told}; types 1 to 4 can be read, or channels named left and right.")
        raise BadInput(f"{path.name} holds neither force plates nor analog channels named left or right.")
    return finish(rate, found, [])


def _of_c3d_plates(plates: Sequence[dict[str, Any]], rate: float) -> Recording:
    """Force and point of pressure of the file's own plates, in the frame of the laboratory.

    Two plates lie side by side: the line between them runs to the right, and
    forward is a quarter turn from it, seen from above. Which end is right
    nobody says; the plate with the smaller x (or y) is taken as left.
    """
    # A plate tells what presses on it, mostly downward; here force is what the ground gives back.
    forces = [-f if np.median(f) < 0 else f for f in (np.asarray(p["force"][2], float) for p in plates)]
    to_mm = [POINT_UNITS.get(str(p.get("unit_position", "mm")), 1.0) for p in plates]
    ground = [np.asarray(p["center_of_pressure"], float)[:2].T * k for p, k in zip(plates, to_mm, strict=True)]
    if len(plates) == 1:
        return finish(rate, {Side.LEFT: forces[0]}, ["One plate: say which leg stood on it."], {Side.LEFT: ground[0]})
    middles = [np.mean(np.asarray(p["corners"], float)[:2], axis=1) * k for p, k in zip(plates, to_mm, strict=True)]
    apart = middles[1] - middles[0]
    axis = int(np.argmax(np.abs(apart)))
    order = (0, 1) if apart[axis] >= 0 else (1, 0)
    right = apart * (1 if apart[axis] >= 0 else -1) / np.hypot(*apart)
    turn = np.array([right, [-right[1], right[0]]]).T
    sides = dict(zip((Side.LEFT, Side.RIGHT), order, strict=True))
    note = (
        f"The plate with the smaller {'xy'[axis]} was taken as left; swap the sides if the person faced the other way."
    )
    return finish(
        rate, {s: forces[n] for s, n in sides.items()}, [note], {s: ground[n] @ turn for s, n in sides.items()}
    )


def read_plates(path: Path, mapping: Mapping | None = None) -> Recording:
    """Read a file by its kind. Raises BadInput."""
    if path.suffix.lower() == ".c3d":
        return read_c3d(path)
    return read_table(path, mapping)


def write_csv(recording: Recording, path: Path) -> None:
    """Samples as an open file: time in s, force in N, points of pressure in mm where they are known."""
    columns = [recording.times, *(recording.force[leg] for leg in recording.legs)]
    head = ["time (s)", *(f"{leg.value} Fz (N)" for leg in recording.legs)]
    for leg, at in recording.point.items():
        columns += list(at.T)
        head += [f"{leg.value} COP x (mm)", f"{leg.value} COP y (mm)"]
    np.savetxt(path, np.column_stack(columns), fmt="%.4f", delimiter=",", header=",".join(head), comments="")
