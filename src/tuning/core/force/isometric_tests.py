"""Efforts from a still start: against a bar, paused lunge, calf raise."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace

import numpy as np

from tuning.core.force.effort_start import SURE_S, SURE_SHARE, EffortStart, find_start, sure_rates
from tuning.core.force.onset import STILL_START_SHARE, impulses, quiet_before
from tuning.core.force.plate_tests import Analysis, Rep
from tuning.core.force.recording import Recording
from tuning.core.signals import stretches
from tuning.core.types import Floats, NotMeasured, Side

UNDER_WAY = 0.3
"""Force that has risen by this share of its way is no sway."""


@dataclass(frozen=True)
class _Effort:
    start: EffortStart
    peak: int
    end: int


def efforts(force: Floats, smooth: Floats, rate: float) -> list[_Effort]:
    """Rises above a quiet level that last: onset, peak, return. Shapes (n,)."""
    low, high = np.percentile(smooth, [10, 99.8])
    if high - low < 0.1 * max(low, 50.0):
        return []
    spans: list[list[int]] = []
    for a, b in stretches(smooth > low + UNDER_WAY * (high - low)):
        if spans and a - spans[-1][1] < 0.3 * rate:
            spans[-1][1] = b
        else:
            spans.append([a, b])
    found: list[_Effort] = []
    for a, b in spans:
        if b - a < 0.1 * rate:
            continue
        peak = a + int(np.argmax(smooth[a:b]))
        start = find_start(force, rate, a, peak, found[-1].end if found else 0)
        if start is None:
            continue
        band = start.quiet.mean + 5 * max(start.quiet.sd, 0.5)
        back = np.flatnonzero(force[b:] <= band)
        found.append(_Effort(start, peak, b + (int(back[0]) if back.size else force.size - 1 - b)))
    return found


def still_efforts(
    recording: Recording, found: Analysis, counts: Callable[[EffortStart], bool] = lambda _: True
) -> None:
    """Efforts against something that does not move, those that count: peak, onset and rates of each leg."""
    one = found.test.legs == 1
    leg = found.side if one else Side.BOTH
    raw = recording.force[leg] if one else recording.total
    every = (effort for effort in efforts(raw, recording.smooth(leg), recording.rate) if counts(effort.start))
    for n, effort in enumerate(every, start=1):
        rep, legs = Rep(n), {} if one else own_starts(recording, effort.start.at, effort.end)
        start = common_start(effort.start, list(legs.values()), recording.rate)
        rep.events = {
            name: at / recording.rate for name, at in (("onset", start.at), ("peak", effort.peak), ("end", effort.end))
        }
        still = start.quiet.sd <= STILL_START_SHARE * (float(recording.smooth(leg)[effort.peak]) - start.quiet.mean)
        if not still:
            found.warnings.append(f"Repetition {n}: no still start, so no rates from the onset.")
        force_values(recording, found, rep, start.at, effort.end, effort.peak)
        if still and not _dips(found, rep, start):
            start_values(recording, found, rep, start, effort.end, legs)
        rep.add_value("duration", Side.NONE, (effort.end - start.at) / recording.rate)
        found.reps.append(rep)


def own_starts(recording: Recording, onset: int, end: int) -> dict[Side, EffortStart]:
    """Where each leg begins its part of an effort that begins near a sample and ends at another."""
    starts = {}
    for leg in recording.legs:
        smooth, (peak, _) = recording.smooth(leg), recording.peak(leg, onset, end)
        well_up = smooth[onset] + UNDER_WAY * (smooth[peak] - smooth[onset])
        under_way = onset + int(np.argmax(smooth[onset : peak + 1] >= well_up))
        found = find_start(recording.force[leg], recording.rate, under_way, peak)
        if found is not None:
            starts[leg] = found
    return starts


def common_start(together: EffortStart, legs: list[EffortStart], rate: float) -> EffortStart:
    """The start of both legs' sum; of the first leg where one begins surely before the other, for then the sum has two
    bends."""
    if len(legs) < 2:
        return together
    first, second = sorted(legs, key=lambda leg: leg.at)
    apart = (second.at - first.at) / rate > math.hypot(first.sure_s, second.sure_s)
    return replace(together, at=first.at, sure_s=first.sure_s, likely=first.likely) if apart else together


def _dips(found: Analysis, rep: Rep, start: EffortStart) -> bool:
    """Whether force falls before it rises, which is said: what rises from a dip has not begun from stillness."""
    if start.dip:
        found.warnings.append(
            f"Repetition {rep.number}: force falls by {start.dip:.0f} N just before the push (a counter-movement, or "
            "slack), so no rates from the onset."
        )
    return start.dip > 0


def _base(recording: Recording, leg: Side, onset: int) -> float:
    """The level of a leg before an effort, N."""
    quiet = quiet_before(recording.force[leg], onset, recording.rate)
    return quiet.mean if not isinstance(quiet, NotMeasured) else float(recording.smooth(leg)[onset])


def _legs(recording: Recording, found: Analysis) -> tuple[Side, ...]:
    return (found.side,) if found.test.legs == 1 else recording.legs


def force_values(recording: Recording, found: Analysis, rep: Rep, onset: int, end: int, peak: int) -> None:
    """Peaks of the legs over one effort; shares at the peak of the total."""
    legs = _legs(recording, found)
    for leg in legs:
        own, height = recording.peak(leg, onset, end)
        rep.add_value("peak", leg, height)
        rep.add_value("peak-net", leg, height - _base(recording, leg, onset))
        rep.add_value("time-of-peak", leg, (own - onset) / recording.rate)
        if not isinstance(found.weight, NotMeasured):
            rep.add_value("peak-bw", leg, height / found.weight.newtons)
    if len(legs) == 2:
        rep.add_value(
            "share", Side.NONE, 100 * float(recording.smooth(Side.RIGHT)[peak] / recording.smooth(Side.BOTH)[peak])
        )
        rep.add_value("peak", Side.BOTH, recording.peak(Side.BOTH, onset, end)[1])


def start_values(
    recording: Recording, found: Analysis, rep: Rep, start: EffortStart, end: int, own: Mapping[Side, EffortStart]
) -> None:
    """Rates and impulses of the legs from a still start, and each leg's own delay; what is not sure is named."""
    rate, onset = recording.rate, start.at
    rep.add_value("onset-error", Side.NONE, 1000 * start.sure_s)
    for leg in _legs(recording, found):
        smooth = recording.smooth(leg)
        peak, _ = recording.peak(leg, onset, end)
        values, unsure = sure_rates(smooth, start, rate, peak)
        values |= impulses(smooth, _base(recording, leg, onset), onset, rate, end)
        for name, value in values.items():
            if name not in {f"impulse-{window}" for window in unsure}:
                rep.add_value(name, leg, value)
        steepest = recording.steepest(leg, onset, peak, 0.02)
        if steepest is not None:
            rep.add_value("rate-best20", leg, steepest)
        mine = own.get(leg)
        if mine is not None and mine.sure_s <= SURE_S:
            rep.add_value("delay", leg, 1000 * (mine.at - onset) / rate)
            for name, value in sure_rates(smooth, mine, rate, peak)[0].items():
                rep.add_value(f"own-{name}", leg, value)
        _say_unsure(found, rep, leg, unsure, mine)


def _say_unsure(found: Analysis, rep: Rep, leg: Side, unsure: list[int], mine: EffortStart | None) -> None:
    """What is left out, and why."""
    left_out = [f"rise 0-{window} ms" for window in unsure]
    left_out += ["delay of the leg"] if mine is not None and mine.sure_s > SURE_S else []
    for what in left_out:
        found.left_out.setdefault((f"{what}, {leg.value}", UNSURE), []).append(rep.number)


UNSURE = (
    "the push begins too gradually, or the stance before it is too unsteady, to give it within "
    f"{100 * SURE_SHARE:g} % (a delay within {1000 * SURE_S:g} ms)"
)


def raises(recording: Recording, found: Analysis) -> None:
    """Pushes above weight that begin in a still stand; the lowering that follows is no new start."""
    force, width = recording.smooth(found.side), round(0.3 * recording.rate)

    def from_a_stand(start: EffortStart) -> bool:
        """Whether force does not fall just before."""
        before = force[max(0, start.at - width) : start.at + 1]
        return bool(before.size) and float(before.min()) > 0.95 * float(np.median(before))

    still_efforts(recording, found, from_a_stand)
    found.not_measured["height"] = "integration is allowed only for free movements on both plates"
