"""Every test on the plates: its repetitions, and what each leg did in each of them."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from tuning.core.errors import BadInput
from tuning.core.force.dynamic_tests import free_squats, jumps
from tuning.core.force.foot_contacts import steps
from tuning.core.force.isometric_tests import raises, still_efforts
from tuning.core.force.plate_tests import CONTACT_N, TESTS, Analysis, PlateKind
from tuning.core.force.quiet_stance import stand
from tuning.core.force.recording import Recording
from tuning.core.force.weighing import WEIGHT_GAP, BodyWeight, weigh
from tuning.core.types import NotMeasured, Side
from tuning.core.units import GRAVITY

LEAST_CARRIED = {1: 0.3, 2: 0.9}
"""Share of the body's weight that one plate or both carry at some time of every test (practice judgement, editable)."""
LIGHTEST_KG, HEAVIEST_KG = 30.0, 250.0
"""Weights outside are questioned (practice judgement, editable)."""
UNEVEN_POINTS = 12.0
"""So far from half the weight on one leg in quiet standing is questioned (practice judgement, editable)."""


def analyse(recording: Recording, test_id: str, side: Side = Side.NONE, body_mass_kg: float | None = None) -> Analysis:
    """Read a recording as one test.

    One-leg tests need `side` unless only one plate was loaded. `body_mass_kg`
    stands in where nobody stood still on the plates. Raises BadInput for an
    unknown test or a missing side.
    """
    if test_id not in TESTS:
        raise BadInput(f"“{test_id}” is no test on the plates; there are {', '.join(TESTS)}.")
    test = TESTS[test_id]
    recording = recording.assigned_to_leg(side) if test.legs == 1 else recording
    if test.legs == 2 and len(recording.legs) < 2:
        raise BadInput(f"{test.name} needs both plates; this recording has one.")
    leg = _leg(recording, side) if test.legs == 1 else Side.NONE
    weight: BodyWeight | NotMeasured = NotMeasured("one-leg", "body weight is not on the plate in a one-leg test")
    if test.legs == 2:
        weight = weigh(recording, within=_before_the_push(recording) if test.kind is PlateKind.ISO else None)
    weighed = weight
    if isinstance(weight, NotMeasured) and body_mass_kg:
        weight = BodyWeight(body_mass_kg * GRAVITY, 1.0, 0, 0)
    found = Analysis(test, leg, weight)
    found.warnings += recording.notes
    if body_mass_kg:
        _doubt_newtons(recording, body_mass_kg, found)
    if test.kind is PlateKind.ISO and isinstance(weighed, NotMeasured) and test.legs == 2:
        found.warnings.append(f"No stand before the push to weigh: {weighed.detail}. Was the plate set to zero so?")
    if isinstance(weighed, BodyWeight) and body_mass_kg and abs(weighed.mass_kg / body_mass_kg - 1) > WEIGHT_GAP:
        found.warnings.append(
            f"The plates weigh {weighed.mass_kg:.1f} kg, {body_mass_kg:.1f} kg were known before: a load, a foot off "
            "the plates, or plates that were not zeroed?"
        )
    if isinstance(weighed, BodyWeight) and not LIGHTEST_KG <= weighed.mass_kg <= HEAVIEST_KG:
        found.warnings.append(
            f"The plates weigh {weighed.mass_kg:.0f} kg, which no adult does: the wrong unit, or a scale factor?"
        )
    if test.legs == 2 and isinstance(weighed, BodyWeight):
        _doubt_zero(recording, weighed, found)
    if leg is not Side.NONE and leg.other in recording.force:
        _warn_if_swapped(recording, leg, found)
    _READERS[test.kind](recording, found)
    found.tell_left_out()
    if not found.reps:
        found.warnings.append("No repetition was found.")
        if test.kind is PlateKind.JUMP:
            _doubt_flight(recording, found)
    return found


def _doubt_newtons(recording: Recording, mass_kg: float, found: Analysis) -> None:
    """Both plates carry the body at some time, and one leg's a good part of it; a tenth of it is kilograms."""
    most, weight = float(np.percentile(recording.total, 99)), mass_kg * GRAVITY
    if most < LEAST_CARRIED[found.test.legs] * weight:
        kilograms = "; were kilograms taken for newtons?" if most * GRAVITY > weight * 0.5 else "."
        found.warnings.append(
            f"The plates never carry more than {most:.0f} N of a body that weighs {weight:.0f} N{kilograms}"
        )


def _doubt_flight(recording: Recording, found: Analysis) -> None:
    """A plate that is never empty hides every flight."""
    for side, samples in recording.force.items():
        least = float(np.percentile(samples, 1))
        if least > CONTACT_N:
            words = f"The {side.value} plate never reads less than {least:.0f} N"
            found.warnings.append(f"{words}: was it not set to zero, or did nobody leave it?")


def _doubt_zero(recording: Recording, weight: BodyWeight, found: Analysis) -> None:
    """A plate not set to zero, or one that drifts, shows in how the patient stands; shares go by it."""
    quiet = slice(weight.first, weight.last + 1)
    share = 100 * float(recording.force[Side.LEFT][quiet].mean()) / weight.newtons
    if abs(share - 50) > UNEVEN_POINTS:
        side = Side.LEFT if share > 50 else Side.RIGHT
        found.warnings.append(
            f"In quiet standing {max(share, 100 - share):.0f} % is on the {side.value} plate: did the patient stand "
            "so, or was a plate not set to zero?"
        )
    half = max(1, round(0.5 * recording.rate))
    ends = [float(recording.total[part].mean()) for part in (slice(None, half), slice(-half, None))]
    standing = all(0.6 < end / weight.newtons < 1.7 for end in ends)
    if standing and abs(ends[1] - ends[0]) > WEIGHT_GAP * weight.newtons:
        found.warnings.append(
            f"The plates carry {ends[0]:.0f} N at first and {ends[1]:.0f} N at the end: a plate drifts, or the "
            "recording begins or ends in a movement."
        )


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


_READERS: dict[PlateKind, Callable[[Recording, Analysis], None]] = {
    PlateKind.STAND: stand,
    PlateKind.FREE: free_squats,
    PlateKind.PAUSE: free_squats,
    PlateKind.ISO: still_efforts,
    PlateKind.STEP: steps,
    PlateKind.RAISE: raises,
    PlateKind.JUMP: jumps,
}
