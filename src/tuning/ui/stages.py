"""The stages of a visit in working order: one row each. Order is advice; any built stage opens at any time."""

from __future__ import annotations

from tuning.ui.force.spec import FORCE
from tuning.ui.intake.spec import INTAKE
from tuning.ui.mobility.spec import MOBILITY
from tuning.ui.movement.spec import MOVEMENT
from tuning.ui.programme.spec import PROGRAMME
from tuning.ui.reasoning.spec import REASONING
from tuning.ui.review.spec import REVIEW
from tuning.ui.stage import StageSpec
from tuning.ui.standing.spec import STANDING
from tuning.ui.strength.spec import STRENGTH

STAGES: tuple[StageSpec, ...] = (
    INTAKE,
    STANDING,
    MOBILITY,
    MOVEMENT,
    STRENGTH,
    FORCE,
    REASONING,
    PROGRAMME,
    REVIEW,
)


def in_order(stages: tuple[StageSpec, ...]) -> tuple[StageSpec, ...]:
    """Stages by their place in the visit."""
    return tuple(sorted(stages, key=lambda stage: stage.order))
