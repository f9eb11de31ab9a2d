"""What changes a plan: a decision confirmed or overruled, a rung written; and who may, asked again at every commit."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import asdict, replace
from datetime import timedelta

from tuning.core.entries import Decision as Decided
from tuning.core.entries import Done, PlanItem
from tuning.core.errors import BadInput, Refused
from tuning.core.gate.permission import permission_for, require_permission
from tuning.core.programme.dose import Dose, asks_no_more
from tuning.core.programme.ladders import ConditionState, EntryCondition, SideTrial, act_of_rung
from tuning.core.programme.log_mapping import SUBJECT, set_of
from tuning.core.programme.open_side_gaps import ACCEPTED
from tuning.core.programme.open_side_gaps import OPEN as GAP_OPEN
from tuning.core.programme.phases import Phase
from tuning.core.programme.plan_status import PHASE, SCHOOL, PlanStatus
from tuning.core.programme.progression_state import ProgressionMove
from tuning.core.programme.progression_step import ProgressionStep
from tuning.core.programme.rules import PainPolicy
from tuning.core.types import LEGS, Entry, Role, Side

OVERRULED = "overruled"
"""Key of the inputs of a decision that is not the table's."""
NOBODY = "nobody"


def confirmed(status: PlanStatus, item: PlanItem, reason: str = "") -> list[Entry]:
    """The entries that carry out what the table says of an exercise now."""
    decision = status.decision(item)
    why = f"Row {decision.row}: {decision.reason}"
    return _carried_out(status, item, decision.move, status.after(item, decision), decision.row, why, reason, False)


def overruled(status: PlanStatus, item: PlanItem, move: ProgressionMove, reason: str) -> list[Entry]:
    """The entries of another move than the table's. Raises BadInput without a reason, Refused where none may."""
    found = status.decision(item)
    if found.override == NOBODY:
        raise Refused(f"This cannot be overruled: {found.reason}.")
    if not reason.strip():
        raise BadInput("Type the reason for another decision than the table's.")
    step = {ProgressionMove.CLIMB: status.step_up, ProgressionMove.BACK: status.lowered}.get(move, lambda _: None)(item)
    why = f"overruled row {found.row} ({found.move.value}: {found.reason})"
    return _carried_out(status, item, move, step, 0, why, reason, True)


def _carried_out(
    status: PlanStatus,
    item: PlanItem,
    move: ProgressionMove,
    step: ProgressionStep | None,
    row: int,
    why: str,
    reason: str,
    against: bool,
) -> list[Entry]:
    to, typed = step.rung.id if step is not None else item.rung, reason.strip()
    about = {"from": item.rung, "to": to, "why": why, "row": row, **({OVERRULED: True} if against else {})}
    made: list[Entry] = [Decided(SUBJECT, move.value, about, reason=typed)]
    if move is ProgressionMove.OUT:
        made.append(replace(item, reason="", withdrawn=True, replaces=item.uid))
    elif step is not None:
        same = step.rung.id == item.rung and status.reason_counts(item)
        made.append(replace(item, reason="", withdrawn=True, replaces=item.uid))
        made.append(
            replace(
                item, rung=step.rung.id, dose=asdict(step.dose), checks=(), variant=step.variant, withdrawn=False,
                first_side=step.first if step.first in LEGS else item.first_side,
                reason=typed or (item.reason if same else ""), why=why, replaces=item.uid,
            )
        )  # fmt: skip
    return made


# who may


def check_programme(status: PlanStatus, added: Sequence[Entry], role: Role | None) -> None:
    """Raises Refused or BadInput for what somebody of this role may not add to a plan, whichever page collected it."""
    decided = [e for e in added if isinstance(e, Decided)]
    for one in decided:
        _check_decision(status, one, role)
    for done in (e for e in added if isinstance(e, Done) and e.supervised and not e.replaces):
        _check_session(status, done, role)
    trials = [e for e in added if isinstance(e, Done) and e.trial]
    for item in (e for e in added if isinstance(e, PlanItem) and not e.withdrawn):
        _check_item(status, item, decided, trials, role)


def _check_session(status: PlanStatus, done: Done, role: Role | None) -> None:
    """What is done under supervision asks the gate; a reason that was typed for the exercise serves its sessions."""
    item = next((one for one in status.items if one.rung == done.rung), None)
    rung = status.tables.rung(done.rung)
    act = act_of_rung(rung, done.variant, Dose(**item.dose) if item is not None and not done.trial else rung.dose)
    known = item is not None and not done.trial and status.reason_counts(item)
    facts = replace(status.facts, role=role)
    if permission_for(act, facts).locked or not known:
        require_permission(act, facts, done.reason)


def _needs_clinician(role: Role | None, deed: str) -> None:
    if role is not Role.CLINICIAN:
        raise Refused(f"Only a licensed clinician {deed}. Nothing was saved.")


def _check_decision(status: PlanStatus, one: Decided, role: Role | None) -> None:
    if one.subject == SUBJECT:
        _check_move(status, one, role)
    elif one.subject == PHASE and Phase(one.outcome).place > status.phase[0].place:
        _needs_clinician(role, "opens a later phase")
    elif one.subject == SCHOOL and one.outcome != PainPolicy.STRICT.value:
        _needs_clinician(role, "opens the monitored pain school")
    elif one.subject == ACCEPTED and one.outcome != GAP_OPEN:
        _needs_clinician(role, "accepts a side gap")


def _check_move(status: PlanStatus, one: Decided, role: Role | None) -> None:
    item = next((i for i in status.items if i.rung == one.inputs.get("from")), None)
    if item is None:
        raise Refused("This exercise is no longer in the plan. Look again; nothing was saved.")
    found, move = status.decision(item), ProgressionMove(one.outcome)
    if one.inputs.get(OVERRULED):
        _needs_clinician(role, "overrules the table")
        if not one.reason.strip():
            raise BadInput("Type the reason for another decision than the table's.")
        if found.override == NOBODY:
            raise Refused(f"This cannot be overruled: {found.reason}.")
        if move is ProgressionMove.CLIMB and (alarm := _recent_alarm(status)):
            raise Refused(f"No climb: {alarm}. Nothing was saved.")
    elif move.care > found.move.care:
        raise Refused(f"The table says {found.move.value}: {found.reason}. Look again; nothing was saved.")


def _recent_alarm(status: PlanStatus) -> str:
    """An alarm that is not answered, or of the days in which nothing climbs."""
    rules = status.tables.progression
    if status.open_alarms:
        return "an alarm has not been answered by a safety screen"
    start = status.today - timedelta(days=rules.alarms.no_climb)
    days = [e.day for e in status.entries if isinstance(e, Done) and e.day >= start and set_of(e).alarms(rules)]
    return f"an alarm on {max(days):%-d %b}, {rules.alarms.no_climb} days ago or less" if days else ""


def open_checks(
    status: PlanStatus, item: PlanItem, decided: Iterable[Decided] = (), trials: Iterable[Done] = ()
) -> list[EntryCondition]:
    """What is not met of an item that would be written; nothing where it asks no more than what it takes the place of.

    A climb that the table itself decides has been asked all of it already.
    """
    before = _before(status, item)
    by_table = any(
        d.subject == SUBJECT and d.outcome == ProgressionMove.CLIMB.value and not d.inputs.get(OVERRULED)
        and d.inputs.get("to") == item.rung for d in decided
    )  # fmt: skip
    if by_table or (before is not None and _asks_no_more(status, before, item)):
        return []
    rung = status.rung(item)
    typed: dict[Side, SideTrial] = {
        d.side: SideTrial(not (d.faults or d.wrong or d.alarms) and d.felt, d.pain, d.felt, d.wrong)
        for d in trials
        if d.rung == item.rung and d.supervised
    }
    again = rung.id if before is not None and before.rung == rung.id else ""
    found = status.checks(rung, item.variant, Dose(**item.dose), typed, again)
    return [one for one in found if one.state is not ConditionState.MET]


def _before(status: PlanStatus, item: PlanItem) -> PlanItem | None:
    """The standing item that another takes the place of."""
    same = next((one for one in status.items if one.rung == item.rung), None)
    replaced = next((one for one in status.items if one.uid == item.replaces), None)
    return same or replaced


def _asks_no_more(status: PlanStatus, before: PlanItem, item: PlanItem) -> bool:
    """Whether an item asks the same or less: an easier rung of the line, or no more of its dose and variant."""
    old, new = status.rung(before), status.rung(item)
    if old.id != new.id:
        line = [r.id for r in status.tables.ladder_of(old.id).line(old)]
        return new.id in line and line.index(new.id) < line.index(old.id)
    names = [pose.name for pose in new.poses]
    place = [names.index(one.variant) if one.variant in names else 0 for one in (before, item)]
    return place[1] <= place[0] and asks_no_more(Dose(**before.dose), Dose(**item.dose), new)


def _check_item(
    status: PlanStatus, item: PlanItem, decided: Sequence[Decided], trials: Sequence[Done], role: Role | None
) -> None:
    pending = open_checks(status, item, decided, trials)
    locked = next((one for one in pending if one.state is ConditionState.LOCKED), None)
    if locked is not None:
        raise Refused(f"Not written: {locked.text}.")
    if not pending:
        return
    if not item.reason.strip():
        raise BadInput(f"Type the reason for starting this exercise anyway: {pending[0].text}.")
    _needs_clinician(role, f"starts an exercise against an open condition ({pending[0].text})")
