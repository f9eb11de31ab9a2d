"""May this be done now? One answer for any test, recording, live device or rung."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum

from tuning.core.case import Case
from tuning.core.errors import Refused
from tuning.core.gate.limits import NO_LIMITS, Limit, StandingLimits
from tuning.core.gate.standing import limits_of, screen_today
from tuning.core.types import Role, Side, Triage


class Gate(StrEnum):
    """How an act stands."""

    OPEN = "open"
    REASON = "open with a licensed clinician's reason"
    LOCKED = "locked"


@dataclass(frozen=True)
class Act:
    """What somebody wants to do, by its demands.

    `looks` is looking and asking, open always. `breaks` is a break test.
    `side` is that of a one-leg act; a limit of the other leg leaves it open.
    """

    name: str
    side: Side = Side.NONE
    looks: bool = False
    maximal: bool = False
    loaded: bool = False
    breaks: bool = False
    limited_by: tuple[str, ...] = ()


@dataclass(frozen=True)
class Facts:
    """What the gate knows of the person assessed and of who works. `triage` is None without a screen."""

    triage: Triage | None = None
    cleared: bool = False
    limits: StandingLimits = NO_LIMITS
    role: Role | None = None


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
NO_SCREEN = "no safety screen on record; loaded exercises stay locked without one"


def facts_of(case: Case, known: Sequence[Limit], role: Role | None) -> Facts:
    """The facts of a case for somebody who works in a role."""
    found = screen_today(case)
    limits = limits_of(case, known)
    return Facts(limits=limits, role=role) if found is None else Facts(found.level, found.cleared, limits, role)


def may(act: Act, facts: Facts) -> Permission:
    """The gate's answer."""
    if act.looks:
        return Permission(Gate.OPEN)
    if facts.triage is Triage.RED and not facts.cleared:
        return Permission(Gate.LOCKED, RED)
    lock = facts.limits.lock(act.limited_by, act.side)
    if lock:
        return Permission(Gate.LOCKED, lock)
    if act.breaks and facts.limits.limits:
        return Permission(Gate.LOCKED, "a break test is barred while a surgeon's limit stands")
    if act.loaded and facts.triage is None:
        return Permission(Gate.LOCKED, NO_SCREEN)
    if (act.maximal or act.loaded) and facts.triage is Triage.AMBER and not facts.cleared:
        return Permission(Gate.REASON, f"the safety screen is AMBER: {act.name} needs a licensed clinician's reason")
    return Permission(Gate.OPEN)


def permit(act: Act, facts: Facts, reason: str) -> str:
    """The reason to keep with an act, empty where none is asked.

    Raises Refused when the act is locked, when a reason is asked and none given,
    or when somebody else than a licensed clinician gives it.
    """
    found = may(act, facts)
    if found.locked:
        raise Refused(f"Not kept: {found.sentence}.")
    if not found.asks:
        return ""
    if not reason.strip():
        raise Refused(f"AMBER: type the reason for {act.name} first; it is kept with the record.")
    if facts.role is not Role.CLINICIAN:
        raise Refused(f"AMBER: {act.name} needs a licensed clinician. Nothing was kept.")
    return reason.strip()
