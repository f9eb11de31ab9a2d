"""How far reasoning is: patterns seen, and what it asks for next."""

from __future__ import annotations

from typing import Protocol

from tuning.core.case import Case
from tuning.core.entries import Decision
from tuning.core.next_step import MeasureTables, NextStep
from tuning.core.reasoning.evidence import detect_patterns
from tuning.core.reasoning.findings import findings
from tuning.core.reasoning.rules import ReasoningTable
from tuning.core.target import Target

TO_PROGRAMME = "factor-to-programme"


class PatternTables(MeasureTables, Protocol):
    """What patterns need of the knowledge files."""

    @property
    def reasoning(self) -> ReasoningTable:
        """Patterns, factors and lines of evidence."""
        ...


def count(case: Case, tables: PatternTables) -> int:
    """Patterns that were seen."""
    found = findings(case, tables.measures)
    return len(case.memoised("patterns", lambda: detect_patterns(tables.reasoning, found), tables.reasoning, found))


def next_step(case: Case, tables: PatternTables) -> NextStep | None:
    """Weigh the patterns, as long as nothing was taken over into the programme."""
    seen = count(case, tables)
    if not seen or any(d.subject == TO_PROGRAMME for d in case.today(Decision)):
        return None
    words = "one pattern was seen" if seen == 1 else f"{seen} patterns were seen"
    return NextStep(Target("reasoning"), "Weigh what contributes", words)
