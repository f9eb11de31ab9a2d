"""The week as an iCalendar file (RFC 5545), with an alarm before each session and the days of re-tests."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, date, datetime, time, timedelta

from icalendar import Alarm, Calendar, Event

CODES = ("MO", "TU", "WE", "TH", "FR", "SA", "SU")
BEFORE = timedelta(minutes=15)


@dataclass(frozen=True)
class Session:
    """What is done on a day of the week (0 Monday): lines of exercises, and how long it takes; from which week on, the
    first being 0, and for how many, None for all."""

    day: int
    lines: tuple[str, ...]
    minutes: float
    first_week: int = 0
    weeks: int | None = None


def calendar_of(
    sessions: Sequence[Session], start: date, weeks: int, at: time, retests: Sequence[tuple[date, str]], key: str
) -> bytes:
    """The calendar; times are those of the clock on the wall. `key` tells this plan from others, it names nobody."""
    made = Calendar()
    made.add("prodid", "-//Tuning//exercise week//EN")
    made.add("version", "2.0")
    for one in sessions:
        first = start + timedelta(days=(one.day - start.weekday()) % 7 + 7 * one.first_week)
        event = Event()
        event.add("uid", f"{key}-{one.day}-{one.first_week}@tuning" if one.first_week else f"{key}-{one.day}@tuning")
        event.add("dtstamp", datetime.combine(start, time(0), tzinfo=UTC))
        event.add("summary", f"Exercises, {one.minutes:.0f} min")
        event.add("description", "\n".join(one.lines))
        event.add("dtstart", datetime.combine(first, at))
        event.add("duration", timedelta(minutes=max(1, round(one.minutes))))
        event.add("rrule", {"freq": "weekly", "count": one.weeks or weeks, "byday": CODES[one.day]})
        alarm = Alarm()
        alarm.add("action", "DISPLAY")
        alarm.add("description", "Exercises")
        alarm.add("trigger", -BEFORE)
        event.add_component(alarm)
        made.add_component(event)
    for n, (day, what) in enumerate(retests):
        event = Event()
        event.add("uid", f"{key}-retest-{n}@tuning")
        event.add("dtstamp", datetime.combine(start, time(0), tzinfo=UTC))
        event.add("summary", f"Measured again: {what}")
        event.add("dtstart", day)
        made.add_component(event)
    return bytes(made.to_ical())
