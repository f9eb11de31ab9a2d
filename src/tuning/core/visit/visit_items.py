"""What is to be done in a visit, and what an order of it is."""

from __future__ import annotations

from dataclasses import dataclass

from tuning.core.types import LEGS, Side


@dataclass(frozen=True)
class Station:
    """Where something is done: the patient's position, the clinician's side of the table, what is in the hand."""

    position: str
    at: str
    equipment: str


@dataclass(frozen=True)
class VisitItem:
    """One thing to do: a test, or one side of it. `minutes` is the time in place, rests between trials included."""

    id: str
    test: str
    name: str
    side: Side
    place: Station
    minutes: float
    posture: bool = False
    loads: bool = False
    last: bool = False
    """Squeeze and painful tests come last in their position."""
    muscle: str = ""
    """Group that a maximal effort tires; empty for what is not maximal."""
    short: str = ""
    """The name where there is little room; empty where the name is short."""


@dataclass(frozen=True)
class Minutes:
    """What changes cost, minutes (practice judgement, editable in knowledge/order.toml)."""

    turn: float = 0.7
    walk: float = 0.2
    swap: float = 0.5
    rest: float = 0.5


@dataclass(frozen=True)
class OrderPreferences:
    """What the clinic and the user want besides the hard rules.

    `involved` none means start right. `pairs` are (before, after) effort ids
    from dragging.
    """

    involved: Side = Side.NONE
    uninvolved_first: bool = False
    """Hard: every uninvolved side before its involved side, at the price of turns."""
    pairs: tuple[tuple[str, str], ...] = ()
    start: Station | None = None
    """Where the patient is now; None when the first position costs nothing."""
    minutes: Minutes = Minutes()


@dataclass(frozen=True)
class OrderedItem:
    """One effort in its place of the order; `rest` minutes are waited before it."""

    effort: VisitItem
    why: str
    rest: float = 0.0


@dataclass(frozen=True)
class Order:
    """An order with its cost."""

    stops: tuple[OrderedItem, ...]
    turns: int
    walks: int
    swaps: int
    minutes: float

    @property
    def efforts(self) -> list[VisitItem]:
        """The efforts in order."""
        return [stop.effort for stop in self.stops]

    def stays(self) -> list[list[OrderedItem]]:
        """Stops grouped by unbroken stay in one position."""
        groups: list[list[OrderedItem]] = []
        for stop in self.stops:
            if groups and groups[-1][-1].effort.place.position == stop.effort.place.position:
                groups[-1].append(stop)
            else:
                groups.append([stop])
        return groups


def first_side(involved: Side) -> Side:
    """The side that is tested first: the uninvolved one, right when none or both are."""
    return involved.other if involved in LEGS else Side.RIGHT


def resolve_position(position: str, side: Side) -> str:
    """A position that depends on the side: `side-opposite` lies on the other side than is tested."""
    if position == "side-opposite":
        return f"side-{side.other.value}"
    return f"side-{side.value}" if position == "side-same" else position
