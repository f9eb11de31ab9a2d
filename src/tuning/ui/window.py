"""The workbench window: header, figure, workbench, ledger, status line; it only connects them."""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial
from pathlib import Path
from typing import Protocol, runtime_checkable

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QCloseEvent, QDragEnterEvent, QDropEvent, QGuiApplication, QResizeEvent
from PyQt6.QtWidgets import (
    QAbstractButton,
    QApplication,
    QHBoxLayout,
    QMessageBox,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from tuning.core.case import Patient
from tuning.core.gate.permission import GateAct
from tuning.core.gate.text import finding_name, now_words
from tuning.core.judging.comparison import Comparison
from tuning.core.next_step import NextStep
from tuning.core.preferences import THEME
from tuning.core.target import Target, target_of
from tuning.core.types import Side, Triage
from tuning.ui import theme
from tuning.ui.actions import Action, bind, bind_owners
from tuning.ui.day_list import DayList
from tuning.ui.explanation_dialog import ExplainDialog, history
from tuning.ui.figure_column import FigureColumn
from tuning.ui.first_start import FirstStart, is_new
from tuning.ui.header import Header
from tuning.ui.incoming_files import Tray, files_of, take_files
from tuning.ui.jobs import Job, JobBoard
from tuning.ui.ledger import Ledger
from tuning.ui.patient_dialogs import PatientDialogs
from tuning.ui.privacy_screen import PrivacyScreen
from tuning.ui.side_columns import SideColumns
from tuning.ui.stage import StageContext, StagePage, StageSpec, place_key
from tuning.ui.stages import STAGES, in_order
from tuning.ui.status_line import StatusLine
from tuning.ui.visit_order.dialog import PlanDialog
from tuning.ui.visit_order.state import OrderState
from tuning.ui.widgets import label, separator
from tuning.ui.window_dialogs import WindowDialogs
from tuning.ui.workspace import Workspace


@runtime_checkable
class Explainable(Protocol):
    """A widget that can say how its number was worked out."""

    title: str

    def explanation(self) -> str:
        """What F1 shows."""
        ...


@runtime_checkable
class Helpful(Protocol):
    """A page that knows the help page of what is chosen on it."""

    def help_key(self) -> str:
        """Kind and id, such as `test:knee-to-wall`."""
        ...


class MainWindow(QWidget):
    """One case at a time; pages follow the workspace, never each other, and are made when first opened."""

    reseal_wanted = pyqtSignal(object)

    def __init__(
        self, workspace: Workspace, stages: Sequence[StageSpec] = STAGES, day_list: DayList | None = None
    ) -> None:
        super().__init__()
        self.workspace, self.stages = workspace, in_order(tuple(stages))
        self.specs = {spec.id: spec for spec in self.stages}
        self.stage = ""
        self.pages: dict[str, StagePage] = {}
        self.resize(1280, 800)
        self.setMinimumSize(1100, 700)
        self.order = OrderState(workspace)
        self.reception = PatientDialogs(self)
        self.cupboard = WindowDialogs(self)
        self.header = Header(workspace, self.stages)
        self.figure, self.ledger, self.status = FigureColumn(), Ledger(self.stages), StatusLine()
        self.jobs, self._shut = JobBoard(), False
        self._first: FirstStart | None = None
        self.day_list = day_list or DayList(
            workspace.record, (workspace.knowledge.progression, workspace.knowledge.safety)
        )
        self.tray = Tray(workspace)
        self.setAcceptDrops(True)
        self.columns = SideColumns(self, self.figure, self.ledger)
        self._build()
        self._connect()
        self.actions_list = self._actions()
        bind(self, self.actions_list)
        bind(self, self._stage_keys())
        self.cover = PrivacyScreen(self, workspace)
        self.go_home()

    def _build(self) -> None:
        self.stack = QStackedWidget()
        self.stack.addWidget(self.day_list)
        middle = QHBoxLayout()
        middle.setSpacing(0)
        middle.addWidget(self.columns.tabs["figure"])
        middle.addWidget(self.figure)
        middle.addWidget(self.stack, 1)
        middle.addWidget(self.ledger)
        middle.addWidget(self.columns.tabs["ledger"])
        self.setObjectName("paper")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self.header)
        column.addWidget(separator())
        self.alarm = label("", theme.BODY, bold=True, wrap=True)
        self.alarm.setObjectName("alarm")
        self.alarm.setContentsMargins(16, 6, 16, 6)
        self.alarm.setAccessibleName("What has to be done now")
        column.addWidget(self.alarm)
        column.addWidget(self.tray)
        column.addLayout(middle, 1)
        column.addWidget(separator())
        column.addWidget(self.status)

    def _connect(self) -> None:
        space = self.workspace
        space.saved.connect(self.status.tell_saved)
        space.content_changed.connect(self.refresh)
        space.refused.connect(self._refused)
        space.message.connect(self.status.say)
        for changed in (space.content_changed, space.case_changed):
            changed.connect(self._show_alarm)
        space.case_changed.connect(self.tray.refresh)
        self.tray.job_started.connect(self.jobs.start)
        self.tray.taken.connect(self._take_waiting)
        self.jobs.failed.connect(self._refused)
        self.jobs.changed.connect(lambda: self.status.follow(self.jobs.newest))
        self.header.hint.connect(self._hint)
        self.header.stage_chosen.connect(self.go)
        self.header.home_chosen.connect(self.go_home)
        self.header.person_chosen.connect(self.reception.choose_person)
        self.header.commands_chosen.connect(self.cupboard.commands)
        self.header.visit_chosen.connect(self.new_visit)
        self.header.notes_wanted.connect(self.cupboard.notes)
        self.header.visits_wanted.connect(self.reception.choose_visit)
        self.status.step_chosen.connect(self.open)
        self.figure.station_chosen.connect(self.ledger.filter)
        self.ledger.evidence_wanted.connect(self.show_evidence)
        self.day_list.patient_chosen.connect(self.reception.receive)
        self.day_list.refused.connect(self._refused)
        self.day_list.new_chosen.connect(self.reception.new_patient)

    def _show_alarm(self) -> None:
        """Under RED what has to be done now stands across the screen, whatever stage raised it."""
        space = self.workspace
        found, table = space.standing(), space.knowledge.safety
        words = now_words(found, table)
        self.alarm.setVisible(bool(words))
        if found is not None and words:
            first = found.open[0]
            name = table.urgencies[first.urgency].name if first.urgency in table.urgencies else found.level.value
            self.alarm.setText(f"{name}: {finding_name(first, table)}. {words}")

    def page(self, stage_id: str) -> StagePage:
        """The page of a stage, made when it is first wanted."""
        if stage_id not in self.pages:
            spec = self.specs[stage_id]
            assert spec.page is not None
            page = spec.page(StageContext(self.workspace, self.order))
            page.refused.connect(self._refused)
            page.message.connect(self.status.say)
            page.job_started.connect(self.jobs.start)
            page.plan_wanted.connect(self.plan_visit)
            page.target_wanted.connect(self.open)
            page.letter_wanted.connect(self.cupboard.letter)
            for action in spec.actions:
                if action.owners is not None:
                    bind_owners(action.owners(page), action.key, partial(action.run, page))
            self.pages[stage_id] = page
            self.stack.addWidget(page)
        return self.pages[stage_id]

    def _refused(self, text: str) -> None:
        self.status.say(text, caution=True)

    def _actions(self) -> list[Action]:
        undo, trying = self.workspace.undo, self._trying
        return [
            *(Action(f"Go to {s.name}", place_key(n), partial(self.go, s.id)) for n, s in enumerate(self.stages, 1)),
            Action("Find an action", "Ctrl+K", self.cupboard.commands),
            Action("Day list", "Ctrl+D", self.go_home),
            Action("New patient", "Ctrl+N", self.reception.new_patient),
            Action("Edit the patient: mass, sides, complaint", "Ctrl+Shift+E", self.reception.edit_patient),
            Action("Open another visit of this person", "", self.reception.choose_visit),
            Action("Begin a new visit", "Ctrl+Shift+N", self.new_visit),
            Action("Notes and treatments", "F9", self.cupboard.notes),
            Action("Worn in the tests: shoe lift, brace, orthosis", "", self.cupboard.worn),
            Action("Write the letter", "F10", self.cupboard.letter),
            Action("Who is working", "Ctrl+U", self.reception.choose_person),
            Action("Preferences", "Ctrl+,", self.cupboard.preferences),
            Action("Back up now", "Ctrl+Shift+B", self.cupboard.back_up),
            Action("Cover the screen", "Ctrl+Shift+L", lambda: self.cover.show_cover()),
            Action("Passphrase of this record", "", self.cupboard.protection),
            Action("Paste photographs or clips", "Ctrl+V", self.paste),
            Action("Take the new files of the watched folder", "Ctrl+Shift+V", self.tray.take_all),
            Action("Plan the visit", "Ctrl+Shift+O", self.plan_visit),
            Action("Do the next step", "F2", lambda: self.open(self.status.target)),
            Action("Explain what is focused", "F1", self.explain),
            Action("Help", "Ctrl+F1", self.cupboard.help),
            Action("Keys of this screen", "Shift+F1", self.cupboard.keys),
            Action("Undo", "Ctrl+Z", lambda: trying(undo.undo)),
            Action("Redo", "Ctrl+Shift+Z", lambda: trying(undo.redo)),
            Action("Left side", "F5", lambda: self._side(Side.LEFT)),
            Action("Right side", "F6", lambda: self._side(Side.RIGHT)),
            Action("Fold or show the figure", "F7", self.toggle_figure),
            Action("Fold or show the ledger", "F8", self.toggle_ledger),
        ]

    def _trying(self, act: object) -> None:
        with self.workspace.trying():
            act()  # type: ignore[operator]

    def _stage_keys(self) -> list[Action]:
        """Every key that any stage uses, once; it does what the open stage says."""
        keys = dict.fromkeys(a.key for s in self.stages for a in s.actions if a.key and a.owners is None)
        return [Action("", key, partial(self._stage_key, key)) for key in keys]

    def _stage_key(self, key: str) -> None:
        spec, page = self.specs.get(self.stage), self.pages.get(self.stage)
        action = next((a for a in spec.actions if a.key == key), None) if spec is not None else None
        if action is not None and page is not None:
            action.run(page)

    # going places

    def go_home(self) -> None:
        """The day list."""
        self.leave()
        for page in self.pages.values():
            page.release_files()
        self.workspace.close_case()
        self.stage = ""
        self.columns.show_for(False, False)
        self.welcome()
        self.status.show_step(None)

    def welcome(self) -> None:
        """The people, or the questions of a new record."""
        if is_new(self.workspace.record):
            if self._first is None:
                self._first = FirstStart(self.workspace)
                self._first.begun.connect(self._begun)
                self.stack.addWidget(self._first)
            self.stack.setCurrentWidget(self._first)
            self._first.name.setFocus()
            return
        self.day_list.refresh()
        self.stack.setCurrentWidget(self.day_list)
        self.day_list.search.setFocus()

    def _begun(self, secured: bool) -> None:
        """The record has somebody who works in it."""
        first, self._first = self._first, None
        self.rebuild()
        if first is not None:
            self.stack.removeWidget(first)
            first.deleteLater()
        self.status.say("Ready. Add the first person: Ctrl+N.")
        if secured:
            self.cupboard.protection()

    def open_patient(self, patient: Patient) -> None:
        """Open the newest visit at the stage where the next step lies."""
        if self.workspace.person is None and not self.reception.choose_person():
            return
        self.leave()
        with self.workspace.trying():
            self.workspace.open_patient(patient)
            self.open(self._next().target)

    def go(self, stage_id: str) -> None:
        """Open a stage; one that is not built says what will be here; RED locks testing and loading."""
        self.open(Target(stage_id))

    def open(self, target: Target | None) -> None:
        """Go to what a target names."""
        spec = self.specs.get(target.stage) if target is not None else None
        if spec is None or target is None or self.workspace.case is None:
            return
        if not spec.built:
            self.status.say(spec.promise)
            return
        answer = self.workspace.may(GateAct(spec.name, looks=not spec.guarded))
        if answer.locked and self.workspace.triage() is Triage.RED:
            self._refused(f"Locked: {answer.sentence}.")
            target = self._urgent_step().target
            spec = self.specs[target.stage]
        self.leave()
        self.stage = spec.id
        page = self.page(spec.id)
        self.columns.show_for(True, spec.wide)
        self.stack.setCurrentWidget(page)
        page.enter()
        if target != Target(spec.id):
            page.show_target(target)
        self.refresh()

    def leave(self) -> None:
        """The open stage stops what it runs."""
        page = self.pages.get(self.stage)
        if page is not None:
            page.leave()

    def refresh(self) -> None:
        """Ledger, figure, counts and next step from the case."""
        space = self.workspace
        if space.case is None:
            return
        rows = list(space.comparisons())
        self.ledger.show_rows(rows, self.stage)
        self.figure.show_rows(rows)
        counts = {spec.id: spec.counted(space.case, space.knowledge) for spec in self.stages}
        self.header.show_counts(counts, self.stage)
        self.status.show_step(self._next())

    def _steps(self) -> list[NextStep]:
        """What each stage wants next: what is urgent, then the order chosen for this visit, then the rest."""
        case, knowledge = self.workspace.case, self.workspace.knowledge
        assert case is not None
        urgent = [spec.urgent(case, knowledge) for spec in self.stages]
        usual = [spec.next_step(case, knowledge) for spec in self.stages]
        return [step for step in (*urgent, self.order.next_step(), *usual) if step is not None]

    def _next(self) -> NextStep:
        return self._steps()[0]

    def _urgent_step(self) -> NextStep:
        return self._steps()[0]

    def show_evidence(self, row: Comparison) -> None:
        """Open the frame or the trials that a ledger row rests on."""
        seen = next((o for o in (row.left, row.right) if o is not None), None)
        if seen is not None:
            self.open(target_of(row.measure.stage, seen))

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """A narrow window folds a side."""
        super().resizeEvent(event)
        self.columns.refresh()

    def toggle_figure(self) -> None:
        """Fold or show the figure."""
        self.columns.toggle("figure")

    def toggle_ledger(self) -> None:
        """Fold or show the ledger."""
        self.columns.toggle("ledger")

    # files that come in

    def open_file(self, path: Path) -> bool:
        """Give a file to the open page; False where that takes none."""
        page = self.pages.get(self.stage)
        return page is not None and page.take_file(path)

    def paste(self) -> None:
        """Files or a picture from the clipboard."""
        board = QGuiApplication.clipboard()
        paths = files_of(board.mimeData() if board is not None else None)
        if paths:
            take_files(paths, self.workspace, self)
        else:
            self.status.say("Nothing to paste: copy photographs or clips first.")

    def _take_waiting(self, paths: list[Path]) -> None:
        self.tray.dismiss(take_files(paths, self.workspace, self))

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        """Files may be dropped on any page."""
        data = event.mimeData() if event is not None else None
        if event is not None and data is not None and data.hasUrls():
            event.acceptProposedAction()
            self.status.say("Drop: opens in this visit." if self.workspace.case else "Open a person first, then drop.")

    def dropEvent(self, event: QDropEvent | None) -> None:
        """Open what was dropped."""
        if event is not None:
            take_files(files_of(event.mimeData()), self.workspace, self)
            event.acceptProposedAction()

    # acting

    def new_visit(self) -> None:
        """Begin a visit today."""
        if self.workspace.case is not None:
            self.leave()
            with self.workspace.trying():
                self.workspace.new_visit()
                self.open(self._next().target)

    def plan_visit(self) -> None:
        """Choose tests of all stages and see their order."""
        if self.workspace.case is None:
            return
        dialog = PlanDialog(self, self.workspace, self.order, self.stages)
        dialog.opened.connect(lambda effort: self.open(self.order.target(effort)))
        dialog.exec()

    def rebuild(self) -> None:
        """Pages made anew after other preferences, the open one where it was."""
        stage = self.stage
        self.cover.wait()
        app = QApplication.instance()
        if isinstance(app, QApplication):
            theme.apply(app, theme.chosen(self.workspace.prefer(THEME)))
        self.leave()
        for page in self.pages.values():
            page.release_files()
            self.stack.removeWidget(page)
            page.deleteLater()
        self.pages.clear()
        self.stage = ""
        if stage:
            self.go(stage)
        else:
            self.go_home()

    def explain(self) -> None:
        """F1: how the focused number was worked out, what a control is for, or the help page of what is chosen."""
        widget = QApplication.focusWidget()
        while widget is not None:
            if isinstance(widget, Explainable):
                measure = getattr(getattr(widget, "row", widget), "measure", None)
                about = partial(self.cupboard.help, f"measure:{measure.id}") if measure is not None else None
                ExplainDialog(self, widget.title, widget.explanation() + self._trail_of(widget), about).exec()
                return
            if isinstance(widget, Helpful):
                self.cupboard.help(widget.help_key())
                return
            text = widget.toolTip()
            if text and isinstance(widget, QAbstractButton):
                self.status.say(text)
                return
            widget = widget.parentWidget()
        self.cupboard.help()

    def _trail_of(self, widget: object) -> str:
        """Who wrote the values of a row, when, and what stood before."""
        row = getattr(widget, "row", None)
        if not isinstance(row, Comparison):
            return ""
        record = self.workspace.record
        lines = [line for seen in (row.left, row.right) for line in history(record, row.measure, seen)]
        return "\n\nIn the record\n" + "\n".join(lines) if lines else ""

    def _hint(self, text: str) -> None:
        if text:
            self.status.say(text)

    def _side(self, side: Side) -> None:
        page = self.pages.get(self.stage)
        if page is not None:
            page.choose_side(side)

    # closing

    def may_close(self) -> bool:
        """Whether nothing would be lost, or somebody said that it may be."""
        lost = [text for page in self.pages.values() if (text := page.unfinished())]
        if not lost:
            return True
        words = f"{' '.join(lost)} Close anyway and lose it?"
        return QMessageBox.question(self, "Close", words) == QMessageBox.StandardButton.Yes

    def closeEvent(self, event: QCloseEvent | None) -> None:
        """Everything that was finished is saved already; long work is stopped, files are let go."""
        if not self.may_close():
            if event is not None:
                event.ignore()
            return
        self.shut()
        super().closeEvent(event)

    def shut(self) -> None:
        """Stop what runs, let go of files, cameras and the record; a second time it does nothing."""
        if self._shut:
            return
        self._shut = True
        self.tray.stop()
        self.jobs.stop()
        for page in self.pages.values():
            page.leave()
            page.release_files()
        self.workspace.close()


__all__ = ["Explainable", "Job", "MainWindow"]
