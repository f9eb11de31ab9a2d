"""The log and what follows from it: a decision for each exercise, confirmed or overruled; mornings; load; phase."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path

from PyQt6.QtCore import QDate, pyqtSignal
from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDateEdit,
    QFileDialog,
    QGridLayout,
    QHBoxLayout,
    QInputDialog,
    QSpinBox,
    QVBoxLayout,
    QWidget,
)

from tuning.core.entries import Done, NextDayResponse, PlanItem
from tuning.core.errors import TuningError
from tuning.core.programme.joint_load import REGIONS, last_tolerated
from tuning.core.programme.log_mapping import ALARMS, amended
from tuning.core.programme.progression_state import ProgressionDecision, ProgressionMove
from tuning.core.types import LEGS, Side
from tuning.ui import theme
from tuning.ui.programme.exports import Exports
from tuning.ui.programme.load_chart import LoadChart
from tuning.ui.programme.phase_view import PhaseView
from tuning.ui.programme.plan_controller import PlanController, done_of
from tuning.ui.widgets import TextField, button, clear_layout, in_scroll, label, separator
from tuning.ui.workspace import Workspace

OVERRULES = {"Climb": ProgressionMove.CLIMB, "Hold": ProgressionMove.HOLD, "Step back": ProgressionMove.BACK}
LAST_SHOWN = 4
ALARM_WORDS = {
    "giving way": "gave way", "catch": "caught or locked", "swelling": "new swelling", "numb": "numb", "dizzy": "dizzy",
    "painkiller": "took a painkiller",
}  # fmt: skip
"""What every line of the home log asks, in words."""


class LogView(QWidget):
    """Decisions at the left, log, load and phase at the right."""

    refused = pyqtSignal(str)
    message = pyqtSignal(str)

    def __init__(self, workspace: Workspace, course: PlanController, exports: Exports) -> None:
        super().__init__()
        self._workspace, self._course, self._exports = workspace, course, exports
        self._leg_of = ""
        self.phase = PhaseView(workspace, course)
        self._decisions = QVBoxLayout()
        self._decisions.setSpacing(6)
        left = QWidget()
        column = QVBoxLayout(left)
        column.setContentsMargins(0, 0, 8, 0)
        column.addWidget(label("What comes next", theme.BODY, bold=True))
        column.addLayout(self._decisions)
        column.addStretch(1)
        row = QHBoxLayout(self)
        row.setContentsMargins(20, 4, 20, 12)
        row.setSpacing(24)
        row.addWidget(in_scroll(left), 3)
        row.addWidget(in_scroll(self._right()), 2)

    def _right(self) -> QWidget:
        inner = QWidget()
        column = QVBoxLayout(inner)
        column.setContentsMargins(0, 0, 8, 0)
        column.setSpacing(6)
        column.addWidget(label("Log at home", theme.BODY, bold=True))
        column.addLayout(self._typed())
        files = QHBoxLayout()
        files.addWidget(button("Page for the phone…", self._ask_page, tip="A page that works without a network"))
        files.addWidget(button("Read a log…", self.ask_log, tip="The file that the phone page saved"))
        files.addWidget(button("Type a code…", self.ask_code, tip="The code that the phone page showed, or a message"))
        files.addStretch(1)
        column.addLayout(files)
        column.addWidget(label("Other load: work, sport, household", theme.BODY, bold=True))
        column.addLayout(self._other())
        column.addWidget(separator())
        head = QHBoxLayout()
        head.addWidget(label("Load", theme.BODY, bold=True))
        self.region = QComboBox()
        self.region.addItems(list(REGIONS))
        self.region.setAccessibleName("Region of the load")
        self.region.activated.connect(lambda _: self._show_load())
        self.leg = QComboBox()
        for side in LEGS:
            self.leg.addItem(f"{side.value} leg", side)
        self.leg.setAccessibleName("Leg of the load")
        self.leg.activated.connect(lambda _: self._show_load())
        head.addWidget(self.region)
        head.addWidget(self.leg)
        head.addStretch(1)
        column.addLayout(head)
        self.chart = LoadChart()
        column.addWidget(self.chart)
        self.load_words = label("", role="muted", wrap=True)
        column.addWidget(self.load_words)
        column.addWidget(separator())
        column.addWidget(self.phase)
        column.addStretch(1)
        return inner

    def _typed(self) -> QGridLayout:
        grid = QGridLayout()
        self.item, self.side, self.day = QComboBox(), QComboBox(), QDateEdit()
        self.pain, self.faulty, self.felt = QSpinBox(), QSpinBox(), QComboBox()
        self.morning = QComboBox()
        self.day.setDisplayFormat("d MMM yyyy")
        self.day.setAccessibleName("Day of the session")
        self.pain.setRange(0, 10)
        self.pain.setSuffix(" /10 pain")
        self.faulty.setRange(0, 100)
        self.faulty.setSuffix(" % faulty")
        self.felt.addItems(["felt there", "not felt there", "felt elsewhere"])
        for morning in NextDayResponse:
            self.morning.addItem(f"morning after: {morning.value}", morning)
        self.morning.setCurrentIndex(2)
        named = ((self.item, "Exercise"), (self.side, "Side"), (self.pain, "Peak pain"), (self.faulty, "Faulty share"),
                 (self.felt, "Where it was felt"), (self.morning, "Morning after"))  # fmt: skip
        for widget, name in named:
            widget.setAccessibleName(name)
        places = ((self.item, 0, 0), (self.side, 0, 1), (self.day, 1, 0), (self.felt, 1, 1), (self.pain, 2, 0),
                  (self.faulty, 2, 1), (self.morning, 3, 0))  # fmt: skip
        for part, line, column in places:
            part.setMinimumWidth(120)
            grid.addWidget(part, line, column)
        grid.addWidget(button("Add", self.add_typed, "primary"), 3, 1)
        self.alarms: dict[str, QCheckBox] = {}
        asked = QGridLayout()
        asked.setVerticalSpacing(2)
        for n, alarm in enumerate(ALARMS):
            self.alarms[alarm] = QCheckBox(ALARM_WORDS[alarm])
            self.alarms[alarm].setFont(theme.font())
            asked.addWidget(self.alarms[alarm], n // 2, n % 2)
        grid.addLayout(asked, 4, 0, 1, 2)
        grid.setColumnStretch(0, 1)
        grid.setColumnStretch(1, 1)
        self.item.activated.connect(lambda _: self._fill_sides())
        return grid

    def _other(self) -> QGridLayout:
        """What was done beside the exercises; it stands in the same weeks."""
        self.what, self.amount, self.unit, self.effort = TextField(), QSpinBox(), QComboBox(), QSpinBox()
        self.what.setPlaceholderText("car-deck ramps")
        self.amount.setRange(0, 2000)
        self.unit.addItems(["min", "km", "h standing"])
        self.effort.setRange(0, 10)
        self.effort.setPrefix("effort ")
        for widget, name in ((self.what, "Other load"), (self.amount, "How much"), (self.unit, "Unit of the load"),
                             (self.effort, "Effort, 0 to 10")):  # fmt: skip
            widget.setAccessibleName(name)
        grid = QGridLayout()
        grid.addWidget(self.what, 0, 0, 1, 3)
        for column, part in enumerate((self.amount, self.unit, self.effort)):
            grid.addWidget(part, 1, column)
            grid.setColumnStretch(column, 1)
        self.after = QComboBox()
        for morning in NextDayResponse:
            self.after.addItem(f"morning after: {morning.value}", morning)
        self.after.setCurrentIndex(self.after.findData(NextDayResponse.UNKNOWN))
        self.after.setAccessibleName("Morning after the load")
        grid.addWidget(self.after, 2, 0, 1, 2)
        grid.addWidget(button("Add", self.add_other), 2, 2)
        return grid

    # hands

    def add_other(self) -> None:
        """One line of other load on the day of the log; what was refused stays in the fields."""
        before = self._workspace.case
        with self._workspace.trying():
            day = self.day.date().toPyDate()
            amount, unit = float(self.amount.value()), self.unit.currentText()
            morning = NextDayResponse(self.after.currentData())
            self._course.log_other(self.what.text(), day, amount, unit, self.effort.value(), morning)
        if self._workspace.case is not before:
            self.what.clear()
            self.amount.setValue(0)
            self.after.setCurrentIndex(self.after.findData(NextDayResponse.UNKNOWN))

    def add_typed(self) -> None:
        """One line of the home log."""
        item = self._chosen()
        if item is None:
            self.refused.emit("The plan is empty; nothing can be logged.")
            return
        day = self.day.date().toPyDate()
        if day > self._course.today:
            self.refused.emit("That date is in the future.")
            return
        felt = self.felt.currentIndex()
        with self._workspace.trying():
            self._course.log(
                done_of(
                    item, self.side.currentData(), day, pain=self.pain.value(), faulty=float(self.faulty.value()),
                    felt=felt == 0, wrong=felt == 2, morning=NextDayResponse(self.morning.currentData()), source="home",
                    alarms=tuple(alarm for alarm, box in self.alarms.items() if box.isChecked()),
                )
            )  # fmt: skip
            for box in self.alarms.values():
                box.setChecked(False)

    def _chosen(self) -> PlanItem | None:
        plan = self._workspace.plan()
        return plan[self.item.currentIndex()] if 0 <= self.item.currentIndex() < len(plan) else None

    def _ask_page(self) -> None:
        from tuning.ui.programme.page import ProgrammePage

        page = self.parentWidget()
        while page is not None and not isinstance(page, ProgrammePage):
            page = page.parentWidget()
        if page is not None:
            page.ask_log_page()

    def ask_log(self) -> None:
        """Choose the file that came back."""
        source, _ = QFileDialog.getOpenFileName(self, "Home log", str(Path.home()), "Home log (*.json)")
        if source:
            self.read_log(Path(source))

    def ask_code(self) -> None:
        """Type or paste the code that came back; one that is not right is asked again, as it was typed."""
        typed, is_meant = "", True
        while is_meant:
            typed, is_meant = QInputDialog.getMultiLineText(self, "Home log", "Code from the phone page", typed)
            if is_meant and self.read_code(typed):
                return

    def read_log(self, source: Path) -> bool:
        """Take a home log in; the same one twice adds nothing."""
        return self._take(partial(self._exports.read_log, source), f"“{source.name}”")

    def read_code(self, text: str) -> bool:
        """Take the code of a home log in; whether it could be read."""
        return self._take(partial(self._exports.read_code, text), "the code")

    def _take(self, read: Callable[[], tuple[list[Done], list[tuple[Done, Done]]]], source: str) -> bool:
        try:
            added, changed = read()
            if added or changed:
                with self._workspace.action("home log") as act:
                    for one in added:
                        act.add(one)
                    for one, old in changed:
                        act.replace(amended(old, one, self._workspace.knowledge.progression), old)
        except TuningError as err:
            self.refused.emit(str(err))
            return False
        lines = "1 line" if len(added) == 1 else f"{len(added)} lines"
        self.message.emit(f"{lines} added, {len(changed)} changed from {source}.")
        return True

    def _confirm(self, item: PlanItem, decision: ProgressionDecision, reason: TextField) -> None:
        with self._workspace.trying():
            self._course.confirm(item, decision, reason.text())

    def _overrule(self, item: PlanItem, choice: QComboBox, reason: TextField) -> None:
        with self._workspace.trying():
            self._course.overrule(item, OVERRULES[choice.currentText()], reason.text())

    # showing

    def refresh(self) -> None:
        """Follow the record."""
        plan = self._workspace.plan()
        clear_layout(self._decisions)
        for item in plan:
            self._decisions.addWidget(self._card(item))
        if not plan:
            self._decisions.addWidget(label("The plan is empty: choose a rung under Ladders (1).", role="muted"))
        names = [self._workspace.knowledge.rung(item.rung).name for item in plan]
        if [self.item.itemText(n) for n in range(self.item.count())] != names:
            self.item.clear()
            self.item.addItems(names)
        self._fill_sides()
        today = self._course.today
        if self.day.date().toPyDate() > today or self.day.date().year() < 2001:
            self.day.setDate(QDate(today.year, today.month, today.day))
        self.phase.refresh()
        self._show_leg()
        self._show_load()

    def _fill_sides(self) -> None:
        item = self._chosen()
        sides = self._workspace.knowledge.rung(item.rung).sides if item is not None else ()
        if [self.side.itemData(n) for n in range(self.side.count())] != list(sides):
            self.side.clear()
            for side in sides:
                self.side.addItem(side.value if side in LEGS else "both legs", side)

    def _show_leg(self) -> None:
        """The involved leg first; a choice stays with its person."""
        patient = self._workspace.patient
        if patient is not None and patient.uid != self._leg_of:
            self._leg_of = patient.uid
            self.leg.setCurrentIndex(max(0, self.leg.findData(patient.involved)))

    def _show_load(self) -> None:
        region, side = self.region.currentText(), self.leg.currentData()
        weeks = self._course.weeks(side)
        graded = not any(w.regions.get(region) for w in weeks)
        found = last_tolerated(weeks, region, self._course.today, graded)
        self.chart.show_load(weeks, f"{region}, {side.value} leg", region, found, graded)
        tolerated = (
            f"Last tolerated: {found.load:.0f} (week of {found.monday:%-d %b}); next at most {found.most_next:.0f}."
            if found
            else "No week with load had all its mornings settled yet."
        )
        beside = [f"{o.day:%-d %b} {o.what} {o.amount:g} {o.unit}, effort {o.effort}/10" for o in self._course.beside()]
        told = f" Beside it in the last 7 days: {'; '.join(beside)}." if beside else ""
        self.load_words.setText(
            f"{tolerated} Ring: mornings settled; filled: not settled; dotted: incomplete. By a planar model of a "
            f"usual build, error not known: compare weeks, not people.{self._course.stature_words()}{told}"
        )

    def _card(self, item: PlanItem) -> QWidget:
        rung = self._workspace.knowledge.rung(item.rung)
        decision = self._course.decision(item)
        step = self._course.after(item, decision)
        card = QWidget()
        column = QVBoxLayout(card)
        column.setContentsMargins(0, 4, 0, 8)
        column.setSpacing(3)
        column.addWidget(label(rung.name, theme.BODY, bold=True))
        goes = f": {step.words}" if step is not None else ""
        head = label(f"{decision.move.value.upper()}{goes}", theme.LARGE, wrap=True)
        column.addWidget(head)
        column.addWidget(label(f"Why: {decision.reason} (rule {decision.row}).", wrap=True))
        for words in [w for w in decision.also if step is None or w != step.words]:
            column.addWidget(label(words, role="caution", wrap=True))
        dose = self._course.dose_now(item).text
        column.addWidget(label(f"Changes with: {decision.reverses}. Dose now: {dose}.", role="muted", wrap=True))
        column.addLayout(self._sessions(item))
        column.addLayout(self._choice(item, decision))
        column.addWidget(separator())
        return card

    def _choice(self, item: PlanItem, decision: ProgressionDecision) -> QHBoxLayout:
        row = QHBoxLayout()
        reason, choice = TextField(), QComboBox()
        reason.setPlaceholderText("Reason, where you overrule or the gate asks")
        reason.setAccessibleName("Reason of the decision")
        choice.addItems([words for words, move in OVERRULES.items() if move is not decision.move])
        choice.setAccessibleName("Other decision")
        row.addWidget(button("Confirm", partial(self._confirm, item, decision, reason), "primary"))
        row.addWidget(reason, 1)
        row.addWidget(choice)
        overrule = button("Overrule", partial(self._overrule, item, choice, reason))
        overrule.setEnabled(decision.override != "nobody")
        row.addWidget(overrule)
        return row

    def _sessions(self, item: PlanItem) -> QVBoxLayout:
        """The last days, and the mornings that are not told yet."""
        column = QVBoxLayout()
        column.setSpacing(2)
        by_day: dict[object, list[Done]] = {}
        for one in self._course.done(item):
            by_day.setdefault(one.day, []).append(one)
        for day in sorted(by_day, reverse=True)[:LAST_SHOWN]:  # type: ignore[type-var]
            done = by_day[day]
            told = [f"{_side(d.side)}pain {d.pain}/10, {d.faulty:.0f} % faulty" + _more(d) for d in done]
            row = QHBoxLayout()
            row.addWidget(label(f"{done[0].day:%-d %b}: {'; '.join(told)}", wrap=True), 1)
            if any(d.morning == NextDayResponse.UNKNOWN for d in done):
                row.addWidget(label("next morning", role="muted"))
                row.addWidget(button("settled", partial(self._morning, done, NextDayResponse.SETTLED), "link"))
                row.addWidget(button("not settled", partial(self._morning, done, NextDayResponse.NOT), "link"))
            else:
                row.addWidget(label(f"morning {done[0].morning}", role="muted"))
            column.addLayout(row)
        return column

    def _morning(self, done: list[Done], morning: NextDayResponse) -> None:
        with self._workspace.trying():
            self._course.set_morning(done, morning)


def _side(side: Side) -> str:
    return f"{side.value} " if side in LEGS else ""


def _more(done: Done) -> str:
    """What else was told of a session."""
    felt = ", felt elsewhere" if done.wrong else ", not felt there" if not done.felt else ""
    cut = f", {done.after_cut}/10 after the cut" if done.after_cut is not None else ""
    return felt + cut + "".join(f", {alarm}" for alarm in done.alarms)
