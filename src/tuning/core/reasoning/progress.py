"""How far reasoning is: patterns seen, and what it asks for next."""

from __future__ import annotations

from tuning.core.case import Case
from tuning.core.entries import Decision
from tuning.core.reasoning.balance import patterns_seen
from tuning.core.reasoning.findings import findings
from tuning.core.visit.next_step import NextStep, Tables
from tuning.core.visit.target import Target

TO_PROGRAMME = "factor-to-programme"


def count(case: Case, tables: Tables) -> int:
    """Patterns that were seen."""
    found = findings(case, tables.measures)
    return len(case.remembered("patterns", lambda: patterns_seen(tables.reasoning, found), tables.reasoning, found))


def next_step(case: Case, tables: Tables) -> NextStep | None:
    """Weigh the patterns, as long as nothing was taken over into the programme."""
    seen = count(case, tables)
    if not seen or any(d.subject == TO_PROGRAMME for d in case.today(Decision)):
        return None
    words = "one pattern was seen" if seen == 1 else f"{seen} patterns were seen"
    return NextStep(Target("reasoning"), "Weigh what contributes", words)
