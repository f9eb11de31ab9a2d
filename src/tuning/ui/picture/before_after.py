"""Before and after: the same task on two days, change by change, with both frames side by side."""

from __future__ import annotations

from dataclasses import dataclass
from functools import partial
from pathlib import Path

from PyQt6.QtCore import QRectF, Qt, QTimer
from PyQt6.QtGui import QImage, QPainter
from PyQt6.QtWidgets import QComboBox, QDialog, QFileDialog, QHBoxLayout, QScrollArea, QSlider, QVBoxLayout, QWidget

from tuning.core.entries import Capture, Track
from tuning.core.errors import TuningError
from tuning.core.judging.comparison import Change, changes
from tuning.core.picture_views import PICTURE_KINDS
from tuning.core.types import LEGS, NotMeasured, Observation, Side
from tuning.core.visit.notes import treatment_text, treatments_between
from tuning.ui import theme
from tuning.ui.formatting import day
from tuning.ui.picture.frame_pair import FrameReader, PairView
from tuning.ui.symbols import SideSign, VerdictSign
from tuning.ui.widgets import button, clear_layout, label, separator, set_role
from tuning.ui.workspace import Workspace


@dataclass(frozen=True)
class Take:
    """A followed clip with what it measured."""

    capture: Capture
    track: Track
    observations: list[Observation]
    number: int

    @property
    def name(self) -> str:
        """Day and file."""
        return f"{day(self.capture.at)}, visit {self.number}: {self.capture.medium.name}"


def takes(space: Workspace, view: str, task: str, side: Side) -> list[Take]:
    """All followed clips of the patient of one kind, task and leg, oldest first."""
    case = space.case
    if case is None:
        return []
    numbers = {visit.uid: n for n, visit in enumerate(case.visits, start=1)}
    tracks = {t.capture: t for t in case.all(Track)}
    found = []
    for capture in case.all(Capture):
        track = tracks.get(capture.uid)
        if capture.view == view and track is not None and (track.task, track.side) == (task, side):
            seen = [o for o in case.all(Observation) if o.capture == capture.uid]
            found.append(Take(capture, track, seen, numbers[capture.visit]))
    return sorted(found, key=lambda take: take.number)


class BeforeAfter(QDialog):
    """Choose an earlier take; every change stands with its error, the greatest first."""

    def __init__(self, parent: QWidget | None, space: Workspace, now: Take, earlier: list[Take]) -> None:
        super().__init__(parent)
        self._space, self.now, self._earlier = space, now, earlier
        self.changes: list[Change] = []
        self.chosen: Change | None = None
        self.offset_s = 0.0
        self._frames = FrameReader(space)
        self.slider = QSlider(Qt.Orientation.Horizontal)
        self.slider.setRange(-1500, 1500)
        self.slider.setSingleStep(20)
        self.slider.setAccessibleName("Both clips around the event, milliseconds")
        self.slider.valueChanged.connect(self._moved)
        self.play = button("Play both", self.toggle_play)
        self._timer = QTimer(self)
        self._timer.setInterval(40)
        self._timer.timeout.connect(self._play_on)
        self.setWindowTitle("Before and after")
        self.resize(1180, 680)
        self.takes = QComboBox()
        self.takes.setAccessibleName("Earlier clip")
        for take in earlier:
            self.takes.addItem(take.name)
        self.takes.setCurrentIndex(len(earlier) - 1)
        self.takes.activated.connect(lambda _: self.refresh())
        self.pair = PairView()
        self.sentence = label("", theme.BODY, wrap=True)
        self.treated = label("", theme.BODY, wrap=True)
        self._list = QVBoxLayout()
        self._list.setSpacing(2)
        self._build()
        self.refresh()

    def _build(self) -> None:
        head = QHBoxLayout()
        head.setSpacing(12)
        head.addWidget(label("Before", theme.LARGE, bold=True))
        head.addWidget(self.takes)
        head.addWidget(label(f"Now: {self.now.name}", theme.BODY), 1)
        head.addWidget(button("Picture as PNG…", self._ask_picture))
        inner = QWidget()
        inner.setLayout(self._list)
        area = QScrollArea()
        area.setWidget(inner)
        area.setWidgetResizable(True)
        area.setFixedWidth(400)
        left = QVBoxLayout()
        left.addWidget(self.pair, 1)
        around = QHBoxLayout()
        around.addWidget(self.play)
        around.addWidget(self.slider, 1)
        self.at = label("at the event", role="muted")
        self.at.setMinimumWidth(120)
        around.addWidget(self.at)
        left.addLayout(around)
        left.addWidget(self.sentence)
        body = QHBoxLayout()
        body.setSpacing(16)
        body.addLayout(left, 1)
        body.addWidget(area)
        column = QVBoxLayout(self)
        column.setContentsMargins(20, 16, 20, 16)
        column.addLayout(head)
        column.addLayout(body, 1)
        note = "Real only beyond the error of a change between days (MDC95). A change the same day is short-term."
        column.addWidget(self.treated)
        column.addWidget(label(note, role="muted", wrap=True))

    @property
    def before(self) -> Take:
        """The earlier take that is chosen."""
        return self._earlier[self.takes.currentIndex()]

    def refresh(self) -> None:
        """All changes against the chosen take."""
        self.changes = changes(self._space.knowledge.measures, self.before.observations, self.now.observations)
        assert self._space.case is not None
        done = [
            treatment_text(t) for t in treatments_between(self._space.case, self.before.capture.at, self.now.capture.at)
        ]
        self.treated.setText(f"Done between the two: {'; '.join(done)}." if done else "")
        clear_layout(self._list)
        for change in self.changes:
            self._add(change)
        self._list.addStretch(1)
        if self.changes:
            self.choose(self.changes[0])

    def _add(self, change: Change) -> None:
        m = change.measure
        row = QHBoxLayout()
        row.setSpacing(6)
        if not isinstance(change.verdict, NotMeasured):
            row.addWidget(VerdictSign(change.verdict.word, 6))
        if change.side in LEGS:
            row.addWidget(SideSign(change.side, 5))
        side = f", {change.side.value}" if change.side in LEGS else ""
        made = button(f"{m.name}{side}", partial(self.choose, change), "link")
        row.addWidget(made, 1)
        self._list.addWidget(separator())
        self._list.addLayout(row)
        a, b = change.before.measured, change.now.measured
        if a is not None and b is not None:
            self._list.addWidget(label(f"{m.text(a)} → {m.text(b)} {m.unit}", theme.BODY, bold=True))
        self._list.addWidget(label(change.sentence, role="muted", wrap=True))

    def _moved(self, milliseconds: int) -> None:
        """Both clips the same time before or after their own event."""
        self.offset_s = milliseconds / 1000
        way = "before" if milliseconds < 0 else "after"
        self.at.setText(f"{abs(self.offset_s):.2f} s {way} the event" if milliseconds else "at the event")
        if self.chosen is not None:
            self._show_halves(self.chosen)

    def toggle_play(self) -> None:
        """Play both together from 1.5 s before the event, or stop."""
        if self._timer.isActive():
            self._timer.stop()
        else:
            if self.slider.value() >= self.slider.maximum():
                self.slider.setValue(self.slider.minimum())
            self._timer.start()
        self.play.setText("Stop" if self._timer.isActive() else "Play both")

    def _play_on(self) -> None:
        self.slider.setValue(self.slider.value() + 40)
        if self.slider.value() >= self.slider.maximum():
            self.toggle_play()

    def done(self, result: int) -> None:
        """The clips are let go."""
        self._timer.stop()
        self._frames.close()
        super().done(result)

    def choose(self, change: Change) -> None:
        """Show both frames at the event that the value was read at."""
        self.chosen = change
        self.slider.setValue(0)
        m = change.measure
        side = f", {change.side.value}" if change.side in LEGS else ""
        self.sentence.setText(f"{m.name}{side}: {change.sentence}.")
        set_role(self.sentence, role="")
        self.pair.chains = PICTURE_KINDS[self.now.capture.view].chains
        self.pair.side = change.side
        self._show_halves(change)

    def _show_halves(self, change: Change) -> None:
        m = change.measure
        try:
            self.pair.halves = [
                self._frames.half(self.before.capture, self.before.track, change.before, m, self.offset_s),
                self._frames.half(self.now.capture, self.now.track, change.now, m, self.offset_s),
            ]
        except (TuningError, ValueError) as err:
            self.pair.halves = []
            self.sentence.setText(str(err))
        self.pair.update()

    def _ask_picture(self) -> None:
        found, _ = QFileDialog.getSaveFileName(
            self, "Picture", str(Path.home() / "before and after.png"), "PNG (*.png)"
        )
        if found and not self.save_picture(Path(found)):
            self.sentence.setText(f"The picture could not be written to {found}.")

    def save_picture(self, target: Path) -> bool:
        """Both frames with lines, values and the sentence as PNG; False when it cannot be written."""
        picture = QImage(1600, 1000, QImage.Format.Format_RGB888)
        picture.fill(theme.colour("paper"))
        painter = QPainter(picture)
        self.pair.paint(painter, QRectF(0, 0, 1600, 940))
        painter.setFont(theme.font(theme.LARGE))
        painter.setPen(theme.colour("ink"))
        painter.drawText(QRectF(16, 944, 1568, 52), Qt.AlignmentFlag.AlignVCenter, self.sentence.text())
        painter.end()
        return picture.save(str(target), "PNG")
