"""A small case on a fresh record, and one way to write to it."""

from dataclasses import replace
from datetime import date
from pathlib import Path

import numpy as np

from tuning.core.types import Observation, Side
from tuning.records import Record, new_uid
from tuning.records.store import now

PATIENT = dict(
    name="Nils Ostrov", birth_date=date(1990, 2, 28), sex="male", body_mass_kg=70.0, stature_m=1.8,
    dominant_hand="right", dominant_leg="right", complaint="", involved="left", occupation="sailmaker",
)  # fmt: skip


DOSE = dict(sets=3, reps=8, hold_s=None, tempo="3-0-2", rest_s=60, days=3)


def seen(value=12.5, **changes):
    base = dict(measure_id="hip-abd", side=Side.LEFT, value=value, trials=np.array([12.0, 13.0]))
    return Observation(**{**base, **changes})


class Desk:
    """A record with one open case."""

    def __init__(self, folder: Path) -> None:
        self.record = Record(folder)
        self.person = next(iter(self.record.people()), None) or self.record.add_person("R. Falk", "licensed clinician")
        known = self.record.patients()
        self.patient = known[0] if known else self.record.add_patient(self.person, **PATIENT)
        visits = self.record.visits(self.patient)
        self.visit = visits[-1] if visits else self.record.start_visit(self.patient, self.person)

    @property
    def case(self):
        return self.record.case(self.patient.uid, self.visit.uid)

    def stamped(self, entry):
        head = dict(uid=new_uid(), visit=self.visit.uid, at=now(), person=self.person.uid, who=self.person.name)
        return replace(entry, **head)

    def keep(self, *entries, **more):
        made = [self.stamped(entry) for entry in entries]
        self.record.commit(self.case, made, **more)
        return made

    def values(self):
        return [o.value for o in self.case.all(Observation)]
