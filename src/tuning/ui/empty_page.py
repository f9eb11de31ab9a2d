"""A view that has nothing to show yet: what it is for, a drawing, and what to do first."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PyQt6.QtCore import QRectF, QSize, Qt
from PyQt6.QtGui import QPainter, QPaintEvent
from PyQt6.QtWidgets import QHBoxLayout, QSizePolicy, QVBoxLayout, QWidget

from tuning.core.types import Side
from tuning.drawings.figure import Outline
from tuning.ui import theme
from tuning.ui.exercise_figure import paint_fitted
from tuning.ui.widgets import button, label

DRAWING, WORDS = QSize(440, 220), 620


class EmptyPage(QWidget):
    """Words, figures side by side, and the first action; `drawn` are asked for once, when it is first painted."""

    def __init__(
        self,
        words: str,
        action: tuple[str, Callable[[], object]] | None = None,
        drawn: Callable[[], Sequence[list[Outline]]] | None = None,
    ) -> None:
        super().__init__()
        self._words = label(words, theme.LARGE, wrap=True)
        self._words.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self._words.setFixedWidth(WORDS)
        self.setText(words)
        column = QVBoxLayout(self)
        column.setSpacing(20)
        column.addStretch(1)
        if drawn is not None:
            column.addWidget(_Figures(drawn), 0, Qt.AlignmentFlag.AlignCenter)
        column.addWidget(self._words, 0, Qt.AlignmentFlag.AlignCenter)
        self.first = button(*action, "primary") if action is not None else None
        if self.first is not None:
            row = QHBoxLayout()
            row.addStretch(1)
            row.addWidget(self.first)
            row.addStretch(1)
            column.addLayout(row)
        column.addStretch(2)

    def text(self) -> str:
        """What it says."""
        return self._words.text()

    def setText(self, words: str) -> None:
        """Say something else."""
        self._words.setText(words)
        self._words.setFixedHeight(self._words.heightForWidth(WORDS))  # centred, a layout gives it one line


class _Figures(QWidget):
    """Figures on one floor."""

    def __init__(self, drawn: Callable[[], Sequence[list[Outline]]]) -> None:
        super().__init__()
        self._drawn, self._figures = drawn, list[list[Outline]]()
        self.setFixedSize(DRAWING)
        self.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Fixed)

    def paintEvent(self, _: QPaintEvent | None) -> None:
        """All in one scale."""
        self._figures = self._figures or list(self._drawn())
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        wide, around = self.width() / len(self._figures), [shape for one in self._figures for shape in one]
        for n, figure in enumerate(self._figures):
            paint_fitted(painter, figure, QRectF(n * wide + 8, 4, wide - 16, self.height() - 8), Side.NONE, around)
