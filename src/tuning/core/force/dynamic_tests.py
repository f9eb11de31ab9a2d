"""Free squats, squats with a pause, and jumps."""

from __future__ import annotations

import numpy as np

from tuning.core.force.effort_start import find_start
from tuning.core.force.isometric_tests import common_start, force_values, own_starts, start_values
from tuning.core.force.motion import Motion, Squat, find_squats, motion, motion_from, still_stretches
from tuning.core.force.onset import Baseline, find_onset
from tuning.core.force.plate_tests import CONTACT_N, Analysis, PlateKind, Rep
from tuning.core.force.recording import Recording
from tuning.core.force.weighing import BodyWeight
from tuning.core.signals import stretches
from tuning.core.types import NotMeasured, Side
from tuning.core.units import GRAVITY

ASKED_PAUSE_S = 1.0
"""A pause shorter than this at the bottom is told (2 s are asked for; practice judgement, editable)."""


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


def free_squats(recording: Recording, found: Analysis) -> None:
    """Squats in one go and squats with a pause at the bottom, one repetition each."""
    moved = _moved(recording, found)
    if moved is None or isinstance(found.weight, NotMeasured):
        return
    for n, squat in enumerate(find_squats(recording, moved, found.weight), start=1):
        rep = Rep(n)
        _phases(recording, found.weight, moved, squat, rep)
        if found.test.kind is PlateKind.PAUSE:
            _paused(recording, found, moved, squat, rep)
        else:
            _fast(recording, found, moved, squat, rep)
        found.reps.append(rep)


def _phases(recording: Recording, weight: BodyWeight, moved: Motion, squat: Squat, rep: Rep) -> None:
    """Unweighting until force is back at weight, braking until the bottom, propulsion until the end."""
    rate, total = recording.rate, recording.smooth(Side.BOTH)
    lowest = squat.start + int(np.argmin(total[squat.start : squat.bottom + 1]))
    back = np.flatnonzero(total[lowest : squat.bottom + 1] >= weight.newtons)
    loaded = lowest + int(back[0]) if back.size else squat.bottom
    rep.events = {
        name: at / rate
        for name, at in (("start", squat.start), ("braking", loaded), ("bottom", squat.bottom), ("end", squat.end))
    }
    rep.add_value("unweighting", Side.NONE, (loaded - squat.start) / rate)
    rep.add_value("braking", Side.NONE, (squat.bottom - loaded) / rate)
    rep.add_value("propulsion", Side.NONE, (squat.end - squat.bottom) / rate)
    rep.add_value("duration", Side.NONE, (squat.end - squat.start) / rate)
    rep.add_value("depth", Side.NONE, -float(moved.height[squat.bottom]))
    rep.add_value("velocity-peak", Side.NONE, float(moved.velocity[squat.bottom : squat.end + 1].max()))


def _fast(recording: Recording, found: Analysis, moved: Motion, squat: Squat, rep: Rep) -> None:
    """Peaks around the bottom; the rise from the lowest force to the peak has a name of its own."""
    total = recording.smooth(Side.BOTH)
    lowest = squat.start + int(np.argmin(total[squat.start : squat.bottom + 1]))
    peak = lowest + int(np.argmax(total[lowest : squat.end + 1]))
    force_values(recording, found, rep, lowest, squat.end, peak)
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
            rep.add_value("rise-rate", leg, float(smooth[high] - smooth[low]) / ((high - low) / recording.rate))


def _drive(recording: Recording, moved: Motion, first: int, last: int, rep: Rep) -> None:
    """Impulse of each leg above its share of weight while the body is driven up."""
    fastest = first + int(np.argmax(moved.velocity[first : last + 1]))
    for leg in recording.legs:
        part = recording.smooth(leg)[first : fastest + 1]
        base = float(np.median(recording.force[leg][: round(0.5 * recording.rate)]))
        rep.add_value("impulse-drive", leg, float(np.trapezoid(part - base, dx=1 / recording.rate)))


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
    start = find_start(total, rate, leaving, peak, int(rest[0]))
    if start is None:
        found.warnings.append(f"Repetition {rep.number}: the drive does not begin from stillness.")
        return
    legs = own_starts(recording, start.at, squat.end)
    start = common_start(start, list(legs.values()), rate)
    onset = start.at
    pause = (onset - int(rest[0])) / rate
    rep.add_value("pause", Side.NONE, pause)
    if pause < ASKED_PAUSE_S:
        found.warnings.append(f"Repetition {rep.number}: paused {pause:.1f} s only; 2 s are asked for.")
    reached = rep.events["braking"] * rate
    rep.events |= {"bottom": float(rest[0] / rate), "drive": onset / rate}
    rep.add_value("braking", Side.NONE, (int(rest[0]) - reached) / rate)
    rep.add_value("propulsion", Side.NONE, (squat.end - onset) / rate)
    force_values(recording, found, rep, onset, squat.end, peak)
    start_values(recording, found, rep, start, squat.end, legs)
    _drive(recording, moved, onset, squat.end, rep)


LONGEST_FLIGHT_S = 1.0
"""Longer than this without contact nobody is in the air, but beside the plates: a jump of 1.2 m
(9.81 m/s² x 1 s² / 8)."""
FLIGHT_FITS = 0.1
"""Share by which the time in the air may differ from that of the speed at take-off (practice judgement, editable)."""


def jumps(recording: Recording, found: Analysis) -> None:
    """Take-off and landing by contact; speed from the stand before, height by the time in the air."""
    if _moved(recording, found) is None or isinstance(found.weight, NotMeasured):
        return
    rate, total, stands = recording.rate, recording.smooth(Side.BOTH), still_stretches(recording, found.weight)
    before = stands[0][0]
    for off, on in stretches(total < CONTACT_N):
        stepped_off = on - off > LONGEST_FLIGHT_S * rate
        if stepped_off and off > before:
            before = next((a for a, _ in stands if a > on), recording.size)
        if stepped_off or off <= before or on - off < 0.1 * rate or on >= recording.size - 1:
            continue
        moved = motion_from(recording, found.weight, [stand for stand in stands if stand[1] < off][-1])
        rep = Rep(len(found.reps) + 1)
        lowest = before + int(np.argmin(total[before : max(before + 1, off - round(0.15 * rate))]))
        peak = lowest + int(np.argmax(total[lowest:off])) if off > lowest else int(off)
        quiet = Baseline(found.weight.newtons, found.weight.sd)
        start = find_onset(recording.total, quiet, rate, max(before, lowest - round(0.6 * rate)), lowest)
        bottom = lowest + int(np.argmin(moved.height[lowest:off]))
        rep.events = {
            name: at / rate for name, at in (("start", start if start is not None else lowest), ("bottom", bottom))
        } | {"take-off": float(off / rate), "landing": float(on / rate)}
        flight = (on - off) / rate
        rep.add_value("flight", Side.NONE, flight)
        rep.add_value("height", Side.NONE, GRAVITY * flight**2 / 8)
        rep.add_value("velocity-peak", Side.NONE, float(moved.velocity[lowest:off].max()))
        _fits(found, rep, float(moved.velocity[off]))
        force_values(recording, found, rep, lowest, int(off), peak)
        _rise(recording, rep, lowest, peak)
        _drive(recording, moved, bottom, int(off), rep)
        found.reps.append(rep)
        before = int(on) + round(0.3 * rate)


def _fits(found: Analysis, rep: Rep, speed: float) -> None:
    """Tell a time in the air that does not go with the speed at take-off, m/s: one of both is wrong."""
    flight, thrown = rep.values["flight", Side.NONE], 2 * speed / GRAVITY
    if abs(flight - thrown) > FLIGHT_FITS * thrown:
        found.warnings.append(
            f"Jump {rep.number}: {flight:.2f} s in the air, but a take-off at {speed:.1f} m/s gives {thrown:.2f} s: "
            "legs drawn up, or force that the plates missed. The height goes by the time in the air."
        )
