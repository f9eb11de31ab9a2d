"""What is at hand for exercises, and what serves instead of what is missing."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field


@dataclass(frozen=True)
class Substitute:
    """What serves instead of a thing, in the order of preference, and what people take and should not."""

    instead: tuple[str, ...] = ()
    never: tuple[str, ...] = ()


@dataclass(frozen=True)
class Equipment:
    """Things at hand, own words of the table only; None when nobody asked, so that everything counts as there."""

    at_hand: frozenset[str] | None = None
    table: Mapping[str, Substitute] = field(default_factory=dict)

    def used(self, needed: Iterable[str]) -> dict[str, str]:
        """For every thing needed what is used: itself, what serves instead, or "" for nothing."""
        return {item: self._served(item) for item in needed}

    def missing(self, needed: Iterable[str]) -> list[str]:
        """What is needed and nothing at hand serves for."""
        return [item for item, thing in self.used(needed).items() if not thing]

    def swaps(self, needed: Iterable[str]) -> list[str]:
        """What is used instead, in words."""
        return [f"{thing} instead of {item}" for item, thing in self.used(needed).items() if thing not in ("", item)]

    def things(self) -> list[str]:
        """Everything that one may be asked for: each thing, then what serves for it, none twice."""
        every = [thing for item, row in self.table.items() for thing in (item, *row.instead)]
        return list(dict.fromkeys(every))

    def _served(self, item: str) -> str:
        if self.at_hand is None:
            return item
        row = self.table.get(item, Substitute())
        return next((thing for thing in (item, *row.instead) if thing in self.at_hand), "")
