"""Exercises that are prescribed and done together."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass
from itertools import groupby
from typing import TypeVar

from tuning.core.entries import PlanItem

S = TypeVar("S")


@dataclass(frozen=True)
class Routine:
    """A few rungs under one name. In a `circuit` the first set of each comes before the second of any."""

    id: str
    name: str
    about: str
    rungs: tuple[str, ...]
    circuit: bool = False


def by_routine(plan: Iterable[PlanItem]) -> list[PlanItem]:
    """The plan with the exercises of a routine beside each other, where the first of them stands.

    >>> from dataclasses import replace
    >>> from tuning.core.types import Side
    >>> plan = [PlanItem("foot", rung, {}, Side.NONE, routine=name) for rung, name in ("ax", "b ", "cx")]
    >>> [item.rung for item in by_routine([replace(item, routine=item.routine.strip()) for item in plan])]
    ['a', 'c', 'b']
    """
    plan = list(plan)
    first: dict[str, int] = {}
    for n, item in enumerate(plan):
        first.setdefault(item.routine or item.rung, n)
    return sorted(plan, key=lambda item: first[item.routine or item.rung])


def in_rounds(sets: Iterable[S], routine_of: Callable[[S], str], number: Callable[[S], int]) -> list[S]:
    """Sets of a circuit round by round; those of no circuit (an empty name) as they come.

    >>> sets = [("calf", 1), ("calf", 2), ("walk", 1), ("walk", 2)]
    >>> in_rounds(sets, lambda one: "trio", lambda one: one[1])
    [('calf', 1), ('walk', 1), ('calf', 2), ('walk', 2)]
    """
    made: list[S] = []
    for name, group in groupby(sets, routine_of):
        made += sorted(group, key=number if name else _as_they_come)
    return made


def _as_they_come(_: object) -> int:
    return 0
