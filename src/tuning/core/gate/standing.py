"""What stands of the safety screens of a case, finding by finding: functions of the snapshot."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from datetime import UTC, datetime

from tuning.core.case import Case
from tuning.core.entries import Clearance, Screen, Unreadable
from tuning.core.gate.limits import NO_LIMITS, PREFIX, SURGEON, Limit, StandingLimits, limit_sets, limits_told
from tuning.core.types import Entry, Side, Triage


@dataclass(frozen=True)
class Finding:
    """One rule that fired, or one limit that was told, since which screen, and who lifted it."""

    id: str
    level: Triage
    screen: Screen
    legs: frozenset[Side] = frozenset()
    ends: datetime | None = None
    """When it ends by itself; None where only a clearance lifts it."""
    clearance: Clearance | None = None

    @property
    def is_limit(self) -> bool:
        """True for a surgeon's limit."""
        return self.id.startswith(PREFIX)

    def stands(self, now: datetime) -> bool:
        """Whether it still counts."""
        return self.clearance is None and (self.ends is None or now < self.ends)


@dataclass(frozen=True)
class Standing:
    """The newest screen, and every finding there ever was as it stands."""

    screen: Screen
    findings: tuple[Finding, ...]
    now: datetime

    @property
    def open(self) -> tuple[Finding, ...]:
        """Findings and limits that nobody has lifted."""
        return tuple(f for f in self.findings if f.stands(self.now))

    @property
    def lifted(self) -> tuple[Finding, ...]:
        """Those that were cleared."""
        return tuple(f for f in self.findings if f.clearance is not None)

    @property
    def level(self) -> Triage:
        """The worst level that stands."""
        levels = {f.level for f in self.open}
        return next((level for level in (Triage.RED, Triage.AMBER) if level in levels), Triage.NONE)

    def limits(self, known: Sequence[Limit]) -> StandingLimits:
        """The surgeon's limits that stand."""
        told = {f.id: f.legs for f in self.open if f.is_limit}
        return limit_sets(known, told) if told else NO_LIMITS


def _told(screen: Screen) -> list[Finding]:
    """What a screen found. A RED screen of an older record does not say which of its rules lock: all do."""
    limits = limits_told(screen.answers)
    reds = set(screen.reds) or (set(screen.rules) if screen.level is Triage.RED else set())
    rules = [key for key in screen.rules if not (key == SURGEON and limits) and key not in screen.looks]
    found = [Finding(k, Triage.RED if k in reds else Triage.AMBER, screen, ends=screen.ends.get(k)) for k in rules]
    if screen.level is not Triage.NONE and not screen.rules and not limits:
        found.append(Finding("level", screen.level, screen))
    return found + [Finding(key, Triage.AMBER, screen, legs) for key, legs in limits.items()]


SCREEN_KIND, UNREADABLE = "screen", "unreadable"
"""A screen that cannot be read any more: what it found is not known, so it locks until somebody clears it."""


def _unknown(entry: Unreadable) -> Screen:
    return Screen(
        Triage.RED, rules=(UNREADABLE,), reds=(UNREADABLE,), note="a safety screen on record that cannot be read",
        uid=entry.uid, visit=entry.visit, at=entry.at, person=entry.person, who=entry.who,
    )  # fmt: skip


def _joined(before: Finding | None, now: Finding) -> Finding:
    """A finding that is told again: what stands keeps its age, nothing that stood is made less."""
    if before is None or before.clearance is not None:
        return now
    ends = None if before.ends is None or now.ends is None else max(before.ends, now.ends)
    level = Triage.RED if Triage.RED in (before.level, now.level) else now.level
    return replace(before, level=level, legs=before.legs | now.legs, ends=ends)


def standing(entries: Iterable[Entry], now: datetime | None = None) -> Standing | None:
    """What stands after all screens and clearances, oldest entry first; None before the first screen.

    A finding stands from the screen that found it until a clearance of its own, or
    until it ends by time; no later screen lifts it, and "nothing new" neither lifts
    nor revives anything. A clearance that names no finding, as older records have
    them, lifts what stood then.
    """
    newest: Screen | None = None
    found: dict[str, Finding] = {}
    for entry in entries:
        if isinstance(entry, Unreadable) and entry.kind == SCREEN_KIND:
            newest = newest or _unknown(entry)
            found[UNREADABLE] = Finding(UNREADABLE, Triage.RED, _unknown(entry))
        elif isinstance(entry, Screen):
            newest = entry
            for finding in () if entry.again else _told(entry):
                found[finding.id] = _joined(found.get(finding.id), finding)
        elif isinstance(entry, Clearance):
            for key, finding in found.items():
                if finding.clearance is None and entry.subject in ("", key):
                    found[key] = replace(finding, clearance=entry)
    return None if newest is None else Standing(newest, tuple(found.values()), now or datetime.now(UTC))


def standing_of(case: Case, now: datetime | None = None) -> Standing | None:
    """What stands over all visits of a case, at this moment unless another is named."""
    kept = case.remembered("standing screen", lambda: standing(case.entries))
    return None if kept is None else replace(kept, now=now or datetime.now(UTC))


def asked_today(case: Case) -> bool:
    """Whether the safety screen was asked in the open visit."""
    return bool(case.today(Screen))


def limits_of(case: Case, known: Sequence[Limit]) -> StandingLimits:
    """The surgeon's limits that stand."""
    found = standing_of(case)
    return found.limits(known) if found is not None else NO_LIMITS
