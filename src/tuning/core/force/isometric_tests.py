"""Efforts from a still start: against a bar, paused lunge, calf raise."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from tuning.core.force.onset import STILL_START_SHARE, Baseline, find_onset, impulses, quiet_before, rates
from tuning.core.force.plate_tests import Analysis, Rep
from tuning.core.force.recording import Recording
from tuning.core.signals import stretches
from tuning.core.types import Floats, NotMeasured, Side


@dataclass(frozen=True)
class _Effort:
    quiet: Baseline
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


def still_efforts(recording: Recording, found: Analysis) -> None:
    """Efforts against something that does not move: peak, onset and rates of each leg."""
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
        force_values(recording, found, rep, effort.onset, effort.end, effort.peak, still)
        rep.add_value("duration", Side.NONE, (effort.end - effort.onset) / recording.rate)
        found.reps.append(rep)


def force_values(recording: Recording, found: Analysis, rep: Rep, onset: int, end: int, peak: int, still: bool) -> None:
    """Peaks, rates and impulses of the legs over one effort; shares at the peak of the total."""
    rate = recording.rate
    legs = (found.side,) if found.test.legs == 1 else recording.legs
    for leg in legs:
        smooth, raw = recording.smooth(leg), recording.force[leg]
        own, height = recording.peak(leg, onset, end)
        quiet = quiet_before(raw, onset, rate)
        base = quiet.mean if not isinstance(quiet, NotMeasured) else float(smooth[onset])
        rep.add_value("peak", leg, height)
        rep.add_value("peak-net", leg, height - base)
        rep.add_value("time-of-peak", leg, (own - onset) / rate)
        if not isinstance(found.weight, NotMeasured):
            rep.add_value("peak-bw", leg, height / found.weight.newtons)
        if still:
            for name, value in {**rates(smooth, onset, rate, own), **impulses(smooth, base, onset, rate, end)}.items():
                rep.add_value(name, leg, value)
            steepest = recording.steepest(leg, onset, own, 0.02)
            if steepest is not None:
                rep.add_value("rate-best20", leg, steepest)
        if still and len(legs) == 2 and not isinstance(quiet, NotMeasured):
            mine = find_onset(raw, quiet, rate, max(0, onset - round(0.1 * rate)), own, rising=True)
            if mine is not None:
                rep.add_value("delay", leg, 1000 * (mine - onset) / rate)
                for name, value in rates(smooth, mine, rate, own).items():
                    rep.add_value(f"own-{name}", leg, value)
    if len(legs) == 2:
        rep.add_value(
            "share", Side.NONE, 100 * float(recording.smooth(Side.RIGHT)[peak] / recording.smooth(Side.BOTH)[peak])
        )
        rep.add_value("peak", Side.BOTH, recording.peak(Side.BOTH, onset, end)[1])


def raises(recording: Recording, found: Analysis) -> None:
    """Pushes above weight that begin in a still stand; the lowering that follows is no new start."""
    leg, rate = found.side, recording.rate
    still_efforts(recording, found)
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
