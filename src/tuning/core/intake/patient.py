"""A typed birth date, checked for plausibility."""

from __future__ import annotations

import re
from datetime import date

from tuning.core.errors import BadInput

OLDEST_Y = 120
MONTHS = ("jan", "feb", "mar", "apr", "may", "jun", "jul", "aug", "sep", "oct", "nov", "dec")
_DATE = re.compile(r"(\d{1,4})[\s./,-]+(\d{1,2}|[a-z]{3,9})[\s./,-]+(\d{1,4})", re.IGNORECASE)


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
    number = (
        MONTHS.index(month[:3].lower()) + 1 if month[:3].lower() in MONTHS else int(month) if month.isdigit() else 0
    )
    try:
        found = date(int(year), number, int(day))
    except ValueError:
        raise BadInput(f"Birth date: {text.strip()} is no day of the calendar; type {order}.") from None
    if found > today:
        raise BadInput("Birth date: that day is still to come.")
    if today.year - found.year - ((today.month, today.day) < (found.month, found.day)) > OLDEST_Y:
        raise BadInput(f"Birth date: that is more than {OLDEST_Y} years ago.")
    return found
