"""Typed body measures of a patient, checked for plausibility."""

from __future__ import annotations

import re

from tuning.core.errors import BadInput

_NUMBER = re.compile(r"\s*(\d+(?:[.,]\d+)?)\s*([a-zA-Z]*)\s*")


def _read(text: str, factors: dict[str, float], default: str, low: float, high: float, what: str) -> float | None:
    if not text.strip():
        return None
    match = _NUMBER.fullmatch(text)
    unit = (match[2].lower() or default) if match else ""
    if match is None or unit not in factors:
        raise BadInput(f"{what}: type a number with {' or '.join(factors)}, or leave it empty.")
    value = float(match[1].replace(",", ".")) * factors[unit]
    if not low <= value <= high:
        raise BadInput(f"{what}: {text.strip()} is outside {low:g} to {high:g} {default}; check the unit.")
    return value


def body_mass_kg(text: str) -> float | None:
    """Read `74`, `74,5 kg` or `163 lb`; None when empty. Raises BadInput outside 15..350 kg."""
    return _read(text, {"kg": 1.0, "lb": 0.45359237}, "kg", 15, 350, "Body mass")


def stature_m(text: str) -> float | None:
    """Read `172`, `172 cm`, `1.72 m` or `68 in`; metres, None when empty.

    A bare number below 3 is taken as metres. Raises BadInput outside 80..250 cm.
    """
    bare = _NUMBER.fullmatch(text)
    if bare is not None and not bare[2] and float(bare[1].replace(",", ".")) < 3:
        text = f"{text.strip()} m"
    found = _read(text, {"cm": 1.0, "m": 100.0, "in": 2.54}, "cm", 80, 250, "Stature")
    return None if found is None else found / 100
