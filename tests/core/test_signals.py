"""Smoothing, gaps, steps, repetitions: against closed forms and the generator's own times."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tuning.core.movement.gait import find_steps, gait_of, stride_time
from tuning.core.movement.repetitions import find_repetitions
from tuning.core.signals import derivative, fill_gaps, lowpass
from tuning.core.types import LEGS, NotMeasured, Side
from tuning.demo.camera import Camera
from tuning.demo.mannequin import build
from tuning.demo.motions import STANCE, Stepper, Walker, stepping_down, walking

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


def heights(walker, fps, seconds, rng):
    t = np.arange(round(fps * seconds)) / fps
    seen = [build(walking(walker, x)).projected(Camera("rear")) for x in t]
    return t, {
        stem: {side: np.array([f[f"{stem}_{side}"][1] for f in seen]) + rng.normal(0, 0.12, t.size) for side in LEGS}
        for stem in ("heel", "toe")
    }


def true_times(walker, side, time):
    off = 0.0 if side is Side.LEFT else 0.5
    contact = (round(time / walker.cycle + off) - off) * walker.cycle
    return contact, contact + STANCE * walker.cycle


def test_contact_and_toe_off_lie_within_a_frame_whatever_the_speed():
    rng = np.random.default_rng(11)
    found = 0
    for cycle, step in ((0.85, 0.3), (1.1, 0.23), (1.5, 0.16)):
        walker = Walker(cycle=cycle, step=step, toe_out_left=rng.uniform(3, 15), stature=rng.uniform(1.6, 1.85))
        t, y = heights(walker, 60, 5, rng)
        steps = find_steps(y["heel"], y["toe"], t)
        assert [s.side for s in steps[:4]] in ([Side.LEFT, Side.RIGHT] * 2, [Side.RIGHT, Side.LEFT] * 2)
        for step_found in steps:
            contact, off = true_times(walker, step_found.side, step_found.contact)
            assert abs(step_found.contact - contact) <= 1 / 60 and abs(step_found.toe_off - off) <= 1 / 60
            if np.isfinite(step_found.mid_stance):
                assert step_found.mid_stance == pytest.approx(contact + STANCE / 2 * cycle, abs=0.02)
        found += len(steps)
        assert gait_of(steps, 1 / 60) == "walk"
    assert found > 20 and gait_of([], 1 / 60) == gait_of(steps[:1], 1 / 60) == ""


def test_standing_still_or_noise_has_no_steps():
    rng = np.random.default_rng(2)
    for y in (np.full(300, 500.0), 500 + rng.normal(0, 1, 300), np.linspace(400, 500, 300)):
        found = find_steps(dict.fromkeys(LEGS, y), dict.fromkeys(LEGS, y), np.arange(300) / 60)
        assert isinstance(found, NotMeasured)
    assert isinstance(stride_time(np.full(20, 1.0), np.arange(20) / 60), NotMeasured)


def test_repetitions_are_found_with_their_turning_points():
    who = Stepper("left", repetition=3.2)
    t = np.arange(0, 9.6, 1 / 30)
    y = np.array([build(stepping_down(who, x)).projected(Camera("front"))["asis_left"][1] for x in t])
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
    steps = find_steps({s: h for s, (h, _) in y.items()}, {s: f for s, (_, f) in y.items()}, t)
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
