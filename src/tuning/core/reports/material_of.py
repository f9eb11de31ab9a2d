"""Everything that a report of a case may speak of: one function for window, command line and letters."""

from __future__ import annotations

from typing import Protocol

from tuning.core.case import Case
from tuning.core.gate.open_findings import standing_of
from tuning.core.judging.ledger import ledger, ledger_at
from tuning.core.preferences import CLINIC_NAME, LETTERHEAD, TELEPHONE, Preferences
from tuning.core.programme.plan_status import ProgrammeTables, plan_status
from tuning.core.reasoning.conclusion import ReasoningTables, conclusion_of
from tuning.core.reports.report_context import ReportContext
from tuning.core.review.changes import between_visits, not_retested
from tuning.core.types import Role


class ReportTables(ProgrammeTables, ReasoningTables, Protocol):
    """What letters need of the knowledge files."""


def material_of(case: Case, tables: ReportTables, scope: str, role: Role, author: str) -> ReportContext:
    """What a report of the open visit may speak of, by the rules and schools that the screen follows."""
    measures, rule = tables.measures, tables.preferences.rule
    before = case.visits[case.number - 2] if case.number > 1 else None
    rows = between_visits(case, before, case.visit, measures, rule) if before is not None else []
    missing = not_retested(rows, ledger_at(case, before, measures, rule)) if before is not None else []
    status = plan_status(case, tables, case.visit.started_at.astimezone().date())
    return ReportContext(
        case=case,
        measures=measures,
        safety=tables.safety,
        standing=standing_of(case, tables.safety),
        ledger=ledger(case, measures, rule),
        conclusion=conclusion_of(case, tables),
        plan=status.items,
        rung=tables.rung,
        role=role,
        author=author,
        scope=scope,
        before=before,
        rows=rows,
        missing=missing,
        letterhead=letterhead(tables.preferences),
        cautions=tuple(one.name for one in status.cautions.values()),
        limits=status.facts.limits.text,
        resting={item.uid: why for item in status.items if (why := status.resting(item))},
        telephone=str(tables.preferences[TELEPHONE]).strip(),
    )


def letterhead(preferences: Preferences) -> tuple[str, ...]:
    """The lines on top of a letter: the clinic's own, else its name and telephone."""
    own = tuple(line for line in str(preferences[LETTERHEAD]).splitlines() if line.strip())
    known = (str(preferences[key]).strip() for key in (CLINIC_NAME, TELEPHONE))
    return own or tuple(line for line in known if line)
