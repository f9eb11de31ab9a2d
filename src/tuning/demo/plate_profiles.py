"""How the made-up people of the demo clinic push and move on the plates."""

from __future__ import annotations

import numpy as np

from tuning.demo import simulated_plates as plates
from tuning.demo.simulated_plates import SimulatedPerson, SimulatedSession

PEOPLE = {
    "glassblower": dict(push_left=850.0, push_right=640.0, rise_left=0.30, rise_right=0.08, share=0.43),
    "ferry deckhand": dict(push_left=900.0, push_right=780.0, rise_left=0.11, rise_right=0.14, share=0.46),
    "beekeeper": dict(push_left=820.0, push_right=540.0, rise_left=0.12, rise_right=0.2, share=0.4),
    "potter": dict(push_left=600.0, push_right=560.0, rise_left=0.12, rise_right=0.12, share=0.49),
    "choir conductor": dict(push_left=520.0, push_right=530.0, rise_left=0.13, rise_right=0.13, share=0.505),
}


def body(occupation: str, mass_kg: float) -> SimulatedPerson:
    """The body of one person."""
    return SimulatedPerson(mass_kg=mass_kg, **PEOPLE.get(occupation, {}))


def scene(who: SimulatedPerson, test_id: str, side: str, random: np.random.Generator | None = None) -> SimulatedSession:
    """What one person does in one test, a little different each time."""
    random = random or np.random.default_rng()
    if test_id == "squat-fast":
        return plates.squats(who)
    if test_id == "squat-pause":
        return plates.squats(who, pause=2.0)
    if test_id == "squat-iso":
        return plates.isometric(who, rest=2.0, random=random)
    if test_id in ("lunge-iso", "lunge-pause"):
        return plates.one_leg(who, side, hold=3.0 if test_id == "lunge-iso" else 0.6, rest=2.0, random=random)
    if test_id == "calf-raise":
        return plates.one_leg(who, side, hold=0.4, rest=2.0, on_plate=1.0, random=random)
    if test_id == "lunge-fast":
        return plates.step_on_off(who, side, random=random)
    if test_id == "stance-one-leg":
        return plates.one_leg_stand(who, side, random=random)
    if test_id == "jump":
        return plates.jumps(who)
    return plates.quiet_stand(who, 20.0, random)


def balance_set(who: SimulatedPerson, reps: int = 8) -> SimulatedSession:
    """Slow squats for the balance beam."""
    return plates.squats(who, reps=reps, down=1.2, up=1.0, rest=1.2)
