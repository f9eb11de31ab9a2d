"""Readings of the plates against force that is written down piece by piece: no generator, no tolerance to hide in."""

import numpy as np
import pytest
from forces import ERRORS, LEFT, RATE, RIGHT, line, read
from hypothesis import given
from hypothesis import strategies as st
from scipy.ndimage import gaussian_filter1d

from tuning.core.errors import BadInput
from tuning.core.force.analysis import analyse
from tuning.core.force.clip_sync import _vertex
from tuning.core.force.force_observations import RATE_OF, every_formula, observations
from tuning.core.force.live import BLIND, EVERY, FADING, RepCounter, RingBuffer, beam_shown, score
from tuning.core.force.onset import Baseline, find_onset, impulses, quiet_before, rates
from tuning.core.force.plate_tests import TESTS, UNITS, Analysis, Rep
from tuning.core.force.recording import Recording, low_passed
from tuning.core.types import LEGS, NotMeasured, Setup, Side, TraceRef
from tuning.demo import simulated_plates as plates
from tuning.demo.simulated_plates import Faults, SimulatedPerson, heard

# on and off

STEP = ((0, 0), (1.0, 0), (1.06, 900), (1.2, 900), (1.3, 500), (1.5, 500), (1.65, 800), (1.8, 0), (3.0, 0))


def test_a_contact_is_read_from_landing_to_push_off():
    found = read("lunge-fast", {LEFT: line(*STEP)}, LEFT)
    [rep] = found.reps
    get = lambda name: rep.values[name, LEFT]  # noqa: E731
    on, off = 1.0 + 0.06 * 20 / 900, 1.8 - 0.15 * 20 / 800
    assert get("contact") == pytest.approx(off - on, abs=0.006) and get("peak") == pytest.approx(900, rel=0.01)
    assert rep.events["start"] == pytest.approx(on, abs=0.005) and rep.events["end"] == pytest.approx(off, abs=0.005)
    assert get("loading-rate") == pytest.approx(900 / 0.06, rel=0.1)
    assert get("rise-rate") == pytest.approx((900 - 20) / (rep.events["peak"] - rep.events["start"]), rel=0.02)
    braking = 0.5 * 900 * 0.06 + 900 * 0.14 + 700 * 0.1
    push = 650 * 0.15 + 0.5 * 800 * 0.15
    assert get("impulse-braking") + get("impulse-push") == pytest.approx(braking + 500 * 0.2 + push, rel=0.01)
    # The valley lies somewhere on the flat 500 N: each side has its own part of it.
    assert braking - 2 <= get("impulse-braking") <= braking + 100 + 2
    assert get("push-off") == pytest.approx(off - 1.3 - (get("impulse-braking") - braking) / 500, abs=0.02)
    assert "velocity" in found.not_measured and rep.events["start"] < rep.events["peak"] < rep.events["end"]


def test_contacts_that_are_cut_or_too_short_are_left_out_and_the_rest_numbered():
    touch = ((2.4, 0), (2.42, 400), (2.5, 400), (2.52, 0))
    more = ((2.9, 0), (2.96, 700), (3.3, 700), (3.4, 0), (4.0, 0))
    found = read("lunge-fast", {RIGHT: line(*STEP[:-1], *touch, *more)}, RIGHT)
    assert [rep.number for rep in found.reps] == [1, 2]
    assert [round(rep.events["start"], 1) for rep in found.reps] == [1.0, 2.9]
    standing = ((0, 600), (0.5, 600), (0.6, 0))
    cut = read("lunge-fast", {RIGHT: line(*standing, *STEP[1:-1], (2.5, 0), (2.6, 600), (3.2, 600))}, RIGHT)
    assert len(cut.reps) == 1, "neither the stand that was there nor the one that goes on"
    flat = read("lunge-fast", {LEFT: line((0, 0), (1, 0), (1.05, 700), (1.5, 700), (1.55, 0), (3, 0))}, LEFT)
    assert "no valley" in flat.not_measured["braking and push-off impulse"]
    assert ("impulse-push", LEFT) not in flat.reps[0].values


# from a still start


def pushes(*starts, slope=1500.0, top=600.0, base=100.0, hold=2.0, seconds=12.0, noise=0.5, seed=0):
    corners = [(0.0, base)]
    for start in starts:
        up = start + top / slope
        corners += [(start, base), (up, base + top), (up + hold, base + top), (up + hold + 0.2, base)]
    return line(*corners, (seconds, base), noise=noise, seed=seed)


@pytest.mark.parametrize("slope", [1000.0, 1500.0, 2200.0])
def test_a_straight_rise_gives_its_slope_in_every_window_and_half_a_square_of_impulse(slope):
    found = read("lunge-iso", {LEFT: pushes(3.0, slope=slope)}, LEFT)
    [rep] = found.reps
    for window in (50, 100, 150, 200, 250):
        s = window / 1000
        assert rep.values[f"rate-{window}", LEFT] == pytest.approx(slope, rel=0.12), window
        assert rep.values[f"impulse-{window}", LEFT] == pytest.approx(slope * s * s / 2, rel=0.15, abs=0.4)
    assert rep.values["rate-best20", LEFT] == pytest.approx(slope, rel=0.1)
    assert rep.events["onset"] == pytest.approx(3.0, abs=0.006)
    assert rep.values["peak", LEFT] == pytest.approx(700, rel=0.01)
    assert rep.values["peak-net", LEFT] == pytest.approx(600, rel=0.01)
    end = 3.0 + 600 / slope + 2.0 + 0.2
    assert rep.events["end"] == pytest.approx(end, abs=0.02)
    assert rep.values["duration", Side.NONE] == pytest.approx(end - 3.0, abs=0.02)


@pytest.mark.parametrize("noise", [0.0, 2.0, 5.0])
def test_the_steepest_20_ms_are_those_of_the_push_and_not_of_its_noise(noise):
    """A long straight rise has no steepest part: all that a maximum finds above its slope is noise."""
    slope = 1500.0
    found = [
        read("lunge-iso", {LEFT: pushes(3.0, slope=slope, noise=noise, seed=seed)}, LEFT).reps[0].values
        for seed in range(12)
    ]
    off = np.array([values["rate-best20", LEFT] / slope - 1 for values in found])
    assert abs(off.mean()) < 0.02 and off.std() < 0.025 * max(noise, 1)


def test_windows_that_the_rise_does_not_fill_are_left_out():
    force = line((0, 0), (0.12, 600), (1, 600))
    assert set(rates(force, 0, RATE, 120)) == {"rate-50", "rate-100"}
    assert rates(force, 0, RATE, 120)["rate-100"] == pytest.approx(5000)
    assert set(impulses(force, 0.0, 0, RATE, 150)) == {"impulse-50", "impulse-100", "impulse-150"}
    assert impulses(force, 0.0, 0, RATE, 150)["impulse-100"] == pytest.approx(0.5 * 500 * 0.1, rel=0.01)
    assert impulses(force, 100.0, 0, RATE, 150)["impulse-50"] == pytest.approx((125 - 100) * 0.05, abs=0.05)


def test_pushes_are_told_apart_by_a_pause_and_joined_over_a_waver():
    force = pushes(2.0, 7.0)
    assert len(read("lunge-iso", {LEFT: force}, LEFT).reps) == 2
    wavers = force.copy()
    wavers[3000:3150] = 150.0  # let go for 0.15 s in the middle of the first
    assert len(read("lunge-iso", {LEFT: wavers}, LEFT).reps) == 2
    blip = pushes(2.0)
    blip[8000:8060] += 500.0
    assert len(read("lunge-iso", {LEFT: blip}, LEFT).reps) == 1, "a knock is no effort"
    still = line((0, 300), (8, 300), noise=1.0)
    nothing = read("lunge-iso", {LEFT: still}, LEFT)
    assert not nothing.reps and nothing.warnings[-1] == "No repetition was found."


def test_an_unsteady_start_costs_the_rates_and_says_so():
    force = pushes(3.0, noise=0.5)
    force[:3000] += 60 * np.sin(np.arange(3000) / 40)
    found = read("lunge-iso", {LEFT: force}, LEFT)
    assert any("no still start" in text for text in found.warnings)
    assert all(not any(name.startswith("rate") for name, _ in rep.values) for rep in found.reps)


@pytest.mark.parametrize("noise", [1.0, 4.0])
@pytest.mark.parametrize("shape", ["held", "round", "sharp"])
def test_a_peak_is_neither_raised_by_noise_nor_lowered_where_there_is_little(shape, noise):
    """The highest of many noisy samples lies above them all; of few it hardly does."""
    t = np.arange(0, 3, 1 / RATE)
    hump = {"held": np.clip(4 * (t - 0.5), 0, 1) * np.clip(4 * (2.6 - t), 0, 1),
            "round": np.exp(-(((t - 1.5) / 0.2) ** 2)), "sharp": np.exp(-(((t - 1.5) / 0.02) ** 2))}[shape]  # fmt: skip
    clean = low_passed(400 + 500 * hump, RATE).max()
    rng, off, raw = np.random.default_rng(4), [], []
    for _ in range(30):
        recording = Recording(RATE, {LEFT: 400 + 500 * hump + rng.normal(0, noise, t.size)})
        at, height = recording.peak(LEFT, 0, t.size - 1)
        off.append(height - clean)
        raw.append(recording.smooth(LEFT)[at] - clean)
    assert abs(np.mean(off)) < 0.35 * noise and np.std(off) < 0.7 * noise
    assert np.mean(raw) > 0.9 * noise or shape != "held", "what is taken off is there"


@pytest.mark.parametrize("late", LEGS)
def test_two_legs_share_the_peak_and_the_later_one_has_the_delay(late):
    weight = {side: line((0, 350), (3, 350), (10, 350), noise=0.3, seed=n) for n, side in enumerate(LEGS)}
    push = {side: pushes(3.08 if side is late else 3.0, top=500.0 if side is RIGHT else 300.0, base=0.0, seconds=10.0,
                         noise=0.0) for side in LEGS}  # fmt: skip
    found = read("squat-iso", {side: weight[side] + push[side] for side in LEGS})
    [rep] = found.reps
    assert rep.values["share", Side.NONE] == pytest.approx(100 * 850 / 1500, abs=0.3)
    assert rep.values["delay", late] == pytest.approx(80, abs=8)
    assert rep.values["delay", late.other] == pytest.approx(0, abs=8)
    for side, top in ((RIGHT, 500), (LEFT, 300)):
        assert rep.values["peak-net", side] == pytest.approx(top, rel=0.02)
        assert rep.values["peak-bw", side] == pytest.approx((350 + top) / 700, rel=0.02)
    assert rep.values["peak", Side.BOTH] == pytest.approx(1500, rel=0.01)


@pytest.mark.parametrize("late", LEGS)
def test_rates_from_a_leg_s_own_onset_do_not_blame_it_for_its_delay(late):
    """Both legs rise by 1500 N/s; the one that begins 80 ms later has risen for 20 ms only at 100 ms of the other."""
    force = {side: line((0, 350), (3, 350), (10, 350), noise=0.2, seed=n)
             + pushes(3.08 if side is late else 3.0, top=600.0, base=0.0, seconds=10.0, noise=0.0)
             for n, side in enumerate(LEGS)}  # fmt: skip
    [rep] = read("squat-iso", force).reps
    assert rep.values["rate-100", late] < 600 < 1300 < rep.values["rate-100", late.other]
    for side in LEGS:
        for window in (100, 200):
            assert rep.values[f"own-rate-{window}", side] == pytest.approx(1500, rel=0.08), (side, window)
        assert ("own-rate-best20", side) not in rep.values
    [one] = read("lunge-iso", {late: force[late]}, late).reps
    assert not any(name.startswith("own-") for name, _ in one.values), "a leg alone has one onset"


def test_the_quiet_is_the_stillest_half_second_before():
    force = line((0, 100), (2, 100), noise=0.2)
    force[:1300] += 30 * np.sin(np.arange(1300) / 9)
    found = quiet_before(force, 2000, RATE)
    assert found.mean == pytest.approx(100, abs=0.1) and found.sd < 0.4
    assert isinstance(quiet_before(force, 400, RATE), NotMeasured)


def test_a_fall_is_an_onset_unless_only_a_rise_is_wanted():
    down = line((0, 700), (1, 700), (1.2, 400), (1.4, 900), (2, 900), noise=0.3)
    quiet = Baseline(700.0, 0.3)
    assert find_onset(down, quiet, RATE, 0, 1900) == pytest.approx(1000, abs=8)
    rise = find_onset(down, quiet, RATE, 0, 1900, rising=True)
    assert rise == pytest.approx(1200 + 1000 * 0.2 * 300 / 500, abs=10)
    assert find_onset(np.full(2000, 700.0), quiet, RATE, 0, 1900) is None


@pytest.mark.parametrize(("newtons", "found"), [(14.0, False), (16.0, True)])
def test_a_rise_counts_from_five_times_the_spread_of_the_quiet_on(newtons, found):
    stairs = line((0, 100), (1, 100), (1.001, 100 + newtons), (2, 100 + newtons))
    for rising in (False, True):
        assert (find_onset(stairs, Baseline(100.0, 3.0), RATE, 0, 1900, rising) is not None) is found


def test_only_a_still_start_gives_rates_and_a_drive_after_a_pause_is_one():
    scenes = {
        "jump": plates.jumps(SimulatedPerson(mass_kg=80), reps=2),
        "squat-pause": plates.squats(SimulatedPerson(mass_kg=80), 2, pause=2.3),
    }
    for test, scene in scenes.items():
        left, right = heard(scene, Faults(), np.random.default_rng(2))
        reps = analyse(Recording(RATE, {LEFT: left, RIGHT: right}), test).reps
        assert len(reps) == 2
        for rep in reps:
            assert (("rate-100", LEFT) in rep.values) is (test == "squat-pause")
            if test == "squat-pause":
                braking = rep.events["bottom"] - rep.values["braking", Side.NONE]
                assert 0.05 < rep.values["braking", Side.NONE] < 1.0
                assert braking == pytest.approx(rep.events["braking"], abs=0.01)


# what is kept


def test_values_that_are_no_numbers_are_not_kept_and_means_hold_all_that_are():
    found = Analysis(TESTS["squat-iso"], Side.NONE, NotMeasured("x", "y"))
    for n, v in enumerate((100.0, np.nan, 104.0, np.inf, 96.0), 1):
        rep = Rep(n)
        rep.add_value("peak", LEFT, v)
        found.reps.append(rep)
    assert found.trials("peak", LEFT).tolist() == [100.0, 104.0, 96.0]
    assert found.summary("peak", LEFT) == (100.0, pytest.approx(4.0), 104.0, 3) and found.summary("peak", RIGHT) is None
    found.reps = found.reps[:1]
    assert found.summary("peak", LEFT) == (100.0, 0.0, 100.0, 1)


def test_every_test_has_a_name_and_its_legs_and_every_metric_a_unit():
    assert {key: test.legs for key, test in TESTS.items()} == {
        "quiet-stance": 2, "squat-fast": 2, "squat-pause": 2, "squat-iso": 2, "lunge-iso": 1, "lunge-fast": 1,
        "lunge-pause": 1, "calf-raise": 1, "jump": 2, "stance-one-leg": 1,
    }  # fmt: skip
    assert all(test.id == key and len(test.name) > 3 for key, test in TESTS.items())
    assert UNITS["rate-50"] == "N/s" and UNITS["impulse-50"] == "Ns" and UNITS["share"] == "%"


def test_a_missing_leg_an_unknown_test_and_one_plate_are_refused_in_words():
    force = line((0, 300), (5, 300), noise=1)
    for test, legs, side, words in (
        ("hop", LEGS, Side.NONE, "no test on the plates"),
        ("squat-iso", (LEFT,), Side.NONE, "both plates"),
        ("lunge-iso", LEGS, Side.NONE, "Say which leg"),
        ("lunge-iso", (LEFT,), RIGHT, "Say which leg"),
    ):
        with pytest.raises(BadInput, match=words):
            read(test, dict.fromkeys(legs, force), side)
    assert read("lunge-iso", {LEFT: force}).side is LEFT, "one plate alone is the leg"
    swapped = read("lunge-iso", {LEFT: 0 * force + 5, RIGHT: pushes(2.0, seconds=5.0)[: force.size]}, LEFT)
    assert any("right plate carries the load" in text for text in swapped.warnings)


# as it comes


@given(st.lists(st.integers(1, 40), min_size=1, max_size=12), st.integers(2, 30))
def test_the_rolling_buffer_holds_the_newest_in_order(parts, seconds):
    kept = RingBuffer(10.0, seconds / 10 + 0.5)
    size, seen = round(10 * (seconds / 10 + 0.5)), []
    for n, part in enumerate(parts):
        new = np.stack([np.arange(part) + 100 * n, -np.arange(part) - 100.0 * n], axis=1)
        seen += new.tolist()
        kept.add(new)
    assert kept.count == len(seen)
    for back in (0.3, 1.0, 99.0):
        assert kept.last(back).tolist() == seen[len(seen) - min(round(back * 10), size, len(seen)) :]


def test_the_envelope_holds_least_and_greatest_of_each_column():
    kept = RingBuffer(100.0, 1.0)
    assert np.isnan(kept.envelope(10)).all() and kept.share() is None
    samples = np.random.default_rng(2).uniform(0, 500, (130, 2))
    kept.add(samples[:70])
    kept.add(samples[70:])
    blocks = samples[30:].reshape(10, 10, 2)
    assert np.allclose(kept.envelope(10), np.stack([blocks.min(axis=1), blocks.max(axis=1)], axis=2))
    both = blocks.sum(axis=2)
    assert np.allclose(kept.envelope(10, together=True)[:, 0], np.stack([both.min(axis=1), both.max(axis=1)], axis=1))


def test_the_share_is_that_of_the_newest_moment_with_a_person_on():
    kept = RingBuffer(1000.0, 2.0)
    kept.add(np.tile([500.0, 100.0], (1000, 1)))
    kept.add(np.tile([300.0, 500.0], (150, 1)))
    assert kept.share() == pytest.approx(62.5)
    kept.add(np.full((10, 2), np.nan))
    assert kept.share() == pytest.approx(62.5), "lost samples are left out"
    kept.add(np.tile([50.0, 50.0], (200, 1)))
    assert kept.share() is None, "100 N is nobody"


def test_the_beam_fades_and_only_what_was_blind_is_scored():
    lit = {stage: [n for n in range(1, 10) if beam_shown(stage, n)] for stage in (*FADING, BLIND)}
    assert lit == {
        "every repetition": list(range(1, 10)), "every second": [1, 3, 5, 7, 9], "every fourth": [1, 5, 9],
        "none": [], "blind check": [],
    }  # fmt: skip
    assert set(EVERY) == set(FADING)
    found = score(np.array([48.0, 53.0, 56.0]), 5.0, ERRORS)
    assert (found.mean, found.inside, found.count) == (pytest.approx(157 / 3), 2, 3)
    assert found.off == pytest.approx((2 + 3 + 6) / 3) and found.error > 0 and score(np.empty(0), 5.0, ERRORS) is None
    assert score(np.array([55.0, 45.0, 55.1]), 5.0, ERRORS).inside == 2, "the edge belongs to the band"


def squats(count, low=0.8, high=1.2, weight=700.0):
    """Total force of squats that stand still for half a second after each."""
    part = [np.full(500, 1.0)]
    for _ in range(count):
        part += [np.full(300, low), np.full(300, high), np.full(500, 1.0)]
    total = weight * np.concatenate(part)
    return np.stack([total / 2, total / 2], axis=1)


def test_squats_are_counted_when_they_come_to_rest_and_halves_are_not():
    whole = RepCounter(700.0, 1000.0)
    assert whole.add(squats(3)) == 3 == whole.count
    piecewise = RepCounter(700.0, 1000.0)
    assert sum(piecewise.add(part) for part in np.array_split(squats(3), 37)) == 3 == piecewise.count
    for low, high in ((0.95, 1.2), (0.8, 1.04)):
        assert RepCounter(700.0, 1000.0).add(squats(2, low, high)) == 0, "too shallow to be a squat"
    assert RepCounter(700.0, 1000.0).add(squats(2, 0.92, 1.06)) == 2, "just deep and high enough"
    for rest, counted in ((230, 0), (290, 1)):
        assert RepCounter(700.0, 1000.0).add(squats(1)[: 1100 + rest]) == counted, "a quarter of a second at rest"
    for sway, counted in ((0.03, 1), (0.05, 0)):
        uneasy = squats(1)
        uneasy[1100:] *= 1 + sway
        assert RepCounter(700.0, 1000.0).add(uneasy) == counted, "within four hundredths of the weight is rest"


# which leg a value is of, and what an observation holds


def told_of(test: str, side: Side, *reps: dict) -> Analysis:
    """An analysis with these values by repetition."""
    found = Analysis(TESTS[test], side, NotMeasured("none", "not weighed"))
    for n, values in enumerate(reps, start=1):
        rep = Rep(n)
        for (name, leg), value in values.items():
            rep.add_value(name, leg, value)
        found.reps.append(rep)
    return found


@pytest.mark.parametrize("leg", LEGS)
def test_a_one_leg_recording_is_of_its_leg_and_holds_where_it_comes_from(leg):
    rate = "rfd-200"
    found = told_of("lunge-iso", leg, {("peak", leg): 500.0, (rate, leg): 2000.0}, {("peak", leg): 540.0})
    found.warnings += ["short", "noisy"]
    found.filter_words = "low-pass 50 Hz"
    kept = TraceRef(recording="abc", source="CSV", filter="before")
    seen = observations(found, kept, Setup(shoes="bare"), "pain-free")
    force = seen[0]
    assert (force.measure_id, force.side, force.value, list(force.trials)) == ("lunge-iso-peak", leg, 520.0, [500, 540])
    assert (force.summary_rule, force.method, force.quality_reason) == ("mean", "plates", "short; noisy")
    assert (force.setup.shoes, force.reason) == ("bare", "pain-free")
    assert force.evidence == TraceRef(recording="abc", source="CSV", test="lunge-iso", filter="low-pass 50 Hz")
    assert {one.side for one in seen} == {leg} and all(one.trials.size for one in seen)


def test_two_legs_are_told_by_their_right_share_and_one_leg_by_both_recordings():
    both = told_of("squat-iso", Side.NONE, {("peak", LEFT): 400.0, ("peak", RIGHT): 600.0, ("share", Side.NONE): 60.0})
    [share] = observations(both, TraceRef())
    assert (share.measure_id, share.side, share.value) == ("squat-iso-share", Side.NONE, 60.0)
    rows = dict(every_formula(both, None))
    assert {name: value for name, _, value in rows["peak"]}["Right share"] == pytest.approx(60.0)
    left = told_of("lunge-iso", LEFT, {("peak", LEFT): 300.0, ("peak", RIGHT): 999.0})
    right = told_of("lunge-iso", RIGHT, {("peak", RIGHT): 700.0, ("peak", LEFT): 999.0})
    for found, other in ((left, right), (right, left)):
        told = {name: value for name, _, value in dict(every_formula(found, other))["peak"]}
        assert told["Right share"] == pytest.approx(70.0), "each leg from its own recording"
    assert every_formula(left, None) == []
    stand = {("peak", s): 350.0 for s in LEGS}
    rate = RATE_OF[TESTS["squat-iso"].kind]
    fast = {**stand, **{(rate, s): 900.0 for s in LEGS}}
    assert [what for what, _ in every_formula(told_of("quiet-stance", Side.NONE, fast), None)] == ["peak"]
    assert [what for what, _ in every_formula(told_of("squat-iso", Side.NONE, fast), None)] == ["peak", rate]


@given(st.floats(12.0, 40.0), st.floats(0.2, 0.8))
def test_a_stand_on_one_leg_lasts_as_long_as_the_leg_carries_less_a_second_of_settling(seconds, ramp):
    """Feet on both plates, then all on the right one, then both again."""
    own = line((0, 400), (2, 400), (2 + ramp, 800), (2 + ramp + seconds, 800), (2 + 2 * ramp + seconds, 400),
               (5 + 2 * ramp + seconds, 400))  # fmt: skip
    found = read("stance-one-leg", {RIGHT: own, LEFT: 800 - own}, RIGHT)
    [rep] = found.reps
    held = rep.values["held", RIGHT]
    assert held == pytest.approx(seconds - 1.0, abs=2 * ramp)
    assert rep.events["end"] - rep.events["start"] == pytest.approx(held)
    assert any("compare stands of equal length" in w for w in found.warnings) == (held < 19.0)


@pytest.mark.parametrize(("seconds", "is_read"), [(5.7, False), (6.5, True)])
def test_a_stand_of_less_than_five_seconds_is_none(seconds, is_read):
    own = line((0, 400), (2, 400), (2.1, 800), (2.1 + seconds, 800), (2.2 + seconds, 400), (6 + seconds, 400))
    found = read("stance-one-leg", {LEFT: own, RIGHT: 800 - own}, LEFT)
    assert bool(found.reps) is is_read
    assert (f"for {seconds - 1:.1f} s only" in " ".join(found.warnings)) is not is_read


@pytest.mark.parametrize(
    ("kg", "known", "words"),
    [(70, 75.5, ""), (70, 76.5, "were known before"), (70, 64.5, "were known before"), (70, 65.5, ""),
     (31, None, ""), (29, None, "no adult"), (249, None, ""), (251, None, "no adult")],
)  # fmt: skip
def test_a_weight_that_is_not_the_known_one_or_no_adult_s_is_questioned(kg, known, words):
    force = kg * 9.80665 / 2 + np.zeros(8000)
    found = read("quiet-stance", {LEFT: force, RIGHT: force}, mass=known)
    told = " ".join(w for w in found.warnings if "The plates weigh" in w)
    assert words in told and bool(told) is bool(words) and found.weight.mass_kg == pytest.approx(kg)


def test_only_quiet_standing_tells_whether_a_plate_was_not_at_zero():
    """Somebody who steps on with one foot first, and then stands still on both, gives no reason to doubt."""
    t = np.arange(0, 8, 1 / RATE)
    on, sway = 300 + 400 * np.clip(t / 1.5, 0, 1), 40 * np.sin(2 * np.pi * 2 * t) * (t < 5)
    for at_rest, doubted in ((0.5, False), (0.75, True)):
        share = np.where(t < 5, 0.9, at_rest)
        found = read("quiet-stance", {LEFT: (on + sway) * share, RIGHT: (on + sway) * (1 - share)})
        assert any("75 % is on the left plate" in w for w in found.warnings) is doubted, found.warnings
        assert doubted or not any("is on the" in w for w in found.warnings)


def test_a_bounce_at_the_bottom_is_no_squat_of_its_own_and_a_second_squat_is():
    t = np.arange(0, 9, 1 / RATE)
    down = 0.3 * sum(np.clip((t - a) / 0.7, 0, 1) - np.clip((t - a - 1.7) / 0.7, 0, 1) for a in (2.0, 5.2))
    bounce = 0.07 * np.exp(-(((t - 3.2) / 0.15) ** 2))
    height = gaussian_filter1d(bounce - down, 110)
    total = 70 * (9.80665 + np.gradient(np.gradient(height, t), t))
    found = read("squat-fast", {LEFT: total / 2, RIGHT: total / 2})
    assert [rep.number for rep in found.reps] == [1, 2]


def test_the_top_of_three_neighbours_lies_between_them():
    for top in (-0.4, 0.0, 0.3):
        assert _vertex(-((np.arange(-1.0, 2.0) - top) ** 2), 1) == pytest.approx(top)
    assert _vertex(np.array([1.0, 1.0, 1.0]), 1) == 0


def test_where_nobody_stands_still_the_known_mass_is_the_weight():
    restless = 350 + 60 * np.sin(2 * np.pi * 1.3 * np.arange(8000) / RATE)
    found = read("squat-fast", {LEFT: restless, RIGHT: restless}, mass=72.0)
    assert found.weight.newtons == pytest.approx(72.0 * 9.80665, rel=1e-9)
