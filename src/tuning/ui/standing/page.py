"""The Standing workbench: the guided walk with the suspicion trail below it."""

from __future__ import annotations

from tuning.ui.guided_tests.page import TestRunPage
from tuning.ui.standing.foot_score import FootScorePanel
from tuning.ui.standing.scales import ScalesPanel
from tuning.ui.standing.trail import TrailPanel
from tuning.ui.workspace import Workspace


class StandingPage(TestRunPage):
    """Two looks with the stance reset between them."""

    def __init__(self, workspace: Workspace) -> None:
        super().__init__(workspace, "standing", "Standing", looks=2, tall=True)
        self.foot_score, self.scales = FootScorePanel(self.state), ScalesPanel(self.state)
        self.add_panel("foot-score", self.foot_score)
        self.add_panel("scales", self.scales)
        self.trail = TrailPanel(workspace)
        self.below.addWidget(self.trail)

    def enter(self) -> None:
        """The stage is shown."""
        super().enter()
        self.trail.refresh()
        self.scales.refresh()
