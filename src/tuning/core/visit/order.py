"""The order of a visit: fewest turns of the patient, then fewest walks round the table, then fewest changes of kit.

Every rule is a precedence, so whatever can be done where the patient lies now is
done now: that never makes the rest dearer. What is searched is therefore the
order of positions, exactly for the number of turns, and through each stay the
best way round the places (side of the table, kit). Among orders with the fewest
turns the fewest breaks of the soft side rule win, then the least time on walks
and changes of kit.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise

from tuning.core.errors import BadInput
from tuning.core.types import LEGS, Side


@dataclass(frozen=True)
class Place:
    """Where something is done: the patient's position, the clinician's side of the table, what is in the hand."""

    position: str
    at: str
    equipment: str


@dataclass(frozen=True)
class Effort:
    """One thing to do: a test, or one side of it. `minutes` is the time in place, rests between trials included."""

    id: str
    test: str
    name: str
    side: Side
    place: Place
    minutes: float
    posture: bool = False
    loads: bool = False
    last: bool = False
    """Squeeze and painful tests come last in their position."""
    muscle: str = ""
    """Group that a maximal effort tires; empty for what is not maximal."""


@dataclass(frozen=True)
class Minutes:
    """What changes cost, minutes (practice judgement, editable in knowledge/order.toml)."""

    turn: float = 0.7
    walk: float = 0.2
    swap: float = 0.5
    rest: float = 0.5


@dataclass(frozen=True)
class Wishes:
    """What the clinic and the user want besides the hard rules.

    `involved` none means start right. `pairs` are (before, after) effort ids
    from dragging.
    """

    involved: Side = Side.NONE
    uninvolved_first: bool = False
    """Hard: every uninvolved side before its involved side, at the price of turns."""
    pairs: tuple[tuple[str, str], ...] = ()
    start: Place | None = None
    """Where the patient is now; None when the first position costs nothing."""
    minutes: Minutes = Minutes()


@dataclass(frozen=True)
class Stop:
    """One effort in its place of the order; `rest` minutes are waited before it."""

    effort: Effort
    why: str
    rest: float = 0.0


@dataclass(frozen=True)
class Order:
    """An order with its cost."""

    stops: tuple[Stop, ...]
    turns: int
    walks: int
    swaps: int
    minutes: float

    @property
    def efforts(self) -> list[Effort]:
        """The efforts in order."""
        return [stop.effort for stop in self.stops]

    def stays(self) -> list[list[Stop]]:
        """Stops grouped by unbroken stay in one position."""
        groups: list[list[Stop]] = []
        for stop in self.stops:
            if groups and groups[-1][-1].effort.place.position == stop.effort.place.position:
                groups[-1].append(stop)
            else:
                groups.append([stop])
        return groups


def first_side(involved: Side) -> Side:
    """The side that is tested first: the uninvolved one, right when none or both are."""
    return involved.other if involved in LEGS else Side.RIGHT


# precedence

_Befores = list[int]
"""For each effort the bit mask of those that must come before it."""


def _befores(efforts: Sequence[Effort], wishes: Wishes) -> _Befores:
    index = {e.id: n for n, e in enumerate(efforts)}
    befores = [0] * len(efforts)
    for n, effort in enumerate(efforts):
        for m, other in enumerate(efforts):
            posture = effort.loads and other.posture
            last = effort.last and not other.last and other.place.position == effort.place.position
            last = last and not (effort.posture and other.loads)
            first = first_side(wishes.involved)
            side = wishes.uninvolved_first and other.test == effort.test and other.side is first and effort.side
            if m != n and (posture or last or (side and effort.side is first.other)):
                befores[n] |= 1 << m
    for before, after in wishes.pairs:
        if before in index and after in index:
            befores[index[after]] |= 1 << index[before]
    return befores


def _check(efforts: Sequence[Effort], befores: _Befores) -> None:
    """Raises BadInput when the wishes contradict one another or a hard rule."""
    done, rest = 0, set(range(len(efforts)))
    while rest:
        ready = [n for n in rest if befores[n] & ~done == 0]
        if not ready:
            names = " and ".join(f"“{efforts[n].name}”" for n in sorted(rest)[:2])
            raise BadInput(f"{names} cannot both come before the other: a rule or an earlier drag forbids this order.")
        for n in ready:
            done |= 1 << n
            rest.discard(n)


# search

_SOFT = 10**9
"""One break of the soft side rule outweighs any minutes of walks and changes of kit (in milliminutes)."""

_Route = tuple[int, tuple[int, ...]]
"""Cost and the places in order."""


class _Search:
    """Efforts are bits of a mask, places are numbers."""

    def __init__(self, efforts: Sequence[Effort], wishes: Wishes) -> None:
        self.efforts = efforts
        self.first = first_side(wishes.involved)
        self.befores = _befores(efforts, wishes)
        _check(efforts, self.befores)
        self.places = list(dict.fromkeys(e.place for e in efforts))
        self.start = wishes.start
        self.walk, self.swap = round(1000 * wishes.minutes.walk), round(1000 * wishes.minutes.swap)
        self._reached: dict[tuple[int, int], int] = {}
        self.all = (1 << len(efforts)) - 1
        self.mine = [sum(1 << n for n, e in enumerate(efforts) if e.place == p) for p in self.places]
        self.positions = list(dict.fromkeys(p.position for p in self.places))
        self.inside = [[n for n, p in enumerate(self.places) if p.position == name] for name in self.positions]
        self.whole = [sum(self.mine[n] for n in inside) for inside in self.inside]
        self.twin = self._twins()
        self.sided = sum(1 << n for n, twins in enumerate(self.twin) if twins)
        self.steps = [[self.step(a, b) for b in self.places] for a in self.places]
        self._stays: dict[tuple[int, int, int], dict[tuple[int, int], _Route]] = {}

    def _twins(self) -> list[int]:
        """For each involved effort the bits of the uninvolved one of the same test and position."""
        found = [0] * len(self.efforts)
        for n, e in enumerate(self.efforts):
            for m, o in enumerate(self.efforts):
                twins = e.test == o.test and e.place.position == o.place.position
                if twins and e.side is self.first.other and o.side is self.first:
                    found[n] |= 1 << m
        return found

    def reach(self, done: int, mine: int) -> int:
        """Everything of the mask `mine` that can be done without doing anything else, added to `done`."""
        key, moved = (done, mine), True
        if key in self._reached:
            return self._reached[key]
        while moved:
            moved = False
            rest = mine & ~done
            while rest:
                bit = rest & -rest
                rest ^= bit
                if self.befores[bit.bit_length() - 1] & ~done == 0:
                    done |= bit
                    moved = True
        self._reached[key] = done
        return done

    def side_faults(self, before: int, after: int, mine: int) -> int:
        """How often the soft side rule is broken by what was just done in one place."""
        new, faults = after & ~before & self.sided, 0
        while new:
            bit = new & -new
            new ^= bit
            faults += (self.twin[bit.bit_length() - 1] & ~before & ~mine).bit_count()
        return faults

    def step(self, here: Place, there: Place) -> int:
        """Walks and changes of kit between two places, milliminutes."""
        return (here.at != there.at) * self.walk + (here.equipment != there.equipment) * self.swap

    def after_stay(self, done: int, position: int) -> int:
        """What is done once everything was done that a stay in a position allows."""
        return self.reach(done, self.whole[position])

    def routes(self, done: int, after: int, position: int) -> dict[tuple[int, int], _Route]:
        """The best route through a stay by its first and last place."""
        whole = self.whole[position]
        key = (position, done & whole, after & whole)
        if key not in self._stays:
            self._stays[key] = self._routes(done, after, self.inside[position])
        return self._stays[key]

    def _routes(self, done: int, after: int, inside: Sequence[int]) -> dict[tuple[int, int], _Route]:
        best: dict[tuple[int, int, int], _Route] = {}
        layer: dict[tuple[int, int, int], _Route] = {}
        for place in inside:
            now = self.reach(done, self.mine[place])
            if now != done:
                layer[place, now, place] = self.side_faults(done, now, self.mine[place]) * _SOFT, (place,)
        found: dict[tuple[int, int], _Route] = {}
        while layer:  # every move gets something done, so layers end
            following: dict[tuple[int, int, int], _Route] = {}
            for (first, now, here), (cost, path) in layer.items():
                if now == after:
                    if cost < found.get((first, here), (1 << 62, ()))[0]:
                        found[first, here] = cost, path
                    continue
                for place in inside:
                    then = self.reach(now, self.mine[place]) if self.mine[place] & ~now else now
                    if then == now:
                        continue
                    faults = self.side_faults(now, then, self.mine[place])
                    new = cost + faults * _SOFT + self.steps[here][place]
                    key = (first, then, place)
                    if new < best.get(key, (1 << 62, ()))[0]:
                        best[key] = following[key] = new, (*path, place)
            layer = following
        return found

    def turns_to_go(self) -> dict[tuple[int, int], int]:
        """For every state that can be met, what is done and the position, the fewest turns still needed."""
        known: dict[tuple[int, int], int] = {}

        def needed(done: int, position: int) -> int:
            if done == self.all:
                return 0
            key = (done, position)
            if key not in known:
                options = [
                    1 + needed(then, other)
                    for other in range(len(self.positions))
                    if other != position and (then := self.after_stay(done, other)) != done
                ]
                known[key] = min(options)
            return known[key]

        self._needed = needed
        return known

    def run(self) -> list[int]:
        """Numbers of the places, in order."""
        self.turns_to_go()
        here = self.start.position if self.start is not None else ""
        standing = self.positions.index(here) if here in self.positions else -1
        # What is done, where the patient is, and the best way there by the last place.
        states: dict[tuple[int, int], dict[int, _Route]] = {(0, -1): {-1: (0, ())}}
        if standing >= 0:
            after = self.after_stay(0, standing)
            if after:
                states = {(after, standing): self._onward({-1: (0, ())}, self.routes(0, after, standing))}
        while not all(done == self.all for done, _ in states):
            following: dict[tuple[int, int], dict[int, _Route]] = {}
            for (done, position), ends in states.items():
                others = [(p, self.after_stay(done, p)) for p in range(len(self.positions)) if p != position]
                options = [(p, then, self._needed(then, p)) for p, then in others if then != done]
                least = min(needed for _, _, needed in options)
                for other, then, needed in options:
                    if needed == least:
                        kept = following.setdefault((then, other), {})
                        for last, route in self._onward(ends, self.routes(done, then, other)).items():
                            if route[0] < kept.get(last, (1 << 62, ()))[0]:
                                kept[last] = route
            states = following
        return list(min((route for ends in states.values() for route in ends.values()), key=lambda r: r[0])[1])

    def _onward(self, ends: dict[int, _Route], routes: dict[tuple[int, int], _Route]) -> dict[int, _Route]:
        """Best ways to the end of one more stay, by its last place."""
        entered: dict[int, _Route] = {}
        for first in {first for first, _ in routes}:
            ways = ((cost + self._entry(end, first), path) for end, (cost, path) in ends.items())
            entered[first] = min(ways, key=lambda way: way[0])
        found: dict[int, _Route] = {}
        for (first, last), (cost, path) in routes.items():
            so_far, before = entered[first]
            if so_far + cost < found.get(last, (1 << 62, ()))[0]:
                found[last] = so_far + cost, (*before, *path)
        return found

    def _entry(self, end: int, first: int) -> int:
        here = self.places[end] if end >= 0 else self.start
        return 0 if here is None else self.step(here, self.places[first])


def plan(efforts: Sequence[Effort], wishes: Wishes = Wishes()) -> Order:
    """Put efforts into the order with the fewest turns.

    Hard rules: posture before loading, `last` efforts after the others of
    their position, dragged pairs, rest between maximal efforts of one muscle
    group, and the uninvolved side first where the wish makes it hard. The
    same efforts give the same order. Raises BadInput when the wishes
    contradict one another or a hard rule.
    """
    if not efforts:
        return Order((), 0, 0, 0, 0.0)
    search = _Search(efforts, wishes)
    ordered: list[int] = []
    done = 0
    for place in search.run():
        after = search.reach(done, search.mine[place])
        here = [n for n in range(len(efforts)) if (after & ~done) >> n & 1]
        ordered += _inside(here, done, search, ordered[-1] if ordered else None)
        done = after
    return _told([efforts[n] for n in ordered], wishes, search)


def _inside(here: list[int], done: int, search: _Search, before: int | None) -> list[int]:
    """Order inside one place: first side first, and no muscle group twice in a row if it can be helped."""
    efforts, first = search.efforts, search.first
    left, made = list(here), list[int]()
    while left:
        ready = [n for n in left if search.befores[n] & ~done == 0]
        previous = efforts[made[-1] if made else before] if (made or before is not None) else None  # type: ignore[index]
        pick = min(ready, key=lambda n: (_tired(previous, efforts[n]), efforts[n].side is first.other, n))
        left.remove(pick)
        made.append(pick)
        done |= 1 << pick
    return made


def _tired(before: Effort | None, now: Effort) -> bool:
    """True when a maximal effort tires the muscle group of the next one on the same side."""
    if before is None or not now.muscle or before.muscle != now.muscle:
        return False
    return before.side is now.side or Side.NONE in (before.side, now.side)


def _told(ordered: Sequence[Effort], wishes: Wishes, search: _Search | None) -> Order:
    """The order with its cost and a reason for every stop."""
    minutes, stops = wishes.minutes, []
    turns = walks = swaps = 0
    total = 0.0
    here, previous = wishes.start, None
    for n, effort in enumerate(ordered):
        rest = minutes.rest if _tired(previous, effort) else 0.0
        if here is not None:
            turns += here.position != effort.place.position
            walks += here.at != effort.place.at
            swaps += here.equipment != effort.place.equipment
        stops.append(Stop(effort, _why(ordered, n, here, wishes) if search is not None else "", rest))
        total += effort.minutes + rest
        here, previous = effort.place, effort
    total += turns * minutes.turn + walks * minutes.walk + swaps * minutes.swap
    return Order(tuple(stops), turns, walks, swaps, total)


def _why(ordered: Sequence[Effort], n: int, here: Place | None, wishes: Wishes) -> str:
    effort = ordered[n]
    reasons = []
    if any(effort.id in pair for pair in wishes.pairs):
        reasons.append("you put it here")
    if effort.last and any(not e.last and e.place.position == effort.place.position for e in ordered[:n]):
        reasons.append("last in its position: it may hurt or tire")
    if effort.posture and any(e.loads for e in ordered[n:]):
        reasons.append("posture before loading")
    twins = [e for e in ordered if e.test == effort.test and e is not effort]
    first = first_side(wishes.involved)
    if twins and effort.side is first and all(e in ordered[n:] for e in twins):
        reasons.append("uninvolved side first" if wishes.involved in LEGS else "right first")
    if here is not None and here.position == effort.place.position:
        reasons.append("same position, no turn")
    elif here is not None:
        reasons.append("one turn; everything else that this position allows follows")
    return "; ".join(reasons) or "nothing binds it: the first place costs no turn"


def as_listed(efforts: Sequence[Effort], wishes: Wishes = Wishes()) -> Order:
    """The cost of doing efforts in the order of the list, for comparison."""
    return _told(list(efforts), wishes, None)


def with_drag(order: Order, dragged: str, to: int, pairs: Sequence[tuple[str, str]]) -> tuple[tuple[str, str], ...]:
    """Pairs after an effort was dragged to place `to` of the shown order: it stays between its new neighbours.

    Earlier wishes for the dragged effort are dropped. Raises KeyError for an unknown effort.
    """
    ids = [e.id for e in order.efforts]
    if dragged not in ids:
        raise KeyError(dragged)
    ids.remove(dragged)
    ids.insert(min(max(to, 0), len(ids)), dragged)
    kept = [p for p in pairs if dragged not in p]
    return (*kept, *(p for p in pairwise(ids) if dragged in p))


def resolve(position: str, side: Side) -> str:
    """A position that depends on the side: `side-opposite` lies on the other side than is tested."""
    if position == "side-opposite":
        return f"side-{side.other.value}"
    return f"side-{side.value}" if position == "side-same" else position
