"""Walking and squatting as functions of time, from a few habits of the person.

The curves are our own smooth shapes, not recordings.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

from tuning.demo.mannequin import ANKLE, FOOT, SIDES, Leg, Posture

STANCE = 0.62


@dataclass(frozen=True)
class Walker:
    """Habits of a walk; degrees, metres, seconds. `drop` is the pelvic drop in that leg's stance."""

    cycle: float = 1.12
    step: float = 0.23
    drop_left: float = 4.0
    drop_right: float = 4.0
    knee_in_left: float = 0.0
    knee_in_right: float = 0.0
    toe_out_left: float = 7.0
    toe_out_right: float = 7.0
    arc_left: float = 0.01
    arc_right: float = 0.01
    half_width: float = 0.075
    stature: float = 1.72


@dataclass(frozen=True)
class Squatter:
    """Habits of a squat; degrees, metres, seconds. `knee_in` is the swing of the knee at depth."""

    repetition: float = 3.2
    depth: float = 0.34
    knee_in_left: float = 0.0
    knee_in_right: float = 0.0
    shift: float = 0.0
    half_width: float = 0.13
    toe_out: float = 10.0
    stature: float = 1.72


def _smooth(x: float) -> float:
    x = min(max(x, 0.0), 1.0)
    return x * x * (3 - 2 * x)


def _hump(x: float) -> float:
    return math.sin(math.pi * x) ** 2 if 0 < x < 1 else 0.0


def walking(walker: Walker, t: float) -> Posture:
    """Posture at time `t` of a treadmill walk; the left foot touches down at t = 0."""
    phase = {"left": (t / walker.cycle) % 1.0, "right": (t / walker.cycle + 0.5) % 1.0}
    legs = {side: _walking_leg(walker, side, phase[side]) for side in SIDES}
    left, right = (_hump(phase[side] / STANCE) for side in ("left", "right"))
    hip_height = (0.491 + ANKLE) * walker.stature - 0.042
    bob = 0.012 * math.cos(4 * math.pi * (t / walker.cycle - 0.31))
    return Posture(
        pelvis=(0.018 * (right - left), hip_height + bob, 0.0),
        legs=legs,
        pelvis_roll=walker.drop_right * right - walker.drop_left * left,
        pelvis_yaw=3.0 * math.cos(2 * math.pi * phase["left"]),
        trunk_lean=3.0,
        trunk_side=0.6 * (right - left),
        arm_swing=16 * math.cos(2 * math.pi * phase["right"]),
    )


def _walking_leg(walker: Walker, side: str, phase: float) -> Leg:
    sign = SIDES[side]
    knee_in = getattr(walker, f"knee_in_{side}")
    arc = getattr(walker, f"arc_{side}")
    toe_out = getattr(walker, f"toe_out_{side}")
    rise, fore = ANKLE * walker.stature, 0.72 * FOOT * walker.stature
    if phase < STANCE:
        s = phase / STANCE
        pitch = 34 * _smooth((s - 0.62) / 0.38) - 8 * (1 - _smooth(s / 0.15))
        z, lift, sideways = walker.step * (1 - 2 * s), 0.0, 0.0
    else:
        s = (phase - STANCE) / (1 - STANCE)
        pitch = 34 * (1 - _smooth(s / 0.6)) + 26 * _hump(s) - 8 * _smooth((s - 0.6) / 0.4)
        z, lift, sideways = -walker.step * math.cos(math.pi * s), 0.055 * _hump(s), arc * _hump(s)
    # While the heel is up the forefoot stays on the belt.
    height = rise * math.cos(math.radians(pitch)) + fore * max(0.0, math.sin(math.radians(pitch)))
    load = _hump(phase / STANCE)
    return Leg(
        ankle=(sign * (walker.half_width + sideways), height + lift, z - 0.02),
        knee_in=knee_in * load,
        knee_offset=0.0009 * knee_in * load,
        toe_out=toe_out,
        pitch=pitch,
    )


def squatting(squatter: Squatter, t: float) -> Posture:
    """Posture at time `t` of repeated two-leg squats, arms forward."""
    s = (t / squatter.repetition) % 1.0
    down = _smooth(s / 0.4) if s < 0.5 else 1 - _smooth((s - 0.5) / 0.36)
    rise = ANKLE * squatter.stature
    legs = {
        side: Leg(
            ankle=(sign * squatter.half_width, rise, 0.0),
            knee_in=getattr(squatter, f"knee_in_{side}") * down,
            toe_out=squatter.toe_out,
        )
        for side, sign in SIDES.items()
    }
    height = (0.491 + ANKLE) * squatter.stature - 0.02 - squatter.depth * down
    return Posture(
        pelvis=(squatter.shift * down, height, -0.16 * down + 0.03),
        legs=legs,
        pelvis_tilt=24 * down,
        trunk_lean=38 * down + 2,
        arms_forward=True,
    )
