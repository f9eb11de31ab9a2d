"""Where something is: the one way in which ledger, order, next step, search and F1 point at things."""

from __future__ import annotations

from dataclasses import dataclass

from tuning.core.types import FrameRef, Observation, Side


@dataclass(frozen=True)
class Target:
    """A stage, and within it a test and leg, a rung, a frame of a picture, or a factor."""

    stage: str
    test: str = ""
    side: Side = Side.NONE
    rung: str = ""
    capture: str = ""
    frame: int | None = None
    factor: str = ""


def target_of(stage: str, seen: Observation) -> Target:
    """Where the evidence of a value is looked at."""
    if isinstance(seen.evidence, FrameRef):
        return Target(stage, capture=seen.evidence.capture, frame=seen.evidence.frame)
    return Target(stage, seen.measure_id, seen.side)
