"""Every action once: name, key and what it does. Feeds keys, command list and key sheet."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from functools import partial

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeyEvent, QKeySequence, QShortcut
from PyQt6.QtWidgets import (
    QDialog,
    QGridLayout,
    QListWidget,
    QVBoxLayout,
    QWidget,
)

from tuning.core.search import EACH, Findable, search
from tuning.ui import theme
from tuning.ui.widgets import TextField, label

MOST = 80
"""Lines of the command list: more letters narrow it faster than scrolling."""
MOST_ROWS = 28
"""Lines of the key sheet beneath each other, so that it fits a small screen."""


@dataclass(frozen=True)
class Action:
    """`key` in Qt's portable spelling, empty when the command list is the only way."""

    name: str
    key: str
    run: Callable[[], object]


def bind(window: QWidget, actions: Iterable[Action]) -> None:
    """Give every action its key in the window."""
    for action in actions:
        if action.key:
            _shortcut(window, action.key, action.run, Qt.ShortcutContext.WindowShortcut)


def bind_owners(owners: Iterable[QWidget], key: str, run: Callable[[], object]) -> None:
    """A key that works only while one of the owners has the focus, so that Space still presses buttons elsewhere."""
    for owner in owners:
        _shortcut(owner, key, run, Qt.ShortcutContext.WidgetShortcut)


def _shortcut(owner: QWidget, key: str, run: Callable[[], object], context: Qt.ShortcutContext) -> None:
    shortcut = QShortcut(QKeySequence(key), owner)
    shortcut.setContext(context)
    shortcut.activated.connect(partial(_run, run))


def _run(run: Callable[[], object]) -> None:
    run()


class CommandList(QDialog):
    """Type a few letters, Enter runs the first. No kind floods the list; a line opens the rest of its kind."""

    def __init__(
        self, parent: QWidget, actions: Sequence[Action | Findable], same: Sequence[Sequence[str]] = ()
    ) -> None:
        super().__init__(parent)
        self.setWindowTitle("Find an action")
        self.setMinimumSize(640, 460)
        self._actions = [
            one if isinstance(one, Findable) else Findable("action", one.name, one.run, key=one.key) for one in actions
        ]
        self._same, self._each = same, EACH
        self._shown: list[Findable] = []
        self.field = TextField()
        self.field.setFont(theme.font(theme.BODY))
        self.field.setPlaceholderText("What do you want to do?")
        self.field.setAccessibleName("Find an action")
        self.list = QListWidget()
        self.list.setFont(theme.font(theme.BODY))
        self.list.setAccessibleName("Actions")
        self.list.setWordWrap(True)
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        column = QVBoxLayout(self)
        column.setContentsMargins(20, 20, 20, 20)
        column.addWidget(self.field)
        self.near = label("", role="muted")
        column.addWidget(self.near)
        column.addWidget(self.list)
        self.field.textChanged.connect(self._narrow)
        self.field.returnPressed.connect(self._run)
        self.list.itemActivated.connect(lambda _: self._run())
        self._narrow("")

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Arrows move in the list while the field keeps the focus."""
        if event is not None and event.key() in (Qt.Key.Key_Down, Qt.Key.Key_Up):
            step = 1 if event.key() == Qt.Key.Key_Down else -1
            row = min(max(self.list.currentRow() + step, 0), self.list.count() - 1)
            self.list.setCurrentRow(row)
        else:
            super().keyPressEvent(event)

    def _narrow(self, text: str) -> None:
        self._each = EACH
        self._fill(text)

    def _fill(self, text: str) -> None:
        found = search(self._actions, text, self._same, self._each)
        self._shown = list(found.items)[:MOST]
        self.list.clear()
        self.near.setText("No match. The nearest:" if found.near else "" if self._shown else "No match.")
        self.near.setVisible(bool(self.near.text()))
        for one in self._shown:
            blocked = one.blocked().partition(";")[0] if text.strip() else ""
            self.list.addItem(f"{one.name}    {one.key}" + (f"\n      not now: {blocked}" if blocked else ""))
        more = ", ".join(f"{n} more {kind}{'s' if n > 1 else ''}" for kind, n in found.more.items())
        if more:
            self.list.addItem(f"{more} …")
        self.list.setCurrentRow(-1 if found.near else 0)  # the nearest runs only once it was chosen

    def _run(self) -> None:
        row = self.list.currentRow()
        if 0 <= row < len(self._shown):
            self.accept()
            self._shown[row].run()
        elif row == len(self._shown) and self.list.count() > row:  # the line that says how many more there are
            self._each = len(self._actions)
            self._fill(self.field.text())
            self.list.setCurrentRow(row)


class KeySheet(QDialog):
    """The keys of this screen."""

    def __init__(self, parent: QWidget, rows: list[tuple[str, str]]) -> None:
        super().__init__(parent)
        self.setWindowTitle("Keys")
        grid = QGridLayout(self)
        grid.setContentsMargins(24, 20, 24, 20)
        grid.setHorizontalSpacing(24)
        for n, (key, name) in enumerate(rows):
            column, row = divmod(n, MOST_ROWS)
            grid.addWidget(label(key, bold=True), row, 2 * column)
            grid.addWidget(label(name), row, 2 * column + 1)
