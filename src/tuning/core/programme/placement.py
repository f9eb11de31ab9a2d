"""Which ladders a factor asks for, where to enter them, and where a try-out places each side."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from enum import StrEnum

from tuning.core.gate.person_facts import Gone
from tuning.core.pose import BodyPosition
from tuning.core.programme.equipment import Equipment
from tuning.core.programme.ladders import Ladder, Rung
from tuning.core.programme.phases import Phase
from tuning.core.types import LEGS, Side

MOST_FIRST, MOST_NEW = 2, 2
FIRST, SECOND = "first choice", "second choice"
CHAIR = "chair"


@dataclass(frozen=True)
class LadderChoice:
    """What a factor or pattern asks for: ladders or rungs, first and second choice; `never` bars them.

    `notes` is what is done where no ladder helps. `never` names cautions with the words for the reason.
    """

    first: tuple[str, ...] = ()
    second: tuple[str, ...] = ()
    never: Mapping[str, str] = field(default_factory=dict)
    notes: str = ""


@dataclass(frozen=True)
class PlacementTable:
    """Choices by factor or pattern; `mobility` are the ladders that come beside the two of first choice."""

    choices: Mapping[str, LadderChoice]
    mobility: tuple[str, ...]
    foot: tuple[str, ...] = ()
    hip: tuple[str, ...] = ()
    """Ladders that a school of foot first, or of hip first, begins with."""
    pattern: tuple[str, ...] = ()
    """Ladders of the school of one body pattern in everybody, in its order; always its left version."""


@dataclass(frozen=True)
class TreatedFactor:
    """A factor that was taken over from reasoning, most important first in a list; `side` NONE for both."""

    factor: str
    side: Side = Side.NONE
    name: str = ""


@dataclass(frozen=True)
class Proposal:
    """A ladder to try, the rung to try first, on which side to start, and why; `barred` says why not."""

    ladder: str
    entry: str
    side: Side
    rank: str
    reasons: tuple[str, ...]
    barred: str = ""
    never: bool = False
    """Whether it is a caution of the person that bars it."""
    missing: tuple[str, ...] = ()
    """Things that nothing at hand serves for, where they are what bars it."""


class FirstSchool(StrEnum):
    """Where work begins when several ladders are asked for."""

    TEST_LED = "test-led"
    FOOT = "foot"
    HIP = "hip"


@dataclass(frozen=True)
class PlacementPolicy:
    """What the clinic follows where schools disagree about exercises.

    `pattern`: the ladders of one pattern in everybody come first, in their left version, whatever was measured.
    """

    first: FirstSchool = FirstSchool.TEST_LED
    pattern: bool = False


@dataclass(frozen=True)
class PlacementContext:
    """What stands around a placement: phase, cautions present by id, what is at hand, rungs passed."""

    phase: Phase = Phase.RESTORE
    cautions: frozenset[str] = frozenset()
    kit: Equipment = Equipment()
    passed: frozenset[str] = frozenset()
    caps: tuple[int, int] = (3, 3)
    schools: PlacementPolicy = PlacementPolicy()
    gone: tuple[Gone, ...] = ()
    """Parts of the body that are missing."""


def propose(
    causes: Sequence[TreatedFactor], table: PlacementTable, ladders: Mapping[str, Ladder], now: PlacementContext
) -> tuple[list[Proposal], list[str]]:
    """Ladders for the causes in their order, and what is to be done where none helps.

    At most two of first choice and one mobility ladder are proposed as such; the rest follow as second choice. A
    barred ladder is listed with its reason, never left out silently.
    """
    found: dict[str, Proposal] = {}
    notes: list[str] = []
    for rank in (FIRST, SECOND):
        for cause in causes:
            choice = table.choices.get(cause.factor)
            if choice is None:
                continue
            if choice.notes and rank == FIRST:
                notes.append(f"{cause.name or cause.factor}: {choice.notes}")
            barred = "; ".join(words for caution, words in choice.never.items() if caution in now.cautions)
            for target in choice.first if rank == FIRST else choice.second:
                made = _proposal(target, cause, rank, barred, ladders, now)
                for one in (made, *_for_want_of_kit(made, cause, ladders, now)):
                    _add(found, one)
    if now.schools.pattern:
        found = _with_pattern(found, table.pattern, ladders, now)
    return _ranked(_by_school(list(found.values()), table, now.schools), table.mobility), notes


def _with_pattern(
    found: Mapping[str, Proposal], pattern: Sequence[str], ladders: Mapping[str, Ladder], now: PlacementContext
) -> dict[str, Proposal]:
    """The school of one pattern first, on the left, whatever else is asked for."""
    cause = TreatedFactor("", Side.LEFT, "school: one pattern in everybody")
    first = {key: _proposal(key, cause, FIRST, "", ladders, now) for key in pattern}
    return {**first, **{key: one for key, one in found.items() if key not in first}}


def _by_school(found: Sequence[Proposal], table: PlacementTable, schools: PlacementPolicy) -> list[Proposal]:
    """Ladders of the school's region before the others; within them the order stays that of the causes."""
    begins = {FirstSchool.FOOT: table.foot, FirstSchool.HIP: table.hip}.get(schools.first, ())
    return sorted(found, key=lambda one: one.ladder not in begins)


def _add(found: dict[str, Proposal], new: Proposal) -> None:
    """One proposal a ladder: the first stays, and takes over further reasons; barred by one cause is barred.

    What is barred for want of kit alone gives way to a rung of the ladder that can be done.
    """
    old = found.get(new.ladder)
    if old is None:
        found[new.ladder] = new
        return
    reasons = tuple(dict.fromkeys((*old.reasons, *new.reasons)))
    side = old.side if old.side is new.side else Side.NONE
    if bool(old.missing) != bool(new.missing):
        able = new if old.missing else old
        found[new.ladder] = replace(able, rank=old.rank, side=side, reasons=reasons)
        return
    never = old.never or new.never
    barred = "; ".join(dict.fromkeys(p.barred for p in (old, new) if p.never)) if never else old.barred or new.barred
    found[new.ladder] = replace(old, side=side, reasons=reasons, barred=barred, never=never)


def _proposal(
    target: str, cause: TreatedFactor, rank: str, barred: str, ladders: Mapping[str, Ladder], now: PlacementContext
) -> Proposal:
    """`target` is a ladder, or a rung to enter it at or above."""
    ladder = ladders.get(target) or next(la for la in ladders.values() if any(r.id == target for r in la.rungs))
    named = next((r for r in ladder.rungs if r.id == target), None)
    line = ladder.line(named or min(ladder.rungs, key=lambda r: r.order))
    opened = [rung for rung in line if opens(rung, now)]
    wanted = named if named in opened else _predicted(opened, now)
    side = f", {cause.side.value}" if cause.side in LEGS else ""
    made = Proposal(
        ladder.id, line[0].id, cause.side, rank, (f"{cause.name or cause.factor}{side}",), barred, bool(barred)
    )
    if wanted is None:
        return replace(made, barred=barred or f"no rung of it is open in phase {now.phase.value}")
    lacks = next(
        (one for one in now.gone if one.side is cause.side and set(one.absent.demands) & set(wanted.demands)), None
    )
    if lacks is not None:
        return replace(made, barred=lacks.name, never=True)
    missing = now.kit.missing(ladder.needs(wanted))
    if not missing:
        return replace(made, entry=wanted.id)
    sister = _sister(wanted, ladder, now)
    if sister is None and not barred:
        return replace(made, barred=f"not at hand: {', '.join(missing)}", missing=tuple(missing))
    if sister is None:
        return made
    why = f"in place of {wanted.name}: no {', no '.join(missing)}"
    return replace(made, entry=sister.id, reasons=(*made.reasons, why))


def _sister(wanted: Rung, ladder: Ladder, now: PlacementContext) -> Rung | None:
    """The nearest rung of the ladder that what is at hand allows and that asks no more in any part, own line first."""
    most = wanted.demand_of(wanted.poses[0])

    def no_harder(rung: Rung) -> bool:
        """Whether it asks no more in any part."""
        found = rung.demand_of(rung.poses[0])
        parts = ("knee", "kneecap", "hip", "balance")
        return all(getattr(found, part) <= getattr(most, part) for part in parts)

    fit = [rung for rung in ladder.rungs if enters(rung, ladder, now) and no_harder(rung)]
    return min(fit, key=lambda r: (r.line != wanted.line, abs(r.order - wanted.order)), default=None)


def _for_want_of_kit(
    made: Proposal, cause: TreatedFactor, ladders: Mapping[str, Ladder], now: PlacementContext
) -> Iterator[Proposal]:
    """The floor or chair version where nothing at hand serves for a ladder: lowest rung for the same factor."""
    if not made.missing:
        return
    for other in ladders.values():
        if other.id == made.ladder or cause.factor not in other.factors:
            continue
        quiet = [r for r in other.rungs if r.position is not BodyPosition.STAND or other.id == CHAIR]
        opened = [rung for rung in quiet if enters(rung, other, now)]
        if opened:
            why = f"floor or chair in place of {ladders[made.ladder].name}: {made.barred}"
            yield replace(
                made, ladder=other.id, entry=opened[0].id, reasons=(*made.reasons, why), barred="", missing=()
            )
            return


def enters(rung: Rung, ladder: Ladder, now: PlacementContext) -> bool:
    """Whether any variant of a rung is open: by phase, dial and what is at hand."""
    return opens(rung, now) and not now.kit.missing(ladder.needs(rung))


def opens(rung: Rung, now: PlacementContext) -> bool:
    """Whether phase and dial open any variant of a rung."""
    for pose in rung.poses:
        found = rung.demand_of(pose, shallow(rung, now.phase))
        within = found.knee <= now.caps[0] and found.kneecap <= min(now.caps[1], now.phase.most_kneecap)
        if rung.phase_of(pose).place <= now.phase.place and within:
            return True
    return False


def shallow(rung: Rung, phase: Phase) -> float | None:
    """Depth to start at where a phase does not allow the whole range, knee flexion in degrees; None for the whole."""
    for pose in rung.poses[:1]:
        if rung.demand_of(pose).kneecap > phase.most_kneecap:
            return {1: 45.0, 2: 75.0}.get(phase.most_kneecap)
    return None


def _predicted(rungs: Sequence[Rung], now: PlacementContext) -> Rung | None:
    """The rung after the highest that was passed, else the lowest that is open."""
    passed = [n for n, rung in enumerate(rungs) if rung.id in now.passed]
    if passed:
        return rungs[min(passed[-1] + 1, len(rungs) - 1)]
    return rungs[0] if rungs else None


def _ranked(found: Sequence[Proposal], mobility: Sequence[str]) -> list[Proposal]:
    """Two of first choice and one for mobility stay first; what is more becomes second choice; barred ones last."""
    counts = {FIRST: 0, "mobility": 0}
    ranked = []
    for one in found:
        kind = "mobility" if one.ladder in mobility else FIRST
        most = 1 if kind == "mobility" else MOST_FIRST
        keeps = one.rank == FIRST and not one.barred and counts[kind] < most
        counts[kind] += keeps
        rank = FIRST if keeps else SECOND
        ranked.append(replace(one, rank=rank))
    return sorted(ranked, key=lambda p: (bool(p.barred), p.rank != FIRST))


# the try-out


@dataclass(frozen=True)
class PlacementTrial:
    """Three to five repetitions, or two breaths, of a rung on one side."""

    rung: str
    side: Side
    felt: bool = True
    wrong: bool = False
    faults: tuple[str, ...] = ()
    pain: int = 0
    cued: bool = False
    """The fault went away on one cue."""

    def clean(self, pain_limit: int) -> bool:
        """Felt in the right place and nowhere else, without a fault, within the pain limit."""
        return self.felt and not self.wrong and not self.faults and self.pain <= pain_limit


@dataclass(frozen=True)
class PlacementResult:
    """Where a try-out leaves a line: the rung of each side, the rung of the plan (the lower), and why.

    `next_try` is the rung to try next on a side that is not settled yet.
    """

    rungs: Mapping[Side, str]
    plan: str
    next_try: Mapping[Side, str]
    reasons: tuple[str, ...]


def place(line: Sequence[Rung], tries: Sequence[PlacementTrial], start: str, pain_limit: int) -> PlacementResult:
    """The highest rung of a line that each side did clean, below the lowest that it did not; the plan takes the lower.

    Clean climbs, faulty or wrong place drops. Raises ValueError when a rung is not of the line.
    """
    order = {rung.id: n for n, rung in enumerate(line)}
    strangers = [one.rung for one in tries if one.rung not in order]
    if strangers or start not in order:
        raise ValueError(f"not of this line: {', '.join(strangers) or start}")
    sides = line[order[start]].sides
    rungs: dict[Side, str] = {}
    next_try: dict[Side, str] = {}
    reasons: list[str] = []
    for side in sides:
        newest = {one.rung: one for one in tries if one.side is side}
        bad = [order[key] for key, one in newest.items() if not one.clean(pain_limit)]
        below = min(bad, default=len(line))
        good = [order[key] for key, one in newest.items() if one.clean(pain_limit) and order[key] < below]
        words = f"{side.value}: " if side in LEGS else ""
        if good:
            rungs[side] = line[max(good)].id
            if max(good) + 1 < below:
                next_try[side] = line[max(good) + 1].id
            reasons.append(f"{words}clean at {line[max(good)].name}{_why_not_higher(newest, line, below, pain_limit)}")
        elif not newest:
            next_try[side] = start
        elif below > 0:
            next_try[side] = line[below - 1].id
            reasons.append(f"{words}not clean at {line[below].name}: try {line[below - 1].name}")
        else:
            reasons.append(f"{words}not clean at the lowest rung, {line[0].name}: another ladder")
    settled = len(rungs) == len(sides)
    plan = min(rungs.values(), key=lambda key: order[key]) if settled else ""
    return PlacementResult(rungs, plan, next_try, tuple(reasons))


def _why_not_higher(newest: Mapping[str, PlacementTrial], line: Sequence[Rung], below: int, limit: int) -> str:
    if below >= len(line):
        return ""
    one = newest[line[below].id]
    told = [
        (one.pain > limit, f"pain {one.pain}/10"),
        (bool(one.faults), "vanished on a cue: timing" if one.cued else f"faults {', '.join(one.faults)}"),
        (one.wrong, "felt in an unwanted place"),
        (not one.felt, "not felt where it is meant"),
    ]
    return f"; {line[below].name}: {', '.join(words for true, words in told if true)}"
