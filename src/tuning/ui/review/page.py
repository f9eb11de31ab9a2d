"""The Review workbench: what changed since an earlier visit, the course behind it, and both frames."""

from __future__ import annotations

from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QVBoxLayout, QWidget

from tuning.core.errors import TuningError
from tuning.core.picture_views import PICTURE_KINDS
from tuning.core.review.changes import Row
from tuning.core.units import sentence_case
from tuning.core.visit.notes import treatment_text, treatments_between
from tuning.ui import theme
from tuning.ui.empty_page import EmptyPage
from tuning.ui.formatting import day
from tuning.ui.picture.frame_pair import FrameReader, PairView
from tuning.ui.review.change_list import ChangeList, values
from tuning.ui.review.state import ReviewState
from tuning.ui.review.timeline_chart import CourseChart
from tuning.ui.stage import StagePage
from tuning.ui.widgets import ElidedLabel, holding, label
from tuning.ui.workspace import Workspace

EMPTY = "One visit so far. Review sets a later visit against it: measure the same things again and come back."
LIST_WIDTH = 460


class ReviewPage(StagePage):
    """Arrows choose a row, Enter opens its evidence, brackets choose the visit before."""

    def __init__(self, workspace: Workspace) -> None:
        super().__init__()
        self._space, self.state = workspace, ReviewState(workspace)
        self._frames, self._shown = FrameReader(workspace), ("", "")
        self.before, self.now = QComboBox(), label("", theme.BODY)
        self.before.setAccessibleName("Visit before")
        self.before.setMinimumWidth(190)
        self.before.activated.connect(self._choose_before)
        self.summary, self.between = label("", theme.BODY, wrap=True), label("", role="muted", wrap=True)
        self.list, self.chart, self.pair = ChangeList(), CourseChart(), PairView()
        self.list.setFixedWidth(LIST_WIDTH)
        self.pair.setMinimumSize(420, 180)
        self.pair.setMaximumHeight(224)
        self.title, self.sentence = ElidedLabel(theme.LARGE, bold=True), label("", theme.BODY, wrap=True)
        self.gap = label("", theme.BODY, role="muted", wrap=True)
        self.empty = EmptyPage(EMPTY, ("Plan the visit…", self.plan_wanted.emit))
        self._build()
        self.list.chosen.connect(self.state.choose)
        self.list.opened.connect(self.open_row)
        self.state.changed.connect(self.refresh)

    def _build(self) -> None:
        self._head = QWidget()
        head = QHBoxLayout(self._head)
        head.setContentsMargins(0, 0, 0, 0)
        head.setSpacing(12)
        head.addWidget(label("Before", theme.BODY, bold=True))
        head.addWidget(self.before)
        head.addWidget(label("Now", theme.BODY, bold=True))
        head.addWidget(self.now)
        head.addStretch(1)
        right = QVBoxLayout()
        right.setSpacing(4)
        for part in (self.title, self.sentence, self.gap):
            right.addWidget(part)
        right.addWidget(self.chart, 1)
        right.addWidget(self.pair)
        body = QHBoxLayout()
        body.setSpacing(24)
        body.addWidget(self.list)
        body.addLayout(right, 1)
        column = QVBoxLayout(self)
        column.setContentsMargins(20, 8, 20, 12)
        column.setSpacing(8)
        column.addWidget(self._head)
        column.addWidget(self.summary)
        column.addWidget(self.between)
        self._body = holding(body)
        column.addWidget(self._body, 1)
        column.addWidget(self.empty, 1)

    def enter(self) -> None:
        """The stage is shown."""
        self.state.follow()
        self.list.setFocus()

    def leave(self) -> None:
        """Clips are let go."""
        self._frames.close()
        self._shown = ("", "")

    def release_files(self) -> None:
        """The case is closed."""
        self.leave()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Brackets step through the visits before."""
        if event is not None and event.text() in ("[", "]"):
            self.state.step_before(-1 if event.text() == "[" else 1)
        else:
            super().keyPressEvent(event)

    def _choose_before(self, place: int) -> None:
        self.state.choose_before(self.state.earlier()[place])

    def open_row(self, row: Row) -> None:
        """Look at the newer value where it was taken, or go where it is measured."""
        self.target_wanted.emit(self.state.target(row))

    def refresh(self) -> None:
        """Follow the state; a hidden page waits until it is entered."""
        case = self._space.case
        if not self.isVisible() or case is None:
            return
        state, before, now = self.state, self.state.before, self.state.now
        has = before is not None and now is not None
        for part in (self._head, self._body, self.summary, self.between):
            part.setVisible(has)
        self.empty.setVisible(not has)
        self.pair.hide()
        if before is None or now is None:
            for text in (self.title, self.sentence, self.gap, self.between):
                text.setText("")
            return
        self._show_visits()
        self.summary.setText(state.summary())
        done = (
            [treatment_text(t) for t in treatments_between(case, before.started_at, now.started_at)]
            if before is not now
            else []
        )
        self.between.setText(f"Done between the two: {'; '.join(done)}." if done else "")
        self.between.setVisible(bool(done))
        self.list.show_rows(state.rows(), state.missing(), state.chosen)
        self.chart.show_course(state.timeline(), [v.started_at for v in case.visits])
        self._show_row(state.chosen)

    def _show_visits(self) -> None:
        case, state = self._space.case, self.state
        assert case is not None and state.before is not None
        uids = [v.uid for v in case.visits]
        self.before.clear()
        for visit in state.earlier():
            same = visit is state.now
            words = "earlier in this visit" if same else f"{day(visit.started_at)}, visit {uids.index(visit.uid) + 1}"
            self.before.addItem(words)
        self.before.setCurrentIndex(state.earlier().index(state.before))
        self.now.setText(f"{day(case.visit.started_at)}, visit {case.number}")

    def _show_row(self, row: Row | None) -> None:
        self.title.setText(f"{row.name}  {values(row)}" if row is not None else "")
        words = f"{sentence_case(row.finding.value)}: {row.sentence}." if row is not None and row.change else ""
        self.sentence.setText(words or (f"{sentence_case(row.sentence)}." if row is not None else ""))
        self.gap.setText(f"Between the sides: {row.gap.sentence}." if row is not None and row.gap is not None else "")
        self.gap.setVisible(bool(self.gap.text()))
        if row is not None:
            self._show_frames(row)

    def _show_frames(self, row: Row) -> None:
        found = [self.state.tracked(seen) for seen in (row.before, row.now)]
        if None in found or row.before is None or row.now is None:
            return
        try:
            halves = [
                self._frames.half(pair[0], pair[1], seen, row.measure)
                for pair, seen in zip(found, (row.before, row.now), strict=True)
                if pair is not None
            ]
        except (TuningError, ValueError) as err:
            self.message.emit(str(err))
            return
        capture = found[1][0] if found[1] is not None else None
        assert capture is not None
        self.pair.chains, self.pair.side = PICTURE_KINDS[capture.view].chains, row.side
        self.pair.halves = halves
        self.pair.show()
        self.pair.update()
