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
from itertools import pairwise

from tuning.core.types import LEGS, Side
from tuning.core.visit.order_search import OrderSearch
from tuning.core.visit.visit_items import Order, OrderedItem, OrderPreferences, Station, VisitItem, first_side

NO_WISHES = OrderPreferences()


def plan(efforts: Sequence[VisitItem], wishes: OrderPreferences = NO_WISHES) -> Order:
    """Put efforts into the order with the fewest turns.

    Hard rules: posture before loading, `last` efforts after the others of
    their position, dragged pairs, rest between maximal efforts of one muscle
    group, and the uninvolved side first where the wish makes it hard. The
    same efforts give the same order. Raises BadInput when the wishes
    contradict one another or a hard rule.
    """
    if not efforts:
        return Order((), 0, 0, 0, 0.0)
    search = OrderSearch(efforts, wishes)
    ordered: list[int] = []
    done = 0
    for place in search.run():
        after = search.reach(done, search.mine[place])
        here = [n for n in range(len(efforts)) if (after & ~done) >> n & 1]
        ordered += _inside(here, done, search, ordered[-1] if ordered else None)
        done = after
    return _told([efforts[n] for n in ordered], wishes, search)


def _inside(here: list[int], done: int, search: OrderSearch, before: int | None) -> list[int]:
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


def _tired(before: VisitItem | None, now: VisitItem) -> bool:
    """True when a maximal effort tires the muscle group of the next one on the same side."""
    if before is None or not now.muscle or before.muscle != now.muscle:
        return False
    return before.side is now.side or Side.NONE in (before.side, now.side)


def _told(ordered: Sequence[VisitItem], wishes: OrderPreferences, search: OrderSearch | None) -> Order:
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
        stops.append(OrderedItem(effort, _why(ordered, n, here, wishes) if search is not None else "", rest))
        total += effort.minutes + rest
        here, previous = effort.place, effort
    total += turns * minutes.turn + walks * minutes.walk + swaps * minutes.swap
    return Order(tuple(stops), turns, walks, swaps, total)


def _why(ordered: Sequence[VisitItem], n: int, here: Station | None, wishes: OrderPreferences) -> str:
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


def as_listed(efforts: Sequence[VisitItem], wishes: OrderPreferences = NO_WISHES) -> Order:
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
