"""What stands, in words: for the header, the safety screen and the referral note."""

from __future__ import annotations

from tuning.core.gate.limits import LimitFacts, limit_sets
from tuning.core.gate.open_findings import SafetyFinding, ScreeningStatus
from tuning.core.gate.triage import SafetyTable
from tuning.core.types import Triage

EMERGENCY = "1 emergency"
"""The urgency that comes before all others."""


def now_words(found: ScreeningStatus | None, table: SafetyTable, plain: bool = False) -> str:
    """What to do now under the most urgent finding; empty where nothing locks."""
    first = found.open[0] if found is not None and found.level is Triage.RED and found.open else None
    urgency = table.urgencies.get(first.urgency or "2 same day") if first is not None else None
    if urgency is None:
        return ""
    return urgency.plain if plain else urgency.now


def finding_name(finding: SafetyFinding, table: SafetyTable) -> str:
    """A finding as the table calls it; a limit with its legs."""
    if finding.is_limit:
        number = {finding.id: finding.number} if finding.number is not None else {}
        until = {finding.id: finding.until} if finding.until is not None else {}
        return f"limit, {limit_sets(table.limits, {finding.id: finding.legs}, LimitFacts(number, until)).text}"
    rule = table.by_id.get(finding.id)
    if rule is None:
        return finding.screen.note or finding.level.value
    return f"{rule.name} ({finding.words})" if finding.words else rule.name


def standing_words(found: ScreeningStatus | None, table: SafetyTable) -> str:
    """The level and everything that stands, then what was cleared; empty when there is nothing to say."""
    if found is None:
        return ""
    open_rules = [finding_name(f, table) for f in found.open if not f.is_limit]
    limits = found.limits(table)
    parts = [*open_rules, *([f"surgeon's limits, {limits.text}"] if limits else [])]
    lifted = [finding_name(f, table) for f in found.lifted]
    first = f"{found.level.value}, {table.urgencies[EMERGENCY].name}" if found.emergencies else found.level.value
    told = f"{first}: {'; '.join(parts)}" if parts and found.level is not Triage.NONE else ""
    cleared = f"cleared: {'; '.join(lifted)}" if lifted else ""
    return " · ".join(part for part in (told, cleared) if part)
