"""Marks followed through the open clip: the tracks, what they say, and their corrections. Needs no window."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import replace
from typing import Any

import numpy as np
from PyQt6.QtCore import QObject, pyqtSignal

from tuning.core.entries import Capture, ClipFacts, MovedEvent, PlatesUsed, Track
from tuning.core.errors import TuningError
from tuning.core.movement.tasks import TASKS, Options, Result, Task, measure, observations
from tuning.core.movement.tracks import Tracks
from tuning.core.types import PLAIN, Floats, Observation, Setup, Side
from tuning.core.units import sentence_case
from tuning.records.track_codec import pack, unpack
from tuning.ui.change_set import ChangeSet
from tuning.ui.jobs import Cancelled, Job
from tuning.ui.picture.mark_state import MarkState
from tuning.ui.picture.plate_recordings import Recordings
from tuning.ui.workspace import Workspace

KEPT_WITH = ("task", "side", "moved", "cutoff_hz", "ground")
"""What is kept with the tracks and changes what they say."""
NEAR_S = 0.25
"""An event put by key moves one of its kind that lies nearer than this (practice judgement, editable)."""
NOTHING_YET = ("", "", PLAIN)
"""What is shown while it is not read yet, which no clip and no closed page is."""
FACING = {"side-l": Side.LEFT, "side-r": Side.RIGHT}
"""Kinds of picture that show one side of a person."""


def tasks_for(view: str) -> list[Task]:
    """The tasks that a kind of picture can be measured for."""
    kind = "side" if view in FACING else view
    return [task for task in TASKS.values() if task.picture_kind == kind]


def goes_on(tick: Callable[[float], None]) -> Callable[[float], bool]:
    """A job's tick for the tracker: cancelling ends the work and keeps what is there."""

    def told(share: float) -> bool:
        try:
            tick(share)
        except Cancelled:
            return False
        return True

    return told


class TrackingState(QObject):
    """One open clip. Everything is saved in the record as it comes."""

    changed = pyqtSignal()
    job_started = pyqtSignal(object)

    def __init__(self, workspace: Workspace, board: MarkState) -> None:
        super().__init__()
        self._workspace, self._board = workspace, board
        self.tracks: Tracks | None = None
        self.result: Result | None = None
        self.task, self.side = "", Side.NONE
        self.moved: tuple[MovedEvent, ...] = ()
        self.cutoff_hz: float | None = None
        """The cut-off that was chosen by hand; None for the usual one of the task."""
        self.ground: PlatesUsed | None = None
        """The plates that ran with the clip, and where the heels stood."""
        self._waiting: list[tuple[str, int, np.ndarray]] = []
        """Corrections that wait until the one before them is done."""
        self._correcting = False
        self._shown: tuple[str, str, Setup] | None = None
        self.recordings = Recordings(workspace, board.message.emit)
        workspace.content_changed.connect(self.reload)
        board.corrected.connect(self._correct)
        board.measured_anew = self._measure_with

    def open(self, capture: Capture | None) -> None:
        """Take up what the record holds of a clip."""
        self._shown = NOTHING_YET
        self.task, self.side = "", Side.NONE
        self._waiting, self._correcting = [], False
        if capture is not None:
            fitting = tasks_for(capture.view)
            self.task = fitting[0].id if fitting else ""
            self.side = FACING.get(capture.view, Side.NONE)
        self.reload()

    @property
    def capture(self) -> Capture | None:
        """The open clip."""
        return self._board.capture

    @property
    def usable(self) -> bool:
        """True for a clip of a kind that can be measured over time."""
        return bool(self.task) and len(self._board.times) > 2

    def reload(self) -> None:
        """Follow the record: undo and redo reach tracks, too."""
        capture = self._board.capture
        row = self._row()
        now = None if capture is None else (capture.uid, row.uid if row is not None else "", self.facts().setup)
        if now == self._shown:
            return
        self._shown = now
        self.tracks = self.result = None
        self.moved, self.cutoff_hz, self.ground = (), None, None
        if row is not None:
            self.tracks = unpack(self._workspace.record.places(row), row.names, self._board.times)
            self.task, self.side = row.task, row.side
            self.moved, self.cutoff_hz, self.ground = row.moved, row.cutoff_hz, row.plates
            self.result = measure(self.tracks, self.task, self.options(self.tracks))
        self._board.show_tracks(self.tracks)
        self.changed.emit()

    def _row(self) -> Track | None:
        capture = self._board.capture
        if capture is None:
            return None
        rows = [row for row in self._workspace.entries(Track) if row.capture == capture.uid]
        return rows[-1] if rows else None

    # what somebody says of the clip

    def facts(self) -> ClipFacts:
        """What stands of the open clip."""
        uid = self.capture.uid if self.capture is not None else ""
        said = [f for f in self._workspace.entries(ClipFacts) if f.capture == uid]
        rates = [f.frames_per_second for f in said if f.frames_per_second is not None]
        setups = [f.setup for f in said if f.setup != PLAIN]
        return ClipFacts(uid, rates[-1] if rates else None, setups[-1] if setups else PLAIN)

    def say(self, facts: ClipFacts, text: str) -> bool:
        """Say something else of the clip; what is measured in it follows, in one action. True once it is kept."""
        done = False
        with self._workspace.trying():
            with self._workspace.action(text) as act:
                act.replace(facts, *(f for f in self._workspace.entries(ClipFacts) if f.capture == facts.capture))
                if self.tracks is not None and facts.setup != self.facts().setup:
                    self._put_measured(act, self.tracks, facts.setup)
            done = True
        return done

    def _measured(self) -> list[Observation]:
        uid = self.capture.uid if self.capture is not None else ""
        return [o for o in self._workspace.entries(Observation) if uid and o.capture == uid]

    def options(self, tracks: Tracks, setup: Setup | None = None) -> Options:
        """What the case, the picture and the set-up, the one on record if none is given, tell besides the tracks."""
        setup = setup or self.facts().setup
        patient, context = self._workspace.patient, self._board.steadied(tracks)
        scale = context.scale
        per_px = scale.length_m / float(np.linalg.norm(scale.a - scale.b)) if scale is not None else None
        return Options(
            side=self.side,
            roll_deg=context.level.roll() if context.level is not None else 0.0,
            standing_tilt_deg=self._standing_tilt(),
            mass_kg=patient.body_mass_kg if patient is not None else None,
            load_kg=setup.load_kg or 0.0,
            turn_out_deg=setup.turn_out_deg,
            metres_per_px=per_px,
            moved=tuple((m.kind, m.side, m.found_s, m.put_s) for m in self.moved),
            cutoff_hz=self.cutoff_hz,
            plates=self.recordings.under(self.ground),
        )

    # plates that ran with the clip

    def stand_on(self, capture: str, heel_mm: float = 0.0) -> None:
        """Work out the load share at these plates' centre of pressure; an empty uid goes back to mid-foot."""
        self._keep_with("plates under the clip", ground=PlatesUsed(capture, heel_mm) if capture else None)

    def _standing_tilt(self) -> float | None:
        """Pelvic tilt of a standing photograph of this visit."""
        seen = [
            o for o in self._workspace.observations() if o.measure_id == "psis-level-tilt" and o.measured is not None
        ]
        return seen[-1].measured if seen else None

    # following

    def start(self, more: Mapping[int, Mapping[str, Floats]] | None = None) -> str:
        """Follow the marks of this frame through the clip, and `more` that are hidden in it, by their own frames; a
        sentence when there is nothing to follow."""
        board = self._board
        names = board.landmarks()
        marks = {name: at for name, at in board.points().items() if name in names}
        if board.capture is None or not self.usable:
            return "Open a clip first."
        if not marks:
            return "Place the marks in this frame first; they are followed both ways from here."
        path, frame = self._workspace.record.media.lent(board.capture.medium), board.frame
        before, sds = self.tracks, board.context().sd_px

        def work(tick: Callable[[float], None]) -> Tracks:
            from tuning.video.track.api import follow_clip, follow_more

            found = follow_clip(path, frame, marks, tick=goes_on(tick))
            for other, hidden in (more or {}).items():
                found = follow_more(path, found, other, hidden, goes_on(tick))
            found.click_sd = {name: sds.get(name, sd) for name, sd in found.click_sd.items()}
            return before.merged(found) if before is not None else found

        self._run(Job("Tracking the markers", work, self._workspace.case), board.capture, "track the markers")
        return ""

    def _correct(self, name: str, frame: int, at: np.ndarray) -> None:
        """Corrections are worked off one after another, each on the tracks that the one before has left."""
        self._waiting.append((name, frame, at))
        if not self._correcting:
            self._next_correction()

    def _next_correction(self) -> None:
        board, tracks = self._board, self.tracks
        self._correcting = bool(self._waiting) and tracks is not None and board.capture is not None
        if not self._correcting:
            self._waiting = []
            return
        assert tracks is not None and board.capture is not None
        name, frame, at = self._waiting.pop(0)
        path = self._workspace.record.media.lent(board.capture.medium)

        def work(tick: Callable[[float], None]) -> Tracks:
            from tuning.video.track.api import correct

            return correct(path, tracks, name, frame, at, goes_on(tick))

        job = Job("Tracking the corrected marker", work, self._workspace.case)
        job.ended.connect(self._next_correction)
        self._run(job, board.capture, "correct a track")

    def _run(self, job: Job, capture: Capture, text: str) -> None:
        def keep(tracks: Tracks) -> None:
            now = self._board.capture
            if now is not None and now.uid == capture.uid:
                with self._workspace.trying():
                    self.keep(tracks, text)
                if tracks.problems:
                    self._workspace.message.emit(tracks.problems)
            else:
                name = capture.medium.name
                self._workspace.message.emit(f"{name} was closed: {text} was not saved. Open it and start again.")

        job.done.connect(keep)
        self.job_started.emit(job)

    def measure_again(self) -> None:
        """The capture rate changed: the same tracks say something else."""
        if self.tracks is not None:
            with self._workspace.trying():
                self.keep(self.tracks, "Re-measure")

    # keeping

    def keep(self, tracks: Tracks, text: str = "track the markers") -> None:
        """Write the tracks and everything they measure, in one action. Raises TuningError; what stood, stands then."""
        with self._workspace.action(text) as act:
            self._put(act, tracks)

    def _measure_with(self, act: ChangeSet) -> None:
        if self.tracks is not None:
            self._put(act, self.tracks)

    def _put(self, act: ChangeSet, tracks: Tracks) -> None:
        """The tracks and what they measure, in the place of those that stood."""
        capture = self._board.capture
        assert capture is not None
        tracks = replace(tracks, times=self._board.times)  # a slow-motion clip runs in true time
        row = Track(
            capture.uid,
            self.task,
            self.side,
            tracks.names,
            self.moved,
            self.cutoff_hz,
            self.ground,
            pack(tracks),
        )
        act.replace(row, self._row())
        self._put_measured(act, tracks, self.facts().setup)

    def _put_measured(self, act: ChangeSet, tracks: Tracks, setup: Setup) -> None:
        """What the tracks say under a set-up, in the place of what they said before."""
        assert self.capture is not None
        setup = replace(setup, simulated=self.capture.simulated)
        result = measure(tracks, self.task, self.options(tracks, setup))
        before = {(o.measure_id, o.side): o for o in self._measured()}
        for seen in observations(result, self._workspace.knowledge.measures, self.capture.uid, setup):
            act.replace(seen, before.pop((seen.measure_id, seen.side), None))
        act.strike(*before.values())

    def _keep_with(self, text: str, **changed: Any) -> None:
        """Measure with something else; where it cannot be kept, what stood goes on."""
        kept = {name: getattr(self, name) for name in KEPT_WITH}
        for name, value in changed.items():
            setattr(self, name, value)
        if self.tracks is None or self.capture is None:
            self.changed.emit()
            return
        try:
            self.keep(self.tracks, text)
        except TuningError as err:
            for name, value in kept.items():
                setattr(self, name, value)
            self._workspace.refused.emit(str(err))
            self.changed.emit()

    def choose(self, task: str, side: Side) -> None:
        """Measure for another task or leg."""
        if (task, side) != (self.task, self.side):
            self._keep_with("choose the task", task=task, side=side, moved=())

    def needs_leg(self) -> bool:
        """True when the task is done on one leg and the view does not say which."""
        capture = self._board.capture
        return bool(self.task) and TASKS[self.task].one_leg and capture is not None and "side" not in capture.view

    def smooth_at(self, hz: float | None) -> None:
        """Measure with another cut-off; it is kept with the tracks."""
        self._keep_with("smoothing", cutoff_hz=hz or None)

    def move_event(self, index: int, time: float) -> None:
        """An event dragged on the strip: everything is measured anew."""
        if self.result is None or self.tracks is None:
            return
        kind, side, found = self.result.found[index]
        own = [m for m in self.moved if m.kind == kind and m.side is side]
        put = [m for m in own if m.found_s is None and m.put_s == found]
        before = put or [m for m in own if m.found_s is not None and abs(m.found_s - found) < 0.01]
        rest = tuple(m for m in self.moved if m not in before)
        self._keep_with(f"move {kind}", moved=(*rest, MovedEvent(kind, side, None if put else found, time)))

    def put_event(self, kind: str, side: Side, frame: int) -> str:
        """An event by key in a frame: the nearest of its kind comes here, or a new one is put. What hinders that, or
        what it still lacks, in words."""
        if self.result is None or self.tracks is None:
            return "Track the markers first; events are put into what was tracked."
        if kind not in TASKS[self.task].events:
            return f"“{TASKS[self.task].name}” has no {kind} to put."
        time = float(self.tracks.times[frame])
        near = [
            (abs(at - time), n)
            for n, (k, s, at) in enumerate(self.result.events)
            if k == kind and s is side and abs(at - time) < NEAR_S
        ]
        if near:
            self.move_event(min(near)[1], time)
        else:
            self._keep_with(f"put {kind}", moved=(*self.moved, MovedEvent(kind, side, None, time)))
        waiting = self.result.waiting if self.result is not None else []
        return next((words for k, s, at, words in waiting if (k, s, at) == (kind, side, time)), "")

    def summary_lines(self) -> list[tuple[str, dict[Side, str]]]:
        """Measure and, by side, mean ± error with spread and count, for the panel."""
        if self.result is None:
            return []
        rows: dict[str, dict[Side, str]] = {}
        measures = self._workspace.knowledge.measures
        for s in self.result.summaries():
            if s.measure not in measures or s.measure == "gait-pelvic-tilt":
                continue
            m = measures[s.measure]
            unit = m.unit if m.unit in ("°", "%") else f" {m.unit}"
            places = max(m.decimals, 1)
            count = f"{s.n} of {s.of}" if s.of > s.n else f"{s.n}"
            spread = f"SD {s.sd:.{places}f} over {count}" if s.n > 1 else "once"
            rows.setdefault(s.measure, {})[s.side] = (
                f"{m.text(s.mean)}{unit}|±{s.predicted_error:.{places}f}, n {count}|{spread}"
            )
        return [(measure_id, rows[measure_id]) for measure_id in rows]

    def missing_texts(self) -> list[str]:
        """Which steps or repetitions gave no value, and why."""
        measures = self._workspace.knowledge.measures
        return self.result.missing_texts({key: m.name for key, m in measures.items()}) if self.result else []

    def explanation(self, measure_id: str) -> str:
        """How the values of a measure over the clip were worked out, in words."""
        result = self.result
        if result is None:
            return ""
        m = self._workspace.knowledge.measures[measure_id]
        lines = [m.definition, f"Sign: {m.sign}."]
        for s in (s for s in result.summaries() if s.measure == measure_id):
            each = [v for v in result.values if v.measure == measure_id and v.side is s.side]
            told = ", ".join(f"{m.text(v.value)} at {v.time_s:.2f} s" for v in each)
            name = f"{sentence_case(s.side.value)}: " if s.side is not Side.NONE else ""
            spread = f", SD {s.sd:.{max(m.decimals, 1)}f}" if s.n > 1 else ""
            lines.append(
                f"{name}mean {m.text(s.mean)} {m.unit} over {s.n}{spread} ({told}). Marks and events alone: "
                f"±{s.predicted_error:.{max(m.decimals, 1)}f} {m.unit}, 95 %, from mark quality and pixel distance."
            )
        lines.append(f"Smoothed with a zero-lag Butterworth low-pass at {result.cutoff_hz:g} Hz.")
        lines.append("The ledger row adds set-up and day, and gives the verdict.")
        return "\n\n".join([*lines, *result.notes, *result.warnings, *self.missing_texts()])
