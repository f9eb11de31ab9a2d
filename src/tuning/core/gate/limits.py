"""The surgeon's limits: what a kept safety screen locks until each is cleared.

A limit with a number locks what exceeds the number; one without locks its whole demand.
"""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping
from dataclasses import dataclass, field
from datetime import date

from tuning.core.types import LEGS, Side

SURGEON = "surgeon"
"""The question, and the rule, that the limits hang on."""
PREFIX = "limit-"


@dataclass(frozen=True)
class Limit:
    """One kind of limit; `id` is also the question of the safety screen that sets it.

    `unit` is that of its number, `within` says in words what a number still allows.
    """

    id: str
    name: str
    unit: str = ""
    within: str = ""

    @property
    def demand(self) -> str:
        """The demand that it bars."""
        return self.id.removeprefix(PREFIX)

    def words(self, number: float | None) -> str:
        """The limit as one says it."""
        if number is None or not self.within:
            return self.name
        unit = self.unit if self.unit.startswith(("%", "°")) else f" {self.unit}"
        return self.within.format(number=f"{number:g}{' ' if unit.startswith('%') else ''}{unit}")


@dataclass(frozen=True)
class LimitForLegs:
    """A limit, the legs that it is for, its number in its unit, and the day that was named for it."""

    limit: Limit
    legs: frozenset[Side] = frozenset(LEGS)
    number: float | None = None
    until: date | None = None

    @property
    def words(self) -> str:
        """The limit with number and day."""
        until = f" until {self.until:%-d %b %Y}, then asked again" if self.until is not None else ""
        return f"{self.limit.words(self.number)}{until}"

    def forbids(self, demands: Collection[str], amounts: Mapping[str, float]) -> bool:
        """Whether an act asks what is limited, or more of it than the number allows.

        A number is held against every amount that is known, whether or not the act names the demand: a bridge bends
        the knee to 115 degrees, although it is an exercise for the hip.
        """
        asked = amounts.get(self.limit.demand)
        if self.number is None or asked is None:
            return self.limit.demand in demands
        return asked > self.number


NO_AMOUNTS: Mapping[str, float] = {}


@dataclass(frozen=True)
class StandingLimits:
    """Every limit that stands."""

    set: tuple[LimitForLegs, ...] = ()

    def __bool__(self) -> bool:
        return bool(self.set)

    def lock(self, demands: Iterable[str], side: Side = Side.NONE, amounts: Mapping[str, float] = NO_AMOUNTS) -> str:
        """Why something is locked; empty when no standing limit is exceeded.

        A test of one leg is locked where the limit is for that leg; whatever uses both legs is locked by a limit for
        either. `amounts` are what is asked by demand, where it is known: degrees, kilograms, percent of body weight.
        """
        wanted = set(demands)
        hits = tuple(
            one for one in self.set
            if (side not in LEGS or side in one.legs) and one.forbids(wanted, amounts)
        )  # fmt: skip
        return f"surgeon's limit, {StandingLimits(hits).text}; locked until cleared" if hits else ""

    @property
    def text(self) -> str:
        """Legs and limits in words; empty when there are none."""
        by_legs: dict[str, list[str]] = {}
        for one in self.set:
            legs = " and ".join(leg.value for leg in LEGS if leg in one.legs)
            by_legs.setdefault(legs, []).append(one.words)
        return "; ".join(f"{legs}: {', '.join(names)}" for legs, names in by_legs.items())


NO_LIMITS = StandingLimits()


def limits_from_answers(answers: Mapping[str, bool]) -> dict[str, frozenset[Side]]:
    """The limits that the answers of a screen set, by id; for both legs where none is named."""
    if not answers.get(SURGEON, False):
        return {}
    legs = frozenset(leg for leg in LEGS if answers.get(f"{PREFIX}{leg.value}", False)) or frozenset(LEGS)
    sides = {f"{PREFIX}{leg.value}" for leg in LEGS}
    return {key: legs for key, yes in answers.items() if yes and key.startswith(PREFIX) and key not in sides}


@dataclass(frozen=True)
class LimitFacts:
    """Numbers and days of limits, by their question."""

    numbers: Mapping[str, float] = field(default_factory=dict)
    until: Mapping[str, date] = field(default_factory=dict)


def limit_sets(
    known: Iterable[Limit], told: Mapping[str, frozenset[Side]], facts: LimitFacts = LimitFacts()
) -> StandingLimits:
    """Told limits with their names, in the order of the table; one that the table no longer knows keeps its id."""
    names = {limit.id: limit for limit in known}
    order = [*(key for key in names if key in told), *(key for key in told if key not in names)]
    return StandingLimits(
        tuple(
            LimitForLegs(names.get(key, Limit(key, key)), told[key], facts.numbers.get(key), facts.until.get(key))
            for key in order
        )
    )
