"""A person with values from elsewhere, put into a record; what is here already is not taken twice."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from datetime import UTC, datetime
from typing import TYPE_CHECKING

import numpy as np

from tuning.core.entries import Note
from tuning.core.types import Entry, Observation, Side
from tuning.exchange.json.fhir import DECIMALS

if TYPE_CHECKING:
    from tuning.core.case import Patient, Person, Visit
    from tuning.exchange.json.fhir import ReadBundle, Value
    from tuning.records import Record


def take_over(record: Record, person: Person, read: ReadBundle) -> tuple[Patient, int, int]:
    """The person, and how many visits and values were new; all of it or nothing. Raises TuningError."""
    with record.at_once():
        return _take_over(record, person, read)


def _take_over(record: Record, person: Person, read: ReadBundle) -> tuple[Patient, int, int]:
    same = [p for p in record.patients() if (p.name, p.birth_date) == (read.name, read.birth_date)]
    patient = same[0] if same else _added(record, person, read)
    visits = list(record.visits(patient))
    known = _known(record, patient, visits)
    new = [value for value in read.values if _key(value.measure, value.side, value.value, value.at) not in known]
    by_day: dict[object, list[Value]] = {}
    for value in new:
        by_day.setdefault(value.at.date(), []).append(value)
    if not (same or by_day):
        by_day[None] = []
    for _, values in sorted(by_day.items(), key=lambda pair: str(pair[0])):
        at = min((value.at for value in values), default=datetime.now(UTC).replace(microsecond=0))
        visit = record.start_visit(patient, person, at)
        told: list[Entry] = [_observation(value) for value in values]
        if read.unknown and visit.started_at == at and not same:
            told.append(Note("intake", "From the imported bundle, not known here: " + "; ".join(read.unknown)))
            read = replace(read, unknown=())
        _commit(record, patient, visit, person, told)
    return patient, len(by_day), len(new)


def _added(record: Record, person: Person, read: ReadBundle) -> Patient:
    return record.add_patient(
        person, name=read.name, birth_date=read.birth_date, sex=read.sex, body_mass_kg=read.body_mass_kg,
        stature_m=read.stature_m, dominant_hand="", dominant_leg="", complaint="", involved=Side.NONE.value,
        occupation="",
    )  # fmt: skip


def _known(record: Record, patient: Patient, visits: Sequence[Visit]) -> set[tuple[object, ...]]:
    if not visits:
        return set()
    case = record.case(patient.uid, visits[-1].uid)
    return {_key(o.measure_id, o.side, o.measured, o.at) for o in case.all(Observation)}


def _key(measure: str, side: Side, value: float | None, at: datetime) -> tuple[object, ...]:
    """What makes two values the same: a bundle holds six decimals."""
    return measure, side, None if value is None else round(value, DECIMALS), at


def _observation(value: Value) -> Observation:
    return Observation(
        measure_id=value.measure, side=value.side, value=value.value, trials=np.array([value.value]),
        method="imported", at=value.at,
    )  # fmt: skip


def _commit(record: Record, patient: Patient, visit: Visit, person: Person, told: Sequence[Entry]) -> None:
    from tuning.records import new_uid

    made = [
        replace(
            entry,
            uid=new_uid(),
            visit=visit.uid,
            at=entry.at if isinstance(entry, Observation) else visit.started_at,
            person=person.uid,
            who=person.name,
        )
        for entry in told
    ]
    record.commit(record.case(patient.uid, visit.uid), made)
