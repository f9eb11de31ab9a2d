"""The safety screen: one key a question; RED locks, AMBER asks, a clearance names who and why."""

from __future__ import annotations

from datetime import date
from pathlib import Path

from PyQt6.QtCore import QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import (
    QDateEdit,
    QFileDialog,
    QHBoxLayout,
    QScrollArea,
    QSizePolicy,
    QVBoxLayout,
    QWidget,
)

from tuning.core.entries import Clearance, Screen
from tuning.core.errors import TuningError
from tuning.core.gate.limits import StandingLimits, standing_limits
from tuning.core.gate.triage import SafetyQuestion, SafetyTable, Screened, screen
from tuning.core.types import Triage
from tuning.exchange.referral import Referral, write_referral
from tuning.ui import theme
from tuning.ui.intake.panels import COMPLAINT, site_text
from tuning.ui.widgets import Line, button, label, rule
from tuning.ui.words import day
from tuning.ui.workspace import Workspace

EFFECT = {
    Triage.NONE: "Testing and loading are open.",
    Triage.AMBER: "Maximal tests and loaded rungs need a licensed clinician and a reason, kept in the record.",
    Triage.RED: "Refer. Testing and loading are locked; only a recorded clearance lifts the lock.",
}
ROW, DENSE, FEW = 27.0, 24.0, 13
"""Height of a row; many questions sit closer."""


class AnswerList(QWidget):
    """Questions in two columns; Y and N answer and go on, arrows move, a click sets."""

    answered = pyqtSignal()
    moved = pyqtSignal(int)
    """Height of the question that is next."""

    def __init__(self, table: SafetyTable) -> None:
        super().__init__()
        self.table = table
        self.answers: dict[str, bool] = {}
        self.at = 0
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.fit()

    def sizeHint(self) -> QSize:
        """As tall as half the questions that are due."""
        return QSize(720, round(self._row() * self._rows() + 6))

    def due(self) -> list[SafetyQuestion]:
        """The questions that are due, given the answers."""
        return self.table.asked(self.answers)

    def _rows(self) -> int:
        return (len(self.due()) + 1) // 2

    def _row(self) -> float:
        return ROW if self._rows() <= FEW else DENSE

    def fit(self) -> None:
        """Take the height that the due questions need."""
        self.setFixedHeight(round(self._row() * self._rows() + 6))
        question = self.due()[self.at]
        self.moved.emit(round(self._box(self.at).center().y()))
        self.setAccessibleName(f"Safety question {self.at + 1}: {question.text}. Y yes, N no.")

    def _box(self, index: int) -> QRectF:
        rows, height = self._rows(), self._row()
        width = self.width() / 2
        left = 4 + (width + 8) * (index // rows)
        return QRectF(left, height * (index % rows), width - 16, height)

    def answer(self, key: str, yes: bool) -> None:
        """Answer one question; follow-up questions come and go with it."""
        self.answers[key] = yes
        kept = {q.id for q in self.due()}
        self.answers = {k: v for k, v in self.answers.items() if k in kept}
        self.fit()
        self.update()
        self.answered.emit()

    def rest_no(self) -> None:
        """No to everything that has no answer yet."""
        for question in self.table.unanswered(self.answers):
            self.answers[question.id] = False
        self.fit()
        self.update()
        self.answered.emit()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Y, N, arrows."""
        if event is None:
            return
        due, rows = self.due(), self._rows()
        moves = {Qt.Key.Key_Down: 1, Qt.Key.Key_Up: -1, Qt.Key.Key_Right: rows, Qt.Key.Key_Left: -rows}
        key = event.text().lower()
        if key in ("y", "n"):
            self.answer(due[self.at].id, key == "y")
            self.at = min(self.at + 1, len(self.due()) - 1)
        elif event.key() in moves:
            self.at = min(max(self.at + moves[Qt.Key(event.key())], 0), len(due) - 1)
        else:
            super().keyPressEvent(event)
            return
        self.fit()
        self.update()

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """Yes or no under the pointer."""
        if event is None:
            return
        for index, question in enumerate(self.due()):
            box = self._box(index)
            if box.contains(event.position()):
                self.at = index
                from_right = box.right() - event.position().x()
                if from_right < 84:
                    self.answer(question.id, from_right >= 42)
                self.update()
                return

    def paintEvent(self, _: QPaintEvent | None) -> None:
        """Text, yes and no; the answer is filled."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        for index, question in enumerate(self.due()):
            box = self._box(index)
            painter.setPen(QPen(theme.colour("line"), 1))
            painter.drawLine(box.bottomLeft(), box.bottomRight())
            painter.setFont(theme.font())
            indent = 16 if question.after else 0
            room = box.adjusted(indent, 0, -92, 0)
            painter.setPen(theme.colour("ink"))
            text = painter.fontMetrics().elidedText(question.text, Qt.TextElideMode.ElideRight, int(room.width()))
            painter.drawText(room, Qt.AlignmentFlag.AlignVCenter, text)
            for n, (words, yes) in enumerate((("yes", True), ("no", False))):
                cell = QRectF(box.right() - 84 + 42 * n, box.top() + 2, 40, box.height() - 4)
                chosen = self.answers.get(question.id) is yes
                role = "caution" if yes else "muted"
                painter.setPen(QPen(theme.colour(role if chosen else "line"), 1))
                painter.setBrush(theme.colour(role if chosen else "panel"))
                painter.drawRoundedRect(cell, 3, 3)
                painter.setPen(theme.colour("on_accent" if chosen else "ink"))
                painter.drawText(cell, Qt.AlignmentFlag.AlignCenter, words)
            if self.hasFocus() and index == self.at:
                painter.setPen(QPen(theme.colour("accent"), 2))
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.drawRoundedRect(box.adjusted(-3, 1, 1, -1), 3, 3)


class SafetyPanel(QWidget):
    """Ask, record, clear, refer."""

    refused = pyqtSignal(str)
    told = pyqtSignal(str)

    def __init__(self, workspace: Workspace) -> None:
        super().__init__()
        self._space = workspace
        table = workspace.knowledge.safety
        self.list = AnswerList(table)
        self.sheet = QScrollArea()
        self.sheet.setWidget(self.list)
        self.sheet.setWidgetResizable(True)
        self.sheet.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.list.moved.connect(lambda y: self.sheet.ensureVisible(0, y, 0, round(2 * ROW)))
        self.again = label(table.again, theme.BODY, wrap=True)
        self.nothing_new = button("Nothing new", self.record_nothing_new, "primary")
        self.level = label("", theme.LARGE, bold=True)
        self.why = label("", theme.BODY, wrap=True)
        self.note = Line()
        self.note.setPlaceholderText("What was said, or the surgeon's limit, for example: surgeon, no jumps")
        self.note.setAccessibleName("Note to the safety screen")
        self.save = button("Record the screen", self.record, "primary")
        self.standing = label("", theme.BODY, wrap=True)
        self.refer = button("Referral note as PDF…", self._ask_note)
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
        head.addWidget(label("Ask before any loading: Y or N. This is not a diagnosis.", role="muted"), 1)
        head.addWidget(button("Answer No to the rest", self.list.rest_no))
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
        result = QHBoxLayout()
        result.setSpacing(16)
        result.addWidget(self.level, 0, Qt.AlignmentFlag.AlignTop)
        result.addWidget(self.why, 1)
        column.addLayout(result)
        column.addLayout(bottom)
        column.addWidget(rule())
        kept = QHBoxLayout()
        kept.setSpacing(12)
        kept.addWidget(self.standing, 1)
        kept.addWidget(self.refer, 0, Qt.AlignmentFlag.AlignTop)
        column.addLayout(kept)
        column.addWidget(self._clearance())
        self.setFocusProxy(self.list)

    def _clearance(self) -> QWidget:
        self.clearance = QWidget()
        self.cleared_by, self.cleared_on, self.result = Line(), QDateEdit(), Line()
        self.cleared_by.setPlaceholderText("Cleared by (name)")
        self.result.setPlaceholderText("With what result")
        self.cleared_on.setDate(date.today())
        self.cleared_on.setDisplayFormat("d MMM yyyy")
        for part, name in ((self.cleared_by, "Cleared by"), (self.cleared_on, "Cleared on"), (self.result, "Result")):
            part.setAccessibleName(name)
        row = QHBoxLayout(self.clearance)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(8)
        row.addWidget(self.cleared_by, 1)
        row.addWidget(self.cleared_on)
        row.addWidget(self.result, 2)
        row.addWidget(button("Record clearance", self.clear))
        return self.clearance

    def _forget(self) -> None:
        self.note.clear()
        self._show_answers()

    def _show_answers(self) -> None:
        """What was answered in the open visit."""
        kept = self._space.entries(Screen)
        self.list.answers, self.list.at = dict(kept[-1].answers) if kept else {}, 0
        self.list.fit()
        self.refresh()

    def screened(self) -> Screened:
        """What the answers so far amount to."""
        patient = self._space.patient
        assert patient is not None
        return screen(self._space.knowledge.safety, self.list.answers, patient.age_on(date.today()))

    def _limits(self) -> StandingLimits:
        return standing_limits(self._space.knowledge.safety.limits, self.list.answers)

    def record(self) -> None:
        """Keep the answers and their level; NONE needs every question answered, RED does not wait."""
        left = len(self.list.table.unanswered(self.list.answers))
        found = self.screened()
        if left and found.level is not Triage.RED:
            self.refused.emit(f"{left} questions have no answer yet; “Answer No to the rest” answers them.")
            return
        said = self.note.text().strip()
        note = "; ".join(part for part in (found.text, self._limits().text, said) if part)
        rules = tuple(rule.id for rule in found.hits)
        if self._keep(Screen(found.level, dict(self.list.answers), rules, note, said)):
            self.note.clear()

    def record_nothing_new(self) -> None:
        """The one line at a later visit: what stood, stands."""
        last, case = self._space.last_screen(), self._space.case
        if last is None or case is None:
            return
        newest = case.all(Screen)[-1]
        level = Triage.NONE if last.cleared else last.level
        self._keep(Screen(level, newest.answers, newest.rules, last.screen.note, newest.said, again=True))

    def clear(self) -> None:
        """Keep who cleared a RED or AMBER, when and with what result."""
        last = self._space.last_screen()
        who, result = self.cleared_by.text().strip(), self.result.text().strip()
        when = self.cleared_on.date().toPyDate()
        if last is None or not who or not result:
            self.refused.emit("A clearance needs a name and a result.")
            return
        if when > date.today():
            self.refused.emit("A clearance cannot lie in the future.")
            return
        with self._space.trying():
            with self._space.action(f"clearance of {last.level.value}") as act:
                act.add(Clearance(last.screen.uid, who, when, result))
            self.cleared_by.clear()
            self.result.clear()

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
        before = space.last_screen()
        self.again_row.setVisible(before is not None and not space.asked_today)
        found = self.screened()
        left = len(self.list.table.unanswered(self.list.answers))
        started = bool(self.list.answers)
        unknown = left and found.level is Triage.NONE
        self.level.setText(f"{left} to ask" if unknown or not started else found.level.value)
        cited = [f"{r.name} ({r.source})" if r.source else r.name for r in found.hits]
        limits = self._limits()
        if limits.limits:
            cited.append(f"{limits.text} (matching tests and rungs stay locked until cleared)")
        elif self.list.answers.get("surgeon"):
            cited.append("say which limit it is; none named yet, so no test is locked by it")
        self.why.setText("; ".join(cited) + (". " if cited else "") + ("" if unknown else EFFECT[found.level]))
        self._show_standing()

    def _show_standing(self) -> None:
        last = self._space.last_screen()
        level, cleared = self._space.triage()
        held = level in (Triage.RED, Triage.AMBER) and not cleared
        self.clearance.setVisible(held)
        self.refer.setVisible(held)
        if last is None:
            self.standing.setText("Not asked yet.")
            return
        text = f"On record: {last.level.value}, {day(last.screen.at)}, {last.screen.who}."
        if last.screen.note:
            text += f" {last.screen.note}."
        if last.clearance is not None:
            lifted = last.clearance
            text += f" Cleared by {lifted.by} on {lifted.on:%-d %b %Y}: {lifted.result}."
        self.standing.setText(text)

    def _ask_note(self) -> None:
        patient = self._space.patient
        assert patient is not None
        name = f"referral {patient.name}.pdf"
        found, _ = QFileDialog.getSaveFileName(self, "Referral note", str(Path.home() / name), "PDF (*.pdf)")
        if found:
            self.write_note(Path(found))

    def write_note(self, target: Path) -> bool:
        """Write the referral note of the standing screen."""
        space = self._space
        patient, person, last = space.patient, space.person, space.last_screen()
        if patient is None or person is None or last is None:
            return False
        complaint = space.form(COMPLAINT)
        rules = [r for r in space.knowledge.safety.rules if r.id in last.screen.rules]
        sites = complaint.data.get("sites", []) if complaint is not None else []
        note = Referral(
            patient.name,
            patient.birth_date,
            date.today(),
            person.name,
            person.role.value,
            last.level.value,
            patient.complaint,
            tuple(site_text(site) for site in sites),
            tuple((r.name, r.urgency.split(" ", 1)[1], r.source) for r in rules),
            last.screen.said or last.screen.note,
            space.knowledge.cautions.scope,
        )
        try:
            write_referral(note, target)
        except TuningError as err:
            self.refused.emit(str(err))
            return False
        self.told.emit(f"Referral note written to {target}.")
        return True
