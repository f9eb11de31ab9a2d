"""Moments and units as they are shown: local time, and the space that belongs before a unit."""

from __future__ import annotations

from datetime import datetime


def day(at: datetime) -> str:
    """A day of this place, such as 3 May 2026."""
    return f"{at.astimezone():%-d %b %Y}"


def short_day(at: datetime) -> str:
    """A day of this place without its year."""
    return f"{at.astimezone():%-d %b}"


def clock(at: datetime) -> str:
    """Hours and minutes of this place."""
    return f"{at.astimezone():%H:%M}"
