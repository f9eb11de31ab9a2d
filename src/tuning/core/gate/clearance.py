"""Lifting one finding or one limit: by whom, on which day, with what result."""

from __future__ import annotations

from datetime import date

from tuning.core.entries import Clearance
from tuning.core.errors import Refused
from tuning.core.gate.open_findings import ScreeningStatus
from tuning.core.types import Role


def check_clearance(asked: Clearance, found: ScreeningStatus | None, role: Role | None, today: date) -> None:
    """Raises Refused, with the sentence, when a clearance may not be kept."""
    if role is not Role.CLINICIAN:
        raise Refused("Only a licensed clinician clears a finding. Nothing was saved.")
    if not asked.by.strip() or not asked.result.strip():
        raise Refused("A clearance needs a name and a result.")
    if found is None:
        raise Refused("There is no safety screen to clear.")
    finding = next((f for f in found.open if f.id == asked.subject), None)
    if finding is None:
        raise Refused("Choose the finding or limit that is cleared; each is cleared by itself.")
    if asked.on > today:
        raise Refused("A clearance cannot lie in the future.")
    since = finding.screen.at.astimezone().date()
    if asked.on < since:
        raise Refused(f"A clearance cannot be older than the screen of {since:%-d %b %Y}.")
