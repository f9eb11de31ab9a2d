"""A person on the day list: what stands and what is open, from visits, screens and the plan."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from tuning.core.gate.standing import standing
from tuning.core.programme.plan import standing_plan
from tuning.core.types import Entry, Triage


@dataclass(frozen=True)
class Overview:
    """`level` is the caution that stands, None without one; `due` says what is open."""

    level: Triage | None
    due: str


def overview(entries: Iterable[Entry], measured: int) -> Overview:
    """What the day list tells of a person; oldest entry first, `measured` is the number of values."""
    known = list(entries)
    found = standing(known)
    level = found.level if found is not None and found.level is not Triage.NONE else None
    due = "plan running" if standing_plan(known) else "plan to make" if measured else "to be measured"
    return Overview(level, due)
