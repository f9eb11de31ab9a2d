"""Walking and running seen from behind, step by step."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from tuning.core.judging.verdict import Z95
from tuning.core.movement.gait import EVENT_SD_FRAMES, GaitStep, Stance, find_stances, gait_of, steps_of
from tuning.core.movement.kinematics import CycleValue, MarkSignals
from tuning.core.movement.movement_views import REAR
from tuning.core.movement.tasks.manual_events import stances_with
from tuning.core.movement.tasks.result import (
    LEAST_SEEN,
    TOO_SHORT,
    MeasureCollector,
    MissingValue,
    Options,
    Result,
    scaled,
    three,
)
from tuning.core.pictures import geometry
from tuning.core.pictures.geometry import Marks
from tuning.core.pictures.marks import medial_x
from tuning.core.types import LEGS, Floats, NotMeasured, Side

LOOK_THROUGH = (
    "Running: followed marks of the feet may sit on each other's stickers for a while. "
    "Look through the clip before its numbers are used."
)
"""Drawn runs have by far the most places on another's sticker (docs/accuracy.md)."""


def rear_gait(signals: MarkSignals, options: Options, result: Result) -> None:
    """Pelvic drop, legs, feet and cadence, step by step."""
    meter = MeasureCollector(signals, result)
    steps = _steps(signals, options, result)
    if not steps:
        return
    result.gait = gait_of(steps, 1 / signals.rate)
    if result.gait == "run":
        result.warnings.append(LOOK_THROUGH)
    for step in steps:
        result.events += [("contact", step.side, step.contact), ("toe-off", step.side, step.toe_off)]
        result.cycles.append((step.side, step.contact, step.toe_off))
    if signals.has("psis_left", "psis_right"):
        _pelvic_drop(meter, steps, options)
    for side in LEGS:
        _rear_leg(meter, side, [s for s in steps if s.side is side])
    _step_width(signals, steps, result)
    spans = [s.swing_end - s.contact for s in steps if np.isfinite(s.swing_end)]
    if spans:
        stride = float(np.median(spans))
        sd = 120 / stride**2 * max(s.contact_sd for s in steps) * np.sqrt(2) / np.sqrt(len(spans))
        result.values.append(CycleValue("gait-cadence", Side.NONE, 1, 120 / stride, 0, 0.0, float(sd)))


def _steps(signals: MarkSignals, options: Options, result: Result) -> list[GaitStep]:
    """Steps as found, with what was put by hand; `result.found` in their order."""
    found, stride = _found(signals, result)
    frame_s = 1 / signals.rate
    before = stances_with(found, options, frame_s, result)
    pairs = [(one, _placed(one, options, frame_s)) for one in before]
    pairs.sort(key=lambda pair: pair[1].contact)
    for one, placed in pairs:
        if np.isfinite(placed.toe_off):
            result.found += [("contact", one.side, one.contact), ("toe-off", one.side, one.toe_off)]
    return steps_of([placed for _, placed in pairs], stride)


def _found(signals: MarkSignals, result: Result) -> tuple[list[Stance], float]:
    """Stances that the feet tell, and the stride, s, NaN where none is told; why not, and how, is said."""
    heels = {side: _height(signals, f"heel_{side}", f"heel_top_{side}") for side in LEGS}
    toes = {side: _height(signals, f"toe_{side}") for side in LEGS}
    if any(np.isnan(height).all() for height in heels.values()):
        result.warnings.append("Steps need the heels of both feet: track them too.")
        return [], np.nan
    stances = find_stances(heels, toes, signals.times)
    if isinstance(stances, NotMeasured):
        result.warnings.append(f"No steps: {stances.detail}.")
        return [], np.nan
    for side, count in stances.left_out.items():
        if count:
            steps = f"{count} {'step' if count == 1 else 'steps'}"
            result.warnings.append(
                f"{steps} of the {side} leg left out: landing or swing of the heel was not seen well enough."
            )
    whole = [one for one in stances.found if np.isfinite(one.toe_off)]
    if whole:
        _say_how(whole, result)
    return stances.found, stances.stride


def _height(signals: MarkSignals, *names: str) -> Floats:
    """Heights of the first of these marks that is followed, px; NaN throughout without any."""
    name = next((name for name in names if signals.has(name)), None)
    return np.full(len(signals.times), np.nan) if name is None else signals.raw(name)[:, 1]


def _placed(one: Stance, options: Options, frame_s: float) -> Stance:
    """A stance with what was put elsewhere by hand, to the frame."""
    contact = options.placed("contact", one.side, one.contact)
    toe_off = options.placed("toe-off", one.side, one.toe_off)
    by_hand = EVENT_SD_FRAMES * frame_s
    return replace(
        one,
        contact=contact,
        toe_off=toe_off,
        contact_sd=one.contact_sd if contact == one.contact else by_hand,
        toe_off_sd=one.toe_off_sd if toe_off == one.toe_off else by_hand,
    )


def _say_how(stances: Sequence[Stance], result: Result) -> None:
    """What told the events, and how exactly."""
    result.event_error = {
        "contact": Z95 * max(s.contact_sd for s in stances),
        "toe-off": Z95 * max(s.toe_off_sd for s in stances),
    }
    ways = []
    for by, words in (("forefoot", "the forefoot"), ("heel", "the heel alone")):
        sds = [s.toe_off_sd for s in stances if s.by == by]
        if sds:
            ways.append(f"by {words} in {len(sds)} of {len(stances)} steps, ±{1000 * Z95 * max(sds):.0f} ms")
    contact = f"±{1000 * result.event_error['contact']:.0f} ms"
    result.notes.append(f"Landing is read from the heel, {contact}; toe-off {'; '.join(ways)}.")


def _pelvic_drop(meter: MeasureCollector, steps: Sequence[GaitStep], options: Options) -> None:
    names = ("psis_left", "psis_right")
    standing = options.standing_tilt_deg
    if standing is None:
        meter.result.warnings.append("Standing tilt not known: pelvic drop is given without subtracting it.")

    def tilt(m: Marks) -> float:
        """Tilt of the pelvis, degrees."""
        return geometry.right_higher_tilt(m["psis_left"], m["psis_right"])

    for side in LEGS:
        # Over the left leg the right side is unsupported; it is lower when the tilt is negative.
        sign = -1 if side is Side.LEFT else 1
        drop = meter.curve("gait-pelvic-drop", side, names, lambda m, k=sign: k * (tilt(m) - (standing or 0.0)))  # type: ignore[misc]
        for step in (s for s in steps if s.side is side):
            frames = meter.signals.window(step.contact, step.toe_off)
            drop.extreme(frames, step.number, ends_sd=(step.contact_sd, step.toe_off_sd))
    raw = meter.curve("gait-pelvic-tilt", Side.NONE, names, tilt)
    for value in [v for v in meter.result.values if v.measure == "gait-pelvic-drop"]:
        raw.at(value.time_s, value.cycle, side=value.side)


def _rear_leg(meter: MeasureCollector, side: Side, steps: Sequence[GaitStep]) -> None:
    signals = meter.signals
    inward = medial_x(REAR, side)
    chain = (f"buttock_{side}", f"knee_back_{side}", f"heel_{side}")
    if signals.has(*chain):
        inner = meter.curve("gait-bkh", side, chain, lambda m: geometry.interior_angle(three(m, chain)))
        bent = meter.curve("gait-bkh-deviation", side, chain, lambda m: geometry.bend(three(m, chain), inward))
        for step in steps:
            inner.at(step.mid_stance, step.number, time_sd=step.mid_stance_sd)
            bent.at(step.mid_stance, step.number, time_sd=step.mid_stance_sd)
            ends = (step.contact_sd, step.toe_off_sd)
            inner.extreme(
                signals.window(step.contact, step.toe_off), step.number, True, "gait-bkh-min-stance", ends_sd=ends
            )
            if np.isfinite(step.swing_end):
                swing = signals.window(step.toe_off, step.swing_end)
                inner.extreme(swing, step.number, True, "gait-bkh-min-swing", ends_sd=ends[::-1])
    rearfoot = (f"knee_back_{side}", f"heel_top_{side}", f"heel_{side}")
    if signals.has(*rearfoot):
        everted = meter.curve("gait-heel-eversion", side, rearfoot, lambda m: geometry.bend(three(m, rearfoot), inward))
        for step in steps:
            everted.at(step.mid_stance, step.number, time_sd=step.mid_stance_sd)
            stance = signals.window(step.contact, step.toe_off)
            ends = (step.contact_sd, step.toe_off_sd)
            everted.extreme(stance, step.number, measure="gait-heel-eversion-peak", ends_sd=ends)
    heel, toe = f"heel_{side}", f"toe_{side}"
    if signals.has(heel, toe):
        foot = meter.curve(
            "gait-foot-line", side, (heel, toe), lambda m: geometry.lean_from_vertical(m[heel], m[toe], -inward)
        )
        for step in steps:
            foot.at(step.mid_stance, step.number, time_sd=step.mid_stance_sd)
    for step in steps if signals.has(heel) else ():
        _heel_path(meter, side, step, -inward)


def _step_width(signals: MarkSignals, steps: Sequence[GaitStep], result: Result) -> None:
    """Sideways distance of the heels in consecutive mid-stances, cm."""
    per_px = scaled(signals, 100)
    if per_px is None:
        return
    if not signals.has("heel_left", "heel_right"):
        return
    standing = [s for s in steps if np.isfinite(s.mid_stance)]
    for number, (one, other) in enumerate(zip(standing, standing[1:], strict=False), start=1):
        if one.side is other.side:
            continue
        frames = [signals.frame(s.mid_stance) for s in (one, other)]
        x = [signals.at(f"heel_{s.side}")[k, 0] for s, k in zip((one, other), frames, strict=True)]
        if not np.isfinite(x).all():
            result.missing.append(MissingValue("gait-step-width", Side.NONE, number, "a heel not seen at mid-stance"))
        else:
            sds = [signals.sd_px(f"heel_{s.side}", k) for s, k in zip((one, other), frames, strict=True)]
            sd = float(np.hypot(sds[0], sds[1]))
            width = abs(float(x[0] - x[1])) * per_px
            time = float(signals.times[frames[1]])
            result.values.append(CycleValue("gait-step-width", Side.NONE, number, width, frames[1], time, sd * per_px))


def _heel_path(meter: MeasureCollector, side: Side, step: GaitStep, outward: int) -> None:
    """Greatest sideways distance of the heel from the chord of its swing, outward +, cm."""
    signals = meter.signals
    per_px = scaled(signals, 100)
    frames = signals.window(step.toe_off, step.swing_end) if np.isfinite(step.swing_end) else np.empty(0, dtype=int)
    if per_px is None or not frames.size:  # without a length scale, or without a whole swing, there is no path
        return
    if frames.size < 5 or signals.seen_share(frames, f"heel_{side}") < LEAST_SEEN:
        why = TOO_SHORT if frames.size < 5 else f"{side.value} heel not seen for much of the swing"
        meter.result.missing.append(MissingValue("gait-heel-path", side, step.number, why))
        return
    x = signals.at(f"heel_{side}")[frames, 0]
    chord = np.linspace(x[0], x[-1], x.size)
    off = outward * (x - chord) * per_px
    k = int(np.nanargmax(np.abs(off)))
    sd = signals.sd_px(f"heel_{side}", int(frames[k])) * per_px * np.sqrt(1.5)
    frame = int(frames[k])
    meter.result.values.append(
        CycleValue("gait-heel-path", side, step.number, float(off[k]), frame, float(signals.times[frame]), float(sd))
    )
