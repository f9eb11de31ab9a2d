"""The demonstration clinic: a small practice in a harbour town, all made up."""

from __future__ import annotations

import tempfile
from collections.abc import Mapping, Sequence
from dataclasses import asdict, replace
from datetime import UTC, date, datetime, timedelta
from pathlib import Path
from typing import Any, TypeVar

import numpy as np

from tuning.core.case import Patient, Person, Visit
from tuning.core.entries import (
    Answer,
    Calibration,
    Capture,
    Decision,
    Form,
    Mark,
    Medium,
    PlanItem,
    PlatesUsed,
    Purpose,
    Track,
)
from tuning.core.gate.limits import limit_sets, limits_told
from tuning.core.gate.triage import entry_of, screen
from tuning.core.pictures.kinds import PICTURE_KINDS
from tuning.core.pictures.marks import CLICK_SD_PX, Level, LevelReference, PictureContext, Scale
from tuning.core.pictures.marks import observe as observe_marks
from tuning.core.programme.ladders import Rung
from tuning.core.strength.trials import USUAL, Effort
from tuning.core.strength.trials import observe as observe_strength
from tuning.core.types import LEGS, Entry, FrameRef, Setup, Side, TraceRef
from tuning.core.units import FORCE_UNITS
from tuning.core.visit.battery import observed
from tuning.demo.clips import CLIPS, DemoClip
from tuning.demo.stills import STILLS
from tuning.devices.plates import Scene
from tuning.knowledge import load
from tuning.records import Record, new_uid
from tuning.records.store import DEMO, now

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


GLASSBLOWER_BATTERY = (
    ("hip-add", 0.77, (35.1, 36.0, 34.4), (37.2, 36.5, 38.0)),
    ("hip-er", 0.38, (24.0, 23.1, 24.6), (28.4, 29.3, 28.0)),
    ("hip-ir", 0.38, (28.1, 27.0, 27.6), (28.8, 28.0, 29.1)),
)
"""Test, lever arm in m, trials left and right in lbf."""

Trials = list[float] | tuple[list[float], list[float]]

LEVELS_EVEN: Mapping[str, Trials] = {
    "achilles-heel-tilt-eye": ([1, 1], [1, 1]),
    "arch-profile-eye": ([0, 0], [0, 0]),
    "knee-crease-level-eye": [0, 0],
    "psis-level-eye": [0, 0],
    "pelvis-crest-level-eye": [0, 0],
    "acromion-level-eye": [-1, 0],
    "psis-sitting-eye": [0, 0],
}
LEVELS_LOW_LEFT: Mapping[str, Trials] = {
    **LEVELS_EVEN,
    "achilles-heel-tilt-eye": ([3, 2], [1, 1]),
    "arch-profile-eye": ([2, 3], [0, 1]),
    "knee-crease-level-eye": [2, 2],
    "psis-level-eye": [2, 1],
    "pelvis-crest-level-eye": [1, 1],
}
CONDUCTOR_BY_EYE: Mapping[str, Trials] = {
    "arch-profile-eye": ([2, 2], [0, 0]),
    "calf-bulk-eye": [0, 0],
    "psis-sitting-eye": [0, 0],
    "arms-forward-reach-eye": [0, 0],
}
MOBILITY: Mapping[str, Trials] = {
    "figure4-shin": ([29, 31, 30], [18, 17, 19]),
    "knee-to-wall": ([9.5, 10.0, 9.5], [10.0, 10.5, 10.0]),
    "tibial-rotation-in": ([14, 15, 15], [22, 24, 23]),
}


E = TypeVar("E", bound=Entry)
Pair = tuple[tuple[float, float], tuple[float, float]]


def _pair(ends: Sequence[np.ndarray]) -> Pair:
    (ax, ay), (bx, by) = ends
    return (float(ax), float(ay)), (float(bx), float(by))


class _Builder:
    def __init__(self, record: Record) -> None:
        self.record = record
        self.knowledge = load()
        self.person: Person = record.add_person("R. Falk", "licensed clinician")
        record.add_person("S. Adeyemi", "student")
        self.rng = np.random.default_rng(7)
        self.patients = {p["occupation"]: record.add_patient(self.person, **p) for p in PEOPLE}

    def visit(self, occupation: str, days_ago: int) -> Visit:
        morning = datetime.combine(date.today() - timedelta(days=days_ago), datetime.min.time()).replace(hour=9)
        return self.record.start_visit(self.patients[occupation], self.person, morning.astimezone(UTC))

    def keep(self, visit: Visit, *entries: E) -> list[E]:
        """Entries with uid, visit, time and person, once they are in the record."""
        at, who = min(now(), visit.started_at), self.person
        made = [
            replace(entry, uid=new_uid(), visit=visit.uid, at=at, person=who.uid, who=who.name) for entry in entries
        ]
        self.record.commit(self.record.case(visit.patient, visit.uid), made)
        return made

    def medium(self, path: Path) -> Medium:
        return self.record.medium(self.record.media.keep(path), self.person)

    def _levelled(self, visit: Visit, clip: DemoClip, view: str) -> tuple[Capture, LevelReference]:
        """A shipped clip in the record, levelled by its hanging line."""
        [capture] = self.keep(visit, Capture(self.medium(clip.path), view=view))
        plumb = [self._hand(point) for point in clip.plumb_line()]
        self.keep(visit, Calibration(capture.uid, Level.PLUMB.value, _pair(plumb), CLICK_SD_PX))
        return capture, LevelReference(Level.PLUMB, plumb[0], plumb[1])

    def _marks(self, capture: Capture, frame: int, marks: Mapping[str, np.ndarray]) -> list[Entry]:
        return [Mark(capture.uid, frame, name, (float(at[0]), float(at[1])), CLICK_SD_PX) for name, at in marks.items()]

    def picture(self, visit: Visit, clip_name: str, view: str, wanted: dict[int, tuple[str, ...]]) -> None:
        """Mark frames of a shipped clip with a hand that is about a pixel off."""
        clip = CLIPS[clip_name]
        capture, level = self._levelled(visit, clip, view)
        context = PictureContext(level)
        for frame, names in wanted.items():
            truth = clip.truth(frame)
            marks = {name: self._hand(truth[name]) for name in names}
            where = FrameRef(capture.uid, frame, frame / clip.fps)
            found = observe_marks(PICTURE_KINDS[view], marks, context, "clip", where)
            self.keep(visit, *self._marks(capture, frame, marks), *found)

    def still(self, visit: Visit, name: str, view: str) -> None:
        """Every mark of a shipped photograph, levelled by the hanging line and scaled by a metre on it."""
        still = STILLS[name]
        [capture] = self.keep(visit, Capture(self.medium(still.path), view=view))
        plumb = [self._hand(point) for point in still.plumb_line()]
        *ends, length = still.known_length()
        metre = [self._hand(point) for point in ends]
        self.keep(
            visit,
            Calibration(capture.uid, Level.PLUMB.value, _pair(plumb), CLICK_SD_PX),
            Calibration(capture.uid, "length", _pair(metre), CLICK_SD_PX, length),
        )
        context = PictureContext(LevelReference(Level.PLUMB, plumb[0], plumb[1]), Scale(metre[0], metre[1], length))
        marks = {mark: self._hand(at) for mark, at in still.truth().items()}
        found = observe_marks(PICTURE_KINDS[view], marks, context, "photo", FrameRef(capture.uid))
        self.keep(visit, *self._marks(capture, 0, marks), *found)

    def hands_on(self, visit: Visit, method: str, seen: Mapping[str, Trials]) -> None:
        """Looks or trials of measures: a list for a single value, a pair of lists for left and right."""
        found = []
        for measure_id, trials in seen.items():
            sides = zip(LEGS, trials, strict=True) if isinstance(trials, tuple) else [(Side.NONE, trials)]
            found += [observed(self.knowledge.measures[measure_id], side, values, method) for side, values in sides]
        self.keep(visit, *found)

    def form(self, visit: Visit, kind: str, data: dict[str, Any]) -> None:
        self.keep(visit, Form(kind, data))

    def decide(self, visit: Visit, row_id: str, low: Side, outcome: str) -> None:
        row = next(r for r in self.knowledge.chain.rows if r.id == row_id)
        grounds = {"row": row.id, "facts": [], "suspicion": row.suspicion, "relook": row.relook}
        decided = Decision("levels-chain", outcome, {**grounds, "then": row.outcomes[outcome]}, low)
        self.keep(visit, decided, Decision("levels-chain-past", "agrees"))

    def screen(self, visit: Visit, yes: tuple[str, ...] = (), said: str = "") -> None:
        table = self.knowledge.safety
        answers = {q.id: q.id in yes for q in table.asked(dict.fromkeys(yes, True))}
        patient = next(p for p in self.patients.values() if p.uid == visit.patient)
        found = screen(table, answers, patient.age_on(visit.started_at.date()))
        limits = limit_sets(table.limits, limits_told(answers))
        note = "; ".join(part for part in (found.text, limits.text, said) if part)
        self.keep(visit, entry_of(found, answers, note, said, visit.started_at))

    def follow(
        self,
        visit: Visit,
        clip_name: str,
        view: str,
        start: int,
        task: str,
        side: Side = Side.NONE,
        standing_on: Capture | None = None,
    ) -> None:
        """Marks of one frame, placed by a hand a pixel off, followed through a shipped clip and measured.

        With plates that ran with the clip the foot, whose length is known, gives the scale.
        """
        from tuning.core.force.together import Plates
        from tuning.core.movement import tasks
        from tuning.exchange.plates import read_plates
        from tuning.records.packing import pack
        from tuning.video.follow import follow_clip

        clip = CLIPS[clip_name]
        capture, level = self._levelled(visit, clip, view)
        marks = {name: self._hand(at) for name, at in clip.truth(start).items()}
        tracks = follow_clip(clip.path, start, marks)
        options = tasks.Options(side=side, roll_deg=level.roll())
        used = None
        if standing_on is not None:
            scale = self._foot_length(visit, capture, clip, start)
            plates = Plates(read_plates(self.record.media.lent(standing_on.medium)))
            options = replace(options, metres_per_px=scale, plates=plates)
            used = PlatesUsed(standing_on.uid)
        result = tasks.measure(tracks, task, options)
        row = Track(capture.uid, task, side, tracks.names, plates=used, places=pack(tracks))
        self.keep(visit, row, *tasks.observations(result, self.knowledge.measures, capture.uid))

    def _foot_length(self, visit: Visit, capture: Capture, clip: DemoClip, frame: int) -> float:
        """Mark the known length from heel to toe; metres a pixel."""
        body = clip.body_at(frame / clip.fps)
        side = clip.camera.view
        ends = [self._hand(clip.truth(frame)[name]) for name in ("heel", "toe")]
        metres = float(np.linalg.norm(body.points[f"toe_side_{side}"] - body.points[f"heel_side_{side}"]))
        self.keep(visit, Calibration(capture.uid, "length", _pair(ends), CLICK_SD_PX, metres))
        return metres / float(np.linalg.norm(ends[1] - ends[0]))

    def _hand(self, point: np.ndarray) -> np.ndarray:
        return point + self.rng.normal(0, 0.8, 2)

    def strength(
        self,
        visit: Visit,
        patient: Patient,
        test: str,
        lbf: Mapping[Side, tuple[float, ...]],
        lever_m: float | None = None,
        reason: str = "",
        pain: int | None = None,
    ) -> None:
        """Typed trials of one test, both sides or both legs together."""
        position = self.knowledge.tests[test].positions[0]
        setup = replace(USUAL, position=position, lever_m=lever_m, body_mass_kg=patient.body_mass_kg)
        for side, trials in lbf.items():
            newtons = np.array(trials) * FORCE_UNITS["lbf"]
            typed = tuple(f"{t:g} lbf" for t in trials)
            seen = observe_strength(Effort(test, side, newtons, typed, (), setup, pain, reason))
            if pain is not None:
                seen.append(observed(self.knowledge.measures["squeeze-pain"], side, [float(pain)], "typed"))
            self.keep(visit, *seen)

    def plates(self, visit: Visit, occupation: str, test: str, side: Side, reason: str = "") -> None:
        """One recording of a made-up person on the plates, kept as CSV, with what it says."""
        from tuning.core.force.analysis import analyse
        from tuning.core.force.sides import observations
        from tuning.demo.plate_people import body, scene
        from tuning.exchange.plates import read_plates

        mass = self.patients[occupation].body_mass_kg
        made = scene(body(occupation, mass or 75.0), test, side.value, self.rng)
        capture = self._pressed(visit, made, f"{test} {side.value}", test, side)
        recording = read_plates(self.record.media.lent(capture.medium))
        kept = TraceRef(recording=capture.medium.sha256, source=f"{test} {side.value}")
        setup = Setup(body_mass_kg=mass, device="simulated plates", simulated=True)
        self.keep(visit, *observations(analyse(recording, test, side, mass), kept, setup, reason))

    def plates_of_clip(self, visit: Visit, occupation: str, clip_name: str) -> Capture:
        """The plates that ran while a shipped clip was filmed."""
        from tuning.demo.plate_people import body
        from tuning.demo.pressed import pressed

        clip, patient = CLIPS[clip_name], self.patients[occupation]
        who = body(occupation, patient.body_mass_kg or 75.0)
        made = pressed(clip.body_at, clip.seconds, who, before=2.4, after=1.5)
        return self._pressed(visit, made, f"{clip_name} plates")

    def _pressed(self, visit: Visit, made: Scene, name: str, test: str = "", side: Side = Side.NONE) -> Capture:
        """What the plates heard of a scene, as a CSV file in the record."""
        from tuning.devices.plates import Faults, heard, points_heard
        from tuning.exchange.csv.plates import write_csv
        from tuning.exchange.repairs import finish

        force = dict(zip(LEGS, heard(made, Faults(), self.rng), strict=True))
        points = {Side(leg): at for leg, at in points_heard(made, Faults(), self.rng).items()}
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / f"{name}.csv"
            write_csv(finish(made.rate, force, [], points), path)
            medium = self.medium(path)
        [capture] = self.keep(visit, Capture(medium, Purpose.PLATES, test=test, side=side))
        return capture

    def plan(self, visit: Visit, rung: Rung, side: Side) -> None:
        checks = (("met", "placement trial of 3-5 clean repetitions each side, pain at most 2/10"),)
        ladder = next(ladder for ladder in self.knowledge.ladders.values() if rung in ladder.rungs)
        self.keep(visit, PlanItem(ladder.id, rung.id, asdict(rung.dose), side, checks))


NO_JUMPS = ("surgeon", "limit-left", "limit-fast")
NO_DEEP_BEND = ("surgeon", "limit-right", "limit-knee", "limit-fast")
QUIET = "isometric and pain-free, no jump"


def build_clinic(folder: Path) -> None:
    """Build the demo record in `folder`. Raises EnvironmentFault when it cannot be written."""
    record = Record(folder, DEMO)
    b = _Builder(record)
    visit = b.visit("glassblower", 42)
    b.screen(visit, NO_JUMPS, "until the check in spring")
    b.follow(visit, "walk-rear", "rear", 30, "rear-gait")
    _glassblower_today(b)
    _conductor(b)
    _potter(b)
    b.screen(b.visit("beekeeper", 13), NO_DEEP_BEND, "bend at most 90° until week 16")
    visit = b.visit("ferry deckhand", 2)
    b.screen(visit)
    for side in LEGS:
        b.follow(visit, f"step-{side}", "front", 0, "step-down", side)
    record.close()


def _glassblower_today(b: _Builder) -> None:
    visit = b.visit("glassblower", 0)
    b.screen(visit, NO_JUMPS, "until the check in spring")
    _glassblower_tells(b, visit)
    b.hands_on(visit, "by eye", LEVELS_LOW_LEFT)
    b.decide(visit, "arch-lowers", Side.LEFT, "levels out")
    b.hands_on(visit, "typed", {**MOBILITY, "knee-to-wall": ([7.0, 7.5, 7.5], [11.0, 11.5, 11.0])})
    b.follow(visit, "walk-later", "rear", 30, "rear-gait")
    glassblower = b.patients["glassblower"]
    pounds = {Side.RIGHT: (40.7, 42.0, 41.5), Side.LEFT: (30.9, 32.6, 31.8)}
    b.strength(visit, glassblower, "hip-abd", pounds, 0.78, QUIET)
    for test, lever, left, right in GLASSBLOWER_BATTERY:
        b.strength(visit, glassblower, test, {Side.LEFT: left, Side.RIGHT: right}, lever, QUIET)
    b.strength(visit, glassblower, "squeeze-5s", {Side.NONE: (47.5, 49.2, 48.8)}, reason=QUIET, pain=3)
    for test in ("quiet-stance", "squat-pause", "squat-iso"):
        b.plates(visit, "glassblower", test, Side.NONE, QUIET)
    for test in ("lunge-iso", "lunge-pause", "calf-raise"):
        for side in LEGS:
            b.plates(visit, "glassblower", test, side, QUIET)
    b.plan(visit, next(iter(b.knowledge.ladders.values())).rungs[0], Side.LEFT)


def _conductor(b: _Builder) -> None:
    visit = b.visit("choir conductor", 0)
    b.screen(visit)
    for name, view in (
        ("stand-front", "st-front"),
        ("stand-left", "st-side-l"),
        ("stand-right", "st-side-r"),
        ("stand-rear", "st-rear"),
    ):
        b.still(visit, name, view)
    b.hands_on(visit, "by eye", CONDUCTOR_BY_EYE)
    curves = (("upper-back", "usual"), ("low-back", "flat"))
    b.keep(visit, *(Answer("plumb-side", key, Side.NONE, words, looks=2) for key, words in curves))
    ground = b.plates_of_clip(visit, "choir conductor", "squat-side")
    b.follow(visit, "squat-side", "side-r", 0, "side-squat", Side.RIGHT, ground)
    for side in LEGS:
        b.plates(visit, "choir conductor", "stance-one-leg", side)
    b.plates(visit, "choir conductor", "quiet-stance", Side.NONE)


def _potter(b: _Builder) -> None:
    front = tuple(f"{n}_{s}" for n in ("asis", "knee", "ankle", "second_toe") for s in ("left", "right"))
    visit = b.visit("potter", 6)
    b.screen(visit)
    b.hands_on(visit, "by eye", LEVELS_EVEN)
    b.hands_on(visit, "typed", MOBILITY)
    b.picture(visit, "squat-front", "front", {42: front})
    b.strength(visit, b.patients["potter"], "hip-abd", {Side.LEFT: (38.2, 39.5), Side.RIGHT: (36.0, 37.4)}, 0.76)


def _glassblower_tells(b: _Builder, visit: Visit) -> None:
    place = {"view": "front", "x": 0.056, "y": 0.72, "region": "front of knee", "side": "left"}
    site = {**place, "now": 3.0, "worst": 5.0, "activity": "kneeling at the furnace", "onset": "spring, slowly"}
    goals = [{"activity": "gather glass for an hour", "score": 4.0}, {"activity": "stairs down", "score": 6.0}]
    told = {"sites": [site], "tires": "left leg", "gives": "no", "goals": goals}
    b.form(visit, "intake-complaint", told)
    measures = b.knowledge.measures
    told_values = [
        observed(measures["pain-now"], Side.LEFT, [3.0], "told", Setup(region="front of knee")),
        observed(measures["pain-worst"], Side.LEFT, [5.0], "told", Setup(region="front of knee")),
        observed(measures["intake-goals"], Side.NONE, [4.0, 6.0], "told"),
    ]
    b.keep(visit, *told_values)
    episodes = [
        {"year": float(year), "region": region, "side": "left", "treated": "rest", "back": "yes"}
        for year, region in ((2019, "ankle"), (2022, "knee"), (2024, "knee"))
    ]
    injury = {"joint": "knee", "side": "left", "date": "2020", "operation": "cartilage trimmed", "limits": "no jumps"}
    b.form(
        visit,
        "intake-history",
        {"standing": 7.0, "sitting": 2.0, "posture": "turned to the left", "episodes": episodes, "injuries": [injury]},
    )
    wear = {
        "left": {"heel outer": 1, "middle inner": 2, "front inner": 3},
        "right": {"heel outer": 1, "front inner": 1},
    }
    b.form(
        visit,
        "shoe-wear-map",
        {"wear": wear, "sore": [["left", "middle inner"]], "age": 9.0, "firm": False, "crushed": []},
    )
    sums: Mapping[str, Trials] = {"shoe-wear": ([6.0], [2.0]), "shoe-wear-zone": ([3.0], [1.0])}
    b.hands_on(visit, "by eye", sums)
