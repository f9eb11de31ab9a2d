"""The standing plan in a narrow column, with what is needed for it at home."""

from __future__ import annotations

from functools import partial

from PyQt6.QtWidgets import QHBoxLayout, QInputDialog, QMenu, QVBoxLayout, QWidget

from tuning.core.entries import PlanItem
from tuning.core.programme.dose import Dose
from tuning.core.programme.routines import by_routine
from tuning.core.types import LEGS
from tuning.ui import theme
from tuning.ui.programme.kit_dialog import KitDialog
from tuning.ui.programme.state import ProgrammeState
from tuning.ui.widgets import button, clear_layout, label
from tuning.ui.workspace import Workspace


class PlanList(QWidget):
    """Each exercise with its dose and what is missing for it."""

    def __init__(self, workspace: Workspace, state: ProgrammeState) -> None:
        super().__init__()
        self._workspace, self._state = workspace, state
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(5)
        head = QHBoxLayout()
        head.addWidget(label("Plan", theme.BODY, bold=True), 1)
        self.routine = button("Add a routine…", self.ask_routine, "link", tip="Several exercises under one name")
        head.addWidget(self.routine)
        column.addLayout(head)
        self._items = QVBoxLayout()
        self._items.setSpacing(4)
        column.addLayout(self._items)
        kit = QHBoxLayout()
        self.kit_words = label("", role="muted", wrap=True)
        kit.addWidget(self.kit_words, 1)
        kit.addWidget(button("Kit…", self.ask_kit, "link", tip="What there is at home, and what may serve instead"))
        column.addLayout(kit)

    def ask_kit(self) -> None:
        """What the patient has at home."""
        asked = KitDialog(self._state.course.kit(), self)
        if asked.exec():
            self.set_kit(asked.chosen())

    def ask_routine(self) -> None:
        """Which of the routines."""
        menu = QMenu(self)
        for routine in self._workspace.knowledge.routines.values():
            names = ", ".join(self._state.named(rung).name for rung in routine.rungs)
            action = menu.addAction(f"{routine.name}: {names}")
            assert action is not None
            action.triggered.connect(partial(self.add_routine, routine.id))
        menu.popup(self.routine.mapToGlobal(self.routine.rect().bottomLeft()))

    def add_routine(self, routine_id: str, *_: object) -> None:
        """Write it; what is left out, and why, is said."""
        routine, reason = self._workspace.knowledge.routines[routine_id], ""
        pending = self._state.pending_of(routine)
        if pending:
            asked = "\n".join([*pending, "", "Why they are started anyway (empty: they are left out):"])
            reason, taken = QInputDialog.getText(self, routine.name, asked)
            if not taken:
                return
        with self._workspace.trying():
            left = self._state.write_routine(routine, reason)
            if left:
                self._workspace.refused.emit(f"{routine.name}: left out are {'; '.join(left)}.")

    def set_kit(self, things: list[str] | None) -> None:
        """Keep what the patient has at home."""
        with self._workspace.trying():
            self._state.course.set_kit(things)

    def _withdraw(self, item: PlanItem) -> None:
        with self._workspace.trying():
            self._state.withdraw(item)

    def refresh(self) -> None:
        """Follow the plan."""
        clear_layout(self._items)
        plan, kit = self._workspace.plan(), self._state.course.kit()
        if not plan:
            self._items.addWidget(label("Nothing prescribed yet.", role="muted"))
        above = ""
        for item in by_routine(plan):
            routine = self._workspace.knowledge.routines.get(item.routine)
            if routine is not None and routine.id != above:
                self._items.addWidget(label(routine.name, theme.BODY, role="accent"))
                self._items.addWidget(label(routine.about, role="muted", wrap=True))
            above = item.routine
            row = QHBoxLayout()
            rung = self._state.named(item.rung)
            first = f", {item.first_side.value} first" if rung.sides == LEGS else ""
            row.addWidget(label(f"{rung.name}{first}", bold=True, wrap=True), 1)
            row.addWidget(button("Withdraw", partial(self._withdraw, item), "link"))
            self._items.addLayout(row)
            self._items.addWidget(label(Dose(**item.dose).text, role="muted", wrap=True))
            needs = self._state.course.needs(item)
            for words, role in ((", ".join(kit.missing(needs)), "caution"), ("; ".join(kit.swaps(needs)), "muted")):
                if words:
                    text = f"Not at home: {words}" if role == "caution" else words
                    self._items.addWidget(label(text, role=role, wrap=True))
            if item.reason:
                text = f"Started anyway: {item.reason} ({item.who})"
                self._items.addWidget(label(text, role="caution", wrap=True))
        self.kit_words.setText(
            "Kit at home: not asked" if kit.at_hand is None else f"Kit at home: {len(kit.at_hand)} things"
        )
