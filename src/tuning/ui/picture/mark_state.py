"""State of one picture being measured: frame, marks, references, selection.

Speaks through signals; drawn by canvas.py, read out by page.py; needs no window.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QObject, pyqtSignal

from tuning.core.entries import Calibration, Capture, Mark
from tuning.core.movement.tracks import STILL, TRUSTED, Tracks, carried
from tuning.core.picture_views import PICTURE_KINDS
from tuning.core.pictures.landmarks import landmark_name
from tuning.core.pictures.marks import (
    Level,
    LevelReference,
    MarkReading,
    PictureContext,
    PictureKind,
    Scale,
    observe,
    placing_sd,
    read_marks,
)
from tuning.core.types import Floats, FrameRef, Observation, Setup
from tuning.core.units import unit_suffix
from tuning.ui.change_set import ChangeSet
from tuning.ui.workspace import Workspace

LENGTH = "length"
REFERENCES = (Level.PLUMB.value, Level.FLOOR.value, LENGTH)
NUDGE_PX = 0.1


@dataclass(frozen=True)
class PictureReference:
    """A plumb line, floor edge or known length as two image points of the frame it was marked in."""

    what: str
    a: Floats
    b: Floats
    length_m: float | None
    sd_px: float
    frame: int = 0


class MarkState(QObject):
    """Everything that can be placed has a key: a landmark name, or `plumb line:a` and the like."""

    changed = pyqtSignal()
    message = pyqtSignal(str)
    corrected = pyqtSignal(str, int, object)
    """A followed mark was put elsewhere by hand: name, frame, place."""
    placed = pyqtSignal(str, object)
    """A hand put a mark somewhere in the frame on screen: name, place."""

    def __init__(self, workspace: Workspace) -> None:
        super().__init__()
        self._workspace = workspace
        self.capture: Capture | None = None
        self.picture_kind: PictureKind = next(iter(PICTURE_KINDS.values()))
        self.times: NDArray[np.float64] = np.zeros(1)
        self.frame = 0
        self.chosen, self._asked = "", False
        self.zoom = 1.0
        self.length_m = 0.0
        self._marks: dict[int, dict[str, Floats]] = {}
        self._sds: dict[tuple[int, str], float] = {}
        self._references: dict[str, PictureReference] = {}
        self._begun: tuple[Floats, int] | None = None
        self._held: tuple[str, Floats] | None = None
        self._tracks: Tracks | None = None
        self.proposed: dict[int, dict[str, Floats]] = {}
        """Markers by frame that the program found and nobody has taken yet."""
        self.measured_anew: Callable[[ChangeSet], None] = lambda _: None
        """What followed marks say once level or length has changed, in the same action."""
        workspace.content_changed.connect(self.reload)

    # what is open

    @property
    def workspace(self) -> Workspace:
        """Where the case is."""
        return self._workspace

    def open(self, capture: Capture | None, times: NDArray[np.float64]) -> None:
        """Show a capture from its first marked frame, or its first frame."""
        self.capture, self.times = capture, times
        if capture is not None:
            self.picture_kind = PICTURE_KINDS[capture.view]
        self._begun = self._held = self._tracks = None
        self.proposed = {}
        self.frame = 0
        self.reload()
        if self._marks:
            self.frame = min(max(self._marks), len(times) - 1)
        self._ask_next()

    def reload(self) -> None:
        """Read marks and references anew from the record."""
        self._marks, self._references, self._sds = {}, {}, {}
        if self.capture is None:
            return
        for mark in self._workspace.entries(Mark):
            if mark.capture != self.capture.uid:
                continue
            places = self._marks.setdefault(mark.frame, {})
            if mark.place is None:
                places.pop(mark.name, None)
            else:
                places[mark.name] = np.array(mark.place)
                self._sds[(mark.frame, mark.name)] = mark.sd_px
        self._marks = {frame: places for frame, places in self._marks.items() if places}
        for row in self._workspace.entries(Calibration):
            if row.capture == self.capture.uid and row.what in REFERENCES:
                self._take_reference(row)
        self.changed.emit()

    def _take_reference(self, row: Calibration) -> None:
        if row.ends is None:
            self._references.pop(row.what, None)
            return
        if row.what != LENGTH:  # one level reference at a time: the newest counts
            for other in (Level.PLUMB.value, Level.FLOOR.value):
                self._references.pop(other, None)
        ends = np.array(row.ends, dtype=np.float64)
        self._references[row.what] = PictureReference(
            row.what, ends[0], ends[1], row.length_m, row.sd_px, min(max(row.frame, 0), len(self.times) - 1)
        )

    def go(self, frame: int) -> None:
        """Show another frame."""
        frame = min(max(frame, 0), len(self.times) - 1)
        if frame != self.frame:
            self.frame = frame
            self._held = None
            self.changed.emit()

    @property
    def marked_frames(self) -> list[int]:
        """Frames that carry marks."""
        return sorted(self._marks)

    # what is there

    def show_tracks(self, tracks: Tracks | None) -> None:
        """Followed marks appear in every frame in which they are trusted."""
        self._tracks = tracks
        self.changed.emit()

    def _placed(self, frame: int) -> dict[str, Floats]:
        """Marks of a frame: followed ones, and over them those placed by hand."""
        found = {}
        if self._tracks is not None and frame < len(self._tracks.times):
            for k, name in enumerate(self._tracks.names):
                if self._tracks.quality[frame, k] >= TRUSTED:
                    found[name] = self._tracks.xy[frame, k]
        return {**found, **self._marks.get(frame, {})}

    def extent(self) -> tuple[Floats, Floats] | None:
        """Corners around the person's marks over the whole clip, image px; None with fewer than two places."""
        places = [at for marks in self._marks.values() for at in marks.values()]
        if self._tracks is not None:
            seen = self._tracks.xy[(self._tracks.quality >= TRUSTED) & np.isfinite(self._tracks.xy).all(axis=2)]
            places += list(np.percentile(seen, [1, 99], axis=0)) if len(seen) else []
        if len(places) < 2:
            return None
        return np.min(places, axis=0), np.max(places, axis=0)

    def points(self, frame: int | None = None) -> dict[str, Floats]:
        """Every placed point of this frame, or of another, by key, with a held one where the pointer is."""
        frame = self.frame if frame is None else frame
        found = self._placed(frame)
        for reference in self._references.values():
            ends = self._carried(np.array([reference.a, reference.b]), reference.frame, frame)
            found[f"{reference.what}:a"], found[f"{reference.what}:b"] = ends
        if self._begun is not None:
            found[f"{self.chosen}:a"] = self._carried(*self._begun, frame)
        if self._held is not None:
            found[self._held[0]] = self._held[1]
        return found

    def landmarks(self) -> tuple[str, ...]:
        """Names that this kind of picture uses, in marking order."""
        return self.picture_kind.landmarks

    def next_landmark(self) -> str:
        """First landmark that this frame lacks: those that a measure needs, then the others; empty when none does."""
        placed, needed = self._placed(self.frame), self.picture_kind.needed
        missing = [name for name in self.landmarks() if name not in placed]
        return next((name for name in missing if name in needed), next(iter(missing), ""))

    @property
    def optional(self) -> bool:
        """True while a mark is asked for that no single frame needs; one that somebody chose is meant."""
        return self._asked and self.chosen in self.landmarks() and self.chosen not in self.picture_kind.needed

    @property
    def waiting(self) -> bool:
        """True while something chosen is not yet placed in this frame."""
        if self.capture is None or not self.chosen:
            return False
        return self.chosen in REFERENCES or self.chosen not in self.points()

    def references(self) -> dict[str, PictureReference]:
        """References that are marked, by what they are."""
        return self._references

    def _carried(self, places: Floats, marked: int, frame: int) -> Floats:
        """Where places marked in one frame lie in another, by how the camera moved."""
        if self._tracks is None or self._tracks.camera is None:
            return places
        moves = self._tracks.moves
        return carried(places, moves[marked], moves[frame])

    def context(self) -> PictureContext:
        """Level, scale and placing errors of this frame for the core, a held point included."""
        return self._context(self.frame, self.points())

    def steadied(self, tracks: Tracks) -> PictureContext:
        """Level and scale as a camera that stood still would have seen them, which moved as it did in these tracks."""
        seen = [(f"{r.what}:{end}", carried(at, tracks.moves[r.frame], STILL)) for r in self._references.values()
                for end, at in (("a", r.a), ("b", r.b))]  # fmt: skip
        return self._context(self.frame, dict(seen))

    def _context(self, frame: int, points: dict[str, Floats], sds: dict[str, float] | None = None) -> PictureContext:
        level = scale = None
        for what, found in self._references.items():
            a, b = points[f"{what}:a"], points[f"{what}:b"]
            if what != LENGTH:
                level = LevelReference(Level(what), a, b, found.sd_px)
            elif found.length_m is not None:
                scale = Scale(a, b, found.length_m, found.sd_px)
        return PictureContext(level, scale, self._frame_sds(frame) if sds is None else sds)

    def unit_of(self, measure_id: str) -> str:
        """Unit of a measure, with the space that goes before it."""
        unit = self._workspace.knowledge.measures[measure_id].unit
        return unit_suffix(unit)

    def readings(self, frame: int | None = None) -> list[MarkReading]:
        """What the marks of this frame, or of another, say, a held mark included."""
        frame = self.frame if frame is None else frame
        points = self.points(frame)
        marks = {name: points[name] for name in self.landmarks() if name in points}
        return read_marks(self.picture_kind, marks, self._context(frame, points))

    # what the user does

    def choose(self, key: str) -> None:
        """Select a landmark, a point or a reference to place next."""
        self.chosen, self._asked = key, False
        self._begun = None
        self.changed.emit()

    def _ask_next(self) -> None:
        self.choose(self.next_landmark())
        self._asked = True
        self.changed.emit()

    def place(self, at: Floats) -> None:
        """A click: place what is chosen."""
        if self.capture is None or not self.chosen:
            return
        if self.chosen in REFERENCES:
            self._place_reference_end(at)
        else:
            self._commit_mark(self.chosen, at, placing_sd(1 / self.zoom))

    def hold(self, key: str, at: Floats) -> None:
        """A drag in progress: shown and measured, not kept."""
        self._held = (key, at)
        self.changed.emit()

    def release_files(self) -> None:
        """Escape: the drag is abandoned."""
        self._held = None
        self.changed.emit()

    def move(self, key: str, at: Floats, nudged: bool = False) -> None:
        """End of a drag or a nudge: one undo step."""
        self._held = None
        sd = placing_sd(0.0 if nudged else 1 / self.zoom)
        if ":" in key:
            self._move_reference_end(key, at, sd)
        else:
            self._commit_mark(key, at, sd)

    def propose(self, found: Mapping[int, Mapping[str, Floats]]) -> None:
        """Show markers that may be taken; those of other kinds of picture are left out."""
        wanted = set(self.landmarks())
        kept = {frame: {n: at for n, at in places.items() if n in wanted} for frame, places in found.items()}
        self.proposed = {frame: places for frame, places in kept.items() if places}
        self.changed.emit()

    def take_proposed(self) -> bool:
        """Place all that is proposed, one undo step; what a hand has placed since stays where it is."""
        capture, proposed = self.capture, self.proposed
        if capture is None or not proposed:
            return False
        sd = placing_sd(0.0)
        with self._workspace.trying():
            with self._workspace.action("take the proposed markers") as act:
                for frame, places in proposed.items():
                    held = self._marks.get(frame, {})
                    new = {name: at for name, at in places.items() if name not in held}
                    for name, (x, y) in new.items():
                        act.add(Mark(capture.uid, frame, name, (float(x), float(y)), sd))
                    marks = {**held, **new}
                    sds = {**self._frame_sds(frame), **dict.fromkeys(new, sd)}
                    self._observe(act, frame, marks, self._context(frame, self.points(frame), sds))
            self.proposed = {}
            self._ask_next()
        return not self.proposed

    def nudge(self, dx: float, dy: float) -> None:
        """Shift the chosen point by tenths of a pixel."""
        points = self.points()
        if self.chosen in points:
            self.move(self.chosen, points[self.chosen] + NUDGE_PX * np.array([dx, dy]), nudged=True)

    def remove(self) -> None:
        """Delete the chosen point (a reference goes as a whole)."""
        key = self.chosen
        what = key.split(":")[0]
        if what in self._references:
            self._commit_reference(None, what)
        elif key in self._marks.get(self.frame, {}):
            self._commit_mark(key, None, 0.0)

    # committing

    def _commit_mark(self, name: str, at: Floats | None, sd: float) -> None:
        assert self.capture is not None
        place = None if at is None else (float(at[0]), float(at[1]))
        mark = Mark(self.capture.uid, self.frame, name, place, sd)
        marks = dict(self._marks.get(self.frame, {}))
        new = name not in marks
        if at is None:
            marks.pop(name, None)
        else:
            marks[name] = at
        verb = "remove" if at is None else "place" if new else "move"
        frame, follows = self.frame, self._tracks is not None and at is not None
        with self._workspace.trying():
            with self._workspace.action(f"{verb} {landmark_name(name)}") as act:
                act.add(mark)
                if not follows:  # while marks are followed, what the clip says comes from all its frames
                    sds = {**self._frame_sds(frame), name: sd}
                    self._observe(act, frame, marks, self._context(frame, self.points(), sds))
            if at is not None:
                self.placed.emit(name, at)
            if follows:
                self.corrected.emit(name, frame, at)
            else:
                self._ask_next() if new and at is not None else self.choose(name)

    def _frame_sds(self, frame: int) -> dict[str, float]:
        return {name: sd for (at, name), sd in self._sds.items() if at == frame}

    def _place_reference_end(self, at: Floats) -> None:
        if self._begun is None:
            if self.chosen == LENGTH and self.length_m <= 0:
                self.message.emit("Type the true length first, for example 40 cm, then mark its two ends.")
                return
            self._begun = at, self.frame
            self.changed.emit()
            return
        first, what = self._carried(*self._begun, self.frame), self.chosen
        if np.linalg.norm(at - first) < 20:
            self.message.emit("The two ends lie too close together; mark them further apart.")
            return
        self._begun = None
        length = self.length_m if what == LENGTH else None
        if self._commit_reference(
            PictureReference(what, first, at, length, placing_sd(1 / self.zoom), self.frame), what
        ):
            self._ask_next()

    def _move_reference_end(self, key: str, at: Floats, sd: float) -> None:
        what, end = key.split(":")
        old, points = self._references[what], self.points()
        a, b = (at, points[f"{what}:b"]) if end == "a" else (points[f"{what}:a"], at)
        self._commit_reference(PictureReference(what, a, b, old.length_m, sd, self.frame), what)

    def _commit_reference(self, reference: PictureReference | None, what: str) -> bool:
        assert self.capture is not None
        ends = None
        if reference is not None:
            a, b = reference.a, reference.b
            ends = ((float(a[0]), float(a[1])), (float(b[0]), float(b[1])))
        length, sd, frame = (reference.length_m, reference.sd_px, reference.frame) if reference else (None, 0.0, 0)
        kept, done = self._references, False
        self._references = self._with(reference, what)
        verb = "mark" if reference is not None else "remove"
        with self._workspace.trying():
            with self._workspace.action(f"{verb} {what}") as act:
                act.add(Calibration(self.capture.uid, what, ends, sd, length, frame))
                # Every marked frame of the clip is read anew under the new reference.
                for frame, marks in self._marks.items() if self._tracks is None else ():
                    self._observe(act, frame, marks, self._context(frame, self.points(frame)))
                if self._tracks is not None:
                    self.measured_anew(act)
            done = True
        if not done:
            self._references = kept
            self.changed.emit()
        return done

    def _with(self, reference: PictureReference | None, what: str) -> dict[str, PictureReference]:
        """The references once one is put or taken away; one level reference at a time."""
        levels = (Level.PLUMB.value, Level.FLOOR.value)
        gone = {what, *(levels if reference is not None and what in levels else ())}
        found = {key: value for key, value in self._references.items() if key not in gone}
        return found if reference is None else {**found, what: reference}

    def _observe(self, act: ChangeSet, frame: int, marks: dict[str, Floats], context: PictureContext) -> None:
        """What the marks of a frame say, in the place of what they said before."""
        assert self.capture is not None
        where = FrameRef(self.capture.uid, frame, float(self.times[frame]))
        method = "clip" if len(self.times) > 1 else "photo"
        before = {(o.measure_id, o.side): o for o in self._observed_in(frame)}
        setup = Setup(simulated=self.capture.simulated)
        for seen in observe(self.picture_kind, marks, context, method, where, setup):
            act.replace(seen, before.pop((seen.measure_id, seen.side), None))
        act.strike(*before.values())

    def _observed_in(self, frame: int) -> list[Observation]:
        assert self.capture is not None
        uid = self.capture.uid
        return [o for o in self._workspace.entries(Observation) if o.capture == uid and o.frame == frame]
