"""Repetitions of a clip as the tasks use them, events moved by hand included."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from tuning.core.movement.gait import EVENT_SD_FRAMES
from tuning.core.movement.kinematics import CycleValue, MarkSignals
from tuning.core.movement.repetitions import Repetition, find_repetitions
from tuning.core.movement.tasks.manual_events import repetitions_with
from tuning.core.movement.tasks.result import Options, Result
from tuning.core.signals import fill_gaps
from tuning.core.types import NotMeasured, Side

HIDDEN_S = 0.5
"""Marks hidden this long between start, turn and end do not cut a repetition (practice judgement, editable)."""


def repetitions(
    signals: MarkSignals, options: Options, result: Result, names: tuple[str, ...], rising: bool = False
) -> list[Repetition]:
    """Repetitions by the marks that were seen best, and by what was put by hand; a warning when there are none."""
    reps = []
    for rep in repetitions_with(_found(signals, result, names, rising), options, result):
        times = {kind: getattr(rep, kind) for kind in _kinds(rep)}
        result.found += [(kind, Side.NONE, time) for kind, time in times.items()]
        placed = {kind: options.placed(kind, Side.NONE, time) for kind, time in times.items()}
        if not rep.held:  # there and back are one moment, wherever it is put
            placed |= {kind: getattr(rep, kind) + placed["turn"] - rep.turn for kind in ("there", "back")}
        start, there, turn, back, end = (placed[kind] for kind in ("start", "there", "turn", "back", "end"))
        reps.append(Repetition(rep.number, start, there, turn, back, end, rep.sd))
        result.events += [(kind, Side.NONE, placed[kind]) for kind in times]
        result.cycles.append((Side.NONE, placed["start"], placed["end"]))
    return reps


def _found(signals: MarkSignals, result: Result, names: tuple[str, ...], rising: bool) -> list[Repetition]:
    """Repetitions that the marks tell; why there are none, or fewer, is said."""
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
    return whole


def _kinds(rep: Repetition) -> tuple[str, ...]:
    """Events of a repetition in their order; the ends of a hold where there is one."""
    return ("start", "there", "turn", "back", "end") if rep.held else ("start", "turn", "end")


def tempo(
    signals: MarkSignals, result: Result, reps: Sequence[Repetition], prefix: str, side: Side = Side.NONE
) -> None:
    """Times of the way there, the hold and the way back of every repetition, s."""
    for rep in reps:
        sd = float(np.hypot(EVENT_SD_FRAMES * np.sqrt(2) / signals.rate, rep.sd))
        k = signals.frame(rep.turn)
        for name, value in zip(("first", "hold", "second"), rep.phases, strict=True):
            result.values.append(CycleValue(f"{prefix}-{name}-s", side, rep.number, value, k, rep.turn, sd))
