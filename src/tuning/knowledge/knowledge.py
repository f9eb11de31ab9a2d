"""Everything a clinician may edit, loaded and checked."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from functools import cache, cached_property
from importlib.resources import files
from pathlib import Path

from tuning.core.errors import KnowledgeError
from tuning.core.force.plate_errors import PlateErrors
from tuning.core.force.test_instructions import Advice
from tuning.core.gate.triage import SafetyTable
from tuning.core.intake.forms import FormDefinition
from tuning.core.intake.soles_and_regions import SoleRules
from tuning.core.judging.measures import Measure
from tuning.core.preferences import Preferences
from tuning.core.programme.cautions import Caution
from tuning.core.programme.equipment import Substitute
from tuning.core.programme.ladders import Fault, Ladder, Rung
from tuning.core.programme.placement import PlacementTable
from tuning.core.programme.routines import Routine
from tuning.core.programme.rules import Rules
from tuning.core.reasoning.rules import ReasoningTable
from tuning.core.reports.content import ReportTable
from tuning.core.search import SearchWords
from tuning.core.standing.level_suspicion import Chain
from tuning.core.standing.posture import PostureRule
from tuning.core.strength.trials import StrengthTable
from tuning.core.test_definitions import TestDefinition
from tuning.core.visit.plan import OrderTable
from tuning.knowledge.loaders.intake import load_chain, load_forms, load_posture, load_safety, load_soles
from tuning.knowledge.loaders.ladders import (
    check_cautions,
    check_drawings,
    load_faults,
    load_kit,
    load_ladders,
    load_placement,
    load_progression,
    load_routines,
)
from tuning.knowledge.loaders.measures import load_measures
from tuning.knowledge.loaders.order import load_order
from tuning.knowledge.loaders.reasoning import FILE as REASONING
from tuning.knowledge.loaders.reasoning import RelatedTables, load_reasoning
from tuning.knowledge.loaders.reports import load_reports
from tuning.knowledge.loaders.search import load_search
from tuning.knowledge.loaders.strength import load_strength
from tuning.knowledge.loaders.tests import check_poses, load_plate_errors, load_plates, load_tests
from tuning.knowledge.loaders.toml_reader import TomlReader

FOLDER = Path(str(files("tuning.knowledge")))


@dataclass(frozen=True)
class Cautions:
    """Texts that stand beside exercises, and what a person may have that bars or steers one."""

    scope: str
    stop_now: str
    setting: str
    present: dict[str, Caution]


@dataclass(frozen=True)
class Knowledge:
    """All tables, and where to find a thing by what it is for."""

    measures: dict[str, Measure]
    tests: dict[str, TestDefinition]
    chain: Chain
    posture: tuple[PostureRule, ...]
    soles: SoleRules
    safety: SafetyTable
    forms: dict[str, FormDefinition]
    ladders: dict[str, Ladder]
    faults: dict[str, Fault]
    cautions: Cautions
    order: OrderTable
    plates: dict[str, Advice]
    plate_errors: PlateErrors
    strength: StrengthTable
    reasoning: ReasoningTable
    placement: PlacementTable
    kit: dict[str, Substitute]
    routines: dict[str, Routine]
    reports: ReportTable
    progression: Rules
    search: SearchWords = field(default_factory=SearchWords)
    preferences: Preferences = field(default_factory=Preferences)

    @cached_property
    def _rungs(self) -> dict[str, Rung]:
        return {rung.id: rung for ladder in self.ladders.values() for rung in ladder.rungs}

    def rung(self, rung_id: str) -> Rung:
        """A rung of any ladder. Raises KeyError."""
        return self._rungs[rung_id]

    @cached_property
    def _ladder_of(self) -> dict[str, Ladder]:
        return {rung.id: ladder for ladder in self.ladders.values() for rung in ladder.rungs}

    def ladder_of(self, rung_id: str) -> Ladder:
        """The ladder of a rung. Raises KeyError."""
        return self._ladder_of[rung_id]

    @cached_property
    def _tests_by_measure(self) -> dict[str, TestDefinition]:
        named = {m: t for t in self.tests.values() for q in t.questions for m in (q.measure, q.number) if m}
        named |= {t.score.measure: t for t in self.tests.values() if t.score is not None}
        return {**{f"{t.id}-torque": t for t in self.tests.values()}, **named, **self.tests}

    def test_of(self, measure_id: str) -> TestDefinition | None:
        """The test that a measure is taken in, None for what is only told or read off a picture."""
        return self._tests_by_measure.get(measure_id)


def _read(folder: Path) -> tuple[Knowledge | None, list[str]]:
    reading = TomlReader(folder)
    measures = load_measures(reading)
    faults = load_faults(reading)
    safety = load_safety(reading)
    tests = load_tests(reading, measures)
    plates = load_plates(reading)
    chain = load_chain(reading)
    forms = load_forms(reading)
    cautions = reading.structure(reading.toml(folder / "cautions.toml"), Cautions, "cautions.toml")
    order = load_order(reading, tests, plates)
    strength = load_strength(reading, measures)
    errors = load_plate_errors(reading)
    reasoning = load_reasoning(reading, measures, tests, _around(strength, chain))
    causes = (*reasoning.factors, *reasoning.patterns) if reasoning else ()
    ladders = load_ladders(reading, measures, faults, causes)
    placement = load_placement(reading, ladders, causes)
    if cautions and safety and placement:
        check_cautions(reading, cautions.present, safety, tests, ladders, placement, forms)
    kit, routines = load_kit(reading, ladders), load_routines(reading, ladders)
    check_poses(reading, tests, ladders)
    reports, progression = load_reports(reading), load_progression(reading)
    posture, soles = load_posture(reading), load_soles(reading)
    done = {*tests, *(clip.id for clip in order.clip)} if order else set(tests)
    search = load_search(reading, done, measures, reasoning.factors if reasoning else (), ladders)
    if not (
        search
        and safety
        and chain
        and cautions
        and order
        and strength
        and errors
        and soles
        and reasoning
        and placement
        and reports
        and progression
    ):
        return None, reading.problems
    found = Knowledge(
        measures=measures,
        tests=tests,
        chain=chain,
        posture=posture,
        soles=soles,
        safety=safety,
        forms=forms,
        ladders=ladders,
        faults=faults,
        cautions=cautions,
        order=order,
        plates=plates,
        plate_errors=errors,
        strength=strength,
        reasoning=reasoning,
        placement=placement,
        kit=kit,
        routines=routines,
        reports=reports,
        progression=progression,
        search=search,
    )
    return (None if reading.problems else found), reading.problems


def _around(strength: StrengthTable | None, chain: Chain | None) -> RelatedTables:
    """What signs of reasoning may name of other tables."""
    outcomes = {outcome for row in chain.rows for outcome in row.outcomes} if chain else set()
    return RelatedTables(strength.ratio if strength else (), outcomes)


def check(folder: Path = FOLDER) -> list[str]:
    """Every problem of all files at once, each with file, key and reason; empty when all is sound."""
    found, problems = _read(folder)
    reading = TomlReader(folder)
    check_drawings(reading, found.ladders if found is not None else {})
    return [*problems, *reading.problems]


def for_clinic(folder: Path) -> Knowledge:
    """The shipped knowledge with the tables that a clinic keeps in `folder` in the place of its own.

    So far the table of reasoning may be another one. Raises KnowledgeError as `load`; without own tables nothing
    is different.
    """
    usual, own = load(), folder / REASONING
    if not own.exists():
        return usual
    reading = TomlReader(folder)
    table = load_reasoning(reading, usual.measures, usual.tests, _around(usual.strength, usual.chain), own)
    if table is not None and not table.set_by:
        reading.wrong(REASONING, "an own table says `set_by`, whose it is")
    if reading.problems or table is None:
        problems = "; ".join(reading.problems)
        raise KnowledgeError(f"The clinic's own tables in {folder} break a rule. {problems}.")
    return replace(usual, reasoning=table)


@cache
def load(folder: Path = FOLDER) -> Knowledge:
    """Load and check every knowledge file in `folder`, once in the life of the program.

    Raises KnowledgeError with file, key and reason of every problem.
    """
    found, problems = _read(folder)
    if found is None:
        raise KnowledgeError(f"The knowledge files break a rule. {'; '.join(problems)}.")
    return found
