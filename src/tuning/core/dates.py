"""Typed dates: a birth date, checked for plausibility, and the day of an injury as far as it is known."""

from __future__ import annotations

import calendar
import re
from contextlib import suppress
from datetime import date

from tuning.core.errors import BadInput

OLDEST_Y = 120
MONTHS = ("jan", "feb", "mar", "apr", "may", "jun", "jul", "aug", "sep", "oct", "nov", "dec")
_DATE = re.compile(r"(\d{1,4})[\s./,-]+(\d{1,2}|[a-z]{3,9})[\s./,-]+(\d{1,4})", re.IGNORECASE)
_MONTH = re.compile(r"(?:(\d{1,2})[./-]|([a-z]{3,9})\.?\s+)?(\d{4})", re.IGNORECASE)


def birth_date(text: str, today: date, month_first: bool = False) -> date:
    """Read a typed date: `12.03.1979`, `12/3/1979`, `12 March 1979`, `1979-03-12`.

    Where neither number can tell, day and month are taken in the order of the date
    style. Raises BadInput for what is no date, lies ahead, or is over 120 years ago.
    """
    order = "month, day and year" if month_first else "day, month and year"
    match = _DATE.fullmatch(text.strip())
    if match is None:
        raise BadInput(f"Birth date: type {order}, for example {'3/12/1979' if month_first else '12.3.1979'}.")
    first, middle, last = match.groups()
    if len(first) == 4:
        year, month, day = first, middle, last
    elif len(last) != 4:
        raise BadInput("Birth date: type the year with four digits.")
    elif middle.isalpha() or not month_first:
        year, month, day = last, middle, first
    else:
        year, month, day = last, first, middle
    try:
        found = date(int(year), _month(month), int(day))
    except ValueError:
        raise BadInput(f"Birth date: {text.strip()} is no day of the calendar; type {order}.") from None
    if found > today:
        raise BadInput("Birth date: that day is still to come.")
    if today.year - found.year - ((today.month, today.day) < (found.month, found.day)) > OLDEST_Y:
        raise BadInput(f"Birth date: that is more than {OLDEST_Y} years ago.")
    return found


def named_day(text: str, what: str, month_first: bool = False) -> date:
    """Read a day that may lie ahead: `12.03.2027`, `12 March 2027`, `2027-03-12`. Raises BadInput.

    >>> named_day('4 March 2026', 'The day')
    datetime.date(2026, 3, 4)
    """
    match = _DATE.fullmatch(text.strip())
    if match is not None:
        first, middle, last = match.groups()
        if len(first) == 4:
            year, month, day = first, middle, last
        else:
            day, month, year = (first, middle, last) if middle.isalpha() or not month_first else (middle, first, last)
        with suppress(ValueError):
            if len(year) == 4:
                return date(int(year), _month(month), int(day))
    raise BadInput(f"{what}: {text.strip()} is no day of the calendar; type for example 12.3.2027.")


def latest_day(text: str, today: date) -> date | None:
    """The latest day, not after today, that a told date allows: `12 Sept 2026`, `Sept 2026`, `9/2026` or `2020`.

    None for what is no date or is in the future. Where day and month can be exchanged the later reading counts: whoever
    counts weeks from an injury must not count too many.
    """
    told = text.strip()
    match = _MONTH.fullmatch(told)
    if match is None:
        exact = [found for first in (False, True) if (found := _exact(told, today, first)) is not None]
        return max(exact, default=None)
    digits, name, year = match.groups()
    month = _month(digits or name) if digits or name else 12
    first_month = month if digits or name else 1
    if not (1 <= month <= 12 and today.year - OLDEST_Y <= int(year)) or date(int(year), first_month, 1) > today:
        return None
    return min(today, date(int(year), month, calendar.monthrange(int(year), month)[1]))


def day_words(text: str, today: date) -> tuple[bool, str]:
    """Whether a told day was understood, and in words from when weeks are counted; nothing for an empty one."""
    if not text.strip():
        return True, ""
    day = latest_day(text, today)
    if day is None:
        return False, "Not understood as a day that has been; weeks since it are not counted. Write Sept 2026."
    return True, f"counted from {day:%-d %b %Y}"


def _exact(text: str, today: date, month_first: bool) -> date | None:
    try:
        return birth_date(text, today, month_first)
    except BadInput:
        return None


def _month(text: str) -> int:
    """A month from its name or number; 0 for what is none."""
    short = text[:3].lower()
    return MONTHS.index(short) + 1 if short in MONTHS else int(text) if text.isdigit() else 0
