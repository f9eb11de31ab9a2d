"""The safety screen: one key a question; RED locks, AMBER asks, a clearance names who and why."""

from __future__ import annotations

from dataclasses import replace
from datetime import UTC, date, datetime

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QComboBox,
    QDateEdit,
    QHBoxLayout,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from tuning.core.entries import Clearance, Screen
from tuning.core.errors import BadInput
from tuning.core.gate.limits import StandingLimits, limit_sets, limits_from_answers
from tuning.core.gate.measured import grounds
from tuning.core.gate.text import finding_name, standing_words
from tuning.core.gate.triage import TriageResult, screen, screen_entry
from tuning.core.programme.log_mapping import alarms_open
from tuning.core.types import Role, Triage
from tuning.core.units import sentence_case
from tuning.ui import theme
from tuning.ui.actions import bind_owners
from tuning.ui.formatting import day
from tuning.ui.intake.limit_fields import LimitFields
from tuning.ui.intake.safety_questions import ROW, AnswerList
from tuning.ui.widgets import TextField, button, elided, label, separator
from tuning.ui.workspace import Workspace

EFFECT = {
    Triage.NONE: "Testing and loading are open.",
    Triage.AMBER: "Maximal, break and fast tests and loaded rungs need a licensed clinician's reason, which is saved.",
    Triage.RED: "Refer. Testing and loading are locked; only a clearance of each finding lifts the lock.",
}
WHOLE = Qt.ItemDataRole.ToolTipRole
"""The whole name of a finding whose choice shows it shortened."""


class SafetyPanel(QWidget):
    """Ask, record, clear, refer."""

    refused = pyqtSignal(str)
    message = pyqtSignal(str)
    letter_wanted = pyqtSignal(str)

    def __init__(self, workspace: Workspace) -> None:
        super().__init__()
        self._space = workspace
        self._picked = False
        """Whether the finding that is cleared was chosen by hand; else it is the most urgent one."""
        table = workspace.knowledge.safety
        self.list = AnswerList(table)
        self.sheet = QScrollArea()
        self.sheet.setWidget(self.list)
        self.sheet.setWidgetResizable(True)
        self.sheet.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.list.moved.connect(lambda y: self.sheet.ensureVisible(0, y, 0, round(2 * ROW)))
        self.again = label(table.again, theme.BODY, wrap=True)
        self.nothing_new = button(
            "Nothing new", self.record_nothing_new, "primary", "Enter: no change since last screen"
        )
        bind_owners((self.nothing_new,), "Return", self.record_nothing_new)
        self.level = label("", theme.LARGE, bold=True)
        self.why = label("", theme.BODY, wrap=True)
        self.note = TextField()
        self.note.setPlaceholderText("What was said, or the surgeon's limit, for example: surgeon, no jumps")
        self.note.setAccessibleName("Note to the safety screen")
        self.save = button("Record the screen", self.record, "primary")
        self.standing = label("", theme.BODY, wrap=True)
        self.refer = button("Referral note…", lambda: self.letter_wanted.emit("referral"))
        self._build()
        self.list.answered.connect(self.refresh)
        workspace.content_changed.connect(self.refresh)
        workspace.case_changed.connect(self._forget)
        workspace.reloaded.connect(self._show_answers)
        self._forget()

    def _build(self) -> None:
        again = QHBoxLayout()
        again.setSpacing(12)
        again.addWidget(self.again, 1)
        again.addWidget(self.nothing_new)
        self.again_row = QWidget()
        self.again_row.setLayout(again)
        again.setContentsMargins(0, 0, 0, 0)
        head = QHBoxLayout()
        about = "Ask before any testing or loading. Y or N answers, G says no to the rest of a group. No diagnosis."
        head.addWidget(label(about, role="muted"), 1)
        bottom = QHBoxLayout()
        bottom.setSpacing(12)
        bottom.addWidget(self.note, 1)
        bottom.addWidget(self.save)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        column.addWidget(self.again_row)
        column.addLayout(head)
        column.addWidget(self.sheet, 1)
        self.limits = LimitFields(self._space.knowledge.safety)
        column.addWidget(self.limits)
        result = QHBoxLayout()
        result.setSpacing(16)
        result.addWidget(self.level, 0, Qt.AlignmentFlag.AlignTop)
        result.addWidget(self.why, 1)
        column.addLayout(result)
        column.addLayout(bottom)
        column.addWidget(separator())
        kept = QHBoxLayout()
        kept.setSpacing(12)
        kept.addWidget(self.standing, 1)
        kept.addWidget(self.refer, 0, Qt.AlignmentFlag.AlignTop)
        column.addLayout(kept)
        column.addWidget(self._clearance())
        self.setFocusProxy(self.list)

    def _clearance(self) -> QWidget:
        self.clearance = QWidget()
        self.cleared_by, self.cleared_on, self.result = TextField(), QDateEdit(), TextField()
        self.subject = QComboBox()
        self.subject.setAccessibleName("The finding or limit that is cleared; each by itself")
        self.subject.setFixedWidth(235)
        self.subject.activated.connect(lambda _: setattr(self, "_picked", True))
        self.subject.setPlaceholderText("Which finding?")
        self.cleared_by.setPlaceholderText("Cleared by")
        self.cleared_by.setMinimumWidth(110)
        self.result.setPlaceholderText("Result")
        self.cleared_on.setDate(date.today())
        self.cleared_on.setDisplayFormat("d MMM yyyy")
        self.cleared_on.setFixedWidth(122)
        for part, name in ((self.cleared_by, "Cleared by"), (self.cleared_on, "Cleared on"), (self.result, "Result")):
            part.setAccessibleName(name)
        row = QHBoxLayout(self.clearance)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(8)
        row.addWidget(self.subject)
        row.addWidget(self.cleared_by, 1)
        row.addWidget(self.cleared_on)
        row.addWidget(self.result, 2)
        row.addWidget(button("Record clearance", self.clear))
        return self.clearance

    def _forget(self) -> None:
        for field in (self.note, self.cleared_by, self.result):
            field.clear()
        self.cleared_on.setDate(date.today())
        self.subject.clear()
        self._picked = False
        self._show_answers()

    def _show_answers(self) -> None:
        """What was answered in the open visit."""
        kept = self._space.entries(Screen)
        self.list.answers, self.list.at = dict(kept[-1].answers) if kept else {}, 0
        self.list.same = set(kept[-1].same) if kept else set()
        self.limits.show_screen(kept[-1] if kept else None)
        self.list.fit()
        self.refresh()

    def begin(self) -> None:
        """Ready for the keys: Enter on “Nothing new” where a screen stands, else Y and N."""
        self.refresh()
        (self.nothing_new if self.again_row.isVisible() else self.list).setFocus()

    def screened(self, measured: bool = True) -> TriageResult:
        """What the answers so far amount to, with what was measured; that is no part of a screen, it counts alone."""
        patient = self._space.patient
        assert patient is not None
        table, case = self._space.knowledge.safety, self._space.case
        today = date.today()
        known = grounds(table.measured, case.entries, patient.involved, today) if case is not None and measured else ()
        return screen(table, self.list.answers, patient.age_on(today), known)

    def _cleared(self) -> dict[str, str]:
        """Questions whose yes was cleared at an earlier visit, with the day: it is asked whether it is the same."""
        found, visit = self._space.standing(), self._space.visit
        lifted = found.lifted if found is not None else ()
        return {
            key: f"{f.clearance.on:%-d %b}"
            for f in lifted
            if f.clearance is not None and visit is not None and f.clearance.visit != visit.uid
            for key in f.why
        }

    def _limits(self) -> StandingLimits:
        told, table = limits_from_answers(self.list.answers), self._space.knowledge.safety
        try:
            return limit_sets(table.limits, told, self.limits.facts())
        except BadInput:
            return limit_sets(table.limits, told)

    def record(self) -> None:
        """Keep the answers and their level; NONE needs every question answered, RED does not wait."""
        left = len(self.list.table.unanswered(self.list.answers))
        found = self.screened(measured=False)
        if left and found.level is not Triage.RED:
            self.refused.emit(f"{left} questions have no answer yet; G, or “no to these”, answers a group.")
            return
        said = self.note.text().strip()
        note = "; ".join(part for part in (found.text, self._limits().text, said) if part)
        try:
            facts = self.limits.facts()
        except BadInput as err:
            self.refused.emit(str(err))
            return
        made = screen_entry(found, self.list.answers, note, said, datetime.now(UTC))
        if self._keep(replace(made, numbers=facts.numbers, until=facts.until, same=tuple(sorted(self.list.same)))):
            self.note.clear()

    def record_nothing_new(self) -> None:
        """The one line at a later visit: what stood, stands, and nothing that was cleared comes back."""
        found = self._space.standing()
        if found is not None:
            case, rules = self._space.case, self._space.knowledge.progression
            if case is not None and alarms_open(case.entries, rules, date.today()):
                self.refused.emit("An exercise alarmed since: one line does not answer it. Go through the questions.")
                return
            before = found.screen
            self._keep(Screen(found.level, before.answers, before.rules, before.note, before.said, again=True))

    def clear(self) -> None:
        """Keep who cleared the chosen finding or limit, when and with what result."""
        found = self._space.standing()
        who, result = self.cleared_by.text().strip(), self.result.text().strip()
        when, subject = self.cleared_on.date().toPyDate(), str(self.subject.currentData() or "")
        if found is None:
            return
        if not subject:
            self.refused.emit("Choose the finding that is cleared; the finding you chose is no longer open.")
            return
        with self._space.trying():
            with self._space.action(f"clearance: {self.subject.currentData(WHOLE)}") as act:
                act.add(Clearance(found.screen.uid, who, when, result, subject))
            self.cleared_by.clear()
            self.result.clear()
            self._picked = False

    def _keep(self, kept: Screen) -> bool:
        """True once the screen is in the record."""
        done = False
        with self._space.trying():
            with self._space.action(f"safety screen {kept.level.value}") as act:
                act.add(kept)
            done = True
        return done

    def refresh(self) -> None:
        """Follow the answers and the record."""
        space = self._space
        if not self.isVisible() or space.patient is None:
            return
        self.again_row.setVisible(space.standing() is not None and not space.asked_today)
        self.limits.follow(self.list.answers)
        self.list.cleared = self._cleared()
        found = self.screened()
        left = len(self.list.table.unanswered(self.list.answers))
        started = bool(self.list.answers)
        unknown = left and found.level is Triage.NONE
        self.level.setText(f"{left} to ask" if unknown or not started else found.level.value)
        cited = [f"{r.name} ({r.source})" if r.source else r.name for r in found.hits]
        limits = self._limits()
        if limits:
            cited.append(f"{limits.text} (matching tests and rungs stay locked until cleared)")
        elif self.list.answers.get("surgeon"):
            cited.append("say which limit it is; none named yet, so no test is locked by it")
        self.why.setText("; ".join(cited) + (". " if cited else "") + ("" if unknown else EFFECT[found.level]))
        self._show_standing()

    def _show_standing(self) -> None:
        found, table = self._space.standing(), self._space.knowledge.safety
        standing = found.open if found is not None else ()
        self.clearance.setVisible(bool(standing) and self._space.role is Role.CLINICIAN)
        self.refer.setVisible(bool(standing))
        chosen, typed = self.subject.currentData(), self.cleared_by.text() or self.result.text()
        self.subject.clear()
        for finding in standing:
            self.subject.addItem(elided(self.subject, finding_name(finding, table)), finding.id)
            self.subject.setItemData(self.subject.count() - 1, finding_name(finding, table), WHOLE)
        at = self.subject.findData(chosen) if self._picked or typed else 0
        # What was typed for one finding is no clearance of another, when that one was cleared elsewhere meanwhile.
        self.subject.setCurrentIndex(at if at >= 0 or typed else 0)
        if found is None:
            self.standing.setText("Not asked yet: testing and loading stay locked.")
            return
        said = f" “{found.screen.said}”." if found.screen.said else ""
        who = f"Asked {day(found.screen.at)} by {found.screen.who}.{said}"
        told = standing_words(found, table) or "NONE: no open findings"
        lifted = " ".join(
            f"{sentence_case(finding_name(f, table))}: cleared by {f.clearance.by} on {f.clearance.on:%-d %b %Y}, "
            f"{f.clearance.result}."
            for f in found.lifted
            if f.clearance is not None
        )
        self.standing.setText(f"{told}. {who} {lifted}".strip())
