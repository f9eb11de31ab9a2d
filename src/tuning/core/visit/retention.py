"""How long a record of a person is kept, and from when it may be erased. Nothing is erased by itself."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date

ADULT = 18


@dataclass(frozen=True)
class RetentionRule:
    """Years after the last visit, 0 for ever; who was not of age then is kept until an `age` at least.

    Ten years and the 25th birthday are usual in several countries; the law of the place decides (practice judgement,
    editable).
    """

    years: int = 10
    age: int = 25

    def until(self, born: date, last: date | None) -> date | None:
        """The day from which the person may be erased; None for never, or before the first visit."""
        if not self.years or last is None:
            return None
        over = _later(last, self.years)
        minor = last < _later(born, ADULT)
        return max(over, _later(born, self.age)) if minor else over

    def is_over(self, born: date, last: date | None, today: date) -> bool:
        """Whether that day has come."""
        if last is None or today.year - last.year < self.years:  # asked of thousands, and nearly always so
            return False
        until = self.until(born, last)
        return until is not None and until <= today


def _later(day: date, years: int) -> date:
    """The same day of another year; the last of February becomes the first of March where there is none."""
    try:
        return day.replace(year=day.year + years)
    except ValueError:
        return date(day.year + years, 3, 1)
