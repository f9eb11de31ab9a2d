"""What the reasoning page shows and does; needs no window."""

from __future__ import annotations

from PyQt6.QtCore import QObject, pyqtSignal

from tuning.core.case import Case
from tuning.core.entries import Answer, Decision, Note
from tuning.core.errors import Refused
from tuning.core.preferences import HABIT, REGIONAL
from tuning.core.reasoning.conclusion import OVERRULED, Conclusion, conclusion_of, name_for, tests_of
from tuning.core.reasoning.evidence import EvidenceItem, FactorEvidence, Label, PatternEvidence, ReasoningPolicy
from tuning.core.reasoning.label_history import LabelChange, label_history
from tuning.core.reasoning.next_best_test import SHOWN, TRIAL, Option, next_tests
from tuning.core.reasoning.progress import TO_PROGRAMME
from tuning.core.reasoning.sign_evaluation import SignResult
from tuning.core.reasoning.summary import patient_text, record_text
from tuning.core.reasoning.trial_of_cause import Response
from tuning.core.target import Target, target_of
from tuning.core.types import Observation, Role, Side
from tuning.knowledge.gate_acts import not_proposed
from tuning.ui.workspace import Workspace

PROGRAMMED = (Label.SUPPORTED, Label.LIKELY)


class ReasoningState(QObject):
    """The conclusion of the open case, the chosen pattern, factor and line."""

    changed = pyqtSignal()

    def __init__(self, space: Workspace) -> None:
        super().__init__()
        self.space = space
        self.tests = tests_of(space.knowledge)
        self.pattern, self.factor, self.chip = 0, 0, 0
        space.content_changed.connect(self._follow)
        space.case_changed.connect(self._begin)
        space.reloaded.connect(self._follow)

    def _begin(self) -> None:
        self.pattern = self.factor = self.chip = 0
        self.changed.emit()

    def _follow(self) -> None:
        self.pattern = min(self.pattern, max(0, len(self.conclusion.balances) - 1))
        self.changed.emit()

    @property
    def schools(self) -> ReasoningPolicy:
        """Clinic settings where schools disagree."""
        return ReasoningPolicy(regional=self.space.prefer(REGIONAL), habit=self.space.prefer(HABIT))

    def set_school(self, key: str, on: bool) -> None:
        """Follow a school, or not. Raises EnvironmentFault."""
        self.space.settings.set(key, on)
        self.changed.emit()

    @property
    def conclusion(self) -> Conclusion:
        """What the case says now."""
        case = self.space.case
        if case is None:
            raise Refused("No case is open.")
        return self._at(case)

    def _at(self, case: Case) -> Conclusion:
        return conclusion_of(case, self.space.knowledge)

    @property
    def balance(self) -> PatternEvidence | None:
        """The chosen pattern."""
        if self.space.case is None:
            return None
        found = self.conclusion.balances
        return found[min(self.pattern, len(found) - 1)] if found else None

    @property
    def sheet(self) -> FactorEvidence | None:
        """The chosen factor."""
        one = self.balance
        return one.sheets[min(self.factor, len(one.sheets) - 1)] if one is not None and one.sheets else None

    @property
    def chosen_chip(self) -> EvidenceItem | None:
        """The chosen line of evidence of the chosen factor, what is there before what is untested."""
        sheet = self.sheet
        chips = [*sheet.fired, *sheet.untested] if sheet is not None else []
        return chips[min(self.chip, len(chips) - 1)] if chips else None

    def choose(self, pattern: int | None = None, factor: int | None = None, chip: int | None = None) -> None:
        """Another pattern, factor or line."""
        if pattern is not None:
            self.pattern = min(max(pattern, 0), max(0, len(self.conclusion.balances) - 1))
            self.factor = self.chip = 0
        one = self.balance
        if factor is not None and one is not None:
            self.factor, self.chip = min(max(factor, 0), max(0, len(one.sheets) - 1)), 0
        sheet = self.sheet
        if chip is not None and sheet is not None:
            self.chip = min(max(chip, 0), max(0, len(sheet.fired) + len(sheet.untested) - 1))
        self.changed.emit()

    def choose_factor(self, factor: str) -> bool:
        """Go to a factor, in the first pattern that it bears on; False where none was seen."""
        for n, one in enumerate(self.conclusion.balances):
            for k, sheet in enumerate(one.sheets):
                if sheet.factor.id == factor:
                    self.pattern, self.factor, self.chip = n, k, 0
                    self.changed.emit()
                    return True
        return False

    def options(self, one: PatternEvidence | None = None) -> list[Option]:
        """The next best tests of the chosen pattern, none that the gate keeps closed."""
        one = one or self.balance
        if one is None:
            return []
        table = self.space.knowledge.reasoning
        return next_tests(table, one, self.conclusion.found, self.tests, None, self._is_open)[:SHOWN]

    def _is_open(self, test: str, side: Side) -> bool:
        status = self.space.plan_status()
        return status is not None and not not_proposed(self.space.knowledge, status, self.space.facts(), test, side)

    def target(self, option: Option) -> Target:
        """Where a test is done."""
        return Target(option.stage, "" if option.change else option.id, option.side)

    def evidence(self, chip: EvidenceItem) -> Target | None:
        """Where a line of evidence is looked at; None where it rests on nothing yet."""
        case = self.space.case
        entry = case.entry(chip.look.entry) if case is not None and chip.look.entry else None
        if isinstance(entry, Observation):
            measure = self.space.knowledge.measures[entry.measure_id]
            return target_of(measure.stage, entry)
        if isinstance(entry, Answer):
            return Target(self.space.knowledge.tests[entry.test].stage, entry.test, entry.side)
        if chip.look.entry:
            return Target("intake")
        tests = [t for sign in chip.line.signs for t in self.tests.of_sign(sign) if not t.startswith(TRIAL)]
        known = [t for t in tests if t in self.tests.tests]
        return Target(self.tests.tests[known[0]].stage, known[0]) if known else None

    def raised(self, look: SignResult) -> str:
        """What raised a pattern, with the name of the measure or test."""
        case, knowledge = self.space.case, self.space.knowledge
        entry = case.entry(look.entry) if case is not None else None
        if isinstance(entry, Observation):
            told = f"{knowledge.measures[entry.measure_id].name}: {look.text}"
            return f"{told}, {look.verdict}" if look.verdict and look.verdict not in look.text else told
        if isinstance(entry, Answer):
            return f"{knowledge.tests[entry.test].name}: {look.text}"
        return look.text

    def minutes_of(self, chip: EvidenceItem) -> float:
        """How long looking for an untested line takes, minutes; 0 where no test tells it."""
        found = [0.0]
        for sign in chip.line.signs:
            for test in self.tests.of_sign(sign)[:1]:
                if test.startswith(TRIAL):
                    found.append(self.space.knowledge.reasoning.changes[test.removeprefix(TRIAL)].minutes)
                elif test in self.tests.clips:
                    found.append(self.tests.clips[test].minutes)
                elif test in self.tests.tests:
                    found.append(self.tests.tests[test].minutes)
        return max(found)

    def responses(self) -> list[Response]:
        """Trials of cause on the measures of the chosen pattern, newest last."""
        one = self.balance
        if one is None:
            return []
        sides = (one.seen.side, Side.NONE)
        found = [r for r in self.conclusion.found.responses if r.measure.id in one.seen.pattern.measures]
        return sorted((r for r in found if r.side in sides), key=lambda r: r.changed.at)

    @property
    def role(self) -> Role:
        """Who is looking."""
        return self.space.role

    def name(self, sheet: FactorEvidence) -> str:
        """A factor in the words of the role."""
        one = self.balance
        return name_for(one, sheet.factor.id, self.role) if one is not None else sheet.factor.name

    # doing

    def overrule(self, label: Label | None, reason: str) -> None:
        """Another label for the chosen factor, with a reason; None takes the own one back. Raises Refused."""
        one, sheet = self.balance, self.sheet
        if one is None or sheet is None:
            raise Refused("No factor is chosen.")
        if self.role is not Role.CLINICIAN:
            raise Refused("Only a licensed clinician overrules a factor.")
        if label is not None and not reason.strip():
            raise Refused("An overruled factor needs a reason.")
        about = {"pattern": one.seen.pattern.id, "factor": sheet.factor.id}
        outcome = label.value if label is not None else ""
        with self.space.action("overrule a factor") as act:
            act.add(Decision(OVERRULED, outcome, about, one.seen.side, reason.strip()))

    def to_programme(self) -> Target:
        """Take the chosen factor over. Raises Refused where it is neither supported nor likely."""
        one, sheet = self.balance, self.sheet
        if one is None or sheet is None:
            raise Refused("No factor is chosen.")
        if sheet.label not in PROGRAMMED:
            raise Refused(
                f"{self.name(sheet)} is {sheet.label.value}: only supported and likely factors are taken over."
            )
        about = {"pattern": one.seen.pattern.id, "factor": sheet.factor.id, "name": self.name(sheet)}
        with self.space.action("take a factor to the programme") as act:
            act.add(Decision(TO_PROGRAMME, sheet.label.value, about, one.seen.side))
        return Target("programme", factor=sheet.factor.id)

    def keep_summary(self, text: str) -> None:
        """Keep a summary as a note of this stage."""
        with self.space.action("save the summary") as act:
            act.add(Note("reasoning", text))

    def texts(self) -> tuple[str, str]:
        """The summary for the record, and for the patient."""
        found = self.conclusion
        return record_text(found, self.role, [self.options(one) for one in found.balances]), patient_text(found)

    def turns(self) -> list[LabelChange]:
        """What was suspected when."""
        return label_history(self.space.case, self._at) if self.space.case is not None else []
