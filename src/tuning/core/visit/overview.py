"""A person on the day list: what stands, what is due, and how soon somebody should look."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, datetime
from enum import IntEnum

from tuning.core.case import Patient
from tuning.core.gate.standing import standing
from tuning.core.programme.week import retests
from tuning.core.types import Entry, Triage

QUIET_LOG_DAYS = 7
"""A plan without a line in the log for longer is asked about (practice judgement, editable)."""


class Need(IntEnum):
    """How soon somebody should look, the most urgent first."""

    REFER = 0
    LOG = 1
    RETEST = 2
    SILENT = 3
    CLEAR = 4
    PLAN = 5
    MEASURE = 6
    NOTHING = 7


@dataclass(frozen=True)
class Digest:
    """What is known of a person without opening the case.

    `screens` are the screens and clearances of somebody in whom anything was ever found, oldest first; `rungs` how
    many stand in the plan, since when; `logged` the last day done at home or here, `alarm` the last one that was not
    settled; `measured` whether any value was taken; `factors` how many suspected causes went to the programme; `ended`
    when the newest visit ended with a discharge.
    """

    patient: Patient
    visits: int = 0
    last: datetime | None = None
    screens: tuple[Entry, ...] = ()
    rungs: int = 0
    since: datetime | None = None
    logged: date | None = None
    alarm: date | None = None
    measured: bool = False
    factors: int = 0
    ended: datetime | None = None


@dataclass(frozen=True)
class Overview:
    """`level` is the caution that stands, None without one; `due` says what is open; `next` when to measure again."""

    level: Triage | None
    need: Need
    due: str
    next: date | None = None


def overview(known: Digest, today: date) -> Overview:
    """What the day list tells of a person."""
    found = standing(known.screens) if known.screens else None
    level = found.level if found is not None and found.level is not Triage.NONE else None
    last = known.last.astimezone().date() if known.last is not None else None
    due, ahead = _retest(known, last, today) if known.ended is None else (None, None)
    need, words = _need(known, level, last, due, today)
    return Overview(level, need, words, due if due is not None and due > today else ahead)


def _retest(known: Digest, last: date | None, today: date) -> tuple[date | None, date | None]:
    """The oldest re-test that no visit has met, and the next that lies ahead."""
    if not known.rungs or known.since is None or last is None:
        return None, None
    days = [day for day, _ in retests(known.since.astimezone().date())]
    missed = next((day for day in days if last < day <= today), None)
    return missed, next((day for day in days if day > today and day > last), None)


def _need(known: Digest, level: Triage | None, last: date | None, due: date | None, today: date) -> tuple[Need, str]:
    if level is Triage.RED:
        return Need.REFER, "refer, or clear the finding"
    if known.ended is not None:
        return Need.NOTHING, f"discharged on {known.ended.astimezone():%-d %b}"
    if known.rungs and known.alarm is not None and (last is None or known.alarm > last):
        return Need.LOG, f"log: not settled on {known.alarm:%-d %b}"
    if due is not None:
        return Need.RETEST, f"re-test due since {due:%-d %b}"
    if known.rungs:
        quiet = (today - max(d for d in (known.logged, last, date.min) if d is not None)).days
        if quiet > QUIET_LOG_DAYS:
            return Need.SILENT, f"no log for {quiet} days"
        return Need.NOTHING, f"plan of {known.rungs} running"
    if known.factors:
        return Need.PLAN, f"{known.factors} suspected, no plan yet"
    if level is Triage.AMBER and known.measured:
        return Need.CLEAR, "finding to clear"
    return (Need.PLAN, "plan to make") if known.measured else (Need.MEASURE, "to be measured")
