"""Weight share from two scales."""

from __future__ import annotations

import re

from tuning.core.errors import BadInput

_PAIR = re.compile(r"\s*(\d+(?:[.,]\d+)?)\s*(kg|lb)?\s*[ ;/|]\s*(\d+(?:[.,]\d+)?)\s*(kg|lb)?\s*", re.IGNORECASE)
LB = 0.45359237


def read_pair(text: str, body_mass_kg: float | None) -> tuple[float, float]:
    """Left and right reading in kg from `38.2 41,0` or `84 lb / 90 lb`.

    Raises BadInput for anything else, and when both together are further than
    10 % (practice judgement, editable) from the body mass on record.
    """
    match = _PAIR.fullmatch(text)
    if match is None:
        raise BadInput("Type both scales, left first: 38.2 41.0 (kg, or lb behind each number).")
    left, right = (
        float(match[n].replace(",", ".")) * (LB if (match[n + 1] or "kg").lower() == "lb" else 1.0) for n in (1, 3)
    )
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
