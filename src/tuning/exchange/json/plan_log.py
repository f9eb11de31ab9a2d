"""A plan with its session log as JSON, to be decided about without a record."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, fields, replace
from datetime import date
from functools import cache
from pathlib import Path
from typing import Any

import cattrs
import cattrs.v

from tuning.core.errors import BadInput
from tuning.core.programme.equipment import Equipment
from tuning.core.programme.phases import Phase
from tuning.core.programme.progression_state import ExerciseState, LoggedSet, PlanContext, ProgressionDecision
from tuning.core.programme.rules import PainPolicy
from tuning.core.types import LEGS, Side, Triage
from tuning.exchange.files import read_json

VERSION = 1


@dataclass(frozen=True)
class PlanFile:
    """The whole file; days are written 2026-03-12, sides left, right or none."""

    today: date
    plan: tuple[ExerciseState, ...]
    log: tuple[LoggedSet, ...] = ()
    screen: Triage | None = None
    cleared: bool = False
    overruled: bool = False
    school: PainPolicy = PainPolicy.STRICT
    bone_stress: bool = False
    deload: bool = False
    prompt: bool = True
    """Whether what makes it AMBER has to be looked at promptly."""
    screened: date | None = None
    """The day of the newest safety screen: it answers what alarmed before it."""
    person: str = ""
    """Any words to know the file by; they come back with the decisions."""
    phase: Phase | None = None
    kit: tuple[str, ...] | None = None
    """Things at hand in the words of the ladders; None when nobody asked."""
    version: int = VERSION

    @property
    def standing(self) -> PlanContext:
        """What stands around the exercises."""
        return PlanContext(
            self.today, self.screen, self.cleared, self.overruled, self.school, self.bone_stress, self.deload,
            self.prompt,
        )  # fmt: skip


def _day(value: Any, _: Any) -> date:
    if not isinstance(value, str):
        raise ValueError("is no day; write 2026-03-12")
    return date.fromisoformat(value)


def _whole(value: Any, _: Any) -> int:
    if isinstance(value, bool) or not isinstance(value, int):
        raise ValueError("is no whole number")
    return value


def _yes_or_no(value: Any, _: Any) -> bool:
    if not isinstance(value, bool):
        raise ValueError("is neither true nor false")
    return value


@cache
def plain_converter() -> cattrs.Converter:
    """Reads days and whole numbers strictly; a key that is not known is an error."""
    made = cattrs.Converter(forbid_extra_keys=True)
    made.register_structure_hook(date, _day)
    made.register_structure_hook(int, _whole)
    made.register_structure_hook(bool, _yes_or_no)  # the hook for int would otherwise catch it, too
    return made


def read_plan(path: Path) -> PlanFile:
    """Read a plan with its log. Raises BadInput with what is wrong, by place."""
    data = read_json(path)
    try:
        told = plain_converter().structure(data, PlanFile)
    except Exception as err:
        problems = cattrs.transform_error(err, path="plan", format_exception=cattrs.v.format_exception)
        raise BadInput(f"“{path.name}” is no plan: {'; '.join(problems[:5])}.") from err
    return _sound(path, told)


def _sound(path: Path, told: PlanFile) -> PlanFile:
    """What cannot be: unknown rungs, days ahead, pain beyond the scale. Raises BadInput."""
    if told.version != VERSION:
        raise BadInput(f"“{path.name}”: version {told.version}; this program reads {VERSION}.")
    known = {rung for one in told.plan for rung in one.line}
    for one in told.plan:
        if one.rung not in one.line:
            raise BadInput(f"“{path.name}”: {one.rung} is not in its own line.")
        if one.held and one.held not in one.line:
            raise BadInput(f"“{path.name}”: {one.held}, held before, is not in the line of {one.rung}.")
        if one.since > told.today or (one.changed is not None and one.changed > told.today):
            raise BadInput(f"“{path.name}”: {one.rung} begins after today.")
    for line in told.log:
        where = f"“{path.name}”: {line.rung or 'a line of the log'} on {line.day}"
        if line.rung not in known:
            raise BadInput(f"{where} is of no line of the plan.")
        pains = (line.pain or 0, line.morning_pain or 0, line.after_cut or 0)
        if line.day > told.today or not all(0 <= p <= 10 for p in pains) or not 0 <= line.faulty <= 100:
            raise BadInput(f"{where}: a day ahead, pain beyond 0-10, or a share beyond 100 %.")
    return told


def exercises(told: PlanFile) -> list[tuple[ExerciseState, tuple[LoggedSet, ...], PlanContext]]:
    """Each exercise with the sets of its line and what stands around it; one without sides is done with both legs."""
    made = []
    log = [replace(one, answered=one.answered or _answers(told.screened, one)) for one in told.log]
    for one in told.plan:
        sets = tuple(line for line in log if line.rung in one.line)
        both = bool(sets) and all(line.side not in LEGS for line in sets)
        others = tuple(line for line in log if line.rung not in one.line)
        made.append((replace(one, sides=(Side.NONE,)) if both else one, sets, replace(told.standing, elsewhere=others)))
    return made


def _answers(screened: date | None, one: LoggedSet) -> bool:
    """Whether the newest screen came after a day: of two on one day nobody knows which was first."""
    return screened is not None and screened > one.day


def decided(exercise: ExerciseState, decision: ProgressionDecision) -> dict[str, Any]:
    """A decision as plain data."""
    told = {f.name: getattr(decision, f.name) for f in fields(ProgressionDecision)}
    return {"rung": exercise.rung, **told, "move": decision.move.value, "also": list(decision.also)}


def plan_data(
    standing: PlanContext, plan: Iterable[ExerciseState], log: Iterable[LoggedSet], phase: Phase | None, kit: Equipment
) -> dict[str, Any]:
    """The file that `read_plan` reads, as plain data; it names nobody."""
    made = cattrs.Converter(omit_if_default=True)
    made.register_unstructure_hook(date, lambda day: day.isoformat())
    lines = [
        {**made.unstructure(one), "day": one.day.isoformat(), "side": one.side.value, "rung": one.rung} for one in log
    ]
    return {
        "version": VERSION,
        "today": standing.today.isoformat(),
        "screen": standing.triage.value if standing.triage is not None else None,
        "school": standing.school.value,
        "deload": standing.deload,
        "phase": phase.value if phase is not None else None,
        "kit": sorted(kit.at_hand) if kit.at_hand is not None else None,
        "plan": [{**made.unstructure(one), "sides": [s.value for s in one.sides]} for one in plan],
        "bone_stress": standing.bone_stress,
        "prompt": standing.prompt,
        "log": lines,
    }


__all__ = ["VERSION", "PlanFile", "decided", "exercises", "plan_data", "read_plan"]
