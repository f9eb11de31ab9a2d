"""One variable at a time: what a climb or a step back changes of an exercise."""

from __future__ import annotations

from dataclasses import dataclass, replace
from math import floor

from tuning.core.programme.dose import Dose
from tuning.core.programme.ladders import Ladder, Rung
from tuning.core.programme.phases import Phase
from tuning.core.programme.placement import shallow
from tuning.core.types import LEGS, Side

RANGE_STEP, LEAST_DEPTH = 10.0, 30.0
"""Degrees of knee bend that one climb adds."""
LOAD_STEP, LEAST_LOAD_KG = 0.1, 0.5
"""What one climb adds at the top of a line: 2 to 10 % of the weight (ACSM 2009), of a light one the least there is."""


@dataclass(frozen=True)
class ProgressionStep:
    """The exercise after a step, and in words what moved."""

    rung: Rung
    dose: Dose
    words: str
    variant: str = ""
    loads: bool = False
    """Whether it adds load: that waits for the days of the rung, too."""
    first: Side = Side.NONE
    """The side that begins from now on; NONE leaves it as it is."""


def lighter(dose: Dose) -> Dose:
    """Two thirds of the sets, at least one: what a deload week asks (practice judgement, editable)."""
    return replace(dose, sets=max(1, round(2 * dose.sets / 3)), extra=0)


def halved(dose: Dose) -> Dose:
    """Half of the sets, at least one: what a flare-up that settles asks."""
    return replace(dose, sets=max(1, dose.sets // 2), extra=0)


def fewer(dose: Dose) -> Dose:
    """One set fewer, at least one: what a break of a week and more asks."""
    return replace(dose, sets=max(1, dose.sets - 1))


def start_dose(rung: Rung, phase: Phase, before: Dose | None = None) -> Dose:
    """The dose to begin a rung with: its own, no deeper than the phase allows, no more than was passed before."""
    depth, dose = shallow(rung, phase), _no_higher(rung, before)
    if depth is None or before is None or before.depth_deg is None:
        return replace(dose, depth_deg=depth)
    return replace(dose, depth_deg=min(depth, before.depth_deg))


def _no_higher(rung: Rung, before: Dose | None) -> Dose:
    """Its own dose on the highest listed step that is no higher than the one passed before, else on its lowest."""
    own, passed = rung.dose.step_cm, before.step_cm if before is not None else None
    if own is None or passed is None or passed >= own:
        return rung.dose
    lowest = min(rung.heights_cm, default=own)
    return rung.dose.at_height(max((h for h in rung.heights_cm if h <= passed), default=lowest))


def full_depth(rung: Rung) -> float:
    """The deepest knee bend of a rung's pictures, degrees."""
    return max(frame.knee for pose in rung.poses for frame in pose.frames)


def within(rung: Rung, dose: Dose, variant: str) -> ProgressionStep | None:
    """A step that the rung itself still has: range while it is not whole, hold, tempo, band, variant, height."""
    if dose.depth_deg is not None and dose.depth_deg < full_depth(rung):
        depth = dose.depth_deg + RANGE_STEP
        whole = depth >= full_depth(rung)
        words = "the whole range" if whole else f"knee bent to {depth:.0f}°"
        return ProgressionStep(rung, replace(dose, depth_deg=None if whole else depth), words, variant)
    dose = dose.with_heights_of(rung.dose)
    steps = (step(rung, dose, variant) for step in (_longer_or_stronger, _next_variant, _height))
    return next((step for step in steps if step is not None), None)


def _longer_or_stronger(rung: Rung, dose: Dose, variant: str) -> ProgressionStep | None:
    """The next listed hold, tempo or band."""
    hold = next((s for s in rung.holds_s if s > (dose.hold_s or s)), None)
    if hold is not None:
        return ProgressionStep(rung, replace(dose, hold_s=hold), f"hold {hold} s", variant)
    tempo = _after(rung.tempos, dose.tempo)
    if tempo:
        slower = replace(dose, tempo=tempo)
        return ProgressionStep(rung, slower, f"slower: {slower.tempo_words}", variant)
    band = _after(rung.bands, dose.band)
    return ProgressionStep(rung, replace(dose, band=band), band, variant, loads=True) if band else None


def _after(listed: tuple[str, ...], now: str) -> str:
    """What stands behind in a list; empty at its end, and for what somebody chose outside of it."""
    place = listed.index(now) + 1 if now in listed else len(listed)
    return listed[place] if place < len(listed) else ""


def _height(rung: Rung, dose: Dose, variant: str) -> ProgressionStep | None:
    """The next listed height: a higher step, a lower seat."""
    now = dose.height_cm
    if now is None or not rung.heights_cm:
        return None
    up = rung.heights_cm[-1] > rung.heights_cm[0]
    harder = next((h for h in rung.heights_cm if (h > now if up else h < now)), None)
    return _at_height(rung, dose, variant, harder)


def _at_height(rung: Rung, dose: Dose, variant: str, height_cm: float | None) -> ProgressionStep | None:
    if height_cm is None:
        return None
    name = "step" if dose.step_cm is not None else "seat"
    return ProgressionStep(rung, dose.at_height(height_cm), f"{name} {height_cm:g} cm high", variant)


def _next_variant(rung: Rung, dose: Dose, variant: str) -> ProgressionStep | None:
    names = [pose.name for pose in rung.poses]
    place = names.index(variant) if variant in names else 0
    if place + 1 >= len(names):
        return None
    harder = rung.poses[place + 1]
    loads = harder.load or rung.loaded_as(harder, dose.depth_deg) > rung.loaded_as(rung.poses[place], dose.depth_deg)
    return ProgressionStep(rung, dose, f"next variant: {harder.name}", harder.name, loads)


def own_step(rung: Rung, dose: Dose, variant: str, ladder: Ladder) -> ProgressionStep | None:
    """The step within the rung; at the top of its line more of the weight that is held."""
    own = within(rung, dose, variant)
    if own is not None or ladder.above(rung) is not None or not dose.load_kg:
        return own
    load = dose.load_kg + max(LEAST_LOAD_KG, floor(dose.load_kg * LOAD_STEP / LEAST_LOAD_KG) * LEAST_LOAD_KG)
    return ProgressionStep(rung, replace(dose, load_kg=load), f"weight {load:g} kg", variant, loads=True)


def step_up(rung: Rung, dose: Dose, variant: str, ladder: Ladder, phase: Phase) -> ProgressionStep | None:
    """The step within the rung, else the next rung; None at the top."""
    own = own_step(rung, dose, variant, ladder)
    if own is not None:
        return own
    above = ladder.above(rung)
    if above is None:
        return None
    return ProgressionStep(above, start_dose(above, phase, dose), f"next rung: {above.name}", above.poses[0].name)


def one_set_more(rung: Rung, dose: Dose, variant: str, poorer: Side) -> ProgressionStep | None:
    """A set more for the side that is behind; None where it has one already."""
    if dose.extra or poorer not in LEGS:
        return None
    words = f"one extra set on the {poorer.value} leg"
    return ProgressionStep(rung, replace(dose, extra=1), words, variant, first=poorer)


def cut(rung: Rung, dose: Dose, variant: str = "") -> ProgressionStep | None:
    """The next lower step; else ten degrees less bend, down to 30. None where the knee hardly bends."""
    dose = dose.with_heights_of(rung.dose)
    lower = max((h for h in rung.heights_cm if h < (dose.step_cm or 0.0)), default=None)
    if lower is not None:
        return _at_height(rung, dose, variant, lower)
    deepest = full_depth(rung)
    depth = (dose.depth_deg if dose.depth_deg is not None else deepest) - RANGE_STEP
    if depth < LEAST_DEPTH:
        return None
    return ProgressionStep(rung, replace(dose, depth_deg=depth), f"less range: knee bent to {depth:.0f}°", variant)
