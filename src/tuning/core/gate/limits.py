"""The surgeon's limits: what a kept safety screen locks until somebody clears it."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass

from tuning.core.types import LEGS, Side


@dataclass(frozen=True)
class Limit:
    """One kind of limit; `id` is also the question of the safety screen that sets it."""

    id: str
    name: str


@dataclass(frozen=True)
class StandingLimits:
    """The limits that stand, and the legs they are for."""

    limits: tuple[Limit, ...] = ()
    legs: frozenset[Side] = frozenset()

    def lock(self, limited_by: Iterable[str], side: Side = Side.NONE) -> str:
        """Why something is locked; empty when no standing limit matches.

        A test of one leg is locked where the limit is for that leg; whatever
        uses both legs is locked by a limit for either.
        """
        wanted = set(limited_by)
        hits = tuple(limit for limit in self.limits if limit.id in wanted)
        if not hits or (side in LEGS and side not in self.legs):
            return ""
        return f"surgeon's limit, {StandingLimits(hits, self.legs).text}; locked until cleared"

    @property
    def text(self) -> str:
        """Legs and limits in words; empty when there are none."""
        legs = " and ".join(leg.value for leg in LEGS if leg in self.legs)
        return f"{legs}: {', '.join(limit.name for limit in self.limits)}" if self.limits else ""


NO_LIMITS = StandingLimits()


def standing_limits(known: Iterable[Limit], answers: Mapping[str, bool]) -> StandingLimits:
    """The limits that the answers of a screen set; both legs where none is named."""
    if not answers.get("surgeon", False):
        return NO_LIMITS
    legs = frozenset(leg for leg in LEGS if answers.get(f"limit-{leg.value}", False))
    return StandingLimits(tuple(k for k in known if answers.get(k.id, False)), legs or frozenset(LEGS))
