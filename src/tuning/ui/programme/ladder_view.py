"""Choose: ladders at the left, the rungs as pictures, why one may start, its dose, and the plan."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import (
    QBoxLayout,
    QCheckBox,
    QComboBox,
    QDoubleSpinBox,
    QGridLayout,
    QHBoxLayout,
    QSpinBox,
    QVBoxLayout,
    QWidget,
)

from tuning.core.errors import TuningError
from tuning.core.preferences import LARGE_PRINT, PAPER
from tuning.core.programme.ladders import ConditionState, SideTrial
from tuning.core.programme.progression_step import full_depth
from tuning.core.types import LEGS, Side
from tuning.core.units import mid_sentence
from tuning.ui import theme
from tuning.ui.programme.animated_figure import MovingFigure
from tuning.ui.programme.knee_dial import KneeDial
from tuning.ui.programme.ladder_list import LadderList
from tuning.ui.programme.plan_list import PlanList
from tuning.ui.programme.rung_card import RungCard
from tuning.ui.programme.state import PAPER_NAMES, ProgrammeState
from tuning.ui.symbols import SideSign
from tuning.ui.widgets import Flow, TextField, button, clear_layout, in_scroll, label, separator
from tuning.ui.workspace import Workspace

MARKS = {ConditionState.MET: "●", ConditionState.NOT_MET: "◇", ConditionState.UNKNOWN: "○", ConditionState.LOCKED: "■"}
TRIAL_WORDS = ("not tried", "clean", "with faults", "not felt there", "felt elsewhere")
DOSE_PARTS = (
    ("sets", "sets", 1, 10, ""),
    ("reps", "repetitions", 1, 50, ""),
    ("hold_s", "hold", 5, 300, " s"),
    ("breaths", "breaths", 1, 20, ""),
    ("rest_s", "rest", 0, 300, " s"),
    ("days", "days a week", 1, 7, ""),
    ("extra", "extra sets, poorer side", 0, 3, ""),
    ("depth_deg", "knee bend", 20, 140, "°"),
    ("step_cm", "step", 1, 60, " cm"),
    ("seat_cm", "seat", 20, 70, " cm"),
    ("load_kg", "weight", 0, 200, " kg"),
)
IN_HALVES = ("step_cm", "seat_cm", "load_kg")
"""Parts of a dose that half a unit makes a difference to."""
LISTED = (("tempo", "tempo", "tempos"), ("band", "band", "bands"))
"""Parts of a dose that are chosen of a list: the part, its name, and where the exercise lists them."""


WIDE = 1120
"""From this width on the figure, its steps and what is asked of an exercise stand side by side, px."""


class ChooseView(QWidget):
    """Speaks when the sheet is wanted or something is refused."""

    refused = pyqtSignal(str)
    sheet_wanted = pyqtSignal()

    def __init__(self, workspace: Workspace, state: ProgrammeState) -> None:
        super().__init__()
        self._workspace, self.state = workspace, state
        self._filling = False
        self._cards: list[RungCard] = []
        self.ladders = LadderList(state)
        self.ladders.chosen.connect(self._choose_ladder)
        self.dial = KneeDial(state)
        middle = QVBoxLayout()
        middle.setSpacing(6)
        self.factors = label(role="muted", wrap=True)
        self._flow = QWidget()
        self._card_flow = Flow()
        self._flow.setLayout(self._card_flow)
        for part in (self.factors, self._flow):
            middle.addWidget(part)
        self._pictured = self._picture()
        self._body = QHBoxLayout()
        self._body.setSpacing(20)
        self._body.addLayout(self._pictured)
        self._body.addLayout(self._why(), 1)
        middle.addLayout(self._body, 1)
        inner = QWidget()
        inner.setLayout(middle)
        middle.setContentsMargins(0, 0, 8, 0)
        row = QHBoxLayout(self)
        row.setContentsMargins(20, 4, 20, 10)
        row.setSpacing(20)
        row.addWidget(self.ladders)
        row.addWidget(in_scroll(inner), 1)
        side = in_scroll(self._right())
        side.setFixedWidth(284)
        row.addWidget(side)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """In a narrow window the steps stand beside the figure, and what is asked below both."""
        super().resizeEvent(event)
        side_by_side, stacked = QBoxLayout.Direction.LeftToRight, QBoxLayout.Direction.TopToBottom
        wide = self.width() >= WIDE
        self._body.setDirection(side_by_side if wide else stacked)
        self._pictured.setDirection(stacked if wide else side_by_side)

    # parts

    def _picture(self) -> QBoxLayout:
        both = QVBoxLayout()
        both.setSpacing(4)
        self.figure = MovingFigure()
        self.figure.setFixedSize(220, 240)
        both.addWidget(self.figure)
        column = QVBoxLayout()
        both.addLayout(column)
        buttons = QVBoxLayout()
        self.play = button("Move", self._toggle, tip="The figure moves at the prescribed tempo")
        self.play.setCheckable(True)
        self.variants = QComboBox()
        self.variants.setAccessibleName("Variant")
        self.variants.activated.connect(lambda _: self.state.choose_variant(self.variants.currentData()))
        buttons.addWidget(self.play)
        buttons.addWidget(self.variants)
        column.addLayout(buttons)
        self.steps = label("", theme.BODY, wrap=True)
        self.feel = label("", role="muted", wrap=True)
        for words in (self.steps, self.feel):
            words.setFixedWidth(220)
            column.addWidget(words)
        column.addStretch(1)
        return both

    def _toggle(self) -> None:
        self.figure.play(not self.figure.playing)
        self.play.setChecked(self.figure.playing)

    def _why(self) -> QVBoxLayout:
        column = QVBoxLayout()
        column.setSpacing(4)
        self.name = label("", theme.LARGE, wrap=True)
        self.purpose = label("", theme.BODY, role="muted", wrap=True)
        self.demand = label(role="muted", wrap=True)
        self.cautions = label("", role="caution", wrap=True)
        self.setup = label("", role="muted", wrap=True)
        self._checks = QVBoxLayout()
        self._checks.setSpacing(2)
        self._faults = label("", wrap=True)
        self.placed = label("", wrap=True)
        for part in (self.name, self.purpose, self.demand, self.cautions, self.setup):
            column.addWidget(part)
        column.addWidget(label("Can this exercise start?", theme.BODY, bold=True))
        column.addLayout(self._checks)
        column.addWidget(label("Try-out, 3-5 repetitions or 2 breaths", bold=True))
        column.addLayout(self._trial_rows())
        column.addWidget(self.placed)
        column.addWidget(label("Watch for", theme.BODY, bold=True))
        column.addWidget(self._faults)
        column.addStretch(1)
        return column

    def _trial_rows(self) -> QGridLayout:
        grid = QGridLayout()
        grid.setHorizontalSpacing(8)
        self.clean: dict[Side, QComboBox] = {}
        self.pain: dict[Side, QSpinBox] = {}
        self._trial_parts: dict[Side, list[QWidget]] = {}
        for line, side in enumerate((*LEGS, Side.NONE)):
            clean, pain = QComboBox(), QSpinBox()
            words = side.value if side in LEGS else "both legs"
            clean.addItems(list(TRIAL_WORDS))
            clean.setAccessibleName(f"Trial, {words}")
            pain.setRange(0, 10)
            pain.setAccessibleName(f"Peak pain, {words}")
            pain.setSuffix(" /10 pain")
            clean.activated.connect(lambda _, s=side: self._trial_changed(s))
            pain.valueChanged.connect(lambda _, s=side: self._trial_changed(s))
            self.clean[side], self.pain[side] = clean, pain
            parts: list[QWidget] = [
                SideSign(side, 6),
                label(words, role=side.value if side in LEGS else ""),
                clean,
                pain,
            ]
            self._trial_parts[side] = parts
            for n, part in enumerate(parts):
                grid.addWidget(part, line, n)
        keep = button("Save try-out", self.keep_trials, tip="Written down; the next rung to try is offered")
        grid.addWidget(keep, 3, 2, 1, 2)
        grid.setColumnStretch(4, 1)
        return grid

    def _right(self) -> QWidget:
        inner = QWidget()
        column = QVBoxLayout(inner)
        column.setContentsMargins(0, 0, 12, 0)
        column.setSpacing(5)
        column.addWidget(label("Dose", theme.BODY, bold=True))
        self._dose = QGridLayout()
        self._dose.setVerticalSpacing(4)
        self._spins: dict[str, QSpinBox | QDoubleSpinBox] = {}
        for n, (part, name, low, high, unit) in enumerate(DOSE_PARTS):
            spin = HalfSpin() if part in IN_HALVES else QSpinBox()
            spin.setRange(low, high)
            spin.setSuffix(unit)
            spin.setAccessibleName(name)
            spin.valueChanged.connect(lambda value, p=part: self._dose_changed(p, value))
            self._spins[part] = spin
            self._dose.addWidget(label(name, role="muted"), n, 0)
            self._dose.addWidget(spin, n, 1)
        self._choices: dict[str, QComboBox] = {}
        for n, (part, name, _) in enumerate(LISTED, start=len(DOSE_PARTS)):
            choice = QComboBox()
            choice.setAccessibleName(name)
            choice.activated.connect(lambda _, c=choice, p=part: self.state.set_dose(**{p: c.currentData()}))
            self._choices[part] = choice
            self._dose.addWidget(label(name, role="muted"), n, 0)
            self._dose.addWidget(choice, n, 1)
        column.addLayout(self._dose)
        self.dose_words = label("", wrap=True)
        column.addWidget(self.dose_words)
        self.reason = TextField()
        self.reason.setPlaceholderText("Reason for starting anyway")
        self.reason.setAccessibleName("Reason")
        self._workspace.case_changed.connect(self.reason.clear)
        column.addWidget(self.reason)
        self.write_button = button("Add to plan", self.write, "primary")
        column.addWidget(self.write_button)
        column.addWidget(separator())
        self.plan = PlanList(self._workspace, self.state)
        column.addWidget(self.plan)
        self._print_row(column)
        column.addWidget(separator())
        column.addWidget(self.dial)
        column.addStretch(1)
        wide: list[QWidget] = [self.dose_words, self.reason, self.write_button, self.sheet_button]
        for widget in wide:
            widget.setFixedWidth(252)
        return inner

    def _print_row(self, column: QVBoxLayout) -> None:
        self.sheet_button = button("Patient sheet (PDF)…", self.sheet_wanted.emit, tip="Ctrl+P")
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

    # hands

    def _choose_ladder(self, ladder: str) -> None:
        proposals = {p.ladder: p for p in self.state.proposals()[0]}
        found = proposals.get(ladder)
        rung = found.entry if found is not None else self._workspace.knowledge.ladders[ladder].rungs[0].id
        planned = [i.rung for i in self._workspace.plan() if i.ladder == ladder]
        self.state.choose(self.state.named(planned[0] if planned else rung))

    def _trial_changed(self, side: Side) -> None:
        if self._filling:
            return
        word = self.clean[side].currentText()
        clean, faults, unfelt, elsewhere = TRIAL_WORDS[1:]
        trial = SideTrial(word == clean, self.pain[side].value(), word != unfelt, word == elsewhere)
        self.state.set_trial(side, None if word == TRIAL_WORDS[0] else trial)

    def _dose_changed(self, part: str, value: float) -> None:
        if self._filling:
            return
        whole = part == "depth_deg" and value >= full_depth(self.state.rung)
        counted = part != "depth_deg" and part not in IN_HALVES
        self.state.set_dose(**{part: None if whole else int(value) if counted else float(value)})

    def keep_trials(self) -> None:
        """Write the try-out down; the next rung to try is offered."""
        self._try(lambda: self.state.keep_trials(self.reason.text()))

    def write(self) -> None:
        """Write the rung to the plan, or say why not."""
        if self._try(lambda: self.state.write(self.reason.text())):
            self.reason.clear()
        else:
            self.reason.setFocus()

    def _try(self, act: Callable[[], object]) -> bool:
        try:
            act()
        except TuningError as err:
            self.refused.emit(str(err))
            return False
        return True

    def _choose_print(self) -> None:
        """Large print and paper of the sheet, for this clinic."""
        with self._workspace.trying():
            self._workspace.settings.set(LARGE_PRINT, self.large.isChecked())
            self._workspace.settings.set(PAPER, self.paper.currentText())

    # showing

    def refresh(self) -> None:
        """Follow the state."""
        state, rung = self.state, self.state.rung
        told = state.from_reasoning()
        self.factors.setVisible(bool(told))
        self.factors.setText(f"From reasoning: {'; '.join(told)}.")
        names = {key: ladder.name for key, ladder in self._workspace.knowledge.ladders.items()}
        self.ladders.fill(names, {item.ladder for item in self._workspace.plan()})
        self._show_cards()
        self.figure.show_rung(rung, state.pose, state.dose, state.side)
        self.variants.setVisible(len(rung.poses) > 1)
        self.variants.clear()
        for pose in rung.poses:
            self.variants.addItem(f"{pose.name} (from phase {rung.phase_of(pose).value})", pose.name)
        self.variants.setCurrentIndex(max(0, self.variants.findData(state.pose.name)))
        self.name.setText(rung.name)
        self.purpose.setText(rung.purpose)
        found = rung.demand_of(state.pose, state.dose.depth_deg)
        loaded = " · loaded" if rung.loaded_as(state.pose, state.dose.depth_deg, state.dose.load_kg) else ""
        transition = " · transition: first time supervised" if rung.transition else ""
        self.demand.setText(
            f"Demand (0–3): knee past toes {found.knee}, patella {found.kneecap}, hip {found.hip}, "
            f"balance {found.balance}{loaded}{transition}"
        )
        care = state.cautions()
        self.cautions.setVisible(bool(care))
        self.cautions.setText("Take care: " + "; ".join(care) + ".")
        taught = state.coaching()
        self.setup.setText("Set-up: " + "; ".join(taught.set_up) + ".")
        self.steps.setText("\n".join(f"{n}. {step}" for n, step in enumerate(taught.steps, start=1)))
        self.feel.setText(taught.feel)
        lines = [f"{fault.sign}: “{fault.cue}”" for fault in taught.in_order]
        last = taught.last
        begin = [f"Begin with “{last.cue}”: {mid_sentence(last.sign)} in the last session."] if last is not None else []
        self._faults.setText("\n".join([*begin, *lines, f"Pass: {state.pass_words()}."]))
        self._fill_inputs()
        self._show_checks()
        self.plan.refresh()
        self.sheet_button.setEnabled(bool(self._workspace.plan()))
        self.dial.refresh()

    def _show_cards(self) -> None:
        rungs = self.state.ladder.rungs
        if [card.rung for card in self._cards] != list(rungs):
            for card in self._cards:
                card.setParent(None)
                card.deleteLater()
            while self._card_flow.count():
                self._card_flow.takeAt(0)
            self._cards = [RungCard(rung) for rung in rungs]
            for card in self._cards:
                card.clicked.connect(lambda _, c=card: self.state.choose(c.rung))
                self._card_flow.addWidget(card)
            self._flow.updateGeometry()
        planned = {item.rung for item in self._workspace.plan()}
        phase = self.state.course.phase()[0]
        for card in self._cards:
            card.chosen, card.side = card.rung is self.state.rung, self.state.side
            later = min(card.rung.phase_of(p).place for p in card.rung.poses) > phase.place
            card.mark = "plan" if card.rung.id in planned else "locked" if later else ""
            card.update()

    def _fill_inputs(self) -> None:
        self._filling = True
        sides = self.state.rung.sides
        for side, parts in self._trial_parts.items():
            for part in parts:
                part.setVisible(side in sides)
            trial = self.state.trials.get(side)
            index = 0 if trial is None else _word_of(trial)
            self.clean[side].setCurrentIndex(index)
            if trial is None:
                self.pain[side].setValue(0)
            self.pain[side].setEnabled(trial is not None)
        self._fill_dose()
        placed = self.state.placed()
        words = list(placed.reasons)
        words += [f"Plan: {self.state.named(placed.plan).name}"] if placed.plan else []
        tried = {self.state.named(key).name for key in placed.next_try.values()} if placed.reasons else set()
        words += [f"try next: {', '.join(sorted(tried))}"] if tried else []
        self.placed.setText(". ".join(words))
        self.placed.setVisible(bool(words))
        self._filling = False

    def _fill_dose(self) -> None:
        dose, bends = self.state.dose, full_depth(self.state.rung) >= 60
        for row, (part, spin) in enumerate(self._spins.items()):
            value = getattr(dose, part)
            if part == "depth_deg":
                value = (full_depth(self.state.rung) if value is None else value) if bends else None
            if part == "load_kg" and "load" not in self.state.rung.demands:
                value = None
            if part == "extra" and self.state.rung.sides != LEGS:
                value = None
            self._show_row(row, value is not None)
            if value is not None:
                spin.setValue(value if isinstance(spin, QDoubleSpinBox) else round(value))
        for row, (part, _, listed) in enumerate(LISTED, start=len(DOSE_PARTS)):
            own, known = getattr(dose, part), getattr(self.state.rung, listed)
            self._show_row(row, bool(known))
            self._choices[part].clear()
            for one in dict.fromkeys((*known, own) if known else ()):
                self._choices[part].addItem(replace(dose, tempo=one).tempo_words if part == "tempo" else one, one)
            self._choices[part].setCurrentIndex(self._choices[part].findData(own))
        self.dose_words.setText(f"{dose.text}. About {dose.minutes:.0f} minutes.")

    def _show_row(self, row: int, shown: bool) -> None:
        """A part of the dose with its name, where the exercise has it."""
        for column in (0, 1):
            at = self._dose.itemAtPosition(row, column)
            widget = at.widget() if at is not None else None
            if widget is not None:
                widget.setVisible(shown)

    def _show_checks(self) -> None:
        clear_layout(self._checks)
        for check in self.state.checks():
            row = QHBoxLayout()
            row.setSpacing(8)
            caution = check.state in (ConditionState.LOCKED, ConditionState.NOT_MET)
            mark = label(MARKS[check.state], role="caution" if caution else "")
            row.addWidget(mark, 0, Qt.AlignmentFlag.AlignTop)
            row.addWidget(label(f"{check.state.value}: {check.text}", role="caution" if caution else "", wrap=True), 1)
            self._checks.addLayout(row)
        locked = self.state.locked()
        self.write_button.setEnabled(not locked)
        self.write_button.setToolTip(locked)
        self.reason.setVisible(bool(self.state.open_points()) and not locked)


class HalfSpin(QDoubleSpinBox):
    """Whole and half units; a whole one is written without its nought."""

    def __init__(self) -> None:
        super().__init__()
        self.setDecimals(1)
        self.setSingleStep(0.5)

    def textFromValue(self, value: float) -> str:
        """As it is said: 10, 2.5."""
        return f"{value:g}"


def _word_of(trial: SideTrial) -> int:
    """The choice that says what a try-out was."""
    return 1 if trial.clean else 4 if trial.wrong else 3 if not trial.felt else 2
