"""A picture workbench: open a photograph or clip, step it, mark it, read it."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import numpy as np
from PyQt6.QtCore import Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from tuning.core.entries import Capture, ClipFacts
from tuning.core.errors import TuningError
from tuning.core.picture_views import PICTURE_KINDS
from tuning.core.types import LEGS, PLAIN, Side
from tuning.ui import theme
from tuning.ui.picture.before_after import BeforeAfter, takes
from tuning.ui.picture.canvas import Canvas
from tuning.ui.picture.capture_rate import RateChoice, capture_rate_of, slowness, stored_rate
from tuning.ui.picture.changed_condition import ChangedBox
from tuning.ui.picture.clip_setup_dialog import TagsDialog
from tuning.ui.picture.clip_timeline import ClipTimeline
from tuning.ui.picture.empty_bench import EmptyBench
from tuning.ui.picture.fault_grid import FaultGrid
from tuning.ui.picture.load_share_simulator import WhatIf
from tuning.ui.picture.mark_state import MarkState
from tuning.ui.picture.marker_proposal import MarkerProposal
from tuning.ui.picture.picture_import import ImportedPicture, PictureImporter
from tuning.ui.picture.plates_dialog import GroundDialog
from tuning.ui.picture.player import Player
from tuning.ui.picture.result_curves import CurveView, ResultList
from tuning.ui.picture.side_panel import SidePanel
from tuning.ui.picture.splitter import PictureSplitter
from tuning.ui.picture.tracking_state import TrackingState, tasks_for
from tuning.ui.widgets import ElidedLabel, Flow, button, elided, holding, label, set_role
from tuning.ui.workspace import Workspace
from tuning.video import PictureSource, open_source

ON_PLATES = "side-squat"
"""The task whose load share can stand on plates."""


class PicturePage(QWidget):
    """Pictures of one stage. Signals tell the window about background work and refusals."""

    job_started = pyqtSignal(object)
    refused = pyqtSignal(str)

    def __init__(
        self,
        workspace: Workspace,
        stage: str,
        name: str,
        way_back: QPushButton | None = None,
        wide: bool = True,
    ) -> None:
        super().__init__()
        self._workspace, self._name, self._way_back, self._wide = workspace, name, way_back, wide
        self.picture_kinds = [picture_kind for picture_kind in PICTURE_KINDS.values() if picture_kind.stage == stage]
        self.board = MarkState(workspace)
        self.canvas, self.strip = Canvas(self.board), ClipTimeline(self.board)
        self.panel = SidePanel(self.board, workspace.knowledge.measures)
        measures = workspace.knowledge.measures
        self.following = TrackingState(workspace, self.board)
        self.results, self.curves = ResultList(self.following, measures), CurveView(self.following, measures)
        self.strip.follow(self.following)
        self.faults = FaultGrid(workspace, self.board, self.following)
        self.proposal = MarkerProposal(workspace, self.board, self.following)
        self.changed_box = ChangedBox(workspace, self.following)
        self.player = Player(self.board)
        self.arrivals = PictureImporter(workspace, self._arrived, self)
        self.arrivals.job_started.connect(self.job_started)
        self.arrivals.refused.connect(self.refused)
        self._alone = False
        self._build()
        self.player.shown.connect(self.canvas.show_image)
        self.player.failed.connect(self.refused)
        self.board.message.connect(self.refused)
        self.proposal.job_started.connect(self.job_started)
        self.proposal.frame_wanted.connect(self.go)
        self.board.changed.connect(self._show_proposal)
        self.strip.frame_wanted.connect(self.go)
        self.following.changed.connect(self._show_following)
        self.following.job_started.connect(self.job_started)
        self.results.chosen.connect(self.curves.choose)
        self.results.chosen.connect(lambda _: self.show_faults(False))
        self.faults.moved.connect(self.go)
        workspace.case_changed.connect(self._case_changed)
        workspace.reloaded.connect(self._reloaded)
        self._fill_captures(None)

    def _build(self) -> None:
        self._tools = holding(self._build_controls())
        camera = self._workspace.devices.camera is not None
        self.empty = EmptyBench(self.ask_file, self.live if camera else None)
        upper, lower = QVBoxLayout(), QVBoxLayout()
        for part in (self.empty, self.canvas):
            upper.addWidget(part, 1)
        upper.addWidget(self.strip)
        for below in (self.curves, self.faults):
            lower.addWidget(below, 1)
            below.hide()
        self.divider = PictureSplitter(self._workspace.settings, upper, lower)
        left = QVBoxLayout()
        left.setSpacing(8)
        left.addWidget(self.divider, 1)
        left.addWidget(self._tools)
        body = QHBoxLayout()
        body.setSpacing(24)
        body.addLayout(left, 1)
        body.addWidget(self.panel)
        column = QVBoxLayout(self)
        column.setContentsMargins(20, 8, 20, 12)
        column.setSpacing(8)
        self._head = holding(self._build_head())
        column.addWidget(self._head)
        column.addLayout(body, 1)
        self._show_open(False)

    def _build_head(self) -> QHBoxLayout:
        """What is open, what else there is, and how to open more."""
        self.title = ElidedLabel(theme.TITLE if self._wide else theme.LARGE)
        self.captures = QComboBox()
        self.captures.setAccessibleName("Pictures of this visit")
        self.captures.activated.connect(self._choose_capture)
        self.captures.setFixedWidth(170)
        self.kind = QComboBox()
        self.kind.setMaximumWidth(190)
        self.kind.setAccessibleName("Kind of picture to open")
        for picture_kind in self.picture_kinds:
            self.kind.addItem(picture_kind.title, picture_kind.id)
        self.kind.currentIndexChanged.connect(lambda _: self._tell_how())
        head = QHBoxLayout()
        head.setSpacing(16 if self._wide else 10)
        parts: list[QWidget | None] = [self.title, self.about, self._way_back]
        if not self._wide:
            parts = [self._way_back, self.title]
        for part in parts:
            if part is not None:
                head.addWidget(part, 1 if part is self.about else 0)
        if not self._wide:
            head.addStretch(1)
        head.addWidget(self.captures)
        head.addWidget(self.kind)
        head.addWidget(button("Open…", self.ask_file, tip="Open a file of this kind"))
        return head

    def _build_controls(self) -> Flow:
        """Moving through time and following; how it looks and what else can be done."""
        self.about = ElidedLabel(role="muted")
        player = self.player
        self.rate = RateChoice()
        self.rate.activated.connect(lambda _: self._rate_chosen(self.rate.currentData()))
        self.live_button = button("Live camera…", self.live, tip="Mirror, live cue, recording")
        self._build_following()
        moving = (player.play_button, player.speed, player.back, player.on)
        doing = (self.propose_button, self.follow_button, self.task, self.leg, self.ground_button)
        looks = (player.loop, self.rate, player.light, self.changed_box)
        more = (self.tags_button, self.fault_button, self.compare_button, self.what_if_button)
        tail = (self.live_button,) if self._wide else (self.about,)
        controls = Flow([*moving, *doing, player.place_text, *looks, *more, *tail])
        if self._workspace.devices.camera is None:
            self.live_button.hide()
        self._controls = (self.strip, self.rate, *player.for_clips)
        return controls

    def _build_following(self) -> None:
        """What to measure, on which leg, the button that follows the marks, and what comes after."""
        self.task, self.leg = QComboBox(), QComboBox()
        self.task.setAccessibleName("What is done in the clip")
        self.task.setFixedWidth(190)
        self.leg.setAccessibleName("Leg that stands")
        self.leg.addItem("leg as seen", Side.NONE.value)
        for side in LEGS:
            self.leg.addItem(f"{side.value} leg", side.value)
        for choice in (self.task, self.leg):
            choice.activated.connect(lambda _: self._task_chosen())
        self.follow_button = button(
            "Track markers", self.follow, "primary", "Track the markers forward and back from this frame"
        )
        self.propose_button = button(
            "Find markers", self.propose, tip="Find the stickers and name them; Enter takes what was found"
        )
        self.what_if_button = button("Try a pose", self.what_if, tip="Move trunk and shin and watch the load share")
        self.ground_button = button("Plates…", self.stand_on_plates, tip="Plates that ran with this clip")
        self.compare_button = button("Before / after", self.compare, tip="This clip against an earlier one")
        self.fault_button = button(
            "Faults", lambda: self.show_faults(self.faults.isHidden()), tip="Tick faults repetition by repetition"
        )
        self.tags_button = button("How taken…", self.tags, tip="Speed, shoes, step, load, cue, treatment before")
        self._over_head = label("Over the whole clip", bold=True)
        self.panel.over_clip.addWidget(self._over_head)
        self.panel.over_clip.addWidget(self.results)
        hidden: list[QWidget] = [self.task, self.leg, self.follow_button, self.what_if_button, self.compare_button]
        hidden += [
            self.propose_button,
            self.ground_button,
            self._over_head,
            self.fault_button,
            self.changed_box,
            self.tags_button,
        ]
        for part in hidden:
            part.hide()

    def _show_proposal(self) -> None:
        self.propose_button.setVisible(self.player.is_open and self.proposal.usable)
        count = sum(map(len, self.board.proposed.values()))
        self.propose_button.setText(f"Take {count} markers (Enter)" if count else "Find markers")
        set_role(self.propose_button, chosen=bool(count))

    def propose(self) -> None:
        """Take the markers that are proposed, or look for them."""
        if not self.proposal.take():
            self.proposal.start()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """On the picture Enter takes the markers that are proposed, Escape leaves them; a field keeps its own Enter."""
        key = event.key() if event is not None and (self.canvas.hasFocus() or self.strip.hasFocus()) else None
        if key in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self.proposal.take():
            return
        if key == Qt.Key.Key_Escape and self.proposal.leave():
            return
        super().keyPressEvent(event)

    def follow(self) -> None:
        """Follow the marks of this frame through the clip."""
        refusal = self.following.start()
        if refusal:
            self.refused.emit(refusal)

    def compare(self) -> None:
        """This clip against earlier ones of the same task and leg."""
        capture, following = self.board.capture, self.following
        if capture is None or following.result is None:
            return
        found = takes(self._workspace, capture.view, following.task, following.side)
        at = next((n for n, t in enumerate(found) if t.capture.uid == capture.uid), None)
        now, earlier = (found[at], found[:at]) if at is not None else (None, [])
        if now is None or not earlier:
            self.refused.emit("No earlier clip of this task and leg was followed; the first one is the baseline.")
            return
        BeforeAfter(self, self._workspace, now, earlier).exec()

    def live(self) -> None:
        """The camera; a recording opens as a clip of the chosen kind."""
        self.arrivals.live(self.kind.currentData())

    def stand_on_plates(self) -> None:
        """Choose the plates that ran with this clip."""
        GroundDialog(self, self.following).exec()

    def picture_alone(self) -> None:
        """The picture and its strip take the whole page, or everything is there again."""
        self._alone = not self._alone
        for part in (self._head, self._tools, self.panel):
            part.setVisible(not self._alone)
        self._share_height()
        self.canvas.setFocus()

    def _share_height(self) -> None:
        self.divider.show_lower(not self._alone and not (self.curves.isHidden() and self.faults.isHidden()))

    def tags(self) -> None:
        """Say how the clip was taken."""
        TagsDialog(self, self._workspace, self.following).exec()

    def what_if(self) -> None:
        """Try other squats on the drawn figure."""
        patient = self._workspace.patient
        if patient is not None:
            WhatIf(self, patient.body_mass_kg, patient.stature_m).exec()

    def show_faults(self, on: bool) -> None:
        """The faults by repetition in the place of the curve, or the curve again."""
        on = on and self.faults.test() is not None
        self.faults.setVisible(on)
        self.curves.setVisible(not on and self.following.result is not None)
        self._share_height()
        set_role(self.fault_button, chosen=on)
        if on:
            self.faults.enter()

    def _task_chosen(self) -> None:
        self.following.choose(self.task.currentData(), Side(self.leg.currentData()))

    def _show_following(self) -> None:
        following = self.following
        usable = following.usable and self.player.is_open
        fitting = tasks_for(self.board.capture.view) if self.board.capture is not None and usable else []
        self.task.clear()
        for task in fitting:
            self.task.addItem(task.name, task.id)
        self.task.setCurrentIndex(max(0, self.task.findData(following.task)))
        self.leg.setCurrentIndex(self.leg.findData(following.side.value))
        self.follow_button.setVisible(usable)
        self.task.setVisible(len(fitting) > 1)
        self.leg.setVisible(usable and following.needs_leg())
        has = following.result is not None and usable
        self.show_faults(has and not self.faults.isHidden())
        self.fault_button.setVisible(has and self.faults.test() is not None)
        self.changed_box.setVisible(has)
        self.changed_box.refresh()
        self.tags_button.setVisible(usable)
        set_role(self.tags_button, chosen=following.facts().setup != PLAIN)
        self.compare_button.setVisible(has)
        self.what_if_button.setVisible(has and following.task == ON_PLATES)
        self.ground_button.setVisible(usable and following.task == ON_PLATES)
        set_role(self.ground_button, chosen=following.ground is not None)
        self._over_head.setVisible(has)
        self.results.setVisible(has)
        self.panel.readings_head.setText("In this frame" if has else "What these markers show")
        self.results.refresh()
        self.strip.update()

    def _show_open(self, is_open: bool) -> None:
        if not is_open and self._alone:
            self.picture_alone()
        self.empty.setVisible(not is_open)
        for part in (self.canvas, self.player.light, *self._controls):
            part.setVisible(is_open)
        for part in (self.panel, self._tools):
            part.setVisible(is_open and not self._alone)
        self.captures.setVisible(is_open or bool(self.captures.count()))
        if not is_open:
            self.title.setText(self._name)
            self._tell_how()

    def _tell_how(self) -> None:
        """While nothing is open: how the chosen kind of picture is taken."""
        if not self.player.is_open:
            self.about.setText("photograph or clip")
            self.empty.show_kind(self.kind.currentData())

    # opening

    def ask_file(self) -> None:
        """Let the user choose a file of the chosen kind."""
        self.arrivals.ask_file(self.kind.currentData())

    def open_file(self, path: Path, kind_id: str) -> None:
        """Take a file into the open visit and show it."""
        self.arrivals.open_file(path, kind_id)

    def take_file(self, path: Path) -> None:
        """Take a file in as the kind that it shows; as the chosen one where that cannot be told."""
        self.arrivals.open_file(path, self.kind.currentData(), as_seen=True)

    def _arrived(self, arrived: ImportedPicture) -> None:
        self._show(arrived.capture, arrived.source)
        self.proposal.start()
        if arrived.plates is not None:
            self._stand_on_recorded(arrived.plates)

    def _stand_on_recorded(self, pressed: Path) -> None:
        self.following.choose(ON_PLATES, self.following.side)
        self.following.stand_on(self.following.recordings.add(pressed).uid)
        self.board.message.emit(
            "Plates kept with the clip. Mark a known length and the landmarks; Plates… asks where the heels stood."
        )

    def open_by_uid(self, uid: str, frame: int | None = None) -> None:
        """Open a picture of the case at a frame."""
        case = self._workspace.case
        capture = case.entry(uid) if case is not None else None
        if isinstance(capture, Capture):
            self.open_capture(capture, frame)

    def open_capture(self, capture: Capture, frame: int | None = None) -> None:
        """Open a picture that the record holds, at a frame."""
        path = self._workspace.record.media.lent(capture.medium)
        try:
            source = open_source(path, capture.medium.name)
        except TuningError as err:
            self.refused.emit(str(err))
            return
        self._show(capture, source)
        if frame is not None:
            self.go(frame)

    def _show(self, capture: Capture, source: PictureSource) -> None:
        self.player.open(source)
        self._show_open(True)
        self.board.open(capture, source.times / self._slowness(capture, source))
        self.following.open(capture)
        is_clip = len(source.times) > 1
        for part in self._controls:
            part.setVisible(is_clip)
        self.title.setText(PICTURE_KINDS[capture.view].title)
        self.kind.setCurrentIndex(self.kind.findData(capture.view))  # the next one is mostly of the same kind
        times = self.board.times
        rate = f"{(len(times) - 1) / times[-1]:.0f} frames/s" if is_clip else "photograph"
        width, height = source.size
        self.about.setText(f"{capture.medium.name} · {width} x {height} · {rate}")
        self._fill_captures(capture)
        self.canvas.fit(True)
        self.canvas.setFocus()
        if source.warning:
            self.refused.emit(source.warning)

    def _slowness(self, capture: Capture, source: PictureSource) -> float:
        """How many times slower the clip plays than it was; the choice of rates shows it."""
        if len(source.times) < 2:
            return 1.0
        case = self._workspace.case
        told = capture_rate_of(source, case, capture)
        self.rate.offer(stored_rate(source), told)
        slower = slowness(source, case, capture)
        if slower > 1 and not any(f.capture == capture.uid for f in self._workspace.entries(ClipFacts)):
            text = f"The file says it was recorded at {told:.0f} frames/s; times are true ones. Change it below if not."
            QTimer.singleShot(0, lambda: self.refused.emit(text))
        return slower

    def _rate_chosen(self, rate: float) -> None:
        """Say at which rate the clip was recorded; times and everything over time follow."""
        capture, frame = self.board.capture, self.board.frame
        if capture is None:
            return
        facts = replace(self.following.facts(), frames_per_second=rate)
        if self.following.say(facts, "capture rate"):
            self.open_capture(capture, frame)
            self.following.measure_again()

    def _fill_captures(self, current: Capture | None) -> None:
        self.captures.clear()
        for capture in self.own_captures():
            self.captures.addItem(elided(self.captures, capture.medium.name), capture.uid)
            self.captures.setItemData(self.captures.count() - 1, capture.medium.name, Qt.ItemDataRole.ToolTipRole)
            if current is not None and capture.uid == current.uid:
                self.captures.setCurrentIndex(self.captures.count() - 1)

    def _choose_capture(self, index: int) -> None:
        wanted = self.captures.itemData(index)
        for capture in self.own_captures():
            if capture.uid == wanted:
                self.open_capture(capture)

    def own_captures(self) -> list[Capture]:
        """Pictures of this stage in the open visit, oldest first."""
        mine = {picture_kind.id for picture_kind in self.picture_kinds}
        return [capture for capture in self._workspace.entries(Capture) if capture.view in mine]

    def _case_changed(self) -> None:
        self.close_picture()
        captures = self.own_captures()
        self.captures.clear()
        if captures and self.isVisible():
            self.open_capture(captures[-1])

    def _reloaded(self) -> None:
        """Undo or another window took the open picture away: close it; what else there is, is in the list."""
        case, capture = self._workspace.case, self.board.capture
        if capture is not None and (case is None or case.entry(capture.uid) is None):
            self.close_picture()
            capture = None
        self._fill_captures(capture)

    def enter(self) -> None:
        """The stage is shown: open the newest picture of the visit, if none is open."""
        captures = self.own_captures()
        if not self.player.is_open and captures:
            self.open_capture(captures[-1])

    def close_picture(self) -> None:
        """Let go of the open picture."""
        self.player.close()
        self.board.open(None, np.zeros(1))
        self.following.open(None)
        self._show_open(False)

    # moving through time

    def go(self, frame: int) -> None:
        """Show a frame."""
        self.player.go(frame)

    def step(self, by: int) -> None:
        """Step by frames."""
        self.player.step(by)

    def toggle_play(self) -> None:
        """Play from here, or stop."""
        self.player.toggle()

    def stop(self) -> None:
        """Stop playing."""
        self.player.stop()
