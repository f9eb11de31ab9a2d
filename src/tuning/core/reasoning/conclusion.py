"""What is concluded from a case: patterns, balance sheets, next tests; a red flag refers instead."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import dataclass
from typing import Protocol

from tuning.core.case import Case
from tuning.core.entries import Decision
from tuning.core.gate.open_findings import standing_of
from tuning.core.gate.triage import SafetyTable
from tuning.core.judging.measures import Measure
from tuning.core.judging.trial_rule import TrialRule
from tuning.core.preferences import HABIT, REGIONAL, Preferences
from tuning.core.reasoning.evidence import (
    Label,
    PatternEvidence,
    ReasoningPolicy,
    SeenPattern,
    detect_patterns,
    weigh_evidence,
)
from tuning.core.reasoning.findings import Findings, findings
from tuning.core.reasoning.next_best_test import Tests
from tuning.core.reasoning.rules import ReasoningTable
from tuning.core.test_definitions import TestDefinition
from tuning.core.types import Role, Side, Triage
from tuning.core.visit.plan import OrderTable

OVERRULED = "factor-overruled"
REFER = "A red flag is open: refer. No reasoning until it is cleared."
CHECKED = "Worth having checked"
COMPLAINT = "complaint-"
"""How the patterns begin that are complaints."""


@dataclass(frozen=True)
class Conclusion:
    """All balances, the pattern that matters most first; `refer` instead of them under a red flag."""

    balances: tuple[PatternEvidence, ...]
    found: Findings
    refer: str = ""

    def of(self, pattern: str, side: Side) -> PatternEvidence | None:
        """The balance of a pattern on a side."""
        return next((b for b in self.balances if b.seen.pattern.id == pattern and b.seen.side is side), None)


def overruled(case: Case, seen: SeenPattern) -> Mapping[str, tuple[Label, str]]:
    """Labels that a clinician put by hand over the visits, with the reason; an empty outcome takes it back."""
    told: dict[str, tuple[Label, str]] = {}
    for one in case.all(Decision):
        about = one.inputs.get("pattern"), one.side
        if one.subject == OVERRULED and about == (seen.pattern.id, seen.side):
            factor = str(one.inputs.get("factor", ""))
            told.pop(factor, None)
            if one.outcome:
                told[factor] = Label(one.outcome), one.reason
    return told


def conclude(
    case: Case, table: ReasoningTable, measures: Mapping[str, Measure], tests: Tests, triage: Triage | None,
    schools: ReasoningPolicy | None = None, rule: TrialRule = TrialRule.MEAN,
) -> Conclusion:  # fmt: skip
    """Everything that a case says. Under RED it says “refer” and nothing else."""
    found = findings(case, measures, rule)
    if triage is Triage.RED:
        return Conclusion((), found, REFER)
    schools = schools or ReasoningPolicy()
    made = [
        weigh_evidence(table, found, seen, tests.tests, schools, overruled(case, seen))
        for seen in detect_patterns(table, found)
    ]
    complaints = {one.seen.side for one in made if one.seen.pattern.id.startswith(COMPLAINT)} - {Side.NONE}
    sore = complaints | ({case.patient.involved} - {Side.NONE})
    return Conclusion(tuple(sorted(made, key=lambda one: _matters(one, sore))), found)


class ReasoningTables(Protocol):
    """What reasoning needs of the knowledge files, with what the clinic prefers in them."""

    @property
    def measures(self) -> Mapping[str, Measure]:
        """Every measure by its id."""

    @property
    def safety(self) -> SafetyTable:
        """Questions and rules of the screen."""

    @property
    def reasoning(self) -> ReasoningTable:
        """Patterns and factors."""

    @property
    def tests(self) -> Mapping[str, TestDefinition]:
        """Every test by its id."""

    @property
    def order(self) -> OrderTable:
        """The order of a visit."""

    @property
    def preferences(self) -> Preferences:
        """What the clinic prefers."""

    def test_of(self, measure_id: str) -> TestDefinition | None:
        """The test that gives a measure, None where none does."""


def tests_of(tables: ReasoningTables) -> Tests:
    """Everything that can be done to tell factors apart, with the minutes of changes of position."""
    clips = {clip.id: clip for clip in tables.order.clip}
    return Tests(tables.tests, clips, tables.order.minutes, tables.test_of)


def conclusion_of(case: Case, tables: ReasoningTables) -> Conclusion:
    """What a case says, by the clinic's schools, bands and rule for trials: the same for screen, letter and sheet."""
    prefers, found = tables.preferences, standing_of(case, tables.safety)
    schools, triage = ReasoningPolicy(prefers[REGIONAL], prefers[HABIT]), found.level if found is not None else None

    def work() -> Conclusion:
        """Conclude anew, where this has not been asked yet."""
        return conclude(case, tables.reasoning, tables.measures, tests_of(tables), triage, schools, prefers.rule)

    return case.memoised(("conclusion", triage), work, tables)


def _matters(one: PatternEvidence, sore: Collection[Side]) -> tuple[int, int, int, int]:
    """The complaint first, then the leg that hurts, then the best settled; findings of level and strength come last."""
    settled = max((sheet.score for sheet in one.sheets), default=0.0)
    complaint = one.seen.pattern.id.startswith(COMPLAINT)
    last = one.seen.pattern.id in ("strength-gap", "level-tilt", "standing-knee-line")
    return int(not complaint), int(last), int(one.seen.side not in sore), -round(10 * settled)


def name_for(one: PatternEvidence, factor: str, role: Role) -> str:
    """A factor by its name, or, where it is structural and no clinician looks, worth having checked."""
    sheet = one.sheet(factor)
    if sheet.factor.structural and role is not Role.CLINICIAN:
        return CHECKED
    return sheet.factor.name
