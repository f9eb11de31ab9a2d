"""Every test on the plates: its repetitions, and what each leg did in each of them."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from enum import StrEnum

import numpy as np

from tuning.core.errors import BadInput
from tuning.core.force.motion import Motion, Squat, motion, squats, still_stretches
from tuning.core.force.onset import STILL_START_SHARE, Quiet, find_onset, impulses, quiet_before, rates
from tuning.core.force.recording import CUTOFF_HZ, Recording
from tuning.core.force.sway import CUTOFF_HZ as SWAY_CUTOFF_HZ
from tuning.core.force.sway import sway
from tuning.core.force.weighing import WEIGHT_GAP, Weight, weigh
from tuning.core.signals import stretches
from tuning.core.types import Floats, NotMeasured, Side

CONTACT_N = 20.0
"""The foot is on the plate above this force."""
ASKED_PAUSE_S = 1.0
"""A pause shorter than this at the bottom is told (2 s are asked for; practice judgement, editable)."""


ASKED_STAND_S, LEAST_STAND_S, SETTLING_S, STANDING_SHARE = 20.0, 5.0, 1.0, 0.25
"""One-leg stance: asked for, least that is read, left out at its start, and how far force may leave the body's
weight (practice judgement, editable)."""


class PlateKind(StrEnum):
    """How a test is read."""

    STAND = "stand"
    FREE = "free squat"
    PAUSE = "squat with a pause"
    ISO = "against a bar"
    STEP = "on and off"
    RAISE = "calf raise"
    JUMP = "jump"


@dataclass(frozen=True)
class PlateTest:
    """A test by its command-line name; `legs` is 1 for tests of one leg at a time."""

    id: str
    name: str
    kind: PlateKind
    legs: int = 2


TESTS = {
    t.id: t
    for t in (
        PlateTest("quiet-stance", "Quiet stance", PlateKind.STAND),
        PlateTest("squat-fast", "Squat, fast", PlateKind.FREE),
        PlateTest("squat-pause", "Squat with a pause", PlateKind.PAUSE),
        PlateTest("squat-iso", "Squat against a bar", PlateKind.ISO),
        PlateTest("lunge-iso", "Lunge, isometric", PlateKind.ISO, 1),
        PlateTest("lunge-fast", "Lunge on and off", PlateKind.STEP, 1),
        PlateTest("lunge-pause", "Lunge with a pause", PlateKind.ISO, 1),
        PlateTest("calf-raise", "Calf raise, one leg", PlateKind.RAISE, 1),
        PlateTest("jump", "Countermovement jump", PlateKind.JUMP),
        PlateTest("stance-one-leg", "Stance, one leg", PlateKind.STAND, 1),
    )
}

UNITS = {
    "share": "%", "peak": "N", "peak-net": "N", "peak-bw": "x weight", "time-of-peak": "s", "delay": "ms",
    "rate-50": "N/s", "rate-100": "N/s", "rate-150": "N/s", "rate-200": "N/s", "rate-250": "N/s", "rate-best20": "N/s",
    "impulse-50": "Ns", "impulse-100": "Ns", "impulse-150": "Ns", "impulse-200": "Ns", "impulse-250": "Ns",
    "rise-rate": "N/s", "impulse-drive": "Ns", "depth": "m", "pause": "s", "unweighting": "s", "braking": "s",
    "propulsion": "s", "duration": "s", "contact": "s", "push-off": "s", "loading-rate": "N/s", "impulse-braking": "Ns",
    "impulse-push": "Ns", "velocity-peak": "m/s", "height": "m", "flight": "s", "share-sway": "points/s",
    "sway-path": "mm", "sway-speed": "mm/s", "sway-area": "cm²", "held": "s",
}  # fmt: skip
"""Every metric with its unit."""


@dataclass
class Rep:
    """One repetition: events in s, values by metric and leg (`none` for both legs together)."""

    number: int
    events: dict[str, float] = field(default_factory=dict)
    values: dict[tuple[str, Side], float] = field(default_factory=dict)

    def put(self, metric: str, side: Side, value: float) -> None:
        """Keep a value; what is not finite is left out."""
        if np.isfinite(value):
            self.values[metric, side] = float(value)


@dataclass
class Analysis:
    """All repetitions of one recording, body weight, and what has to be said about them."""

    test: PlateTest
    side: Side
    weight: Weight | NotMeasured
    reps: list[Rep] = field(default_factory=list)
    not_measured: dict[str, str] = field(default_factory=dict)
    warnings: list[str] = field(default_factory=list)
    filter_words: str = f"zero-lag Butterworth low-pass, {CUTOFF_HZ:g} Hz; onsets on the unfiltered force"

    def trials(self, metric: str, side: Side) -> Floats:
        """The metric over the repetitions that have it, shape (k,)."""
        return np.array([r.values[metric, side] for r in self.reps if (metric, side) in r.values])

    def summary(self, metric: str, side: Side) -> tuple[float, float, float, int] | None:
        """Mean, SD, best and count of a metric; None where no repetition has it."""
        trials = self.trials(metric, side)
        if not trials.size:
            return None
        spread = float(trials.std(ddof=1)) if trials.size > 1 else 0.0
        return float(trials.mean()), spread, float(trials.max()), trials.size


def analyse(recording: Recording, test_id: str, side: Side = Side.NONE, body_mass_kg: float | None = None) -> Analysis:
    """Read a recording as one test.

    One-leg tests need `side` unless only one plate was loaded. `body_mass_kg`
    stands in where nobody stood still on the plates. Raises BadInput for an
    unknown test or a missing side.
    """
    if test_id not in TESTS:
        raise BadInput(f"“{test_id}” is no test on the plates; there are {', '.join(TESTS)}.")
    test = TESTS[test_id]
    if test.legs == 2 and len(recording.legs) < 2:
        raise BadInput(f"{test.name} needs both plates; this recording has one.")
    leg = _leg(recording, side) if test.legs == 1 else Side.NONE
    weight: Weight | NotMeasured = NotMeasured("one-leg", "body weight is not on the plate in a one-leg test")
    if test.legs == 2:
        weight = weigh(recording, within=_before_the_push(recording) if test.kind is PlateKind.ISO else None)
    weighed = weight
    if isinstance(weight, NotMeasured) and body_mass_kg:
        weight = Weight(body_mass_kg * 9.80665, 1.0, 0, 0)
    found = Analysis(test, leg, weight)
    found.warnings += recording.notes
    if isinstance(weighed, Weight) and body_mass_kg and abs(weighed.mass_kg / body_mass_kg - 1) > WEIGHT_GAP:
        found.warnings.append(
            f"The plates weigh {weighed.mass_kg:.1f} kg, {body_mass_kg:.1f} kg were known before: a load, a foot off "
            "the plates, or plates that were not zeroed?"
        )
    if leg is not Side.NONE and leg.other in recording.force:
        _warn_if_swapped(recording, leg, found)
    _READERS[test.kind](recording, found)
    if not found.reps:
        found.warnings.append("No repetition was found.")
    return found


def _before_the_push(recording: Recording) -> tuple[float, float]:
    """From the start to the first clear rise, s: a hold against a bar is stiller than any stand."""
    smooth = recording.smooth(Side.BOTH)
    low, high = np.percentile(smooth, [10, 99.8])
    rises = np.flatnonzero(smooth > low + 0.1 * (high - low))
    first = int(rises[0]) if rises.size else recording.size
    return 0.0, max(0.0, first / recording.rate - 0.05)


def _leg(recording: Recording, side: Side) -> Side:
    if side in recording.force:
        return side
    if len(recording.legs) == 1 and side is Side.NONE:
        return recording.legs[0]
    raise BadInput("Say which leg is on the plate: left or right.")


def _warn_if_swapped(recording: Recording, leg: Side, found: Analysis) -> None:
    mine, other = (float(np.percentile(recording.force[s], 95)) for s in (leg, leg.other))
    if other > 2 * max(mine, CONTACT_N):
        found.warnings.append(f"The {leg.other.value} plate carries the load, not the {leg.value}: plates swapped?")


# quiet stance


def _stand(recording: Recording, found: Analysis) -> None:
    if found.test.legs == 1:
        _one_leg_stand(recording, found)
        return
    if isinstance(found.weight, NotMeasured):
        found.warnings.append(found.weight.detail)
        return
    rep = Rep(1)
    rep.put("share", Side.NONE, float((100 * recording.force[Side.RIGHT] / recording.total).mean()))
    slow = 100 * recording.smooth(Side.RIGHT) / recording.smooth(Side.BOTH)
    step = max(1, round(0.05 * recording.rate))
    rep.put("share-sway", Side.NONE, float(np.abs(np.diff(slow[::step])).sum() / (recording.size / recording.rate)))
    _sways(recording, Side.BOTH, Side.NONE, rep, found)
    found.reps.append(rep)


def _one_leg_stand(recording: Recording, found: Analysis) -> None:
    """The longest stretch in which one leg carries the body, without its first second of settling."""
    leg, rate = found.side, recording.rate
    smooth = recording.smooth(leg)
    body = float(np.percentile(smooth, 75))
    carrying = (smooth > (1 - STANDING_SHARE) * body) & (smooth < (1 + STANDING_SHARE) * body) & (body > CONTACT_N)
    if leg.other in recording.force:
        carrying &= recording.smooth(leg.other) < CONTACT_N
    stands = stretches(carrying)
    if not stands:
        return
    first, last = max(stands, key=lambda run: run[1] - run[0])
    first += round(SETTLING_S * rate)
    held = (last - first) / rate
    if held < LEAST_STAND_S:
        found.warnings.append(f"One leg carried the body for {max(held, 0):.1f} s only; 20 s are asked for.")
        return
    if held < ASKED_STAND_S - 1:
        found.warnings.append(
            f"The stand lasted {held:.1f} s; 20 s are asked for: compare stands of equal length only."
        )
    rep = Rep(1, {"start": first / rate, "end": last / rate})
    rep.put("held", leg, held)
    _sways(recording.part(first, last), leg, leg, rep, found)
    found.reps.append(rep)


def _sways(recording: Recording, under: Side, side: Side, rep: Rep, found: Analysis) -> None:
    seen = sway(recording, under)
    if isinstance(seen, NotMeasured):
        found.not_measured["sway path"] = seen.detail
        return
    found.filter_words = f"point of pressure: zero-lag Butterworth low-pass, {SWAY_CUTOFF_HZ:g} Hz"
    for name, value in (("sway-path", seen.path), ("sway-speed", seen.speed), ("sway-area", seen.area)):
        rep.put(name, side, value)


# efforts from a still start: isometric, paused lunge, calf raise


@dataclass(frozen=True)
class _Effort:
    quiet: Quiet
    onset: int
    peak: int
    end: int


def efforts(force: Floats, smooth: Floats, rate: float) -> list[_Effort]:
    """Rises above a quiet level that last: onset, peak, return. Shapes (n,)."""
    low, high = np.percentile(smooth, [10, 99.8])
    if high - low < 0.1 * max(low, 50.0):
        return []
    spans: list[list[int]] = []
    for a, b in stretches(smooth > low + 0.3 * (high - low)):
        if spans and a - spans[-1][1] < 0.3 * rate:
            spans[-1][1] = b
        else:
            spans.append([a, b])
    found = []
    for a, b in spans:
        if b - a < 0.1 * rate:
            continue
        quiet = quiet_before(force, max(0, a - round(0.05 * rate)), rate)
        if isinstance(quiet, NotMeasured):
            continue
        peak = a + int(np.argmax(smooth[a:b]))
        onset = find_onset(force, quiet, rate, max(0, a - round(0.6 * rate)), peak, rising=True)
        if onset is None:
            continue
        band = quiet.mean + 5 * max(quiet.sd, 0.5)
        back = np.flatnonzero(force[b:] <= band)
        found.append(_Effort(quiet, onset, peak, b + (int(back[0]) if back.size else force.size - 1 - b)))
    return found


def _still_efforts(recording: Recording, found: Analysis) -> None:
    one = found.test.legs == 1
    leg = found.side if one else Side.BOTH
    raw = recording.force[leg] if one else recording.total
    for n, effort in enumerate(efforts(raw, recording.smooth(leg), recording.rate), start=1):
        rep = Rep(n)
        rep.events = {
            name: at / recording.rate
            for name, at in (("onset", effort.onset), ("peak", effort.peak), ("end", effort.end))
        }
        still = effort.quiet.sd <= STILL_START_SHARE * (float(recording.smooth(leg)[effort.peak]) - effort.quiet.mean)
        if not still:
            found.warnings.append(f"Repetition {n}: no still start, so no rates from the onset.")
        _force_values(recording, found, rep, effort.onset, effort.end, effort.peak, still)
        rep.put("duration", Side.NONE, (effort.end - effort.onset) / recording.rate)
        found.reps.append(rep)


def _force_values(
    recording: Recording, found: Analysis, rep: Rep, onset: int, end: int, peak: int, still: bool
) -> None:
    """Peaks, rates and impulses of the legs over one effort; shares at the peak of the total."""
    rate = recording.rate
    legs = (found.side,) if found.test.legs == 1 else recording.legs
    for leg in legs:
        smooth, raw = recording.smooth(leg), recording.force[leg]
        own = onset + int(np.argmax(smooth[onset : end + 1]))
        quiet = quiet_before(raw, onset, rate)
        base = quiet.mean if not isinstance(quiet, NotMeasured) else float(smooth[onset])
        rep.put("peak", leg, float(smooth[own]))
        rep.put("peak-net", leg, float(smooth[own]) - base)
        rep.put("time-of-peak", leg, (own - onset) / rate)
        if not isinstance(found.weight, NotMeasured):
            rep.put("peak-bw", leg, float(smooth[own]) / found.weight.newtons)
        if still:
            for name, value in {**rates(smooth, onset, rate, own), **impulses(smooth, base, onset, rate, end)}.items():
                rep.put(name, leg, value)
        if still and len(legs) == 2 and not isinstance(quiet, NotMeasured):
            mine = find_onset(raw, quiet, rate, max(0, onset - round(0.1 * rate)), own, rising=True)
            if mine is not None:
                rep.put("delay", leg, 1000 * (mine - onset) / rate)
    if len(legs) == 2:
        rep.put("share", Side.NONE, 100 * float(recording.smooth(Side.RIGHT)[peak] / recording.smooth(Side.BOTH)[peak]))
        rep.put("peak", Side.BOTH, float(recording.smooth(Side.BOTH)[peak]))


def _raises(recording: Recording, found: Analysis) -> None:
    """Pushes above weight that begin in a still stand; the lowering that follows is no new start."""
    leg, rate = found.side, recording.rate
    _still_efforts(recording, found)
    force = recording.smooth(leg)
    kept: list[Rep] = []
    for rep in found.reps:
        onset = round(rep.events["onset"] * rate)
        before = force[max(0, onset - round(0.3 * rate)) : onset + 1]
        if before.size and before.min() > 0.95 * float(np.median(before)):
            rep.number = len(kept) + 1
            kept.append(rep)
    found.reps = kept
    found.not_measured["height"] = "integration is allowed only for free movements on both plates"


# free squats and jumps


def _moved(recording: Recording, found: Analysis) -> Motion | None:
    if isinstance(found.weight, NotMeasured):
        found.warnings.append(found.weight.detail)
        return None
    moved = motion(recording, found.weight)
    if isinstance(moved, NotMeasured):
        found.not_measured["velocity, height, repetitions"] = moved.detail
        found.warnings.append(moved.detail)
        return None
    return moved


def _free_squats(recording: Recording, found: Analysis) -> None:
    moved = _moved(recording, found)
    if moved is None or isinstance(found.weight, NotMeasured):
        return
    for n, squat in enumerate(squats(recording, moved, found.weight), start=1):
        rep = Rep(n)
        _phases(recording, found.weight, moved, squat, rep)
        if found.test.kind is PlateKind.PAUSE:
            _paused(recording, found, moved, squat, rep)
        else:
            _fast(recording, found, moved, squat, rep)
        found.reps.append(rep)


def _phases(recording: Recording, weight: Weight, moved: Motion, squat: Squat, rep: Rep) -> None:
    """Unweighting until force is back at weight, braking until the bottom, propulsion until the end."""
    rate, total = recording.rate, recording.smooth(Side.BOTH)
    lowest = squat.start + int(np.argmin(total[squat.start : squat.bottom + 1]))
    back = np.flatnonzero(total[lowest : squat.bottom + 1] >= weight.newtons)
    loaded = lowest + int(back[0]) if back.size else squat.bottom
    rep.events = {
        name: at / rate
        for name, at in (("start", squat.start), ("braking", loaded), ("bottom", squat.bottom), ("end", squat.end))
    }
    rep.put("unweighting", Side.NONE, (loaded - squat.start) / rate)
    rep.put("braking", Side.NONE, (squat.bottom - loaded) / rate)
    rep.put("propulsion", Side.NONE, (squat.end - squat.bottom) / rate)
    rep.put("duration", Side.NONE, (squat.end - squat.start) / rate)
    rep.put("depth", Side.NONE, -float(moved.height[squat.bottom]))
    rep.put("velocity-peak", Side.NONE, float(moved.velocity[squat.bottom : squat.end + 1].max()))


def _fast(recording: Recording, found: Analysis, moved: Motion, squat: Squat, rep: Rep) -> None:
    """Peaks around the bottom; the rise from the lowest force to the peak has a name of its own."""
    total = recording.smooth(Side.BOTH)
    lowest = squat.start + int(np.argmin(total[squat.start : squat.bottom + 1]))
    peak = lowest + int(np.argmax(total[lowest : squat.end + 1]))
    _force_values(recording, found, rep, lowest, squat.end, peak, still=False)
    _rise(recording, rep, lowest, peak)
    _drive(recording, moved, squat.bottom, squat.end, rep)


def _rise(recording: Recording, rep: Rep, lowest: int, last: int) -> None:
    """Mean rate from each leg's lowest to its highest force before the peak of the total."""
    reach = last + round(0.1 * recording.rate)
    for leg in recording.legs:
        smooth = recording.smooth(leg)[lowest : reach + 1]
        low = int(np.argmin(smooth[: max(1, last - lowest + 1)]))
        high = low + int(np.argmax(smooth[low:]))
        if high > low:
            rep.put("rise-rate", leg, float(smooth[high] - smooth[low]) / ((high - low) / recording.rate))


def _drive(recording: Recording, moved: Motion, first: int, last: int, rep: Rep) -> None:
    """Impulse of each leg above its share of weight while the body is driven up."""
    fastest = first + int(np.argmax(moved.velocity[first : last + 1]))
    for leg in recording.legs:
        part = recording.smooth(leg)[first : fastest + 1]
        base = float(np.median(recording.force[leg][: round(0.5 * recording.rate)]))
        rep.put("impulse-drive", leg, float(np.trapezoid(part - base, dx=1 / recording.rate)))


def _paused(recording: Recording, found: Analysis, moved: Motion, squat: Squat, rep: Rep) -> None:
    """The drive after the stand-still at the bottom, read like any effort from a still start."""
    rate, total = recording.rate, recording.total
    slow = np.abs(moved.velocity) < 0.05
    low = moved.height < 0.8 * float(moved.height[squat.bottom])
    rest = np.flatnonzero((slow & low)[squat.start : squat.end + 1]) + squat.start
    if not rest.size:
        found.warnings.append(f"Repetition {rep.number}: no pause at the bottom, so no rates from the onset.")
        return
    smooth = recording.smooth(Side.BOTH)
    leaving = int(rest[-1])
    peak = leaving + int(np.argmax(smooth[leaving : squat.end + 1]))
    quiet = quiet_before(total, max(0, leaving - round(0.1 * rate)), rate, seconds=0.3)
    onset = None
    if not isinstance(quiet, NotMeasured):
        onset = find_onset(total, quiet, rate, max(int(rest[0]), leaving - round(0.4 * rate)), peak, rising=True)
    if onset is None:
        found.warnings.append(f"Repetition {rep.number}: the drive does not begin from stillness.")
        return
    pause = (onset - int(rest[0])) / rate
    rep.put("pause", Side.NONE, pause)
    if pause < ASKED_PAUSE_S:
        found.warnings.append(f"Repetition {rep.number}: paused {pause:.1f} s only; 2 s are asked for.")
    reached = rep.events["braking"] * rate
    rep.events |= {"bottom": float(rest[0] / rate), "drive": onset / rate}
    rep.put("braking", Side.NONE, (int(rest[0]) - reached) / rate)
    rep.put("propulsion", Side.NONE, (squat.end - onset) / rate)
    _force_values(recording, found, rep, onset, squat.end, peak, still=True)
    _drive(recording, moved, onset, squat.end, rep)


LONGEST_FLIGHT_S = 1.0
"""Longer than this without contact nobody is in the air, but beside the plates: a jump of 1.2 m
(9.81 m/s² x 1 s² / 8)."""


def _jumps(recording: Recording, found: Analysis) -> None:
    """Take-off and landing by contact; height by the velocity at take-off and by the time in the air."""
    moved = _moved(recording, found)
    if moved is None or isinstance(found.weight, NotMeasured):
        return
    rate, total = recording.rate, recording.smooth(Side.BOTH)
    before = still_stretches(recording, found.weight)[0][0]
    for off, on in stretches(total < CONTACT_N):
        stepped_off = on - off > LONGEST_FLIGHT_S * rate
        if stepped_off and off > before:
            after = [a for a, _ in still_stretches(recording, found.weight) if a > on]
            before = after[0] if after else recording.size
        if stepped_off or off <= before or on - off < 0.1 * rate or on >= recording.size - 1:
            continue
        rep = Rep(len(found.reps) + 1)
        lowest = before + int(np.argmin(total[before : max(before + 1, off - round(0.15 * rate))]))
        peak = lowest + int(np.argmax(total[lowest:off])) if off > lowest else int(off)
        quiet = Quiet(found.weight.newtons, found.weight.sd)
        start = find_onset(recording.total, quiet, rate, max(before, lowest - round(0.6 * rate)), lowest)
        bottom = lowest + int(np.argmin(moved.height[lowest:off]))
        rep.events = {
            name: at / rate for name, at in (("start", start if start is not None else lowest), ("bottom", bottom))
        } | {"take-off": float(off / rate), "landing": float(on / rate)}
        flight = (on - off) / rate
        rep.put("flight", Side.NONE, flight)
        rep.put("height", Side.NONE, 9.80665 * flight**2 / 8)
        rep.put("velocity-peak", Side.NONE, float(moved.velocity[lowest:off].max()))
        _force_values(recording, found, rep, lowest, int(off), peak, still=False)
        _rise(recording, rep, lowest, peak)
        _drive(recording, moved, bottom, int(off), rep)
        found.reps.append(rep)
        before = int(on) + round(0.3 * rate)


# on and off


def _steps(recording: Recording, found: Analysis) -> None:
    """Contacts of one foot above 20 N: landing, valley, push-off."""
    leg, rate = found.side, recording.rate
    force = recording.smooth(leg)
    for on, off in stretches(force > CONTACT_N):
        if off - on < 0.15 * rate or on == 0 or off >= force.size - 1:
            continue
        rep = Rep(len(found.reps) + 1)
        part = force[on:off]
        peak = int(np.argmax(part))
        rep.events = {"start": float(on / rate), "peak": float((on + peak) / rate), "end": float(off / rate)}
        rep.put("contact", leg, (off - on) / rate)
        rep.put("peak", leg, float(part[peak]))
        low = int(np.argmin(part[: peak + 1]))
        if peak > low:
            rep.put("rise-rate", leg, float(part[peak] - part[low]) / ((peak - low) / rate))
        width = max(1, round(0.02 * rate))
        early = part[: max(width + 1, min(part.size, round(0.15 * rate)))]
        rep.put("loading-rate", leg, float((early[width:] - early[:-width]).max()) / (width / rate))
        _valley(part, rate, leg, rep, found)
        found.reps.append(rep)
    found.not_measured["velocity"] = "the other foot carries force that the plate does not see"


def _valley(part: Floats, rate: float, leg: Side, rep: Rep, found: Analysis) -> None:
    """Braking and push-off are told apart at the valley between two peaks, where there is one."""
    from scipy.signal import find_peaks

    peaks, _ = find_peaks(part, prominence=0.08 * float(part.max()))
    if len(peaks) < 2:
        found.not_measured["braking and push-off impulse"] = "no valley between landing and push-off"
        return
    valley = int(peaks[0]) + int(np.argmin(part[peaks[0] : peaks[-1] + 1]))
    rep.put("impulse-braking", leg, float(np.trapezoid(part[: valley + 1], dx=1 / rate)))
    rep.put("impulse-push", leg, float(np.trapezoid(part[valley:], dx=1 / rate)))
    rep.put("push-off", leg, (part.size - valley) / rate)


_READERS: dict[PlateKind, Callable[[Recording, Analysis], None]] = {
    PlateKind.STAND: _stand,
    PlateKind.FREE: _free_squats,
    PlateKind.PAUSE: _free_squats,
    PlateKind.ISO: _still_efforts,
    PlateKind.STEP: _steps,
    PlateKind.RAISE: _raises,
    PlateKind.JUMP: _jumps,
}
