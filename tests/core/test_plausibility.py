"""What no leg does is questioned, whatever the test; what legs do is not."""

import numpy as np
import pytest
from chance import RANDOM
from scipy.signal import butter, sosfiltfilt

from tuning.core.force.analysis import analyse
from tuning.core.force.plausibility import doubts
from tuning.core.force.recording import Recording
from tuning.core.types import LEGS, Side
from tuning.demo import simulated_plates as plates
from tuning.demo.simulated_plates import Faults, SimulatedPerson, heard

RATE = 1000


def scenes():
    """Fresh people who push, squat and jump."""
    u = RANDOM.uniform
    who = SimulatedPerson(u(55, 95), u(400, 900), u(400, 900), u(0.07, 0.2), u(0.07, 0.2), u(0.38, 0.44))
    return {"push": plates.isometric(who), "squats": plates.squats(who), "jumps": plates.jumps(who)}


def spoiled(damage, one, other):
    """Both plates after something has happened to one of them."""
    half, one, other = one.size // 2, one.copy(), other.copy()
    loaded = RATE // 2
    if damage == "a knock":
        one[half : half + 8] += 900
    elif damage == "zeroed with a person on it":
        one -= one[:500].mean() + 100
    elif damage == "frozen":
        one[loaded : loaded + 300] = one[loaded]
    elif damage == "filled in":
        one[loaded : loaded + 300] = np.linspace(one[loaded], one[loaded + 300], 300)
    elif damage == "cut off":
        one = np.minimum(one, 0.85 * np.percentile(one, 99)) + RANDOM.normal(0, 0.8, one.size)
    elif damage == "cut off and filtered":
        whole = np.minimum(one, 0.85 * np.percentile(one, 99))
        one = sosfiltfilt(butter(4, 60, fs=RATE, output="sos"), whole)
    elif damage == "sides exchanged halfway":
        one[loaded:], other[loaded:] = other[loaded:].copy(), one[loaded:].copy()
    elif damage == "drift":
        one[: RATE // 2], one[-RATE // 2 :] = 2.0, 45.0
    return one, other


DAMAGES = {
    "a knock": "faster than any leg", "zeroed with a person on it": "nobody pulls a plate up", "frozen": "frozen?",
    "filled in": "interpolated", "cut off": "peaks cut off", "cut off and filtered": "peaks cut off",
    "sides exchanged halfway": "sides exchanged", "drift": "it drifts",
}  # fmt: skip


@pytest.mark.parametrize("side", LEGS)
@pytest.mark.parametrize("damage", DAMAGES)
def test_damage_is_questioned_by_its_side_and_whole_recordings_are_not(damage, side):
    for name, scene in scenes().items():
        if (damage.startswith("cut off") and name != "push") or (damage.startswith("sides") and name == "push"):
            continue  # a ceiling below the slow parts of a movement hides nothing, nor do sides that stand alike
        left, right = heard(scene, Faults(), RANDOM)
        force = {Side.LEFT: left, Side.RIGHT: right}
        assert not doubts(force, RATE), name
        force[side], force[side.other] = spoiled(damage, force[side], force[side.other])
        said = [text for text in doubts(force, RATE) if DAMAGES[damage] in text]
        assert said, (name, damage)
        assert damage.startswith("sides") or all(side.value in text for text in said)


@pytest.mark.parametrize(
    ("test_id", "side", "scale", "words"),
    [
        ("squat-iso", Side.NONE, 1 / 9.80665, "kilograms taken for newtons"),
        ("squat-iso", Side.NONE, 1.0, ""), ("lunge-iso", Side.LEFT, 1.0, ""),
        ("lunge-iso", Side.LEFT, 1 / 9.80665, "kilograms taken for newtons"),
    ],
)  # fmt: skip
def test_a_known_mass_tells_kilograms_from_newtons(test_id, side, scale, words):
    who = SimulatedPerson(mass_kg=80, push_left=900, push_right=900)
    scene = plates.isometric(who) if test_id == "squat-iso" else plates.one_leg(who, Side.LEFT)
    left, right = heard(scene, Faults(), np.random.default_rng(2))
    found = analyse(Recording(RATE, {Side.LEFT: scale * left, Side.RIGHT: scale * right}), test_id, side, 80.0)
    assert any("never carry" in text for text in found.warnings) is bool(words)
    assert not words or any(words in text for text in found.warnings)


def test_a_push_on_plates_zeroed_under_the_patient_is_questioned():
    left, right = heard(plates.isometric(SimulatedPerson()), Faults(), np.random.default_rng(2))
    force = {Side.LEFT: left - left[:500].mean(), Side.RIGHT: right - right[:500].mean()}
    assert any("No stand before the push" in text for text in analyse(Recording(RATE, force), "squat-iso").warnings)
