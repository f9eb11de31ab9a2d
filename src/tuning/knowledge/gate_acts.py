"""What each test, recording and rung asks of the gate, read from the knowledge files."""

from __future__ import annotations

from collections.abc import Callable, Iterable

from tuning.core.entries import Answer, PlanItem
from tuning.core.gate.permission import GateAct, GateFacts, permission_for
from tuning.core.movement.tasks import TASKS
from tuning.core.programme.dose import Dose
from tuning.core.programme.ladders import act_of_rung
from tuning.core.programme.plan_status import PlanStatus
from tuning.core.test_definitions import TestDefinition
from tuning.core.types import LEGS, Entry, Observation, Side, TraceRef
from tuning.core.visit.plan import ClipTask
from tuning.knowledge.knowledge import Knowledge

BREAK = "break"


def act_of_test(test: TestDefinition, side: Side = Side.NONE, mode: str = "", pad: str = "") -> GateAct:
    """A hands-on or strength test on a side."""
    if test.looks:
        return GateAct(test.name, looks=True, station=test.station, on=side)
    return GateAct(
        "a maximal test" if test.maximal else test.name,
        side if test.one_leg and side in LEGS else Side.NONE,
        maximal=test.maximal,
        breaks=mode == BREAK,
        demands=(*test.demands_at(pad), *_lying(test)),
        amounts=test.amounts,
        station=test.station,
        on=side,
    )


def _lying(test: TestDefinition) -> tuple[str, ...]:
    """Prone and supine are demands where no other position is offered."""
    return tuple(where for where in ("prone", "supine") if set(test.positions) == {where})


def act_of_clip(clip: ClipTask) -> GateAct:
    """A movement filmed for its measures, or a recording on the plates, as the order of the visit names it."""
    return GateAct(clip.name, demands=clip.demands, amounts=clip.amounts)


def not_proposed(
    knowledge: Knowledge, status: PlanStatus, facts: GateFacts, test_id: str, side: Side = Side.NONE
) -> str:
    """Why a test, clip or recording is not proposed to a person now: the gate, or a caution; empty where it may be."""
    clip = next((one for one in knowledge.order.clip if one.id == test_id), None)
    if clip is not None:
        act = act_of_plates(knowledge, clip.plates, side) if clip.plates else act_of_clip(clip)
    elif test_id in knowledge.tests:
        test = knowledge.tests[test_id]
        act = act_of_test(test, side)
        cared = [status.cautions[key].name for key in test.not_with if key in status.cautions]
        if cared:
            return f"{cared[0]}: not proposed"
    else:
        act = act_of_picture(knowledge, "front")
    found = permission_for(act, facts)
    return found.sentence if found.locked else ""


def act_of_picture(knowledge: Knowledge, kind: str) -> GateAct:
    """Filming: a still person is only looked at; of a movement the least that its clips demand."""
    wanted = {task.id for task in TASKS.values() if kind.startswith(task.picture_kind)}
    clips = [set(clip.demands) for clip in knowledge.order.clip if wanted & set(clip.tasks)]
    if not wanted:
        return GateAct("a picture", looks=True)
    least = set.intersection(*clips) if clips else {"weight"}
    return GateAct("a movement on camera", demands=tuple(sorted(least)))


def act_of_plates(knowledge: Knowledge, test_id: str, side: Side = Side.NONE) -> GateAct:
    """A recording on the plates."""
    advice = knowledge.plates[test_id]
    leg = side if advice.legs == 1 else Side.NONE
    return GateAct("a test on the plates", leg, maximal=advice.maximal, demands=advice.demands)


def act_of_entry(knowledge: Knowledge, entry: Entry) -> GateAct | None:
    """What a new entry amounts to; None where nothing was done to anybody here.

    Forms, marks, endings, a withdrawal. A session asks with the dose of its plan (core.programme.plan_moves).
    """
    if isinstance(entry, PlanItem) and not entry.withdrawn:
        return act_of_rung(knowledge.rung(entry.rung), entry.variant, Dose(**entry.dose) if entry.dose else None)
    if isinstance(entry, Answer):
        test = knowledge.tests.get(entry.test)
        return act_of_test(test, entry.side) if test is not None and not entry.capture else None
    if not isinstance(entry, Observation):
        return None
    if isinstance(entry.evidence, TraceRef) and entry.evidence.test:
        return act_of_plates(knowledge, entry.evidence.test, entry.side)
    if entry.capture:  # read off a picture that was taken before; taking it was the act
        return None
    test = knowledge.test_of(entry.measure_id)
    return act_of_test(test, entry.side, entry.setup.mode, entry.setup.pad) if test is not None else None


def is_new(entry: Entry, standing: Callable[[str], Entry | None]) -> bool:
    """Whether an entry holds more than the one it replaces: putting right what stands is no new act."""
    before = standing(entry.replaces) if entry.replaces else None
    if isinstance(entry, Observation) and isinstance(before, Observation):
        return entry.trials.size > before.trials.size
    return before is None


def new_acts(
    knowledge: Knowledge, added: Iterable[Entry], standing: Callable[[str], Entry | None]
) -> list[tuple[Entry, GateAct]]:
    """Everything that a commit would add, as acts for the gate."""
    found = ((entry, act_of_entry(knowledge, entry)) for entry in added if is_new(entry, standing))
    return [(entry, act) for entry, act in found if act is not None]
