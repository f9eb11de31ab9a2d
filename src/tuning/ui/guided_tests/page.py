"""A guided run on screen: the list, the drawing, the question, and a picture bench behind it."""

from __future__ import annotations

from functools import partial
from pathlib import Path

from PyQt6.QtWidgets import QBoxLayout, QHBoxLayout, QStackedWidget, QVBoxLayout, QWidget

from tuning.core.target import Target
from tuning.core.test_definitions import TestDefinition
from tuning.core.types import LEGS, Side
from tuning.ui import theme
from tuning.ui.guided_tests.pictures import TestPictureView
from tuning.ui.guided_tests.question import QuestionPanel
from tuning.ui.guided_tests.state import RunState
from tuning.ui.guided_tests.walk_list import WalkList
from tuning.ui.picture.page import PicturePage
from tuning.ui.stage import StagePage
from tuning.ui.widgets import button, clear_layout, in_scroll, label
from tuning.ui.workspace import Workspace


class TestRunPage(StagePage):
    """Standing (`tall` figure) and Mobility; special panels take the place of drawing and question for their tests."""

    __test__ = False

    def __init__(
        self, workspace: Workspace, stage: str, name: str, looks: int, tall: bool = False, pictures_first: bool = False
    ) -> None:
        super().__init__()
        self._workspace, self._name = workspace, name
        self.state = RunState(workspace, stage, looks)
        words = "Tests by eye" if pictures_first else "Back to the tests"
        self.back_to_walk = button(words, self.show_walk, "" if pictures_first else "primary")
        title = name if pictures_first else f"{name}, pictures"
        self.bench = PicturePage(workspace, stage, title, self.back_to_walk, wide=pictures_first)
        self.list = WalkList(self.state)
        self.picture, self.question = TestPictureView(self.state), QuestionPanel(self.state)
        self.panels: dict[str, QWidget] = {}
        self.panel_test: TestDefinition | None = None
        self._tall = tall
        self._build()
        self.list.rows.chosen.connect(self.open_test)
        self.question.refused.connect(self.refused)
        self.bench.refused.connect(self.refused)
        self.bench.job_started.connect(self.job_started)
        self.state.changed.connect(self.refresh)
        self.state.walked.connect(self._walked)
        if pictures_first:
            self.photo.setText("Pictures and clips")
            self.stack.setCurrentIndex(1)
        self._pictures_first = pictures_first

    def _build(self) -> None:
        self.title = label(self._name, theme.TITLE)
        self.about = label(role="muted")
        self._looks = QHBoxLayout()
        self._looks.setSpacing(8)
        self.photo = button("Photograph…", self.show_bench, tip="Measure this on a photograph")
        head = QHBoxLayout()
        head.setSpacing(16)
        head.addWidget(self.title)
        head.addWidget(self.about, 1)
        head.addLayout(self._looks)
        head.addWidget(self.photo)
        self.work = QStackedWidget()
        pair = QWidget()
        way = QBoxLayout.Direction.LeftToRight if self._tall else QBoxLayout.Direction.TopToBottom
        row = QBoxLayout(way, pair)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(12)
        row.addWidget(self.picture, 4)
        asked = QVBoxLayout()
        asked.setSpacing(4)
        asked.addWidget(in_scroll(self.question), 1)
        asked.addWidget(self.question.endings)
        row.addLayout(asked, 6)
        self.work.addWidget(pair)
        self.below = QVBoxLayout()
        right = QVBoxLayout()
        right.setSpacing(12)
        right.addWidget(self.work, 1)
        right.addLayout(self.below)
        body = QHBoxLayout()
        body.setSpacing(16)
        body.addWidget(self.list)
        body.addLayout(right, 1)
        walk = QWidget()
        column = QVBoxLayout(walk)
        column.setContentsMargins(24, 8, 24, 12)
        column.setSpacing(8)
        column.addLayout(head)
        column.addLayout(body, 1)
        self.stack = QStackedWidget()
        self.stack.addWidget(walk)
        self.stack.addWidget(self.bench)
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        outer.addWidget(self.stack)

    def add_panel(self, name: str, panel: QWidget) -> None:
        """A special panel for the tests that name it."""
        self.panels[name] = panel
        self.work.addWidget(panel)

    @property
    def on_bench(self) -> bool:
        """True while the picture bench is shown."""
        return self.stack.currentIndex() == 1

    def help_key(self) -> str:
        """The help page of what is chosen."""
        return f"test:{self.state.step.test.id}" if self.state.steps else ""

    def enter(self) -> None:
        """The stage is shown."""
        if self.on_bench:
            self.bench.enter()
        self.refresh()
        self.question.refresh()
        if self.panel_test is None and self.state.steps:
            self.open_test(self.state.step.test, go=False)

    def leave(self) -> None:
        """Another stage is opened."""
        self.bench.stop()

    def release_files(self) -> None:
        """The case is closed."""
        self.bench.close_picture()

    def show_target(self, target: Target) -> None:
        """A frame on the bench, or a test of the walk."""
        if target.capture:
            self.show_bench()
            self.bench.open_by_uid(target.capture, target.frame)
            return
        test = self._workspace.knowledge.tests.get(target.test) or self._workspace.knowledge.test_of(target.test)
        if test is not None and test.stage == self.state.stage:
            self.show_walk()
            self.open_test(test)
            if target.side in LEGS:
                self.state.choose_side(target.side)
        elif target.test:
            self.show_bench()

    def open_test(self, test: TestDefinition, go: bool = True) -> None:
        """Show a test: its question, or its special panel."""
        self.panel_test = test if test.panel else None
        if test.panel:
            panel = self.panels[test.panel]
            self.work.setCurrentWidget(panel)
            panel.setFocus()
            self.list.show_current(test)
        else:
            self.work.setCurrentIndex(0)
            if go:
                self.state.go_test(test)
            self.refresh()
            self.question.refresh()
            field = self.question.number
            (field if field.isVisible() else self.question).setFocus()

    def back(self) -> None:
        """Alt+Left: out of the pictures, else one step back."""
        if self.on_bench:
            self.show_walk()
        else:
            self.state.back()

    def choose_side(self, side: Side) -> None:
        """F5 and F6: the leg of the question, or of the faults beside a clip."""
        if self.on_bench:
            self.bench.faults.choose(side, self.bench.faults.column)
        else:
            self.state.choose_side(side)

    def show_bench(self) -> None:
        """The picture bench, ready for the current test's kind of picture."""
        picture_kinds = self.state.step.test.picture_kinds
        if picture_kinds:
            self.bench.kind.setCurrentIndex(max(0, self.bench.kind.findData(picture_kinds[0])))
        self.stack.setCurrentIndex(1)
        self.bench.enter()

    def take_file(self, path: Path) -> bool:
        """A photograph or clip that came in, as what it shows."""
        self.show_bench()
        self.bench.take_file(path)
        return True

    def show_walk(self) -> None:
        """Back from the pictures."""
        self.bench.stop()
        self.stack.setCurrentIndex(0)
        self.enter()
        self.question.setFocus()

    def _walked(self) -> None:
        if self.state.look < self.state.looks:
            self.message.emit(
                f"Look {self.state.look} is complete. Reset the stance, then begin look {self.state.look + 1}."
            )
        else:
            self.message.emit("All tests of this stage are answered; those “when wanted” are below the list.")

    def refresh(self) -> None:
        """List, looks and whether a photograph helps here."""
        if not self.list.isVisible() or not self.state.steps:
            return
        state = self.state
        test = self.panel_test or state.step.test
        if self.panel_test is None:
            self.work.setCurrentIndex(0)
        self.list.show_current(test)
        self.photo.setVisible(bool(test.picture_kinds) or self._pictures_first)
        walk = [t for t in state.tests if not t.extra]
        locked = sum(state.locked(t) for t in walk)
        done = sum(state.done(t, state.look) for t in walk) - locked
        told = f"{done} of {len(walk)} answered" + (f" in look {state.look}" if state.looks > 1 else "")
        self.about.setText(told + (f", {locked} locked" if locked else ""))
        clear_layout(self._looks)
        for look in range(1, state.looks + 1) if state.looks > 1 else ():
            made = button(f"Look {look}", partial(state.begin_look, look), tip="Reset the stance between looks")
            made.setProperty("chosen", look == state.look)
            self._looks.addWidget(made)
