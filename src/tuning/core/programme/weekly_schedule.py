"""The week: on which days each exercise is done so that rest, order, minutes and sport are kept.

The rules and numbers are practice judgement, editable.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import date, timedelta
from enum import IntEnum
from functools import lru_cache
from itertools import combinations

from tuning.core.programme.dose import Dose
from tuning.core.programme.ladders import Rung

DAYS = ("Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun")
REST_DAYS = 2
"""Days from one heavy or d2-3 session to the next of the same ladder: 48 h."""
DAILY = 4
"""From so many days a week on a ladder is low load that repeats day by day."""
MOST_NEW = 2
BUDGETS = ((10, 3), (20, 5), (40, 6))
"""Minutes of a session, and how many items it holds."""
NEVER_NEXT = ("knee", "hipshift")
"""Heavy work of these two never stands on consecutive days."""


class SessionSlot(IntEnum):
    """Order within a session."""

    MOBILITY = 0
    FOOT = 1
    ACTIVATION = 2
    SKILL = 3
    STRENGTH = 4
    HEAVY = 5


PLACES = {
    "hiprot": SessionSlot.MOBILITY,
    "ankle": SessionSlot.MOBILITY,
    "shin": SessionSlot.MOBILITY,
    "foot": SessionSlot.FOOT,
    "shift": SessionSlot.ACTIVATION,
    "slide": SessionSlot.ACTIVATION,
    "base": SessionSlot.ACTIVATION,
    "bandsplit": SessionSlot.ACTIVATION,
}


@dataclass(frozen=True)
class Item:
    """One exercise to place."""

    rung: str
    ladder: str
    name: str
    days: int
    minutes: float
    place: SessionSlot = SessionSlot.STRENGTH
    heavy: bool = False
    first_choice: bool = True
    new: bool = False
    least_days: int = 1


@dataclass(frozen=True)
class WeekConstraints:
    """What the week gives: days free for sessions, days of sport, minutes and items of a session."""

    free: tuple[int, ...] = tuple(range(7))
    sport: tuple[int, ...] = ()
    minutes: float = 40.0

    @property
    def most_items(self) -> int:
        """Items that fit the minutes."""
        return next((items for minutes, items in BUDGETS if self.minutes <= minutes), BUDGETS[-1][1])


@dataclass(frozen=True)
class Week:
    """Days (0 Monday) by rung, what was left out and why, and what had to give way."""

    days: Mapping[str, tuple[int, ...]]
    left_out: Mapping[str, str] = field(default_factory=dict)
    notes: tuple[str, ...] = ()

    def session(self, day: int, items: Sequence[Item]) -> list[Item]:
        """The items of a day in the order of a session: balance before fatigue, heavy last."""
        return sorted((i for i in items if day in self.days.get(i.rung, ())), key=lambda i: (i.place, i.name))


def item_of(rung: Rung, ladder: str, dose: Dose, first_choice: bool = True, new: bool = False) -> Item:
    """A rung and its dose as the week sees it."""
    place = PLACES.get(ladder, SessionSlot.STRENGTH)
    if rung.heavy:
        place = SessionSlot.HEAVY
    elif rung.skill:
        place = SessionSlot.SKILL
    elif rung.primer:
        place = SessionSlot.ACTIVATION
    return Item(rung.id, ladder, rung.name, dose.days, dose.minutes, place, rung.heavy, first_choice, new)


def conflicts(days: Mapping[str, Sequence[int]], items: Sequence[Item], room: WeekConstraints) -> list[str]:
    """Every rule that a week breaks, in words; the week repeats, so Sunday stands before Monday."""
    by_rung = {item.rung: item for item in items}
    found: list[str] = []
    for rung, chosen in days.items():
        item = by_rung[rung]
        found += [f"{item.name} on {DAYS[d]}: not a free day" for d in chosen if d not in room.free]
        if _needs_rest(item):
            found += [
                f"{item.name}: {DAYS[a]} and {DAYS[b]} leave less than 48 h of rest"
                for a, b in combinations(sorted(chosen), 2)
                if _apart(a, b) < REST_DAYS
            ]
    for one, other in combinations(items, 2):
        shared = [(a, b) for a in days.get(one.rung, ()) for b in days.get(other.rung, ())]
        if one.ladder == other.ladder and one.heavy and other.heavy:
            found += [f"{one.name} and {other.name} load the same within 48 h" for a, b in shared if _apart(a, b) == 1]
        if one.heavy and other.heavy and {one.ladder, other.ladder} == set(NEVER_NEXT):
            found += [
                f"{one.name} ({DAYS[a]}) and {other.name} ({DAYS[b]}) are on consecutive days"
                for a, b in shared
                if _apart(a, b) == 1
            ]
    for day in range(7):
        session = [i for i in items if day in days.get(i.rung, ())]
        minutes = sum(i.minutes for i in session)
        if minutes > room.minutes + 0.01:
            found.append(f"{DAYS[day]} takes {minutes:.0f} min (at most {room.minutes:.0f})")
        if len(session) > room.most_items:
            found.append(f"{DAYS[day]} holds {len(session)} exercises (at most {room.most_items})")
    return list(dict.fromkeys(found))


def _needs_rest(item: Item) -> bool:
    return item.heavy or item.days < DAILY


def _apart(a: int, b: int) -> int:
    """Days between two days of a week that repeats."""
    gap = abs(a - b)
    return min(gap, 7 - gap)


def plan_week(items: Sequence[Item], room: WeekConstraints) -> Week:
    """A week that keeps every rule; what does not fit is left out with its reason, never squeezed in.

    Cut in this order: the third and later new exercise, second-choice ladders, then days. First choice stays longest.
    """
    wanted, left_out = _not_too_many_new(items)
    while wanted:
        days = _search(sorted(wanted, key=lambda i: (not i.heavy, not _needs_rest(i), -i.days)), room)
        if days is not None:
            asked = {i.rung: i.days for i in items}
            fewer = [i for i in wanted if len(days[i.rung]) < asked[i.rung]]
            notes = [f"{i.name}: {len(days[i.rung])} days instead of {asked[i.rung]}" for i in fewer]
            return Week(days, left_out, (*notes, *_sport_notes(days, wanted, room)))
        wanted, left_out = _give_way(wanted, left_out, room)
    return Week({}, left_out)


def _not_too_many_new(items: Sequence[Item]) -> tuple[list[Item], dict[str, str]]:
    new = [i for i in items if i.new]
    late = {i.rung for i in sorted(new, key=lambda i: not i.first_choice)[MOST_NEW:]}
    words = f"at most {MOST_NEW} new exercises a week: next week"
    return [i for i in items if i.rung not in late], dict.fromkeys(late, words)


def _give_way(wanted: list[Item], left_out: dict[str, str], room: WeekConstraints) -> tuple[list[Item], dict[str, str]]:
    """Fewer days of what has most, then second choice out, then the last of first choice."""
    most = max(wanted, key=lambda i: (not i.first_choice, i.days))
    if most.days > most.least_days and most.days > (2 if most.heavy or most.days < DAILY else 3):
        return [replace(i, days=i.days - 1) if i is most else i for i in wanted], left_out
    second = [i for i in wanted if not i.first_choice]
    gone = (second or wanted)[-1]
    why = f"no days are left with enough rest, {room.minutes:.0f} min and {room.most_items} exercises a session"
    if gone.minutes > room.minutes:
        why = f"takes {gone.minutes:.0f} min, a session has {room.minutes:.0f}"
    elif not room.free:
        why = "no day is free"
    return [i for i in wanted if i is not gone], {**left_out, gone.rung: why}


def _search(items: Sequence[Item], room: WeekConstraints) -> dict[str, tuple[int, ...]] | None:
    """Depth first over sets of days, evenest first; the numbers are small (35 sets for three days of seven)."""
    chosen: dict[str, tuple[int, ...]] = {}
    steps = [0]

    def place(at: int) -> bool:
        """Whether this item and those after it find their days."""
        if at == len(items):
            return True
        item = items[at]
        load = [sum(i.minutes for i in items[:at] if d in chosen[i.rung]) for d in range(7)]
        options = sorted(
            combinations(room.free, min(item.days, 7)), key=lambda c: (_unevenness(c), sum(load[d] for d in c))
        )
        for option in options:
            steps[0] += 1
            if steps[0] > MOST_STEPS:
                return False
            chosen[item.rung] = option
            if not conflicts(chosen, items[: at + 1], room) and place(at + 1):
                return True
            del chosen[item.rung]
        return False

    return dict(chosen) if place(0) else None


MOST_STEPS = 4000
"""Sets of days tried before something has to give way."""


def _unevenness(days: tuple[int, ...]) -> float:
    """0 for days spread evenly over the week."""
    gaps = [(b - a) % 7 or 7 for a, b in zip(days, (*days[1:], *days[:1]), strict=True)]
    return sum((gap - 7 / len(days)) ** 2 for gap in gaps) if gaps else 0.0


def _sport_notes(days: Mapping[str, tuple[int, ...]], items: Sequence[Item], room: WeekConstraints) -> list[str]:
    """On a day of sport: a light set or two before, heavy work after it."""
    notes = []
    for day in room.sport:
        on = [i for i in items if day in days.get(i.rung, ())]
        if any(i.heavy for i in on):
            notes.append(f"{DAYS[day]}: heavy work after the sport, not before")
        if any(not i.heavy for i in on):
            notes.append(f"{DAYS[day]}: one or two light sets before the sport")
    return notes


def moved(
    week: Week, rung: str, was: int, to: int, items: Sequence[Item], room: WeekConstraints
) -> tuple[Week, list[str]]:
    """A session of one exercise moved to another day, and which rules that breaks; nothing is doubled."""
    chosen = week.days.get(rung, ())
    if to in chosen or was not in chosen:
        return week, [f"it is done on {DAYS[to]} already" if to in chosen else f"it is not done on {DAYS[was]}"]
    after = {**week.days, rung: tuple(sorted((set(chosen) - {was}) | {to}))}
    known, broken = conflicts(week.days, items, room), conflicts(after, items, room)
    return replace(week, days=after), [words for words in broken if words not in known]


def dates(week: Week, monday: date, weeks: int = 1) -> list[tuple[date, str]]:
    """Every date with a rung, in order."""
    return sorted(
        (monday + timedelta(days=7 * n + day), rung)
        for n in range(weeks)
        for rung, days in week.days.items()
        for day in days
    )


def missed(week: Week, rung: str, day: int, items: Sequence[Item], room: WeekConstraints) -> tuple[int | None, str]:
    """Where a missed session goes: the next day that keeps every rule, or nowhere; it is never doubled."""
    for step in range(1, 7):
        to = day + step
        if to > 6:
            break
        if to not in room.free or to in week.days.get(rung, ()):
            continue
        if not moved(week, rung, day, to, items, room)[1]:
            return to, f"shifted to {DAYS[to]}"
    return None, "left out this week: no later day allows rest and minutes, and nothing is doubled"


RETESTS = (
    (7, "control: the movement that was cued"),
    (28, "the measures that the plan is for"),
    (49, "the whole assessment"),
)
"""Days after the start, and what is measured again: fast things early (practice judgement, editable)."""


@lru_cache(maxsize=1000)  # the day list asks for everybody, and many plans begin on one day
def retests(start: date) -> tuple[tuple[date, str], ...]:
    """When to measure again, with the same shoes, order and fixation."""
    return tuple((start + timedelta(days=days), what) for days, what in RETESTS)
