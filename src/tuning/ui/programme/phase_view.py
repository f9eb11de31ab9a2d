"""The phase of a plan: why it stands there, what would let it go on, what was accepted, and the discharge."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PyQt6.QtWidgets import QCheckBox, QComboBox, QHBoxLayout, QInputDialog, QVBoxLayout, QWidget

from tuning.core.programme.phases import Phase
from tuning.core.programme.rules import PainPolicy
from tuning.core.units import sentence_case
from tuning.ui import theme
from tuning.ui.programme.plan_controller import PlanController
from tuning.ui.widgets import button, clear_layout, label
from tuning.ui.workspace import Workspace

CONCERNED = {Phase.SETTLE: "no stage", Phase.RESTORE: "mobility", Phase.LOAD: "strength", Phase.RETURN: ""}
"""The stage whose side gaps keep a plan in a phase; all of them before a discharge."""


class PhaseView(QWidget):
    """Phase and school by choice; gaps and goals one to a line, each with what can be decided about it."""

    def __init__(self, workspace: Workspace, course: PlanController) -> None:
        super().__init__()
        self._workspace, self._course = workspace, course
        self._filling = False
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        column.addWidget(label("Phase", theme.BODY, bold=True))
        self.words = label("", wrap=True)
        column.addWidget(self.words)
        choices = QHBoxLayout()
        self.phase, self.school = QComboBox(), QComboBox()
        self.phase.setAccessibleName("Phase of the plan")
        self.school.setAccessibleName("Pain school")
        for phase in Phase:
            self.phase.addItem(phase.value, phase)
        self.school.addItem("strict: pain at most 2", PainPolicy.STRICT)
        self.school.addItem("monitored: to 5 if settled", PainPolicy.MONITORED)
        self.phase.activated.connect(lambda _: self._set_phase())
        self.school.activated.connect(lambda _: self._set_school())
        choices.addWidget(self.phase)
        choices.addWidget(self.school, 1)
        column.addLayout(choices)
        self.load = QCheckBox("A goal of the patient needs load")
        self.load.setToolTip("Without one, restore leads on to return")
        self.load.clicked.connect(self._set_load)
        column.addWidget(self.load)
        self._lines = QVBoxLayout()
        self._lines.setSpacing(4)
        column.addLayout(self._lines)

    # hands

    def _set_phase(self) -> None:
        wanted, reason = self.phase.currentData(), ""
        missing = self._course.phase_missing()
        if wanted.place > self._course.phase()[0].place and missing:
            reason = self._ask("Phase", f"Still missing: {'; '.join(missing)}. Reason to go on anyway:")
        self._do(partial(self._course.set_phase, wanted, reason))

    def _set_school(self) -> None:
        self._do(partial(self._course.set_school, self.school.currentData()))

    def _set_load(self, needed: bool) -> None:
        self._do(partial(self._course.ends.set_needs_load, needed))

    def _discharge(self) -> None:
        missing, reason = self._course.ends.missing(), ""
        if missing:
            reason = self._ask("Discharge", f"Still missing: {'; '.join(missing)}. Reason to discharge anyway:")
        self._do(partial(self._course.ends.discharge, reason))

    def _with_reason(self, question: str, deed: Callable[[str], None]) -> None:
        """Ask for the reason; Esc leaves everything as it was."""
        reason, given = QInputDialog.getText(self, "Reason", question)
        if given:
            self._do(partial(deed, reason))

    def _ask(self, title: str, question: str) -> str:
        return QInputDialog.getText(self, title, question)[0]

    def _do(self, deed: Callable[[], None]) -> None:
        if self._filling:
            return
        with self._workspace.trying():
            deed()
        self.refresh()

    # showing

    def refresh(self) -> None:
        """Follow the record."""
        self._filling = True
        phase, why = self._course.phase()
        self.phase.setCurrentIndex(self.phase.findData(phase))
        self.school.setCurrentIndex(self.school.findData(self._course.school()))
        self.load.setChecked(self._course.ends.needs_load())
        score = self._course.score_words()
        deload = " This week has fewer sets and no climb (deload)." if self._course.deload() else ""
        told = f" {sentence_case(score)}." if score else ""
        self.words.setText(f"{phase.value}: {why}. {self._leaves(phase)}{told}{deload}")
        clear_layout(self._lines)
        self._show_lines(phase)
        self._filling = False

    def _leaves(self, phase: Phase) -> str:
        """What it takes to leave a phase; the last one is left by discharge."""
        if phase is Phase.RETURN:
            found = self._course.ends.discharged()
            if found is not None:
                return f"Discharged on {found.at.astimezone():%-d %b} by {found.who}."
            missing = self._course.ends.missing()
            return f"For a discharge: {'; '.join(missing)}." if missing else "Discharge is possible."
        missing = self._course.phase_missing()
        return f"To leave it: {'; '.join(missing)}." if missing else "It may be left."

    def _show_lines(self, phase: Phase) -> None:
        ends = self._course.ends
        gaps = [g for g in ends.gaps() if CONCERNED[phase] in (g.measure.stage, "")]
        if gaps:
            self._lines.addWidget(label("Side gaps that keep the plan here, or were accepted", bold=True))
        for gap in gaps:
            if gap.accepted is None:
                deed = partial(self._with_reason, f"{gap.words}. Why it may stay:", partial(ends.accept, gap))
                self._line(gap.words, "accept…", deed)
            else:
                words = f"{gap.words}; {gap.why_accepted}"
                self._line(words, "open again", partial(self._do, partial(ends.open_again, gap)))
        for goal in ends.goals() if phase is Phase.RETURN else ():
            question = f"“{goal}” is given up. The patient's reason:"
            self._line(
                f"goal open: {goal}", "close…", partial(self._with_reason, question, partial(ends.close_goal, goal))
            )
        for goal, found in ends.closed_goals().items() if phase is Phase.RETURN else ():
            words = f"goal closed: {goal}, {found.who}, {found.at.astimezone():%-d %b}: {found.reason}"
            self._line(words, "open again", partial(self._do, partial(ends.open_goal, goal)))
        if phase is Phase.RETURN:
            if ends.discharged() is None:
                self._lines.addWidget(button("Discharge…", self._discharge))
            else:
                self._lines.addWidget(button("Take the discharge back", partial(self._do, ends.take_back_discharge)))

    def _line(self, words: str, deed: str, action: Callable[[], object]) -> None:
        row = QHBoxLayout()
        row.addWidget(label(words, role="muted", wrap=True), 1)
        row.addWidget(button(deed, action, "link"))
        self._lines.addLayout(row)
