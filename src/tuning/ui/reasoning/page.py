"""The Reasoning workbench: patterns, the balance of one, what to do next."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QCheckBox, QHBoxLayout, QSizePolicy, QVBoxLayout

from tuning.core.preferences import HABIT, REGIONAL
from tuning.core.reasoning.evidence import EvidenceItem
from tuning.core.reasoning.next_best_test import Option
from tuning.core.target import Target
from tuning.ui import theme
from tuning.ui.empty_page import EmptyPage
from tuning.ui.reasoning.balance_view import BalanceView
from tuning.ui.reasoning.dialogs import OverruleDialog, SummaryDialog, TrailDialog
from tuning.ui.reasoning.next_test_panel import NextPanel
from tuning.ui.reasoning.pattern_figure import PatternColumn
from tuning.ui.reasoning.state import ReasoningState
from tuning.ui.stage import StagePage
from tuning.ui.widgets import ElidedLabel, in_scroll, label
from tuning.ui.workspace import Workspace

EMPTY = (
    "No pattern was seen yet. Patterns come from clips, plates, tests and what hurts: measure something first, "
    "and come back."
)
STANDING_LINE = "static-knee-line"


class ReasoningPage(StagePage):
    """Digits start a test, P takes a factor to the programme, O overrules it."""

    def __init__(self, workspace: Workspace) -> None:
        super().__init__()
        self._space = workspace
        self.state = ReasoningState(workspace)
        self.patterns, self.view = PatternColumn(self.state), BalanceView(self.state)
        self.next = NextPanel(self.state, self)
        self.title, self.about = ElidedLabel(theme.TITLE), label(role="muted", wrap=True)
        self.empty = EmptyPage(EMPTY, ("Plan the visit…", self.plan_wanted.emit))
        self.regional = self._school("Foot and hip first", REGIONAL, "A school: the knee mostly follows foot and hip")
        self.habit = self._school("Right-sided habit", HABIT, "A school: weight on the right as a habit")
        schools = QHBoxLayout()
        schools.setSpacing(16)
        schools.addWidget(label("Schools", role="muted"))
        schools.addWidget(self.regional)
        schools.addWidget(self.habit)
        self.own_table = label(role="muted")
        schools.addWidget(self.own_table)
        schools.addStretch(1)
        middle = QVBoxLayout()
        middle.setSpacing(6)
        middle.addWidget(self.title)
        middle.addWidget(self.about)
        self._scroll = in_scroll(self.view)
        middle.addWidget(self._scroll, 1)
        middle.addWidget(self.empty, 1)
        middle.addLayout(schools)
        row = QHBoxLayout(self)
        row.setContentsMargins(20, 8, 20, 12)
        row.setSpacing(20)
        row.addWidget(self.patterns)
        row.addLayout(middle, 1)
        column = in_scroll(self.next)
        column.setSizePolicy(QSizePolicy.Policy.Minimum, QSizePolicy.Policy.Expanding)
        row.addWidget(column)
        self.state.changed.connect(self.refresh)
        self.view.opened.connect(self.open_chip)
        self.next.started.connect(self.start)

    def _school(self, name: str, key: str, tip: str) -> QCheckBox:
        made = QCheckBox(name)
        made.setFont(theme.font())
        made.setToolTip(tip)
        made.clicked.connect(lambda on: self._set_school(key, on))
        return made

    def _set_school(self, key: str, on: bool) -> None:
        with self._space.trying():
            self.state.set_school(key, on)

    def help_key(self) -> str:
        """The help page of what is chosen."""
        sheet = self.state.sheet
        return f"factor:{sheet.factor.id}" if sheet is not None else ""

    def enter(self) -> None:
        """The stage is shown."""
        self.state.changed.emit()
        self.view.setFocus()

    def show_target(self, target: Target) -> None:
        """A factor by its id."""
        if target.factor and not self.state.choose_factor(target.factor):
            name = self._space.knowledge.reasoning.factors[target.factor].name
            self.message.emit(f"{name} bears on no pattern that was seen.")

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """1 to 3, P, O, and the keys of the balance from anywhere on the page."""
        if event is None:
            return
        digit = event.key() - Qt.Key.Key_1
        options = self.state.options() if 0 <= digit < 3 else []
        if digit in range(len(options)):
            self.start(options[digit])
        elif event.key() == Qt.Key.Key_P:
            self.to_programme()
        elif event.key() == Qt.Key.Key_O:
            self.overrule()
        else:
            super().keyPressEvent(event)

    def start(self, option: Option) -> None:
        """Go to a test; a trial of cause says how it is done."""
        self.target_wanted.emit(self.state.target(option))
        if option.change:
            name = self._space.knowledge.reasoning.changes[option.change].name
            self.message.emit(f"Film plain, then with {name}, then plain again; say under the clip what was changed.")

    def open_chip(self, chip: EvidenceItem) -> None:
        """Look at what a line of evidence rests on, or go to its test."""
        target = self.state.evidence(chip)
        if target is None:
            self.message.emit("A trial of cause: measure, change one thing, measure, take it away, measure again.")
        else:
            self.target_wanted.emit(target)

    def to_programme(self) -> None:
        """Take the chosen factor to the programme."""
        with self._space.trying():
            self.target_wanted.emit(self.state.to_programme())

    def overrule(self) -> None:
        """Another label for the chosen factor, with a reason."""
        if self.state.sheet is not None:
            OverruleDialog(self, self.state).exec()

    def summary(self) -> None:
        """Plain words for the record and for the patient."""
        SummaryDialog(self, self.state).exec()

    def show_trail(self) -> None:
        """What was suspected when."""
        TrailDialog(self, self.state.turns()).exec()

    def refresh(self) -> None:
        """Follow the state; a hidden page waits until it is entered."""
        if not self.isVisible() or self._space.case is None:
            return
        state, one = self.state, self.state.balance
        refer = state.conclusion.refer
        self.title.setText("Refer" if refer else one.seen.name if one is not None else "Reasoning")
        self.about.setText(self._about())
        self.empty.setVisible(one is None)
        self.empty.setText(refer or EMPTY)
        self._scroll.setVisible(one is not None)
        for box, on in ((self.regional, state.schools.regional), (self.habit, state.schools.habit)):
            box.setChecked(on)
        whose = self._space.knowledge.reasoning.set_by
        self.own_table.setText(f"Own table of this clinic, set by {whose}" if whose else "")

    def _about(self) -> str:
        """What raised the pattern, whether the standing line is known, and which school orders the list."""
        one = self.state.balance
        if one is None:
            return ""
        raised = list(dict.fromkeys(self.state.raised(look) for _, look in one.seen.raised))
        parts = ["; ".join(raised[:3])]
        if one.seen.pattern.id == "knee-in":
            known = any(key[0] == STANDING_LINE for key in self.state.conclusion.found.values)
            parts.append("standing line known" if known else "standing line not known")
        if one.seen.pattern.region == "knee" and self.state.schools.regional:
            parts.append("foot and hip first (school on)")
        return " · ".join(part for part in parts if part)
