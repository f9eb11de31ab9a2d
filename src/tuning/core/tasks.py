"""What each movement task is measured for, step by step or repetition by repetition."""

from __future__ import annotations

from collections.abc import Callable, Container, Sequence
from dataclasses import dataclass, field, replace
from typing import Any

import numpy as np

from tuning.core import geometry
from tuning.core.gait import Step, find_steps
from tuning.core.geometry import Marks
from tuning.core.kinematics import Curve, CycleValue, Signals, camera_bump, flexion, lean, over_time
from tuning.core.load_share import SidePose, hip_share, lever_share
from tuning.core.marks import medial_x
from tuning.core.movement import FRONT, REAR
from tuning.core.repetitions import Repetition, find_repetitions
from tuning.core.tracks import Tracks
from tuning.core.types import LEGS, Floats, NotMeasured, Observation, Side
from tuning.core.verdict import Z95

LEAST_SEEN = 0.6
"""A step or repetition counts when its marks were seen in this share of it (practice judgement, editable)."""
EVENT_SD_FRAMES = 0.4
"""SD of an event's time, frames; checked by tests on fresh clips."""


@dataclass(frozen=True)
class Options:
    """What the tracks alone do not tell. Degrees, kg, metres per pixel."""

    side: Side = Side.NONE
    roll_deg: float = 0.0
    standing_tilt_deg: float | None = None
    mass_kg: float | None = None
    load_kg: float = 0.0
    metres_per_px: float | None = None
    cutoff_hz: float | None = None
    turn_out_deg: float | None = None
    moved: tuple[tuple[str, Side, float, float], ...] = ()
    """Events put elsewhere by hand: kind, side, found at, put to (s)."""

    def placed(self, kind: str, side: Side, time: float) -> float:
        """Where an event stands: as found, or where it was put."""
        hits = [new for k, s, old, new in self.moved if k == kind and s is side and abs(old - time) < 0.01]
        return hits[-1] if hits else time


@dataclass(frozen=True)
class Summary:
    """Mean, SD and count over the cycles; `predicted_error` is the 95 % error of marks and events."""

    measure: str
    side: Side
    mean: float
    sd: float
    n: int
    predicted_error: float


@dataclass
class Result:
    """Everything a task says about one clip."""

    task: str
    values: list[CycleValue] = field(default_factory=list)
    curves: list[Curve] = field(default_factory=list)
    cycles: list[tuple[Side, float, float]] = field(default_factory=list)
    events: list[tuple[str, Side, float]] = field(default_factory=list)
    """Kind, side and time (s), in the order of `found`: where each was before it was moved by hand."""
    found: list[tuple[str, Side, float]] = field(default_factory=list)
    warnings: list[str] = field(default_factory=list)
    cutoff_hz: float = 0.0

    def summaries(self) -> list[Summary]:
        """One line for each measure and side."""
        groups: dict[tuple[str, Side], list[CycleValue]] = {}
        for value in self.values:
            groups.setdefault((value.measure, value.side), []).append(value)
        made = []
        for (measure, side), group in groups.items():
            numbers = np.array([v.value for v in group])
            sd = float(numbers.std(ddof=1)) if len(group) > 1 else 0.0
            error = Z95 * float(np.sqrt(np.mean([v.marking_sd**2 for v in group])))
            made.append(Summary(measure, side, float(numbers.mean()), sd, len(group), error))
        return made


class _Meter:
    """Takes values from curves and keeps them with their errors."""

    def __init__(self, signals: Signals, result: Result) -> None:
        self.signals, self.result = signals, result

    def curve(self, measure: str, side: Side, names: tuple[str, ...], value_of: Callable[[Marks], float]) -> _Line:
        """A value over time; kept for drawing."""
        values = over_time(self.signals, names, value_of)
        self.result.curves.append(Curve(measure, side, values))
        return _Line(self, measure, side, names, value_of, values)


@dataclass(frozen=True)
class _Line:
    """A value over time that can be read at a time, at its peak, or at its least."""

    meter: _Meter
    measure: str
    side: Side
    names: tuple[str, ...]
    value_of: Callable[[Marks], float]
    values: Floats

    def at(self, time: float, cycle: int, measure: str = "", side: Side | None = None) -> None:
        """At a named event."""
        signals = self.meter.signals
        if not np.isfinite(time):
            return
        k = signals.frame(time)
        if not np.isfinite(self.values[max(0, k - 1) : k + 2]).all():
            return
        value = float(np.interp(time, signals.times, self.values))
        slope = float(np.gradient(self.values)[k]) if 0 < k < len(self.values) - 1 else 0.0
        self._keep(measure, side, cycle, value, k, abs(slope) * EVENT_SD_FRAMES)

    def extreme(
        self, frames: np.ndarray, cycle: int, least: bool = False, measure: str = "", side: Side | None = None
    ) -> None:
        """Greatest or least value within frames that were mostly seen."""
        inside = self.values[frames]
        if frames.size < 5 or self.meter.signals.seen_share(frames, *self.names) < LEAST_SEEN:
            return
        if not np.isfinite(inside).any():
            return
        k = int(frames[np.nanargmin(inside) if least else np.nanargmax(inside)])
        self._keep(measure, side, cycle, float(self.values[k]), k, self._flattened(k))

    def _flattened(self, k: int) -> float:
        """What smoothing may have taken off a sharp extreme: its bend against the cut-off."""
        signals = self.meter.signals
        around = self.values[max(0, k - 1) : k + 2]
        if around.size < 3 or not np.isfinite(around).all():
            return 0.0
        bend = abs(float(around[0] - 2 * around[1] + around[2])) * signals.rate**2
        return 0.4 * bend / (2 * np.pi * signals.cutoff_hz) ** 2

    def _keep(self, measure: str, side: Side | None, cycle: int, value: float, frame: int, event_sd: float) -> None:
        signals = self.meter.signals
        sd = float(np.hypot(signals.marking_sd(self.names, frame, self.value_of), event_sd))
        time = float(signals.times[frame])
        self.meter.result.values.append(
            CycleValue(measure or self.measure, side or self.side, cycle, value, frame, time, sd)
        )


def _scaled(signals: Signals, per_metre: float) -> float | None:
    return None if signals.metres_per_px is None else signals.metres_per_px * per_metre


# rear view of walking


def _rear_gait(signals: Signals, options: Options, result: Result) -> None:
    meter = _Meter(signals, result)
    steps = _steps(signals, options, result)
    if not steps:
        return
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
        frame_s = 1 / signals.rate
        sd = 120 / stride**2 * EVENT_SD_FRAMES * frame_s * np.sqrt(2) / np.sqrt(len(spans))
        result.values.append(CycleValue("gait-cadence", Side.NONE, 1, 120 / stride, 0, 0.0, float(sd)))


def _steps(signals: Signals, options: Options, result: Result) -> list[Step]:
    if not signals.has("heel_left", "heel_right", "toe_left", "toe_right"):
        result.warnings.append("Steps need heel and outer forefoot of both feet: track them too.")
        return []
    heels = {side: signals.raw(f"heel_{side}")[:, 1] for side in LEGS}
    toes = {side: signals.raw(f"toe_{side}")[:, 1] for side in LEGS}
    found = find_steps(heels, toes, signals.times)
    if isinstance(found, NotMeasured):
        result.warnings.append(f"No steps: {found.detail}.")
        return []
    for step in found:
        result.found += [("contact", step.side, step.contact), ("toe-off", step.side, step.toe_off)]
    return [
        replace(
            step,
            contact=options.placed("contact", step.side, step.contact),
            toe_off=options.placed("toe-off", step.side, step.toe_off),
        )
        for step in found
    ]


def _pelvic_drop(meter: _Meter, steps: Sequence[Step], options: Options) -> None:
    names = ("psis_left", "psis_right")
    standing = options.standing_tilt_deg
    if standing is None:
        meter.result.warnings.append("Standing tilt not known: pelvic drop is told without subtracting it.")

    def tilt(m: Marks) -> float:
        return geometry.right_higher_tilt(m["psis_left"], m["psis_right"])

    for side in LEGS:
        # Over the left leg the right side is unsupported; it is lower when the tilt is negative.
        sign = -1 if side is Side.LEFT else 1
        drop = meter.curve("gait-pelvic-drop", side, names, lambda m, k=sign: k * (tilt(m) - (standing or 0.0)))  # type: ignore[misc]
        for step in (s for s in steps if s.side is side):
            drop.extreme(meter.signals.window(step.contact, step.toe_off), step.number)
    raw = meter.curve("gait-pelvic-tilt", Side.NONE, names, tilt)
    for value in [v for v in meter.result.values if v.measure == "gait-pelvic-drop"]:
        raw.at(value.time_s, value.cycle, side=value.side)


def _rear_leg(meter: _Meter, side: Side, steps: Sequence[Step]) -> None:
    signals = meter.signals
    inward = medial_x(REAR, side)
    chain = (f"buttock_{side}", f"knee_back_{side}", f"heel_{side}")
    if signals.has(*chain):
        inner = meter.curve("gait-bkh", side, chain, lambda m: geometry.interior_angle(_three(m, chain)))
        bent = meter.curve("gait-bkh-deviation", side, chain, lambda m: geometry.bend(_three(m, chain), inward))
        for step in steps:
            inner.at(step.mid_stance, step.number)
            bent.at(step.mid_stance, step.number)
            inner.extreme(signals.window(step.contact, step.toe_off), step.number, True, "gait-bkh-min-stance")
            if np.isfinite(step.swing_end):
                swing = signals.window(step.toe_off, step.swing_end)
                inner.extreme(swing, step.number, True, "gait-bkh-min-swing")
    heel, toe = f"heel_{side}", f"toe_{side}"
    foot = meter.curve(
        "gait-foot-line", side, (heel, toe), lambda m: geometry.lean_from_vertical(m[heel], m[toe], -inward)
    )
    for step in steps:
        foot.at(step.mid_stance, step.number)
        _heel_path(meter, side, step, -inward)


def _step_width(signals: Signals, steps: Sequence[Step], result: Result) -> None:
    """Sideways distance of the heels in consecutive mid-stances, cm."""
    per_px = _scaled(signals, 100)
    if per_px is None:
        return
    standing = [s for s in steps if np.isfinite(s.mid_stance)]
    for number, (one, other) in enumerate(zip(standing, standing[1:], strict=False), start=1):
        if one.side is other.side:
            continue
        frames = [signals.frame(s.mid_stance) for s in (one, other)]
        x = [signals.at(f"heel_{s.side}")[k, 0] for s, k in zip((one, other), frames, strict=True)]
        if np.isfinite(x).all():
            sds = [signals.sd_px(f"heel_{s.side}", k) for s, k in zip((one, other), frames, strict=True)]
            sd = float(np.hypot(sds[0], sds[1]))
            width = abs(float(x[0] - x[1])) * per_px
            time = float(signals.times[frames[1]])
            result.values.append(CycleValue("gait-step-width", Side.NONE, number, width, frames[1], time, sd * per_px))


def _heel_path(meter: _Meter, side: Side, step: Step, outward: int) -> None:
    """Greatest sideways distance of the heel from the chord of its swing, outward +, cm."""
    signals = meter.signals
    per_px = _scaled(signals, 100)
    frames = signals.window(step.toe_off, step.swing_end) if np.isfinite(step.swing_end) else np.empty(0, dtype=int)
    if per_px is None or frames.size < 5 or signals.seen_share(frames, f"heel_{side}") < LEAST_SEEN:
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


def _three(m: Marks, names: tuple[str, str, str]) -> geometry.Chain:
    return m[names[0]], m[names[1]], m[names[2]]


# front view of squats, step-downs, chair rises


def _repetitions(
    signals: Signals, options: Options, result: Result, names: tuple[str, ...], rising: bool = False
) -> list[Repetition]:
    shown = [n for n in names if signals.has(n)]
    if not shown:
        result.warnings.append(f"Repetitions need one of: {', '.join(names)}.")
        return []
    heights = [signals.raw(n)[:, 1] for n in shown]
    best = max(float(np.isfinite(h).mean()) for h in heights)
    # A mark that was hidden half the time would cut the others' repetitions, too.
    height = np.mean([h for h in heights if np.isfinite(h).mean() >= 0.95 * best], axis=0)
    found = find_repetitions(height, signals.times, rising)
    if isinstance(found, NotMeasured):
        result.warnings.append(f"No repetitions: {found.detail}.")
        return []
    none = Side.NONE
    for rep in found:
        result.found += [("start", none, rep.start), ("turn", none, rep.turn), ("end", none, rep.end)]
    found = [
        Repetition(
            r.number,
            options.placed("start", none, r.start),
            options.placed("turn", none, r.turn),
            options.placed("end", none, r.end),
        )
        for r in found
    ]
    for rep in found:
        result.events += [("start", Side.NONE, rep.start), ("turn", Side.NONE, rep.turn), ("end", Side.NONE, rep.end)]
        result.cycles.append((Side.NONE, rep.start, rep.end))
    return found


def _tempo(signals: Signals, result: Result, reps: Sequence[Repetition], prefix: str) -> None:
    sd = EVENT_SD_FRAMES * 3 / signals.rate
    for rep in reps:
        k = signals.frame(rep.turn)
        for name, value in ((f"{prefix}-first-s", rep.first_s), (f"{prefix}-second-s", rep.second_s)):
            result.values.append(CycleValue(name, Side.NONE, rep.number, value, k, rep.turn, sd))


def _knee_front(meter: _Meter, side: Side, reps: Sequence[Repetition], prefix: str) -> None:
    signals, inward = meter.signals, medial_x(FRONT, side)
    chain = (f"asis_{side}", f"knee_{side}", f"ankle_{side}")
    if signals.has(*chain):
        knee = meter.curve(f"{prefix}-fppa", side, chain, lambda m: geometry.bend(_three(m, chain), inward))
        for rep in reps:
            knee.at(rep.turn, rep.number)
            knee.extreme(signals.window(rep.start, rep.end), rep.number, measure=f"{prefix}-fppa-peak")
    toe_line = (f"knee_{side}", f"second_toe_{side}")
    per_px = _scaled(signals, 100)
    if signals.has(*toe_line) and per_px is not None:
        offset = meter.curve(
            f"{prefix}-knee-offset",
            side,
            toe_line,
            lambda m: float((m[toe_line[0]] - m[toe_line[1]])[0]) * inward * per_px,
        )
        for rep in reps:
            offset.at(rep.turn, rep.number)


HIP_SHIFT_MARKS = ("asis_left", "asis_right", "ankle_left", "ankle_right")


def hip_shift(m: Marks) -> float:
    """Pelvis middle minus ankle middle in a front view, percent of stance width, + to the patient's right."""
    off = (m["ankle_left"] + m["ankle_right"] - m["asis_left"] - m["asis_right"])[0] / 2
    return 100 * float(off) / float(np.linalg.norm(m["ankle_left"] - m["ankle_right"]))


def _front_squat(signals: Signals, options: Options, result: Result) -> None:
    meter = _Meter(signals, result)
    reps = _repetitions(signals, options, result, ("asis_left", "asis_right", "shoulder_left", "shoulder_right"))
    for side in LEGS:
        _knee_front(meter, side, reps, "squat-front")
    pelvis, feet = ("asis_left", "asis_right"), ("ankle_left", "ankle_right")
    if signals.has(*pelvis, *feet):
        line = meter.curve("squat-hip-shift", Side.NONE, HIP_SHIFT_MARKS, hip_shift)
        for rep in reps:
            line.at(rep.turn, rep.number)
            rise = signals.window(rep.turn, rep.end)
            if np.isfinite(line.values[rise]).any():
                start = float(np.nanmean(line.values[signals.window(rep.start - 0.2, rep.start + 0.1)]))
                leaning_left = abs(np.nanmin(line.values[rise]) - start) > abs(np.nanmax(line.values[rise]) - start)
                line.extreme(rise, rep.number, bool(leaning_left), "squat-hip-shift-rise")
    _trunk_front(meter, reps, "squat-front-trunk", Side.NONE)
    _tempo(signals, result, reps, "squat")


def _trunk_front(meter: _Meter, reps: Sequence[Repetition], measure: str, stance: Side) -> None:
    """Side-lean of the trunk: + to the right, or over the stance leg where there is one."""
    names = ("asis_left", "asis_right", "shoulder_left", "shoulder_right")
    if not meter.signals.has(*names):
        return
    to_right = -1
    toward = to_right if stance is not Side.LEFT else -to_right

    def value(m: Marks) -> float:
        low, high = (m[names[0]] + m[names[1]]) / 2, (m[names[2]] + m[names[3]]) / 2
        return geometry.lean_from_vertical(low, high, toward)

    line = meter.curve(measure, stance, names, value)
    for rep in reps:
        line.at(rep.turn, rep.number)


def _one_leg_front(prefix: str, rising: bool = False) -> Callable[[Signals, Options, Result], None]:
    def measure(signals: Signals, options: Options, result: Result) -> None:
        if options.side not in LEGS:
            result.warnings.append("Say which leg stands: side left or right.")
            return
        meter, side = _Meter(signals, result), options.side
        names = (f"asis_{side}", "asis_left", "asis_right", "shoulder_left", "shoulder_right")
        reps = _repetitions(signals, options, result, names, rising)
        _knee_front(meter, side, reps, prefix)
        pelvis = ("asis_left", "asis_right")
        if signals.has(*pelvis):
            sign = -1 if side is Side.LEFT else 1
            drop = meter.curve(
                f"{prefix}-pelvic-drop",
                side,
                pelvis,
                lambda m: sign * geometry.right_higher_tilt(m["asis_left"], m["asis_right"]),
            )
            for rep in reps:
                drop.at(rep.turn, rep.number)
        _trunk_front(meter, reps, f"{prefix}-trunk", side)
        _tempo(signals, result, reps, prefix)

    return measure


# side view


def _ahead(signals: Signals) -> int:
    heel, toe = np.nanmedian(signals.at("heel")[:, 0]), np.nanmedian(signals.at("toe")[:, 0])
    return 1 if toe > heel else -1


def _side_curves(meter: _Meter, side: Side, ahead: int, prefix: str) -> dict[str, _Line]:
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


def _side_squat(prefix: str, rising: bool = False) -> Callable[[Signals, Options, Result], None]:
    def measure(signals: Signals, options: Options, result: Result) -> None:
        if not signals.has("heel", "toe"):
            result.warnings.append("A side view needs heel and toe: they say which way is ahead.")
            return
        meter, ahead = _Meter(signals, result), _ahead(signals)
        reps = _repetitions(signals, options, result, ("hip", "shoulder"), rising)
        for line in _side_curves(meter, options.side, ahead, prefix).values():
            for rep in reps:
                line.at(rep.turn, rep.number)
        _knee_over_toe(meter, reps, options, ahead)
        _shares(meter, reps, options, ahead)
        _tail_tuck(meter, reps, options, ahead)
        _tempo(signals, result, reps, "squat" if prefix == "squat-side" else prefix)

    return measure


def _knee_over_toe(meter: _Meter, reps: Sequence[Repetition], options: Options, ahead: int) -> None:
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


def _shares(meter: _Meter, reps: Sequence[Repetition], options: Options, ahead: int) -> None:
    signals = meter.signals
    names = ("hip", "knee", "ankle", "heel", "toe")
    if not signals.has(*names):
        return
    load = options.load_kg / options.mass_kg if options.mass_kg else 0.0
    if options.load_kg and not options.mass_kg:
        meter.result.warnings.append("A bar load needs the body mass; the load share is told without it.")

    def pose(m: Marks) -> SidePose:
        return SidePose(*(float(m[name][0] * ahead) for name in names))

    def model(m: Marks) -> float:
        found = hip_share(pose(m), signals.metres_per_px, load)
        return np.nan if isinstance(found, NotMeasured) else found

    def quick(m: Marks) -> float:
        found = lever_share(pose(m))
        return np.nan if isinstance(found, NotMeasured) else found

    for measure, value_of in (("hip-knee-share", model), ("lever-share", quick)):
        line = meter.curve(measure, options.side, names, value_of)
        for rep in reps:
            line.at(rep.turn, rep.number)


def _tail_tuck(meter: _Meter, reps: Sequence[Repetition], options: Options, ahead: int) -> None:
    """Depth (hip flexion) at which the pelvis line has turned back by 10 degrees from its peak."""
    signals = meter.signals
    if not signals.has("asis", "psis", "shoulder", "hip", "knee"):
        return
    pelvis = over_time(signals, ("psis", "asis"), lambda m: -_pitch(m["psis"], m["asis"], ahead))
    bend = over_time(signals, ("shoulder", "hip", "knee"), lambda m: flexion(m["shoulder"], m["hip"], m["knee"]))
    for rep in reps:
        frames = signals.window(rep.start, rep.turn)
        if frames.size < 5 or not np.isfinite(pelvis[frames]).all():
            continue
        peak = frames[int(np.argmax(pelvis[frames]))]
        back = [k for k in frames if k > peak and pelvis[peak] - pelvis[k] >= TUCK_DEG]
        if back:
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


def _side_gait(signals: Signals, options: Options, result: Result) -> None:
    """Knee and trunk at contact (the foot furthest ahead of the hip, Zeni 2008) and the foot's lead."""
    from scipy.signal import find_peaks

    if not signals.has("hip", "knee", "ankle", "heel", "toe"):
        result.warnings.append("Side-view walking needs hip, knee, ankle, heel and toe.")
        return
    meter, ahead = _Meter(signals, result), _ahead(signals)
    lead = (signals.at("heel") - signals.at("hip"))[:, 0] * ahead
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
        per_px = _scaled(signals, 100)
        if per_px is not None:
            sd = np.sqrt(2) * signals.sd_px("heel", int(peak)) * per_px
            value = CycleValue("gait-side-lead", options.side, number, float(lead[peak]) * per_px, int(peak), time, sd)
            result.values.append(value)
    for start, end in zip(peaks, peaks[1:], strict=False):
        result.cycles.append((options.side, float(signals.times[start]), float(signals.times[end])))


def _bridge(signals: Signals, options: Options, result: Result) -> None:
    """Bar tilt while one foot is raised: greatest drop on the raised side."""
    if not signals.has("bar_left", "bar_right"):
        result.warnings.append("The bridge needs both ends of the bar: bar_left, bar_right.")
        return
    if options.side not in LEGS:
        result.warnings.append("Say which foot is raised: side left or right.")
        return
    meter = _Meter(signals, result)
    sign = 1 if options.side is Side.LEFT else -1
    names = ("bar_left", "bar_right")
    line = meter.curve(
        "bridge-bar-tilt", options.side, names, lambda m: sign * geometry.right_higher_tilt(m[names[0]], m[names[1]])
    )
    frames = np.flatnonzero(np.isfinite(line.values))
    if frames.size:
        result.cycles.append((options.side, float(signals.times[frames[0]]), float(signals.times[frames[-1]])))
        line.extreme(frames, 1)


@dataclass(frozen=True)
class Task:
    """`cutoff_hz` smooths its angles (Winter 2009: 4-6 Hz for walking; practice judgement, editable)."""

    id: str
    name: str
    protocol: str
    cutoff_hz: float
    measure: Callable[[Signals, Options, Result], None]
    one_leg: bool = False


TASKS = {
    task.id: task
    for task in (
        Task("rear-gait", "Walking or running from behind", "rear", 7.0, _rear_gait),
        Task("side-gait", "Walking or running from the side", "side", 7.0, _side_gait, True),
        Task("front-squat", "Squat from the front", "front", 5.0, _front_squat),
        Task("single-leg-squat", "One-leg squat from the front", "front", 5.0, _one_leg_front("sl-squat-front"), True),
        Task("side-squat", "Squat from the side", "side", 5.0, _side_squat("squat-side"), True),
        Task("split-squat", "Split squat from the side", "side", 5.0, _side_squat("split-squat"), True),
        Task("step-down", "Step-down from the front", "front", 5.0, _one_leg_front("step-down"), True),
        Task("step-up", "Step-up from the front", "front", 5.0, _one_leg_front("step-up", rising=True), True),
        Task("chair-rise", "Chair rise from the front", "front", 5.0, _one_leg_front("chair-rise", rising=True), True),
        Task("bridge", "Bridge with a bar", "bridge", 4.0, _bridge, True),
    )
}


def measure(tracks: Tracks, task: str, options: Options = Options()) -> Result:
    """Measure one clip. Raises KeyError for an unknown task."""
    chosen = TASKS[task]
    cutoff = options.cutoff_hz or chosen.cutoff_hz
    result = Result(task, cutoff_hz=cutoff)
    if len(tracks.times) < 20:
        result.warnings.append("The clip is shorter than 20 frames; nothing can be measured over time.")
        return result
    bump = camera_bump(tracks)
    if bump is not None:
        result.warnings.append(
            f"The whole picture jumps at {bump:.2f} s: was the camera bumped? Tilts after it are off by its turn; "
            "use the part before, or film again."
        )
    chosen.measure(Signals(tracks, cutoff, options.roll_deg, options.metres_per_px), options, result)
    return result


NOT_COMPARED = ("gait-pelvic-tilt",)
"""Told with the drop that it belongs to; the ledger compares the drop."""


def observations(result: Result, measures: Container[str], evidence: dict[str, Any]) -> list[Observation]:
    """One observation a measure and side: the mean over its cycles, each cycle a trial.

    `evidence` names the picture; frame and time of the most typical cycle are added.
    """
    groups: dict[tuple[str, Side], list[CycleValue]] = {}
    for value in result.values:
        if value.measure in measures and value.measure not in NOT_COMPARED:
            groups.setdefault((value.measure, value.side), []).append(value)
    found = []
    for (measure_id, side), group in groups.items():
        trials = np.array([v.value for v in group])
        typical = group[int(np.argmin(np.abs(trials - trials.mean())))]
        known = {
            **evidence,
            "frame": typical.frame,
            "time_s": typical.time_s,
            "frames": [v.frame for v in group],
            "task": result.task,
            "cutoff_hz": result.cutoff_hz,
        }
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
                evidence=known,
            )
        )
    return found
