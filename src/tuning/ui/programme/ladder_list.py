"""The ladders beside the work: proposed ones first with their reasons, then the rest."""

from __future__ import annotations

from PyQt6.QtCore import QRect, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QFontMetrics, QIcon, QPainter, QPixmap
from PyQt6.QtWidgets import QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from tuning.core.programme.placement import FIRST
from tuning.core.types import Side
from tuning.ui import theme
from tuning.ui.exercise_figure import figure_of, paint_fitted
from tuning.ui.programme.state import ProgrammeState
from tuning.ui.widgets import label

LADDER = Qt.ItemDataRole.UserRole
WIDTH, PICTURE = 148, QSize(32, 38)
"""Width of the words; size of the picture beside them, px."""


class LadderList(QWidget):
    """A list; arrows and Enter choose."""

    chosen = pyqtSignal(str)

    def __init__(self, state: ProgrammeState) -> None:
        super().__init__()
        self._state = state
        self.list = QListWidget()
        self.list.setFont(theme.font())
        self.list.setWordWrap(True)
        self.list.setIconSize(PICTURE)
        self.list.setFrameShape(self.list.Shape.NoFrame)
        self.list.setAccessibleName("Ladders")
        self.list.itemSelectionChanged.connect(self._selected)
        self.notes = label("", role="muted", wrap=True)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(label("Ladders", theme.BODY, bold=True))
        column.addWidget(self.list, 1)
        column.addWidget(self.notes)
        self.setFixedWidth(218)
        self._filling = False

    def _selected(self) -> None:
        found = self.list.selectedItems()
        if found and not self._filling:
            self.chosen.emit(str(found[0].data(LADDER)))

    def _picture_of(self, ladder: str) -> QIcon:
        """What is done in a ladder: the end of the movement of its middle rung."""
        rungs = self._state.ladder_named(ladder).rungs
        rung = rungs[len(rungs) // 2]
        pose = rung.poses[0]
        ratio = self.devicePixelRatioF()
        paper = QPixmap(PICTURE * ratio)
        paper.setDevicePixelRatio(ratio)
        paper.fill(Qt.GlobalColor.transparent)
        painter = QPainter(paper)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        shapes = [shape for shape in figure_of(rung, pose, pose.end, Side.RIGHT) if shape.tint != "feel"]
        paint_fitted(painter, shapes, QRectF(1, 1, PICTURE.width() - 2, PICTURE.height() - 2), Side.NONE)
        painter.end()
        return QIcon(paper)

    def fill(self, names: dict[str, str], planned: set[str]) -> None:
        """Ladders with name; `planned` have a rung in the plan."""
        self._filling = True
        proposals, notes = self._state.proposals()
        told = {p.ladder: p for p in proposals}
        self.list.clear()
        for key in [*told, *(k for k in names if k not in told)]:
            lines = [names[key] + (" · in plan" if key in planned else "")]
            proposal = told.get(key)
            if proposal is not None:
                lines.append(f"{proposal.rank}: {'; '.join(proposal.reasons)}")
                lines += [f"not now: {proposal.barred}"] if proposal.barred else []
            item = QListWidgetItem("\n".join(lines))
            item.setData(LADDER, key)
            item.setFont(theme.font(bold=proposal is not None and proposal.rank == FIRST and not proposal.barred))
            if proposal is not None and proposal.barred:
                item.setForeground(theme.colour("caution"))
            room = QRect(0, 0, WIDTH, 1000)
            high = QFontMetrics(item.font()).boundingRect(room, Qt.TextFlag.TextWordWrap, item.text()).height()
            item.setSizeHint(QSize(WIDTH, max(high, PICTURE.height()) + 6))
            item.setIcon(self._picture_of(key))
            self.list.addItem(item)
            if key == self._state.ladder.id:
                self.list.setCurrentItem(item)
        told_below = [*notes, *(self._state.other_schools() if proposals else [])]
        self.notes.setText("\n".join(told_below))
        self.notes.setVisible(bool(told_below))
        self._filling = False
