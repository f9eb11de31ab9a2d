"""Phases of a plan: settle, restore, load, return; what opens them and when one is left."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum

EARLY_WEEKS, FLARE_DAYS, QUIET_DAYS, SCORE_CHANGE = 6, 14, 7, 2.0
QUIET_PAIN = 2


class Phase(StrEnum):
    """A stretch of a plan, in order."""

    SETTLE = "settle"
    RESTORE = "restore"
    LOAD = "load"
    RETURN = "return"

    @property
    def place(self) -> int:
        """Where it stands in the order, from 0."""
        return list(Phase).index(self)

    @property
    def most_kneecap(self) -> int:
        """Kneecap demand up to which it prescribes depth (practice judgement, editable)."""
        return {Phase.SETTLE: 1, Phase.RESTORE: 2}.get(self, 3)

    @property
    def next(self) -> Phase:
        """The one after; the last stays."""
        return list(Phase)[min(self.place + 1, 3)]


@dataclass(frozen=True)
class PhaseFacts:
    """What decides about the phase.

    `weeks_since` injury or operation, None without one; `flares` how many in the last 14 days; `trial_pain` the worst
    of the try-outs, 0-10; `gaps` range side gaps that count and are not accepted, `weak` strength gaps; `skills`
    skill rungs of the plan that are not passed uncued on both sides; `target` whether the target rung is passed at
    its load; `wants_load` whether a goal needs load.
    """

    pain_inhibited: bool = False
    flares: int = 0
    weeks_since: float | None = None
    trial_pain: int = 0
    climb_pain: int = 2
    quiet_days: int = 0
    worst_pain: int = 0
    swelling: bool = False
    amber: bool = False
    gaps: Sequence[str] = ()
    weak: Sequence[str] = ()
    skills: Sequence[str] = ()
    target: bool = False
    wants_load: bool = True


def entry_phase(course: PhaseFacts) -> tuple[Phase, str]:
    """The first phase that a plan needs, with the reason."""
    reasons = [
        (course.pain_inhibited, "pain holds the muscles back"),
        (course.flares >= 2, f"second flare-up in {FLARE_DAYS} days"),
        (course.weeks_since is not None and course.weeks_since < EARLY_WEEKS,
         f"under {EARLY_WEEKS} weeks from injury or operation"),
        (course.trial_pain > course.climb_pain, f"pain {course.trial_pain}/10 in the try-out"),
    ]  # fmt: skip
    found = next((words for true, words in reasons if true), "")
    return (Phase.SETTLE, found) if found else (Phase.RESTORE, "nothing asks to settle first")


def still_needed(phase: Phase, course: PhaseFacts) -> list[str]:
    """What keeps a plan in a phase; empty when it may be left. Return is left by discharge only."""
    missing: list[str] = []
    if phase is Phase.SETTLE:
        if course.quiet_days < QUIET_DAYS:
            missing.append(f"{QUIET_DAYS} days of settled mornings ({course.quiet_days} so far)")
        if course.worst_pain > QUIET_PAIN:
            missing.append(f"pain at most {QUIET_PAIN}/10 (now {course.worst_pain})")
        if course.swelling:
            missing.append("no new swelling")
    elif phase is Phase.RESTORE:
        missing += _gaps("range", course.gaps)
        missing += [f"passed without a cue on both sides: {skill}" for skill in course.skills]
        if course.amber:
            missing.append("the AMBER finding cleared")
    elif phase is Phase.LOAD:
        if not course.target:
            missing.append("the target rung passed at its load")
        missing += _gaps("strength", course.weak)
    return missing


def _gaps(kind: str, found: Sequence[str]) -> list[str]:
    """One line for all: which they are is told where they can be accepted."""
    return [f"{kind} side gaps in tune or accepted ({len(found)} open)"] if found else []


def next_phase(phase: Phase, course: PhaseFacts) -> Phase:
    """The phase after this one when nothing keeps the plan in it; a plan without a goal that needs load skips load."""
    if phase is Phase.RETURN or still_needed(phase, course):
        return phase
    return Phase.RETURN if phase is Phase.RESTORE and not course.wants_load else phase.next


def score_change(before: float, now: float) -> str:
    """What a change of the activity score (0-10, mean of its items) means: better, REVIEW, or within its error."""
    if now - before >= SCORE_CHANGE:
        return "better"
    return "review" if before - now >= SCORE_CHANGE else "no change that counts"


def discharge(goals_open: Sequence[str], gaps: Sequence[str], clean_weeks: int, score_asked: bool) -> list[str]:
    """What is missing for a discharge; empty when it may be."""
    missing = [f"goal open: {goal}" for goal in goals_open] + _gaps("all", gaps)
    if clean_weeks < 2:
        missing.append(f"two clean weeks ({clean_weeks} so far)")
    if not score_asked:
        missing.append("the activity score asked again")
    return missing
