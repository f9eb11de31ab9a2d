"""The nine stages of a visit in working order, and what each will do."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Stage:
    """`promise` is the sentence shown while the stage is not built yet."""

    id: str
    name: str
    promise: str = ""

    @property
    def built(self) -> bool:
        """True when the stage can be opened."""
        return not self.promise


STAGES = (
    Stage("intake", "Intake"),
    Stage("standing", "Standing"),
    Stage("mobility", "Mobility"),
    Stage("movement", "Movement"),
    Stage("strength", "Strength"),
    Stage("force", "Force"),
    Stage("reasoning", "Reasoning", "Reasoning will weigh what was seen for and against each contributing factor."),
    Stage("programme", "Programme"),
    Stage("review", "Review", "Review will set before against now and say what changed beyond error."),
)
"""Order is advice: any built stage opens at any time."""
