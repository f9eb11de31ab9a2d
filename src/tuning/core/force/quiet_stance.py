"""Quiet stance on two legs and on one."""

from __future__ import annotations

import numpy as np

from tuning.core.force.plate_tests import CONTACT_N, Analysis, Rep
from tuning.core.force.recording import Recording
from tuning.core.force.sway import CUTOFF_HZ as SWAY_CUTOFF_HZ
from tuning.core.force.sway import sway
from tuning.core.force.weighing import LIFTED, STILL_SD_SHARE
from tuning.core.signals import stretches
from tuning.core.types import LEGS, NotMeasured, Side

ASKED_STAND_S, LEAST_STAND_S, SETTLING_S, STANDING_SHARE = 20.0, 5.0, 1.0, 0.25
"""One-leg stance: asked for, least that is read, left out at its start, and how far force may leave the body's
weight (practice judgement, editable)."""
ASKED_BOTH_S, MOST_SHIFT = 30.0, 5.0
"""Stance on both legs: asked for, and how much the share of a leg may change while they stand, points (SD; practice
judgement, editable)."""


def stand(recording: Recording, found: Analysis) -> None:
    """Share, its sway and the path of pressure of quiet stance; of one leg the longest stand."""
    if found.test.legs == 1:
        _one_leg_stand(recording, found)
    elif isinstance(found.weight, NotMeasured):
        found.warnings.append(found.weight.detail)
    elif (run := _both_feet(recording, found)) is not None:
        _two_leg_stand(recording, run, found)


def _both_feet(recording: Recording, found: Analysis) -> tuple[int, int] | None:
    """The longest stretch in which both feet carry the body, without settling where it begins or ends within the
    recording; None, and why, where it is short or the patient moved."""
    rate, total = recording.rate, recording.smooth(Side.BOTH)
    least = np.minimum(*(recording.smooth(leg) for leg in LEGS))
    body = float(np.percentile(total, 75))
    near = (total > (1 - STANDING_SHARE) * body) & (total < (1 + STANDING_SHARE) * body)
    first, last = max(stretches(near & (least > LIFTED * body)), key=lambda run: run[1] - run[0], default=(0, 0))
    settling = round(SETTLING_S * rate)
    first, last = (first + settling if first else 0), (last - settling if last < recording.size else last)
    held = max(0.0, (last - first) / rate)
    if held < LEAST_STAND_S:
        found.warnings.append(f"Both feet stood on the plates for {held:.1f} s only; {ASKED_BOTH_S:g} s are asked for.")
        return None
    moved = float(total[first:last].std()) / float(total[first:last].mean())
    if moved > STILL_SD_SHARE:
        found.warnings.append(
            f"Not still enough: the force changes by {100 * moved:.1f} % of the weight (SD), "
            f"at most {100 * STILL_SD_SHARE:g} % is read as a stand."
        )
        return None
    shift = float((100 * recording.smooth(Side.RIGHT)[first:last] / total[first:last]).std())
    if shift > MOST_SHIFT:
        found.warnings.append(
            f"Not still enough: the weight went from leg to leg by {shift:.0f} points of its share (SD), "
            f"at most {MOST_SHIFT:g} are read as a stand."
        )
        return None
    if held < ASKED_BOTH_S - 1:
        found.warnings.append(
            f"The stand lasted {held:.1f} s; {ASKED_BOTH_S:g} s are asked for: compare stands of equal length only."
        )
    if (first, last) != (0, recording.size):
        found.warnings.append(
            f"Read from {first / rate:.1f} to {last / rate:.1f} s, while both feet stood on the plates."
        )
    return first, last


def _two_leg_stand(recording: Recording, run: tuple[int, int], found: Analysis) -> None:
    stood, rate = recording.part(*run), recording.rate
    rep = Rep(1, {"start": run[0] / rate, "end": run[1] / rate})
    rep.add_value("share", Side.NONE, float((100 * stood.force[Side.RIGHT] / stood.total).mean()))
    slow = 100 * stood.smooth(Side.RIGHT) / stood.smooth(Side.BOTH)
    step = max(1, round(0.05 * rate))
    rep.add_value("share-sway", Side.NONE, float(np.abs(np.diff(slow[::step])).sum() / (stood.size / rate)))
    _sways(stood, Side.BOTH, Side.NONE, rep, found)
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
    rep.add_value("held", leg, held)
    _sways(recording.part(first, last), leg, leg, rep, found)
    found.reps.append(rep)


def _sways(recording: Recording, under: Side, side: Side, rep: Rep, found: Analysis) -> None:
    seen = sway(recording, under)
    if isinstance(seen, NotMeasured):
        found.not_measured["sway path"] = seen.detail
        return
    found.filter_words = f"centre of pressure: zero-lag Butterworth low-pass, {SWAY_CUTOFF_HZ:g} Hz"
    for name, value in (("sway-path", seen.path), ("sway-speed", seen.speed), ("sway-area", seen.area)):
        rep.add_value(name, side, value)
