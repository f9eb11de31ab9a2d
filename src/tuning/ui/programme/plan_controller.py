"""The plan of the open case as the window works with it: the core says what stands, every change is one action."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import replace
from datetime import date, timedelta
from typing import Any

from tuning.core.entries import Decision as Decided
from tuning.core.entries import Done, NextDayResponse, OtherLoad, PlanItem
from tuning.core.errors import BadInput, Refused
from tuning.core.programme.dose import Dose
from tuning.core.programme.equipment import Equipment
from tuning.core.programme.joint_load import USUAL_STATURE_M, WeekLoad
from tuning.core.programme.ladders import Rung
from tuning.core.programme.log_mapping import amended, sessions
from tuning.core.programme.phases import Phase, next_phase, score_change
from tuning.core.programme.plan_facts import scores, weekly_load
from tuning.core.programme.plan_moves import confirmed, overruled
from tuning.core.programme.plan_status import DIAL, KIT, PHASE, SCHOOL, PlanStatus, plan_status
from tuning.core.programme.progression_state import ExerciseState, ProgressionDecision, ProgressionMove
from tuning.core.programme.progression_step import ProgressionStep
from tuning.core.programme.rules import PainPolicy
from tuning.core.programme.weekly_schedule import Item, Week, WeekConstraints, item_of, plan_week
from tuning.core.types import Observation, Side
from tuning.ui.programme.discharge import Discharge
from tuning.ui.workspace import Workspace

WEEK = "week"


class PlanController:
    """Reads the case; every change is one action of the workspace."""

    def __init__(self, space: Workspace) -> None:
        self._space = space
        self.ends = Discharge(space)

    @property
    def today(self) -> date:
        """The day of the open visit."""
        case = self._space.case
        return case.visit.started_at.astimezone().date() if case is not None else date.today()

    @property
    def status(self) -> PlanStatus:
        """Where the plan stands. Raises Refused where no case is open."""
        if self._space.case is None:
            raise Refused("No case is open.")
        return plan_status(self._space.case, self._space.knowledge, self.today)

    def _entries(self) -> Sequence[Any]:
        return self._space.case.entries if self._space.case is not None else ()

    def _newest(self, subject: str) -> Decided | None:
        found = [e for e in self._entries() if isinstance(e, Decided) and e.subject == subject]
        return found[-1] if found else None

    def _rung(self, item: PlanItem) -> Rung:
        return self._space.knowledge.rung(item.rung)

    # phase, dial, school

    def phase(self) -> tuple[Phase, str]:
        """The phase of the plan and why."""
        return self.status.phase

    def phase_missing(self) -> list[str]:
        """What keeps the plan in its phase."""
        return self.status.phase_missing

    def score_words(self) -> str:
        """The activity score at first and now, and what the change means; empty before it was asked twice."""
        case = self._space.case
        known = scores(case.all(Observation)) if case is not None else []
        if len(known) < 2:
            return ""
        return f"activity score {known[0]:.1f} at first, {known[-1]:.1f} now: {score_change(known[0], known[-1])}"

    def set_phase(self, phase: Phase, reason: str) -> None:
        """Go to a phase; against its criteria only with a reason. Raises BadInput."""
        now, facts = self.status.phase[0], self.status.phase_facts
        allowed = phase.place <= now.place or phase is next_phase(now, facts)
        if not allowed and not reason.strip():
            raise BadInput(f"Still in {now.value}: {'; '.join(self.phase_missing())}. Type the reason to go on anyway.")
        with self._space.action(f"phase {phase.value}") as act:
            act.add(Decided(PHASE, phase.value, {"from": now.value}, reason=reason.strip()))

    def caps(self) -> tuple[int, int]:
        """Toe zone and kneecap demand that the dial allows."""
        return self.status.caps

    def set_caps(self, zone: int, kneecap: int) -> None:
        """Turn the dial."""
        with self._space.action("knee dial") as act:
            act.add(Decided(DIAL, f"{zone}/{kneecap}", {"zone": zone, "kneecap": kneecap}))

    def kit(self) -> Equipment:
        """What the patient has for exercises; everything until somebody asked."""
        return self.status.kit

    def set_kit(self, things: Iterable[str] | None) -> None:
        """Keep what there is; None takes it that everything is."""
        items = None if things is None else sorted(things)
        with self._space.action("kit at hand") as act:
            act.add(Decided(KIT, "not asked" if items is None else f"{len(items)} things", {"items": items}))

    def needs(self, item: PlanItem) -> tuple[str, ...]:
        """What an exercise of the plan is done with."""
        return self._space.knowledge.ladder_of(item.rung).needs(self._rung(item), Dose(**item.dose), item.variant)

    def school(self) -> PainPolicy:
        """How much pain an exercise may give: as chosen for this plan, else as the clinic prefers."""
        return self.status.school

    def set_school(self, school: PainPolicy) -> None:
        """Choose the pain school of this plan."""
        with self._space.action(f"pain school {school.value}") as act:
            act.add(Decided(SCHOOL, school.value))

    def pain_school(self) -> PainPolicy:
        """The school that counts: strict while bone stress is suspected, whatever was chosen."""
        return self.status.pain_school

    def deload(self) -> bool:
        """Whether this week is one with fewer sets."""
        return self.status.deload

    def dose_now(self, item: PlanItem) -> Dose:
        """The dose of this week: as prescribed, lighter in a deload week or while a flare-up settles."""
        return self.status.dose_now(item)

    # decisions

    def exercise(self, item: PlanItem) -> ExerciseState:
        """An item of the plan as the decision table reads it."""
        return self.status.exercise(item)

    def decision(self, item: PlanItem) -> ProgressionDecision:
        """Up, hold or back, from what was done."""
        return self.status.decision(item)

    def after(self, item: PlanItem, decision: ProgressionDecision) -> ProgressionStep | None:
        """The exercise as it would go on; None where nothing of it changes."""
        return self.status.after(item, decision)

    def confirm(self, item: PlanItem, decision: ProgressionDecision, reason: str = "") -> None:
        """Take the table's decision over. Raises TuningError where the gate refuses, or it says something else now."""
        now = self.status.decision(item)
        if (now.row, now.move, now.to) != (decision.row, decision.move, decision.to):
            raise Refused(f"The table says {now.move.value} now: {now.reason}. Look again; nothing was saved.")
        with self._space.action(f"{decision.move.value}: {self._rung(item).name}") as act:
            for entry in confirmed(self.status, item, reason):
                act.add(entry)

    def overrule(self, item: PlanItem, move: ProgressionMove, reason: str) -> None:
        """Another move than the table's; nobody overrules its first row. Raises TuningError."""
        with self._space.action(f"{move.value}: {self._rung(item).name}") as act:
            for entry in overruled(self.status, item, move, reason):
                act.add(entry)

    # the log

    def log(self, *done: Done) -> None:
        """Keep what was done."""
        with self._space.action("session") as act:
            for one in done:
                act.add(one)

    def log_other(
        self,
        what: str,
        day: date,
        amount: float,
        unit: str,
        effort: int,
        morning: NextDayResponse = NextDayResponse.UNKNOWN,
    ) -> None:
        """Keep a load beside the exercises. Raises BadInput."""
        if not what.strip() or amount <= 0:
            raise BadInput("Say what it was and how much; nothing was saved.")
        if day > self.today:
            raise BadInput("That date is in the future.")
        with self._space.action(what.strip()) as act:
            settled = {NextDayResponse.SETTLED: True, NextDayResponse.NOT: False}.get(morning)
            act.add(OtherLoad(what.strip(), day, amount, unit, effort, settled))

    def done(self, item: PlanItem) -> list[Done]:
        """Sessions of an item's line, oldest first."""
        ladder, rung = self._space.knowledge.ladder_of(item.rung), self._rung(item)
        return sessions(self._entries(), [r.id for r in ladder.line(rung)])

    def amend(self, text: str, done: Sequence[Done], **told: Any) -> None:
        """Put lines of the log right, or say what was not known yet: the morning after, the pain after a cut."""
        rules = self._space.knowledge.progression
        with self._space.action(text) as act:
            for one in done:
                act.replace(amended(one, replace(one, **told), rules), one)

    def set_morning(self, done: Sequence[Done], morning: NextDayResponse, pain: int | None = None) -> None:
        """How the morning after a session was."""
        self.amend("next morning", done, morning=morning, morning_pain=pain)

    # the week

    def room(self) -> WeekConstraints:
        """Free days, sport days and minutes of a session."""
        found = self._newest(WEEK)
        if found is None:
            return WeekConstraints()
        known = found.inputs
        return WeekConstraints(
            tuple(known.get("free", range(7))), tuple(known.get("sport", ())), float(known.get("minutes", 40))
        )

    def moves(self) -> dict[str, list[int]]:
        """Days by rung where somebody moved a session by hand."""
        found = self._newest(WEEK)
        return dict(found.inputs.get("days", {})) if found is not None else {}

    def set_week(self, room: WeekConstraints, days: dict[str, list[int]] | None = None) -> None:
        """Keep what the week gives, and days that were moved by hand."""
        inputs: dict[str, Any] = {"free": list(room.free), "sport": list(room.sport), "minutes": room.minutes}
        with self._space.action("week") as act:
            act.add(Decided(WEEK, "set", {**inputs, "days": days or {}}))

    def items(self) -> list[Item]:
        """The standing plan as the week sees it; what was never done is new."""
        known = {e.rung for e in self._entries() if isinstance(e, Done) and not e.trial}
        made = []
        for n, item in enumerate(self._space.plan()):
            rung, ladder = self._rung(item), self._space.knowledge.ladder_of(item.rung)
            made.append(item_of(rung, ladder.id, self.dose_now(item), first_choice=n < 3, new=rung.id not in known))
        return made

    def week(self) -> Week:
        """The week as planned, with what was moved by hand."""
        found = plan_week(self.items(), self.room())
        by_hand = {rung: tuple(days) for rung, days in self.moves().items() if rung in found.days}
        return replace(found, days={**found.days, **by_hand})

    # the load ledger

    def weeks(self, side: Side) -> list[WeekLoad]:
        """What a leg bore in every week of the record."""
        patient = self._space.patient
        stature = (patient.stature_m if patient is not None else None) or USUAL_STATURE_M
        return weekly_load(self._entries(), self._space.knowledge.rung, stature, side)

    def stature_words(self) -> str:
        """Which stature the moments stand on, where the patient's is not known."""
        patient = self._space.patient
        known = patient is not None and patient.stature_m
        return "" if known else f" Height not recorded: assumed {USUAL_STATURE_M:.2f} m."

    def beside(self, days: int = 7) -> list[OtherLoad]:
        """Loads beside the exercises in the last days, newest first."""
        found = [e for e in self._entries() if isinstance(e, OtherLoad)]
        start = self.today - timedelta(days=days)
        return sorted((e for e in found if start < e.day <= self.today), key=lambda e: e.day, reverse=True)


def done_of(item: PlanItem, side: Side, day: date, **told: Any) -> Done:
    """A line of the log for an item, with what it asked for."""
    dose = Dose(**item.dose)
    sets = dose.sets + (dose.extra if side is item.first_side else 0)
    known: dict[str, Any] = {"sets": sets, "reps": dose.reps or 0, "variant": item.variant, "dose": item.dose}
    return Done(rung=item.rung, side=side, day=day, **{**known, **told})
