"""The surgeon's limits: what a kept safety screen locks until each is cleared."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass

from tuning.core.types import LEGS, Side

SURGEON = "surgeon"
"""The question, and the rule, that the limits hang on."""
PREFIX = "limit-"


@dataclass(frozen=True)
class Limit:
    """One kind of limit; `id` is also the question of the safety screen that sets it."""

    id: str
    name: str

    @property
    def demand(self) -> str:
        """The demand that it bars."""
        return self.id.removeprefix(PREFIX)


@dataclass(frozen=True)
class LimitSet:
    """A limit, and the legs that it is for."""

    limit: Limit
    legs: frozenset[Side] = frozenset(LEGS)


@dataclass(frozen=True)
class StandingLimits:
    """Every limit that stands."""

    set: tuple[LimitSet, ...] = ()

    def __bool__(self) -> bool:
        return bool(self.set)

    def lock(self, demands: Iterable[str], side: Side = Side.NONE) -> str:
        """Why something is locked; empty when no standing limit matches.

        A test of one leg is locked where the limit is for that leg; whatever
        uses both legs is locked by a limit for either.
        """
        wanted = set(demands)
        hits = tuple(one for one in self.set if one.limit.demand in wanted and (side not in LEGS or side in one.legs))
        return f"surgeon's limit, {StandingLimits(hits).text}; locked until cleared" if hits else ""

    @property
    def text(self) -> str:
        """Legs and limits in words; empty when there are none."""
        by_legs: dict[str, list[str]] = {}
        for one in self.set:
            legs = " and ".join(leg.value for leg in LEGS if leg in one.legs)
            by_legs.setdefault(legs, []).append(one.limit.name)
        return "; ".join(f"{legs}: {', '.join(names)}" for legs, names in by_legs.items())


NO_LIMITS = StandingLimits()


def limits_told(answers: Mapping[str, bool]) -> dict[str, frozenset[Side]]:
    """The limits that the answers of a screen set, by id; for both legs where none is named."""
    if not answers.get(SURGEON, False):
        return {}
    legs = frozenset(leg for leg in LEGS if answers.get(f"{PREFIX}{leg.value}", False)) or frozenset(LEGS)
    sides = {f"{PREFIX}{leg.value}" for leg in LEGS}
    return {key: legs for key, yes in answers.items() if yes and key.startswith(PREFIX) and key not in sides}


def limit_sets(known: Iterable[Limit], told: Mapping[str, frozenset[Side]]) -> StandingLimits:
    """Told limits with their names, in the order of the table; one that the table no longer knows keeps its id."""
    names = {limit.id: limit for limit in known}
    order = [*(key for key in names if key in told), *(key for key in told if key not in names)]
    return StandingLimits(tuple(LimitSet(names.get(key, Limit(key, key)), told[key]) for key in order))
