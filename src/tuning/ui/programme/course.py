"""The course of a plan in the open case: phase, dial, school, week, what was done, and what comes next."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import asdict, replace
from datetime import date, timedelta
from typing import Any

from tuning.core.entries import Decision as Decided
from tuning.core.entries import Done, OtherLoad, PlanItem
from tuning.core.errors import BadInput
from tuning.core.preferences import PAIN_SCHOOL, SHIN_SCHOOL
from tuning.core.programme.climb import Step, climbed, cut, exceeds, lighter, start_dose, within
from tuning.core.programme.course import (
    Around,
    deload_week,
    facts_of,
    scores,
    suspects_bone,
    target_passed,
    weekly_load,
)
from tuning.core.programme.decide import Decision, Exercise, Morning, Move, School, Set, Standing, decide
from tuning.core.programme.kit import Kit
from tuning.core.programme.ladders import Dose, Rung
from tuning.core.programme.load import USUAL_STATURE_M, WeekLoad
from tuning.core.programme.logbook import SUBJECT, Ahead, exercise_of, passed, sessions, set_of
from tuning.core.programme.phases import Course as CourseFacts
from tuning.core.programme.phases import Phase, entry_phase, next_phase, score_change, still_needed
from tuning.core.programme.week import Item, Room, Week, item_of, plan_week
from tuning.core.types import Observation, Side
from tuning.knowledge.acts import act_of_rung
from tuning.ui.programme.open_ends import OpenEnds
from tuning.ui.workspace import Workspace

PHASE, DIAL, SCHOOL, WEEK, KIT = "phase", "dial", "pain-school", "week", "kit"


class Course:
    """Reads the case; every change is one action of the workspace."""

    def __init__(self, space: Workspace) -> None:
        self._space = space
        self.ends = OpenEnds(space)

    @property
    def today(self) -> date:
        """The day of the open visit."""
        case = self._space.case
        return case.visit.started_at.astimezone().date() if case is not None else date.today()

    def _entries(self) -> Sequence[Any]:
        return self._space.case.entries if self._space.case is not None else ()

    def _newest(self, subject: str) -> Decided | None:
        found = [e for e in self._entries() if isinstance(e, Decided) and e.subject == subject]
        return found[-1] if found else None

    # phase, dial, school

    def facts(self) -> CourseFacts:
        """What decides about the phase."""
        knowledge, plan = self._space.knowledge, self._space.plan()
        around = Around(
            self.today,
            self._space.triage(),
            self.ends.gaps(),
            [self._rung(item) for item in plan],
            passed(self._entries()),
            self.pain_school(),
            any(self._at_target(item) for item in plan),
        )
        return facts_of(self._entries(), knowledge.safety, around)

    def _at_target(self, item: PlanItem) -> bool:
        x = self._exercise(item, locked="")
        return target_passed(self._rung(item), x, self._log(x), self.standing())

    def _log(self, exercise: Exercise) -> list[Set]:
        return [set_of(d) for d in sessions(self._entries(), exercise.line)]

    def _rung(self, item: PlanItem) -> Rung:
        return self._space.knowledge.rung(item.rung)

    def phase(self) -> tuple[Phase, str]:
        """The phase of the plan and why: as somebody decided, else the first that it needs."""
        found = self._newest(PHASE)
        if found is not None:
            return Phase(found.outcome), found.reason or f"since {found.at:%-d %b}"
        return entry_phase(self.facts())

    def phase_missing(self) -> list[str]:
        """What keeps the plan in its phase."""
        return still_needed(self.phase()[0], self.facts())

    def score_words(self) -> str:
        """The activity score at first and now, and what the change means; empty before it was asked twice."""
        case = self._space.case
        known = scores(case.all(Observation)) if case is not None else []
        if len(known) < 2:
            return ""
        return f"activity score {known[0]:.1f} at first, {known[-1]:.1f} now: {score_change(known[0], known[-1])}"

    def set_phase(self, phase: Phase, reason: str) -> None:
        """Go to a phase; against its criteria only with a reason. Raises BadInput."""
        now = self.phase()[0]
        allowed = phase.place <= now.place or phase is next_phase(now, self.facts())
        if not allowed and not reason.strip():
            raise BadInput(f"Still in {now.value}: {'; '.join(self.phase_missing())}. Type the reason to go on anyway.")
        with self._space.action(f"phase {phase.value}") as act:
            act.add(Decided(PHASE, phase.value, {"from": now.value}, reason=reason.strip()))

    def caps(self) -> tuple[int, int]:
        """Toe zone and kneecap demand that the dial allows."""
        found = self._newest(DIAL)
        if found is not None:
            return int(found.inputs["zone"]), int(found.inputs["kneecap"])
        return (0 if self._space.prefer(SHIN_SCHOOL) == "upright" else 3), 3

    def set_caps(self, zone: int, kneecap: int) -> None:
        """Turn the dial."""
        with self._space.action("knee dial") as act:
            act.add(Decided(DIAL, f"{zone}/{kneecap}", {"zone": zone, "kneecap": kneecap}))

    def kit(self) -> Kit:
        """What the patient has for exercises; everything until somebody asked."""
        found = self._newest(KIT)
        items = found.inputs.get("items") if found is not None else None
        return Kit(None if items is None else frozenset(items), self._space.knowledge.kit)

    def set_kit(self, things: Iterable[str] | None) -> None:
        """Keep what there is; None takes it that everything is."""
        items = None if things is None else sorted(things)
        with self._space.action("kit at hand") as act:
            act.add(Decided(KIT, "not asked" if items is None else f"{len(items)} things", {"items": items}))

    def needs(self, item: PlanItem) -> tuple[str, ...]:
        """What an exercise of the plan is done with."""
        return self._space.knowledge.ladder_of(item.rung).needs(self._rung(item))

    def school(self) -> School:
        """How much pain an exercise may give: as chosen for this plan, else as the clinic prefers."""
        found = self._newest(SCHOOL)
        return School(found.outcome if found is not None else self._space.prefer(PAIN_SCHOOL))

    def set_school(self, school: School) -> None:
        """Choose the pain school of this plan."""
        with self._space.action(f"pain school {school.value}") as act:
            act.add(Decided(SCHOOL, school.value))

    def pain_school(self) -> School:
        """The school that counts: strict while bone stress is suspected, whatever was chosen."""
        return self.standing().pain_school

    def deload(self) -> bool:
        """Whether this week is one with fewer sets."""
        return deload_week(self._entries(), self.today)

    def dose_now(self, item: PlanItem) -> Dose:
        """The dose of this week: as prescribed, or lighter in a deload week."""
        dose = Dose(**item.dose)
        return lighter(dose) if self.deload() else dose

    # decisions

    def standing(self) -> Standing:
        """What stands around the exercises."""
        found = self._space.standing()
        bone = found is not None and suspects_bone(found.open, self._space.knowledge.safety)
        return Standing(self.today, self._space.triage(), school=self.school(), bone_stress=bone, deload=self.deload())

    def exercise(self, item: PlanItem) -> Exercise:
        """An item of the plan as the decision table reads it."""
        return self._exercise(item, self._locked(item))

    def _exercise(self, item: PlanItem, locked: str) -> Exercise:
        rung, ladder = self._rung(item), self._space.knowledge.ladder_of(item.rung)
        own = within(rung, Dose(**item.dose), item.variant)
        ahead = Ahead(locked, own.words if own is not None else "")
        return exercise_of(item, rung, ladder, self._entries(), ahead)

    def _locked(self, item: PlanItem) -> str:
        """Why the next step may not be taken."""
        step = self.step_up(item)
        if step is None:
            return ""
        permission = self._space.may(act_of_rung(step.rung))
        missing = self.kit().missing(self._space.knowledge.ladder_of(step.rung.id).needs(step.rung))
        return permission.sentence if permission.locked else exceeds(step, self.phase()[0], self.caps(), missing)

    def step_up(self, item: PlanItem) -> Step | None:
        """What a climb would bring."""
        ladder = self._space.knowledge.ladder_of(item.rung)
        return climbed(self._rung(item), Dose(**item.dose), item.variant, ladder, self.phase()[0])

    def decision(self, item: PlanItem) -> Decision:
        """Up, hold or back, from what was done."""
        exercise = self.exercise(item)
        return decide(exercise, self._log(exercise), self.standing())

    def after(self, item: PlanItem, decision: Decision) -> Step | None:
        """The exercise as it would go on; None where nothing of it changes."""
        if decision.move is Move.CLIMB and decision.row != 13:
            return self.step_up(item)
        if decision.to != item.rung:
            rung = self._space.knowledge.rung(decision.to)
            return Step(rung, start_dose(rung, self.phase()[0]), rung.name)
        if decision.row == 6:
            return cut(self._rung(item), Dose(**item.dose))
        return None

    def confirm(self, item: PlanItem, decision: Decision, reason: str = "") -> None:
        """Take a decision over. Raises TuningError where the gate refuses the new rung."""
        self._carry_out(
            item, decision.move, self.after(item, decision), f"Row {decision.row}: {decision.reason}", reason
        )

    def overrule(self, item: PlanItem, move: Move, reason: str) -> None:
        """Another move than the table's; nobody overrules its first row. Raises BadInput without a reason."""
        found = self.decision(item)
        if found.override == "nobody":
            raise BadInput(f"This cannot be overruled: {found.reason}.")
        if not reason.strip():
            raise BadInput("Type the reason for another decision than the table's.")
        ladder, rung = self._space.knowledge.ladder_of(item.rung), self._rung(item)
        step = None
        if move is Move.CLIMB:
            step = self.step_up(item)
        elif move is Move.BACK and (below := ladder.below(rung)) is not None:
            step = Step(below, start_dose(below, self.phase()[0]), below.name)
        words = f"overruled row {found.row} ({found.move.value}: {found.reason})"
        self._carry_out(item, move, step, words, reason)

    def _carry_out(self, item: PlanItem, move: Move, step: Step | None, why: str, reason: str) -> None:
        goes_to = step.rung.id if step is not None else item.rung
        with self._space.action(f"{move.value}: {self._rung(item).name}") as act:
            act.add(Decided(SUBJECT, move.value, {"from": item.rung, "to": goes_to, "why": why}, reason=reason.strip()))
            if step is not None:
                act.add(replace(item, reason="", withdrawn=True, replaces=item.uid))
                goes_on = replace(item, rung=step.rung.id, dose=asdict(step.dose), checks=(), variant=step.variant)
                act.add(replace(goes_on, reason=reason.strip() or why, withdrawn=False))

    # the log

    def log(self, *done: Done) -> None:
        """Keep what was done."""
        with self._space.action("session") as act:
            for one in done:
                act.add(one)

    def log_other(
        self, what: str, day: date, amount: float, unit: str, effort: int, morning: Morning = Morning.UNKNOWN
    ) -> None:
        """Keep a load beside the exercises. Raises BadInput."""
        if not what.strip() or amount <= 0:
            raise BadInput("Say what it was and how much; nothing was kept.")
        if day > self.today:
            raise BadInput("That day lies ahead.")
        with self._space.action(what.strip()) as act:
            settled = {Morning.SETTLED: True, Morning.NOT: False}.get(morning)
            act.add(OtherLoad(what.strip(), day, amount, unit, effort, settled))

    def done(self, item: PlanItem) -> list[Done]:
        """Sessions of an item's line, oldest first."""
        ladder, rung = self._space.knowledge.ladder_of(item.rung), self._rung(item)
        return sessions(self._entries(), [r.id for r in ladder.line(rung)])

    def set_morning(self, done: Sequence[Done], morning: Morning, pain: int | None = None) -> None:
        """How the morning after a session was."""
        with self._space.action("next morning") as act:
            for one in done:
                act.put(replace(one, morning=morning.value, morning_pain=pain), one)

    # the week

    def room(self) -> Room:
        """Free days, sport days and minutes of a session."""
        found = self._newest(WEEK)
        if found is None:
            return Room()
        known = found.inputs
        return Room(tuple(known.get("free", range(7))), tuple(known.get("sport", ())), float(known.get("minutes", 40)))

    def moves(self) -> dict[str, list[int]]:
        """Days by rung where somebody moved a session by hand."""
        found = self._newest(WEEK)
        return dict(found.inputs.get("days", {})) if found is not None else {}

    def set_week(self, room: Room, days: dict[str, list[int]] | None = None) -> None:
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
        return "" if known else f" Stature not known: reckoned with {USUAL_STATURE_M:.2f} m."

    def beside(self, days: int = 7) -> list[OtherLoad]:
        """Loads beside the exercises in the last days, newest first."""
        found = [e for e in self._entries() if isinstance(e, OtherLoad)]
        start = self.today - timedelta(days=days)
        return sorted((e for e in found if start < e.day <= self.today), key=lambda e: e.day, reverse=True)


def done_of(item: PlanItem, side: Side, day: date, **told: Any) -> Done:
    """A line of the log for an item."""
    dose = Dose(**item.dose)
    known: dict[str, Any] = {"sets": dose.sets, "reps": dose.reps or 0, "variant": item.variant}
    return Done(rung=item.rung, side=side, day=day, **{**known, **told})
