"""What is said while an exercise is taught: steps, where it should be felt, and the cue that answers each fault."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass

from tuning.core.entries import Done
from tuning.core.programme.dose import Dose
from tuning.core.programme.ladders import Fault, Ladder, Rung
from tuning.core.types import Entry, Side

CLINIC = "clinic"
LEAST_CUES = 3
"""So many cues a sheet lists of an exercise in which nobody has seen more (practice judgement, editable)."""


@dataclass(frozen=True)
class Coaching:
    """The teaching of one exercise to one person; `own` are the faults that were seen in it, `last` the one of them
    of the session before, to begin with."""

    steps: tuple[str, ...]
    set_up: tuple[str, ...]
    feel: str
    faults: tuple[Fault, ...]
    own: tuple[Fault, ...] = ()
    last: Fault | None = None

    @property
    def in_order(self) -> tuple[Fault, ...]:
        """Every fault: that of the last session, what was ever seen in this person, the others."""
        begin = () if self.last is None else (self.last,)
        return tuple(dict.fromkeys((*begin, *self.own, *self.faults)))

    @property
    def to_take_home(self) -> tuple[Fault, ...]:
        """What a sheet lists: all that were seen in this person, and no fewer than a few."""
        return self.in_order[: max(LEAST_CUES, len(self.own))]


def coaching_of(
    rung: Rung, ladder: Ladder, faults: Mapping[str, Fault], entries: Iterable[Entry] = (), side: Side = Side.NONE,
    dose: Dose | None = None,
) -> Coaching:  # fmt: skip
    """How a rung is taught on a side at a dose, with what the last session in the clinic left to correct."""
    known, log = tuple(faults[key] for key in rung.faults), list(entries)
    made = {key for one in log if isinstance(one, Done) and one.rung == rung.id for key in one.faults}
    own = tuple(fault for fault in known if fault.id in made)
    last = last_fault(known, rung, log, side)
    return Coaching(rung.steps_for(side), ladder.set_up(rung, dose), feel_words(rung), known, own, last)


def feel_words(rung: Rung) -> str:
    """Where it should be felt and where not, in whole sentences."""
    parts = []
    if rung.feel:
        parts.append(f"You should feel: {', '.join(rung.feel)}.")
    if rung.avoid:
        parts.append(f"You should not feel: {', '.join(rung.avoid)}.")
    return " ".join(parts)


def last_fault(own: Sequence[Fault], rung: Rung, entries: Iterable[Entry], side: Side) -> Fault | None:
    """The fault named first in the newest session of that leg in the clinic; None where it was clean or never done.

    A side of `NONE` asks for either leg: a sheet is written for both.
    """
    sessions = [
        one for one in entries
        if isinstance(one, Done) and (one.rung, one.source, one.trial) == (rung.id, CLINIC, False)
        and (side is one.side or side is Side.NONE)
    ]  # fmt: skip
    if not sessions:
        return None
    newest = max(one.day for one in sessions)
    named = [key for one in sessions if one.day == newest for key in one.faults[:1]]
    return next((fault for fault in own if fault.id in named), None)


def faults_by_count(tapped: Sequence[str], own: Sequence[Fault]) -> tuple[str, ...]:
    """Ids of the faults that were tapped, the most frequent first; of equal ones the first of the exercise."""
    count = Counter(tapped)
    return tuple(fault.id for fault in sorted(own, key=lambda fault: -count[fault.id]) if count[fault.id])
