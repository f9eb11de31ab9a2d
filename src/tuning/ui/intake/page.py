"""The Intake workbench: complaint, history, shoes, safety."""

from __future__ import annotations

from functools import partial

from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QStackedWidget, QVBoxLayout, QWidget

from tuning.core.intake.progress import SAFETY
from tuning.core.target import Target
from tuning.ui import theme
from tuning.ui.intake.history_panels import COMPLAINT, ComplaintPanel, ConsentPanel, HistoryPanel
from tuning.ui.intake.safety import SafetyPanel
from tuning.ui.intake.shoe_wear import ShoesPanel
from tuning.ui.stage import StagePage
from tuning.ui.widgets import button, label, set_role
from tuning.ui.workspace import Workspace


class IntakePage(StagePage):
    """Five leaves; every field is kept as soon as it is left."""

    def __init__(self, workspace: Workspace) -> None:
        super().__init__()
        self._workspace = workspace
        self.complaint, self.history = ComplaintPanel(workspace), HistoryPanel(workspace)
        self.shoes, self.safety, self.consent = ShoesPanel(workspace), SafetyPanel(workspace), ConsentPanel(workspace)
        self.leaves: dict[str, QWidget] = {
            "Complaint": self.complaint,
            "History": self.history,
            "Shoes": self.shoes,
            "Consent": self.consent,
            "Safety": self.safety,
        }
        self.buttons: dict[str, QPushButton] = {}
        self.told_complaint = label("", role="muted", wrap=True)
        self.stack = QStackedWidget()
        head = QHBoxLayout()
        head.setSpacing(8)
        head.addWidget(label("Intake", theme.TITLE))
        head.addSpacing(16)
        for name, leaf in self.leaves.items():
            self.stack.addWidget(leaf)
            self.buttons[name] = button(name, partial(self.open_leaf, name))
            head.addWidget(self.buttons[name])
        head.addSpacing(8)
        head.addWidget(self.told_complaint, 1)
        column = QVBoxLayout(self)
        column.setContentsMargins(24, 8, 24, 12)
        column.setSpacing(8)
        column.addLayout(head)
        column.addWidget(self.stack, 1)
        self.safety.refused.connect(self.refused)
        self.safety.message.connect(self.message)
        self.safety.letter_wanted.connect(self.letter_wanted)

    def enter(self) -> None:
        """The stage is shown: the safety screen while it is due, the complaint before it on a first visit."""
        space = self._workspace
        if space.patient is not None:
            self.told_complaint.setText(space.patient.complaint)
        due = not space.asked_today and space.form(COMPLAINT) is not None
        self.open_leaf("Safety" if due or space.standing() is not None else "Complaint")

    def show_target(self, target: Target) -> None:
        """The safety screen, when it is meant."""
        if target.test == SAFETY:
            self.open_leaf("Safety")

    def open_leaf(self, name: str) -> None:
        """Show one leaf."""
        for other, made in self.buttons.items():
            set_role(made, chosen=other == name)
        leaf = self.leaves[name]
        self.stack.setCurrentWidget(leaf)
        if leaf is self.safety:
            self.safety.begin()
        else:
            leaf.setFocus()
