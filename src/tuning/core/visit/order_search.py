"""The order with the fewest turns that the rules allow."""

from __future__ import annotations

from collections.abc import Sequence

from tuning.core.errors import BadInput
from tuning.core.visit.visit_items import OrderPreferences, Station, VisitItem, first_side

_Befores = list[int]
"""For each effort the bit mask of those that must come before it."""


def _befores(efforts: Sequence[VisitItem], wishes: OrderPreferences) -> _Befores:
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


def _check(efforts: Sequence[VisitItem], befores: _Befores) -> None:
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


_SOFT = 10**9
"""One break of the soft side rule outweighs any minutes of walks and changes of kit (in milliminutes)."""
_Route = tuple[int, tuple[int, ...]]
"""Cost and the places in order."""


class OrderSearch:
    """Efforts are bits of a mask, places are numbers."""

    def __init__(self, efforts: Sequence[VisitItem], wishes: OrderPreferences) -> None:
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

    def step(self, here: Station, there: Station) -> int:
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
            """Turns that are still needed."""
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
