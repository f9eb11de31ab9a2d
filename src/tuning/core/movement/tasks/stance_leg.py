"""Which leg stands in each repetition, from the picture: the foot that stays where it is."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from tuning.core.movement.kinematics import MarkSignals
from tuning.core.movement.repetitions import Repetition
from tuning.core.movement.tasks.result import Result
from tuning.core.types import LEGS, Side

FEET = ("ankle", "second_toe", "heel")
MOVES_MORE, MOVES_PX = 2.0, 6.0
"""The free foot moves so many times as far as the standing one, and at least so far (practice judgement, editable)."""


def _way(signals: MarkSignals, side: Side, frames: np.ndarray) -> float | None:
    """How far a foot moves in these frames, px; None where it is not seen."""
    ways = []
    for mark in (f"{foot}_{side}" for foot in FEET):
        if signals.has(mark):
            seen = signals.at(mark)[frames]
            seen = seen[np.isfinite(seen).all(axis=1)]
            if len(seen) > 4:
                ways.append(float(np.hypot(*(np.percentile(seen, 95, axis=0) - np.percentile(seen, 5, axis=0)))))
    return max(ways) if ways else None


def stance_of(signals: MarkSignals, rep: Repetition) -> Side:
    """The leg whose foot stays; none where both move alike, or are not seen."""
    frames = signals.window(rep.start, rep.end)
    ways = {side: _way(signals, side, frames) for side in LEGS}
    left, right = (ways[side] for side in LEGS)
    if left is None or right is None or max(left, right) < MOVES_PX:
        return Side.NONE
    stays = Side.LEFT if left < right else Side.RIGHT
    return stays if max(left, right) >= MOVES_MORE * min(left, right) else Side.NONE


def by_leg(
    signals: MarkSignals, reps: Sequence[Repetition], named: Side, result: Result
) -> dict[Side, list[Repetition]]:
    """Repetitions by the leg that stands; a named side takes only its own, and where none is seen it is believed.

    What is left out, and a wrong side, is told.
    """
    stances = [stance_of(signals, rep) for rep in reps]
    if named is Side.NONE:
        if reps and Side.NONE in stances:
            result.warnings.append("Name the stance leg, left or right: the feet do not show it throughout.")
        return {side: own for side in LEGS if (own := [r for r, s in zip(reps, stances, strict=True) if s is side])}
    own = [rep for rep, stance in zip(reps, stances, strict=True) if stance is not named.other]
    if reps and not own:
        other = named.other.value
        result.warnings.append(
            f"The {named.value} leg is named, but every repetition stands on the {other} leg: no values."
        )
    elif len(own) < len(reps):
        away = len(reps) - len(own)
        result.warnings.append(
            f"{away} of {len(reps)} repetitions stand on the {named.other.value} leg and are left out."
        )
    return {named: own} if own else {}
