"""The two header rows: patient, cautions and who; the visit line below."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from datetime import date

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QEnterEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QAbstractButton, QHBoxLayout, QSizePolicy, QVBoxLayout, QWidget

from tuning.core.case import Person
from tuning.core.entries import Note, Treatment
from tuning.core.gate.text import standing_words
from tuning.core.intake.worn import tag_of
from tuning.core.preferences import MASS_UNIT
from tuning.core.types import Role, Side
from tuning.core.units import shown_mass
from tuning.ui import theme
from tuning.ui.formatting import short_day
from tuning.ui.stage import StageSpec, place_key
from tuning.ui.widgets import ElidedLabel, button, label
from tuning.ui.workspace import Workspace


class StageButton(QAbstractButton):
    """One stage on the visit line: ring (empty), quarter (begun), dot (enough), dashed (later)."""

    hovered = pyqtSignal(str)

    def __init__(self, stage: StageSpec, number: int, of: int) -> None:
        super().__init__()
        self.stage, self.count, self.current = stage, 0, False
        self._last = number == of
        self.setText(stage.name)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFixedHeight(32)
        self.setAccessibleName(f"{stage.name}, stage {number} of {of}")
        if stage.built:
            self.setCursor(Qt.CursorShape.PointingHandCursor)
            self.setToolTip(f"{stage.name}: {place_key(number)}".rstrip(": "))
        else:
            self.setEnabled(False)
            self.setToolTip(stage.promise)
            self.setFocusPolicy(Qt.FocusPolicy.NoFocus)

    def sizeHint(self) -> QSize:
        """Sign, name and count."""
        return QSize(112, 32)

    def enterEvent(self, event: QEnterEvent | None) -> None:
        """A stage that is not built yet says what will be here."""
        self.hovered.emit(self.stage.promise)
        super().enterEvent(event)

    def paintEvent(self, _: QPaintEvent | None) -> None:
        """Draw sign, name, count and the line to the next stage."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        dot, middle = QPointF(12, self.height() / 2), self.height() / 2
        ink = theme.colour("accent" if self.current else "ink" if self.stage.built else "muted")
        pen = QPen(ink, 2 if self.current else 1.5)
        if not self.stage.built:
            pen.setDashPattern([1.5, 1.5])
        painter.setPen(pen)
        painter.setBrush(ink if self.count and not self.current else theme.colour("panel"))
        painter.drawEllipse(dot, 5, 5)
        if self.current and self.count:
            painter.setBrush(ink)
            painter.drawPie(QRectF(dot.x() - 5, middle - 5, 10, 10), 90 * 16, -180 * 16)
        painter.setFont(theme.font(theme.SMALL, bold=self.current))
        name = painter.fontMetrics().horizontalAdvance(self.stage.name)
        painter.drawText(QPointF(24, middle + 5), self.stage.name)
        if self.count:
            painter.setPen(theme.colour("muted"))
            painter.setFont(theme.font())
            painter.drawText(QPointF(24 + name + 6, middle + 5), str(self.count))
            name += 6 + painter.fontMetrics().horizontalAdvance(str(self.count))
        if not self._last:
            painter.setPen(QPen(theme.colour("line"), 1.5))
            painter.drawLine(QPointF(24 + name + 8, middle), QPointF(self.width(), middle))
        if self.hasFocus():
            painter.setPen(QPen(theme.colour("accent"), 1.5))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRoundedRect(QRectF(1, 1, name + 28, self.height() - 2), 3, 3)


def facts(workspace: Workspace, today: date) -> str:
    """Occupation, age, mass and involved side in one line."""
    patient = workspace.patient
    if patient is None:
        return ""
    parts = [patient.occupation, f"{patient.age_on(today)} y"]
    if patient.body_mass_kg:
        parts.append(shown_mass(patient.body_mass_kg, workspace.prefer(MASS_UNIT)))
    sides = {Side.LEFT: "left leg involved", Side.RIGHT: "right leg involved", Side.BOTH: "both legs involved"}
    parts.append(sides.get(patient.involved, "no side involved"))
    return " · ".join(p for p in parts if p)


def _who(person: Person | None) -> str:
    """Who works here; the role is said where it keeps something from being done."""
    if person is None:
        return "Who is working?"
    return person.name if person.role is Role.CLINICIAN else f"{person.name}, {person.role.value}"


CAUTION_WIDTH, FACTS_STRETCH = 400, 100
HEIGHT, OWN_ROW, NO_LIMIT = 72, 28, 16777215


class Header(QWidget):
    """Speaks through signals; the window acts."""

    stage_chosen = pyqtSignal(str)
    home_chosen = pyqtSignal()
    person_chosen = pyqtSignal()
    commands_chosen = pyqtSignal()
    visit_chosen = pyqtSignal()
    visits_wanted = pyqtSignal()
    notes_wanted = pyqtSignal()
    hint = pyqtSignal(str)

    def __init__(
        self, workspace: Workspace, stages: Sequence[StageSpec], today: Callable[[], date] = date.today
    ) -> None:
        super().__init__()
        self._workspace, self._today = workspace, today
        self.setObjectName("panel")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedHeight(HEIGHT)
        self.name = label("Tuning", theme.LARGE, bold=True)
        self.facts = ElidedLabel(role="muted")
        # What stands is said whole before anything that is known anyway.
        self.facts.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        self.caution = ElidedLabel()
        self.caution.setObjectName("pill")
        self.caution.setMaximumWidth(CAUTION_WIDTH)
        self.home = button("‹ Day list", self.home_chosen.emit, "link", "Back to the day list (Ctrl+D)")
        self.new_visit = button("New visit", self.visit_chosen.emit, "link", "Begin a visit today (Ctrl+Shift+N)")
        self.visit = button("", self.visits_wanted.emit, "link", "Every visit; an earlier one opens to read")
        self.notes = button("Notes", self.notes_wanted.emit, "link", "Notes and treatments (F9)")
        self.who = button("", self.person_chosen.emit, "link", "Who is working (Ctrl+U)")
        self.commands = button("Find  Ctrl+K", self.commands_chosen.emit, "link", "Every action by name (Ctrl+K)")
        self._top = top = QHBoxLayout()
        top.setSpacing(12)
        left: list[QWidget] = [self.home, self.name, self.facts, self.caution]
        right: list[QWidget] = [self.notes, self.visit, self.new_visit, self.who, self.commands]
        for part in left:
            top.addWidget(part, FACTS_STRETCH if part is self.facts else 0)
        top.addStretch(1)
        for part in right:
            top.addWidget(part)
        self.buttons = {stage.id: StageButton(stage, n, len(stages)) for n, stage in enumerate(stages, start=1)}
        self.line = QWidget()
        row = QHBoxLayout(self.line)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(0)
        for stage_id, stage_button in self.buttons.items():
            stage_button.clicked.connect(lambda _, s=stage_id: self.stage_chosen.emit(s))
            stage_button.hovered.connect(self.hint)
            row.addWidget(stage_button)
        self._rows = rows = QVBoxLayout(self)
        rows.setContentsMargins(16, 2, 16, 2)
        rows.setSpacing(0)
        rows.addLayout(top)
        rows.addWidget(self.line)
        workspace.case_changed.connect(self.refresh)
        workspace.content_changed.connect(self.refresh)
        workspace.person_changed.connect(self.refresh)

    def show_counts(self, counts: Mapping[str, int], current: str) -> None:
        """Fill the visit line."""
        for stage_id, stage_button in self.buttons.items():
            stage_button.count = counts.get(stage_id, 0)
            stage_button.current = stage_id == current
            stage_button.update()

    def refresh(self) -> None:
        """Follow the workspace."""
        space = self._workspace
        open_case = space.patient is not None
        for part in (self.line, self.home, self.facts, self.notes, self.visit, self.new_visit):
            part.setVisible(open_case)
        self.name.setText(space.patient.name if space.patient else "Tuning")
        self.facts.setText(facts(space, self._today()))
        self.who.setText(_who(space.person))
        if space.case is not None:
            count = len(space.case.all(Note)) + len(space.case.all(Treatment))
            self.notes.setText(f"Notes {count}" if count else "Notes")
            self.visit.setText(f"Visit {space.case.number} · {short_day(space.case.visit.started_at)}")
        stands = standing_words(space.standing(), space.knowledge.safety)
        worn = tag_of(space.case) if space.case is not None else ""
        parts = ("Open to read only" if space.reading else "", stands, f"worn: {worn}" if worn else "")
        told = " · ".join(part for part in parts if part)
        self.caution.setVisible(bool(told))
        self.caution.setText(told)
        self._give_room(told)

    def _give_room(self, told: str) -> None:
        """What stands is never cut: too long for its place beside the name it gets a row of its own."""
        wide = bool(told) and self.caution.sizeHint().width() > CAUTION_WIDTH
        beside = self._top.indexOf(self.caution) >= 0
        if wide and beside:
            self._top.removeWidget(self.caution)
            self._rows.insertWidget(1, self.caution, 0, Qt.AlignmentFlag.AlignLeft)
        elif not wide and not beside:
            self._rows.removeWidget(self.caution)
            self._top.insertWidget(self._top.indexOf(self.facts) + 1, self.caution)
        self.caution.setMaximumWidth(NO_LIMIT if wide else CAUTION_WIDTH)
        self.setFixedHeight(HEIGHT + OWN_ROW * wide)
