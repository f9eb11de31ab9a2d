"""Weight share from two scales."""

from __future__ import annotations

import re

from tuning.core.errors import BadInput
from tuning.core.units import MASS_UNITS, parse_number

_ONE = r"(\d+(?:[.,]\d+)?\s*(?:kg|lb)?)"
_PAIR = re.compile(rf"\s*{_ONE}\s*[ ;/|]\s*{_ONE}\s*", re.IGNORECASE)


def read_pair(text: str, body_mass_kg: float | None) -> tuple[float, float]:
    """Left and right reading in kg from `38.2 41,0` or `84 lb / 90 lb`.

    Raises BadInput for anything else, and when both together are further than
    10 % (practice judgement, editable) from the body mass on record.
    """
    match = _PAIR.fullmatch(text)
    if match is None:
        raise BadInput("Type both scales, left first: 38.2 41.0 (kg, or lb behind each number).")
    left, right = (parse_number(one, "kg", MASS_UNITS, "weight") for one in match.groups())
    if min(left, right) <= 0:
        raise BadInput("Each scale must read above zero: one foot on each.")
    total = left + right
    if body_mass_kg is not None and abs(total - body_mass_kg) > 0.1 * body_mass_kg:
        raise BadInput(
            f"Together {total:.1f} kg, but {body_mass_kg:g} kg is on record: zero the scales, or correct the record."
        )
    return left, right


def right_share(left: float, right: float) -> float:
    """Share of the right leg, percent of both. Raises ValueError when nothing stands on the scales."""
    if left + right <= 0:
        raise ValueError("no weight on the scales")
    return 100 * right / (left + right)
