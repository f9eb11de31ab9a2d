"""Everybody at a glance: what the day list tells, asked of the database in a few sums instead of whole cases."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from datetime import date, datetime

from tuning.core.case import FACTS, Patient
from tuning.core.programme.course import DISCHARGE, OPEN_AGAIN
from tuning.core.reasoning.progress import TO_PROGRAMME
from tuning.core.types import Entry, Triage
from tuning.core.visit.overview import Digest
from tuning.records.dbapi import Connection, Row

VISITED = """
    select patient_id, count(distinct visit.id) as visits, max(visit.id) as newest, max(started_at) as last,
        coalesce(max(kind = 'observation' and struck_at is null), 0) as measured,
        group_concat(entry.id) filter (where struck_at is null) as stands
    from visit left join entry on visit_id = visit.id group by patient_id
"""
"""Visits, whether any value was taken, and all that stands of somebody: what was entered is never rewritten, so that
the same numbers are the same case."""
SCREENED = """
    select distinct visit.patient_id from entry join visit on visit_id = visit.id
    where kind = 'screen' and struck_at is null and json_extract(body, '$.level') != ? {only}
"""
PLANNED = """
    select patient_id, sum(not withdrawn) as rungs, min(at) as since from (
        select visit.patient_id, entry.at, coalesce(json_extract(body, '$.withdrawn'), 0) as withdrawn, max(entry.id)
        from entry join visit on visit_id = visit.id
        where kind = 'plan' and struck_at is null {only} group by visit.patient_id, json_extract(body, '$.rung')
    ) group by patient_id
"""
"""The newest entry of each rung counts (SQLite takes bare columns from the row of the max)."""
LOGGED = """
    select visit.patient_id, max(json_extract(body, '$.day')) as last,
        max(case when json_extract(body, '$.morning') = 'not settled'
            or coalesce(json_extract(body, '$.alarms'), '[]') != '[]' then json_extract(body, '$.day') end) as alarm
    from entry join visit on visit_id = visit.id
    where kind = 'done' and struck_at is null and not coalesce(json_extract(body, '$.trial'), 0) {only}
    group by visit.patient_id
"""
DECIDED = """
    select visit.patient_id,
        count(distinct case json_extract(body, '$.subject') when ? then json_extract(body, '$.inputs.factor') end)
            as factors,
        max(case json_extract(body, '$.subject') when ? then
            printf('%012d|%d|%s|%s', entry.id, visit_id, entry.at, json_extract(body, '$.outcome')) end) as ended
    from entry join visit on visit_id = visit.id where kind = 'decision' and struck_at is null {only}
    group by visit.patient_id
"""
"""Suspected causes that went to the programme, and the newest word on a discharge behind its number, visit, moment."""


EntriesOf = Callable[[str, Sequence[object]], Sequence[tuple[int, Entry]]]
"""Entries by a condition, each with the row number of its patient."""


def facts(entries_of: EntriesOf) -> dict[int, list[Entry]]:
    """Corrections of who somebody is, by row number of the patient, oldest first."""
    wanted = "where kind = 'form' and struck_at is null and json_extract(body, '$.kind') = ?"
    return _gathered(entries_of(wanted, (FACTS,)))


Known = dict[int, tuple[Patient, tuple[object, ...], Digest]]
"""The last digest of each patient by row number, with what it was made from."""
FEW = 500
"""So many people are asked for by their numbers; of more everybody is read."""


def refreshed(
    db: Connection,
    people: Sequence[tuple[int, Patient]],
    entries_of: EntriesOf,
    moment: Callable[[str], datetime],
    known: Known,
) -> Known:
    """The digests of `people`, given with their row numbers: anew of those of whom anything changed since `known`."""
    visited = {row["patient_id"]: row for row in db.execute(VISITED)}
    stands = {row: tuple(visited.get(row, ())) for row, _ in people}
    made = {row: known[row] for row, patient in people if row in known and known[row][:2] == (patient, stands[row])}
    changed = [(row, patient) for row, patient in people if row not in made]
    if changed:
        fresh = _digests(db, changed, visited, entries_of, moment)
        made |= {row: (one.patient, stands[row], one) for (row, _), one in zip(changed, fresh, strict=True)}
    return {row: made[row] for row, _ in people}


def _digests(
    db: Connection,
    people: Sequence[tuple[int, Patient]],
    visited: Mapping[int, Row],
    entries_of: EntriesOf,
    moment: Callable[[str], datetime],
) -> list[Digest]:
    numbers = ", ".join(str(row) for row, _ in people)
    only = f"and visit.patient_id in ({numbers})" if len(people) < FEW else ""

    def of_each(query: str, *values: object) -> dict[int, Row]:
        """One row of each patient."""
        return {row["patient_id"]: row for row in db.execute(query.format(only=only), values)}

    planned, logged, decided = of_each(PLANNED), of_each(LOGGED), of_each(DECIDED, TO_PROGRAMME, DISCHARGE)
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
                bool(seen and seen["measured"]),
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
