"""The standing plan of a case."""

from __future__ import annotations

from collections.abc import Iterable

from tuning.core.entries import PlanItem
from tuning.core.types import Entry


def standing_plan(entries: Iterable[Entry]) -> list[PlanItem]:
    """The newest item of each rung that was not withdrawn, in the order of their first writing."""
    newest = {item.rung: item for item in entries if isinstance(item, PlanItem)}
    return [item for item in newest.values() if not item.withdrawn]
