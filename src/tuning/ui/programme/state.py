"""State of prescribing: ladder, rung, try-out, dose, plan. Needs no window."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import asdict, replace
from datetime import date
from pathlib import Path
from typing import Any

from PyQt6.QtCore import QObject, pyqtSignal

from tuning.core.entries import Decision, Done, PlanItem
from tuning.core.errors import BadInput
from tuning.core.gate.permission import GateAct
from tuning.core.preferences import CLINIC_NAME, LARGE_PRINT, PAPER, STEP_CLOCK, TELEPHONE
from tuning.core.programme.coaching import Coaching, coaching_of
from tuning.core.programme.dose import Dose
from tuning.core.programme.ladders import ConditionState, EntryCondition, Ladder, Pose, Rung, SideTrial, act_of_rung
from tuning.core.programme.placement import (
    FIRST,
    FirstSchool,
    PlacementPolicy,
    PlacementResult,
    PlacementTrial,
    Proposal,
    place,
)
from tuning.core.programme.progression_step import start_dose
from tuning.core.programme.routines import Routine, by_routine
from tuning.core.programme.rules import Clock
from tuning.core.reasoning.conclusion import conclusion_of
from tuning.core.reasoning.progress import TO_PROGRAMME
from tuning.core.reasoning.summary import patient_text
from tuning.core.types import LEGS, Side
from tuning.ui.programme.plan_controller import PlanController
from tuning.ui.workspace import Workspace

PAPER_NAMES = ("A4", "Letter")
"""Settings: large print, and the paper of the patient sheet."""
USUAL = "stepdown"


class ProgrammeState(QObject):
    """Speaks when rung, trial, dose or plan change."""

    changed = pyqtSignal()

    def __init__(self, workspace: Workspace) -> None:
        super().__init__()
        self._workspace = workspace
        self.course = PlanController(workspace)
        self.rung: Rung = workspace.knowledge.ladders[USUAL].rungs[0]
        self.variant = ""
        self.side = Side.LEFT
        self.dose: Dose = self.rung.dose
        self.trials: dict[Side, SideTrial] = {}
        workspace.content_changed.connect(self.changed)
        workspace.case_changed.connect(self._new_case)
        self._new_case()

    def _new_case(self) -> None:
        found = [p for p in self.proposals()[0] if not p.barred] if self._workspace.case is not None else []
        first = self.named(found[0].entry) if found else self._workspace.knowledge.ladders[USUAL].rungs[0]
        self.side = self.poorer_side()
        self.choose(first)

    @property
    def ladder(self) -> Ladder:
        """The ladder of the chosen rung."""
        return self._workspace.knowledge.ladder_of(self.rung.id)

    @property
    def pose(self) -> Pose:
        """The chosen variant."""
        return self.rung.pose(self.variant)

    def choose(self, rung: Rung, variant: str = "") -> None:
        """Look at a rung; its try-out starts empty, its dose no deeper than the phase allows."""
        self.rung, self.trials = rung, {}
        self.variant = variant or self._open_variant(rung)
        phase = self.course.phase()[0] if self._workspace.case is not None else None
        self.dose = start_dose(rung, phase) if phase is not None else rung.dose
        self.changed.emit()

    def _open_variant(self, rung: Rung) -> str:
        """The hardest variant that the phase opens, of several."""
        if len(rung.poses) < 2 or self._workspace.case is None:
            return ""
        phase = self.course.phase()[0]
        opened = [pose for pose in rung.poses if rung.phase_of(pose).place <= phase.place]
        return opened[-1].name if opened and rung.phase_of(opened[-1]) is not rung.phase else rung.poses[0].name

    def choose_variant(self, name: str) -> None:
        """Another variant of the same rung."""
        self.variant = name
        self.changed.emit()

    def choose_side(self, side: Side) -> None:
        """Which leg the pictures show."""
        self.side = side
        self.changed.emit()

    def set_trial(self, side: Side, trial: SideTrial | None) -> None:
        """Result of the try-out on one side, or of both legs together."""
        if trial is None:
            self.trials.pop(side, None)
        else:
            self.trials[side] = trial
        self.changed.emit()

    def set_dose(self, **parts: Any) -> None:
        """Change parts of the dose."""
        self.dose = replace(self.dose, **parts)
        self.changed.emit()

    # proposals and placement

    def _taken(self) -> Sequence[Decision]:
        return self._workspace.decisions(TO_PROGRAMME)

    @property
    def schools(self) -> PlacementPolicy:
        """What the clinic follows."""
        return self.course.status.clinic_schools

    def proposals(self, schools: PlacementPolicy | None = None) -> tuple[list[Proposal], list[str]]:
        """Ladders for those factors, and what is to be done where none helps; by another school than the clinic's."""
        return self.course.status.proposals(schools) if self._workspace.case is not None else ([], [])

    def cautions(self) -> list[str]:
        """Cautions of the chosen ladder that this person has."""
        return self.course.status.cautions_of(self.ladder) if self._workspace.case is not None else []

    def ladder_named(self, ladder_id: str) -> Ladder:
        """A ladder by its id."""
        return self._workspace.knowledge.ladders[ladder_id]

    def other_schools(self) -> list[str]:
        """What each school would begin with, where they differ from the clinic's choice."""
        names = {key: ladder.name for key, ladder in self._workspace.knowledge.ladders.items()}
        own = [p.ladder for p in self.proposals()[0] if p.rank == FIRST]
        told = []
        for words, school in (
            ("Foot first", PlacementPolicy(FirstSchool.FOOT)),
            ("Hip first", PlacementPolicy(FirstSchool.HIP)),
            ("Test-led", PlacementPolicy()),
            ("One pattern", PlacementPolicy(pattern=True)),
        ):
            first = [p.ladder for p in self.proposals(school)[0] if p.rank == FIRST]
            if school != self.schools and first and first != own:
                told.append(f"{words} would begin with {', '.join(names[key] for key in first)}.")
        return told

    def tries(self) -> list[PlacementTrial]:
        """Try-outs of the chosen line that were kept."""
        line = {rung.id for rung in self.ladder.line(self.rung)}
        entries = self._workspace.case.entries if self._workspace.case is not None else ()
        kept = [e for e in entries if isinstance(e, Done) and e.trial and e.rung in line]
        return [PlacementTrial(e.rung, e.side, e.felt, e.wrong, e.faults, e.pain, e.cued) for e in kept]

    def placed(self) -> PlacementResult:
        """Where the kept try-outs leave the line."""
        limit = self.course.status.pain_limit
        return place(self.ladder.line(self.rung), self.tries(), self.rung.id, limit)

    def keep_trials(self, reason: str = "") -> None:
        """Write the try-out of the chosen rung down. Raises BadInput when nothing was tried, Refused by the gate."""
        if not self.trials:
            raise BadInput("Nothing was tried yet: say for each side whether it was clean.")
        self.course.log(*self._tried(reason))

    def _tried(self, reason: str) -> list[Done]:
        """The try-out that was typed, as it is kept; a reason goes with it where the gate asks for one."""
        asked = self._workspace.may(act_of_rung(self.rung, self.variant, self.dose)).asks
        return [
            Done(
                rung=self.rung.id, side=side, day=self.course.today, variant=self.variant, pain=one.pain, felt=one.felt,
                wrong=one.wrong, faults=() if one.clean or not one.felt or one.wrong else ("faults",),
                supervised=True, trial=True, reason=reason.strip() if asked else "",
            )
            for side, one in self.trials.items()
        ]  # fmt: skip

    # conditions

    def checks(self) -> list[EntryCondition]:
        """Every entry condition of the chosen rung as it stands."""
        if self._workspace.case is None:
            return []
        return self.course.status.checks(self.rung, self.variant, self.dose, self.trials)

    def pass_words(self) -> str:
        """What passing the chosen rung asks."""
        rules, clock = self._workspace.knowledge.progression, Clock(self._workspace.prefer(STEP_CLOCK))
        days = rules.clock.days(self.rung.daily, clock)
        return self.rung.pass_words(rules.sessions.rung, days, rules.faults.clean)

    def locked(self) -> str:
        """Why the rung cannot be written at all; empty when it can."""
        return next((c.text for c in self.checks() if c.state is ConditionState.LOCKED), "")

    def open_points(self) -> list[str]:
        """Conditions that need a reason from a named person."""
        return [c.text for c in self.checks() if c.state in (ConditionState.NOT_MET, ConditionState.UNKNOWN)]

    def from_reasoning(self) -> list[str]:
        """Factors that were taken over, with side and label, and whether this ladder is meant for them."""
        told = {}
        for one in self._taken():
            factor, side = str(one.inputs.get("factor")), f", {one.side.value}" if one.side in LEGS else ""
            meant = "" if factor in self.ladder.factors else ", not by this ladder"
            told[factor, one.side] = f"{one.inputs.get('name', factor)}{side} ({one.outcome}{meant})"
        return list(told.values())

    def poorer_side(self) -> Side:
        """The side to start with: poorer in the trial, else involved, else left."""
        if len(self.trials) == len(LEGS):
            worst = max(LEGS, key=lambda s: (not self.trials[s].clean, self.trials[s].pain))
            if self.trials[worst] != self.trials[worst.other]:
                return worst
        patient = self._workspace.patient
        return Side.RIGHT if patient is not None and patient.involved is Side.RIGHT else Side.LEFT

    # the plan

    def write(self, reason: str) -> None:
        """Write the rung to the plan, with the try-out that was typed. Raises BadInput, Refused."""
        space = self._workspace
        if self.locked():
            raise BadInput(f"Not written: {self.locked()}.")
        before = next((one for one in space.plan() if one.rung == self.rung.id), None)
        item = PlanItem(
            ladder=self.ladder.id,
            rung=self.rung.id,
            dose=asdict(self.dose),
            first_side=self.poorer_side(),
            checks=tuple((c.state.value, c.text) for c in self.checks()),
            reason=reason.strip() if self.open_points() else "",
            variant=self.variant,
            replaces=before.uid if before is not None else "",
        )
        with space.action(f"plan {self.rung.name}") as act:
            for one in self._tried(reason):
                act.add(one)
            act.add(item)
        self.trials = {}

    def pending_of(self, routine: Routine) -> list[str]:
        """What exercises of a routine wait for: a try-out, another rung, a reason."""
        standing = {item.rung for item in self._workspace.plan()}
        return [
            f"{rung.name}: {point.text}"
            for rung in map(self.named, routine.rungs)
            for point in self.course.status.checks(rung)
            if rung.id not in standing and point.state is not ConditionState.MET
        ]

    def write_routine(self, routine: Routine, reason: str = "") -> list[str]:
        """Write what may be written of a routine as one action; why the rest is not. Raises BadInput for none of it.

        An exercise that waits for something is left out, unless a reason is typed; what is locked is left out always.
        """
        space, status = self._workspace, self.course.status
        standing = {item.rung: item for item in space.plan()}
        items, left = list[PlanItem](), list[str]()
        for rung in map(self.named, routine.rungs):
            checks = status.checks(rung)
            locked = [c.text for c in checks if c.state is ConditionState.LOCKED]
            pending = [c.text for c in checks if c.state is not ConditionState.MET]
            if rung.id in standing:
                old = standing[rung.id]
                items.append(replace(old, routine=routine.id, replaces=old.uid))
            elif locked or (pending and not reason.strip()):
                left.append(f"{rung.name}: {(locked or pending)[0]}")
            else:
                told = tuple((c.state.value, c.text) for c in checks)
                ladder, first = space.knowledge.ladder_of(rung.id).id, self.poorer_side()
                why = reason.strip() if pending else ""
                items.append(PlanItem(ladder, rung.id, asdict(rung.dose), first, told, why, routine=routine.id))
        if not items:
            raise BadInput(f"Nothing of {routine.name} was written. {'; '.join(left)}.")
        with space.action(f"plan {routine.name}") as act:
            for item in items:
                act.add(item)
        return left

    def withdraw(self, item: PlanItem) -> None:
        """Take a rung out of the plan; the record keeps that it was there."""
        with self._workspace.action("withdraw from plan") as act:
            act.add(replace(item, reason="", withdrawn=True, replaces=item.uid))

    def named(self, rung_id: str) -> Rung:
        """A rung by its id."""
        return self._workspace.knowledge.rung(rung_id)

    def coaching(self) -> Coaching:
        """How the chosen exercise is taught to this person."""
        space = self._workspace
        entries = space.case.entries if space.case is not None else ()
        side = self.side if self.rung.sides == LEGS else Side.NONE
        return coaching_of(self.rung, self.ladder, space.knowledge.faults, entries, side, self.dose)

    def print_sheet(self, target: Path, today: date) -> None:
        """Write the patient sheet of the standing plan. Raises TuningError."""
        from tuning.exchange.pdf.sheet import PatientSheet, SheetItem, write_sheet

        space, cautions = self._workspace, self._workspace.knowledge.cautions
        assert space.patient is not None and space.person is not None
        plan, status = self.may_print(), self.course.status
        items = []
        for entry in by_routine(plan):
            rung = self.named(entry.rung)
            used = self.course.kit().used(self.course.needs(entry))
            kit = tuple(thing or f"{item} (to be found)" for item, thing in used.items())
            ladder = space.knowledge.ladder_of(entry.rung)
            care = tuple(status.cautions_of(ladder))
            faults = coaching_of(rung, ladder, space.knowledge.faults, status.entries).to_take_home
            dose = status.dose_now(entry)
            checks = ladder.set_up(rung, dose)
            routine = space.knowledge.routines.get(entry.routine)
            items.append(SheetItem(rung, dose, entry.first_side, faults, entry.variant, kit, checks, care,
                                   routine.name if routine is not None else ""))  # fmt: skip
        settings, prefers = space.settings, space.knowledge.preferences
        write_sheet(
            PatientSheet(
                patient=space.patient.name,
                day=today,
                clinician=space.person.name,
                items=tuple(items),
                found=tuple(self.found_lines()),
                stop_rules=cautions.stop_now,
                setting=cautions.setting,
                pain_limit=status.pain_limit,
                scope=cautions.scope,
                large=settings.get(LARGE_PRINT, False),
                paper=settings.get(PAPER, "A4"),
                limits=status.facts.limits.text,
                clinic=str(prefers[CLINIC_NAME]).strip(),
                telephone=str(prefers[TELEPHONE]).strip(),
            ),
            target,
        )

    def may_print(self) -> list[PlanItem]:
        """The plan, where it may be given out. Raises BadInput."""
        loading = self._workspace.may(GateAct("an exercise sheet"))
        if loading.locked:
            raise BadInput(f"No sheet: {loading.sentence}.")
        plan = self._workspace.plan()
        if not plan:
            raise BadInput("The plan is empty; write a rung to it first.")
        resting = {item.rung: words for item in plan if (words := self.course.status.resting(item))}
        if len(resting) == len(plan):
            raise BadInput(f"No sheet: every exercise rests. {next(iter(resting.values()))}.")
        return [item for item in plan if item.rung not in resting]

    def found_lines(self) -> list[str]:
        """What was seen, in plain lines for the patient."""
        space = self._workspace
        assert space.case is not None
        found = conclusion_of(space.case, space.knowledge)
        return [line.strip() for line in patient_text(found).splitlines() if line.startswith("We saw")]
