"""From the entries of a case to what is decided: the sets of a line, where an exercise may go, what was passed."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import date, timedelta

from tuning.core.entries import Decision, Done, PlanItem
from tuning.core.programme.decide import Exercise, Morning, Move, Set
from tuning.core.programme.ladders import Dose, Ladder, Rung
from tuning.core.types import Entry

SUBJECT = "programme"
"""Subject of the decisions about exercises."""
ALARMS = ("giving way", "catch", "swelling", "numb", "dizzy", "painkiller")
SESSIONS = 3


def set_of(done: Done) -> Set:
    """A line of the log as the decision table reads it."""
    told = {name.replace(" ", "_"): name in done.alarms for name in ALARMS}
    return Set(
        done.day, done.side, done.rung, done.pain, Morning(done.morning), done.morning_pain, done.faulty, done.felt,
        done.wrong, supervised=done.supervised, **told,
    )  # fmt: skip


def sessions(entries: Iterable[Entry], rungs: Iterable[str]) -> list[Done]:
    """What was done of some rungs, oldest first; try-outs are left out."""
    wanted = set(rungs)
    return sorted(
        (e for e in entries if isinstance(e, Done) and e.rung in wanted and not e.trial), key=lambda e: (e.day, e.at)
    )


def passed(entries: Iterable[Entry]) -> frozenset[str]:
    """Rungs that were left upward by a decision."""
    return frozenset(
        str(e.inputs.get("from"))
        for e in entries
        if isinstance(e, Decision) and e.subject == SUBJECT and e.outcome == Move.CLIMB.value
    )


@dataclass(frozen=True)
class Ahead:
    """What lies ahead of one exercise: why its next step is locked, and the step that the rung itself still has."""

    locked: str = ""
    within: str = ""


def exercise_of(item: PlanItem, rung: Rung, ladder: Ladder, entries: Sequence[Entry], ahead: Ahead) -> Exercise:
    """An item of the plan as the decision table reads it."""
    line = ladder.line(rung)
    dose = Dose(**item.dose)
    above = ladder.above(rung)
    known = [e for e in entries if isinstance(e, PlanItem) and _same_step(e, item)]
    moves = [e for e in entries if isinstance(e, Decision) and e.subject == SUBJECT]
    here = [e for e in moves if e.inputs.get("from") == rung.id]
    changes = [e for e in here if e.outcome == Move.CHANGE.value]
    ids = tuple(r.id for r in line)
    backs = [e for e in moves if e.outcome in (Move.BACK.value, Move.STOP.value) and e.inputs.get("from") in ids]
    tried = {
        e.side for e in entries if isinstance(e, Done) and above is not None and e.rung == above.id and _clean_try(e)
    }
    return Exercise(
        rung=rung.id,
        line=ids,
        since=min((e.at for e in known), default=item.at).date(),
        sides=rung.sides,
        ladder=ladder.id,
        loaded=rung.loaded_as(rung.pose(item.variant), dose.depth_deg, dose.load_kg),
        sessions=SESSIONS,
        days=rung.pass_days,
        per_week=float(dose.days),
        changed=changes[-1].at.date() if changes else None,
        locked=ahead.locked,
        transition=above is not None and above.transition,
        tried=above is not None and tried >= set(above.sides),
        held=str(backs[-1].inputs["from"]) if backs else "",
        within=ahead.within,
    )


def _same_step(one: PlanItem, other: PlanItem) -> bool:
    """Whether two items ask the same of the same rung: variant and depth, too."""
    depths = [entry.dose.get("depth_deg") for entry in (one, other)]
    return (one.rung, one.variant, depths[0]) == (other.rung, other.variant, depths[1])


def _clean_try(done: Done) -> bool:
    """A supervised try-out that was clean; home logs never open a transition."""
    good = done.felt and not done.wrong and not done.faults and not done.alarms
    return done.trial and done.supervised and good


def done_this_week(entries: Iterable[Entry], today: date) -> Mapping[str, int]:
    """Days on which each rung was done in the last seven."""
    days: dict[str, set[date]] = {}
    for one in entries:
        if isinstance(one, Done) and not one.trial and today - timedelta(days=7) < one.day <= today:
            days.setdefault(one.rung, set()).add(one.day)
    return {rung: len(found) for rung, found in days.items()}
