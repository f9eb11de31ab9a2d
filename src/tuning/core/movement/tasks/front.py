"""Squats, step-downs, chair rises and the bridge seen from the front."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np

from tuning.core.movement.kinematics import MarkSignals
from tuning.core.movement.movement_views import FRONT
from tuning.core.movement.repetitions import Repetition
from tuning.core.movement.tasks.clip_repetitions import repetitions, tempo
from tuning.core.movement.tasks.result import MeasureCollector, MeasuredCurve, Options, Result, scaled, three
from tuning.core.movement.tasks.stance_leg import by_leg
from tuning.core.pictures import geometry
from tuning.core.pictures.geometry import Marks
from tuning.core.pictures.marks import medial_x
from tuning.core.types import LEGS, Side


def _read(line: MeasuredCurve, reps: Sequence[Repetition], rising: bool, peak: str = "") -> None:
    """A value where the load is greatest: at the deepest point, or where a rise begins; and at its peak."""
    signals = line.meter.signals
    for rep in reps:
        line.at(rep.start if rising else rep.turn, rep.number)
        if peak:
            line.extreme(signals.window(rep.start, rep.there if rising else rep.end), rep.number, measure=peak)


def _knee_front(
    meter: MeasureCollector, side: Side, reps: Sequence[Repetition], prefix: str, rising: bool = False
) -> None:
    signals, inward = meter.signals, medial_x(FRONT, side)
    chain = (f"asis_{side}", f"knee_{side}", f"ankle_{side}")
    if signals.has(*chain):
        knee = meter.curve(f"{prefix}-fppa", side, chain, lambda m: geometry.bend(three(m, chain), inward))
        _read(knee, reps, rising, f"{prefix}-fppa-peak")
    toe_line = (f"knee_{side}", f"second_toe_{side}")
    per_px = scaled(signals, 100)
    if signals.has(*toe_line) and per_px is not None:
        offset = meter.curve(
            f"{prefix}-knee-offset",
            side,
            toe_line,
            lambda m: float((m[toe_line[0]] - m[toe_line[1]])[0]) * inward * per_px,
        )
        _read(offset, reps, rising)


HIP_SHIFT_MARKS = ("asis_left", "asis_right", "ankle_left", "ankle_right")


def hip_shift(m: Marks) -> float:
    """Pelvis middle minus ankle middle in a front view, percent of stance width, + to the patient's right."""
    off = (m["ankle_left"] + m["ankle_right"] - m["asis_left"] - m["asis_right"])[0] / 2
    return 100 * float(off) / float(np.linalg.norm(m["ankle_left"] - m["ankle_right"]))


def front_squat(signals: MarkSignals, options: Options, result: Result) -> None:
    """Knees, hip shift and trunk of a two-leg squat."""
    meter = MeasureCollector(signals, result)
    reps = repetitions(signals, options, result, ("asis_left", "asis_right", "shoulder_left", "shoulder_right"))
    for side in LEGS:
        _knee_front(meter, side, reps, "squat-front")
    pelvis, feet = ("asis_left", "asis_right"), ("ankle_left", "ankle_right")
    if signals.has(*pelvis, *feet):
        line = meter.curve("squat-hip-shift", Side.NONE, HIP_SHIFT_MARKS, hip_shift)
        for rep in reps:
            line.at(rep.turn, rep.number)
            rise = signals.window(rep.turn, rep.end)
            before = line.values[signals.window(rep.start - 0.2, rep.start + 0.1)]
            if np.isfinite(line.values[rise]).any() and np.isfinite(before).any():
                start = float(np.nanmean(before))
                leaning_left = abs(np.nanmin(line.values[rise]) - start) > abs(np.nanmax(line.values[rise]) - start)
                line.extreme(rise, rep.number, bool(leaning_left), "squat-hip-shift-rise")
    _trunk_front(meter, reps, "squat-front-trunk", Side.NONE)
    tempo(signals, result, reps, "squat")


def _trunk_front(
    meter: MeasureCollector, reps: Sequence[Repetition], measure: str, stance: Side, rising: bool = False
) -> None:
    """Side-lean of the trunk: + to the right, or over the stance leg where there is one."""
    names = ("asis_left", "asis_right", "shoulder_left", "shoulder_right")
    if not meter.signals.has(*names):
        return
    to_right = -1
    toward = to_right if stance is not Side.LEFT else -to_right

    def value(m: Marks) -> float:
        """Lean of the trunk toward the stance leg, or to the right on both, degrees."""
        low, high = (m[names[0]] + m[names[1]]) / 2, (m[names[2]] + m[names[3]]) / 2
        return geometry.lean_from_vertical(low, high, toward)

    _read(meter.curve(measure, stance, names, value), reps, rising, f"{measure}-peak" if rising else "")


def one_leg_front(prefix: str, rising: bool = False) -> Callable[[MarkSignals, Options, Result], None]:
    """The measure of a one-leg task: knee, pelvis and trunk of the standing leg, of both where no side is named."""

    def measure(signals: MarkSignals, options: Options, result: Result) -> None:
        """Everything that the view shows of each repetition."""
        meter = MeasureCollector(signals, result)
        names = ("asis_left", "asis_right", "shoulder_left", "shoulder_right")
        legs = by_leg(signals, repetitions(signals, options, result, names, rising), options.side, result)
        stood = {rep.start: side for side, reps in legs.items() for rep in reps}
        result.cycles = [(stood[start], start, end) for _, start, end in result.cycles if start in stood]
        for side, reps in legs.items():
            _knee_front(meter, side, reps, prefix, rising)
            _drop_front(meter, side, reps, f"{prefix}-pelvic-drop", rising)
            _trunk_front(meter, reps, f"{prefix}-trunk", side, rising)
            tempo(signals, result, reps, prefix, side)

    return measure


def _drop_front(meter: MeasureCollector, stance: Side, reps: Sequence[Repetition], measure: str, rising: bool) -> None:
    """Drop of the pelvis to the side that is not supported."""
    pelvis = ("asis_left", "asis_right")
    if not meter.signals.has(*pelvis):
        return
    sign = -1 if stance is Side.LEFT else 1

    def drop(m: Marks) -> float:
        """Unsupported side lower positive, degrees."""
        return sign * geometry.right_higher_tilt(m[pelvis[0]], m[pelvis[1]])

    _read(meter.curve(measure, stance, pelvis, drop), reps, rising, f"{measure}-peak" if rising else "")


def bridge(signals: MarkSignals, options: Options, result: Result) -> None:
    """Bar tilt while one foot is raised: greatest drop on the raised side, told under the leg that supports."""
    if not signals.has("bar_left", "bar_right"):
        result.warnings.append("The bridge needs both ends of the bar: bar_left, bar_right.")
        return
    if options.side not in LEGS:
        result.warnings.append("Say which leg supports: side left or right.")
        return
    meter = MeasureCollector(signals, result)
    sign = 1 if options.side is Side.RIGHT else -1
    names = ("bar_left", "bar_right")
    line = meter.curve(
        "bridge-bar-tilt", options.side, names, lambda m: sign * geometry.right_higher_tilt(m[names[0]], m[names[1]])
    )
    frames = np.flatnonzero(np.isfinite(line.values))
    if frames.size:
        result.cycles.append((options.side, float(signals.times[frames[0]]), float(signals.times[frames[-1]])))
        line.extreme(frames, 1)
