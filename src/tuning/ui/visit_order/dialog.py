"""Plan the visit: templates, tests of all stages, and the order that comes of them."""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial
from typing import Protocol

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QCheckBox,
    QDialog,
    QHBoxLayout,
    QListWidget,
    QListWidgetItem,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from tuning.core.errors import BadInput, TuningError
from tuning.ui import theme
from tuning.ui.visit_order.board import OrderBoard
from tuning.ui.visit_order.state import OrderState
from tuning.ui.widgets import TextField, button, clear_layout, label, separator
from tuning.ui.workspace import Workspace


def cost_words(state: OrderState) -> str:
    """Turns and minutes, and what the list order would have cost."""
    order, listed = state.order, state.listed
    turns = f"{order.turns} turn{'' if order.turns == 1 else 's'}"
    told = f"{turns}, {order.minutes:.0f} minutes"
    return f"{told}  (as listed: {listed.turns} turns, {listed.minutes:.0f} minutes)"


class Plannable(Protocol):
    """A stage as far as a plan of the visit knows it."""

    @property
    def id(self) -> str:
        """Its id, as tests name it."""
        ...

    @property
    def name(self) -> str:
        """Its name."""
        ...

    @property
    def plannable(self) -> bool:
        """Whether it has tests to choose from."""
        ...


class PlanDialog(QDialog):
    """Everything is kept as it is ticked; closing changes nothing."""

    opened = pyqtSignal(str)
    """A test was asked for: its effort id."""

    def __init__(
        self, parent: QWidget | None, space: Workspace, state: OrderState, stages: Sequence[Plannable]
    ) -> None:
        super().__init__(parent)
        self._space, self.state = space, state
        self._stages = [stage for stage in stages if stage.plannable]
        self.setWindowTitle("Plan the visit")
        self.resize(1240, 760)
        self.board = OrderBoard(state)
        self._filling = False
        self._build()
        self.list.itemChanged.connect(self._ticked)
        self.board.dragged.connect(self._drag)
        self.board.skipped.connect(self._skip)
        self.board.chosen.connect(self._open)
        state.changed.connect(self.refresh)
        self.refresh()

    def _build(self) -> None:
        self.templates = QHBoxLayout()
        self.templates.setSpacing(8)
        self.list = QListWidget()
        self.list.setFont(theme.font())
        self.list.setFixedWidth(300)
        self.list.setAccessibleName("Tests of all stages; Space ticks")
        self.cost = label("", theme.LARGE, bold=True)
        self.hard = QCheckBox("Uninvolved side always first")
        self.hard.setFont(theme.font())
        self.hard.toggled.connect(self._hard_chosen)
        self.why = label(role="muted", wrap=True)
        self.name = TextField()
        self.name.setPlaceholderText("Name of an own template")
        self.name.setAccessibleName("Name of an own template")
        self.name.setMinimumWidth(210)
        self.name.returnPressed.connect(self._save)
        self.told = label(role="caution", wrap=True)
        area = QScrollArea()
        area.setWidget(self.board)
        area.setWidgetResizable(True)
        row = QHBoxLayout()
        row.setSpacing(16)
        row.addWidget(self.hard)
        row.addWidget(button("Reset order", lambda: self._try(partial(self.state.free)), "link"))
        row.addStretch(1)
        row.addWidget(self.name)
        row.addWidget(button("Keep as template", self._save))
        self.out = QHBoxLayout()
        self.out.setSpacing(8)
        right = QVBoxLayout()
        right.setSpacing(8)
        right.addWidget(self.cost)
        right.addWidget(
            label("Click: why it is there; click again: go there. Drag moves it, Delete leaves it out.", role="muted")
        )
        right.addWidget(separator())
        right.addWidget(area, 1)
        right.addLayout(self.out)
        right.addWidget(self.why)
        right.addWidget(self.told)
        right.addLayout(row)
        left = QVBoxLayout()
        left.setSpacing(8)
        left.addWidget(self.list, 1)
        body = QHBoxLayout()
        body.setSpacing(24)
        body.addLayout(left)
        body.addLayout(right, 1)
        column = QVBoxLayout(self)
        column.setContentsMargins(20, 16, 20, 16)
        column.setSpacing(12)
        column.addLayout(self.templates)
        column.addLayout(body, 1)

    def refresh(self) -> None:
        """Follow the state."""
        state, kept = self.state, self.state.standing_choice()
        self._filling = True
        clear_layout(self.templates)
        self.templates.addWidget(label("Templates", bold=True))
        for template in state.templates():
            made = button(template.name, partial(self._take, list(template.tests)))
            made.setProperty("chosen", list(template.tests) == kept["tests"])
            self.templates.addWidget(made)
        self.templates.addStretch(1)
        if not self.list.count():
            self._fill()
        for n in range(self.list.count()):
            item = self.list.item(n)
            if item is not None and item.data(Qt.ItemDataRole.UserRole):
                ticked = item.data(Qt.ItemDataRole.UserRole) in kept["tests"]
                item.setCheckState(Qt.CheckState.Checked if ticked else Qt.CheckState.Unchecked)
        self.cost.setText(cost_words(state))
        self.hard.setChecked(state.hard)
        price = state.price_of_hard_rule()
        self.hard.setText(
            f"Uninvolved side always first ({price:+d} turns)" if price else "Uninvolved side always first"
        )
        self._show_out()
        self.why.setText(self._why())
        self.board.fit()
        self._filling = False

    def _fill(self) -> None:
        knowledge = self._space.knowledge
        tests = list(knowledge.tests.values())
        for stage in self._stages:
            head = QListWidgetItem(stage.name)
            head.setFont(theme.font(theme.SMALL, bold=True))
            head.setFlags(Qt.ItemFlag.NoItemFlags)
            self.list.addItem(head)
            rows = [(t.id, t.name) for t in tests if t.stage == stage.id]
            rows += [(c.id, c.name) for c in knowledge.order.clip if c.stage == stage.id]
            for key, name in rows:
                item = QListWidgetItem(name)
                item.setData(Qt.ItemDataRole.UserRole, key)
                item.setFlags(
                    Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsUserCheckable | Qt.ItemFlag.ItemIsSelectable
                )
                item.setCheckState(Qt.CheckState.Unchecked)
                self.list.addItem(item)

    def _show_out(self) -> None:
        clear_layout(self.out)
        skipped = self.state.skipped()
        if skipped:
            self.out.addWidget(label("Left out:", role="muted"))
        for effort in skipped[:6]:
            self.out.addWidget(button(f"{effort.name}: include it", partial(self.state.skip, effort.id), "link"))
        for name, why in self.state.locked[:3]:
            self.out.addWidget(label(f"{name}: {why}", role="caution"))
        self.out.addStretch(1)

    def _why(self) -> str:
        stops = {s.effort.id: s for s in self.state.order.stops}
        stop = stops.get(self.board.current)
        return f"{stop.effort.name}: {stop.why}." if stop is not None else ""

    def _try(self, act: partial[None]) -> None:
        try:
            act()
            self.told.setText("")
        except (BadInput, TuningError) as err:
            self.told.setText(str(err))

    def _take(self, tests: list[str]) -> None:
        self._try(partial(self.state.choose, tests))

    def _ticked(self, item: QListWidgetItem) -> None:
        if self._filling:
            return
        key, tests = item.data(Qt.ItemDataRole.UserRole), list(self.state.standing_choice()["tests"])
        if item.checkState() == Qt.CheckState.Checked:
            tests.append(key)
        else:
            tests = [t for t in tests if t != key]
        self._take(tests)

    def _drag(self, effort_id: str, to: int) -> None:
        self._try(partial(self.state.drag, effort_id, to))

    def _skip(self, effort_id: str) -> None:
        self._try(partial(self.state.skip, effort_id))

    def _hard_chosen(self, on: bool) -> None:
        if not self._filling:
            self._try(partial(self.state.set_hard, on))

    def _save(self) -> None:
        self._try(partial(self.state.save_template, self.name.text()))

    def _open(self, effort_id: str) -> None:
        """A first click tells why, a second one goes there."""
        if self.board.current == effort_id:
            self.opened.emit(effort_id)
            self.accept()
            return
        self.board.current = effort_id
        self.why.setText(self._why())
        self.board.update()
