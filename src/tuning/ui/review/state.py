"""What Review shows: which visit is set against which, and the chosen row."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from PyQt6.QtCore import QObject, pyqtSignal

from tuning.core.case import Visit
from tuning.core.entries import Capture, Track, Treatment
from tuning.core.judging.ledger import ledger_at
from tuning.core.review.changes import Row, between_visits, not_retested, summary, within_visit
from tuning.core.review.timeline import (
    Point,
    RungStep,
    Series,
    TreatmentMark,
    gaps,
    rung_steps,
    series,
    ticks,
    told_series,
)
from tuning.core.target import Target, target_of
from tuning.core.types import LEGS, Observation
from tuning.ui.workspace import Workspace


@dataclass(frozen=True)
class CourseView:
    """Everything that stands on the time axis for one row."""

    values: tuple[Series, ...] = ()
    gap: tuple[Point, ...] = ()
    told: tuple[Series, ...] = ()
    rungs: tuple[RungStep, ...] = ()
    ticks: tuple[TreatmentMark, ...] = ()


class ReviewState(QObject):
    """Follows the case; chooses the visit before and a row."""

    changed = pyqtSignal()

    def __init__(self, space: Workspace) -> None:
        super().__init__()
        self.space = space
        self._before = ""
        self.chosen: Row | None = None
        space.case_changed.connect(self._forget)
        space.content_changed.connect(self.follow)

    def _forget(self) -> None:
        self._before, self.chosen = "", None

    def follow(self) -> None:
        """Rows may be others now; the chosen one stays."""
        rows = self.rows()
        key = self.chosen.key if self.chosen is not None else None
        self.chosen = next((row for row in rows if row.key == key), rows[0] if rows else None)
        self.changed.emit()

    # which visits

    @property
    def now(self) -> Visit | None:
        """The open visit."""
        return self.space.visit

    def earlier(self) -> list[Visit]:
        """Visits that may stand before, oldest first; the open one itself where something was done within it."""
        case = self.space.case
        if case is None:
            return []
        found = [v for v in case.visits[: case.number - 1] if any(e.visit == v.uid for e in case.all(Observation))]
        if any(t.visit == case.visit.uid for t in case.all(Treatment)) or self._within():
            found.append(case.visit)
        return found

    def _within(self) -> bool:
        case = self.space.case
        return case is not None and any(o.setup.treatment for o in case.today(Observation))

    @property
    def before(self) -> Visit | None:
        """The visit that stands before: as chosen, else the newest earlier one."""
        known = self.earlier()
        other = [v for v in known if v is not self.now]
        chosen = next((v for v in known if v.uid == self._before), None)
        return chosen or next(iter(reversed(other or known)), None)

    def choose_before(self, visit: Visit) -> None:
        """Another visit before."""
        self._before = visit.uid
        self.follow()

    def step_before(self, step: int) -> None:
        """The visit earlier or later than the chosen one."""
        known, now = self.earlier(), self.before
        if now is not None:
            self.choose_before(known[max(0, min(len(known) - 1, known.index(now) + step))])

    # what is shown

    @property
    def same_session(self) -> bool:
        """Whether both are one visit."""
        return self.before is not None and self.now is not None and self.before.uid == self.now.uid

    def rows(self) -> Sequence[Row]:
        """Every measure of either visit."""
        case, before, now = self.space.case, self.before, self.now
        if case is None or before is None or now is None:
            return []
        measures, rule = self.space.knowledge.measures, self.space.rule

        def work() -> list[Row]:
            """Rows of these two."""
            if before.uid == now.uid:
                return within_visit(case, now, measures, rule)
            return between_visits(case, before, now, measures, rule)

        return case.memoised(("review", before.uid, now.uid, rule), work, measures)

    def missing(self) -> list[Row]:
        """What is due and was not re-tested."""
        case, before = self.space.case, self.before
        if case is None or before is None or self.same_session:
            return []
        then = ledger_at(case, before, self.space.knowledge.measures, self.space.rule)
        return not_retested(self.rows(), then)

    def summary(self) -> str:
        """How many changed."""
        return summary(self.rows(), self.missing()) if self.before is not None else ""

    def choose(self, row: Row) -> None:
        """Look at a row."""
        self.chosen = row
        self.changed.emit()

    def timeline(self) -> CourseView:
        """The time axis of the chosen row."""
        case, row = self.space.case, self.chosen
        if case is None:
            return CourseView()
        measures, rule = self.space.knowledge.measures, self.space.rule
        values: tuple[Series, ...] = ()
        gap: tuple[Point, ...] = ()
        if row is not None:
            sides = LEGS if row.measure.paired else (row.side,)
            values = tuple(series(case, measures, (row.measure.id, side, row.region), rule) for side in sides)
            gap = gaps(case, measures, row.measure.id, row.region, rule)
        told = tuple(told_series(case, measures, rule))
        return CourseView(values, gap, told, tuple(rung_steps(case, self.space.knowledge.ladders)), tuple(ticks(case)))

    def tracked(self, seen: Observation | None) -> tuple[Capture, Track] | None:
        """The clip and its followed marks that a value was read from; None where it was not."""
        case = self.space.case
        if case is None or seen is None or not seen.capture:
            return None
        capture = case.entry(seen.capture)
        track = next((t for t in reversed(case.all(Track)) if t.capture == seen.capture), None)
        return (capture, track) if isinstance(capture, Capture) and track is not None else None

    def target(self, row: Row) -> Target:
        """Where the newer value is looked at, or measured where it is missing."""
        seen = row.now or row.before
        return target_of(row.measure.stage, seen) if row.now is not None and seen is not None else Target(
            row.measure.stage, row.measure.id, row.side
        )  # fmt: skip
