"""Whether a visit still goes on."""

from __future__ import annotations

from datetime import datetime, timedelta

from tuning.core.case import Visit

PAST_MIDNIGHT = timedelta(hours=6)
"""A visit begun so short a time ago goes on, whatever the date (practice judgement, editable)."""


def is_ongoing(visit: Visit, now: datetime) -> bool:
    """True on the day of the visit, in local time, and for six hours after it was begun."""
    same_day = visit.started_at.astimezone().date() == now.astimezone().date()
    return same_day or timedelta() <= now - visit.started_at <= PAST_MIDNIGHT
