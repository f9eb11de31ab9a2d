"""Repetitions of a clip as the tasks use them, events moved by hand included."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from tuning.core.movement.kinematics import CycleValue, Signals
from tuning.core.movement.repetitions import Repetition, find_repetitions
from tuning.core.movement.tasks.result import EVENT_SD_FRAMES, Options, Result
from tuning.core.signals import fill_gaps
from tuning.core.types import NotMeasured, Side

HIDDEN_S = 0.5
"""Marks hidden this long between start, turn and end do not cut a repetition (practice judgement, editable)."""


def repetitions(
    signals: Signals, options: Options, result: Result, names: tuple[str, ...], rising: bool = False
) -> list[Repetition]:
    """Repetitions by the marks that were seen best; a warning and none when there are none."""
    shown = [n for n in names if signals.has(n)]
    if not shown:
        result.warnings.append(f"Repetitions need one of: {', '.join(names)}.")
        return []
    heights = [signals.raw(n)[:, 1] for n in shown]
    best = max(float(np.isfinite(h).mean()) for h in heights)
    # A mark that was hidden half the time would cut the others' repetitions, too.
    height = np.mean([h for h in heights if np.isfinite(h).mean() >= 0.95 * best], axis=0)
    found = find_repetitions(fill_gaps(height, signals.times, HIDDEN_S), signals.times, rising)
    if isinstance(found, NotMeasured):
        result.warnings.append(f"No repetitions: {found.detail}.")
        return []
    whole = [r for r in found if np.isfinite([height[signals.frame(t)] for t in (r.start, r.turn, r.end)]).all()]
    if len(whole) < len(found):
        result.warnings.append("Repetitions whose start, turn or end was hidden are left out.")
    found, none = whole, Side.NONE
    for rep in found:
        result.found += [("start", none, rep.start), ("turn", none, rep.turn), ("end", none, rep.end)]
    found = [
        Repetition(
            r.number,
            options.placed("start", none, r.start),
            options.placed("turn", none, r.turn),
            options.placed("end", none, r.end),
        )
        for r in found
    ]
    for rep in found:
        result.events += [("start", Side.NONE, rep.start), ("turn", Side.NONE, rep.turn), ("end", Side.NONE, rep.end)]
        result.cycles.append((Side.NONE, rep.start, rep.end))
    return found


def tempo(signals: Signals, result: Result, reps: Sequence[Repetition], prefix: str) -> None:
    """Times down and up of every repetition, s."""
    sd = EVENT_SD_FRAMES * 3 / signals.rate
    for rep in reps:
        k = signals.frame(rep.turn)
        for name, value in ((f"{prefix}-first-s", rep.first_s), (f"{prefix}-second-s", rep.second_s)):
            result.values.append(CycleValue(name, Side.NONE, rep.number, value, k, rep.turn, sd))
