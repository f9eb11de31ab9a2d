"""The suspicion trail on screen: what the levels open, the look that decides it, and what came of it."""

from __future__ import annotations

from functools import partial

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QVBoxLayout, QWidget

from tuning.core.entries import Decision
from tuning.core.standing.level_suspicion import Suspicion
from tuning.core.standing.suspicion_progress import PAST, TRAIL, decided, posture_lines, suspicion
from tuning.ui import theme
from tuning.ui.formatting import day
from tuning.ui.widgets import button, clear_layout, label, separator
from tuning.ui.workspace import Workspace


class TrailPanel(QWidget):
    """Three links: suspected, looked again, decided. Earlier trails stay to be read."""

    def __init__(self, workspace: Workspace) -> None:
        super().__init__()
        self._space = workspace
        self.text = label("", theme.BODY, bold=True, wrap=True)
        self.facts = label(role="muted", wrap=True)
        self.next = label("", theme.BODY, wrap=True)
        self.posture = label("", theme.BODY, wrap=True)
        self.kept = label(role="muted", wrap=True)
        self._buttons = QHBoxLayout()
        self._buttons.setSpacing(8)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        column.addWidget(separator())
        column.addWidget(self.text)
        for part in (self.facts, self.next):
            column.addWidget(part)
        column.addLayout(self._buttons)
        for part in (self.posture, self.kept):
            column.addWidget(part)
        workspace.content_changed.connect(self.refresh)
        workspace.person_changed.connect(self.refresh)

    def refresh(self) -> None:
        """Follow the record."""
        case = self._space.case
        if not self.isVisible() or case is None:
            return
        found = suspicion(case, self._space.knowledge.chain)
        self.text.setText(f"Suspicion trail.  {found.text(self._space.role)}")
        self._show(self.facts, "; ".join(found.facts))
        self._show(self.posture, " ".join(posture_lines(case, self._space.knowledge.posture)))
        self._show_relook(found)
        self._show(self.kept, self._kept_text())

    @staticmethod
    def _show(line: QLabel, text: str) -> None:
        line.setText(text)
        line.setVisible(bool(text))

    def _show_relook(self, found: Suspicion) -> None:
        clear_layout(self._buttons)
        case = self._space.case
        link = decided(case, found) if case is not None else None
        self._show(self.next, "")
        if found.row is None or not found.open:
            return
        if link is None:
            self._show(self.next, f"Decide it: {found.row.relook}")
            for outcome in found.row.outcomes:
                self._buttons.addWidget(button(outcome, partial(self._decide, found, outcome)))
        else:
            self._show(self.next, f"Looked again: {link.outcome}. So: {link.inputs['then']}.")
            if not self._space.decisions(PAST):
                asked = f"Was past trouble on the {found.low.value} side?"
                self._buttons.addWidget(label(asked, theme.BODY), 0, Qt.AlignmentFlag.AlignVCenter)
                for answer in ("agrees", "disagrees", "unknown"):
                    self._buttons.addWidget(button(answer, partial(self._past, answer)))
        self._buttons.addStretch(1)

    def _decide(self, found: Suspicion, outcome: str) -> None:
        row = found.row
        assert row is not None
        grounds = {
            "row": row.id,
            "facts": list(found.facts),
            "suspicion": row.suspicion,
            "relook": row.relook,
            "then": row.outcomes[outcome],
        }
        with self._space.trying(), self._space.action("suspicion decided") as act:
            act.add(Decision(TRAIL, outcome, grounds, found.low))

    def _past(self, answer: str) -> None:
        with self._space.trying(), self._space.action("past trouble") as act:
            act.add(Decision(PAST, answer))

    def _kept_text(self) -> str:
        """Every link that was kept, this visit and before."""
        past = self._space.decisions(PAST)
        case = self._space.case
        trail = [d for d in case.all(Decision) if d.subject == TRAIL] if case is not None else []
        lines = [
            f"{day(d.at)}: suspected {d.inputs['suspicion']} ({d.side.value}) → {d.outcome} → {d.inputs['then']}"
            for d in trail
        ]
        if past:
            lines.append(f"Past trouble on the found side: {past[-1].outcome}.")
        return "\n".join(lines)
