"""How a test on the plates is done, and how it looks."""

from __future__ import annotations

from dataclasses import dataclass

from tuning.core.pose import PoseFrame


@dataclass(frozen=True)
class Advice:
    """What to say and watch in one test; `frames` from start to end, the last with `heel_up` (degrees) and `air`
    (share of stature); `legs` as in the test; `demands` names the surgeon's limits that lock it."""

    id: str
    cue: str
    look: str
    mistake: str
    suggests: str
    frames: tuple[PoseFrame, ...]
    demands: tuple[str, ...]
    legs: int = 2
    maximal: bool = True
    bar: bool = False
    heel_up: float = 0.0
    air: float = 0.0
