"""Stances and repetitions made of events that a person put where none was found."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from tuning.core.movement.gait import EVENT_SD_FRAMES, Stance
from tuning.core.movement.repetitions import Repetition
from tuning.core.movement.tasks.result import Options, Result
from tuning.core.types import LEGS, Side

BY_HAND = "hand"


def stances_with(found: Sequence[Stance], options: Options, frame_s: float, result: Result) -> list[Stance]:
    """The stances found, and those between a landing and a toe-off that were put; a toe-off also ends a found stance
    that has none. What still lacks its other end is told."""
    sd, stances = EVENT_SD_FRAMES * frame_s, list(found)
    for side in LEGS:
        stances += [Stance(side, contact, np.nan, sd, sd, BY_HAND) for contact in options.manual_times("contact", side)]
        for off in options.manual_times("toe-off", side):
            before = [one for one in stances if one.side is side and one.contact < off]
            last = max(before, key=lambda one: one.contact, default=None)
            if last is None or np.isfinite(last.toe_off):
                text = f"The {side.value} foot leaves the ground at {off:.2f} s: put where it lands, too."
                result.waiting.append(("toe-off", side, off, text))
            else:
                stances[stances.index(last)] = replace(last, toe_off=off, toe_off_sd=sd, by=BY_HAND)
    for one in stances:
        if one.by == BY_HAND and not np.isfinite(one.toe_off):
            text = f"The {one.side.value} foot lands at {one.contact:.2f} s: put where it leaves the ground, too."
            result.waiting.append(("contact", one.side, one.contact, text))
    return stances


def repetitions_with(found: Sequence[Repetition], options: Options, result: Result) -> list[Repetition]:
    """The repetitions found, and those that were put: a turn with a start before and an end behind it."""
    starts, turns, ends = (options.manual_times(kind, Side.NONE) for kind in ("start", "turn", "end"))
    reps, used = list(found), set[tuple[str, float]]()
    for n, turn in enumerate(turns):
        start = max((s for s in starts if s < turn and not any(s < t < turn for t in turns[:n])), default=None)
        end = min((e for e in ends if e > turn and not any(turn < t < e for t in turns[n + 1 :])), default=None)
        if start is not None and end is not None:
            reps.append(Repetition(0, start, turn, turn, turn, end))
            used |= {("start", start), ("turn", turn), ("end", end)}
    for kind, times in (("start", starts), ("turn", turns), ("end", ends)):
        for time in times:
            if (kind, time) not in used:
                others = " and ".join(other for other in ("start", "turn", "end") if other != kind)
                text = f"The {kind} at {time:.2f} s is alone: put the {others} that belong to it, too."
                result.waiting.append((kind, Side.NONE, time, text))
    return [replace(rep, number=n) for n, rep in enumerate(sorted(reps, key=lambda rep: rep.start), start=1)]
