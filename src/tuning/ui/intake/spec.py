"""Intake as the window sees it."""

from __future__ import annotations

from tuning.core.intake.progress import count, urgent
from tuning.ui.stage import StageContext, StagePage, StageSpec


def _page(desk: StageContext) -> StagePage:
    from tuning.ui.intake.page import IntakePage

    return IntakePage(desk.space)


INTAKE = StageSpec("intake", "Intake", 1, _page, count=count, urgent=urgent)
