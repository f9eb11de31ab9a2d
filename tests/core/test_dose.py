"""The dose of an exercise: what it asks in words and minutes, what a climb moves, and what it is done with."""

from __future__ import annotations

from dataclasses import replace

import pytest

from tuning.core.programme.dose import BREATH, Dose, asks_no_more, breath_at
from tuning.core.programme.phases import Phase
from tuning.core.programme.progression_step import (
    cut,
    fewer,
    halved,
    lighter,
    one_set_more,
    own_step,
    start_dose,
    step_up,
)
from tuning.core.types import LEGS, Side
from tuning.knowledge.knowledge import load

KNOWLEDGE = load()


def climbed(rung_id: str, **begun) -> list[str]:
    """Everything that the engine moves within a rung, one step after the other, in words."""
    rung, ladder = KNOWLEDGE.rung(rung_id), KNOWLEDGE.ladder_of(rung_id)
    dose, variant, told = replace(rung.dose, **begun), rung.poses[0].name, []
    while (step := own_step(rung, dose, variant, ladder)) is not None and len(told) < 6:
        moved = [key for key in vars(dose) if getattr(dose, key) != getattr(step.dose, key)]
        assert len(moved) + (step.variant != variant) == 1, "one variable at a time"
        dose, variant = step.dose, step.variant
        told.append(step.words)
    return told


def test_a_climb_moves_one_thing_that_the_exercise_lists():
    assert climbed("sd-1-hold-taps", step_cm=2.5) == ["hold 30 s", "step 5 cm high"]
    assert climbed("sd-3-knee-forward") == ["next variant: side reach", "next variant: front reach", "step 15 cm high"]
    assert climbed("sd-4-side-band") == ["medium band"]
    assert climbed("kt-2-wall-level") == ["hold 40 s", "hold 50 s", "hold 60 s"]
    assert climbed("hs-2-slow") == ["slower: 5 s down, 1 s up"]
    assert climbed("cr-1-cushion", seat_cm=60) == ["seat 55 cm high", "seat 50 cm high"], "a lower seat asks more"


def test_weight_grows_at_the_top_of_a_line_only_and_by_the_least_there_is():
    assert climbed("su-2-load", load_kg=4.0)[:2] == ["step 18 cm high", "weight 4.5 kg"]
    assert climbed("su-2-load", load_kg=20.0)[1] == "weight 22 kg"
    assert climbed("su-1-rise", load_kg=4.0) == ["step 18 cm high"], "a rung is above it"


def test_a_new_rung_begins_no_higher_than_the_one_before_was_passed():
    above, line = KNOWLEDGE.rung("sd-3-knee-forward"), KNOWLEDGE.ladder_of("sd-3-knee-forward")
    below = KNOWLEDGE.rung("sd-2-sit-back")
    for passed, begins in ((2.5, 5), (5, 5), (10, 10), (15, 10)):
        assert start_dose(above, Phase.RESTORE, replace(below.dose, step_cm=passed)).step_cm == begins
    step = step_up(below, replace(below.dose, step_cm=10), "rear touch", line, Phase.RESTORE)
    assert step is not None and (step.rung.id, step.dose.step_cm) == ("sd-3-knee-forward", 10)


def test_pain_takes_the_height_back_before_the_bend():
    rung = KNOWLEDGE.rung("sd-3-knee-forward")
    lower = cut(rung, rung.dose, "side reach")
    assert lower is not None and (lower.dose.step_cm, lower.variant) == (5, "side reach")
    least = cut(rung, lower.dose, "side reach")
    assert least is not None and least.dose.depth_deg is not None and least.dose.step_cm == 5


@pytest.mark.parametrize("poorer", LEGS)
def test_one_set_more_is_one_more_in_words_and_minutes_on_the_leg_that_is_behind(poorer):
    rung = KNOWLEDGE.rung("sd-3-knee-forward")
    step = one_set_more(rung, rung.dose, "", poorer)
    assert step is not None and step.first is poorer and poorer.value in step.words
    assert "one extra set on the poorer side" in step.dose.text
    more = step.dose.minutes - rung.dose.minutes
    assert more == pytest.approx((rung.dose.set_s + rung.dose.rest_s) / 60)
    assert one_set_more(rung, step.dose, "", poorer) is None and one_set_more(rung, rung.dose, "", Side.NONE) is None


def test_the_dose_names_all_that_is_done():
    dose = Dose(3, 8, None, "3-0-2", 60, 3, step_cm=10, band="light band", load_kg=2.5, depth_deg=60)
    assert dose.text == (
        "3 sets of 8 each side, 3 s down, 2 s up, step 10 cm high, light band, 2.5 kg, knee bent to 60°; rest 60 s; "
        "3 days a week"
    )


@pytest.mark.parametrize(
    ("rung", "more"),
    [("sd-3-knee-forward", {"step_cm": 15}), ("cr-2-standard", {"seat_cm": 42}), ("kt-2-wall-level", {"hold_s": 40}),
     ("sd-4-side-band", {"band": "medium band"}), ("hs-2-slow", {"tempo": "5-0-1"}), ("su-2-load", {"load_kg": 1.0})],
)  # fmt: skip
def test_more_of_anything_is_more_and_the_way_back_is_not(rung, more):
    listed = KNOWLEDGE.rung(rung)
    harder = replace(listed.dose, **more)
    assert not asks_no_more(listed.dose, harder, listed) and asks_no_more(harder, listed.dose, listed)


def test_what_it_is_done_with_names_the_height_and_the_one_band():
    ladder = KNOWLEDGE.ladder_of("sd-4-side-band")
    banded = KNOWLEDGE.rung("sd-4-side-band")
    assert ladder.needs(banded) == ("step of 10 cm", "light band")
    assert ladder.needs(banded, replace(banded.dose, band="medium band", step_cm=5)) == ("step of 5 cm", "medium band")
    kit = KNOWLEDGE.kit
    assert "bottom stair" in kit["step of 18 cm"].instead and "bottom stair" not in kit["step of 15 cm"].instead


def test_no_stair_stands_behind_a_foot_that_reaches_behind():
    ladder, reach = KNOWLEDGE.ladder_of("sd-3-knee-forward"), KNOWLEDGE.rung("sd-3-knee-forward")
    high = replace(reach.dose, step_cm=18)
    assert ladder.needs(reach, high, "front reach") == ("step of 18 cm",)
    assert ladder.needs(reach, high, "rear reach") == ("free-standing step of 18 cm",)


def test_a_breath_goes_in_then_out_then_rests():
    told = [breath_at(s / 2) for s in range(32)]
    assert told[:16] == ["breathe in"] * 6 + ["breathe out"] * 6 + ["pause"] * 4 and told[16:] == told[:16]
    assert sum(BREATH.values()) * 5 == replace(KNOWLEDGE.rung("slide-1-set").dose, breaths=5).set_s


def test_a_plan_written_before_heights_were_keeps_its_set_up_its_kit_and_its_way_up():
    for rung_id, check, need in (("sd-2-sit-back", "Step 5 cm high", "step of 5 cm"),
                                 ("cr-2-standard", "Seat 45 cm high", "firm chair"),
                                 ("sd-4-side-band", "Step 10 cm high", "light band")):  # fmt: skip
        rung, ladder = KNOWLEDGE.rung(rung_id), KNOWLEDGE.ladder_of(rung_id)
        old = replace(rung.dose, step_cm=None, seat_cm=None, band="")
        assert ladder.set_up(rung, old)[0] == check and need in ladder.needs(rung, old)
        assert own_step(rung, old, rung.poses[0].name, ladder) == own_step(rung, rung.dose, rung.poses[0].name, ladder)


def test_a_flare_up_and_a_deload_week_take_the_extra_set_first():
    dose = replace(KNOWLEDGE.rung("sd-3-knee-forward").dose, extra=1)
    assert [(d.sets, d.extra) for d in (halved(dose), lighter(dose), fewer(dose))] == [(1, 0), (2, 0), (2, 1)]
