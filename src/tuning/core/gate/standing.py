"""What stands of the safety screens of a case: functions of the snapshot."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from tuning.core.case import Case
from tuning.core.entries import Clearance, Screen
from tuning.core.gate.limits import NO_LIMITS, Limit, StandingLimits, standing_limits
from tuning.core.types import Entry, Triage


@dataclass(frozen=True)
class StandingScreen:
    """The screen that counts, and the clearance that lifted it."""

    screen: Screen
    clearance: Clearance | None = None

    @property
    def level(self) -> Triage:
        """Level of the screen, whether lifted or not."""
        return self.screen.level

    @property
    def cleared(self) -> bool:
        """True once somebody lifted it."""
        return self.clearance is not None


def standing_screen(entries: Iterable[Entry]) -> StandingScreen | None:
    """The screen that stands, whenever it was asked; oldest entry first.

    The newest counts, but a RED stands until a clearance: a later AMBER or
    NONE cannot lift it, and a new RED after a clearance locks again.
    """
    found: StandingScreen | None = None
    for entry in entries:
        if isinstance(entry, Clearance) and found is not None:
            if entry.screen in ("", found.screen.uid):
                found = StandingScreen(found.screen, entry)
        elif isinstance(entry, Screen):
            held = found is not None and found.level is Triage.RED and not found.cleared
            if not held or entry.level is Triage.RED:
                found = StandingScreen(entry)
    return found


def last_screen(case: Case) -> StandingScreen | None:
    """The screen that stands over all visits."""
    return case.remembered("last screen", lambda: standing_screen(case.entries))


def screen_today(case: Case) -> StandingScreen | None:
    """The screen that counts in the open visit: NONE and cleared ones are asked again at each visit."""
    found = last_screen(case)
    if found is None or case.visit.uid in (found.screen.visit, found.clearance.visit if found.clearance else ""):
        return found
    return found if found.level is not Triage.NONE and not found.cleared else None


def asked_today(case: Case) -> bool:
    """Whether the safety screen was asked, or cleared, in the open visit."""
    return bool(case.today(Screen) or case.today(Clearance))


def limits_of(case: Case, known: Sequence[Limit]) -> StandingLimits:
    """The surgeon's limits that stand: those of the newest screen, until it is cleared."""
    found, screens = last_screen(case), case.all(Screen)
    if found is None or found.cleared:
        return NO_LIMITS
    return standing_limits(known, screens[-1].answers)
