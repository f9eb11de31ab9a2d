"""Smoothing, gaps, steps, repetitions: against closed forms and the generator's own times."""

from dataclasses import replace
from functools import lru_cache

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tuning.core.judging.verdict import Z95
from tuning.core.movement.gait import Stances, find_stances, gait_of, steps_of, stride_time
from tuning.core.movement.repetitions import find_repetitions
from tuning.core.signals import derivative, fill_gaps, lowpass
from tuning.core.types import LEGS, NotMeasured, Side
from tuning.demo.camera import PinholeCamera
from tuning.demo.mannequin import build
from tuning.demo.motions import Runner, Stepper, Walker, running, stepping_down, walking

T = np.arange(0, 4, 1 / 100)


@pytest.mark.parametrize("hz", [1.0, 3.0, 6.0, 9.0, 14.0])
def test_the_smoothing_is_the_fourth_order_filter_that_it_claims(hz):
    """Squared gain of two second-order passes: 1 / (1 + (f/fc')^4)^2, half power at the cut-off of 6 Hz."""
    one_pass = 6.0 / (np.sqrt(2) - 1) ** 0.25
    warp = np.tan(np.pi * hz / 100) / np.tan(np.pi * one_pass / 100)
    gain = 1 / (1 + warp**4)
    out = lowpass(np.sin(2 * np.pi * hz * T), T, 6.0)
    middle = slice(100, 300)
    wave = np.stack([np.sin(2 * np.pi * hz * T), np.cos(2 * np.pi * hz * T)], axis=1)[middle]
    (a, b), *_ = np.linalg.lstsq(wave, out[middle], rcond=None)
    assert a == pytest.approx(gain, abs=0.01) and b == pytest.approx(0, abs=0.01), "zero lag"


@given(st.floats(-50, 50), st.floats(-20, 20), st.floats(1, 20))
@settings(max_examples=40)
def test_a_straight_line_passes_unchanged_even_with_uneven_stamps(a, b, cutoff):
    times = T + 0.003 * np.sin(np.arange(T.size))
    line = a + b * times
    assert lowpass(line, times, cutoff) == pytest.approx(line, abs=0.02 + 0.01 * abs(b))
    assert derivative(line, times) == pytest.approx(np.full(T.size, b), abs=1e-6)


def test_gaps_are_filled_inside_up_to_a_limit_and_never_at_the_ends():
    wave = np.sin(2 * np.pi * T)
    holed = wave.copy()
    holed[:5] = holed[50:65] = holed[200:260] = holed[-3:] = np.nan
    filled = fill_gaps(holed, T, 0.25)
    assert filled[50:65] == pytest.approx(wave[50:65], abs=0.02)
    assert np.isnan(filled[:5]).all() and np.isnan(filled[-3:]).all() and np.isnan(filled[200:260]).all()
    smooth = lowpass(filled, T, 6)
    assert np.isfinite(smooth[5:200]).all() and np.isnan(smooth[200:260]).all()
    with pytest.raises(ValueError, match="above zero"):
        lowpass(wave, T, 0)


@lru_cache
def seen_from_behind(walker, fps):
    motion = running if isinstance(walker, Runner) else walking
    seen = [build(motion(walker, n / fps)).projected(PinholeCamera("rear")) for n in range(5 * fps)]
    return {name: np.array([frame[name][1] for frame in seen]) for name in seen[0]}


def heights(walker, fps, rng, away_m_s=0.0, forefoot=True):
    """Heights of heels and forefeet on a belt, or of somebody who walks off over a floor."""
    t, seen = np.arange(5 * fps) / fps, seen_from_behind(walker, fps)
    smaller = 3.6 / (3.6 + away_m_s * t)
    return t, [
        {side: 200 + (seen[f"{mark}_{side}"] - 200) * smaller + rng.normal(0, 0.3, t.size)
         if forefoot or mark == "heel" else np.full(t.size, np.nan) for side in LEGS}
        for mark in ("heel", "toe")
    ]  # fmt: skip


def true_stances(walker, side, until):
    contacts = (np.arange(-1, 9) + (0.0 if side is Side.LEFT else 0.5)) * walker.cycle
    return [(c, c + walker.stance * walker.cycle) for c in contacts if c > 0.3 and c + 1.1 * walker.cycle < until]


WALKERS = (Walker(cycle=0.9, step=0.3, toe_out_left=12), Walker(cycle=1.4, step=0.17, stature=1.85),
           Runner(stature=1.6), Runner(cycle=0.8, step=0.24, stance=0.4, recoil=0.2, landing=-12),
           Runner(cycle=0.62, step=0.36, stance=0.31, fold=70, sinking=1.0))  # fmt: skip


@pytest.mark.parametrize(
    ("fps", "forefoot", "away_m_s"),
    [*zip((25, 60, 240) * 2, (True, False) * 3, (0.0, 1.0, 0.0, 1.0, 0.0, 1.0), strict=True)],
)
def test_steps_are_found_by_heels_alone_on_belt_and_floor_each_event_within_its_own_error(fps, forefoot, away_m_s):
    rng, gaps = np.random.default_rng(11), []
    for walker in WALKERS:
        t, (heels, toes) = heights(walker, fps, rng, away_m_s, forefoot)
        found = find_stances(heels, toes, t)
        assert isinstance(found, Stances) and set(found.left_out.values()) == {0}
        told = [s.by for s in found.found if np.isfinite(s.toe_off)]
        assert found.stride == pytest.approx(walker.cycle, abs=0.03)
        for side in LEGS:
            true = true_stances(walker, side, t[-1])
            for contact, off in true:
                near = [s for s in found.found if s.side is side and abs(s.contact - contact) < 0.12]
                assert len(near) == 1, "each step once, under its own foot"
                gaps.append(
                    [(near[0].contact - contact) / near[0].contact_sd, (near[0].toe_off - off) / near[0].toe_off_sd]
                )
            assert len([s for s in found.found if s.side is side]) <= len(true) + 2
        if forefoot is False:
            assert set(told) == {"heel"}
        else:
            assert told.count("forefoot") > 0.5 * len(told)
        kind = "run" if isinstance(walker, Runner) else "walk"
        assert gait_of(steps_of(found.found, found.stride), 1 / fps) in (kind, "")
    assert (np.mean(np.abs(gaps) <= Z95, axis=0) >= 0.9).all(), "contact, toe-off"
    worst = np.max([s.toe_off_sd for s in found.found])
    assert 0.01 < worst < 0.05, "a forefoot tells more than a heel" if forefoot else "of a fast run"


@pytest.mark.parametrize("fps", [30, 60, 120])
@pytest.mark.parametrize(("hover", "height"), [(0.25, 0.02), (0.35, 0.04), (0.45, 0.03), (0.5, 0.06)])
def test_a_heel_that_hovers_before_it_lands_has_landed_where_it_stops_for_good(hover, height, fps):
    """Two falls compete: contact is where the even stretch begins, and the doubt is in its error."""
    off = []
    for walker in (Walker(), Walker(cycle=0.95, step=0.3), Walker(cycle=1.4, step=0.17, stature=1.85)):
        t, (heels, toes) = heights(replace(walker, hover=hover, hover_height=height), fps, np.random.default_rng(1))
        found = find_stances(heels, toes, t)
        for side in LEGS:
            for contact, _ in true_stances(walker, side, t[-1]):
                near = [s for s in found.found if s.side is side and abs(s.contact - contact) < 0.3]
                off += [abs(s.contact - contact) / s.contact_sd for s in near]
    assert len(off) >= 15 and np.mean(np.array(off) <= Z95) >= 0.9 and max(off) < 3


def test_a_step_lies_between_its_own_swings_and_in_the_middle_of_the_other_legs():
    walker = Walker(cycle=1.1)
    t, (heels, toes) = heights(walker, 60, np.random.default_rng(2))
    found = find_stances(heels, toes, t)
    steps = steps_of(found.found, found.stride)
    assert [s.side for s in steps[:4]] in ([Side.LEFT, Side.RIGHT] * 2, [Side.RIGHT, Side.LEFT] * 2)
    for step in (s for s in steps if np.isfinite(s.mid_stance)):
        contact = min((c for c, _ in true_stances(walker, step.side, 9)), key=lambda c: abs(c - step.contact))
        assert step.mid_stance == pytest.approx(contact + walker.stance / 2 * walker.cycle, abs=0.02)
        if np.isfinite(step.swing_end):
            assert step.swing_end == pytest.approx(contact + walker.cycle, abs=0.02)
    assert gait_of([], 1 / 60) == gait_of(steps[:1], 1 / 60) == ""
    mirrored = find_stances({s: heels[s.other] for s in LEGS}, {s: toes[s.other] for s in LEGS}, t)
    assert [(s.side.other, s.contact) for s in mirrored.found] == [(s.side, s.contact) for s in found.found]
    np.testing.assert_equal([s.toe_off for s in mirrored.found], [s.toe_off for s in found.found])


@pytest.mark.parametrize("away_m_s", [0.0, 0.6])
def test_steps_of_uneven_time_are_each_found_where_they_are(away_m_s):
    runner, rng = Runner(), np.random.default_rng(4)
    t, (heels, toes) = heights(runner, 120, rng, away_m_s)
    clock = t + 0.05 * np.sin(2 * np.pi * t / 1.7)  # strides up to 60 ms shorter and longer than the usual
    warped = find_stances(*({s: np.interp(clock, t, y[s]) for s in LEGS} for y in (heels, toes)), t)
    off = [
        min((s.contact - np.interp(c, clock, t) for c, _ in true_stances(runner, s.side, 5.0)), key=abs)
        for s in warped.found if 0.5 < s.contact < 4
    ]  # fmt: skip
    assert len(off) > 7 and np.ptp(off) < 0.02 and np.max(np.abs(off)) < 0.03
    one = warped.found[0]
    assert steps_of([one], 0.72)[0].mid_stance_sd == pytest.approx(np.hypot(one.contact_sd, one.toe_off_sd) / 2)


@pytest.mark.parametrize("side", LEGS)
def test_a_landing_unlike_the_others_is_left_out(side):
    """The mark sits on the other heel for the time of one landing."""
    t, (heels, toes) = heights(Runner(), 60, np.random.default_rng(6))
    contact = true_stances(Runner(), side, 5)[2][0]
    around = (t > contact - 0.12) & (t < contact + 0.12)
    wrong = heels[side].copy()
    wrong[around] = heels[side.other][around]
    found = find_stances({**heels, side: wrong}, toes, t)
    assert found.left_out == {side: 1, side.other: 0}
    assert all(abs(s.contact - contact) > 0.1 for s in found.found if s.side is side)


@pytest.mark.parametrize("side", LEGS)
def test_a_landing_that_was_not_seen_is_left_out_and_counted(side):
    walker = Walker(cycle=1.1)
    t, (heels, toes) = heights(walker, 60, np.random.default_rng(2), forefoot=False)
    contact = true_stances(walker, side, 5)[1][0]
    heels[side][(t > contact - 0.3) & (t < contact + 0.25)] = np.nan
    found = find_stances(heels, toes, t)
    assert found.left_out == {side: 1, side.other: 0}
    assert all(abs(s.contact - contact) > 0.3 for s in found.found if s.side is side)


def test_standing_still_or_noise_has_no_steps():
    rng = np.random.default_rng(2)
    for y in (np.full(300, 500.0), 500 + rng.normal(0, 1, 300), np.linspace(400, 500, 300)):
        found = find_stances(dict.fromkeys(LEGS, y), dict.fromkeys(LEGS, y), np.arange(300) / 60)
        assert isinstance(found, NotMeasured)
    assert isinstance(stride_time(np.full(20, 1.0), np.arange(20) / 60), NotMeasured)


def test_repetitions_are_found_with_their_turning_points():
    who = Stepper("left", repetition=3.2)
    t = np.arange(0, 9.6, 1 / 30)
    y = np.array([build(stepping_down(who, x)).projected(PinholeCamera("front"))["asis_left"][1] for x in t])
    reps = find_repetitions(y, t)
    assert len(reps) == 3
    for k, rep in enumerate(reps):
        start = k * 3.2
        assert rep.start == pytest.approx(start + 0.05 * 3.2, abs=0.2)
        assert rep.turn == pytest.approx(start + 0.5 * 3.2, abs=0.1)
        assert rep.end == pytest.approx(start + 0.95 * 3.2, abs=0.2)
    assert isinstance(find_repetitions(y[:15], t[:15]), NotMeasured)
    assert isinstance(find_repetitions(np.full(200, 300.0), np.arange(200) / 30), NotMeasured)
    # Upside down, a rise and back is the same movement.
    assert [r.turn for r in find_repetitions(-y, t, rising=True)] == pytest.approx([r.turn for r in reps])


def running_heel(times, stride, fall, seed=0):
    """Height of a heel (y down) over running strides that begin at contact, and of its forefoot.

    The heel sinks in mid-swing faster than before contact (`fall` px a second there), and the belt
    carries it on afterwards: where it stops sinking is a bend, not a stop.
    """
    from scipy.interpolate import PchipInterpolator

    top = 0.12 * stride * fall  # what it sinks before contact
    heel = PchipInterpolator(
        np.array([-0.12, 0.0, 0.1, 0.22, 0.3, 0.55, 0.6, 0.68, 0.78, 0.84, 0.88]) * stride,
        np.array([0, top, top + 15, top + 26, top + 18, -45, -50, -44, -4, -1, 0.0]),
    )
    toe = PchipInterpolator(
        np.array([-0.12, 0.0, 0.06, 0.2, 0.36, 0.4, 0.62, 0.74, 0.84, 0.88]) * stride,
        np.array([0, 22, 45, 58, 68, 66, 18, 38, 6, 0.0]),
    )
    phase = (times + 0.12 * stride) % stride - 0.12 * stride
    noise = np.random.default_rng(seed).normal(0, 0.25, (2, times.size))
    return 600 + heel(phase) + noise[0], 600 + toe(phase) + noise[1]


@pytest.mark.parametrize("fps", [50, 60, 120, 240])
@pytest.mark.parametrize("stride", [0.68, 0.78, 0.9])
def test_a_runner_lands_where_the_heel_stops_sinking_and_not_where_it_falls_in_mid_swing(fps, stride):
    t = np.arange(0, 6, 1 / fps)
    y = {side: running_heel(t + shift, stride, 480.0, n)
         for n, (side, shift) in enumerate(zip(LEGS, (0.0, stride / 2), strict=True))}  # fmt: skip
    found = find_stances({s: h for s, (h, _) in y.items()}, {s: f for s, (_, f) in y.items()}, t)
    steps = steps_of(found.found, found.stride)
    assert gait_of(steps, 1 / fps) == "run"
    for side, shift in zip(LEGS, (0.0, stride / 2), strict=True):
        mine = [step for step in steps if step.side is side]
        truth = np.arange(1, 20) * stride - shift
        truth = truth[(truth > 0.6 * stride) & (truth < 6 - 0.9 * stride)]
        assert len(mine) >= len(truth) - 1
        off = [min(step.contact - truth, key=abs) for step in mine if 0.6 * stride < step.contact < truth[-1] + 0.1]
        assert np.max(np.abs(off)) < max(0.03, 1 / fps), side
        # The forefoot turns upward between 0.36 and 0.4 of the stride.
        lifts = [step.toe_off - step.contact for step in mine]
        assert np.median(lifts) == pytest.approx(0.38 * stride, abs=0.06)
