"""What a visit holds: tests and clips chosen from all stages, turned into efforts that can be ordered."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field

from tuning.core.gate.limits import NO_LIMITS, StandingLimits
from tuning.core.test_definitions import TestDefinition
from tuning.core.types import LEGS, Side
from tuning.core.visit.visit_items import Minutes, Station, VisitItem, first_side, resolve_position

POSTURE_STAGE = "standing"


@dataclass(frozen=True)
class ClipTask:
    """A clip or a recording on the plates that a visit may hold.

    A clip is done once marks were followed for one of `tasks`, a recording
    once there is one of the test `plates`.
    """

    id: str
    name: str
    at: str
    equipment: str
    minutes: float
    tasks: tuple[str, ...] = ()
    plates: str = ""
    demands: tuple[str, ...] = ()
    amounts: Mapping[str, float] = field(default_factory=dict)
    last: bool = False

    @property
    def stage(self) -> str:
        """Where it is done."""
        return "force" if self.plates else "movement"


@dataclass(frozen=True)
class Template:
    """A named choice of tests; the `usual` one stands ready in every visit."""

    name: str
    tests: tuple[str, ...]
    usual: bool = False


@dataclass(frozen=True)
class OrderTable:
    """Names of positions, sides of the table and kit by id; minutes; clips; templates."""

    positions: Mapping[str, str]
    at: Mapping[str, str]
    equipment: Mapping[str, str]
    minutes: Minutes
    clip: tuple[ClipTask, ...]
    template: tuple[Template, ...]


@dataclass(frozen=True)
class VisitSelection:
    """What the user chose: test ids, other positions than the usual, painful tests."""

    tests: tuple[str, ...]
    positions: Mapping[str, str] = field(default_factory=dict)
    painful: frozenset[str] = frozenset()
    pads: Mapping[str, str] = field(default_factory=dict)


@dataclass(frozen=True)
class Chosen:
    """Efforts in list order, and what the surgeon's limits keep out, with the reason."""

    efforts: tuple[VisitItem, ...]
    locked: tuple[tuple[str, str], ...]


def position_of(test: TestDefinition, choice: VisitSelection) -> str:
    """The chosen position of a test, the usual one if none was chosen or it is not one of the test's."""
    wanted = choice.positions.get(test.id, "")
    return wanted if wanted in test.positions else test.positions[0]


def pad_of(test: TestDefinition, choice: VisitSelection, limits: StandingLimits = NO_LIMITS) -> str:
    """Where the pad goes: as chosen, else the first place that no limit locks, the same on both sides."""
    wanted = choice.pads.get(test.id, "")
    if not test.pads or any(pad.id == wanted for pad in test.pads):
        return wanted if test.pads else ""
    legs = LEGS if test.one_leg else (Side.NONE,)
    free = [p.id for p in test.pads if not any(limits.lock(test.demands_at(p.id), leg, test.amounts) for leg in legs)]
    return free[0] if free else test.pads[0].id


def sides_of(test: TestDefinition, involved: Side) -> tuple[Side, ...]:
    """The efforts of a test, the first side first."""
    if not test.by_side:
        return (Side.NONE,)
    first = first_side(involved)
    return first, first.other


def item_id(test_id: str, side: Side) -> str:
    """Id of a test, or of one side of it."""
    return f"{test_id}:{side.value}" if side in LEGS else test_id


def chosen_efforts(
    choice: VisitSelection,
    tests: Mapping[str, TestDefinition],
    clips: Iterable[ClipTask],
    involved: Side = Side.NONE,
    limits: StandingLimits = NO_LIMITS,
    out: Callable[[str, Side], str] = lambda _, __: "",
) -> Chosen:
    """Efforts for the chosen tests and clips; `out` says what else keeps one out. Raises KeyError for an unknown id."""
    by_id = {clip.id: clip for clip in clips}
    made: list[VisitItem] = []
    locked: list[tuple[str, str]] = []
    for wanted in dict.fromkeys(choice.tests):
        if wanted in by_id:
            clip = by_id[wanted]
            lock = limits.lock(clip.demands, amounts=clip.amounts) or out(clip.id, Side.NONE)
            place = Station("standing", clip.at, clip.equipment)
            if lock:
                locked.append((clip.name, lock))
            else:
                made.append(
                    VisitItem(clip.id, clip.id, clip.name, Side.NONE, place, clip.minutes, loads=True, last=clip.last)
                )
            continue
        test = tests[wanted]
        for side in sides_of(test, involved):
            leg = side if test.one_leg else Side.NONE
            lock = limits.lock(test.demands_at(pad_of(test, choice, limits)), leg, test.amounts)
            lock = lock or out(test.id, side)
            name = f"{test.name}, {side.value}" if side in LEGS else test.name
            if lock:
                locked.append((name, lock))
            else:
                made.append(_effort(test, side, name, choice))
    return Chosen(tuple(made), tuple(locked))


def _effort(test: TestDefinition, side: Side, name: str, choice: VisitSelection) -> VisitItem:
    at = side.value if test.at == "tested" else test.at
    return VisitItem(
        item_id(test.id, side),
        test.id,
        name,
        side,
        Station(resolve_position(position_of(test, choice), side), at, test.equipment),
        test.minutes,
        posture=test.stage == POSTURE_STAGE,
        loads=test.loads,
        last=test.last or test.id in choice.painful,
        muscle=test.muscle if test.maximal else "",
        short=test.short,
    )


def known_ids(tests: Iterable[str], clips: Sequence[ClipTask]) -> set[str]:
    """Every id that a template may name."""
    return {*tests, *(clip.id for clip in clips)}
