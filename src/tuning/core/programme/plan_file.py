"""What keeps the next rung of an exercise locked where no record is at hand: phase and kit of a file."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import replace
from typing import Protocol

from tuning.core.errors import BadInput
from tuning.core.gate.permission import Gate, Permission
from tuning.core.programme.equipment import Equipment, Substitute
from tuning.core.programme.ladders import ConditionState, EntryContext, Ladder, Rung, entry_checks
from tuning.core.programme.phases import Phase
from tuning.core.programme.progression_state import ExerciseState
from tuning.core.programme.progression_step import start_dose
from tuning.core.types import Triage


class LadderTables(Protocol):
    """Ladders and kit of the knowledge files."""

    @property
    def ladders(self) -> Mapping[str, Ladder]:
        """Every ladder by its id."""

    @property
    def kit(self) -> Mapping[str, Substitute]:
        """What may be at hand, by its id."""

    def rung(self, rung_id: str) -> Rung:
        """A rung. Raises KeyError."""

    def ladder_of(self, rung_id: str) -> Ladder:
        """The ladder of a rung. Raises KeyError."""


def with_next_step(
    exercise: ExerciseState, tables: LadderTables, phase: Phase | None, kit: Collection[str] | None
) -> ExerciseState:
    """The exercise with what phase and kit keep locked; a lock of the file itself stays. Raises BadInput."""
    known = Equipment(None if kit is None else frozenset(kit), tables.kit)
    strange = sorted(set(kit or ()) - set(known.things()))
    if strange:
        raise BadInput(f"“{strange[0]}” is no kit that an exercise uses; known are {', '.join(known.things())}.")
    rungs = {rung.id for ladder in tables.ladders.values() for rung in ladder.rungs}
    if exercise.locked or exercise.within or exercise.above not in rungs:
        return exercise
    rung = tables.rung(exercise.above)
    check = next(iter(_not_met(rung, tables.ladder_of(rung.id), phase or Phase.RETURN, known)), "")
    return replace(exercise, locked=check)


def _not_met(rung: Rung, ladder: Ladder, phase: Phase, kit: Equipment) -> Sequence[str]:
    """Conditions of phase and kit: what else is asked a file cannot tell, and says itself."""
    now = EntryContext(Permission(Gate.OPEN), Triage.NONE, frozenset(), {}, {}, {}, phase=phase, kit=kit)
    dose, none = start_dose(rung, phase), replace(rung, entry=(), transition=False)
    found = entry_checks(none, ladder, now, rung.poses[0].name, dose)
    return [one.text for one in found if one.state is ConditionState.NOT_MET]
