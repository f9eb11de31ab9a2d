"""The demonstration clinic: a small practice in a harbour town, all made up."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import asdict
from datetime import date, datetime, timedelta
from pathlib import Path
from typing import Any

import numpy as np

from tuning.core.marks import CLICK_SD_PX, Level, LevelReference, PictureContext
from tuning.core.marks import observe as observe_marks
from tuning.core.programme import Rung
from tuning.core.protocols import PROTOCOLS
from tuning.core.strength import Setup
from tuning.core.strength import observe as observe_strength
from tuning.core.types import Side
from tuning.core.units import FORCE_UNITS
from tuning.demo.clips import CLIPS
from tuning.knowledge import load
from tuning.records import (
    Calibration,
    Capture,
    Entry,
    Mark,
    PatientRow,
    PersonRow,
    PlanItem,
    Record,
    SafetyScreen,
    Visit,
)
from tuning.records.record import now, to_entry

PEOPLE: tuple[dict[str, Any], ...] = (
    {
        "name": "Marit Okonjo-Lind", "occupation": "glassblower", "birth_date": date(1985, 5, 3), "sex": "female",
        "body_mass_kg": 74.0, "stature_m": 1.72, "involved": "left", "dominant_hand": "right",
        "dominant_leg": "right", "complaint": "Left front of knee aches after long days at the furnace, third time",
    },
    {
        "name": "Jonas Brekke", "occupation": "ferry deckhand", "birth_date": date(1993, 9, 21), "sex": "male",
        "body_mass_kg": 88.0, "stature_m": 1.84, "involved": "right", "dominant_hand": "right",
        "dominant_leg": "right", "complaint": "Right outer hip sore on the car-deck ramps",
    },
    {
        "name": "Oriel Santander", "occupation": "choir conductor", "birth_date": date(1970, 2, 14), "sex": "female",
        "body_mass_kg": 63.0, "stature_m": 1.65, "involved": "none", "dominant_hand": "left",
        "dominant_leg": "right", "complaint": "Low back stiff after standing rehearsals",
    },
    {
        "name": "Tomasz Wren", "occupation": "beekeeper", "birth_date": date(1978, 11, 30), "sex": "male",
        "body_mass_kg": 81.0, "stature_m": 1.78, "involved": "right", "dominant_hand": "right",
        "dominant_leg": "left", "complaint": "Right knee, eleven weeks after ligament surgery; lifting hives is hard",
    },
    {
        "name": "Ines Hallgrim", "occupation": "potter", "birth_date": date(1999, 7, 8), "sex": "female",
        "body_mass_kg": 66.0, "stature_m": 1.7, "involved": "right", "dominant_hand": "right",
        "dominant_leg": "right", "complaint": "Right knee drifts in when lifting clay from the floor",
    },
)  # fmt: skip


class _Builder:
    def __init__(self, record: Record) -> None:
        self.record = record
        self.knowledge = load()
        self.person: PersonRow = record.add_person("R. Falk", "licensed clinician")
        record.add_person("S. Adeyemi", "student")
        self.rng = np.random.default_rng(7)
        self.patients = {p["occupation"]: record.add_patient(self.person, **p) for p in PEOPLE}

    def visit(self, occupation: str, days_ago: int) -> Visit:
        at = datetime.combine(date.today() - timedelta(days=days_ago), datetime.min.time()).replace(hour=9)
        return self.record.start_visit(self.patients[occupation], self.person, at)

    def keep(self, visit: Visit, *entries: Entry) -> None:
        for entry in entries:
            entry.visit_id, entry.person_id, entry.at = visit.id, self.person.id, now()
        self.record.write(entries)

    def picture(self, visit: Visit, clip_name: str, view: str, wanted: dict[int, tuple[str, ...]]) -> None:
        """Mark frames of a shipped clip with a hand that is about a pixel off."""
        clip = CLIPS[clip_name]
        kept = self.record.media.keep(clip.path)
        self.record.media_row(kept, self.person)
        capture = Capture(sha256=kept.sha256, view=view)
        self.keep(visit, capture)
        plumb = [self._hand(point) for point in clip.plumb_line()]
        ends = dict(zip(("ax_px", "ay_px", "bx_px", "by_px"), map(float, np.ravel(plumb)), strict=True))
        self.keep(
            visit, Calibration(capture_id=capture.id, what=Level.PLUMB.value, length_m=None, sd_px=CLICK_SD_PX, **ends)
        )
        context = PictureContext(LevelReference(Level.PLUMB, plumb[0], plumb[1]))
        for frame, names in wanted.items():
            truth = clip.truth(frame)
            marks = {name: self._hand(truth[name]) for name in names}
            rows: list[Entry] = [
                Mark(
                    capture_id=capture.id,
                    frame=frame,
                    name=name,
                    x_px=float(at[0]),
                    y_px=float(at[1]),
                    sd_px=CLICK_SD_PX,
                )
                for name, at in marks.items()
            ]
            evidence = {"capture": capture.id, "frame": frame, "time_s": frame / clip.fps}
            found = observe_marks(PROTOCOLS[view], marks, context, "clip", evidence)
            rows += [to_entry(seen, visit, self.person) for seen in found]
            self.keep(visit, *rows)

    def _hand(self, point: np.ndarray) -> np.ndarray:
        return point + self.rng.normal(0, 0.8, 2)

    def strength(self, visit: Visit, patient: PatientRow, lbf: Mapping[Side, tuple[float, ...]], setup: Setup) -> None:
        for side, trials in lbf.items():
            newtons = np.array(trials) * FORCE_UNITS["lbf"]
            typed = [f"{t:g} lbf" for t in trials]
            seen = observe_strength("hip-abd", side, newtons, setup, patient.body_mass_kg, typed)
            self.keep(visit, *(to_entry(o, visit, self.person) for o in seen))

    def plan(self, visit: Visit, rung: Rung, side: Side) -> None:
        checks = [["met", "placement trial of 3-5 clean repetitions each side, pain at most 2/10"]]
        item = PlanItem(
            ladder_id="stepdown", rung_id=rung.id, dose=asdict(rung.dose), first_side=side.value, checks=checks
        )
        self.keep(visit, item)


def build_clinic(folder: Path) -> None:
    """Build the demo record in `folder`. Raises EnvironmentFault when it cannot be written."""
    record = Record(folder)
    b = _Builder(record)
    rear_left = ("psis_left", "psis_right", "buttock_left", "knee_back_left", "heel_left", "toe_left")
    rear_right = ("buttock_right", "knee_back_right", "heel_right", "toe_right")
    front = tuple(f"{n}_{s}" for n in ("asis", "knee", "ankle", "second_toe") for s in ("left", "right"))

    visit = b.visit("glassblower", 0)
    b.keep(visit, SafetyScreen(level="AMBER", note="surgeon: no jumps"))
    b.picture(visit, "walk-rear", "rear", {45: rear_right, 17: rear_left})
    glassblower = b.patients["glassblower"]
    pounds = {Side.RIGHT: (40.7, 42.0, 41.5), Side.LEFT: (30.9, 32.6, 31.8)}
    b.strength(visit, glassblower, pounds, Setup(0.78, caution_reason="isometric and pain-free, no jump"))
    b.plan(visit, b.knowledge.ladders["stepdown"].rungs[0], Side.LEFT)

    visit = b.visit("potter", 6)
    b.keep(visit, SafetyScreen(level="NONE", note=""))
    b.picture(visit, "squat-front", "front", {42: front})
    b.strength(visit, b.patients["potter"], {Side.LEFT: (38.2, 39.5), Side.RIGHT: (36.0, 37.4)}, Setup(0.76))

    visit = b.visit("beekeeper", 13)
    b.keep(visit, SafetyScreen(level="AMBER", note="surgeon: knee bend at most 90°, no jumps"))
    visit = b.visit("ferry deckhand", 2)
    b.keep(visit, SafetyScreen(level="NONE", note=""))
    record.close()
