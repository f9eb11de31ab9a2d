"""Everybody at a glance: what the day list tells, asked of the database in a few sums instead of whole cases."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from datetime import date, datetime

from tuning.core.case import FACTS, Patient
from tuning.core.programme.course import DISCHARGE, OPEN_AGAIN
from tuning.core.reasoning.progress import TO_PROGRAMME
from tuning.core.types import Entry, Triage
from tuning.core.visit.overview import Digest
from tuning.records.dbapi import Connection, Row

VISITED = (
    "select patient_id, count(*) as visits, max(id) as newest, max(started_at) as last from visit group by patient_id"
)
SCREENED = """
    select distinct visit.patient_id from entry join visit on visit_id = visit.id
    where kind = 'screen' and struck_at is null and json_extract(body, '$.level') != ?
"""
PLANNED = """
    select patient_id, sum(not withdrawn) as rungs, min(at) as since from (
        select visit.patient_id, entry.at, coalesce(json_extract(body, '$.withdrawn'), 0) as withdrawn, max(entry.id)
        from entry join visit on visit_id = visit.id
        where kind = 'plan' and struck_at is null group by visit.patient_id, json_extract(body, '$.rung')
    ) group by patient_id
"""
"""The newest entry of each rung counts (SQLite takes bare columns from the row of the max)."""
LOGGED = """
    select visit.patient_id, max(json_extract(body, '$.day')) as last,
        max(case when json_extract(body, '$.morning') = 'not settled'
            or coalesce(json_extract(body, '$.alarms'), '[]') != '[]' then json_extract(body, '$.day') end) as alarm
    from entry join visit on visit_id = visit.id
    where kind = 'done' and struck_at is null and not coalesce(json_extract(body, '$.trial'), 0)
    group by visit.patient_id
"""
MEASURED = """
    select visit.patient_id, count(*) as values_ from entry join visit on visit_id = visit.id
    where kind = 'observation' and struck_at is null group by visit.patient_id
"""
DECIDED = """
    select visit.patient_id,
        count(distinct case json_extract(body, '$.subject') when ? then json_extract(body, '$.inputs.factor') end)
            as factors,
        max(case json_extract(body, '$.subject') when ? then
            printf('%012d|%d|%s|%s', entry.id, visit_id, entry.at, json_extract(body, '$.outcome')) end) as ended
    from entry join visit on visit_id = visit.id where kind = 'decision' and struck_at is null
    group by visit.patient_id
"""
"""Suspected causes that went to the programme, and the newest word on a discharge behind its number, visit, moment."""


EntriesOf = Callable[[str, Sequence[object]], Sequence[tuple[int, Entry]]]
"""Entries by a condition, each with the row number of its patient."""


def facts(entries_of: EntriesOf) -> dict[int, list[Entry]]:
    """Corrections of who somebody is, by row number of the patient, oldest first."""
    wanted = "where kind = 'form' and struck_at is null and json_extract(body, '$.kind') = ?"
    return _gathered(entries_of(wanted, (FACTS,)))


def digests(
    db: Connection, people: Sequence[tuple[int, Patient]], entries_of: EntriesOf, moment: Callable[[str], datetime]
) -> list[Digest]:
    """Of each of `people`, given with their row numbers."""

    def of_each(query: str, *values: object) -> dict[int, Row]:
        """One row of each patient."""
        return {row["patient_id"]: row for row in db.execute(query, values)}

    visited, planned, logged = of_each(VISITED), of_each(PLANNED), of_each(LOGGED)
    measured, decided = of_each(MEASURED), of_each(DECIDED, TO_PROGRAMME, DISCHARGE)
    found = of_each(SCREENED, Triage.NONE.value)
    marks = ", ".join("?" * len(found))
    screens = _gathered(
        entries_of(
            f"where kind in ('screen', 'clearance') and struck_at is null and visit.patient_id in ({marks})",
            tuple(found),
        )
    )

    def day(text: str | None) -> date | None:
        """A day as it stands in a body."""
        return date.fromisoformat(text) if text else None

    def end(row: int) -> datetime | None:
        """When the newest visit ended with a discharge; None where it did not, or that was taken back."""
        told = decided[row]["ended"] if row in decided else None
        _, visit, at, outcome = told.split("|") if told else ("", "", "", OPEN_AGAIN)
        return moment(at) if outcome != OPEN_AGAIN and int(visit) == visited[row]["newest"] else None

    told = []
    for row, patient in people:
        seen, plan, log = visited.get(row), planned.get(row), logged.get(row)
        told.append(
            Digest(
                patient,
                seen["visits"] if seen else 0,
                moment(seen["last"]) if seen else None,
                tuple(screens.get(row, ())),
                plan["rungs"] if plan else 0,
                moment(plan["since"]) if plan else None,
                day(log["last"]) if log else None,
                day(log["alarm"]) if log else None,
                measured[row]["values_"] if row in measured else 0,
                decided[row]["factors"] if row in decided else 0,
                end(row),
            )
        )
    return told


def _gathered(pairs: Sequence[tuple[int, Entry]]) -> dict[int, list[Entry]]:
    by_patient: dict[int, list[Entry]] = {}
    for row, entry in pairs:
        by_patient.setdefault(row, []).append(entry)
    return by_patient
