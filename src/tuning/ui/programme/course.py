"""The course of a plan in the open case: phase, dial, school, week, what was done, and what comes next."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import asdict, replace
from datetime import date, timedelta
from typing import Any

from tuning.core.entries import Decision as Decided
from tuning.core.entries import Done, Form, OtherLoad, PlanItem
from tuning.core.errors import BadInput
from tuning.core.judging.verdict import Verdict, Word
from tuning.core.preferences import PAIN_SCHOOL, SHIN_SCHOOL
from tuning.core.programme.climb import Step, climbed, cut, exceeds, lighter, start_dose, within
from tuning.core.programme.decide import Decision, Exercise, Morning, Move, School, Standing, decide
from tuning.core.programme.ladders import Dose, Rung
from tuning.core.programme.load import DayLoad, WeekLoad, by_week, day_load, joint_load
from tuning.core.programme.load import repetitions as repetitions_of
from tuning.core.programme.logbook import SUBJECT, Around, exercise_of, passed, sessions, set_of
from tuning.core.programme.phases import Course as CourseFacts
from tuning.core.programme.phases import Phase, discharge, entry_phase, next_phase, score_change, still_needed
from tuning.core.programme.week import Item, Room, Week, item_of, plan_week
from tuning.core.types import Observation, Side, Triage
from tuning.knowledge.acts import act_of_rung
from tuning.ui.workspace import Workspace

PHASE, DIAL, SCHOOL, WEEK = "phase", "dial", "pain-school", "week"
DELOAD_EVERY = 5
"""Every fifth week has fewer sets and no climb (4 to 6, practice judgement, editable)."""
SCORE, GOAL_MET = "intake-goals", 8.0
"""The activity score, and from where a goal counts as met: its error of 2 below "as before" (Stratford 1995)."""
ASKS = (Word.NOTABLE, Word.MARKED)


class Course:
    """Reads the case; every change is one action of the workspace."""

    def __init__(self, space: Workspace) -> None:
        self._space = space

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
        done = [e for e in self._entries() if isinstance(e, Done)]
        recent = [d for d in done if self.today - timedelta(days=14) <= d.day <= self.today]
        flares = {d.day for d in recent if d.morning == Morning.NOT.value or set_of(d).alarming}
        unquiet = [d.day for d in done if d.morning == Morning.NOT.value]
        first = min((d.day for d in done if not d.trial), default=self.today)
        week = [d for d in recent if d.day >= self.today - timedelta(days=7)]
        rows = [r for r in self._space.comparisons() if isinstance(r.verdict, Verdict) and r.verdict.word in ASKS]
        gaps = {stage: [r.measure.name for r in rows if r.measure.stage == stage] for stage in ("mobility", "strength")}
        gone = passed(self._entries())
        skills = [self._rung(i).name for i in self._space.plan() if self._rung(i).skill and i.rung not in gone]
        limit = self._space.knowledge.cautions.pain_limit
        return CourseFacts(
            pain_inhibited="pain-inhibition" in self._space_factors(),
            flares=len(flares),
            trial_pain=max((d.pain for d in recent if d.trial), default=0),
            climb_pain=limit,
            quiet_days=(self.today - max(unquiet, default=first)).days,
            worst_pain=max((d.pain for d in week), default=0),
            swelling=any("swelling" in d.alarms for d in week),
            amber=self._space.triage() is Triage.AMBER,
            gaps=gaps["mobility"],
            weak=gaps["strength"],
            skills=skills,
        )

    def _space_factors(self) -> set[str]:
        taken = [e for e in self._entries() if isinstance(e, Decided) and e.subject == "factor-to-programme"]
        return {str(e.inputs.get("factor")) for e in taken}

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

    def scores(self) -> list[float]:
        """The activity score of every visit at which it was asked, oldest first."""
        case = self._space.case
        seen = case.all(Observation) if case is not None else ()
        return [o.measured for o in seen if o.measure_id == SCORE and o.measured is not None]

    def score_words(self) -> str:
        """The activity score at first and now, and what the change means; empty before it was asked twice."""
        known = self.scores()
        if len(known) < 2:
            return ""
        return f"activity score {known[0]:.1f} at first, {known[-1]:.1f} now: {score_change(known[0], known[-1])}"

    def discharge_missing(self) -> list[str]:
        """What is missing for a discharge."""
        case = self._space.case
        if case is None:
            return []
        form = next((f for f in reversed(case.all(Form)) if f.kind == "intake-complaint"), None)
        goals = form.data.get("goals", ()) if form is not None else ()
        open_goals = [g["activity"] for g in goals if g.get("activity") and (g.get("score") or 0) < GOAL_MET]
        facts = self.facts()
        asked = any(o.measure_id == SCORE for o in case.today(Observation))
        return discharge(open_goals, [*facts.gaps, *facts.weak], self.clean_weeks(), asked)

    def clean_weeks(self) -> int:
        """Weeks up to today in which something was done and every morning settled, without a break."""
        done = [d for d in self._entries() if isinstance(d, Done) and not d.trial]
        count = 0
        while True:
            end = self.today - timedelta(days=7 * count)
            week = [d for d in done if end - timedelta(days=7) < d.day <= end]
            if not week or any(d.morning != Morning.SETTLED.value or set_of(d).alarming for d in week):
                return count
            count += 1

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

    def school(self) -> School:
        """How much pain an exercise may give: as chosen for this plan, else as the clinic prefers."""
        found = self._newest(SCHOOL)
        return School(found.outcome if found is not None else self._space.prefer(PAIN_SCHOOL))

    def set_school(self, school: School) -> None:
        """Choose the pain school of this plan."""
        with self._space.action(f"pain school {school.value}") as act:
            act.add(Decided(SCHOOL, school.value))

    def deload(self) -> bool:
        """Whether this week is one with fewer sets."""
        starts = [e.at.date() for e in self._entries() if isinstance(e, PlanItem)]
        weeks = (self.today - min(starts)).days // 7 + 1 if starts else 1
        return weeks % DELOAD_EVERY == 0

    def dose_now(self, item: PlanItem) -> Dose:
        """The dose of this week: as prescribed, or lighter in a deload week."""
        dose = Dose(**item.dose)
        return lighter(dose) if self.deload() else dose

    # decisions

    def standing(self) -> Standing:
        """What stands around the exercises."""
        return Standing(self.today, self._space.triage(), school=self.school(), deload=self.deload())

    def exercise(self, item: PlanItem) -> Exercise:
        """An item of the plan as the decision table reads it."""
        rung, ladder = self._rung(item), self._space.knowledge.ladder_of(item.rung)
        own = within(rung, Dose(**item.dose), item.variant)
        around = Around(self._locked(item), own.words if own is not None else "")
        return exercise_of(item, rung, ladder, self._entries(), around)

    def _locked(self, item: PlanItem) -> str:
        """Why the next step may not be taken."""
        step = self.step_up(item)
        if step is None:
            return ""
        permission = self._space.may(act_of_rung(step.rung))
        return permission.sentence if permission.locked else exceeds(step, self.phase()[0], self.caps())

    def step_up(self, item: PlanItem) -> Step | None:
        """What a climb would bring."""
        ladder = self._space.knowledge.ladder_of(item.rung)
        return climbed(self._rung(item), Dose(**item.dose), item.variant, ladder, self.phase()[0])

    def decision(self, item: PlanItem) -> Decision:
        """Up, hold or back, from what was done."""
        exercise = self.exercise(item)
        return decide(exercise, [set_of(d) for d in sessions(self._entries(), exercise.line)], self.standing())

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

    def log_other(self, what: str, day: date, amount: float, unit: str, effort: int) -> None:
        """Keep a load beside the exercises. Raises BadInput."""
        if not what.strip() or amount <= 0:
            raise BadInput("Say what it was and how much; nothing was kept.")
        if day > self.today:
            raise BadInput("That day lies ahead.")
        with self._space.action(what.strip()) as act:
            act.add(OtherLoad(what.strip(), day, amount, unit, effort))

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

    def weeks(self) -> list[WeekLoad]:
        """Load of every week of the record."""
        patient = self._space.patient
        stature = (patient.stature_m if patient is not None else None) or 1.72
        days: list[DayLoad] = []
        doses = {e.rung: Dose(**e.dose) for e in self._entries() if isinstance(e, PlanItem)}
        for one in self._entries():
            if isinstance(one, Done) and not one.trial:
                rung = self._space.knowledge.rung(one.rung)
                dose = doses.get(one.rung, rung.dose)
                joint = joint_load(rung, rung.pose(one.variant), stature, dose.depth_deg)
                count = repetitions_of(dose, one.sets or None, one.reps or None)
                settled = {Morning.SETTLED.value: True, Morning.NOT.value: False}.get(one.morning)
                days.append(day_load(one.day, joint, count, settled))
            elif isinstance(one, OtherLoad):
                days.append(DayLoad(one.day, {}, one.settled, other=one.amount * one.effort))
        return by_week(days)


def done_of(item: PlanItem, side: Side, day: date, **told: Any) -> Done:
    """A line of the log for an item."""
    dose = Dose(**item.dose)
    known: dict[str, Any] = {"sets": dose.sets, "reps": dose.reps or 0, "variant": item.variant}
    return Done(rung=item.rung, side=side, day=day, **{**known, **told})
