"""Laws that every reading from the plates must keep, whoever stands on them."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tuning.core.force.analysis import analyse
from tuning.core.force.plate_tests import TESTS, UNITS, PlateKind
from tuning.core.force.recording import Recording
from tuning.core.force.sway import ellipse, of_course, sway
from tuning.core.force.weighing import emptied
from tuning.core.judging.verdict import error_of_value, split_sem
from tuning.core.types import LEGS, NotMeasured, Side
from tuning.demo.plate_profiles import scene
from tuning.demo.simulated_plates import Faults, SimulatedPerson, heard, points_heard
from tuning.knowledge import load

ERRORS = load().plate_errors

PER_NEWTON = ("N", "N/s", "Ns")


def recorded(test_id: str, seed: int) -> tuple[Recording, Side]:
    """A fresh person in a test; the left leg where one leg does it."""
    random = np.random.default_rng(seed)
    u = random.uniform
    who = SimulatedPerson(u(55, 95), u(400, 900), u(400, 900), u(0.07, 0.2), u(0.07, 0.2), u(0.44, 0.56))
    side = Side.LEFT if TESTS[test_id].legs == 1 else Side.NONE
    made = scene(who, test_id, side.value, random)
    left, right = heard(made, Faults(), random)
    points = {Side(leg): at for leg, at in points_heard(made, Faults(), random).items()}
    return Recording(made.rate, {Side.LEFT: left, Side.RIGHT: right}, (), points), side


def values(recording: Recording, test_id: str, side: Side) -> dict[tuple[int, str, Side], float]:
    found = analyse(recording, test_id, side)
    return {(rep.number, *key): value for rep in found.reps for key, value in rep.values.items()}


@pytest.mark.parametrize("test_id", sorted(TESTS))
def test_every_test_reads_its_repetitions_in_units_that_are_named(test_id):
    recording, side = recorded(test_id, 7)
    found = analyse(recording, test_id, side)
    assert len(found.reps) == (1 if TESTS[test_id].kind is PlateKind.STAND else 3), found.warnings
    for n, rep in enumerate(found.reps, start=1):
        assert rep.number == n and rep.values
        assert {metric for metric, _ in rep.values} <= set(UNITS)
        assert all(0 <= at <= recording.size / recording.rate for at in rep.events.values())
        assert all(np.isfinite(value) for value in rep.values.values())
    ends = [min(rep.events.values()) for rep in found.reps if rep.events]
    assert ends == sorted(ends), "in the order of time"


@settings(max_examples=8)
@given(st.sampled_from(sorted(TESTS)), st.integers(0, 2**32 - 1), st.floats(1.2, 2.0))
def test_a_heavier_copy_of_a_person_reads_heavier_and_nothing_else(test_id, seed, k):
    """All forces times k: newtons times k; times, shares and depths as they were."""
    recording, side = recorded(test_id, seed)
    heavier = replace(recording, force={leg: k * f for leg, f in recording.force.items()})
    one, other = values(recording, test_id, side), values(heavier, test_id, side)
    common = set(one) & set(other)
    # An effort may be read from a sample further on or back where the limits are in newtons (20 N of contact).
    assert len(common) >= 0.8 * max(len(one), len(other))
    slack = 0.04 if TESTS[test_id].kind in (PlateKind.STEP, PlateKind.JUMP) else 0.01
    for key in common:
        factor = k if UNITS[key[1]] in PER_NEWTON else 1.0
        assert other[key] == pytest.approx(factor * one[key], rel=slack, abs=slack * max(1.0, abs(one[key]))), key


@settings(max_examples=8)
@given(st.sampled_from(["squat-iso", "squat-fast", "squat-pause", "lunge-iso"]), st.integers(0, 2**32 - 1))
def test_standing_longer_before_the_test_only_moves_its_times(test_id, seed):
    recording, side = recorded(test_id, seed)
    wait = round(0.7 * recording.rate)
    random = np.random.default_rng(seed)
    longer = {}
    for leg, force in recording.force.items():
        still = np.median(force[: round(1.5 * recording.rate)]) + random.normal(0, 1.2, wait)
        longer[leg] = np.concatenate([still, force])
    before = analyse(recording, test_id, side)
    after = analyse(Recording(recording.rate, longer), test_id, side)
    assert len(before.reps) == len(after.reps)
    for one, other in zip(before.reps, after.reps, strict=True):
        for name, at in one.events.items():
            assert other.events[name] - at == pytest.approx(0.7, abs=0.02), name
        for key in set(one.values) & set(other.values):
            if UNITS[key[0]] == "N":
                assert other.values[key] == pytest.approx(one.values[key], rel=0.01, abs=5)


@settings(max_examples=10)
@given(st.integers(0, 2**32 - 1))
def test_what_two_legs_do_together_is_never_more_than_what_each_does(seed):
    recording, _ = recorded("squat-iso", seed)
    for rep in analyse(recording, "squat-iso").reps:
        peaks = [rep.values["peak", leg] for leg in LEGS]
        assert rep.values["peak", Side.BOTH] <= 1.003 * sum(peaks), "each is freed of its own noise"
        assert 0 < rep.values["share", Side.NONE] < 100
        for leg in LEGS:
            assert rep.values["peak-net", leg] < rep.values["peak", leg]
            assert rep.values["impulse-50", leg] < rep.values["impulse-250", leg], "impulse grows with its window"


@settings(max_examples=12)
@given(st.integers(0, 2**32 - 1), st.floats(0, 360), st.floats(0.3, 3))
def test_sway_does_not_care_where_one_stands_or_looks_and_grows_with_its_size(seed, degrees, size):
    random = np.random.default_rng(seed)
    walk = np.cumsum(random.normal(0, 0.05, (4000, 2)), axis=0) * (1.0, 0.6)
    a = np.radians(degrees)
    turn = np.array([[np.cos(a), -np.sin(a)], [np.sin(a), np.cos(a)]])
    plain, moved = of_course(walk, 1000.0), of_course(size * walk @ turn + (40, -90), 1000.0)
    assert moved.path == pytest.approx(size * plain.path) and moved.speed == pytest.approx(size * plain.speed)
    assert moved.area == pytest.approx(size**2 * plain.area, rel=1e-6)
    assert ellipse(walk).long >= ellipse(walk).short > 0


def test_sway_of_a_foot_that_leaves_the_plate_is_not_measured():
    recording, _ = recorded("quiet-stance", 3)
    assert not isinstance(sway(recording), NotMeasured)
    lost = {
        leg: np.where(np.arange(recording.size)[:, None] % 20 == 0, np.nan, p) for leg, p in recording.point.items()
    }
    gone = sway(replace(recording, point=lost))
    assert isinstance(gone, NotMeasured) and "left the plate" in gone.detail
    one = sway(replace(recording, point={Side.LEFT: recording.point[Side.LEFT]}))
    assert isinstance(one, NotMeasured) and "vertical forces alone" in one.detail, "both plates or none"


def test_the_lifted_foot_tells_its_plate():
    n = 2000
    both = {leg: np.full(n, 350.0) for leg in LEGS}
    for leg in LEGS:
        force = {**both, leg: np.full(n, 4.0), leg.other: np.full(n, 696.0)}
        assert emptied(Recording(1000.0, force)) is leg
    assert isinstance(emptied(Recording(1000.0, both)), NotMeasured)
    nobody = emptied(Recording(1000.0, {leg: np.full(n, 3.0) for leg in LEGS}))
    assert isinstance(nobody, NotMeasured) and "nobody stands" in nobody.detail


def test_the_error_of_a_mean_is_the_stated_one_and_unknown_where_none_is_stated():
    assert ERRORS.of_mean("peak", 1000.0, 1) == pytest.approx(1.96 * 40)
    assert ERRORS.of_mean("peak", 1000.0, 3) == pytest.approx(error_of_value(split_sem(40.0), 3))
    assert ERRORS.of_mean("share", 43.0, 1) == pytest.approx(1.96 * 1.5), "points, not a percentage of the share"
    early, late = (ERRORS.of_mean(f"rate-{w}", 4000.0, 3) for w in (50, 250))
    assert early == pytest.approx(2 * late), "early rates are the least dependable"
    assert ERRORS.of_mean("duration", 3.0, 3) is None
    # Trials shrink the error, but never below what set-up and day add.
    many = ERRORS.of_mean("peak", 1000.0, 10_000)
    assert many == pytest.approx(1.96 * 40 * np.sqrt(0.5), rel=1e-3)


def test_a_recording_is_whole_or_is_none():
    good = np.full(1500, 400.0)
    for wrong in (
        {},
        {Side.NONE: good},
        {Side.LEFT: good, Side.RIGHT: good[:-1]},
        {Side.LEFT: np.where(np.arange(1500) == 7, np.nan, good)},
    ):
        with pytest.raises(ValueError):
            Recording(1000.0, wrong)
    with pytest.raises(ValueError, match="two numbers a sample"):
        Recording(1000.0, {Side.LEFT: good}, (), {Side.RIGHT: np.zeros((1500, 2))})
    part = Recording(1000.0, {Side.LEFT: good}, ("note",), {Side.LEFT: np.zeros((1500, 2))}).part(100, 1300)
    assert part.size == 1200 and part.point[Side.LEFT].shape == (1200, 2) and part.notes == ("note",)
    assert part.swapped(faced_away=False).point[Side.RIGHT] is not None
