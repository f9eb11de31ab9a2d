"""The demonstration clinic: a small practice in a harbour town, all made up."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import date, timedelta
from pathlib import Path
from typing import Any

from tuning.core.case import Visit
from tuning.core.entries import Answer, Decision, Done, NextDayResponse, Treatment
from tuning.core.gate.limits import LimitFacts
from tuning.core.reasoning.progress import TO_PROGRAMME
from tuning.core.test_definitions import observed
from tuning.core.types import LEGS, Setup, Side
from tuning.demo.builder import Builder, Trials
from tuning.records import Record
from tuning.records.store import DEMO

PEOPLE: tuple[dict[str, Any], ...] = (
    {
        "name": "Marit Okonjo-Lind", "occupation": "glassblower", "birth_date": date(1985, 5, 3), "sex": "female",
        "body_mass_kg": 74.0, "stature_m": 1.72, "involved": "left", "dominant_hand": "right",
        "dominant_leg": "right", "complaint": "Left front of knee aches after long days at the furnace, third time",
    },
    {
        "name": "Jonas Brekke", "occupation": "ferry deckhand", "birth_date": date(1993, 9, 21), "sex": "male",
        "body_mass_kg": 88.0, "stature_m": 1.84, "involved": "right", "dominant_hand": "right",
        "dominant_leg": "right", "complaint": "Right outer hip sore on the car-deck ramps",
    },
    {
        "name": "Oriel Santander", "occupation": "choir conductor", "birth_date": date(1970, 2, 14), "sex": "female",
        "body_mass_kg": 63.0, "stature_m": 1.65, "involved": "none", "dominant_hand": "left",
        "dominant_leg": "right", "complaint": "Low back stiff after standing rehearsals",
    },
    {
        "name": "Tomasz Wren", "occupation": "beekeeper", "birth_date": date(1978, 11, 30), "sex": "male",
        "body_mass_kg": 81.0, "stature_m": 1.78, "involved": "right", "dominant_hand": "right",
        "dominant_leg": "left", "complaint": "Right knee, eleven weeks after ligament surgery; lifting hives is hard",
    },
    {
        "name": "Ines Hallgrim", "occupation": "potter", "birth_date": date(1999, 7, 8), "sex": "female",
        "body_mass_kg": 66.0, "stature_m": 1.7, "involved": "right", "dominant_hand": "right",
        "dominant_leg": "right", "complaint": "Right knee drifts in when lifting clay from the floor",
    },
)  # fmt: skip


GLASSBLOWER_BATTERY = (
    ("hip-add", 0.77, (35.1, 36.0, 34.4), (37.2, 36.5, 38.0)),
    ("hip-er", 0.38, (24.0, 23.1, 24.6), (28.4, 29.3, 28.0)),
    ("hip-ir", 0.38, (28.1, 27.0, 27.6), (28.8, 28.0, 29.1)),
)
"""Test, lever arm in m, trials left and right in lbf."""


LEVELS_EVEN: Mapping[str, Trials] = {
    "achilles-heel-tilt-eye": ([1, 1], [1, 1]),
    "arch-profile-eye": ([0, 0], [0, 0]),
    "knee-crease-level-eye": [0, 0],
    "psis-level-eye": [0, 0],
    "pelvis-crest-level-eye": [0, 0],
    "acromion-level-eye": [-1, 0],
    "psis-sitting-eye": [0, 0],
}


LEVELS_LOW_LEFT: Mapping[str, Trials] = {
    **LEVELS_EVEN,
    "achilles-heel-tilt-eye": ([3, 2], [1, 1]),
    "arch-profile-eye": ([2, 3], [0, 1]),
    "knee-crease-level-eye": [2, 2],
    "psis-level-eye": [2, 1],
    "pelvis-crest-level-eye": [1, 1],
}


CONDUCTOR_BY_EYE: Mapping[str, Trials] = {
    "arch-profile-eye": ([2, 2], [0, 0]),
    "calf-bulk-eye": [0, 0],
    "psis-sitting-eye": [0, 0],
    "arms-forward-reach-eye": [0, 0],
}


MOBILITY: Mapping[str, Trials] = {
    "figure4-shin": ([29, 31, 30], [18, 17, 19]),
    "knee-to-wall": ([9.5, 10.0, 9.5], [10.0, 10.5, 10.0]),
    "tibial-rotation-in": ([14, 15, 15], [22, 24, 23]),
}


PLAN_OF_GLASSBLOWER = ("sd-1-hold-taps", "hb-1-calf", "am-1-glide")
NO_JUMPS = ("surgeon", "limit-left", "limit-fast")
NO_DEEP_BEND = ("surgeon", "limit-right", "limit-knee", "limit-fast")
QUIET = "isometric and pain-free, no jump"


def build_clinic(folder: Path) -> None:
    """Build the demo record in `folder`. Raises EnvironmentFault when it cannot be written."""
    record = Record(folder, DEMO)
    b = Builder(record, PEOPLE)
    visit = b.visit("glassblower", 42)
    b.screen(visit, NO_JUMPS, "until the check in spring")
    b.follow(visit, "walk-rear", "rear", 30, "rear-gait")
    _glassblower_before(b, visit)
    _glassblower_plan(b, visit)
    _glassblower_today(b)
    _conductor(b)
    _potter(b)
    visit = b.visit("beekeeper", 13)
    until = {"limit-knee": visit.started_at.date() + timedelta(weeks=5)}
    b.screen(visit, NO_DEEP_BEND, "11 weeks after surgery", LimitFacts({"limit-knee": 90.0}, until))
    visit = b.visit("ferry deckhand", 2)
    b.screen(visit)
    for side in LEGS:
        b.follow(visit, f"step-{side}", "front", 0, "step-down", side)
    record.close()


def _glassblower_today(b: Builder) -> None:
    visit = b.visit("glassblower", 0)
    b.screen(visit, NO_JUMPS, "until the check in spring")
    _glassblower_tells(b, visit)
    b.hands_on(visit, "by eye", LEVELS_LOW_LEFT)
    b.decide(visit, "arch-lowers", Side.LEFT, "levels out")
    b.hands_on(visit, "typed", {**MOBILITY, "knee-to-wall": ([7.0, 7.5, 7.5], [11.0, 11.5, 11.0])})
    b.follow(visit, "walk-later", "rear", 30, "rear-gait")
    glassblower = b.patients["glassblower"]
    pounds = {Side.RIGHT: (40.7, 42.0, 41.5), Side.LEFT: (30.9, 32.6, 31.8)}
    b.strength(visit, glassblower, "hip-abd", pounds, 0.78, QUIET)
    for test, lever, left, right in GLASSBLOWER_BATTERY:
        b.strength(visit, glassblower, test, {Side.LEFT: left, Side.RIGHT: right}, lever, QUIET)
    b.strength(visit, glassblower, "squeeze-5s", {Side.NONE: (47.5, 49.2, 48.8)}, reason=QUIET, pain=3)
    for test in ("quiet-stance", "squat-pause", "squat-iso"):
        b.plates(visit, "glassblower", test, Side.NONE, QUIET)
    for test in ("lunge-iso", "lunge-pause", "calf-raise"):
        for side in LEGS:
            b.plates(visit, "glassblower", test, side, QUIET)


def _glassblower_before(b: Builder, visit: Visit) -> None:
    """What was told and measured six weeks ago."""
    _pain_and_goals(b, visit, now=5.0, worst=7.0, goals=[2.0, 4.0])
    b.hands_on(visit, "typed", {"knee-to-wall": ([3.5, 3.0, 3.5], [10.5, 11.0, 11.0])})
    pounds = {Side.RIGHT: (40.1, 41.0, 40.4), Side.LEFT: (22.6, 23.8, 23.1)}
    b.strength(visit, b.patients["glassblower"], "hip-abd", pounds, 0.78, QUIET)
    b.keep(visit, Treatment("calf release", 10.0, "R. Falk"))


def _pain_and_goals(b: Builder, visit: Visit, now: float, worst: float, goals: list[float]) -> None:
    measures, place = b.knowledge.measures, Setup(region="front of knee")
    b.keep(
        visit,
        observed(measures["pain-now"], Side.LEFT, [now], "told", place),
        observed(measures["pain-worst"], Side.LEFT, [worst], "told", place),
        observed(measures["intake-goals"], Side.NONE, goals, "told"),
    )


def _glassblower_plan(b: Builder, visit: Visit) -> None:
    """Six weeks of a step-down, a calf raise and an ankle glide, three days a week, with one sore spell."""
    for factor, name in (("knee-in", "Dynamic knee valgus"), ("ankle-dorsiflexion", "Limited ankle dorsiflexion")):
        b.keep(visit, Decision(TO_PROGRAMME, "likely", {"factor": factor, "name": name}, Side.LEFT))
    for rung in PLAN_OF_GLASSBLOWER:
        b.plan(visit, b.knowledge.rung(rung), Side.LEFT)
    for back in range(40, 0, -2):
        sore = 24 <= back <= 28
        for rung in PLAN_OF_GLASSBLOWER:
            sides = b.knowledge.rung(rung).sides
            b.keep(
                visit, *(_done(rung, side, visit.started_at.date() + timedelta(days=42 - back), sore) for side in sides)
            )


def _done(rung: str, side: Side, day: date, sore: bool) -> Done:
    """A session at home; the left knee minded it during the sore spell."""
    minds = sore and side is not Side.RIGHT and rung.startswith("sd")
    pain, morning = (4, NextDayResponse.NOT) if minds else (1, NextDayResponse.SETTLED)
    sets = 3 if rung.startswith("sd") else 2
    return Done(
        rung, side, day, sets=sets, pain=pain, morning=morning, morning_pain=pain // 2, faulty=5.0, source="home"
    )


def _conductor(b: Builder) -> None:
    visit = b.visit("choir conductor", 0)
    b.screen(visit)
    for name, view in (
        ("stand-front", "st-front"),
        ("stand-left", "st-side-l"),
        ("stand-right", "st-side-r"),
        ("stand-rear", "st-rear"),
    ):
        b.still(visit, name, view)
    b.hands_on(visit, "by eye", CONDUCTOR_BY_EYE)
    curves = (("upper-back", "usual"), ("low-back", "flat"))
    b.keep(visit, *(Answer("plumb-side", key, Side.NONE, words, looks=2) for key, words in curves))
    ground = b.plates_of_clip(visit, "choir conductor", "squat-side")
    b.follow(visit, "squat-side", "side-r", 0, "side-squat", Side.RIGHT, ground)
    for side in LEGS:
        b.plates(visit, "choir conductor", "stance-one-leg", side)
    b.plates(visit, "choir conductor", "quiet-stance", Side.NONE)


def _potter(b: Builder) -> None:
    front = tuple(f"{n}_{s}" for n in ("asis", "knee", "ankle", "second_toe") for s in ("left", "right"))
    visit = b.visit("potter", 6)
    b.screen(visit)
    b.hands_on(visit, "by eye", LEVELS_EVEN)
    b.hands_on(visit, "typed", MOBILITY)
    b.picture(visit, "squat-front", "front", {42: front})
    b.strength(visit, b.patients["potter"], "hip-abd", {Side.LEFT: (38.2, 39.5), Side.RIGHT: (36.0, 37.4)}, 0.76)


def _glassblower_tells(b: Builder, visit: Visit) -> None:
    place = {"view": "front", "x": 0.056, "y": 0.72, "region": "front of knee", "side": "left"}
    site = {**place, "now": 3.0, "worst": 5.0, "activity": "kneeling at the furnace", "onset": "spring, slowly"}
    goals = [{"activity": "gather glass for an hour", "score": 4.0}, {"activity": "stairs down", "score": 6.0}]
    told = {"sites": [site], "tires": "left leg", "gives": "no", "goals": goals}
    b.form(visit, "intake-complaint", told)
    _pain_and_goals(b, visit, now=3.0, worst=5.0, goals=[4.0, 6.0])
    episodes = [
        {"year": float(year), "region": region, "side": "left", "treated": "rest", "back": "yes"}
        for year, region in ((2019, "ankle"), (2022, "knee"), (2024, "knee"))
    ]
    injury = {"joint": "knee", "side": "left", "date": "2020", "operation": "cartilage trimmed", "limits": "no jumps"}
    b.form(
        visit,
        "intake-history",
        {"standing": 7.0, "sitting": 2.0, "posture": "turned to the left", "episodes": episodes, "injuries": [injury]},
    )
    wear = {
        "left": {"heel outer": 1, "middle inner": 2, "front inner": 3},
        "right": {"heel outer": 1, "front inner": 1},
    }
    b.form(
        visit,
        "shoe-wear-map",
        {"wear": wear, "sore": [["left", "middle inner"]], "age": 9.0, "firm": False, "crushed": []},
    )
    sums: Mapping[str, Trials] = {"shoe-wear": ([6.0], [2.0]), "shoe-wear-zone": ([3.0], [1.0])}
    b.hands_on(visit, "by eye", sums)
