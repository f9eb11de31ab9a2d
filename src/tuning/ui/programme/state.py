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
from tuning.core.gate.may import Act
from tuning.core.preferences import FIRST_SCHOOL, LARGE_PRINT, PAPER, PATTERN_SCHOOL, STEP_CLOCK
from tuning.core.programme.climb import start_dose
from tuning.core.programme.ladders import Check, Dose, Ladder, Pose, Rung, State, Trial, act_of_rung
from tuning.core.programme.logbook import passed
from tuning.core.programme.placement import (
    FIRST,
    Cause,
    FirstSchool,
    Placed,
    Placing,
    Proposal,
    Schools,
    TryOut,
    place,
    propose,
)
from tuning.core.programme.rules import Clock
from tuning.core.reasoning.conclusion import conclude
from tuning.core.reasoning.progress import TO_PROGRAMME
from tuning.core.reasoning.summary import for_patient
from tuning.core.types import LEGS, Side
from tuning.knowledge.reasoning import tests_of
from tuning.ui.programme.course import Course
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
        self.course = Course(workspace)
        self.rung: Rung = workspace.knowledge.ladders[USUAL].rungs[0]
        self.variant = ""
        self.side = Side.LEFT
        self.dose: Dose = self.rung.dose
        self.trials: dict[Side, Trial] = {}
        workspace.content_changed.connect(self.changed)
        workspace.case_changed.connect(self._new_case)

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

    def set_trial(self, side: Side, trial: Trial | None) -> None:
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

    def causes(self) -> list[Cause]:
        """Factors that were taken over from Reasoning, newest decision of each, in their order."""
        known: dict[tuple[str, Side], Cause] = {}
        entries = self._workspace.case.entries if self._workspace.case is not None else ()
        for one in entries:
            if not isinstance(one, Decision) or one.subject != TO_PROGRAMME:
                continue
            factor = str(one.inputs.get("factor"))
            known[factor, one.side] = Cause(factor, one.side, str(one.inputs.get("name", factor)))
        return list(known.values())

    def _taken(self) -> Sequence[Decision]:
        return self._workspace.decisions(TO_PROGRAMME)

    @property
    def schools(self) -> Schools:
        """What the clinic follows."""
        prefer = self._workspace.prefer
        return Schools(FirstSchool(prefer(FIRST_SCHOOL)), bool(prefer(PATTERN_SCHOOL)))

    def proposals(self, schools: Schools | None = None) -> tuple[list[Proposal], list[str]]:
        """Ladders for those factors, and what is to be done where none helps; by another school than the clinic's."""
        space = self._workspace
        entries = space.case.entries if space.case is not None else ()
        if space.case is None:
            return [], []
        status = self.course.status
        now = Placing(
            status.phase[0], kit=status.kit, passed=passed(entries), caps=status.caps, schools=schools or self.schools
        )
        return propose(self.causes(), space.knowledge.placement, space.knowledge.ladders, now)

    def other_schools(self) -> list[str]:
        """What each school would begin with, where they differ from the clinic's choice."""
        names = {key: ladder.name for key, ladder in self._workspace.knowledge.ladders.items()}
        own = [p.ladder for p in self.proposals()[0] if p.rank == FIRST]
        told = []
        for words, school in (
            ("Foot first", Schools(FirstSchool.FOOT)),
            ("Hip first", Schools(FirstSchool.HIP)),
            ("Test-led", Schools()),
            ("One pattern", Schools(pattern=True)),
        ):
            first = [p.ladder for p in self.proposals(school)[0] if p.rank == FIRST]
            if school != self.schools and first and first != own:
                told.append(f"{words} would begin with {', '.join(names[key] for key in first)}.")
        return told

    def tries(self) -> list[TryOut]:
        """Try-outs of the chosen line that were kept."""
        line = {rung.id for rung in self.ladder.line(self.rung)}
        entries = self._workspace.case.entries if self._workspace.case is not None else ()
        kept = [e for e in entries if isinstance(e, Done) and e.trial and e.rung in line]
        return [TryOut(e.rung, e.side, e.felt, e.wrong, e.faults, e.pain, e.cued) for e in kept]

    def placed(self) -> Placed:
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

    def checks(self) -> list[Check]:
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
        return next((c.text for c in self.checks() if c.state is State.LOCKED), "")

    def open_points(self) -> list[str]:
        """Conditions that need a reason from a named person."""
        return [c.text for c in self.checks() if c.state in (State.NOT_MET, State.UNKNOWN)]

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

    def withdraw(self, item: PlanItem) -> None:
        """Take a rung out of the plan; the record keeps that it was there."""
        with self._workspace.action("withdraw from plan") as act:
            act.add(replace(item, reason="", withdrawn=True, replaces=item.uid))

    def named(self, rung_id: str) -> Rung:
        """A rung by its id."""
        return self._workspace.knowledge.rung(rung_id)

    def print_sheet(self, target: Path, today: date) -> None:
        """Write the patient sheet of the standing plan. Raises TuningError."""
        from tuning.exchange.pdf.sheet import Sheet, SheetItem, write_sheet

        space, cautions = self._workspace, self._workspace.knowledge.cautions
        assert space.patient is not None and space.person is not None
        plan = self.may_print()
        items = []
        for entry in plan:
            rung = self.named(entry.rung)
            faults = tuple(space.knowledge.faults[f] for f in rung.faults)
            used = self.course.kit().used(self.course.needs(entry))
            kit = tuple(thing or f"{item} (to be found)" for item, thing in used.items())
            items.append(SheetItem(rung, Dose(**entry.dose), entry.first_side, faults, entry.variant, kit))
        settings = space.settings
        write_sheet(
            Sheet(
                patient=space.patient.name,
                day=today,
                clinician=space.person.name,
                items=tuple(items),
                found=tuple(self.found_lines()),
                stop_rules=cautions.stop_now,
                setting=cautions.setting,
                pain_limit=cautions.pain_limit,
                scope=cautions.scope,
                large=settings.get(LARGE_PRINT, False),
                paper=settings.get(PAPER, "A4"),
            ),
            target,
        )

    def may_print(self) -> list[PlanItem]:
        """The plan, where it may be given out. Raises BadInput."""
        loading = self._workspace.may(Act("an exercise sheet"))
        if loading.locked:
            raise BadInput(f"No sheet: {loading.sentence}.")
        plan = self._workspace.plan()
        if not plan:
            raise BadInput("The plan is empty; write a rung to it first.")
        return plan

    def found_lines(self) -> list[str]:
        """What was seen, in plain lines for the patient."""
        space = self._workspace
        assert space.case is not None
        knowledge = space.knowledge
        found = conclude(space.case, knowledge.reasoning, knowledge.measures, tests_of(knowledge), space.triage())
        return [line.strip() for line in for_patient(found).splitlines() if line.startswith("We saw")]
