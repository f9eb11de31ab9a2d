"""The workbench window: header, figure, workbench, ledger, status line; it only connects them."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QCloseEvent, QResizeEvent
from PyQt6.QtWidgets import (
    QAbstractButton,
    QApplication,
    QHBoxLayout,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from tuning.core.gate.triage import Triage
from tuning.core.judging.comparison import Comparison
from tuning.core.types import Side
from tuning.core.visit.next_step import NextStep, Progress, next_step
from tuning.records import Capture, PatientRow
from tuning.ui.actions import Action, CommandList, KeySheet, bind
from tuning.ui.day_list import DayList
from tuning.ui.explain import ExplainDialog
from tuning.ui.figure_column import FigureColumn
from tuning.ui.fold_tab import FoldTab
from tuning.ui.force.page import ForcePage
from tuning.ui.forms import PatientForm, PersonDialog
from tuning.ui.header import Header
from tuning.ui.intake.page import IntakePage
from tuning.ui.jobs import Job
from tuning.ui.ledger import Ledger, LedgerRow
from tuning.ui.order.dialog import PlanDialog
from tuning.ui.order.state import OrderState
from tuning.ui.picture.page import PicturePage
from tuning.ui.picture.results import ResultButton
from tuning.ui.picture.side_panel import ReadingRow
from tuning.ui.programme.page import ProgrammePage
from tuning.ui.stages import STAGES
from tuning.ui.standing.page import StandingPage
from tuning.ui.standing.trail import relook
from tuning.ui.status_line import StatusLine
from tuning.ui.strength.page import StrengthPage
from tuning.ui.testrun.page import TestRunPage
from tuning.ui.widgets import rule
from tuning.ui.workspace import Workspace

LOCKED = "Locked: the safety screen is RED. Refer; a recorded clearance lifts the lock."
WIDE_STAGES = ("movement", "force")
GUARDED_STAGES = ("mobility", "movement", "strength", "force", "programme")
"""Testing and loading: locked while a RED stands. Looking, in Standing, stays open."""
PICTURE_KEYS = [
    ("click", "place the chosen mark"),
    ("drag", "move a mark; Escape abandons"),
    ("arrow keys", "nudge the chosen mark by a tenth of a pixel; Shift: one pixel"),
    ("Delete", "remove the chosen mark"),
    ("wheel", "zoom about the pointer; middle button pans"),
]


NARROW = 1240
"""Below this width only one of figure and ledger stands open."""


class MainWindow(QWidget):
    """One case at a time; pages follow the workspace, never each other."""

    def __init__(self, workspace: Workspace) -> None:
        super().__init__()
        self.workspace = workspace
        self.stage = ""
        self.resize(1280, 800)
        self.setMinimumSize(1100, 700)
        self.header = Header(workspace)
        self.figure, self.ledger, self.status = FigureColumn(), Ledger(), StatusLine()
        self.day_list = DayList(workspace)
        self.intake = IntakePage(workspace)
        self.moving = TestRunPage(workspace, "movement", "Movement", looks=1, tall=True, pictures_first=True)
        self.movement = self.moving.bench
        self.order = OrderState(workspace)
        self.strength, self.programme = StrengthPage(workspace, self.order), ProgrammePage(workspace)
        self.standing = StandingPage(workspace)
        self.force = ForcePage(workspace)
        self.mobility = TestRunPage(workspace, "mobility", "Mobility", looks=1)
        self.pages: dict[str, IntakePage | TestRunPage | StrengthPage | ForcePage | ProgrammePage] = {
            "intake": self.intake,
            "standing": self.standing,
            "mobility": self.mobility,
            "movement": self.moving,
            "strength": self.strength,
            "force": self.force,
            "programme": self.programme,
        }
        self._figure_tab = FoldTab("figure", "F7", self.toggle_figure)
        self._ledger_tab = FoldTab("ledger", "F8", self.toggle_ledger)
        self._folded = {"figure": False, "ledger": False}
        self._kept_side = "ledger"
        self._build()
        self._connect()
        self.actions_list = self._actions()
        bind(self, self.actions_list)
        self.go_home()

    def _build(self) -> None:
        self.stack = QStackedWidget()
        for page in (self.day_list, *self.pages.values()):
            self.stack.addWidget(page)
        middle = QHBoxLayout()
        middle.setSpacing(0)
        middle.addWidget(self._figure_tab)
        middle.addWidget(self.figure)
        middle.addWidget(self.stack, 1)
        middle.addWidget(self.ledger)
        middle.addWidget(self._ledger_tab)
        self.setObjectName("paper")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self.header)
        column.addWidget(rule())
        column.addLayout(middle, 1)
        column.addWidget(rule())
        column.addWidget(self.status)

    def _connect(self) -> None:
        space = self.workspace
        space.saved.connect(self.status.tell_saved)
        space.content_changed.connect(self.refresh)
        pages = (self.strength, self.force, self.moving, self.programme, self.intake, self.standing, self.mobility)
        for source in (space.refused, *(page.refused for page in pages), *(b.refused for b in self.benches)):
            source.connect(lambda text: self.status.say(text, caution=True))
        self.strength.plan_wanted.connect(self.plan_visit)
        for teller in (
            self.strength,
            self.force,
            self.programme,
            self.intake,
            self.moving,
            self.standing,
            self.mobility,
        ):
            teller.told.connect(self.status.say)
        for bench in self.benches:
            bench.job_started.connect(self._run)
        self.header.hint.connect(self._hint)
        self.header.stage_chosen.connect(self.go)
        self.header.home_chosen.connect(self.go_home)
        self.header.person_chosen.connect(self.choose_person)
        self.header.commands_chosen.connect(self.show_commands)
        self.header.visit_chosen.connect(self.new_visit)
        self.status.step_chosen.connect(self.go)
        self.figure.station_chosen.connect(self.ledger.filter)
        self.ledger.evidence_wanted.connect(self.show_evidence)
        self.day_list.patient_chosen.connect(self.open_patient)
        self.day_list.new_chosen.connect(self.new_patient)

    @property
    def benches(self) -> tuple[PicturePage, ...]:
        """All picture benches."""
        return self.movement, self.standing.bench, self.mobility.bench

    @property
    def bench(self) -> PicturePage | None:
        """The picture bench on screen, if there is one."""
        return next((b for b in self.benches if b.isVisible()), None)

    def _actions(self) -> list[Action]:
        actions = [
            Action(f"Go to {stage.name}", f"Alt+{n}", partial(self.go, stage.id))
            for n, stage in enumerate(STAGES, start=1)
        ]
        undo = self.workspace.undo
        players = tuple(part for b in self.benches for part in (b.canvas, b.strip))
        return actions + [
            Action("Find an action", "Ctrl+K", self.show_commands),
            Action("Day list", "Ctrl+D", self.go_home),
            Action("New patient", "Ctrl+N", self.new_patient),
            Action("Begin a new visit", "", self.new_visit),
            Action("Who is working", "Ctrl+U", self.choose_person),
            Action("Plan the visit", "Ctrl+Shift+O", self.plan_visit),
            Action("Do the next step", "F2", lambda: self.go(self.status.stage)),
            Action("Explain what is focused", "F1", self.explain),
            Action("Keys of this screen", "Shift+F1", self.show_keys),
            Action("Undo", "Ctrl+Z", undo.undo),
            Action("Redo", "Ctrl+Shift+Z", undo.redo),
            Action("Left side", "F5", lambda: self._side(Side.LEFT)),
            Action("Right side", "F6", lambda: self._side(Side.RIGHT)),
            Action("Fold or show the figure", "F7", self.toggle_figure),
            Action("Fold or show the ledger", "F8", self.toggle_ledger),
            Action("Back one frame", ",", lambda: self._frame(-1), "movement"),
            Action("On one frame", ".", lambda: self._frame(1), "movement"),
            Action("Back ten frames", "Shift+,", lambda: self._frame(-10), "movement"),
            Action("On ten frames", "Shift+.", lambda: self._frame(10), "movement"),
            Action(
                "Play or stop",
                "Space",
                lambda: self._on_bench(lambda b: b.toggle_play()),
                "movement",
                players,
            ),
            Action("One step back", "Alt+Left", self._back, "standing"),
            Action("Patient sheet as PDF", "Ctrl+P", self._sheet, "programme"),
        ]

    # going places

    def go_home(self) -> None:
        """The day list."""
        for bench in self.benches:
            bench.close_picture()
        self.workspace.close_case()
        self.stage = ""
        self.day_list.refresh()
        self.stack.setCurrentWidget(self.day_list)
        self.day_list.search.setFocus()
        self._show_sides()
        self.status.show_step(None)

    def open_patient(self, patient: PatientRow) -> None:
        """Open the newest visit at the stage where the next step lies."""
        if self.workspace.person is None and not self.choose_person():
            return
        self.workspace.open_patient(patient)
        self.go(self._next().stage)

    def go(self, stage_id: str) -> None:
        """Open a stage; one that is not built says what will be here; RED locks testing and loading."""
        stage = next((s for s in STAGES if s.id == stage_id), None)
        if stage is None or self.workspace.patient is None:
            return
        if not stage.built:
            self.status.say(stage.promise)
            return
        if stage_id in GUARDED_STAGES and self.workspace.triage() == (Triage.RED, False):
            self.status.say(LOCKED, caution=True)
            stage_id = "intake"
        for bench in self.benches:
            bench.stop()
        self.force.stop()
        self.stage = stage_id
        wide = stage_id in WIDE_STAGES
        self._folded = {"figure": wide, "ledger": wide}
        self._show_sides()
        self.stack.setCurrentWidget(self.pages[stage_id])
        self.pages[stage_id].enter()
        self.refresh()

    def refresh(self) -> None:
        """Ledger, figure, counts and next step from the record."""
        space = self.workspace
        if space.patient is None:
            return
        rows = space.comparisons()
        self.ledger.show_rows(rows, self.stage)
        self.figure.show_rows(rows)
        stages = ("standing", "mobility", "movement", "strength", "force")
        counts = {stage: sum(r.measure.stage == stage for r in rows) for stage in stages}
        counts["programme"] = len(space.plan())
        counts["intake"] = int(space.screen() is not None)
        self.header.show_counts(counts, self.stage)
        self.status.show_step(self._next())

    def _next(self) -> NextStep:
        space = self.workspace
        level, cleared = space.triage()
        rows, planned = space.comparisons(), len(space.plan())
        ordered = self.order.next_step()
        return next_step(Progress(level, cleared, space.asked_today, rows, planned, relook(space), ordered))

    def show_evidence(self, row: Comparison) -> None:
        """Open the frame or the trials that a ledger row rests on."""
        seen = next((o for o in (row.left, row.right) if o is not None), None)
        if seen is None:
            return
        self.go(row.measure.stage)
        if "capture" not in seen.evidence:
            return
        page = self.pages[row.measure.stage]
        if isinstance(page, TestRunPage):
            page.show_bench()
        for capture in self.workspace.entries(Capture):
            if capture.id == seen.evidence["capture"] and self.bench is not None:
                self.bench.open_capture(capture, int(seen.evidence["frame"]))

    # folding

    def _shown_sides(self) -> list[str]:
        """The side columns that stand open; a narrow window has room for one."""
        shown = [name for name, folded in self._folded.items() if not folded]
        return [self._kept_side] if len(shown) == 2 and self.width() < NARROW else shown

    def _show_sides(self) -> None:
        in_case, shown = self.workspace.patient is not None, self._shown_sides()
        columns: tuple[tuple[str, QWidget, QWidget], ...] = (
            ("figure", self.figure, self._figure_tab),
            ("ledger", self.ledger, self._ledger_tab),
        )
        for name, part, tab in columns:
            part.setVisible(in_case and name in shown)
            tab.setVisible(in_case and name not in shown)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """A narrow window folds a side."""
        super().resizeEvent(event)
        self._show_sides()

    def _toggle(self, name: str) -> None:
        shown = name in self._shown_sides()
        self._folded[name] = shown
        if not shown:
            self._kept_side = name
        self._show_sides()

    def toggle_figure(self) -> None:
        """Fold or show the figure."""
        self._toggle("figure")

    def toggle_ledger(self) -> None:
        """Fold or show the ledger."""
        self._toggle("ledger")

    # acting

    def choose_person(self) -> bool:
        """Ask who is working."""
        dialog = PersonDialog(self.workspace.record, self)
        if dialog.exec() and dialog.person is not None:
            self.workspace.choose_person(dialog.person)
            return True
        return False

    def new_patient(self) -> None:
        """Ask for a new patient and open the first visit."""
        if self.workspace.person is None and not self.choose_person():
            return
        form = PatientForm(self)
        if form.exec() and self.workspace.person is not None:
            self.open_patient(self.workspace.record.add_patient(self.workspace.person, **form.values))

    def new_visit(self) -> None:
        """Begin a visit today."""
        if self.workspace.patient is not None:
            self.workspace.new_visit()
            self.go(self._next().stage)

    def plan_visit(self) -> None:
        """Choose tests of all stages and see their order."""
        if self.workspace.patient is None:
            return
        dialog = PlanDialog(self, self.workspace, self.order)
        dialog.opened.connect(self.open_effort)
        dialog.exec()

    def open_effort(self, effort_id: str) -> None:
        """Go to where an effort of the order is done."""
        test_id = effort_id.split(":")[0]
        effort = next((s.effort for s in self.order.order.stops if s.effort.id == effort_id), None)
        if effort is None:
            return
        self.go(self.order.stage(effort))
        page = self.pages.get(self.stage)
        test = self.workspace.knowledge.tests.get(test_id)
        if isinstance(page, StrengthPage):
            page.state.choose(effort_id)
        elif isinstance(page, ForcePage):
            page.state.choose(test_id.removeprefix("plates-"))
        elif isinstance(page, TestRunPage) and test is not None:
            page.show_walk()
            page.open_test(test)

    def show_commands(self) -> None:
        """The command list."""
        CommandList(self, self.actions_list).exec()

    def show_keys(self) -> None:
        """The keys of this screen."""
        here = ("everywhere", self.stage)
        rows = [(a.key, a.name) for a in self.actions_list if a.key and a.where in here]
        KeySheet(self, rows + (PICTURE_KEYS if self.stage == "movement" else [])).exec()

    def explain(self) -> None:
        """F1: how the focused number was worked out, or what the focused control is for."""
        widget = QApplication.focusWidget()
        while widget is not None:
            if isinstance(widget, LedgerRow | ReadingRow | ResultButton):
                ExplainDialog(self, widget.title, widget.explanation()).exec()
                return
            text = widget.toolTip()
            if text and isinstance(widget, QAbstractButton):
                self.status.say(text)
                return
            widget = widget.parentWidget()
        self.show_keys()

    def _hint(self, text: str) -> None:
        if text:
            self.status.say(text)

    def _run(self, job: Job) -> None:
        job.failed.connect(lambda text: self.status.say(text, caution=True))
        self.status.follow(job)
        self._job = job
        job.start()

    def _side(self, side: Side) -> None:
        page = self.pages.get(self.stage)
        if isinstance(page, StrengthPage | TestRunPage | ForcePage):
            page.choose_side(side)

    def _back(self) -> None:
        page = self.pages.get(self.stage)
        if isinstance(page, TestRunPage | StrengthPage):
            page.back()

    def _frame(self, by: int) -> None:
        self._on_bench(lambda bench: bench.step(by))

    def _on_bench(self, run: Callable[[PicturePage], object]) -> None:
        if self.bench is not None:
            run(self.bench)

    def _sheet(self) -> None:
        if self.stage == "programme":
            self.programme.ask_sheet()

    def closeEvent(self, event: QCloseEvent | None) -> None:
        """Everything is saved already; only let go of files."""
        for bench in self.benches:
            bench.close_picture()
        self.workspace.record.close()
        super().closeEvent(event)
