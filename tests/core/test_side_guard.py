"""A retest whose legs are exchanged is asked about, and one whose legs have really changed is not."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tuning.core.judging.side_guard import ASK_FROM, exchanged_sides
from tuning.core.types import LEGS, Observation, Setup, Side
from tuning.knowledge import load

MEASURES = load().measures
LEFT, RIGHT = LEGS
TYPED = Setup(mode="make", fixation="belt")


def pair(left, right, measure="hip-abd", setup=TYPED, pain=None):
    return [
        Observation(measure, side, float(np.mean(value)), trials=np.atleast_1d(value), setup=setup, pain=pain,
                    method="typed", summary_rule="mean")
        for side, value in ((LEFT, left), (RIGHT, right))
    ]  # fmt: skip


@pytest.mark.parametrize("weak", LEGS)
def test_legs_that_changed_places_are_asked_about_with_both_readings(weak):
    was, read = ((120.0, 180.0), (178.0, 122.0)) if weak is LEFT else ((180.0, 120.0), (122.0, 178.0))
    found = exchanged_sides(MEASURES, pair(*was), pair(*read))
    assert found is not None and found.odds > ASK_FROM
    assert (
        f"left {read[0]:.0f} N, right {read[1]:.0f} N now, left {was[0]:.0f} N, right {was[1]:.0f} N last"
        in found.words
    )


@pytest.mark.parametrize(("before", "now"), [
    ((120, 180), (122, 178)), ((120, 180), (176, 178)), ((120, 180), (180, 182)), ((150, 152), (153, 149)),
    ((120, 180), (150, 145)),
])  # fmt: skip
def test_the_same_a_recovered_and_an_even_pair_are_not_asked_about(before, now):
    assert exchanged_sides(MEASURES, pair(*before), pair(*now)) is None


def test_what_cannot_be_compared_says_nothing_and_other_measures_may_speak_against():
    swapped = pair(178, 122)
    assert exchanged_sides(MEASURES, pair(120, 180, setup=Setup(mode="break", fixation="belt")), swapped) is None
    assert exchanged_sides(MEASURES, pair(120, 180, pain=6), swapped) is None
    assert exchanged_sides(MEASURES, pair(120, 180)[:1], swapped) is None
    kept = pair(90, 210, "hip-ext"), pair(91, 209, "hip-ext")
    assert exchanged_sides(MEASURES, [*pair(120, 180), *kept[0]], [*swapped, *kept[1]]) is None
    both = exchanged_sides(MEASURES, [*pair(120, 180), *kept[0]], [*swapped, *pair(209, 91, "hip-ext")])
    assert both is not None and [m.id for m in both.measures] == ["hip-ext", "hip-abd"]


@given(st.floats(60, 300), st.floats(60, 300), st.floats(60, 300), st.floats(60, 300))
def test_mirroring_both_visits_changes_nothing_and_mirroring_one_turns_the_odds(a, b, c, d):
    there, mirrored = (
        exchanged_sides(MEASURES, pair(a, b), pair(c, d)),
        exchanged_sides(MEASURES, pair(b, a), pair(d, c)),
    )
    assert (there is None) == (mirrored is None)
    if there is not None and mirrored is not None:
        assert there.odds == pytest.approx(mirrored.odds)
        assert exchanged_sides(MEASURES, pair(a, b), pair(d, c)) is None


def test_honest_retests_are_hardly_ever_asked_about():
    """Legs that differ by 20 % and are measured again by one trial with their whole error."""
    rng, sem = np.random.default_rng(5), MEASURES["hip-abd"].sem_by["belt"]
    asked = 0
    for _ in range(400):
        true = np.array([200.0, 160.0])
        one, other = (true * (1 + rng.normal(0, sem / 100, 2)) for _ in range(2))
        asked += exchanged_sides(MEASURES, pair(*one), pair(*other)) is not None
    assert asked == 0, asked


def test_sides_of_the_middle_are_no_pair():
    alone = [Observation("hip-abd", Side.NONE, 100.0)]
    assert exchanged_sides(MEASURES, alone, alone) is None
