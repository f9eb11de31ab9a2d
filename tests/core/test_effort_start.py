"""Where a push begins, from the quick to the creeping, beside what is known; and what is left out for it."""

import re

import numpy as np
import pytest

from tuning.core.force.analysis import analyse
from tuning.core.force.recording import Recording
from tuning.core.types import LEGS, Side

RATE, START_S = 1000, 3.0


def way(shape, since, seconds):
    """Share of a push so long after its start."""
    s = np.clip(since / seconds, 0, 1)
    return {"line": s, "cosine": (1 - np.cos(np.pi * s)) / 2, "leap": 1 - np.exp(-3 * np.maximum(since, 0) / seconds)}[
        shape
    ]


def pushed(*legs, noise=1.0, sway=0.0, dip=0.0, seed=3):
    """One push of both legs against a bar: (shape, seconds to its top, delay, s) of the left and of the right leg."""
    random, t = np.random.default_rng(seed), np.arange(0, 12, 1 / RATE)
    force = {}
    for leg, (shape, seconds, delay) in zip(LEGS, legs, strict=True):
        push = way(shape, t - START_S - delay, seconds) * (t < 8.5)
        sways = sway * np.sin(2 * np.pi * 0.7 * t + seed)
        falls = dip * np.exp(-(((t - START_S + 0.08) / 0.03) ** 2))
        force[leg] = 350 + 500 * push + sways - falls + random.normal(0, noise, t.size)
    return analyse(Recording(RATE, force), "squat-iso")


@pytest.mark.parametrize("sway", [0.0, 4.0])
@pytest.mark.parametrize("seconds", [0.15, 0.4, 1.0, 3.0])
@pytest.mark.parametrize("shape", ["line", "cosine", "leap"])
def test_a_start_lies_within_its_error_and_rates_that_are_told_hold(shape, seconds, sway):
    """However slowly a push begins, and however the patient sways."""
    for noise, seed in ((0.5, 1), (2.0, 2), (5.0, 3)):
        push = pushed((shape, seconds, 0), (shape, seconds, 0), noise=noise, sway=sway, seed=seed)
        (rep,) = push.reps
        off = 1000 * abs(rep.events["onset"] - START_S)
        assert off <= 1.5 * rep.values["onset-error", Side.NONE] + 1
        for leg in LEGS:
            for window in (50, 100, 200):
                told = rep.values.get((f"rate-{window}", leg))
                true = 500 * float(way(shape, window / 1000, seconds)) / (window / 1000)
                assert told is None or told == pytest.approx(true, rel=0.08)
                left_out = f"rise 0-{window} ms, {leg.value}, repetition 1"
                assert (told is None) == (left_out in push.not_measured)


def test_a_quick_push_keeps_its_early_rates():
    """What leaves its level at once is told from the first 50 ms."""
    (rep,) = pushed(("leap", 0.3, 0), ("leap", 0.3, 0), noise=1.0).reps
    assert all((f"rate-{window}", leg) in rep.values for window in (50, 100, 150, 200, 250) for leg in LEGS)


@pytest.mark.parametrize("slow", LEGS)
def test_a_leg_that_starts_late_is_told_so_by_its_side(slow):
    """Both legs' onset is the first leg's, the other's delay stands beside it; mirrored with the legs."""
    late = {slow: ("line", 0.4, 0.04), slow.other: ("line", 0.25, 0)}
    (rep,) = pushed(late[Side.LEFT], late[Side.RIGHT], noise=0.5).reps
    assert rep.events["onset"] == pytest.approx(START_S, abs=0.003)
    assert rep.values["delay", slow] == pytest.approx(40, abs=3)
    assert rep.values["delay", slow.other] == pytest.approx(0, abs=3)
    assert rep.values["own-rate-200", slow] == pytest.approx(500 / 0.4, rel=0.05)


def test_a_delay_that_is_not_sure_is_left_out_and_named():
    """A leg that creeps into its push has no moment at which it begins."""
    push = pushed(("leap", 0.2, 0), ("cosine", 3.0, 0), noise=2.0)
    assert ("delay", Side.RIGHT) not in push.reps[0].values
    assert "delay of the leg, right, repetition 1" in push.not_measured


def test_a_dip_before_the_push_is_told_and_gives_no_rates():
    """Slack taken up, or a counter-movement: the push has not begun from stillness."""
    push = pushed(("line", 0.3, 0), ("line", 0.3, 0), dip=60.0)
    assert any("falls by" in text and "before the push" in text for text in push.warnings)
    assert not any(name.startswith("rate-") for name, _ in push.reps[0].values)
    assert not any("before the push" in text for text in pushed(("line", 0.3, 0), ("line", 0.3, 0)).warnings)


def test_a_lowering_is_no_repetition_and_moves_no_number():
    """Calf raises: what is left out is named by the numbers of those that are told."""
    t, force = np.arange(0, 20, 1 / RATE), np.full(20 * RATE, 700.0)
    for start in (3.0, 9.0, 15.0):
        force += 250 * (way("cosine", t - start, 0.5) - way("cosine", t - start - 1.2, 0.3))  # up
        force -= 300 * np.exp(-(((t - start - 2.6) / 0.06) ** 2))  # and down: let go, then caught
        force += 250 * (way("line", t - start - 2.65, 0.1) - way("line", t - start - 2.9, 0.2))
    noisy = force + np.random.default_rng(1).normal(0, 2, t.size)
    found = analyse(Recording(RATE, {Side.LEFT: noisy}), "calf-raise", Side.LEFT)
    assert [rep.events["onset"] for rep in found.reps] == pytest.approx([3.0, 9.0, 15.0], abs=0.1)
    assert [rep.number for rep in found.reps] == [1, 2, 3]
    said = [*found.not_measured, *found.warnings]
    assert any("repetitions 1, 2, 3" in text for text in said)
    assert not any("before the push" in text or re.search(r"epetitions? .*[4-9]", text) for text in said)
