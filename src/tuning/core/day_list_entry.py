"""A person on the day list: what stands, what is due, and how soon somebody should look."""

from __future__ import annotations

from datetime import date, datetime
from enum import IntEnum
from typing import NamedTuple

from tuning.core.case import Patient
from tuning.core.entries import Done, NextDayResponse
from tuning.core.gate.open_findings import screening_status
from tuning.core.gate.text import EMERGENCY
from tuning.core.gate.triage import SafetyTable
from tuning.core.programme.log_mapping import alarms_open
from tuning.core.programme.rules import Rules
from tuning.core.programme.weekly_schedule import retests
from tuning.core.types import Entry, Triage

QUIET_LOG_DAYS = 7
"""A plan without a line in the log for longer is asked about (practice judgement, editable)."""


class ListPriority(IntEnum):
    """How soon somebody should look, the most urgent first."""

    EMERGENCY = 0
    REFER = 1
    LOG = 2
    RETEST = 3
    SILENT = 4
    CLEAR = 5
    PLAN = 6
    MEASURE = 7
    NOTHING = 8


class Digest(NamedTuple):
    """What is known of a person without opening the case.

    `screens` are the screens, clearances and values that the safety table reads, oldest first, of somebody in whom
    anything was ever found; `rungs` how
    many stand in the plan, since when; `logged` the last day done at home or here; `log` the sessions and screens of
    somebody who ever told pain, an alarm or a morning that had not settled; `measured` whether any value was taken;
    `factors` how many suspected causes went to the programme; `ended` when the newest visit ended with a discharge. A
    tuple, as of thousands each is made before the first is shown.
    """

    patient: Patient
    visits: int = 0
    last: datetime | None = None
    screens: tuple[Entry, ...] = ()
    rungs: int = 0
    since: datetime | None = None
    logged: date | None = None
    log: tuple[Entry, ...] = ()
    measured: bool = False
    factors: int = 0
    ended: datetime | None = None


class Overview(NamedTuple):
    """`level` is the caution that stands, None without one; `next` when to measure again."""

    level: Triage | None
    need: ListPriority
    words: str
    of: date | int | None = None
    next: date | None = None

    @property
    def due(self) -> str:
        """What is open, in words; they are made when they are shown."""
        return self.words.format(self.of)


Open = tuple[ListPriority, str, date | int | None]
"""What is open, in words with a place for a day or a number."""


def overview(known: Digest, today: date, rules: Rules, safety: SafetyTable) -> Overview:
    """What the day list tells of a person."""
    found = screening_status(known.screens, safety, known.patient) if known.screens else None
    level = found.level if found is not None else Triage.NONE
    last = known.last.astimezone().date() if known.last is not None else None
    missed, ahead = _retest(known, last, today) if known.rungs and known.ended is None else (None, None)
    due = _open(known, level, last, missed, today, rules)
    if found is not None and found.emergencies:
        due = ListPriority.EMERGENCY, f"EMERGENCY: {safety.urgencies[EMERGENCY].now}", None
    return Overview(level if level is not Triage.NONE else None, *due, ahead)


def _retest(known: Digest, last: date | None, today: date) -> tuple[date | None, date | None]:
    """The oldest re-test that no visit has met, and the next that is in the future."""
    if known.since is None or last is None:
        return None, None
    days = [day for day, _ in retests(known.since.astimezone().date()) if day > last]
    return next((day for day in days if day <= today), None), next((day for day in days if day > today), None)


def _open(
    known: Digest, level: Triage, last: date | None, missed: date | None, today: date, rules: Rules
) -> Open:  # fmt: skip
    if level is Triage.RED:
        return ListPriority.REFER, "refer, or clear the finding", None
    if alarms := alarms_open(known.log, rules, today):
        return ListPriority.LOG, "alarm on {:%-d %b}: ask the safety screen", alarms[0].day
    if known.ended is not None:
        return ListPriority.NOTHING, "discharged on {:%-d %b}", known.ended.astimezone()
    uneasy = max((e.day for e in known.log if isinstance(e, Done) and e.morning == NextDayResponse.NOT), default=None)
    if known.rungs and uneasy is not None and (last is None or uneasy > last):
        return ListPriority.LOG, "log: not settled on {:%-d %b}", uneasy
    if missed is not None:
        return ListPriority.RETEST, "re-test due since {:%-d %b}", missed
    if known.rungs:
        heard = max(known.logged or date.min, last or date.min)
        if (today - heard).days > QUIET_LOG_DAYS:
            return ListPriority.SILENT, "no log for {} days", (today - heard).days
        return ListPriority.NOTHING, "plan of {} running", known.rungs
    if known.factors:
        return ListPriority.PLAN, "{} suspected, no plan yet", known.factors
    if level is Triage.AMBER and known.measured:
        return ListPriority.CLEAR, "finding to clear", None
    return (
        (ListPriority.PLAN, "plan to make", None) if known.measured else (ListPriority.MEASURE, "to be measured", None)
    )
