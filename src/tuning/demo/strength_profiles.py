"""How strong the made-up people of the demo clinic are on the gauge."""

from __future__ import annotations

from dataclasses import replace

from tuning.demo.simulated_gauge import Profile, Push

PER_KG = {
    "hip-abd": 2.2, "hip-add": 2.0, "hip-er": 1.5, "hip-ir": 1.6, "hip-flex": 2.4, "hip-ext": 2.6, "squeeze-5s": 3.0,
    "knee-ext": 4.6, "knee-flex": 2.4, "ankle-pf": 4.2, "ankle-df": 2.1, "ankle-inv": 1.5, "ankle-ev": 1.4,
}  # fmt: skip
"""Newtons for each kilogram of body mass; made up, for the stand-in only."""

WEAKER = {
    ("glassblower", "left"): {"hip-abd": 0.76, "hip-er": 0.85},
    ("ferry deckhand", "right"): {"hip-abd": 0.84, "hip-ext": 0.9},
    ("beekeeper", "right"): {"knee-ext": 0.68, "knee-flex": 0.85},
    ("potter", "right"): {"hip-er": 0.8},
}
"""Share of the usual force, by person and side."""

PULLED = ("knee-flex", "ankle-df")
"""Tests where the strap pulls the gauge."""


def profile(occupation: str, test_id: str, side: str, body_mass_kg: float) -> Profile:
    """Mean force and manner of one person in one test."""
    share = WEAKER.get((occupation, side), {}).get(test_id, 1.0)
    push = replace(Push(), pull=test_id in PULLED)
    return Profile(PER_KG.get(test_id, 2.0) * body_mass_kg * share, 0.04, push)
