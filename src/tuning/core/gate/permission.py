"""May this be done now? One answer for any test, recording, live device or rung."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import UTC, datetime
from enum import StrEnum

from tuning.core.case import Case
from tuning.core.entries import Form
from tuning.core.errors import Refused
from tuning.core.gate.demands import DEMANDS
from tuning.core.gate.limits import NO_LIMITS, StandingLimits
from tuning.core.gate.open_findings import screened_today, standing_of
from tuning.core.gate.person_facts import Gone, gone, told_facts
from tuning.core.gate.triage import SafetyTable
from tuning.core.types import Role, Side, Triage


class Gate(StrEnum):
    """How an act stands."""

    OPEN = "open"
    REASON = "open with a licensed clinician's reason"
    LOCKED = "locked"


@dataclass(frozen=True)
class GateAct:
    """What somebody wants to do, by its demands (gate.demands).

    `looks` is looking and asking, open always. `breaks` is a break test.
    `side` is that of a one-leg act; a limit of the other leg leaves it open.
    """

    name: str
    side: Side = Side.NONE
    looks: bool = False
    maximal: bool = False
    loaded: bool = False
    breaks: bool = False
    demands: tuple[str, ...] = ()
    amounts: Mapping[str, float] = field(default_factory=dict)
    """What it asks by demand, where that is known: degrees, kilograms, percent of body weight."""
    station: str = ""
    """The part of the body that a test looks at, and `on` the leg that it looks at, also where both legs act."""
    on: Side = Side.NONE

    @property
    def strains(self) -> bool:
        """True for what any AMBER finding asks a reason for."""
        return self.maximal or self.loaded or self.breaks or "fast" in self.demands


@dataclass(frozen=True)
class GateFacts:
    """What the gate knows of the person assessed and of who works.

    `asked` tells whether the safety screen was answered in this visit; `triage` is the
    worst level that stands, None before the first screen. `bars` and `asks` name the
    findings that bar a demand or ask a reason for it.
    """

    triage: Triage | None = None
    asked: bool = False
    bars: tuple[tuple[str, str], ...] = ()
    """Demand and the finding that bars it."""
    asks: tuple[tuple[str, str], ...] = ()
    limits: StandingLimits = NO_LIMITS
    role: Role | None = None
    emergency: bool = False
    gone: tuple[Gone, ...] = ()
    """Parts of the body that are missing."""


@dataclass(frozen=True)
class Permission:
    """How an act stands, with the sentence that says why; empty when it is open."""

    gate: Gate
    sentence: str = ""

    @property
    def locked(self) -> bool:
        """True when nobody may do it now."""
        return self.gate is Gate.LOCKED

    @property
    def asks(self) -> bool:
        """True when a licensed clinician must give a reason."""
        return self.gate is Gate.REASON


RED = "the safety screen is RED. Refer; a recorded clearance lifts the lock"
EMERGENCY = "EMERGENCY: call the emergency number now. Testing and loading are locked"
NO_SCREEN = "no safety screen on record; testing and loading stay locked without one"
NOT_TODAY = "the safety screen has not been asked in this visit; its one line comes first"


def gate_facts(case: Case, table: SafetyTable, role: Role | None, now: datetime | None = None) -> GateFacts:
    """The facts of a case for somebody who works in a role, at this moment unless another is named."""
    found = standing_of(case, table, now)
    moment = now or datetime.now(UTC)
    missing = gone(told_facts(case.all(Form), moment.astimezone().date()), table.absent)
    if found is None:
        return GateFacts(role=role, gone=missing)
    open_rules = [table.by_id[f.id] for f in found.open if f.id in table.by_id]
    bars = tuple((demand, rule.name) for rule in open_rules for demand in rule.bars)
    asks = tuple((demand, rule.name) for rule in open_rules for demand in rule.asks)
    asked = screened_today(case) and not found.ask_again
    return GateFacts(found.level, asked, bars, asks, found.limits(table), role, bool(found.emergencies), missing)


def permission_for(act: GateAct, facts: GateFacts) -> Permission:
    """The gate's answer: the first thing that stands in the way."""
    cannot = next((one.text for one in facts.gone if _is_gone(act, one)), "")
    if cannot:
        return Permission(Gate.LOCKED, cannot)
    if act.looks:
        return Permission(Gate.OPEN)
    locked = _lock(act, facts)
    if locked:
        return Permission(Gate.LOCKED, locked)
    asking = next((name for demand, name in facts.asks if demand in act.demands), "")
    if asking:
        return Permission(Gate.REASON, f"AMBER, {asking}: {act.name} needs a licensed clinician's reason")
    if act.strains and facts.triage is Triage.AMBER:
        return Permission(Gate.REASON, f"the safety screen is AMBER: {act.name} needs a licensed clinician's reason")
    return Permission(Gate.OPEN)


def _is_gone(act: GateAct, one: Gone) -> bool:
    """Whether an act looks at a missing part, or asks one leg for what it cannot do."""
    looked = act.on is one.side and act.station in one.absent.stations
    return looked or (act.side is one.side and any(demand in one.absent.demands for demand in act.demands))


def _lock(act: GateAct, facts: GateFacts) -> str:
    """Why nobody may do it now; empty when nothing locks."""
    if facts.triage is Triage.RED:
        return EMERGENCY if facts.emergency else RED
    if facts.triage is None:
        return NO_SCREEN
    if not facts.asked:
        return NOT_TODAY
    lock = facts.limits.lock(act.demands, act.side, act.amounts)
    if lock:
        return lock
    if act.breaks and facts.limits:
        return "a break test is barred while a surgeon's limit applies"
    barred = next(((demand, name) for demand, name in facts.bars if demand in act.demands), None)
    return f"{barred[1]}: no {DEMANDS[barred[0]]}" if barred is not None else ""


def require_permission(act: GateAct, facts: GateFacts, reason: str) -> str:
    """The reason to keep with an act, empty where none is asked.

    Raises Refused when the act is locked, when a reason is asked and none given,
    or when somebody else than a licensed clinician gives it.
    """
    found = permission_for(act, facts)
    if found.locked:
        raise Refused(f"Not saved: {found.sentence}.")
    if not found.asks:
        return ""
    if not reason.strip():
        raise Refused(f"AMBER: type the reason for {act.name} first; it is saved with the record.")
    if facts.role is not Role.CLINICIAN:
        raise Refused(f"AMBER: {act.name} needs a licensed clinician. Nothing was saved.")
    return reason.strip()
