"""Answers of the hands-on tests, shoes and the body map."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tuning.core.errors import BadInput
from tuning.core.intake.forms import Field, FieldKind, read_field
from tuning.core.intake.soles_and_regions import ZONES, Shoes, most_uneven, read_shoes, region_at, repeats, total_wear
from tuning.core.standing.scales import read_pair, right_share
from tuning.core.test_definitions import (
    HOW_OFTEN,
    answer_is_complete,
    answer_may_continue,
    how_often,
    read_grades,
    read_number,
    read_signed,
    steps_of,
)
from tuning.core.types import LEGS, Side
from tuning.knowledge import load

KNOWLEDGE = load()
SOLES = KNOWLEDGE.soles
LEFT, RIGHT = LEGS
GRADE = st.integers(0, 3)


@given(GRADE, GRADE, st.booleans())
def test_two_sided_answers_say_what_was_pressed(left, right, left_first):
    keys = f"LR{left}{right}" if left_first else f"RL{right}{left}"
    assert read_grades(keys) == {LEFT: left, RIGHT: right}
    for n in range(1, len(keys)):
        assert answer_may_continue(keys[:n]) and not answer_is_complete(keys[:n])
    assert answer_is_complete(keys) and not answer_may_continue(keys)


@pytest.mark.parametrize(
    ("keys", "left", "right"), [("0", 0, 0), ("R2", 0, 2), ("l1", 1, 0), ("B3", 3, 3), ("L1 R1", None, None)]
)
def test_one_sided_answers(keys, left, right):
    if left is None:
        with pytest.raises(BadInput, match="R2, L1, B2"):
            read_grades(keys)
    else:
        assert read_grades(keys) == {LEFT: left, RIGHT: right}


def test_signed_answers_need_a_side():
    assert [read_signed(keys) for keys in ("0", "R2", "L3")] == [0, 2, -3]
    for keys in ("2", "B1", "R4", ""):
        with pytest.raises(BadInput, match="R2 or L1"):
            read_signed(keys)


@pytest.mark.parametrize(
    ("text", "measure", "value"),
    [
        ("9,5", "knee-to-wall", 9.5), ("95 mm", "knee-to-wall", 9.5), ("3.5 in", "knee-to-wall", 8.89),
        ("-7", "knee-crease-level", -7), ("0,7 cm", "knee-crease-level", 7), ("23°", "figure4-shin", 23),
        ("12 %", "toe-spread", 12), ("18 kg", "arm-resist-check", 176.5197),
    ],
)  # fmt: skip
def test_numbers_are_read_in_their_units(text, measure, value):
    assert read_number(text, KNOWLEDGE.measures[measure]) == pytest.approx(value)


@pytest.mark.parametrize(
    ("text", "measure", "told"),
    [
        ("-3", "knee-to-wall", "0 to 30 cm"), ("11", "pain-now", "0 to 10"), ("high", "figure4-shin", "not a"),
        ("5 kg", "knee-to-wall", "not a unit"), ("nan", "figure4-shin", "not a"),
    ],
)  # fmt: skip
def test_what_cannot_be_is_refused_with_what_would_be_accepted(text, measure, told):
    with pytest.raises(BadInput, match=told):
        read_number(text, KNOWLEDGE.measures[measure])


def test_the_uninvolved_leg_comes_first():
    tests = [t for t in KNOWLEDGE.tests.values() if t.stage == "mobility"]
    for first in LEGS:
        sides = [s.side for s in steps_of(tests, KNOWLEDGE.measures, first) if s.side in LEGS]
        assert sides[::2] == [first] * (len(sides) // 2) and sides[1::2] == [first.other] * (len(sides) // 2)


def test_every_test_of_the_battery_can_be_answered():
    ids = {t.id for t in KNOWLEDGE.tests.values()}
    standing_ids = {
        "achilles-heel-tilt", "arch-profile", "foot-posture-score", "calf-bulk", "knee-crease-level",
        "pelvis-crest-level", "psis-level", "leg-length-check", "spine-line", "scapula-position",
        "scapula-winging", "acromion-level", "plumb-side", "plumb-front", "arms-forward-reach",
        "arm-resist-check", "two-scale-share",
    }  # fmt: skip
    mobility_ids = {
        "figure4-shin", "hip-9090", "hip-rotation", "hip-flexor-length", "knee-to-wall",
        "tibial-rotation-block", "torsion-bony", "turnout-kneecap", "toe-spread", "great-toe-ext",
        "foot-tripod", "lean-limit", "ankle-roll-control",
    }  # fmt: skip
    assert standing_ids | mobility_ids <= ids
    for test in KNOWLEDGE.tests.values():
        assert test.questions or test.panel


@given(st.integers(1, 12), st.integers(0, 12))
def test_how_often_grows_with_the_count(of, faulty):
    if faulty > of:
        with pytest.raises(ValueError, match="repetitions"):
            how_often(faulty, of)
        return
    rank = HOW_OFTEN.index(how_often(faulty, of))
    assert (rank == 0) == (faulty == 0) and (rank == 3) == (0 < faulty == of)
    assert faulty == of or HOW_OFTEN.index(how_often(faulty + 1, of)) >= rank


# shoes, map, scales, forms

WEAR = st.fixed_dictionaries({side: st.fixed_dictionaries(dict.fromkeys(ZONES, GRADE)) for side in LEGS})


@given(WEAR)
def test_mirrored_soles_mirror_what_is_said(wear):
    shoes = Shoes(wear)
    mirrored = Shoes({side: wear[side.other] for side in LEGS})
    assert total_wear(shoes, LEFT) == total_wear(mirrored, RIGHT)
    zone, left, right = most_uneven(shoes)
    assert most_uneven(mirrored) == (zone, right, left)
    words = [
        line.replace("left", "#").replace("right", "left").replace("#", "right") for line in read_shoes(SOLES, shoes)
    ]
    assert words == read_shoes(SOLES, mirrored)


def test_soles_say_what_they_cannot_say():
    slight = {side: {"heel outer": 1} for side in LEGS}
    assert read_shoes(SOLES, Shoes(slight)) == ["Slight wear of the outer heel is common and counts for nothing alone."]
    said = " ".join(read_shoes(SOLES, Shoes(slight, firm_foam=True, crushed={LEFT: True, RIGHT: False}, age_months=20)))
    assert "Firm foam hides inner wear" in said and "crushed (left)" in said and "film the feet" in said
    worn = {LEFT: {"middle inner": 3}, RIGHT: {"middle inner": 1}}
    said = " ".join(read_shoes(SOLES, Shoes(worn, sore=((LEFT, "middle inner"), (RIGHT, "heel outer")))))
    assert "left worn 2 grades further" in said and "Sore where it is worn (left" in said
    assert "right heel outer, but not worn" in said and "replace" in said


@pytest.mark.parametrize(
    ("view", "x", "y", "region", "side"),
    [
        ("front", -0.056, 0.72, "front of knee", "right"), ("front", 0.056, 0.72, "front of knee", "left"),
        ("back", -0.056, 0.73, "back of knee", "left"), ("back", 0.0, 0.38, "low back", "none"),
        ("back", 0.056, 0.73, "back of knee", "right"),
        ("front", -0.03, 0.72, "inner knee", "right"), ("front", 0.085, 0.72, "outer knee", "left"),
        ("back", -0.085, 0.73, "outer knee", "left"), ("back", 0.03, 0.73, "inner knee", "right"),
        ("front", 0.07, 0.945, "outer ankle", "left"), ("back", -0.03, 0.945, "inner ankle", "left"),
        ("front", -0.105, 0.57, "outer thigh", "right"), ("back", 0.028, 0.61, "inner thigh", "right"),
        ("front", 0.065, 0.6, "front of thigh", "left"), ("back", -0.047, 0.92, "tendon at the heel", "left"),
        ("soles", 0.21, 0.86, "heel, sole", "left"), ("soles", -0.21, 0.86, "heel, sole", "right"),
    ],
)  # fmt: skip
def test_a_tap_names_region_and_side(view, x, y, region, side):
    assert region_at(view, x, y) == (region, Side(side))


def test_repeats_on_one_side_are_a_pattern():
    left = [{"region": "knee", "side": "left"}] * 3
    assert "3 episodes on the left (knee)" in repeats(SOLES, left)[0]
    assert "alternate" in repeats(SOLES, [*left[:2], {"region": "hip", "side": "right"}])[0]
    assert repeats(SOLES, left[:2]) == []


def test_scales_are_read_and_checked_against_the_record():
    assert read_pair("38.2 41,0", None) == (38.2, 41.0)
    assert right_share(*read_pair("84 lb / 90 lb", 79)) == pytest.approx(100 * 90 / 174)
    for text, told in (("38", "left first"), ("20 20", "on record"), ("0 79", "above zero")):
        with pytest.raises(BadInput, match=told):
            read_pair(text, 79)


def test_a_field_takes_what_it_can_hold():
    hours = Field("sitting", "Sitting", FieldKind.NUMBER, "h/day", (0, 24))
    assert read_field(hours, "7,5") == 7.5 and read_field(hours, " ") is None
    for text in ("25", "-1", "long"):
        with pytest.raises(BadInput, match="Sitting"):
            read_field(hours, text)


# scores that are summed from ticks


BEST = {"reach": "to the side", "height": "20 cm", "arms": "still", "trunk-once": "upright", "pelvis-once": "level",
        "knee-once": "over the foot", "steady": "steady"}  # fmt: skip
WORST = {**BEST, "arms": "used for balance", "trunk-once": "leans", "pelvis-once": "drops or turns",
         "knee-once": "past the inner edge", "steady": "wavers or steps down"}  # fmt: skip


def test_the_step_down_score_is_the_sum_of_its_ticks_to_the_side_only():
    score = KNOWLEDGE.tests["step-down"].score
    assert (score.of(BEST), score.of(WORST), score.of({**BEST, "knee-once": "past the second toe"})) == (0, 6, 1)
    for key in ("arms", "trunk-once", "pelvis-once", "steady"):
        assert score.of({**BEST, key: WORST[key]}) == 1 and score.of({**WORST, key: BEST[key]}) == 5
    for key in BEST:
        assert score.of({k: v for k, v in BEST.items() if k != key}) is None, f"{key} is needed"
    for way in ("to the front", "backward"):
        assert score.of({**BEST, "reach": way}) is None
    setup = score.setup(BEST)
    assert (setup.region, setup.step_height_m) == ("to the side", 0.2)
