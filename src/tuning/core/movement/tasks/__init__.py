"""What each movement task is measured for, step by step or repetition by repetition."""

from __future__ import annotations

from collections.abc import Callable, Container
from dataclasses import dataclass, replace

import numpy as np

from tuning.core.movement.kinematics import CycleValue, MarkSignals, camera_bump
from tuning.core.movement.tasks.front import HIP_SHIFT_MARKS, bridge, front_squat, hip_shift, one_leg_front
from tuning.core.movement.tasks.rear import rear_gait
from tuning.core.movement.tasks.result import CycleSummary, Options, Result
from tuning.core.movement.tasks.side import side_gait, side_squat, zone_of
from tuning.core.movement.tracks import Tracks
from tuning.core.pictures.landmarks import landmark_label
from tuning.core.types import PLAIN, FrameRef, Observation, Setup, Side


@dataclass(frozen=True)
class Task:
    """`cutoff_hz` smooths its angles (Winter 2009: 4-6 Hz for walking; practice judgement, editable)."""

    id: str
    name: str
    picture_kind: str
    cutoff_hz: float
    measure: Callable[[MarkSignals, Options, Result], None]
    one_leg: bool = False
    loadable: bool = False
    """Whether the load of a bar and the turn-out of the feet change what it says."""
    events: tuple[str, ...] = ("start", "turn", "end")
    """What can be put by hand."""


TASKS = {
    task.id: task
    for task in (
        Task("rear-gait", "Walking or running from behind", "rear", 7.0, rear_gait, events=("contact", "toe-off")),
        Task("side-gait", "Walking or running from the side", "side", 7.0, side_gait, True, events=()),
        Task("front-squat", "Squat from the front", "front", 5.0, front_squat),
        Task("single-leg-squat", "One-leg squat from the front", "front", 5.0, one_leg_front("sl-squat-front"), True),
        Task("side-squat", "Squat from the side", "side", 5.0, side_squat("squat-side"), True, True),
        Task("split-squat", "Split squat from the side", "side", 5.0, side_squat("split-squat"), True, True),
        Task("step-down", "Step-down from the front", "front", 5.0, one_leg_front("step-down"), True),
        Task("step-up", "Step-up from the front", "front", 5.0, one_leg_front("step-up", rising=True), True),
        Task("chair-rise", "Chair rise from the front", "front", 5.0, one_leg_front("chair-rise", rising=True), True),
        Task("bridge", "Bridge with a bar", "bridge", 4.0, bridge, True),
    )
}


LEAST_FRAMES = 20
"""Of a clip (practice judgement, editable)."""
USUAL_HZ, LEAST_RATE = 24.0, 2.5
"""Fewer frames a second are told; fewer than `LEAST_RATE` times the cut-off are not measured (practice judgement,
editable)."""


def _fast_enough(signals: MarkSignals, result: Result) -> bool:
    """Whether the clip has enough frames a second; what it lacks is told."""
    told = f"Only {signals.rate:.0f} frames a second"
    if signals.rate < LEAST_RATE * signals.cutoff_hz:
        result.warnings.append(f"{told}: too few to measure a movement. Film at 30 or more.")
        return False
    if signals.rate < USUAL_HZ:
        result.warnings.append(f"{told}: peaks and events may lie between frames. Film at 30 or more.")
    return True


def measure(tracks: Tracks, task: str, options: Options | None = None) -> Result:
    """Measure one clip. Raises KeyError for an unknown task."""
    options = options or Options()
    chosen = TASKS[task]
    cutoff = options.cutoff_hz or chosen.cutoff_hz
    result = Result(task, cutoff_hz=cutoff)
    if len(tracks.times) < LEAST_FRAMES:
        result.warnings.append(f"The clip is shorter than {LEAST_FRAMES} frames; nothing can be measured over time.")
        return result
    signals = MarkSignals(tracks, cutoff, options.roll_deg, options.metres_per_px)
    if tracks.camera_told:
        result.notes.append(tracks.camera_told)
    lost = [landmark_label(name) for name in tracks.names if not signals.has(name)]
    if lost:
        result.warnings.append(
            f"Not held long enough to be measured: {', '.join(lost)}. A sticker holds a mark; plain skin lets it slide."
        )
    if not _fast_enough(signals, result):
        return result
    bump = camera_bump(signals.tracks)
    if bump is not None:
        result.warnings.append(
            f"The whole picture jumps at {bump:.2f} s: was the camera bumped? Level and length hold no longer; "
            "nothing after it is told. Film again if too little is left."
        )
    chosen.measure(signals, options, result)
    if bump is not None:
        result.values = [value for value in result.values if value.time_s < bump]
    return result


NOT_COMPARED = ("gait-pelvic-tilt",)
"""Told with the drop that it belongs to; the ledger compares the drop."""


def observations(result: Result, measures: Container[str], capture: str, setup: Setup = PLAIN) -> list[Observation]:
    """One observation a measure and side: the mean over its cycles, each cycle a trial.

    `capture` is the uid of the clip; frame and time are those of the most typical cycle.
    """
    groups: dict[tuple[str, Side], list[CycleValue]] = {}
    for value in result.values:
        if value.measure in measures and value.measure not in NOT_COMPARED:
            groups.setdefault((value.measure, value.side), []).append(value)
    found = []
    for (measure_id, side), group in groups.items():
        trials = np.array([v.value for v in group])
        typical = group[int(np.argmin(np.abs(trials - trials.mean())))]
        frames = tuple(v.frame for v in group)
        known = FrameRef(capture, typical.frame, typical.time_s, frames, cutoff_hz=result.cutoff_hz)
        sd = float(np.sqrt(np.mean([v.marking_sd**2 for v in group])))
        reason = "; ".join(result.warnings)
        found.append(
            Observation(
                measure_id,
                side,
                float(trials.mean()),
                trials,
                "mean",
                "clip",
                sd,
                quality_reason=reason,
                setup=replace(setup, task=result.task, gait=setup.gait or result.gait),
                evidence=known,
            )
        )
    return found


__all__ = [
    "HIP_SHIFT_MARKS",
    "TASKS",
    "CycleValue",
    "Options",
    "Result",
    "CycleSummary",
    "Task",
    "hip_shift",
    "measure",
    "observations",
    "zone_of",
]
