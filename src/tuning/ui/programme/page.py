"""The Programme workbench: choose and place, the week, a session, the log and what comes next."""

from __future__ import annotations

from collections.abc import Callable
from datetime import date
from pathlib import Path

from PyQt6.QtCore import Qt, QUrl
from PyQt6.QtGui import QDesktopServices, QKeyEvent
from PyQt6.QtWidgets import QFileDialog, QHBoxLayout, QPushButton, QStackedWidget, QVBoxLayout, QWidget

from tuning.core.entries import Done
from tuning.core.errors import TuningError
from tuning.core.target import Target
from tuning.core.types import LEGS, Side
from tuning.drawings.figure import Outline
from tuning.ui import theme
from tuning.ui.empty_page import EmptyPage
from tuning.ui.exercise_figure import figure_of
from tuning.ui.programme.exports import Exports
from tuning.ui.programme.ladder_view import ChooseView
from tuning.ui.programme.log_view import LogView
from tuning.ui.programme.session_view import SessionView
from tuning.ui.programme.state import ProgrammeState
from tuning.ui.programme.week_view import WeekView
from tuning.ui.stage import StagePage
from tuning.ui.widgets import ElidedLabel, button, set_role
from tuning.ui.workspace import Workspace

EMPTY = "No exercise is planned yet. Choose one under Ladders; the first choices follow from Reasoning."
SHOWN = "sd-2-sit-back"
"""The exercise that is drawn where none is planned."""
VIEWS = ("Ladders", "Week", "Session", "Log and decide")


class ProgrammePage(StagePage):
    """Four views; the digits 1 to 4 change between them."""

    def __init__(self, workspace: Workspace) -> None:
        super().__init__()
        self._workspace = workspace
        self.state = ProgrammeState(workspace)
        self.exports = Exports(workspace, self.state)
        self.choose = ChooseView(workspace, self.state)
        self.week = WeekView(workspace, self.state.course)
        self.session = SessionView(workspace, self.state)
        self.log = LogView(workspace, self.state.course, self.exports)
        self._stack, self._view = QStackedWidget(), 0
        self.empty = EmptyPage(EMPTY, ("Choose an exercise (1)", self._opener(0)), self._figures)
        for view in (self.choose, self.week, self.session, self.log):
            self._stack.addWidget(view)
            view.refused.connect(self.refused)
        self._stack.addWidget(self.empty)
        for speaker in (self.week, self.log):
            speaker.message.connect(self.message)
        self.week.calendar_wanted.connect(self.ask_calendar)
        self.choose.sheet_wanted.connect(self.ask_sheet)
        self._tabs = [button(f"{n}  {name}", self._opener(n - 1), "link") for n, name in enumerate(VIEWS, start=1)]
        self.phase = ElidedLabel(role="muted")
        head = QHBoxLayout()
        head.setContentsMargins(20, 6, 20, 0)
        head.setSpacing(16)
        for tab in self._tabs:
            tab.setCheckable(True)
            tab.setFont(theme.font(theme.BODY))
            head.addWidget(tab)
        head.addStretch(1)
        head.addWidget(self.phase)
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        outer.setSpacing(4)
        outer.addLayout(head)
        outer.addWidget(self._stack, 1)
        self.state.changed.connect(self.refresh)
        self.open_view(0)

    # what others reach for

    @property
    def factors(self) -> QWidget:
        """What came from Reasoning."""
        return self.choose.factors

    @property
    def clean(self) -> dict[Side, object]:
        """The try-out of each side."""
        return dict(self.choose.clean)

    def _opener(self, number: int) -> Callable[[], None]:
        return lambda: self.open_view(number)

    def _figures(self) -> list[list[Outline]]:
        """An exercise at its start and its end."""
        rung = self._workspace.knowledge.rung(SHOWN)
        pose = rung.poses[0]
        return [figure_of(rung, pose, frame, Side.RIGHT) for frame in (pose.start, pose.end)]

    def _show_view(self) -> None:
        """The chosen view; without an exercise, and nothing that was ever done, what to do first."""
        space = self._workspace
        done = space.case is not None and any(isinstance(entry, Done) for entry in space.case.entries)
        if self._view > 0 and not done and not space.plan():
            self._stack.setCurrentWidget(self.empty)
        else:
            self._stack.setCurrentIndex(self._view)

    def open_view(self, number: int) -> None:
        """One of the four."""
        if number != 2:
            self.session.stop()
        self._view = number
        for n, tab in enumerate(self._tabs):
            tab.setChecked(n == number)
            set_role(tab, chosen=n == number)
        self.refresh()
        self._stack.currentWidget().setFocus()  # type: ignore[union-attr]

    @property
    def view(self) -> int:
        """Which of the four is open, from 0."""
        return self._view

    def help_key(self) -> str:
        """The help page of what is chosen."""
        return f"exercise:{self.state.rung.id}"

    def enter(self) -> None:
        """The stage is shown."""
        self.refresh()

    def leave(self) -> None:
        """A running session stops its clock; what was counted stays."""
        self.session.stop()

    def unfinished(self) -> str:
        """A session that was begun and not kept."""
        return self.session.unfinished()

    def show_target(self, target: Target) -> None:
        """A rung."""
        known = {r.id for ladder in self._workspace.knowledge.ladders.values() for r in ladder.rungs}
        if target.rung in known:
            self.open_view(0)
            self.state.choose(self.state.named(target.rung))

    def choose_side(self, side: Side) -> None:
        """F5 and F6: which leg the pictures show."""
        if side in LEGS:
            self.state.choose_side(side)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """1 to 4 change the view; a running session keeps the digits for faults and pain."""
        if event is None:
            return
        digit = event.key() - Qt.Key.Key_1
        plain = not event.modifiers() & (Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.AltModifier)
        if (
            plain
            and digit in range(len(VIEWS))
            and not (self.view == 2 and (self.session.asking or self.session.begun))
        ):
            self.open_view(digit)
        else:
            super().keyPressEvent(event)

    def write(self) -> None:
        """Write the chosen rung to the plan."""
        self.choose.write()

    @property
    def write_button(self) -> QPushButton:
        """Adds to the plan."""
        return self.choose.write_button

    # files

    def ask_sheet(self) -> None:
        """Ask where the sheet goes, write it and open it."""
        self._ask("Patient sheet", "exercises.pdf", self.save_sheet)

    def ask_calendar(self) -> None:
        """Ask where the week goes as a calendar file."""
        self._ask("Calendar", "week.ics", self.save_calendar, opens=False)

    def ask_log_page(self) -> None:
        """Ask where the log page for the phone goes."""
        self._ask("Home log page", "log.html", self.save_log_page)

    def _ask(self, title: str, kind: str, save: Callable[[Path], bool], opens: bool = True) -> None:
        patient = self._workspace.patient
        if patient is None:
            return
        proposed = str(Path.home() / f"{patient.name.replace(' ', '-')}-{kind}")
        suffix = kind.rsplit(".", 1)[1]
        target, _ = QFileDialog.getSaveFileName(self, title, proposed, f"{suffix.upper()} (*.{suffix})")
        if target and save(Path(target)) and opens:
            QDesktopServices.openUrl(QUrl.fromLocalFile(target))

    def save_sheet(self, target: Path) -> bool:
        """Write the sheet; False with a sentence when it cannot be."""
        return self._save(self.state.print_sheet, target, "Patient sheet")

    def save_calendar(self, target: Path) -> bool:
        """Write the week as a calendar; False with a sentence when it cannot be."""
        return self._save(self.exports.calendar, target, "Calendar")

    def save_log_page(self, target: Path) -> bool:
        """Write the page on which the patient keeps the log; False with a sentence when it cannot be."""
        return self._save(self.exports.log_page, target, "Home log page")

    def save_plan(self, target: Path) -> bool:
        """Write plan and log as JSON; False with a sentence when they cannot be."""
        return self._save(self.exports.plan, target, "Plan")

    def take_file(self, path: Path) -> bool:
        """A home log that came in."""
        return path.suffix.lower() == ".json" and self.log.read_log(path)

    def _save(self, write: Callable[[Path, date], None], target: Path, what: str) -> bool:
        try:
            write(target, date.today())
        except TuningError as err:
            self.refused.emit(str(err))
            return False
        self.message.emit(f"{what} written to {target}")
        return True

    def refresh(self) -> None:
        """Follow the state; a hidden page waits until it is entered."""
        self._show_view()
        if not self.isVisible() or self._workspace.patient is None:
            return
        phase, why = self.state.course.phase()
        self.phase.setText(f"Phase {phase.value}: {why} · pain school {self.state.course.pain_school().value}")
        shown = self._stack.widget(self._view)  # behind the empty page, too: nothing of the last person stays in it
        if isinstance(shown, ChooseView | WeekView | SessionView | LogView):
            shown.refresh()
