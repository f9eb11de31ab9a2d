"""What stands, in words: for the header, the safety screen and the referral note."""

from __future__ import annotations

from tuning.core.gate.limits import limit_sets
from tuning.core.gate.standing import Finding, Standing
from tuning.core.gate.triage import SafetyTable
from tuning.core.types import Triage


def finding_name(finding: Finding, table: SafetyTable) -> str:
    """A finding as the table calls it; a limit with its legs."""
    if finding.is_limit:
        return f"limit, {limit_sets(table.limits, {finding.id: finding.legs}).text}"
    rule = next((r for r in table.rules if r.id == finding.id), None)
    return rule.name if rule is not None else finding.screen.note or finding.level.value


def standing_words(found: Standing | None, table: SafetyTable) -> str:
    """The level and everything that stands, then what was cleared; empty when there is nothing to say."""
    if found is None:
        return ""
    open_rules = [finding_name(f, table) for f in found.open if not f.is_limit]
    limits = found.limits(table.limits)
    parts = [*open_rules, *([f"surgeon's limits, {limits.text}"] if limits else [])]
    lifted = [finding_name(f, table) for f in found.lifted]
    told = f"{found.level.value}: {'; '.join(parts)}" if parts and found.level is not Triage.NONE else ""
    cleared = f"cleared: {'; '.join(lifted)}" if lifted else ""
    return " · ".join(part for part in (told, cleared) if part)
