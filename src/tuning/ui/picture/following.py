"""Marks followed through the open clip: the tracks, what they say, and their corrections. Needs no window."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import numpy as np
from PyQt6.QtCore import QObject, pyqtSignal

from tuning.core.errors import BadInput, TuningError
from tuning.core.force.recording import Recording
from tuning.core.force.sway import NO_POINT
from tuning.core.force.together import GROUND, PLATES, Plates
from tuning.core.movement.tasks import TASKS, Options, Result, Task, measure, observations
from tuning.core.movement.tracks import Tracks
from tuning.core.types import Side
from tuning.records import Capture, Entry, ObservationEntry, TrackEntry
from tuning.records.packing import pack, unpack
from tuning.ui.jobs import Cancelled, Job
from tuning.ui.picture.board import MarkBoard
from tuning.ui.workspace import Workspace

CUTOFF = "cut-off"
"""Kind under which a chosen cut-off stands among the things changed by hand."""


def tasks_for(view: str) -> list[Task]:
    """The tasks that a kind of picture can be measured for."""
    kind = "side" if view.startswith("side") else view
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


class Following(QObject):
    """One open clip. Everything is kept in the record as it comes."""

    changed = pyqtSignal()
    job_started = pyqtSignal(object)

    def __init__(self, workspace: Workspace, board: MarkBoard) -> None:
        super().__init__()
        self._workspace, self._board = workspace, board
        self.tracks: Tracks | None = None
        self.result: Result | None = None
        self.task, self.side = "", Side.NONE
        self.moved: list[tuple[str, Side, float, float]] = []
        self._shown: tuple[int, int] | None = None
        self._recordings: dict[str, Recording] = {}
        workspace.content_changed.connect(self.reload)
        board.corrected.connect(self._correct)
        board.referenced.connect(self.measure_again)

    def open(self, capture: Capture | None) -> None:
        """Take up what the record holds of a clip."""
        self._shown = None
        self.task, self.side = "", Side.NONE
        if capture is not None:
            fitting = tasks_for(capture.view)
            self.task = fitting[0].id if fitting else ""
            facing = {"side-l": Side.LEFT, "side-r": Side.RIGHT}
            self.side = facing.get(capture.view, Side.NONE)
        self.reload()

    @property
    def usable(self) -> bool:
        """True for a clip of a kind that can be measured over time."""
        return bool(self.task) and len(self._board.times) > 2

    def reload(self) -> None:
        """Follow the record: undo and redo reach tracks, too."""
        capture = self._board.capture
        row = self._row()
        now = None if capture is None else (capture.id, row.id if row is not None else 0)
        if now == self._shown:
            return
        self._shown = now
        self.tracks = self.result = None
        self.moved = []
        if row is not None:
            self.tracks = unpack(row.places, row.names, self._board.times)
            self.task, self.side = row.task, Side(row.side)
            self.moved = [(kind, Side(side), old, new) for kind, side, old, new in row.moved]
            self.result = measure(self.tracks, self.task, self.options())
        self._board.show_tracks(self.tracks)
        self.changed.emit()

    def _row(self) -> TrackEntry | None:
        capture = self._board.capture
        if capture is None:
            return None
        rows = [row for row in self._workspace.entries(TrackEntry) if row.capture_id == capture.id]
        return rows[-1] if rows else None

    def options(self) -> Options:
        """What the case and the picture tell besides the tracks."""
        patient, context = self._workspace.patient, self._board.context()
        scale = context.scale
        per_px = scale.length_m / float(np.linalg.norm(scale.a - scale.b)) if scale is not None else None
        return Options(
            side=self.side,
            roll_deg=context.level.roll() if context.level is not None else 0.0,
            standing_tilt_deg=self._standing_tilt(),
            mass_kg=patient.body_mass_kg if patient is not None else None,
            metres_per_px=per_px,
            moved=tuple(m for m in self.moved if m[0] not in (CUTOFF, PLATES)),
            cutoff_hz=self.cutoff_hz,
            plates=self._plates(),
        )

    # plates that ran with the clip

    @property
    def ground(self) -> tuple[int, float] | None:
        """Capture id of the plates and where the heels stood, mm; None without plates."""
        chosen = [(int(m[2]), m[3]) for m in self.moved if m[0] == PLATES]
        return chosen[-1] if chosen else None

    def recordings(self) -> list[Capture]:
        """Recordings of the plates in this visit, newest first."""
        views = ("plates:", GROUND)
        return [c for c in self._workspace.entries(Capture) if c.view.startswith(views)][::-1]

    def _plates(self) -> Plates | None:
        if self.ground is None:
            return None
        capture_id, heel_mm = self.ground
        capture = next((c for c in self.recordings() if c.id == capture_id), None)
        if capture is None:
            return None
        try:
            return Plates(self._recording(capture), heel_mm)
        except TuningError as err:  # the file may have been lost from the media folder
            self._board.message.emit(f"The plates are not used: {err}")
            return None

    def _recording(self, capture: Capture) -> Recording:
        if capture.sha256 not in self._recordings:
            from tuning.exchange.plates import read_plates  # not needed before plates are chosen

            self._recordings[capture.sha256] = read_plates(self._workspace.record.media_path(capture.media))
        return self._recordings[capture.sha256]

    def add_recording(self, path: Path) -> Capture:
        """Keep a plate file for clips. Raises TuningError when it cannot be read or holds no point of pressure."""
        from tuning.exchange.plates import read_plates

        space = self._workspace
        found = read_plates(path)
        if found.support() is None:
            raise BadInput(f"{path.name}: {NO_POINT}.")
        media = space.record.media_row(space.record.media.keep(path), space.person)  # type: ignore[arg-type]
        self._recordings[media.sha256] = found
        capture = space.stamp(Capture(media=media, view=GROUND))
        space.do(f"plates: {path.name}", [capture])
        return capture

    def stand_on(self, capture_id: int | None, heel_mm: float = 0.0) -> None:
        """Work out the load share at these plates' point of pressure; None goes back to mid-foot."""
        self.moved = [m for m in self.moved if m[0] != PLATES]
        if capture_id is not None:
            self.moved.append((PLATES, Side.NONE, float(capture_id), heel_mm))
        self.measure_again()

    def _standing_tilt(self) -> float | None:
        """Pelvic tilt of a standing photograph of this visit."""
        seen = [
            o for o in self._workspace.observations() if o.measure_id == "psis-level-tilt" and o.measured is not None
        ]
        return seen[-1].measured if seen else None

    # following

    def start(self) -> str:
        """Follow the marks of this frame through the clip; a sentence when there is nothing to follow."""
        board = self._board
        names = board.landmarks()
        marks = {name: at for name, at in board.points().items() if name in names}
        if board.capture is None or not self.usable:
            return "Open a clip first."
        if not marks:
            return "Place the marks in this frame first; they are followed both ways from here."
        path, frame = self._workspace.record.media_path(board.capture.media), board.frame
        before, capture_id = self.tracks, board.capture.id

        def work(tick: Callable[[float], None]) -> Tracks:
            from tuning.video.follow import follow_clip

            found = follow_clip(path, frame, marks, tick=goes_on(tick))
            return before.merged(found) if before is not None else found

        self._run(Job("Following the marks", work), capture_id, "follow the marks")
        return ""

    def _correct(self, name: str, frame: int, at: np.ndarray) -> None:
        board, tracks = self._board, self.tracks
        if tracks is None or board.capture is None:
            return
        path = self._workspace.record.media_path(board.capture.media)

        def work(tick: Callable[[float], None]) -> Tracks:
            from tuning.video.follow import correct

            return correct(path, tracks, name, frame, at, goes_on(tick))

        self._run(Job("Following the corrected mark", work), board.capture.id, "correct a track")

    def _run(self, job: Job, capture_id: int, text: str) -> None:
        def keep(tracks: Tracks) -> None:
            capture = self._board.capture
            if capture is not None and capture.id == capture_id:
                self.keep(tracks, text)

        job.done.connect(keep)
        self.job_started.emit(job)

    def measure_again(self) -> None:
        """Level, length or capture rate changed: the same tracks say something else."""
        if self.tracks is not None:
            self.keep(self.tracks, "measure anew")

    # keeping

    def keep(self, tracks: Tracks, text: str = "follow the marks") -> None:
        """Write the tracks and everything they measure, in one action."""
        capture = self._board.capture
        assert capture is not None
        tracks = replace(tracks, times=self._board.times)  # a slow-motion clip runs in true time
        self.tracks = tracks
        result = measure(tracks, self.task, self.options())
        rows: list[Entry] = [
            self._workspace.stamp(
                TrackEntry(
                    capture_id=capture.id,
                    task=self.task,
                    side=self.side.value,
                    names=list(tracks.names),
                    moved=[[kind, side.value, old, new] for kind, side, old, new in self.moved],
                    places=pack(tracks),
                )
            )
        ]
        found = observations(result, self._workspace.knowledge.measures, {"capture": capture.id})
        rows += [self._workspace.observe(seen) for seen in found]
        before = self._row()
        old = [before.id] if before is not None else []
        old += [r.id for r in self._workspace.entries(ObservationEntry) if r.evidence.get("capture") == capture.id]
        self._workspace.do(text, rows, old)

    def choose(self, task: str, side: Side) -> None:
        """Measure for another task or leg."""
        if (task, side) == (self.task, self.side):
            return
        self.task, self.side = task, side
        self.moved = [m for m in self.moved if m[0] == PLATES]
        if self.tracks is not None:
            self.keep(self.tracks, "choose the task")
        else:
            self.changed.emit()

    def needs_leg(self) -> bool:
        """True when the task is done on one leg and the view does not say which."""
        capture = self._board.capture
        return bool(self.task) and TASKS[self.task].one_leg and capture is not None and "side" not in capture.view

    @property
    def cutoff_hz(self) -> float | None:
        """The cut-off that was chosen by hand; None for the usual one of the task."""
        chosen = [m[3] for m in self.moved if m[0] == CUTOFF]
        return chosen[-1] if chosen else None

    def smooth_at(self, hz: float | None) -> None:
        """Measure with another cut-off; it is kept with the tracks."""
        self.moved = [m for m in self.moved if m[0] != CUTOFF]
        if hz:
            self.moved.append((CUTOFF, Side.NONE, 0.0, hz))
        if self.tracks is not None:
            self.keep(self.tracks, "smoothing")

    def move_event(self, index: int, time: float) -> None:
        """An event dragged on the strip: everything is measured anew."""
        if self.result is None or self.tracks is None:
            return
        kind, side, found = self.result.found[index]
        self.moved = [m for m in self.moved if not (m[0] == kind and m[1] is side and abs(m[2] - found) < 0.01)]
        self.moved.append((kind, side, found, time))
        self.keep(self.tracks, f"move {kind}")

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
            spread = f"SD {s.sd:.{places}f} over {s.n}" if s.n > 1 else "once"
            rows.setdefault(s.measure, {})[s.side] = (
                f"{m.text(s.mean)}{unit}|±{s.predicted_error:.{places}f}, n {s.n}|{spread}"
            )
        return [(measure_id, rows[measure_id]) for measure_id in rows]

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
            name = f"{s.side.value.capitalize()}: " if s.side is not Side.NONE else ""
            spread = f", SD {s.sd:.{max(m.decimals, 1)}f}" if s.n > 1 else ""
            lines.append(
                f"{name}mean {m.text(s.mean)} {m.unit} over {s.n}{spread} ({told}). Marks and events alone: "
                f"±{s.predicted_error:.{max(m.decimals, 1)}f} {m.unit}, 95 %, from mark quality and pixel distance."
            )
        lines.append(f"Smoothed with a zero-lag Butterworth low-pass at {result.cutoff_hz:g} Hz.")
        lines.append("The ledger row adds set-up and day, and gives the verdict.")
        return "\n\n".join([*lines, *result.warnings])
