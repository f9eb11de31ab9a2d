"""One variable at a time: what a climb or a step back changes of an exercise."""

from __future__ import annotations

from dataclasses import dataclass, replace

from tuning.core.programme.ladders import Dose, Ladder, Rung
from tuning.core.programme.phases import Phase
from tuning.core.programme.placement import shallow

RANGE_STEP, LEAST_DEPTH = 10.0, 30.0
"""Degrees of knee bend that one climb adds."""


@dataclass(frozen=True)
class ProgressionStep:
    """The exercise after a step, and in words what moved."""

    rung: Rung
    dose: Dose
    words: str
    variant: str = ""
    loads: bool = False
    """Whether it adds load: that waits for the days of the rung, too."""


def lighter(dose: Dose) -> Dose:
    """Two thirds of the sets, at least one: what a deload week asks (practice judgement, editable)."""
    return replace(dose, sets=max(1, round(2 * dose.sets / 3)))


def halved(dose: Dose) -> Dose:
    """Half of the sets, at least one: what a flare-up that settles asks."""
    return replace(dose, sets=max(1, dose.sets // 2))


def start_dose(rung: Rung, phase: Phase, before: Dose | None = None) -> Dose:
    """The dose to begin a rung with: its own, no deeper than the phase allows or than was passed before."""
    depth = shallow(rung, phase)
    if depth is None or before is None or before.depth_deg is None:
        return replace(rung.dose, depth_deg=depth)
    return replace(rung.dose, depth_deg=min(depth, before.depth_deg))


def full_depth(rung: Rung) -> float:
    """The deepest knee bend of a rung's pictures, degrees."""
    return max(frame.knee for pose in rung.poses for frame in pose.frames)


def within(rung: Rung, dose: Dose, variant: str) -> ProgressionStep | None:
    """A step that the rung itself still has: more range while it is not whole, then the next variant."""
    if dose.depth_deg is not None and dose.depth_deg < full_depth(rung):
        depth = dose.depth_deg + RANGE_STEP
        whole = depth >= full_depth(rung)
        words = "the whole range" if whole else f"knee bent to {depth:.0f}°"
        return ProgressionStep(rung, replace(dose, depth_deg=None if whole else depth), words, variant)
    names = [pose.name for pose in rung.poses]
    place = names.index(variant) if variant in names else 0
    if place + 1 >= len(names):
        return None
    harder = rung.poses[place + 1]
    loads = harder.load or rung.loaded_as(harder, dose.depth_deg) > rung.loaded_as(rung.poses[place], dose.depth_deg)
    return ProgressionStep(rung, dose, f"next variant: {harder.name}", harder.name, loads)


def step_up(rung: Rung, dose: Dose, variant: str, ladder: Ladder, phase: Phase) -> ProgressionStep | None:
    """The step within the rung, else the next rung; None at the top."""
    own = within(rung, dose, variant)
    if own is not None:
        return own
    above = ladder.above(rung)
    if above is None:
        return None
    return ProgressionStep(above, start_dose(above, phase, dose), f"next rung: {above.name}", above.poses[0].name)


def cut(rung: Rung, dose: Dose) -> ProgressionStep | None:
    """Ten degrees less bend, down to 30; None where the knee hardly bends."""
    deepest = full_depth(rung)
    depth = (dose.depth_deg if dose.depth_deg is not None else deepest) - RANGE_STEP
    if depth < LEAST_DEPTH:
        return None
    return ProgressionStep(rung, replace(dose, depth_deg=depth), f"less range: knee bent to {depth:.0f}°")
