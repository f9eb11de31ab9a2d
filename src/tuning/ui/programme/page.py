"""The Programme workbench: choose the rung, see why, set the dose, print the sheet."""

from __future__ import annotations

from collections.abc import Callable
from datetime import date
from functools import partial
from pathlib import Path

from PyQt6.QtCore import Qt, QUrl
from PyQt6.QtGui import QDesktopServices
from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QFileDialog,
    QGridLayout,
    QHBoxLayout,
    QScrollArea,
    QSpinBox,
    QVBoxLayout,
    QWidget,
)

from tuning.core.entries import PlanItem
from tuning.core.errors import TuningError
from tuning.core.programme.ladders import Dose, State, Trial
from tuning.core.types import LEGS, Side
from tuning.core.visit.target import Target
from tuning.ui import theme
from tuning.ui.programme.rung_card import RungCard
from tuning.ui.programme.state import LARGE_PRINT, PAPER, PAPER_NAMES, ProgrammeState
from tuning.ui.signs import SideSign
from tuning.ui.stage import StagePage
from tuning.ui.widgets import Line, button, empty, label, rule
from tuning.ui.workspace import Workspace

MARKS = {State.MET: "●", State.NOT_MET: "◇", State.UNKNOWN: "○", State.LOCKED: "■"}
TRIAL_WORDS = ("not tried", "clean", "with faults")


class ProgrammePage(StagePage):
    """Cards on top, the chosen rung below, the plan at the right."""

    def __init__(self, workspace: Workspace) -> None:
        super().__init__()
        self._workspace = workspace
        self.state = ProgrammeState(workspace)
        self._cards = [RungCard(rung) for rung in self.state.ladder.rungs]
        self._filling = False
        self._build()
        self.state.changed.connect(self.refresh)

    def _build(self) -> None:
        head = QHBoxLayout()
        head.addWidget(label(self.state.ladder.name, theme.TITLE))
        head.addStretch(1)
        head.addWidget(label("easier to harder, one step at a time", role="muted"))
        cards = QHBoxLayout()
        cards.setSpacing(8)
        for card in self._cards:
            card.clicked.connect(lambda _, c=card: self.state.choose(c.rung))
            cards.addWidget(card)
        body = QHBoxLayout()
        body.setSpacing(24)
        body.addLayout(self._left(), 1)
        body.addLayout(self._right())
        inner = QWidget()
        column = QVBoxLayout(inner)
        column.setContentsMargins(24, 8, 24, 12)
        column.setSpacing(8)
        column.addLayout(head)
        self.factors = label(role="muted", wrap=True)
        column.addWidget(self.factors)
        column.addLayout(cards)
        column.addLayout(body, 1)
        area = QScrollArea()
        area.setWidgetResizable(True)
        area.setWidget(inner)
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        outer.addWidget(area)

    def _left(self) -> QVBoxLayout:
        column = QVBoxLayout()
        column.setSpacing(4)
        self.name = label("", theme.LARGE)
        self.purpose = label("", theme.BODY, role="muted", wrap=True)
        self.demand = label(role="muted")
        self._checks = QVBoxLayout()
        self._checks.setSpacing(2)
        self._faults = label("", role="muted", wrap=True)
        for part in (self.name, self.purpose, self.demand):
            column.addWidget(part)
        column.addSpacing(4)
        column.addWidget(label("Can this exercise start?", theme.BODY, bold=True))
        column.addLayout(self._checks)
        column.addSpacing(4)
        column.addWidget(label("Placement trial, 3-5 repetitions", bold=True))
        column.addLayout(self._trial_rows())
        column.addSpacing(4)
        column.addWidget(self._faults)
        column.addStretch(1)
        return column

    def _trial_rows(self) -> QGridLayout:
        grid = QGridLayout()
        grid.setHorizontalSpacing(8)
        self.clean: dict[Side, QComboBox] = {}
        self.pain: dict[Side, QSpinBox] = {}
        for line, side in enumerate(LEGS):
            clean, pain = QComboBox(), QSpinBox()
            clean.addItems(list(TRIAL_WORDS))
            clean.setAccessibleName(f"Trial, {side.value}")
            pain.setRange(0, 10)
            pain.setAccessibleName(f"Peak pain, {side.value}")
            pain.setSuffix(" /10 pain")
            clean.activated.connect(lambda _, s=side: self._trial_changed(s))
            pain.valueChanged.connect(lambda _, s=side: self._trial_changed(s))
            self.clean[side], self.pain[side] = clean, pain
            grid.addWidget(SideSign(side, 6), line, 0)
            grid.addWidget(label(side.value, role=side.value), line, 1)
            grid.addWidget(clean, line, 2)
            grid.addWidget(pain, line, 3)
        grid.setColumnStretch(4, 1)
        return grid

    def _right(self) -> QVBoxLayout:
        column = QVBoxLayout()
        column.setSpacing(6)
        column.addWidget(label("Dose", theme.BODY, bold=True))
        self._dose = QGridLayout()
        self._spins: dict[str, QSpinBox] = {}
        for n, (part, name, low, high, unit) in enumerate(
            (
                ("sets", "sets", 1, 10, ""),
                ("reps", "repetitions", 1, 50, ""),
                ("hold_s", "hold", 5, 300, " s"),
                ("rest_s", "rest", 0, 300, " s"),
                ("days", "days a week", 1, 7, ""),
            )
        ):
            spin = QSpinBox()
            spin.setRange(low, high)
            spin.setSuffix(unit)
            spin.setAccessibleName(name)
            spin.valueChanged.connect(lambda value, p=part: self._dose_changed(p, value))
            self._spins[part] = spin
            self._dose.addWidget(label(name, role="muted"), n, 0)
            self._dose.addWidget(spin, n, 1)
        column.addLayout(self._dose)
        self.dose_words = label("", wrap=True)
        column.addWidget(self.dose_words)
        self.reason = Line()
        self.reason.setPlaceholderText("Reason for starting while a condition is open")
        self.reason.setAccessibleName("Reason")
        column.addWidget(self.reason)
        self.write_button = button("Add to plan", self.write, "primary")
        column.addWidget(self.write_button)
        column.addWidget(rule())
        column.addWidget(label("Plan", theme.BODY, bold=True))
        self._plan = QVBoxLayout()
        self._plan.setSpacing(4)
        column.addLayout(self._plan)
        self.sheet_button = button("Patient sheet (PDF)…", self.ask_sheet, tip="Ctrl+P")
        column.addWidget(self.sheet_button)
        self.large, self.paper = QCheckBox("large print"), QComboBox()
        self.large.setFont(theme.font())
        self.paper.addItems(list(PAPER_NAMES))
        self.paper.setAccessibleName("Paper of the patient sheet")
        self.large.setChecked(self._workspace.settings.get(LARGE_PRINT, False))
        self.paper.setCurrentText(self._workspace.settings.get(PAPER, PAPER_NAMES[0]))
        self.large.clicked.connect(lambda _: self._choose_print())
        self.paper.activated.connect(lambda _: self._choose_print())
        printing = QHBoxLayout()
        printing.addWidget(self.large)
        printing.addWidget(self.paper)
        printing.addStretch(1)
        column.addLayout(printing)
        column.addStretch(1)
        wide: list[QWidget] = [self.dose_words, self.reason, self.write_button, self.sheet_button]
        for widget in wide:
            widget.setFixedWidth(284)
        return column

    def enter(self) -> None:
        """The stage is shown."""
        self.refresh()

    def show_target(self, target: Target) -> None:
        """A rung."""
        rung = next((card.rung for card in self._cards if card.rung.id == target.rung), None)
        if rung is not None:
            self.state.choose(rung)

    def _withdraw(self, item: PlanItem) -> None:
        with self._workspace.trying():
            self.state.withdraw(item)

    def _trial_changed(self, side: Side) -> None:
        if self._filling:
            return
        word = self.clean[side].currentText()
        trial = None if word == TRIAL_WORDS[0] else Trial(word == TRIAL_WORDS[1], self.pain[side].value())
        self.state.set_trial(side, trial)

    def _dose_changed(self, part: str, value: int) -> None:
        if not self._filling:
            self.state.set_dose(**{part: value})

    def write(self) -> None:
        """Write the rung to the plan, or say why not."""
        try:
            self.state.write(self.reason.text())
        except TuningError as err:
            self.refused.emit(str(err))
            self.reason.setFocus()
            return
        self.reason.clear()

    def ask_sheet(self) -> None:
        """Ask where the sheet goes, write it and open it."""
        self._ask("Patient sheet", "exercises", self.save_sheet)

    def ask_values(self) -> None:
        """Ask where the measured values go, write them and open them."""
        self._ask("Measured values", "values", self.save_values)

    def _ask(self, title: str, kind: str, save: Callable[[Path], bool]) -> None:
        patient = self._workspace.patient
        if patient is None:
            return
        proposed = str(Path.home() / f"{patient.name.replace(' ', '-')}-{kind}.pdf")
        target, _ = QFileDialog.getSaveFileName(self, title, proposed, "PDF (*.pdf)")
        if target and save(Path(target)):
            QDesktopServices.openUrl(QUrl.fromLocalFile(target))

    def save_sheet(self, target: Path) -> bool:
        """Write the sheet; False with a sentence when it cannot be."""
        return self._save(self.state.print_sheet, target, "Patient sheet")

    def save_values(self, target: Path) -> bool:
        """Write the measured values for colleagues; False with a sentence when they cannot be."""
        return self._save(self.state.print_values, target, "Measured values")

    def _save(self, write: Callable[[Path, date], None], target: Path, what: str) -> bool:
        try:
            write(target, date.today())
        except TuningError as err:
            self.refused.emit(str(err))
            return False
        self.told.emit(f"{what} written to {target}")
        return True

    def _choose_print(self) -> None:
        """Large print and paper of the sheet, for this clinic."""
        with self._workspace.trying():
            self._workspace.settings.set(LARGE_PRINT, self.large.isChecked())
            self._workspace.settings.set(PAPER, self.paper.currentText())

    def refresh(self) -> None:
        """Follow the state; a hidden page waits until it is entered."""
        if not self.isVisible():
            return
        if self._workspace.patient is None:
            return
        told = self.state.from_reasoning()
        self.factors.setVisible(bool(told))
        self.factors.setText(f"From reasoning: {'; '.join(told)}.")
        rung = self.state.rung
        planned = {item.rung for item in self._workspace.plan()}
        for card in self._cards:
            card.chosen, card.mark = card.rung is rung, "plan" if card.rung.id in planned else ""
            card.update()
        self.name.setText(rung.name)
        self.purpose.setText(rung.purpose)
        loaded = " · loaded: needs a safety screen" if rung.loaded else ""
        transition = " · transition: first time supervised" if rung.transition else ""
        demand = f"knee demand {rung.knee_demand} · hip {rung.hip_demand} · balance {rung.balance_demand} of 3"
        self.demand.setText(demand + loaded + transition)
        faults = [self._workspace.knowledge.faults[f].sign.lower() for f in rung.faults]
        self._faults.setText(f"Watch for: {'; '.join(faults)}.\nPass: {rung.pass_words}.")
        self._fill_inputs()
        self._show_checks()
        self._show_plan()

    def _fill_inputs(self) -> None:
        self._filling = True
        for side in LEGS:
            trial = self.state.trials.get(side)
            index = 0 if trial is None else 1 if trial.clean else 2
            self.clean[side].setCurrentIndex(index)
            if trial is None:
                self.pain[side].setValue(0)
            self.pain[side].setEnabled(trial is not None)
        dose = self.state.dose
        for row, (part, spin) in enumerate(self._spins.items()):
            value = getattr(dose, part)
            name = self._dose.itemAtPosition(row, 0)
            for widget in (spin, name.widget() if name else None):
                if widget is not None:
                    widget.setVisible(value is not None)
            if value is not None:
                spin.setValue(value)
        self.dose_words.setText(f"{dose.text}. About {dose.minutes:.0f} minutes.")
        self._filling = False

    def _show_checks(self) -> None:
        empty(self._checks)
        for check in self.state.checks():
            row = QHBoxLayout()
            row.setSpacing(8)
            caution = check.state in (State.LOCKED, State.NOT_MET)
            mark = label(MARKS[check.state], role="caution" if caution else "")
            row.addWidget(mark, 0, Qt.AlignmentFlag.AlignTop)
            row.addWidget(label(f"{check.state.value}: {check.text}", role="caution" if caution else "", wrap=True), 1)
            self._checks.addLayout(row)
        locked = self.state.locked()
        self.write_button.setEnabled(not locked)
        self.write_button.setToolTip(locked)
        self.reason.setVisible(bool(self.state.open_points()) and not locked)

    def _show_plan(self) -> None:
        empty(self._plan)
        plan = self._workspace.plan()
        self.sheet_button.setEnabled(bool(plan))
        if not plan:
            self._plan.addWidget(label("Nothing prescribed yet.", role="muted"))
        for item in plan:
            row = QHBoxLayout()
            words = label(f"{self.state.named(item.rung).name}, {item.first_side.value} first", bold=True)
            row.addWidget(words, 1)
            row.addWidget(button("Withdraw", partial(self._withdraw, item), "link"))
            self._plan.addLayout(row)
            self._plan.addWidget(label(Dose(**item.dose).text, role="muted", wrap=True))
            if item.reason:
                text = f"Started anyway: {item.reason} ({item.who})"
                self._plan.addWidget(label(text, role="caution", wrap=True))
