"""Units, indices, strength, body measures: worked examples and laws."""

import math
from datetime import date

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tuning.core.dates import birth_date
from tuning.core.errors import BadInput
from tuning.core.judging import symmetry
from tuning.core.strength.trials import (
    StrengthTrials,
    TrialRule,
    observe,
    percent_of_weight,
    summarise,
    torque_per_mass,
)
from tuning.core.types import NotMeasured, Setup, Side
from tuning.core.units import (
    FORCE_UNITS,
    format_signed,
    from_newtons,
    parse_body_mass,
    parse_force,
    parse_length,
    parse_lever,
    parse_stature,
)

positive = st.floats(0.1, 5000)


def test_the_worked_example_of_all_indices():
    left, right = 80.0, 100.0
    assert symmetry.limb_symmetry_index(left, right, Side.LEFT) == pytest.approx(80)
    assert symmetry.limb_symmetry_index(left, right, Side.RIGHT) == pytest.approx(125)
    assert symmetry.difference_to_stronger(left, right) == pytest.approx(20)
    assert symmetry.share(left, right) == pytest.approx(55.6, abs=0.05)
    assert symmetry.bilateral_index(left, right) == pytest.approx(11.1, abs=0.05)
    assert symmetry.symmetry_index(left, right) == pytest.approx(22.2, abs=0.05)
    assert symmetry.symmetry_angle(left, right) == pytest.approx(7.0, abs=0.05)
    assert symmetry.log_ratio(left, right) == pytest.approx(22.3, abs=0.05)


@given(positive, positive)
def test_swapping_sides_turns_every_signed_index_round(left, right):
    for index in (
        symmetry.difference_to_stronger,
        symmetry.bilateral_index,
        symmetry.symmetry_angle,
        symmetry.log_ratio,
    ):
        assert index(left, right) == pytest.approx(-index(right, left), abs=1e-9)


def test_no_index_without_an_involved_side_or_with_a_zero():
    assert isinstance(symmetry.limb_symmetry_index(80, 100, Side.NONE), NotMeasured)
    with pytest.raises(ValueError):
        symmetry.share(0, 10)


@pytest.mark.parametrize(
    ("text", "newtons"),
    [("41.5 lbf", 184.601), ("41,5lb", 184.601), ("20 kgf", 196.133), ("185", 185), (" 12.5 N ", 12.5)],
)
def test_typed_forces(text, newtons):
    assert parse_force(text)[0] == pytest.approx(newtons, abs=1e-3)


@pytest.mark.parametrize("text", ["", "abc", "12 stone", "0", "-5", "1e9", "12 34", "nan", "99999", "5 cm"])
def test_typed_forces_that_are_refused(text):
    with pytest.raises(BadInput):
        parse_force(text)


@given(st.floats(1, 1900), st.sampled_from(list(FORCE_UNITS)))
def test_a_force_survives_its_unit(force, unit):
    text = f"{from_newtons(force, unit):.9f} {unit}"
    assert parse_force(text) == (pytest.approx(force, rel=1e-6), unit)


def test_lengths_masses_and_statures():
    assert parse_length("78 cm") == parse_length("0,78") == pytest.approx(0.78)
    assert parse_stature("172") == parse_stature("1.72") == parse_stature("172 cm") == pytest.approx(1.72)
    assert parse_stature("68 in") == pytest.approx(1.7272)
    assert parse_body_mass("163 lb") == parse_body_mass("163 LBS") == pytest.approx(73.94, abs=0.01)
    for wrong in ("740", "heavy", "-70"):
        with pytest.raises(BadInput):
            parse_body_mass(wrong)


def test_numbers_are_written_with_a_true_minus_and_no_negative_zero():
    assert format_signed(-1.26, 1) == "−1.3" and format_signed(-0.01, 1) == "0.0"


def test_summary_of_trials():
    found = summarise(np.array([180.0, 186.0, 201.0]))
    assert (found.value, found.n) == (189.0, 3)
    assert found.sd == pytest.approx(math.sqrt((81 + 9 + 144) / 2))
    assert found.best_two_gap_percent == pytest.approx(100 * 15 / 201) and not found.repeat_advised
    assert summarise(np.array([180.0, 201.0]), TrialRule.BEST).value == 201
    assert summarise(np.array([150.0, 201.0])).repeat_advised
    assert isinstance(summarise(np.empty(0)), NotMeasured)
    with pytest.raises(ValueError):
        summarise(np.array([100.0, math.nan]))


def test_torque_needs_lever_and_mass():
    assert torque_per_mass(184.0, 0.78, 74.0) == pytest.approx(1.9395, abs=1e-4)
    assert percent_of_weight(74.0 * 9.80665, 74.0) == pytest.approx(100)
    assert torque_per_mass(184.0, None, 74.0).reason == "no-lever"
    assert torque_per_mass(184.0, 0.78, None).reason == "no-body-mass"


def test_observations_of_one_side():
    trials = np.array([180.0, 190.0])
    force, torque = observe(
        StrengthTrials("hip-abd", Side.LEFT, trials, ("180 N", "190 N"), setup=Setup(lever_m=0.8, body_mass_kg=80.0))
    )
    assert force.value == 185 and torque.value == pytest.approx(1.85)
    assert list(torque.trials) == pytest.approx([1.8, 1.9])
    assert [o.measure_id for o in observe(StrengthTrials("hip-abd", Side.LEFT, trials))] == ["hip-abd"]
    assert observe(StrengthTrials("hip-abd", Side.LEFT, np.empty(0))) == []


TODAY = date(2026, 11, 27)


@pytest.mark.parametrize(
    "text",
    ["12.03.1979", "12/3/1979", "12-3-1979", "12 3 1979", "12 March 1979", "12. mar 1979", "1979-03-12", " 12.3.1979 "],
)
def test_a_birth_date_is_read_with_the_usual_separators(text):
    assert birth_date(text, TODAY) == date(1979, 3, 12)


def test_day_and_month_follow_the_date_style_and_what_cannot_be_is_refused():
    assert birth_date("4/12/1979", TODAY, month_first=True) == date(1979, 4, 12)
    assert birth_date("1979-04-12", TODAY, month_first=True) == date(1979, 4, 12)
    assert birth_date("27.11.2026", TODAY) == TODAY and birth_date("28.11.1905", TODAY) == date(1905, 11, 28)
    for text, words in {
        "": "type", "1979": "type", "12.3.79": "four digits", "30.2.1980": "calendar", "13/13/1980": "calendar",
        "28.11.2026": "still to come", "26.11.1905": "120 years", "12 Xyz 1980": "calendar", "0.0.2000": "calendar",
    }.items():  # fmt: skip
        with pytest.raises(BadInput, match=words):
            birth_date(text, TODAY)


@pytest.mark.parametrize(
    ("text", "metres"),
    [("0.78", 0.78), ("0,78", 0.78), ("1.99", 1.99), ("2", 0.02), ("41", 0.41), ("78,5", 0.785), ("78 cm", 0.78),
     ("1.5 cm", 0.015), ("3 m", 3.0), ("30 in", 0.762)],
)  # fmt: skip
def test_a_bare_lever_under_two_is_metres_and_from_two_on_centimetres(text, metres):
    assert parse_lever(text) == pytest.approx(metres)
    with pytest.raises(BadInput):
        parse_lever(f"{text} ells")
