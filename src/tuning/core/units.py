"""SI inside; this module alone knows display units, factors and typed numbers."""

from __future__ import annotations

import re

from tuning.core.errors import BadInput

GRAVITY = 9.80665
"""Standard gravity, m/s^2 (CGPM 1901)."""

FORCE_UNITS = {"N": 1.0, "kgf": GRAVITY, "lbf": 4.4482216152605}
"""Newtons in one unit of force (exact by definition)."""

PLATE_UNITS = {**FORCE_UNITS, "daN": 10.0, "kN": 1000.0}
"""Newtons in one unit that force plates write."""

MASS_UNITS = {"kg": 1.0, "lb": 0.45359237}
"""Kilograms in one unit of mass (exact by definition)."""

LENGTH_UNITS = {"m": 1.0, "cm": 0.01, "mm": 0.001, "in": 0.0254}
"""Metres in one unit of length (exact by definition)."""

SPEED_UNITS = {"m/s": 1.0, "km/h": 1 / 3.6, "mph": 0.44704}
"""Metres a second in one unit of speed (exact by definition)."""

BARE_CM = 2.0
"""A lever without a unit from here on is centimetres: no leg is two metres long (practice judgement, editable)."""
_SPELLINGS = {
    "n": "N", "newton": "N", "kgf": "kgf", "kg": "kgf", "kp": "kgf", "lbf": "lbf", "lb": "lbf",
    "lbs": "lbf", "m": "m", "cm": "cm", "mm": "mm", "in": "in",
}  # fmt: skip
_NUMBER = re.compile(r"\s*([+-]?(?:\d+(?:[.,]\d*)?|[.,]\d+))\s*([A-Za-z°%/]*)\s*")


def parse_number(text: str, default_unit: str, factors: dict[str, float], what: str) -> float:
    """A typed number times the factor of its unit. Raises BadInput, naming `what` and the units taken."""
    return _parse(text, default_unit, factors, what)[0]


def _parse(text: str, default_unit: str, factors: dict[str, float], what: str) -> tuple[float, str]:
    accepted = ", ".join(factors)
    match = _NUMBER.fullmatch(text)
    if match is None:
        raise BadInput(f"“{text.strip()}” is not a {what}; type a number such as 41.5 ({accepted}).")
    written = match[2] or default_unit
    plain = written.lower()
    known = (u for u in (written, plain, plain.rstrip("s"), _SPELLINGS.get(plain, "")) if u in factors)
    unit = next(known, written)
    if unit not in factors:
        raise BadInput(f"“{match[2]}” is not a unit of {what}; use {accepted}.")
    return float(match[1].replace(",", ".")) * factors[unit], unit


def parse_force(text: str, default_unit: str = "N") -> tuple[float, str]:
    """Read a typed force such as `41.5`, `41,5 lbf` or `18 kg`.

    Returns (newtons, unit as understood). Raises BadInput for anything that is
    not a number with a known unit, for zero (an effort not done is recorded as
    not done, never as zero) and beyond 2000 N (practice judgement, editable).

    >>> parse_force('118 N')
    (118.0, 'N')
    >>> round(parse_force('26.5 lbf')[0], 1)
    117.9
    """
    force, unit = _parse(text, default_unit, FORCE_UNITS, "force")
    if force <= 0:
        raise BadInput("A force must be above zero; leave the trial out if it was not done.")
    if force > 2000:
        raise BadInput(f"{force:.0f} N is beyond what can be held by hand; check number and unit.")
    return force, unit


def _within(value: float, least: float, most: float, unit: str, text: str, what: str) -> float:
    if not least <= value <= most:
        raise BadInput(f"{what}: {text.strip()} is outside {least:g} to {most:g} {unit}; check the unit.")
    return value


def parse_body_mass(text: str, unit: str = "kg") -> float:
    """Read `74`, `74,5 kg` or `163 lb` in kg. Raises BadInput outside 15..350 kg (practice judgement, editable).

    >>> parse_body_mass('74')
    74.0
    >>> round(parse_body_mass('163 lb'), 1)
    73.9
    """
    return _within(parse_number(text, unit, MASS_UNITS, "body mass"), 15, 350, "kg", text, "Body mass")


def parse_stature(text: str, unit: str = "cm") -> float:
    """Read `172`, `172 cm`, `1.72 m` or `68 in` in metres; a bare number under 3 is metres.

    Raises BadInput outside 80..250 cm (practice judgement, editable).
    """
    metres = parse_number(text, "m" if 0 < _bare(text) < 3 else unit, LENGTH_UNITS, "stature")
    return _within(100 * metres, 80, 250, "cm", text, "Stature") / 100


def parse_length(text: str, default_unit: str = "m") -> float:
    """Read a typed length in metres, such as `0.78`, `78 cm` or `30 in`.

    Raises BadInput when it is no length above zero, or above 5 m.

    >>> parse_length('38 cm')
    0.38
    """
    length, _ = _parse(text, default_unit, LENGTH_UNITS, "length")
    if not 0 < length <= 5:
        raise BadInput("A length must lie above 0 and at most 5 m.")
    return length


def parse_lever(text: str, unit: str = "cm") -> float:
    """Read a typed lever arm in metres; without a unit under 2 is metres, 2 and more are `unit`. Raises BadInput."""
    return parse_length(text, unit if _bare(text) >= BARE_CM else "m")


def parse_speed(text: str) -> float:
    """Read a belt or walking speed such as `9`, `9 km/h` or `2.5 m/s` in m/s; a bare number is km/h.

    Raises BadInput outside 0.3..36 km/h (practice judgement, editable).
    """
    speed = parse_number(text, "km/h", SPEED_UNITS, "speed")
    return _within(3.6 * speed, 0.3, 36, "km/h", text, "Speed") / 3.6


def parse_step_height(text: str, unit: str = "cm") -> float:
    """Read the height of a step or seat in metres; a bare number has `unit`.

    Raises BadInput outside 2..80 cm (practice judgement, editable).
    """
    return _within(100 * parse_number(text, unit, LENGTH_UNITS, "height"), 2, 80, "cm", text, "Height") / 100


def parse_load(text: str, unit: str = "kg") -> float:
    """Read a bar or weight in kg. Raises BadInput outside 0..400 kg (practice judgement, editable)."""
    return _within(parse_number(text, unit, MASS_UNITS, "load"), 0, 400, "kg", text, "Load")


def parse_turn_out(text: str) -> float:
    """Read how far the feet turn out, degrees. Raises BadInput beyond 60 either way (practice judgement, editable)."""
    return _within(parse_number(text, "°", {"°": 1.0}, "turn-out"), -60, 60, "°", text, "Turn-out")


def _bare(text: str) -> float:
    """A number that was typed without a unit; 0 for anything else."""
    match = _NUMBER.fullmatch(text)
    return float(match[1].replace(",", ".")) if match is not None and not match[2] else 0.0


def from_newtons(force: float, unit: str) -> float:
    """Express newtons in `N`, `kgf` or `lbf`.

    >>> round(from_newtons(100.0, 'kgf'), 2)
    10.2
    """
    return force / FORCE_UNITS[unit]


def shown_mass(kilograms: float, unit: str = "kg") -> str:
    """A mass as it is shown and may be typed: 74 kg, 163.1 lb."""
    return f"{kilograms / MASS_UNITS[unit]:.4g} {unit}"


def shown_length(metres: float, unit: str = "cm") -> str:
    """A length as it is shown and may be typed: 35 cm, 67.7 in."""
    return f"{metres / LENGTH_UNITS[unit]:.3g} {unit}"


def unit_suffix(unit: str) -> str:
    """A unit as it stands behind a number: a degree sign and "/10" touch it, everything else keeps a space."""
    return unit if unit in ("", "°") or unit.startswith("/") else f" {unit}"


def sentence_case(words: str) -> str:
    """Words with a capital at their beginning; the rest stays as it is (names, RED, kg)."""
    return words[:1].upper() + words[1:]


def mid_sentence(words: str) -> str:
    """The other way round: a name as it stands inside a sentence; an abbreviation (PSIS, C7) keeps its capital."""
    short = words[1:2].isupper() or words[1:2].isdigit()
    return words if short else words[:1].lower() + words[1:]


def format_signed(value: float, decimals: int) -> str:
    """A number with a true minus sign and no negative zero.

    >>> format_signed(-4.26, 1)
    '−4.3'
    """
    text = f"{value:.{decimals}f}"
    if float(text) == 0:
        text = f"{0:.{decimals}f}"
    return text.replace("-", "−")
