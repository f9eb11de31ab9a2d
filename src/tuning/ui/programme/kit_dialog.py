"""What the patient has at home: each thing that exercises use, and what may serve instead."""

from __future__ import annotations

from PyQt6.QtWidgets import QCheckBox, QDialog, QGridLayout, QHBoxLayout, QVBoxLayout, QWidget

from tuning.core.programme.equipment import Equipment
from tuning.ui import theme
from tuning.ui.widgets import button, in_scroll, label


class KitDialog(QDialog):
    """A row for each thing; Tab and Space tick, Enter keeps."""

    def __init__(self, kit: Equipment, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle("Kit at home")
        self.boxes: dict[str, QCheckBox] = {}
        self._asked = True
        grid = QGridLayout()
        grid.setHorizontalSpacing(18)
        grid.setVerticalSpacing(4)
        for at, words in enumerate(("used", "may serve instead", "not this")):
            grid.addWidget(label(words, role="muted"), 0, at)
        for row, (item, about) in enumerate(kit.table.items(), start=1):
            grid.addWidget(self._box(item, kit), row, 0)
            grid.setRowMinimumHeight(row, 22)
            swaps = QHBoxLayout()
            swaps.setSpacing(14)
            for thing in about.instead:
                swaps.addWidget(self._box(thing, kit))
            swaps.addStretch(1)
            grid.addLayout(swaps, row, 1)
            grid.addWidget(label("; ".join(about.never), role="caution"), row, 2)
        grid.setColumnStretch(2, 1)
        grid.setRowStretch(len(kit.table) + 1, 1)
        inner = QWidget()
        inner.setLayout(grid)
        buttons = QHBoxLayout()
        buttons.addWidget(button("Not asked: take it that everything is there", self._forget, "link"))
        buttons.addStretch(1)
        buttons.addWidget(button("Cancel", self.reject))
        keep = button("Keep", self.accept, "primary")
        keep.setDefault(True)
        buttons.addWidget(keep)
        column = QVBoxLayout(self)
        column.setContentsMargins(20, 16, 20, 16)
        column.addWidget(label("Kit at home", theme.LARGE))
        column.addWidget(in_scroll(inner), 1)
        column.addLayout(buttons)
        self.resize(900, 780)

    def _box(self, thing: str, kit: Equipment) -> QCheckBox:
        """One box a thing, also where several things may be replaced by it: they are ticked together."""
        box = QCheckBox(thing)
        box.setFont(theme.font())
        box.setChecked(kit.at_hand is not None and thing in kit.at_hand)
        twin = self.boxes.setdefault(thing, box)
        if twin is not box:
            twin.toggled.connect(box.setChecked)
            box.toggled.connect(twin.setChecked)
        return box

    def _forget(self) -> None:
        self._asked = False
        self.accept()

    def chosen(self) -> list[str] | None:
        """The things that were ticked; None when nobody asked."""
        return [thing for thing, box in self.boxes.items() if box.isChecked()] if self._asked else None
