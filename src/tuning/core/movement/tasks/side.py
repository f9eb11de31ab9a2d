"""Squats and walking seen from the side: joint angles, knee over foot, load share."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np

from tuning.core.force.clip_sync import POINT_SD_M, align, support
from tuning.core.movement.kinematics import CycleValue, MarkSignals, flexion, lean, over_time
from tuning.core.movement.load_share import SidePose, hip_share, lever_share
from tuning.core.movement.repetitions import Repetition
from tuning.core.movement.tasks.clip_repetitions import repetitions, tempo
from tuning.core.movement.tasks.result import (
    TOO_SHORT,
    MeasureCollector,
    MeasuredCurve,
    MissingValue,
    Options,
    Result,
    scaled,
)
from tuning.core.pictures.geometry import Marks
from tuning.core.types import Floats, NotMeasured, Side


def _ahead(signals: MarkSignals) -> int:
    heel, toe = np.nanmedian(signals.at("heel")[:, 0]), np.nanmedian(signals.at("toe")[:, 0])
    return 1 if toe > heel else -1


def _doubt_side(result: Result, named: Side, ahead: int) -> None:
    """Somebody who faces right in the picture turns the right side to the camera; the other leg named is told."""
    near = Side.RIGHT if ahead > 0 else Side.LEFT
    if named is near.other:
        result.warnings.append(
            f"The person faces {near.value}, so the {near.value} leg is nearer to the camera, yet the {named.value} "
            "leg is named. Is it the leg that carries the marks?"
        )


def _side_curves(meter: MeasureCollector, side: Side, ahead: int, prefix: str) -> dict[str, MeasuredCurve]:
    """The joint angles over time that the marks allow, by short name."""
    table: dict[str, tuple[tuple[str, ...], Callable[[Marks], float]]] = {
        "trunk": (("hip", "shoulder"), lambda m: lean(m["hip"], m["shoulder"], ahead)),
        "shin": (("ankle", "knee"), lambda m: lean(m["ankle"], m["knee"], ahead)),
        "hip": (("shoulder", "hip", "knee"), lambda m: flexion(m["shoulder"], m["hip"], m["knee"])),
        "knee": (("hip", "knee", "ankle"), lambda m: flexion(m["hip"], m["knee"], m["ankle"])),
        "ankle": (
            ("knee", "ankle", "heel", "toe"),
            lambda m: lean(m["ankle"], m["knee"], ahead) + _foot_pitch(m, ahead),
        ),
        "lumbar": (("l5", "shoulder"), lambda m: lean(m["l5"], m["shoulder"], ahead)),
    }
    lines = {}
    for name, (marks, value_of) in table.items():
        if meter.signals.has(*marks):
            lines[name] = meter.curve(f"{prefix}-{name}", side, marks, value_of)
    return lines


def _foot_pitch(m: Marks, ahead: int) -> float:
    """How far the toe end of the foot line is lifted, degrees."""
    dx, dy = m["toe"] - m["heel"]
    return float(np.degrees(np.arctan2(-dy, dx * ahead)))


TRUNK_SHIN = ("hip", "shoulder", "ankle", "knee")


def _trunk_minus_shin(ahead: int) -> Callable[[Marks], float]:
    """How much further forward the trunk leans than the shin, degrees."""
    return lambda m: lean(m["hip"], m["shoulder"], ahead) - lean(m["ankle"], m["knee"], ahead)


def side_squat(prefix: str, rising: bool = False) -> Callable[[MarkSignals, Options, Result], None]:
    """The measure of a squat seen from the side: angles, knee over foot, shares, tuck, tempo."""

    def measure(signals: MarkSignals, options: Options, result: Result) -> None:
        """Everything that the view shows of each repetition."""
        if not signals.has("heel", "toe"):
            result.warnings.append("A side view needs heel and toe: they say which way is ahead.")
            return
        meter, ahead = MeasureCollector(signals, result), _ahead(signals)
        _doubt_side(result, options.side, ahead)
        reps = repetitions(signals, options, result, ("hip", "shoulder"), rising)
        lines = [*_side_curves(meter, options.side, ahead, prefix).values()]
        if prefix == "squat-side" and signals.has(*TRUNK_SHIN):
            lines.append(meter.curve("squat-side-trunk-shin", options.side, TRUNK_SHIN, _trunk_minus_shin(ahead)))
        for line in lines:
            for rep in reps:
                line.at(rep.turn, rep.number)
        _knee_over_toe(meter, reps, options, ahead)
        _shares(meter, reps, options, ahead)
        _tail_tuck(meter, reps, options, ahead)
        tempo(signals, result, reps, "squat" if prefix == "squat-side" else prefix)

    return measure


def _knee_over_toe(meter: MeasureCollector, reps: Sequence[Repetition], options: Options, ahead: int) -> None:
    names = ("knee", "heel", "toe")
    if not meter.signals.has(*names):
        return
    turn_out = options.turn_out_deg
    if turn_out is not None and abs(turn_out) > 20:
        meter.result.warnings.append(f"Feet turned out {turn_out:.0f}°: the projected foot is divided by its cosine.")
    if turn_out is None:
        meter.result.warnings.append("Foot turn-out not known: knee over toe holds up to 20°; not measured beyond.")
    shorter = float(np.cos(np.radians(turn_out or 0.0)))

    def percent(m: Marks) -> float:
        """The knee over the foot, percent of its length."""
        along = (m["toe"] - m["heel"])[0] * ahead / shorter
        return 100 * float((m["knee"] - m["heel"])[0] * ahead) / float(along)

    line = meter.curve("knee-toe-percent", options.side, names, percent)
    for rep in reps:
        before = len(meter.result.values)
        line.at(rep.turn, rep.number)
        for value in meter.result.values[before:]:
            meter.result.values.append(
                CycleValue(
                    "knee-toe-zone",
                    value.side,
                    value.cycle,
                    float(zone_of(value.value)),
                    value.frame,
                    value.time_s,
                    0.0,
                )
            )


ZONE_EDGES = (45.0, 70.0, 100.0)
"""Percent of the foot from the heel at which zones 1, 2 and 3 begin (practice judgement, editable)."""


def zone_of(percent: float) -> int:
    """Knee zone 0-3: shin near upright, mid-foot, toes, past the toes (over 100)."""
    return sum((percent >= ZONE_EDGES[0], percent >= ZONE_EDGES[1], percent > ZONE_EDGES[2]))


def _shares(meter: MeasureCollector, reps: Sequence[Repetition], options: Options, ahead: int) -> None:
    signals = meter.signals
    names = ("hip", "knee", "ankle", "heel", "toe")
    if not signals.has(*names):
        return
    load = options.load_kg / options.mass_kg if options.mass_kg else 0.0
    if options.load_kg and not options.mass_kg:
        meter.result.warnings.append("A bar load needs the body mass; the load share is given without it.")

    def pose(m: Marks) -> SidePose:
        """Where the joints lie along the way ahead, px."""
        return SidePose(*(float(m[name][0] * ahead) for name in names))

    def model(m: Marks) -> float:
        """Share of the hip, from masses and levers of all segments above."""
        found = hip_share(pose(m), signals.metres_per_px, load)
        return np.nan if isinstance(found, NotMeasured) else found

    def quick(m: Marks) -> float:
        """Share of the hip, from the levers to a line over the foot alone."""
        found = lever_share(pose(m))
        return np.nan if isinstance(found, NotMeasured) else found

    def on_plates(m: Marks) -> float:
        """Share of the hip, with the centre of pressure that the plates measured."""
        found = hip_share(pose(m), signals.metres_per_px, load, float(m[SUPPORT][0] * ahead))
        return np.nan if isinstance(found, NotMeasured) else found

    lines: list[tuple[str, tuple[str, ...], Callable[[Marks], float]]] = [
        ("hip-knee-share", names, model),
        ("lever-share", names, quick),
    ]
    if options.plates is not None and _put_support(signals, options, ahead, meter.result):
        lines.append(("hip-knee-share-plates", (*names, SUPPORT), on_plates))
    for measure, marks, value_of in lines:
        line = meter.curve(measure, options.side, marks, value_of)
        for rep in reps:
            line.at(rep.turn, rep.number)


SUPPORT = "support"
"""The place in the picture where the ground carries the body, from the plates."""


def _put_support(signals: MarkSignals, options: Options, ahead: int, result: Result) -> bool:
    """Bring the plates' centre of pressure into the picture; False, and a sentence, when that cannot be done."""
    per_px, plates = signals.metres_per_px, options.plates
    assert plates is not None
    if per_px is None:
        result.warnings.append("The plates are not used: mark a known length first, so that millimetres have a place.")
        return False
    ground = support(plates.recording, plates.heel_mm)
    hip = -signals.at("hip")[:, 1]
    met = align(plates.recording, signals.times, hip)
    for found in (ground, met):
        if isinstance(found, NotMeasured):
            result.warnings.append(f"The plates are not used: {found.detail}.")
    if isinstance(ground, NotMeasured) or isinstance(met, NotMeasured):
        return False
    mass = options.mass_kg + options.load_kg if options.mass_kg else None
    doubt = met.doubt(float(np.ptp(hip[np.isfinite(hip)])) * per_px, mass)
    if doubt:
        result.warnings.append(f"The plates are not used: {doubt}.")
        return False
    heel = np.nanmedian(signals.at("heel"), axis=0)
    shift = ground.at(signals.times + met.offset) / per_px
    signals.add_place(SUPPORT, heel + np.stack([ahead * shift, 0 * shift], axis=1), POINT_SD_M / per_px)
    result.warnings.append(
        f"Plates: the clip begins at their second {met.offset:.2f}, found by the movement itself (r {met.r:.3f}); "
        f"heels {plates.heel_mm:.0f} mm ahead of their origin."
    )
    return True


def _tail_tuck(meter: MeasureCollector, reps: Sequence[Repetition], options: Options, ahead: int) -> None:
    """Depth (hip flexion) at which the pelvis line has turned back by 10 degrees from its peak."""
    signals = meter.signals
    if not signals.has("asis", "psis", "shoulder", "hip", "knee"):
        return
    pelvis = over_time(signals, ("psis", "asis"), lambda m: -_pitch(m["psis"], m["asis"], ahead))
    bend = over_time(signals, ("shoulder", "hip", "knee"), lambda m: flexion(m["shoulder"], m["hip"], m["knee"]))
    for rep in reps:
        frames = signals.window(rep.start, rep.turn)
        if frames.size < 5 or not np.isfinite(pelvis[frames]).all():
            why = TOO_SHORT if frames.size < 5 else "the pelvis not seen all the way down"
            meter.result.missing.append(MissingValue("tail-tuck", options.side, rep.number, why))
            continue
        peak = frames[int(np.argmax(pelvis[frames]))]
        back = [k for k in frames if k > peak and pelvis[peak] - pelvis[k] >= TUCK_DEG]
        if back and np.isfinite(bend[back[0] - 1 : back[0] + 2]).all():
            k = int(back[0])
            sd = signals.marking_sd(
                ("shoulder", "hip", "knee"), k, lambda m: flexion(m["shoulder"], m["hip"], m["knee"])
            )
            slope = abs(float(np.gradient(bend)[k])) * 1.5
            meter.result.values.append(
                CycleValue(
                    "tail-tuck",
                    options.side,
                    rep.number,
                    float(bend[k]),
                    k,
                    float(signals.times[k]),
                    float(np.hypot(sd, slope)),
                )
            )


TUCK_DEG = 10.0


def _pitch(back: Floats, front: Floats, ahead: int) -> float:
    dx, dy = front - back
    return float(np.degrees(np.arctan2(-dy, dx * ahead)))


def side_gait(signals: MarkSignals, options: Options, result: Result) -> None:
    """Knee and trunk at contact (the foot furthest ahead of the hip, Zeni 2008) and the foot's lead."""
    from scipy.signal import find_peaks

    if not signals.has("hip", "knee", "ankle", "heel", "toe"):
        result.warnings.append("Side-view walking needs hip, knee, ankle, heel and toe.")
        return
    meter, ahead = MeasureCollector(signals, result), _ahead(signals)
    _doubt_side(result, options.side, ahead)
    lead = (signals.at("heel") - signals.at("hip"))[:, 0] * ahead
    if not np.isfinite(lead).any():
        result.warnings.append("Heel and hip are never seen together.")
        return
    known = np.nan_to_num(lead, nan=float(np.nanmin(lead)))
    peaks, _ = find_peaks(known, prominence=0.4 * float(np.nanmax(lead) - np.nanmin(lead)))
    if peaks.size < 2:
        result.warnings.append("No steps: the heel does not move ahead of the hip and back again.")
        return
    lines = _side_curves(meter, options.side, ahead, "gait-side")
    for number, peak in enumerate(peaks, start=1):
        time = float(signals.times[peak])
        result.events.append(("contact", options.side, time))
        for name in ("trunk", "knee"):
            if name in lines:
                lines[name].at(time, number)
        per_px = scaled(signals, 100)
        if per_px is not None:
            sd = np.sqrt(2) * signals.sd_px("heel", int(peak)) * per_px
            value = CycleValue("gait-side-lead", options.side, number, float(lead[peak]) * per_px, int(peak), time, sd)
            result.values.append(value)
    for start, end in zip(peaks, peaks[1:], strict=False):
        result.cycles.append((options.side, float(signals.times[start]), float(signals.times[end])))
