"""Everybody at a glance: what the day list tells, asked of the database in a few sums instead of whole cases.

The sums are kept, as thousands of people take longer than a glance. Whatever is written about somebody drops theirs.
"""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Sequence
from datetime import date, datetime

from tuning.core.case import FACTS, Patient
from tuning.core.day_list_entry import Digest
from tuning.core.programme.plan_facts import DISCHARGE, OPEN_AGAIN
from tuning.core.reasoning.progress import TO_PROGRAMME
from tuning.core.types import Entry, Triage
from tuning.knowledge.day_list_tables import safety_table
from tuning.records.dbapi import Connection, Row

VISITED = """
    select patient_id, count(distinct visit.id) as visits, max(visit.id) as newest, max(started_at) as last,
        coalesce(max(kind = 'observation' and struck_at is null), 0) as measured
    from visit left join entry on visit_id = visit.id where true {among} group by patient_id
"""
SCREENED = """
    select distinct patient_id, 1 as found from entry join visit on visit_id = visit.id
    where struck_at is null and (kind = 'screen' and json_extract(body, '$.level') != :none
        or kind = 'observation' and json_extract(body, '$.measure_id') in ({measures})
        or kind = 'answer' and json_extract(body, '$.test') in ({tests})) {among}
"""
"""Whoever had a finding, or a value that the safety table reads: what stands is decided by the core."""
PLANNED = """
    select patient_id, sum(not withdrawn) as rungs, min(at) as since from (
        select patient_id, entry.at, coalesce(json_extract(body, '$.withdrawn'), 0) as withdrawn, max(entry.id)
        from entry join visit on visit_id = visit.id
        where kind = 'plan' and struck_at is null {among} group by patient_id, json_extract(body, '$.rung')
    ) group by patient_id
"""
"""The newest entry of each rung counts (SQLite takes bare columns from the row of the max)."""
LOGGED = """
    select patient_id, max(case when not coalesce(json_extract(body, '$.trial'), 0)
            then json_extract(body, '$.day') end) as logged,
        max(json_extract(body, '$.morning') = 'not settled' or coalesce(json_extract(body, '$.alarms'), '[]') != '[]'
            or coalesce(json_extract(body, '$.pain'), 0) > 0) as uneasy
    from entry join visit on visit_id = visit.id
    where kind = 'done' and struck_at is null {among}
    group by patient_id
"""
"""`uneasy`: something may have to be answered; what alarms is decided by the core, which is given the log then."""
SUSPECTED = """
    select patient_id, count(distinct json_extract(body, '$.inputs.factor')) as factors
    from entry join visit on visit_id = visit.id
    where kind = 'decision' and struck_at is null and json_extract(body, '$.subject') = :to_programme {among}
    group by patient_id
"""
"""Suspected causes that went to the programme."""
DISCHARGED = """
    select patient_id, visit_id, entry.at, json_extract(body, '$.outcome') as outcome, max(entry.id)
    from entry join visit on visit_id = visit.id
    where kind = 'decision' and struck_at is null and json_extract(body, '$.subject') = :discharge {among}
    group by patient_id
"""
"""The newest word on a discharge."""
SUMMED = f"""
    select patient.id, hex(randomblob(8)), :asked, coalesce(visits, 0), last, coalesce(measured, 0), coalesce(found, 0),
        coalesce(rungs, 0), since, logged, coalesce(uneasy, 0), coalesce(factors, 0),
        case when outcome != :open and visit_id = newest then discharged.at end
    from patient left join ({VISITED}) as visited on visited.patient_id = patient.id
        left join ({SCREENED}) as screened on screened.patient_id = patient.id
        left join ({PLANNED}) as planned on planned.patient_id = patient.id
        left join ({LOGGED}) as logs on logs.patient_id = patient.id
        left join ({SUSPECTED}) as suspected on suspected.patient_id = patient.id
        left join ({DISCHARGED}) as discharged on discharged.patient_id = patient.id
    where true {{these}}
"""
WORDS = {"none": Triage.NONE.value, "to_programme": TO_PROGRAMME, "discharge": DISCHARGE, "open": OPEN_AGAIN}


def _quoted(ids: Sequence[str]) -> str:
    return ", ".join(f"'{one}'" for one in ids)


def safety_sources() -> tuple[list[str], list[str]]:
    """Measures and tests that the safety table reads."""
    facts = safety_table().measured
    return sorted({m for f in facts for m in f.measures}), sorted({f.test for f in facts if f.test})


MEASURES, TESTS = map(_quoted, safety_sources())
ASKED = hashlib.sha256(f"{SUMMED}{WORDS}{MEASURES}{TESTS}".encode()).hexdigest()[:16]
"""Sums that another version of these questions made do not count."""
VALUES = {**WORDS, "asked": ASKED}
COLUMNS = ("patient_id", "stamp", "asked", "visits", "last", "measured", "found", "rungs", "since", "logged", "alarm",
           "factors", "ended")  # fmt: skip
FOUND, UNEASY = COLUMNS.index("found"), COLUMNS.index("alarm")
KEPT = f"select {', '.join(COLUMNS)} from digest"


EntriesOf = Callable[[str, Sequence[object]], Sequence[tuple[int, Entry]]]
"""Entries by a condition, each with the row number of its patient."""


def facts(entries_of: EntriesOf) -> dict[int, list[Entry]]:
    """Corrections of who somebody is, by row number of the patient, oldest first."""
    wanted = "where kind = 'form' and struck_at is null and json_extract(body, '$.kind') = ?"
    return _gathered(entries_of(wanted, (FACTS,)))


Known = dict[int, tuple[Patient, str, Digest]]
"""The last digest of each patient by row number, with the patient and the stamp of the sums it was made from."""
FEW = 500
"""So many people are asked for by their numbers; of more everybody is read."""


def unsummed(db: Connection) -> list[int]:
    """Row numbers of those whose sums are not kept; triggers drop the sums of whoever is written about."""
    wanted = "select id from patient where id not in (select patient_id from digest where asked = ?)"
    return [row[0] for row in db.execute(wanted, (ASKED,))]


def sum_up(db: Connection, missing: Sequence[int]) -> None:
    """Keep the sums of people, within the transaction of the caller."""
    db.execute("delete from digest where asked != ?", (ASKED,))
    db.execute(f"insert into digest ({', '.join(COLUMNS)}) {_of(missing)}", VALUES)


def strayed(db: Connection) -> list[int]:
    """Row numbers of those whose kept sums do not match the record."""
    kept = {row[0]: tuple(row)[2:] for row in db.execute(f"{KEPT} where asked = ?", (ASKED,))}
    now = {row[0]: tuple(row)[2:] for row in db.execute(_of(list(kept)), VALUES)}
    return [number for number, sums in kept.items() if sums != now.get(number)]


def _of(numbers: Sequence[int]) -> str:
    """The question about these people."""
    among = ", ".join(map(str, numbers))
    few = len(numbers) < FEW
    known = {name: _quoted(ids) for name, ids in zip(("measures", "tests"), safety_sources(), strict=True)}
    return SUMMED.format(
        **known, among=f"and patient_id in ({among})" if few else "", these=f"and patient.id in ({among})"
    )


def digests(
    db: Connection,
    people: Sequence[tuple[int, Patient]],
    entries_of: EntriesOf,
    moment: Callable[[str], datetime],
    known: Known,
    kept: bool,
) -> Known:
    """The digests of `people`, given with their row numbers: as in `known` where nothing of somebody was written since.

    Sums that are not `kept` in the record, or not yet, are made for now.
    """
    sums = {row[0]: row for row in db.execute(f"{KEPT} where asked = ?", (ASKED,))} if kept else {}
    if missing := [row for row, _ in people if row not in sums]:
        sums |= {row[0]: row for row in db.execute(_of(missing), VALUES)}
    now = {row: (patient, sums[row][1]) for row, patient in people}
    changed = [row for row, told in now.items() if row not in known or known[row][:2] != told]
    read = f"""(kind in ('screen', 'clearance') or kind = 'observation' and json_extract(body, '$.measure_id') in
        ({MEASURES}) or kind = 'answer' and json_extract(body, '$.test') in ({TESTS}))"""
    screens = _entries([row for row in changed if sums[row][FOUND]], read, entries_of)
    logs = _entries([row for row in changed if sums[row][UNEASY]], "kind in ('done', 'screen')", entries_of)
    fresh = {
        row: (*now[row], _digest(now[row][0], sums[row], screens.get(row, ()), logs.get(row, ()), moment))
        for row in changed
    }
    return {row: fresh[row] if row in fresh else known[row] for row in now}


def _entries(numbers: Sequence[int], kinds: str, entries_of: EntriesOf) -> dict[int, list[Entry]]:
    if not numbers:
        return {}
    among = ", ".join(map(str, numbers))
    wanted = f"where {kinds} and struck_at is null and visit.patient_id in ({among})"
    return _gathered(entries_of(wanted, ()))


def _digest(
    patient: Patient, sums: Row, screens: Sequence[Entry], log: Sequence[Entry], moment: Callable[[str], datetime]
) -> Digest:
    visits, last, measured, _, rungs, since, logged, _, factors, ended = tuple(sums)[3:]
    return Digest(
        patient,
        visits,
        moment(last) if last else None,
        tuple(screens),
        rungs,
        moment(since) if since else None,
        date.fromisoformat(logged) if logged else None,
        tuple(log),
        bool(measured),
        factors,
        moment(ended) if ended else None,
    )


def _gathered(pairs: Sequence[tuple[int, Entry]]) -> dict[int, list[Entry]]:
    by_patient: dict[int, list[Entry]] = {}
    for row, entry in pairs:
        by_patient.setdefault(row, []).append(entry)
    return by_patient
