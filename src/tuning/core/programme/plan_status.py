"""Where a plan stands on a day: phase, dial, school, and for every exercise what comes next and whether it may.

The one road for all of it: window, command line, day list and letters ask here and work nothing out themselves.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import date, datetime, timedelta
from functools import cached_property
from typing import Protocol

from tuning.core.case import Case
from tuning.core.entries import Decision as Decided
from tuning.core.entries import Done, PlanItem
from tuning.core.gate.open_findings import ScreeningStatus as Screening
from tuning.core.gate.open_findings import standing_of
from tuning.core.gate.permission import GateFacts, Permission, gate_facts, permission_for
from tuning.core.gate.triage import SafetyTable
from tuning.core.judging.measures import Measure
from tuning.core.judging.verdict import Verdict
from tuning.core.preferences import (
    FIRST_SCHOOL,
    PAIN_SCHOOL,
    PATTERN_SCHOOL,
    SHIN_SCHOOL,
    STEP_CLOCK,
    Preferences,
)
from tuning.core.programme.active_plan import standing_plan
from tuning.core.programme.cautions import Caution, present, sentences
from tuning.core.programme.dose import Dose
from tuning.core.programme.equipment import Equipment, Substitute
from tuning.core.programme.ladders import (
    ConditionState,
    EntryCondition,
    EntryContext,
    Ladder,
    Rung,
    SideTrial,
    act_of_rung,
    entry_checks,
)
from tuning.core.programme.log_mapping import NextStepState, Pace, alarms_open, exercise_of, log_of, passed, step_since
from tuning.core.programme.open_side_gaps import SideGap, side_gaps
from tuning.core.programme.phases import Phase, PhaseFacts, entry_phase, still_needed
from tuning.core.programme.placement import (
    FirstSchool,
    PlacementContext,
    PlacementPolicy,
    PlacementTable,
    Proposal,
    TreatedFactor,
    propose,
)
from tuning.core.programme.plan_facts import (
    PlanStatusInputs,
    deload_week,
    suspects_bone,
    target_passed,
)
from tuning.core.programme.plan_facts import (
    facts_of as phase_facts,
)
from tuning.core.programme.progression_rules import decide
from tuning.core.programme.progression_state import (
    ExerciseState,
    LoggedSet,
    PlanContext,
    ProgressionDecision,
    ProgressionMove,
)
from tuning.core.programme.progression_step import (
    ProgressionStep,
    cut,
    fewer,
    halved,
    lighter,
    one_set_more,
    own_step,
    start_dose,
    step_up,
    within,
)
from tuning.core.programme.rules import Clock, PainPolicy, Rules
from tuning.core.reasoning.findings import findings
from tuning.core.reasoning.progress import TO_PROGRAMME
from tuning.core.test_definitions import TestDefinition
from tuning.core.types import Entry, Side, Triage

PHASE, DIAL, SCHOOL, KIT = "phase", "dial", "pain-school", "kit"
"""Subjects of decisions about a plan."""
ALL_OPEN = 3
"""Of toe zone and kneecap demand: nothing is capped."""
KNOWN_LIMIT = "4"
"""How the urgency of a finding begins that is known and stable: a reason is asked, nobody is referred."""


class CautionTable(Protocol):
    """What a person may have that bars or steers an exercise."""

    @property
    def present(self) -> Mapping[str, Caution]:
        """What shows a caution, by its id."""


class ProgrammeTables(Protocol):
    """What the programme needs of the knowledge files, with what the clinic prefers in them."""

    @property
    def measures(self) -> Mapping[str, Measure]:
        """Every measure by its id."""

    @property
    def safety(self) -> SafetyTable:
        """Questions and rules of the screen."""

    @property
    def ladders(self) -> Mapping[str, Ladder]:
        """Every ladder by its id."""

    @property
    def placement(self) -> PlacementTable:
        """The rules of placement."""

    @property
    def cautions(self) -> CautionTable:
        """Cautions, and what they bar."""

    @property
    def kit(self) -> Mapping[str, Substitute]:
        """What may be at hand, by its id."""

    @property
    def progression(self) -> Rules:
        """The numbers of the decision table."""

    @property
    def preferences(self) -> Preferences:
        """What the clinic prefers."""

    def rung(self, rung_id: str) -> Rung:
        """A rung. Raises KeyError."""

    def ladder_of(self, rung_id: str) -> Ladder:
        """The ladder of a rung. Raises KeyError."""


@dataclass(frozen=True, eq=False)
class PlanStatus:
    """A plan on a day. Every property is worked out of case, tables and day alone."""

    case: Case
    tables: ProgrammeTables
    today: date
    now: datetime | None = None
    """The moment for findings that end by time; None: this one."""

    @property
    def entries(self) -> Sequence[Entry]:
        """Everything that stands."""
        return self.case.entries

    @cached_property
    def items(self) -> list[PlanItem]:
        """The standing plan."""
        return standing_plan(self.case.entries)

    @cached_property
    def screening(self) -> Screening | None:
        """What stands of the safety screens."""
        return standing_of(self.case, self.tables.safety, self.now)

    @property
    def triage(self) -> Triage | None:
        """The worst level that stands; None before the first screen."""
        return self.screening.level if self.screening is not None else None

    @cached_property
    def facts(self) -> GateFacts:
        """What the gate knows; who works changes no lock."""
        return gate_facts(self.case, self.tables.safety, None, self.now)

    def newest(self, subject: str) -> Decided | None:
        """The newest decision about a subject."""
        found = [e for e in self.entries if isinstance(e, Decided) and e.subject == subject]
        return found[-1] if found else None

    def rung(self, item: PlanItem) -> Rung:
        """The rung of an item."""
        return self.tables.rung(item.rung)

    # phase, dial, school, kit

    @cached_property
    def gaps(self) -> list[SideGap]:
        """Side gaps that were not seen in tune since."""
        return side_gaps(self.case, self.tables.measures, self.tables.preferences.rule)

    @cached_property
    def phase_facts(self) -> PhaseFacts:
        """What decides about the phase."""
        around = PlanStatusInputs(
            self.today, self.triage, self.gaps, [self.rung(item) for item in self.items], passed(self.entries),
            self.pain_school, any(self._at_target(item) for item in self.items),
        )  # fmt: skip
        return phase_facts(self.entries, self.tables.safety, around, self.tables.progression)

    def _at_target(self, item: PlanItem) -> bool:
        x = self._exercise(item, NextStepState(within=self._own_step(item)))
        return target_passed(self.rung(item), x, self._log(item, x), self.standing(item), self.tables.progression)

    def _own_step(self, item: PlanItem) -> str:
        own = within(self.rung(item), Dose(**item.dose), item.variant)
        return own.words if own is not None else ""

    @cached_property
    def phase(self) -> tuple[Phase, str]:
        """The phase and why: as somebody decided, else the first that the plan needs."""
        found = self.newest(PHASE)
        if found is not None:
            return Phase(found.outcome), found.reason or f"since {found.at.astimezone():%-d %b}"
        return entry_phase(self.phase_facts)

    @property
    def phase_missing(self) -> list[str]:
        """What keeps the plan in its phase."""
        return still_needed(self.phase[0], self.phase_facts)

    @property
    def caps(self) -> tuple[int, int]:
        """Toe zone and kneecap demand that the dial allows."""
        found = self.newest(DIAL)
        if found is not None:
            return int(found.inputs["zone"]), int(found.inputs["kneecap"])
        return (0 if self.tables.preferences[SHIN_SCHOOL] == "upright" else ALL_OPEN), ALL_OPEN

    @property
    def kit(self) -> Equipment:
        """What the patient has for exercises; everything until somebody asked."""
        found = self.newest(KIT)
        items = found.inputs.get("items") if found is not None else None
        return Equipment(None if items is None else frozenset(items), self.tables.kit)

    @property
    def school(self) -> PainPolicy:
        """How much pain an exercise may give: as chosen for this plan, else as the clinic prefers."""
        found = self.newest(SCHOOL)
        return PainPolicy(found.outcome if found is not None else self.tables.preferences[PAIN_SCHOOL])

    @cached_property
    def bone_stress(self) -> bool:
        """Whether it is suspected: only the strict pain school is followed then."""
        return self.screening is not None and suspects_bone(self.screening.open, self.tables.safety)

    @property
    def pain_school(self) -> PainPolicy:
        """The school that counts: strict while bone stress is suspected, whatever was chosen."""
        return PainPolicy.STRICT if self.bone_stress else self.school

    @property
    def pain_limit(self) -> int:
        """Pain that an exercise may give, of 10."""
        return self.tables.progression.pain.most[self.pain_school]

    @property
    def deload(self) -> bool:
        """Whether this week is one with fewer sets."""
        return deload_week(self.entries, self.today)

    @cached_property
    def open_alarms(self) -> list[LoggedSet]:
        """What alarmed in any session and no safety screen has answered, newest first."""
        return alarms_open(self.entries, self.tables.progression, self.today)

    # causes and cautions

    @cached_property
    def cautions(self) -> Mapping[str, Caution]:
        """The cautions that the person has on the day."""
        return present(self.case, self.tables.cautions.present, self.screening, self.today)

    def cautions_of(self, ladder: Ladder) -> list[str]:
        """The cautions of a ladder that the person has, each with what to do."""
        return self.cautions_named(ladder.cautions)

    def cautions_of_test(self, test: TestDefinition) -> list[str]:
        """The same of a test."""
        return self.cautions_named((*test.not_with, *test.cautions))

    def cautions_named(self, keys: Iterable[str]) -> list[str]:
        """Those of these cautions that the person has."""
        return sentences(self.cautions[key] for key in dict.fromkeys(keys) if key in self.cautions)

    @cached_property
    def causes(self) -> list[TreatedFactor]:
        """Factors that Reasoning gave to the programme, the newest decision of each, in their order."""
        known: dict[tuple[str, Side], TreatedFactor] = {}
        for one in (e for e in self.entries if isinstance(e, Decided) and e.subject == TO_PROGRAMME):
            factor = str(one.inputs.get("factor"))
            known[factor, one.side] = TreatedFactor(factor, one.side, str(one.inputs.get("name", factor)))
        return list(known.values())

    @property
    def clinic_schools(self) -> PlacementPolicy:
        """What the clinic follows where schools disagree about exercises."""
        prefers = self.tables.preferences
        return PlacementPolicy(FirstSchool(prefers[FIRST_SCHOOL]), bool(prefers[PATTERN_SCHOOL]))

    def proposals(self, schools: PlacementPolicy | None = None) -> tuple[list[Proposal], list[str]]:
        """Ladders for the causes, and what is done where none helps; by another school than the clinic's."""
        now = PlacementContext(
            self.phase[0], frozenset(self.cautions), self.kit, passed(self.entries), self.caps,
            schools or self.clinic_schools, self.facts.gone,
        )  # fmt: skip
        return propose(self.causes, self.tables.placement, self.tables.ladders, now)

    def barred(self, ladder: str) -> str:
        """Why a ladder is not for this person now; empty where nothing bars it."""
        return next((p.barred for p in self.proposals()[0] if p.ladder == ladder and not p.missing and p.never), "")

    # entry

    def situation(
        self, rung: Rung, permission: Permission, trials: Mapping[Side, SideTrial] | None = None
    ) -> EntryContext:
        """What is on record when a rung is considered: the newest values of all visits, try-outs that were kept."""
        found, tries = findings(self.case, self.tables.measures), {**self.kept_trials(rung), **(trials or {})}
        words = {key: row.verdict.word for key, row in found.rows.items() if isinstance(row.verdict, Verdict)}
        return EntryContext(
            permission=permission,
            screened=self.triage,
            passed=passed(self.entries),
            measured={key: seen.measured for key, seen in found.values.items() if seen.measured is not None},
            verdicts=words,
            trials=tries,
            tried=all(side in tries and tries[side].good(self.pain_limit) for side in rung.sides),
            pain_limit=self.pain_limit,
            phase=self.phase[0],
            caps=self.caps,
            kit=self.kit,
            barred=self.barred(self.tables.ladder_of(rung.id).id),
        )

    def kept_trials(self, rung: Rung) -> dict[Side, SideTrial]:
        """The newest supervised try-out of a rung on each side."""
        kept = {d.side: d for d in self.case.all(Done) if d.trial and d.supervised and d.rung == rung.id}
        return {
            side: SideTrial(not (d.faults or d.wrong or d.alarms) and d.felt, d.pain, d.felt, d.wrong)
            for side, d in kept.items()
        }

    def checks(
        self, rung: Rung, variant: str = "", dose: Dose | None = None, trials: Mapping[Side, SideTrial] | None = None,
        from_rung: str = "",
    ) -> list[EntryCondition]:  # fmt: skip
        """Every condition for writing a rung as it stands: the same for a new one and for a climb from a rung."""
        asked = dose or rung.dose
        now = self.situation(rung, permission_for(act_of_rung(rung, variant, asked), self.facts), trials)
        if from_rung:
            now = replace(now, passed=now.passed | {from_rung}, entered=from_rung == rung.id)
        return entry_checks(rung, self.tables.ladder_of(rung.id), now, variant, asked)

    def why_not(self, item: PlanItem, step: ProgressionStep) -> EntryCondition | None:
        """The first thing that keeps an exercise from a step up; None where everything allows it."""
        pending = self.checks(step.rung, step.variant, step.dose, from_rung=item.rung)
        if step.rung.id == item.rung and self.reason_counts(item):  # asked once a rung
            pending = [one for one in pending if not one.asks]
        unmet = [one for one in pending if one.state is not ConditionState.MET]
        return min(unmet, key=lambda one: one.state is not ConditionState.LOCKED, default=None)

    def reason_counts(self, item: PlanItem) -> bool:
        """Whether a reason was typed for an item under what stands now."""
        return self.exercise_without_step(item).reason

    # decisions

    def standing(self, item: PlanItem) -> PlanContext:
        """What stands around an exercise."""
        rungs = {r.id for r in self.tables.ladder_of(item.rung).line(self.rung(item))}
        others = {e.rung for e in self.entries if isinstance(e, Done)} - rungs
        return PlanContext(
            self.today, self.triage, school=self.school, bone_stress=self.bone_stress, deload=self.deload,
            prompt=self._prompt, elsewhere=tuple(log_of(self.entries, others)),
        )  # fmt: skip

    @property
    def _prompt(self) -> bool:
        """Whether anything open has to be looked at promptly, beyond limits and stable conditions that are known."""
        rules = {rule.id: rule for rule in self.tables.safety.rules}
        found = self.screening.open if self.screening is not None else ()
        known = [f for f in found if f.is_limit or (f.id in rules and rules[f.id].urgency.startswith(KNOWN_LIMIT))]
        return len(known) < len(found)

    @cached_property
    def _pace(self) -> Pace:
        found = self.screening.open if self.screening is not None else ()
        asked = max((f.screen.at for f in found), default=None)
        return Pace(self.tables.progression, Clock(self.tables.preferences[STEP_CLOCK]), asked)

    def _exercise(self, item: PlanItem, ahead: NextStepState) -> ExerciseState:
        ladder = self.tables.ladder_of(item.rung)
        return exercise_of(item, self.rung(item), ladder, self.entries, ahead, self._pace)

    def exercise_without_step(self, item: PlanItem) -> ExerciseState:
        """An item of the plan as the decision table reads it, its next step not looked at."""
        return self._exercise(item, NextStepState())

    def exercise(self, item: PlanItem) -> ExerciseState:
        """An item of the plan as the decision table reads it."""
        ladder, step = self.tables.ladder_of(item.rung), self.step_up(item)
        own = own_step(self.rung(item), Dose(**item.dose), item.variant, ladder)
        check = self.why_not(item, step) if step is not None else None
        locked, lifted = (check.text, check.lifts) if check is not None else ("", "")
        words, loads = (own.words, own.loads) if own is not None else ("", False)
        return self._exercise(item, NextStepState(locked, lifted, words, loads))

    def _log(self, item: PlanItem, exercise: ExerciseState) -> list[LoggedSet]:
        return log_of(self.entries, exercise.line, step_since(item, self.entries))

    def step_up(self, item: PlanItem) -> ProgressionStep | None:
        """What a climb would bring; None at the top."""
        ladder = self.tables.ladder_of(item.rung)
        return step_up(self.rung(item), Dose(**item.dose), item.variant, ladder, self.phase[0])

    def decision(self, item: PlanItem) -> ProgressionDecision:
        """Up, hold or back, from what was done."""
        exercise = self.exercise(item)
        return decide(exercise, self._log(item, exercise), self.standing(item), self.tables.progression)

    def after(self, item: PlanItem, decision: ProgressionDecision) -> ProgressionStep | None:
        """The exercise as it would go on; None where nothing of it changes."""
        if decision.move is ProgressionMove.CLIMB and decision.row != 13:
            return self.step_up(item)
        if decision.to != item.rung:
            rung = self.tables.rung(decision.to)
            return ProgressionStep(rung, start_dose(rung, self.phase[0]), rung.name, rung.poses[0].name)
        if decision.row == 9 and decision.move is ProgressionMove.HOLD:
            return cut(self.rung(item), Dose(**item.dose), item.variant)
        return one_set_more(self.rung(item), Dose(**item.dose), item.variant, decision.poorer)

    def lowered(self, item: PlanItem) -> ProgressionStep | None:
        """One rung down as a clinician may choose; None at the bottom."""
        below = self.tables.ladder_of(item.rung).below(self.rung(item))
        return (
            ProgressionStep(below, start_dose(below, self.phase[0]), below.name, below.poses[0].name) if below else None
        )

    def dose_now(self, item: PlanItem) -> Dose:
        """The dose of this week: as prescribed, two thirds in a deload week, half in a flare-up, less after a break."""
        return self.dose_on(item, self.today)

    def dose_on(self, item: PlanItem, day: date) -> Dose:
        """The dose that a day asks for. What a flare-up or a break takes off, it takes off the next seven days."""
        dose, decision = Dose(**item.dose), self.decision(item)
        if day < self.today + timedelta(days=7):
            if decision.row == 10 or "half the sets" in decision.also:
                return halved(dose)
            if "one set fewer" in decision.also:
                return fewer(dose)
        light = self.deload if day == self.today else deload_week(self.entries, day)
        return lighter(dose) if light else dose

    def resting(self, item: PlanItem) -> str:
        """Why an exercise is not to be done now; empty where it may. A limit that is told today holds today."""
        asked = permission_for(
            act_of_rung(self.rung(item), item.variant, Dose(**item.dose)), replace(self.facts, asked=True)
        )
        decision = self.decision(item)
        if decision.move in (ProgressionMove.REFER, ProgressionMove.ASK, ProgressionMove.STOP, ProgressionMove.OUT):
            return f"{decision.move.value}: {decision.reason}"
        return asked.sentence if asked.locked else ""

    def in_pairs(self) -> list[tuple[PlanItem, ProgressionDecision]]:
        """Every exercise of the plan with its decision."""
        return [(item, self.decision(item)) for item in self.items]


def plan_status(case: Case, tables: ProgrammeTables, day: date, now: datetime | None = None) -> PlanStatus:
    """Where the plan of a case stands on a day, worked out once for each snapshot, tables and day."""
    if now is not None:
        return PlanStatus(case, tables, day, now)
    return case.memoised(("plan", day), lambda: PlanStatus(case, tables, day), tables)
