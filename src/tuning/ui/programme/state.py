"""State of prescribing: ladder, rung, placement trial, dose, plan. Needs no window."""

from __future__ import annotations

from dataclasses import asdict, replace
from datetime import date
from pathlib import Path
from typing import Any

from PyQt6.QtCore import QObject, pyqtSignal

from tuning.core.entries import PlanItem
from tuning.core.errors import BadInput
from tuning.core.gate.may import Act, permit
from tuning.core.judging.verdict import Verdict
from tuning.core.programme.ladders import Check, Dose, Ladder, Rung, Situation, State, Trial, entry_checks
from tuning.core.reasoning.conclusion import conclude
from tuning.core.reasoning.progress import TO_PROGRAMME
from tuning.core.reasoning.summary import for_patient
from tuning.core.types import LEGS, Side
from tuning.knowledge.acts import act_of_rung
from tuning.knowledge.reasoning import tests_of
from tuning.ui.workspace import Workspace

LARGE_PRINT, PAPER, PAPER_NAMES = "sheet.large", "sheet.paper", ("A4", "Letter")
"""Settings: large print, and the paper of the patient sheet."""


class ProgrammeState(QObject):
    """Speaks when rung, trial, dose or plan change."""

    changed = pyqtSignal()

    def __init__(self, workspace: Workspace) -> None:
        super().__init__()
        self._workspace = workspace
        self.ladder: Ladder = next(iter(workspace.knowledge.ladders.values()))
        self.rung: Rung = self.ladder.rungs[0]
        self.dose: Dose = self.rung.dose
        self.trials: dict[Side, Trial] = {}
        workspace.content_changed.connect(self.changed)
        workspace.case_changed.connect(lambda: self.choose(self.ladder.rungs[0]))

    def choose(self, rung: Rung) -> None:
        """Look at a rung; its placement trial starts empty."""
        self.rung, self.dose, self.trials = rung, rung.dose, {}
        self.changed.emit()

    def set_trial(self, side: Side, trial: Trial | None) -> None:
        """Result of the placement trial on one side."""
        if trial is None:
            self.trials.pop(side, None)
        else:
            self.trials[side] = trial
        self.changed.emit()

    def set_dose(self, **parts: Any) -> None:
        """Change parts of the dose."""
        self.dose = replace(self.dose, **parts)
        self.changed.emit()

    def checks(self) -> list[Check]:
        """Every entry condition of the chosen rung as it stands."""
        space = self._workspace
        rows = space.comparisons()
        now = Situation(
            permission=space.may(act_of_rung(self.rung)),
            screened=space.triage(),
            passed=frozenset(),
            measured={(o.measure_id, o.side): o.measured for o in space.observations() if o.measured is not None},
            verdicts={r.measure.id: r.verdict.word for r in rows if isinstance(r.verdict, Verdict)},
            trials=self.trials,
            pain_limit=space.knowledge.cautions.pain_limit,
        )
        return entry_checks(self.rung, self.ladder, now)

    def locked(self) -> str:
        """Why the rung cannot be written at all; empty when it can."""
        return next((c.text for c in self.checks() if c.state is State.LOCKED), "")

    def open_points(self) -> list[str]:
        """Conditions that need a reason from a named person."""
        return [c.text for c in self.checks() if c.state in (State.NOT_MET, State.UNKNOWN)]

    def from_reasoning(self) -> list[str]:
        """Factors that were taken over, with side and label, and whether this ladder is meant for them."""
        told = {}
        for one in self._workspace.decisions(TO_PROGRAMME):
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

    def write(self, reason: str) -> None:
        """Write the rung to the plan. Raises BadInput when locked or a reason is missing."""
        space = self._workspace
        if self.locked():
            raise BadInput(f"Not written: {self.locked()}.")
        if self.open_points() and not reason.strip():
            raise BadInput("Some conditions are open: type the reason for starting this rung all the same.")
        permit(act_of_rung(self.rung), space.facts(), reason)
        item = PlanItem(
            ladder=self.ladder.id,
            rung=self.rung.id,
            dose=asdict(self.dose),
            first_side=self.poorer_side(),
            checks=tuple((c.state.value, c.text) for c in self.checks()),
            reason=reason.strip() if self.open_points() else "",
        )
        with space.action(f"plan {self.rung.name}") as act:
            act.add(item)

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
        loading = space.may(Act("an exercise sheet"))
        if loading.locked:
            raise BadInput(f"No sheet: {loading.sentence}.")
        plan = space.plan()
        if not plan:
            raise BadInput("The plan is empty; write a rung to it first.")
        items = []
        for entry in plan:
            rung = self.named(entry.rung)
            faults = tuple(space.knowledge.faults[f] for f in rung.faults)
            items.append(SheetItem(rung, Dose(**entry.dose), entry.first_side, faults))
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

    def found_lines(self) -> list[str]:
        """What was seen, in plain lines for the patient."""
        space = self._workspace
        assert space.case is not None
        knowledge = space.knowledge
        found = conclude(space.case, knowledge.reasoning, knowledge.measures, tests_of(knowledge), space.triage())
        return [line.strip() for line in for_patient(found).splitlines() if line.startswith("We saw")]

    def print_values(self, target: Path, today: date) -> None:
        """Write the measured values of the visit, for colleagues. Raises TuningError."""
        from tuning.exchange.pdf.values import Values, write_values

        space = self._workspace
        assert space.patient is not None and space.person is not None
        rows = tuple(space.comparisons())
        if not rows:
            raise BadInput("Nothing was measured in this visit yet.")
        scope = space.knowledge.cautions.scope
        write_values(Values(space.patient.name, today, space.person.name, rows, scope), target)
