"""Writes made-up people into a record through the same doors as the window."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import asdict, replace
from datetime import UTC, date, datetime, timedelta
from pathlib import Path
from typing import Any, TypeVar

import numpy as np

from tuning.core.case import Patient, Person, Visit
from tuning.core.entries import (
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
from tuning.core.gate.limits import LimitFacts, limit_sets, limits_from_answers
from tuning.core.gate.triage import screen, screen_entry
from tuning.core.picture_views import PICTURE_KINDS
from tuning.core.pictures.marks import CLICK_SD_PX, Level, LevelReference, PictureContext, Scale
from tuning.core.pictures.marks import observe as observe_marks
from tuning.core.programme.ladders import Rung
from tuning.core.strength.trials import USUAL, StrengthTrials
from tuning.core.strength.trials import observe as observe_strength
from tuning.core.test_definitions import observed
from tuning.core.types import LEGS, Entry, FrameRef, Setup, Side, TraceRef
from tuning.core.units import FORCE_UNITS
from tuning.demo.clips import CLIPS, DemoClip
from tuning.demo.simulated_plates import SimulatedSession
from tuning.demo.stills import STILLS
from tuning.knowledge import load
from tuning.records import Record, new_uid
from tuning.records.store import now
from tuning.scratch import scratch_folder

Pair = tuple[tuple[float, float], tuple[float, float]]
Trials = list[float] | tuple[list[float], list[float]]
E = TypeVar("E", bound=Entry)


def _pair(ends: Sequence[np.ndarray]) -> Pair:
    (ax, ay), (bx, by) = ends
    return (float(ax), float(ay)), (float(bx), float(by))


class Builder:
    """A record being filled."""

    def __init__(self, record: Record, people: Sequence[dict[str, Any]]) -> None:
        self.record = record
        self.knowledge = load()
        self.person: Person = record.add_person("R. Falk", "licensed clinician")
        record.add_person("S. Adeyemi", "student")
        self.rng = np.random.default_rng(7)
        self.patients = {p["occupation"]: record.add_patient(self.person, **p) for p in people}

    def visit(self, occupation: str, days_ago: int) -> Visit:
        """A visit on a morning some days ago."""
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
        """A file, kept."""
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
        """A filled form."""
        self.keep(visit, Form(kind, data))

    def decide(self, visit: Visit, row_id: str, low: Side, outcome: str) -> None:
        """A row of the levels chain that somebody agreed to, with what a second look gave."""
        row = next(r for r in self.knowledge.chain.rows if r.id == row_id)
        grounds = {"row": row.id, "facts": [], "suspicion": row.suspicion, "relook": row.relook}
        decided = Decision("levels-chain", outcome, {**grounds, "then": row.outcomes[outcome]}, low)
        self.keep(visit, decided, Decision("levels-chain-past", "agrees"))

    def screen(self, visit: Visit, yes: tuple[str, ...] = (), said: str = "", facts: LimitFacts | None = None) -> None:
        """A safety screen with the questions that were answered yes, and what is known of a limit."""
        table, facts = self.knowledge.safety, facts or LimitFacts()
        answers = {q.id: q.id in yes for q in table.asked(dict.fromkeys(yes, True))}
        patient = next(p for p in self.patients.values() if p.uid == visit.patient)
        found = screen(table, answers, patient.age_on(visit.started_at.date()))
        limits = limit_sets(table.limits, limits_from_answers(answers), facts)
        note = "; ".join(part for part in (found.text, limits.text, said) if part)
        asked = screen_entry(found, answers, note, said, visit.started_at)
        self.keep(visit, replace(asked, numbers=facts.numbers, until=facts.until))

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
        from tuning.core.force.clip_sync import Plates
        from tuning.core.movement import tasks
        from tuning.exchange.plates import read_plates
        from tuning.records.track_codec import pack
        from tuning.video.track.api import follow_clip

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
            seen = observe_strength(StrengthTrials(test, side, newtons, typed, (), setup, pain, reason))
            if pain is not None:
                seen.append(observed(self.knowledge.measures["squeeze-pain"], side, [float(pain)], "typed"))
            self.keep(visit, *seen)

    def plates(self, visit: Visit, occupation: str, test: str, side: Side, reason: str = "") -> None:
        """One recording of a made-up person on the plates, kept as CSV, with what it says."""
        from tuning.core.force.analysis import analyse
        from tuning.core.force.force_observations import observations
        from tuning.demo.plate_profiles import body, scene
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
        from tuning.demo.plate_forces import pressed
        from tuning.demo.plate_profiles import body

        clip, patient = CLIPS[clip_name], self.patients[occupation]
        who = body(occupation, patient.body_mass_kg or 75.0)
        made = pressed(clip.body_at, clip.seconds, who, before=2.4, after=1.5)
        return self._pressed(visit, made, f"{clip_name} plates")

    def _pressed(
        self, visit: Visit, made: SimulatedSession, name: str, test: str = "", side: Side = Side.NONE
    ) -> Capture:
        """What the plates heard of a scene, as a CSV file in the record."""
        from tuning.demo.simulated_plates import Faults, heard, points_heard
        from tuning.exchange.csv.plates import write_csv
        from tuning.exchange.force_cleaning import finish

        force = dict(zip(LEGS, heard(made, Faults(), self.rng), strict=True))
        points = {Side(leg): at for leg, at in points_heard(made, Faults(), self.rng).items()}
        with scratch_folder("demo") as folder:
            path = folder / f"{name}.csv"
            write_csv(finish(made.rate, force, [], points), path)
            medium = self.medium(path)
        [capture] = self.keep(visit, Capture(medium, Purpose.PLATES, test=test, side=side))
        return capture

    def plan(self, visit: Visit, rung: Rung, side: Side) -> None:
        """A prescribed rung."""
        checks = (("met", "placement trial of 3-5 clean repetitions each side, pain at most 2/10"),)
        ladder = next(ladder for ladder in self.knowledge.ladders.values() if rung in ladder.rungs)
        self.keep(visit, PlanItem(ladder.id, rung.id, asdict(rung.dose), side, checks))
