"""Intake: regions of the body map, repeats by side, and what worn shoes can and cannot say."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from tuning.core.types import LEGS, Side
from tuning.core.units import sentence_case


@dataclass(frozen=True)
class SoleRules:
    """What counts when shoes and episodes are read: episodes on one side, grades, months."""

    repeats_that_call: int
    zone_gap: int
    worn_out: int
    old_months: float


SIDES_OF_LEG = (
    ("inner thigh", 0.028, 0.6), ("outer thigh", 0.104, 0.58),
    ("inner knee", 0.03, 0.725), ("outer knee", 0.084, 0.725),
    ("inner ankle", 0.032, 0.94), ("outer ankle", 0.07, 0.94),
)  # fmt: skip
REGIONS = {
    "front": (
        ("head", 0.0, 0.06), ("shoulder", 0.12, 0.185), ("chest", 0.04, 0.24), ("belly", 0.0, 0.36),
        ("hand and arm", 0.155, 0.38), ("groin", 0.04, 0.49), ("front of hip", 0.09, 0.45),
        ("front of thigh", 0.065, 0.6), ("front of knee", 0.056, 0.72), ("shin", 0.055, 0.83),
        ("front of ankle", 0.05, 0.93), ("top of foot", 0.055, 0.985), *SIDES_OF_LEG,
    ),
    "back": (
        ("back of head", 0.0, 0.06), ("shoulder blade", 0.07, 0.22), ("shoulder", 0.12, 0.185),
        ("mid back", 0.0, 0.29), ("low back", 0.0, 0.38), ("hand and arm", 0.155, 0.38),
        ("pelvic rim", 0.045, 0.42), ("buttock", 0.05, 0.49), ("outer hip", 0.1, 0.48),
        ("back of thigh", 0.065, 0.6), ("back of knee", 0.056, 0.73), ("calf", 0.06, 0.81),
        ("tendon at the heel", 0.047, 0.92), ("heel", 0.05, 0.985), *SIDES_OF_LEG,
    ),
    "soles": (
        ("heel, sole", 0.21, 0.86), ("arch, sole", 0.2, 0.58), ("ball of the foot", 0.21, 0.28),
        ("toes, sole", 0.19, 0.08),
    ),
}  # fmt: skip
"""Centres of regions per drawing: half-width from the midline and height from the top, drawing heights."""


def region_at(view: str, x: float, y: float) -> tuple[str, Side]:
    """Name and side of the region nearest to a tap.

    `x` is the distance from the midline toward the right edge of the picture,
    `y` from the top, in drawing heights. A front view, and soles turned toward
    you, show the patient's right on the left of the picture; the back shows it on the right.
    Raises KeyError for an unknown view.
    """
    name, centre, _ = min(REGIONS[view], key=lambda r: math.hypot(abs(x) - r[1], y - r[2]))
    if centre == 0.0 and abs(x) < 0.02:
        return name, Side.NONE
    picture_right = Side.RIGHT if view == "back" else Side.LEFT
    return name, picture_right if x > 0 else picture_right.other


def repeats(rules: SoleRules, episodes: Sequence[Mapping[str, str]]) -> list[str]:
    """Sentences about episodes (keys region, side) that fall on one side again and again."""
    sides = Counter(e.get("side", "") for e in episodes if e.get("side") in ("left", "right"))
    told = []
    for side in LEGS:
        count, other = sides[side.value], sides[side.other.value]
        if count >= rules.repeats_that_call and count > other:
            regions = sorted({e["region"] for e in episodes if e.get("side") == side.value and e.get("region")})
            told.append(f"{count} episodes on the {side.value} ({', '.join(regions)}): a pattern to explain.")
    if not told and min(sides[s.value] for s in LEGS) > 0:
        told.append("The sides alternate: speaks against a one-sided chain.")
    return told


ZONES = ("heel outer", "heel inner", "middle outer", "middle inner", "front outer", "front inner")


@dataclass(frozen=True)
class Shoes:
    """Wear 0-3 by zone and side, and what changes its reading."""

    wear: Mapping[Side, Mapping[str, int]]
    firm_foam: bool = False
    crushed: Mapping[Side, bool] | None = None
    age_months: float | None = None
    sore: tuple[tuple[Side, str], ...] = ()
    """Zones of the foot that are sore on the next day."""


def total_wear(shoes: Shoes, side: Side) -> int:
    """Sum over the six zones."""
    return sum(shoes.wear.get(side, {}).get(zone, 0) for zone in ZONES)


def most_uneven(shoes: Shoes) -> tuple[str, int, int]:
    """Zone with the greatest difference, and its left and right grade."""
    left, right = (shoes.wear.get(side, {}) for side in LEGS)
    rows = [(zone, left.get(zone, 0), right.get(zone, 0)) for zone in ZONES]
    return max(rows, key=lambda row: abs(row[2] - row[1]))


def read_shoes(rules: SoleRules, shoes: Shoes) -> list[str]:
    """What the soles say and what they cannot; one finding alone refutes nothing."""
    grade = {(side, zone): shoes.wear.get(side, {}).get(zone, 0) for side in LEGS for zone in ZONES}
    told = []
    outer = [grade[side, "heel outer"] for side in LEGS]
    if any(outer) and max(outer) <= 1 and not any(v for k, v in grade.items() if k[1] != "heel outer"):
        told.append("Slight wear of the outer heel is common and counts for nothing alone.")
    for zone in ZONES:
        left, right = grade[Side.LEFT, zone], grade[Side.RIGHT, zone]
        if abs(left - right) >= rules.zone_gap:
            worse = "left" if left > right else "right"
            told.append(f"{sentence_case(zone)}: {worse} worn {abs(left - right)} grades further; that much matters.")
    inner = any(grade[side, zone] for side in LEGS for zone in ZONES if "inner" in zone)
    if shoes.firm_foam and not inner:
        told.append("Firm foam hides inner wear: no inner wear does not speak against the foot rolling in.")
    if shoes.crushed and any(shoes.crushed.values()):
        sides = " and ".join(side.value for side in LEGS if shoes.crushed.get(side))
        told.append(f"Midsole crushed ({sides}): it exaggerates; film the feet instead.")
    if shoes.age_months is not None and shoes.age_months > rules.old_months:
        told.append(f"{shoes.age_months:g} months old: old shoes exaggerate habits; film the feet instead.")
    for side, zone in shoes.sore:
        if grade[side, zone]:
            told.append(
                f"Sore where it is worn ({side.value}, {zone}): look at foot, leg length, hip and knee strength."
            )
        else:
            told.append(f"Sore at {side.value} {zone}, but not worn there: wear explains nothing here.")
    if any(v >= rules.worn_out for v in grade.values()):
        told.append("Worn through: replace the shoes.")
    return told or ["No wear marked: even soles."]
