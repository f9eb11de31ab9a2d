"""The suspicion trail on screen: what the levels open, the look that decides it, and what came of it."""

from __future__ import annotations

from functools import partial

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QVBoxLayout, QWidget

from tuning.core.standing.levels import Suspicion, levels_from, suspect
from tuning.core.standing.photographs import Posture, SpineCurve, posture_type, side_line
from tuning.core.types import LEGS, NotMeasured, Role
from tuning.records import FindingEntry
from tuning.ui import theme
from tuning.ui.widgets import button, empty, label, rule
from tuning.ui.workspace import Workspace

TRAIL, PAST = "levels-chain", "levels-chain-past"


def role_of(space: Workspace) -> Role:
    """Who is looking; nobody counts as a student."""
    return Role(space.person.role) if space.person is not None else Role.STUDENT


def suspicion(space: Workspace) -> Suspicion:
    """What the looks of the open visit open."""
    return suspect(space.knowledge.chain, levels_from(space.observations()))


def decided(space: Workspace, found: Suspicion) -> FindingEntry | None:
    """The link that decided this very suspicion in this visit."""
    if found.row is None:
        return None
    same = [f for f in space.findings(TRAIL) if f.data["row"] == found.row.id and f.data["low"] == found.low.value]
    return same[-1] if same else None


def relook(space: Workspace) -> str:
    """The deciding look that is still to be done, or nothing."""
    if not space.observations():
        return ""
    found = suspicion(space)
    return found.row.relook if found.open and found.row is not None and decided(space, found) is None else ""


def posture_lines(space: Workspace) -> list[str]:
    """Posture type by side with its rule, where the side line was measured."""
    curves = {f.data["key"]: f.data["answer"] for f in space.findings("plumb-side") if "key" in f.data}
    upper, low = (SpineCurve(curves.get(key, SpineCurve.USUAL.value)) for key in ("upper-back", "low-back"))
    named: dict[tuple[Posture, str], list[str]] = {}
    for side in LEGS:
        line = side_line(space.observations(), side, upper, low)
        if not isinstance(line, NotMeasured):
            named.setdefault(posture_type(line), []).append(side.value)
    return [
        f"Side line, {' and '.join(sides)}: {posture.value} ({rule_text})."
        for (posture, rule_text), sides in named.items()
    ]


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
        column.addWidget(rule())
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
        space = self._space
        if not self.isVisible() or space.patient is None:
            return
        found = suspicion(space)
        self.text.setText(f"Suspicion trail.  {found.text(role_of(space))}")
        self._show(self.facts, "; ".join(found.facts))
        self._show(self.posture, " ".join(posture_lines(space)))
        self._show_relook(found)
        self._show(self.kept, self._kept_text())

    @staticmethod
    def _show(line: QLabel, text: str) -> None:
        line.setText(text)
        line.setVisible(bool(text))

    def _show_relook(self, found: Suspicion) -> None:
        empty(self._buttons)
        link = decided(self._space, found)
        self._show(self.next, "")
        if found.row is None or not found.open:
            return
        if link is None:
            self._show(self.next, f"Decide it: {found.row.relook}")
            for outcome in found.row.outcomes:
                self._buttons.addWidget(button(outcome, partial(self._decide, found, outcome)))
        else:
            self._show(self.next, f"Looked again: {link.data['outcome']}. So: {link.data['then']}.")
            if not self._space.findings(PAST):
                asked = f"Was past trouble on the {found.low.value} side?"
                self._buttons.addWidget(label(asked, theme.BODY), 0, Qt.AlignmentFlag.AlignVCenter)
                for answer in ("agrees", "disagrees", "unknown"):
                    self._buttons.addWidget(button(answer, partial(self._past, answer)))
        self._buttons.addStretch(1)

    def _decide(self, found: Suspicion, outcome: str) -> None:
        row = found.row
        assert row is not None
        data = {
            "row": row.id,
            "low": found.low.value,
            "facts": list(found.facts),
            "suspicion": row.suspicion,
            "relook": row.relook,
            "outcome": outcome,
            "then": row.outcomes[outcome],
        }
        self._space.do("suspicion decided", [self._space.find(TRAIL, data, found.low)])

    def _past(self, answer: str) -> None:
        self._space.do("past trouble", [self._space.find(PAST, {"answer": answer})])

    def _kept_text(self) -> str:
        """Every link that was kept, this visit and before."""
        past = self._space.findings(PAST)
        lines = [
            f"{f.at:%-d %b %Y}: suspected {f.data['suspicion']} ({f.data['low']}) → "
            f"{f.data['outcome']} → {f.data['then']}"
            for f in self._space.all_findings(TRAIL)
        ]
        if past:
            lines.append(f"Past trouble on the found side: {past[-1].data['answer']}.")
        return "\n".join(lines)
