"""What a delimited file is made of: encoding, separator, header and columns."""

from __future__ import annotations

import codecs
import csv
import re
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np
from charset_normalizer import from_bytes

from tuning.core.errors import BadInput
from tuning.core.types import Floats, Side
from tuning.exchange.csv.mapping import Mapping
from tuning.exchange.csv.number_cells import column, count_words, has_number, is_numbers, surely_decimal

SEPARATORS = (";", "\t", "|", ",")
LONGEST_FILE = 400_000_000
SAMPLE_BYTES = 20_000
POINT_WORDS = r"\bcop|cent(er|re) of pressure|centre of pressure"
TIME_WORDS, LEFT_WORDS, RIGHT_WORDS = (
    ("time", "zeit", "temps", "sec"),
    ("left", "links", "linke", "gauche", "izquierd", "sinistr", "esquerd", "vänster", "venstre", "lewa", "lewy",
     "lewej", "vasen", "l", "lt", "li", "sx"),
    ("right", "rechts", "rechte", "droit", "derech", "destr", "direit", "höger", "højre", "høyre", "praw", "oikea",
     "r", "rt", "re", "dx"),
)  # fmt: skip
"""Words for a column; those of one or two letters count only where they stand alone, with a number or without."""
PARTS = (
    r"\b(front|back|fore|rear|heel|toe|ball|inner|outer|inside|outside|medial|lateral|anterior|posterior|vorne?|hinten"
    r"|avant|arrière|cell|sensor|channel|ch|[a-h])\b|\d+"
)
"""What tells the cells of one plate apart."""
OTHER_UNITS = re.compile(
    r"m?v|volts?|g|grams?|oz|ounces?|st|stones?|mn|bits?|counts?|lsb|a\.?u\.?|[kmh]?pa|psi|nm|#"
    r"|n ?/ ?kg|%|%? ?(bw|body ?-?(weight|mass))"
)
"""Units that plates and amplifiers write and that are not taken for newtons."""
MOMENTS = r"\b[mt] ?[xyz]\d*\b|moment|torque|\bn ?m{1,2}\b"
"""Plain names of what turns: no force."""
COUNTED = r"(frames?|samples?|index|row|count|number|nr|no|#)( (no|nr|number|index|#))?"
"""Plain names of a column that only counts the rows."""
UNIT_WORDS = {
    "kN": r"\b(k ?n|kilonewtons?)\b", "daN": r"\b(da ?n|de[ck]anewtons?)\b", "N": r"\b(n|newtons?)\b",
    "kgf": r"\b(kg|kgf|kp|kilos?|kilogramm?e?s?|kiloponds?)\b", "lbf": r"\b(lb|lbs|lbf|pounds?)\b",
}  # fmt: skip


@dataclass(frozen=True)
class Preview:
    """The first rows as text, with what was recognised; `shape` names files of the same make.

    `notes` tell which columns were taken for which plate where their names leave it open, and `doubt` why they cannot
    be told apart at all; `sided` is whether a name says left or right.
    """

    rows: list[list[str]]
    mapping: Mapping
    shape: str
    notes: tuple[str, ...] = ()
    doubt: str = ""
    sided: bool = True


def plain(name: str) -> str:
    """A name in small letters, its words apart: Fz_L-N and FzLeft[kg] are fz l n and fz left kg."""
    apart = re.sub(r"(?<=[a-z])(?=[A-Z])", " ", name)
    return " ".join(re.sub(r"[_\-.\[\](){}/:]+", " ", apart).lower().split())


def says(name: str, words: Sequence[str]) -> bool:
    """Whether a plain name holds one of the words."""
    alone = [word.rstrip("0123456789") for word in name.split()]
    return any(word in (name if len(word) > 2 else alone) for word in words)


def text_of(path: Path, encoding: str = "", most: int = -1) -> tuple[str, str]:
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
    name = encoding or _encoding_of(raw)
    try:
        text = raw.decode(name, errors="ignore" if most > 0 else "strict")
    except UnicodeDecodeError:
        text = "\x00"
    if "\x00" not in text:
        return text, name
    raise BadInput(f"{path.name} is no text file; open a CSV or C3D file.")


def _encoding_of(raw: bytes) -> str:
    """Marked as such, UTF-8 where it can be, else what fits its beginning best."""
    if raw.startswith((b"\xff\xfe", b"\xfe\xff")):
        return "utf-16"
    try:
        codecs.getincrementaldecoder("utf-8")().decode(raw)
    except UnicodeDecodeError:
        best = from_bytes(raw[:SAMPLE_BYTES]).best()
        return best.encoding if best is not None else "latin-1"
    return "utf-8-sig"


def rows_of(lines: Sequence[str], separator: str, path: Path) -> list[list[str]]:
    """Lines cut into cells. Raises BadInput where a quotation mark is never closed."""
    try:
        return list(csv.reader(lines, delimiter=separator))
    except csv.Error as err:
        raise BadInput(f"{path.name} cannot be cut into columns ({err}): is a quotation mark never closed?") from err


def preview(path: Path, most_rows: int = 12) -> Preview:
    """Recognise separator, decimal comma, header rows and columns. Raises BadInput when it is no table of numbers."""
    text, encoding = text_of(path, most=200_000)
    lines = [line for line in text.splitlines() if line.strip()][:400]
    if not lines:
        raise BadInput(f"{path.name} is empty; a table with a column for each plate is needed.")
    separator = next((s for s in SEPARATORS if _is_even(lines, s)), ",")
    rows = rows_of(lines, separator, path)
    cells = [c.strip() for row in rows[-40:] for c in row]
    comma = separator != "," and any(re.fullmatch(r"-?\d+,\d+", c) and surely_decimal(c, ",") for c in cells)
    words = min((count_words(row) for row in rows[-40:-1] if len(row) == len(rows[-1])), default=0)
    first = _first_sample(rows, words)
    if first is None:
        raise BadInput(f"{path.name} holds no rows of numbers; a table with a column for each plate is needed.")
    body = [row for row in rows[first:] if is_numbers(row, words)]
    mapping = guess(rows[:first], body, Mapping(encoding, separator, "," if comma else ".", first, None, None))
    names = names_of(rows[:first], body)
    # Whatever says a side belongs to it: files that differ in that alone are not of one make.
    sides = [line for row in rows[:first] if _both_sides(line := plain(" ".join(row)))]
    shape = f"{len(body[0])} columns, {first} header rows: {separator.join([*names, *sides])}"
    notes, doubt, sided = _taken(names, mapping)
    doubt = _strange_unit(rows[:first], mapping) or doubt or _sides_apart(rows[:first], names, sided)
    if doubt and not sided:  # whoever maps the columns says which is which; nothing is said beforehand
        mapping, notes = replace(mapping, left=None, right=None), ()
    return Preview(rows[:most_rows], mapping, shape, notes, doubt, sided)


def _first_sample(rows: Sequence[Sequence[str]], words: int) -> int | None:
    """The first row of samples, as wide as most are: what was done before may hold numbers, too."""
    widths = [len(row) for row in rows[-40:]]
    usual = max(widths, key=widths.count)
    numbers = [len(row) == usual and is_numbers(row, words) for row in rows]
    whole = (n for n, row in enumerate(rows) if numbers[n] and count_words(row) <= words)
    first = next(whole, numbers.index(True) if any(numbers) else None)
    while first and (numbers[first - 1] or count_words(rows[first - 1]) == 0 < len(rows[first - 1]) - 1):
        first -= 1  # samples that were lost at the start, or rows that grew wider
    return first


def _units(names: Iterable[str]) -> list[str]:
    """The units that plain names hold, each once: a mass in another column is no unit of force."""
    hits = (unit for name in names for unit, words in UNIT_WORDS.items() if re.search(words, name))
    return list(dict.fromkeys(hits))


def says_unit(row: Sequence[str]) -> bool:
    """Whether a row of the head is about units of force."""
    return re.search(r"unit|einheit|force|kraft", " ".join(row).lower()) is not None


def names_of(head: list[list[str]], body: list[list[str]]) -> list[str]:
    """The plain name of each column, from the rows right above the data that are as wide as the data; empty without.

    A title is no name, though it may fill up its line with empty cells: it holds a single word, or a number such as a
    mass. A name over several columns, as of a plate, holds for those to its right that the row below names.
    """
    width = max(len(row) for row in body)
    said: list[Sequence[str]] = []
    for row in reversed(head):
        if len(row) not in (len(body[0]), width):
            break
        if has_number(row) or (width > 2 and sum(bool(cell.strip()) for cell in row) < 2):
            continue
        said.insert(0, _spread(row, said[0]) if said else row)
    return [plain(" ".join(row[n] for row in said if n < len(row))) for n in range(width)]


def _spread(row: Sequence[str], below: Sequence[str]) -> list[str]:
    """Cells of which an empty one under a name takes the name to its left, where the row below says what it is."""
    made = list(row)
    for n in range(1, len(made)):
        if not made[n].strip() and n < len(below) and below[n].strip():
            made[n] = made[n - 1]
    return made


def _taken(names: list[str], found: Mapping) -> tuple[tuple[str, ...], str, bool]:
    """What names leave open of who is left and who is right: notes, a doubt, and whether they say it at all."""
    legs = {side: n for side, n in ((Side.LEFT, found.left), (Side.RIGHT, found.right)) if n is not None}
    twice = next((names[n] for n in legs.values() if names[n] and names.count(names[n]) > 1), None)
    doubt = f"Two columns have the same name, “{twice}”; map the columns." if twice is not None else ""
    units = [next(iter(_units([names[n]])), "") for n in legs.values()]
    if len(set(units) - {""}) > 1:
        doubt = f"One plate is in {units[0]}, the other in {units[1]}; export both in one unit."
    words = {Side.LEFT: LEFT_WORDS, Side.RIGHT: RIGHT_WORDS}
    sided = any(says(names[n], words[side]) and not says(names[n], words[side.other]) for side, n in legs.items())
    if len(legs) > 1 and not any(names):
        taken = " and ".join(f"column {n + 1} was taken as {side.value}" for side, n in legs.items())
        return (f"The columns have no names: {taken}.",), doubt, sided
    if not sided and len(legs) > 1 and any(names):
        if len({_but_for(r"\b[a-z]?\d*\b|\d+", names[n]) for n in legs.values()}) > 1:
            both = " nor ".join(f"“{names[n]}”" for n in legs.values())
            return (), doubt or f"Neither {both} says left or right; map the columns.", sided
        taken = " and ".join(f"“{names[n]}” was taken as {side.value}" for side, n in legs.items())
        return (f"No column says left or right: {taken}.",), doubt, sided
    used = {found.time, *legs.values(), *(n for pair in found.points.values() for n in pair)}
    cells = [
        f"“{names[n]}” and “{names[other]}”"
        for n in legs.values()
        for other in range(len(names))
        if sided and other not in used and _but_for(PARTS, names[other]) == _but_for(PARTS, names[n])
    ]
    if cells and not doubt:
        doubt = f"{cells[0]} look like cells of one plate; export their sum, or map the columns."
    notes = [
        f"“{names[n]}” was taken for the {side.value} plate, not “{names[other]}”."
        for side, n in legs.items()
        for other in range(len(names))
        if other not in used
        and says(names[other], words[side])
        and not says(names[other], words[side.other])
        and _is_vertical(names[other]) >= _is_vertical(names[n])
    ]
    return tuple(notes), doubt, sided


def _sides_apart(head: Sequence[Sequence[str]], names: Sequence[str], sided: bool) -> str:
    """Says that sides are named, but not of one column each; empty where they are, or are not named at all."""
    if sided:
        return ""
    name = next((name for name in names if _both_sides(name)), None)
    if name is not None:
        return f"“{name}” names both sides; map the columns."
    line = next((" ".join(row) for row in head if _both_sides(plain(" ".join(row)))), None)
    return f"“{line.strip()}” names left and right, but not over their columns; map the columns." if line else ""


def _both_sides(name: str) -> bool:
    """Whether a plain name says left and right."""
    return says(name, LEFT_WORDS) and says(name, RIGHT_WORDS)


def _but_for(words: str, name: str) -> str:
    """A plain name without some words."""
    return " ".join(re.sub(words, " ", name).split())


def _strange_unit(head: Sequence[Sequence[str]], found: Mapping) -> str:
    """Says that a column of force is in a unit that is not known as one; empty where none is."""
    for row in head:
        for n in (found.left, found.right):
            if n is None or n >= len(row) or has_number(row):
                continue
            cell = row[n].strip()
            last = re.split(r"[\s_]+", cell)[-1]
            for unit in (*re.findall(r"[\[(]([^\[\]()]*)[\])]", cell), cell, last if len(last) > 1 else ""):
                if OTHER_UNITS.fullmatch(unit.strip().lower()):
                    return f"“{cell}” is in no unit of force that is known; export newtons, or map the columns."
    return ""


def _is_vertical(name: str) -> bool:
    """Whether a plain name is that of a vertical force."""
    return re.search(r"z|vert|\bv?grf", name) is not None and not re.search(MOMENTS, name)


def _usual_step(times: Floats) -> float:
    """The median step of a column; 0 where it holds no two numbers in a row."""
    steps = np.diff(times)
    known = steps[np.isfinite(steps)]
    return float(np.median(known)) if known.size else 0.0


def _counts(numbers: Floats) -> bool:
    """Whether a column only counts its rows."""
    return numbers.size > 2 and bool(np.all(np.diff(numbers) == 1))


def _time_unit(name: str, times: Floats) -> str:
    """What a clock counts in, by its name, else by its steps: no plates are read every half second."""
    if re.search(r"\b[uµμ]s\b|micro", name):
        return "us"
    return "ms" if re.search(r"\bms\b|milli", name) or _usual_step(times) >= 0.5 else "s"


def _is_even(lines: Sequence[str], separator: str) -> bool:
    """Whether nearly all of the last lines have the same number of these separators."""
    counts = [line.count(separator) for line in lines[-60:]]
    best = max(set(counts), key=counts.count)
    return best > 0 and counts.count(best) >= 0.9 * len(counts)


def guess(head: list[list[str]], body: list[list[str]], blank: Mapping) -> Mapping:
    """Columns by their names, else by what they hold."""
    names = names_of(head, body)
    width = len(names)
    columns = np.column_stack([column(body, n, blank.decimal) for n in range(width)])

    points = [n for n in range(width) if re.search(POINT_WORDS, names[n])]
    turning = [n for n in range(width) if re.search(MOMENTS, names[n])]

    def named(words: Sequence[str], against: Sequence[str] = ()) -> int | None:
        hits = [
            n
            for n in range(width)
            if n not in (*points, *turning) and says(names[n], words) and not says(names[n], against)
        ]
        return max(hits, key=lambda n: (_is_vertical(names[n]), bool(_units([names[n]]))), default=None)

    counted = [n for n in range(width) if re.fullmatch(COUNTED, names[n]) or (not names[n] and _counts(columns[:, n]))]
    time = named(TIME_WORDS)
    if time is None and width > 1 and len(body) > 2 and 0 not in counted and np.all(np.diff(columns[:, 0]) > 0):
        time = 0
    left, right = named(LEFT_WORDS, RIGHT_WORDS), named(RIGHT_WORDS, LEFT_WORDS)  # both: a sum or a difference
    rest = [
        n
        for n in range(width)
        if n not in (time, left, right, *points, *turning, *counted) and np.isfinite(columns[:, n]).any()
    ]
    if left is None and right is None and rest:
        rest = [n for n in rest if _is_vertical(names[n])] or rest
        left, right = rest[0], (rest[1] if len(rest) > 1 else None)
    header = plain(" ".join(cell for row in head for cell in row))
    pairs = {
        side: _point_columns([n for n in points if says(names[n], words)], names)
        for side, words in ((Side.LEFT, LEFT_WORDS), (Side.RIGHT, RIGHT_WORDS))
    }
    lengths = re.search(r"\b(mm|cm|m)\b", " ".join(names[n] for n in points))
    own = _units(names[n] for n in (left, right) if n is not None)
    rate = re.search(r"(\d+(?:\.\d+)?)\s*hz", header)
    return replace(
        blank,
        time=time,
        left=left,
        right=right,
        unit=next(iter(own or _units(plain(" ".join(row)) for row in head if says_unit(row))), "N"),
        time_unit="s" if time is None else _time_unit(names[time], columns[:, time]),
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
