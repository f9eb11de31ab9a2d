"""The columns beside the workbench: which of figure and ledger stands open."""

from __future__ import annotations

from PyQt6.QtWidgets import QWidget

from tuning.ui.collapsed_tab import CollapsedTab

NARROW = 1240
"""Below this width only one of figure and ledger stands open."""


class SideColumns:
    """Folds and unfolds; a narrow window keeps the one that was asked for last."""

    def __init__(self, window: QWidget, figure: QWidget, ledger: QWidget) -> None:
        self._window = window
        self._parts = {"figure": figure, "ledger": ledger}
        self.tabs = {
            "figure": CollapsedTab("figure", "F7", lambda: self.toggle("figure")),
            "ledger": CollapsedTab("ledger", "F8", lambda: self.toggle("ledger")),
        }
        self._folded = dict.fromkeys(self._parts, False)
        self._kept, self._in_case = "ledger", False

    def show_for(self, in_case: bool, wide: bool) -> None:
        """For a stage that needs the width, or does not; nothing on the day list."""
        self._in_case = in_case
        self._folded = dict.fromkeys(self._parts, wide)
        self.refresh()

    def _open(self) -> list[str]:
        shown = [name for name, folded in self._folded.items() if not folded]
        return [self._kept] if len(shown) == 2 and self._window.width() < NARROW else shown

    def refresh(self) -> None:
        """Show what stands open, and a tab for the rest."""
        shown = self._open()
        for name, part in self._parts.items():
            part.setVisible(self._in_case and name in shown)
            self.tabs[name].setVisible(self._in_case and name not in shown)

    def toggle(self, name: str) -> None:
        """Fold or unfold one."""
        shown = name in self._open()
        self._folded[name] = shown
        if not shown:
            self._kept = name
        self.refresh()
