"""Standing on plates: what was weighed in part, plates exchanged, sway, the drive of squats and jumps."""

from dataclasses import replace

import numpy as np
import pytest
from forces import LEFT, RATE, RIGHT, line, read

from tuning.core.force.analysis import analyse
from tuning.core.force.clip_sync import GRID_HZ, align
from tuning.core.force.motion import motion
from tuning.core.force.plate_tests import TESTS
from tuning.core.force.recording import Recording
from tuning.core.force.sway import of_course, pressure_path
from tuning.core.force.test_battery_pattern import PatternRow, sentence
from tuning.core.force.weighing import weigh
from tuning.core.judging.comparison import compare_sides
from tuning.core.judging.verdict import VerdictWord
from tuning.core.types import LEGS, NotMeasured, Observation, Side
from tuning.demo import simulated_plates as plates
from tuning.demo.simulated_plates import Faults, SimulatedPerson, heard
from tuning.knowledge import load


def test_plates_that_were_exchanged_turn_their_points_only_where_the_person_faced_the_other_way():
    force = {LEFT: np.full(3000, 400.0), RIGHT: np.full(3000, 350.0)}
    points = {LEFT: np.tile([10.0, 30.0], (3000, 1)), RIGHT: np.tile([-5.0, 20.0], (3000, 1))}
    recording = Recording(RATE, force, point=points)
    turned, crossed = recording.swapped(True), recording.swapped(False)
    for leg in LEGS:
        assert (turned.force[leg] == force[leg.other]).all() and (crossed.force[leg] == force[leg.other]).all()
        assert (turned.point[leg] == -points[leg.other]).all() and (crossed.point[leg] == points[leg.other]).all()


def test_a_weight_taken_in_a_part_tells_where_it_was_taken():
    total = line((0, 700), (2, 700), (2.2, 900), (2.4, 700), (8, 700), noise=6, seed=3)
    calm = slice(5000, 6200)
    total[calm] = 700 + np.random.default_rng(4).normal(0, 0.3, 1200)
    recording = Recording(RATE, {LEFT: total / 2, RIGHT: total / 2})
    found = weigh(recording, within=(4.0, 7.5))
    assert 5000 <= found.first < found.last < 6200 and found.newtons == pytest.approx(700, abs=0.2)
    assert weigh(recording, within=(4.0, 5.0)).first >= 4000, "just long enough"
    assert isinstance(weigh(recording, within=(4.0, 4.9)), NotMeasured)


@pytest.mark.parametrize("leg", LEGS)
@pytest.mark.parametrize(("shift", "still"), [(15.0, True), (120.0, False)])
def test_who_goes_from_leg_to_leg_does_not_stand_still(leg, shift, still):
    """Both plates together carry the same all the time."""
    moved = shift * np.sin(2 * np.pi * 0.4 * np.arange(31_000) / RATE)
    found = read("quiet-stance", {leg: 350 + moved, leg.other: 350 - moved})
    assert len(found.reps) == still
    assert still or any("from leg to leg" in words for words in found.warnings)
    once = np.where(np.arange(31_000) < 15_000, 420.0, 280.0)
    assert not read("quiet-stance", {leg: once, leg.other: 700 - once}).reps


@pytest.mark.parametrize(("seconds", "told"), [(31, False), (9, True)])
def test_a_stand_that_is_shorter_than_asked_for_is_told(seconds, told):
    force = {leg: line((0, 350), (seconds, 350), noise=1.0, seed=seed) for seed, leg in enumerate(LEGS)}
    found = read("quiet-stance", force)
    assert len(found.reps) == 1 and any("30 s are asked for" in words for words in found.warnings) == told


ON, OFF = ((0, 0), (2, 0), (2.3, 700)), ((15, 700), (15.4, 0), (18, 0))
"""A foot steps onto its plate, and off it again (s, N)."""


@pytest.mark.parametrize("heavy", LEGS)
def test_of_a_recording_with_steps_onto_and_off_the_plates_the_still_stand_is_read(heavy):
    """First one foot carries all, then the other comes; at the end it leaves first."""
    second = line(*ON, *OFF, noise=1.5)
    late = line((0, 0), (3.2, 0), (3.6, 300), (14, 300), (14.3, 0), (18, 0), noise=1.5, seed=1)
    found = read("quiet-stance", {heavy: second - late, heavy.other: late})
    [rep] = found.reps
    share = 100 * (400 if heavy is RIGHT else 300) / 700
    assert rep.values["share", Side.NONE] == pytest.approx(share, abs=0.2)
    assert rep.events["start"] == pytest.approx(4.4, abs=0.3) and rep.events["end"] == pytest.approx(13.2, abs=0.3)
    assert any("both feet stood on the plates" in w for w in found.warnings)


@pytest.mark.parametrize(
    "total",
    [
        line((0, 700), (4, 700), (5, 1900), (7, 1900), (8, 700), (12, 700), noise=2),  # pushes against a bar
        700 + 60 * np.sin(2 * np.pi * 0.4 * np.arange(20000) / RATE),  # slow squats
        line((0, 0), (3, 0), (3.2, 700), (6, 700), (6.2, 0), (9, 0), noise=2),  # too short
    ],
)
def test_a_stand_that_is_none_tells_no_share(total):
    for mass in (None, 71.4):
        found = read("quiet-stance", {LEFT: 0.5 * total, RIGHT: 0.5 * total}, mass=mass)
        assert not found.reps and any("till" in w or "stood" in w for w in found.warnings), found.warnings


def test_sway_of_a_straight_walk_of_the_pressure_is_its_length_and_speed():
    course = np.stack([np.linspace(0, 300, 1001), np.zeros(1001)], axis=1)
    found = of_course(course, 100.0)
    assert found.path == pytest.approx(300) and found.speed == pytest.approx(30), "300 mm in 10 s"
    ends = np.array([[0, 0], [3, 4], [3, 10]], dtype=float)
    assert (of_course(ends, 10.0).path, of_course(ends, 10.0).speed) == pytest.approx((11, 55))


def test_the_sway_of_the_share_is_its_way_a_second():
    """The share goes from 48 to 52 % and back once in two seconds: four points a second."""
    share = 50 + 2 * np.interp(np.arange(20000) / RATE % 2, [0, 1, 2], [-1, 1, -1])
    hum = 3 * np.sin(2 * np.pi * 20 * np.arange(20000) / RATE)  # quicker than anybody sways
    force = {RIGHT: 7.0 * share + hum, LEFT: 700 - 7.0 * share - hum}
    [rep] = read("quiet-stance", force).reps
    assert rep.values["share", Side.NONE] == pytest.approx(50, abs=0.1)
    assert rep.values["share-sway", Side.NONE] == pytest.approx(4, rel=0.08)


@pytest.mark.parametrize("test", ["squat-fast", "jump"])
def test_the_impulses_of_the_drive_are_those_of_the_body_s_speed(test):
    """Newton: what both legs push beyond weight makes the body as fast as it gets."""
    scene = (
        plates.jumps(SimulatedPerson(mass_kg=80), reps=2)
        if test == "jump"
        else plates.squats(SimulatedPerson(mass_kg=80), reps=2)
    )
    left, right = heard(scene, Faults(), np.random.default_rng(2))
    found = analyse(Recording(RATE, {LEFT: left, RIGHT: right}), test)
    assert found.reps
    for rep in found.reps:
        both = sum(rep.values["impulse-drive", leg] for leg in LEGS)
        assert both == pytest.approx(80 * rep.values["velocity-peak", Side.NONE], rel=0.06)


def test_the_phases_of_a_squat_and_the_start_of_a_jump_are_those_of_the_scene():
    for test, scene in (
        ("squat-fast", plates.squats(SimulatedPerson(mass_kg=80), 2)),
        ("jump", plates.jumps(SimulatedPerson(mass_kg=80), 2)),
    ):
        left, right = heard(scene, Faults(), np.random.default_rng(2))
        reps = analyse(Recording(RATE, {LEFT: left, RIGHT: right}), test).reps
        assert len(reps) == 2
        for n, rep in enumerate(reps):
            at = {name: times[n] for name, times in scene.events.items()}
            assert rep.events["start"] == pytest.approx(at["start"], abs=0.02)
            if test == "jump":
                continue
            phases = [rep.values[name, Side.NONE] for name in ("unweighting", "braking", "propulsion")]
            assert sum(phases) == pytest.approx(at["end"] - at["start"], abs=0.03)
            assert phases[2] == pytest.approx(at["end"] - at["bottom"], abs=0.03)
            assert rep.events["start"] + phases[0] == pytest.approx(rep.events["braking"]) and phases[1] > 0.1


@pytest.mark.parametrize("heavy", LEGS)
def test_uneven_standing_and_a_drift_are_questioned_by_side(heavy):
    force = {heavy: np.full(12000, 0.65 * 700), heavy.other: np.full(12000, 0.35 * 700)}
    told = " ".join(read("quiet-stance", force).warnings)
    assert f"65 % is on the {heavy.value} plate" in told and "a plate drifts" not in told
    drift = line((0, 350), (4, 350), (12, 440))
    told = " ".join(read("quiet-stance", {heavy: drift, heavy.other: np.full(12000, 350.0)}).warnings)
    assert "700 N at first" in told and "a plate drifts" in told


def test_of_two_stands_on_one_leg_the_longer_is_read():
    own = line((0, 0), (1, 0), (1.1, 700), (8, 700), (8.1, 0), (10, 0), (10.1, 700), (22, 700), (22.1, 0), (24, 0))
    [rep] = read("stance-one-leg", {LEFT: own}, LEFT).reps
    assert rep.values["held", LEFT] == pytest.approx(11.0, abs=0.2) and rep.events["start"] == pytest.approx(
        11, abs=0.2
    )


@pytest.mark.parametrize("part", [0.3, 0.5, -0.35])
def test_the_clip_is_placed_between_the_steps_of_the_search(part):
    """The clip tells the very height that the plates tell, so that nothing but the search can be off."""
    left, right = heard(plates.squats(SimulatedPerson(mass_kg=70), 2), Faults(), np.random.default_rng(5))
    recording = Recording(RATE, {LEFT: left, RIGHT: right})
    moved = motion(recording, weigh(recording))
    began = 0.5 + part / GRID_HZ
    times = np.arange(0, recording.times[-1] - 1.0, 1 / 60)
    clip = np.interp(times + began, recording.times, moved.height)
    found = align(recording, times, clip)
    assert found.offset == pytest.approx(began, abs=0.1 / GRID_HZ)


def test_the_point_of_pressure_is_smoothed_at_ten_hertz_and_told_about_its_mean():
    t = np.arange(0, 20, 1 / RATE)
    force = {leg: np.full(t.size, 350.0) for leg in LEGS}
    point = np.stack([40 + 6 * np.sin(2 * np.pi * 10 * t), 25 + 6 * np.sin(2 * np.pi * 0.5 * t)], axis=1)
    gap = point.copy()
    gap[3000:3300] = np.nan
    made = [pressure_path(Recording(RATE, force, point=dict.fromkeys(LEGS, p)), LEFT) for p in (point, gap)]
    for found in made:
        tone, slow = (np.ptp(found[6000:14000, k]) / 2 for k in (0, 1))
        assert tone == pytest.approx(3, abs=0.02) and slow == pytest.approx(6, rel=0.01), (
            "half at the edge, twice filtered"
        )
        assert np.abs(found.mean(axis=0)).max() < 1e-9
    gap[3000:3500] = np.nan
    lost = pressure_path(Recording(RATE, force, point=dict.fromkeys(LEGS, gap)), LEFT)
    assert isinstance(lost, NotMeasured) and lost.reason == "point-lost"


def test_the_pattern_counts_each_verdict_once_and_names_the_side_that_most_point_to():
    [iso] = [test for test in TESTS.values() if test.id == "lunge-iso"]
    whole = compare_sides(load().measures["lunge-iso-peak"], *(
        Observation("lunge-iso-peak", leg, 500.0, np.full(3, 500.0), "mean") for leg in LEGS))  # fmt: skip

    def told(**words: list[tuple[VerdictWord, float]]) -> str:
        made = {way: [replace(whole, verdict=replace(whole.verdict, word=w, d=d)) for w, d in given]
                for way, given in words.items()}  # fmt: skip
        rates = made.get("rate", [None] * len(made["force"]))
        return sentence([PatternRow(iso, f, r) for f, r in zip(made["force"], rates, strict=True)])

    right, left, even, open_ = (
        (VerdictWord.MARKED, 30.0),
        (VerdictWord.NOTABLE, -20.0),
        (VerdictWord.IN_TUNE, 2.0),
        (VerdictWord.CANNOT_TELL, -9.0),
    )
    assert told(force=[right, right, left, even, open_]) == (
        "More force left in 1 of 5 tests, more force right in 2 of 5 tests, 1 in tune, 1 cannot tell: "
        "no pattern beyond the error."), "two of three is not more than two thirds"  # fmt: skip
    assert told(force=[right, right, even, even, open_]).endswith(
        "1 cannot tell: the right leg pushes harder; neither leg develops force faster beyond the error."
    )
    assert told(force=[even, even], rate=[left, left]).endswith(
        "in 2 of 2 tests: the left leg develops force faster; neither leg pushes harder beyond the error."
    )
    assert told(force=[left, left], rate=[left, left]).endswith("the left leg pushes harder and develops force faster.")
    assert told(force=[right]).endswith("no pattern beyond the error."), "one test is no pattern"
