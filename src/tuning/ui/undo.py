"""What can be taken back: one entry a committed action. A refused step leaves everything where it stands."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from PyQt6.QtCore import QObject, pyqtSignal

Flip = Callable[[list[str], list[str], bool], None]
"""Restores some entries and strikes others, for a redo where True; raises TuningError and changes nothing where not."""


@dataclass(frozen=True)
class UndoStep:
    """One action: its name, and the uids that it added and struck."""

    text: str
    added: tuple[str, ...]
    struck: tuple[str, ...]


class UndoStack(QObject):
    """Steps in order; `at` of them are done."""

    changed = pyqtSignal()

    def __init__(self, flip: Flip) -> None:
        super().__init__()
        self._flip = flip
        self._steps: list[UndoStep] = []
        self.at = 0

    def clear(self) -> None:
        """Forget everything."""
        self._steps, self.at = [], 0
        self.changed.emit()

    def push(self, step: UndoStep) -> None:
        """A committed action; what had been undone is gone."""
        self._steps = [*self._steps[: self.at], step]
        self.at += 1
        self.changed.emit()

    @property
    def undo_text(self) -> str:
        """Name of the action that undo takes back; empty when there is none."""
        return self._steps[self.at - 1].text if self.at else ""

    @property
    def redo_text(self) -> str:
        """Name of the action that redo does again; empty when there is none."""
        return self._steps[self.at].text if self.at < len(self._steps) else ""

    def undo(self) -> None:
        """Take the last action back. Raises TuningError; the stack stays then."""
        if self.at:
            step = self._steps[self.at - 1]
            self._flip(list(step.struck), list(step.added), False)
            self.at -= 1
            self.changed.emit()

    def redo(self) -> None:
        """Do the last undone action again. Raises TuningError; the stack stays then."""
        if self.at < len(self._steps):
            step = self._steps[self.at]
            self._flip(list(step.added), list(step.struck), True)
            self.at += 1
            self.changed.emit()
