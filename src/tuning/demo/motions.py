"""Walking and squatting as functions of time, from a few habits of the person.

The curves are our own smooth shapes, not recordings.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from itertools import pairwise

from tuning.demo.mannequin import ANKLE, FOOT, SHANK, SIDES, THIGH, Leg, Posture

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
    stance: float = STANCE
    """Share of a cycle that a foot stands; a run has less than half."""
    hover: float = 0.0
    hover_height: float = 0.0
    """Share of the swing for which the heel waits above the floor before it lands, and how high, m."""


@dataclass(frozen=True)
class Runner(Walker):
    """Habits of a run on a belt. `recoil` is how high the ankle swings (m), `fold` how far the foot turns up behind,
    `landing` how steeply it lands (heel first is negative), `sinking` how fast (m/s), `bob` half the body's rise (m).
    """

    cycle: float = 0.72
    step: float = 0.3
    stance: float = 0.36
    recoil: float = 0.3
    fold: float = 85.0
    landing: float = -8.0
    sinking: float = 0.7
    bob: float = 0.035


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
    knee_ahead: float = 0.0
    """How much further forward than usual the pelvis stays at depth, m: the knee goes with it."""
    trunk_lean: float = 38.0
    tuck: float = 0.0
    """How far the pelvis turns back under near the bottom, degrees."""


HOVER_DROP = 0.12
"""Share of the swing in which a heel that hovered drops."""


def _smooth(x: float) -> float:
    x = min(max(x, 0.0), 1.0)
    return x * x * (3 - 2 * x)


def _hump(x: float) -> float:
    return math.sin(math.pi * x) ** 2 if 0 < x < 1 else 0.0


def walking(walker: Walker, t: float) -> Posture:
    """Posture at time `t` of a treadmill walk; the left foot touches down at t = 0."""
    phase = {"left": (t / walker.cycle) % 1.0, "right": (t / walker.cycle + 0.5) % 1.0}
    legs = {side: _walking_leg(walker, side, phase[side]) for side in SIDES}
    left, right = (_hump(phase[side] / walker.stance) for side in ("left", "right"))
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
    if phase < walker.stance:
        s = phase / walker.stance
        pitch = 34 * _smooth((s - 0.62) / 0.38) - 8 * (1 - _smooth(s / 0.15))
        z, sideways = walker.step * (1 - 2 * s), 0.0
        # While the heel is up the forefoot stays on the belt.
        lift = fore * max(0.0, math.sin(math.radians(pitch)))
    else:
        swing = (phase - walker.stance) / (1 - walker.stance)
        s = min(1.0, swing / (1 - walker.hover))
        pitch = 34 * (1 - _smooth(s / 0.6)) + 26 * _hump(s) - 8 * _smooth((s - 0.6) / 0.4)
        # The foot leaves the belt moving up and still moves down when it lands; the floor stops it.
        lift = fore * math.sin(math.radians(34)) * (1 - _smooth(s / 0.75))
        lift += 6.75 * s * (1 - s) * (0.04 * (1 - s) + 0.03 * s)
        # A heel that hovers has come down to a hand's breadth and waits there before it drops.
        lift += walker.hover_height * _smooth((s - 0.5) / 0.5) * (1 - _smooth((swing - 1 + HOVER_DROP) / HOVER_DROP))
        z, sideways = -walker.step * math.cos(math.pi * s), arc * _hump(s)
    height = rise * math.cos(math.radians(pitch))
    load = _hump(phase / walker.stance)
    return Leg(
        ankle=(sign * (walker.half_width + sideways), height + lift, z - 0.02),
        knee_in=knee_in * load,
        knee_offset=0.0009 * knee_in * load,
        toe_out=toe_out,
        pitch=pitch,
    )


def running(runner: Runner, t: float) -> Posture:
    """Posture at time `t` of a run on a belt; the left foot touches down at t = 0."""
    phase = {"left": (t / runner.cycle) % 1.0, "right": (t / runner.cycle + 0.5) % 1.0}
    left, right = (_hump(phase[side] / runner.stance) for side in ("left", "right"))
    leg = (THIGH + SHANK) * runner.stature
    reach = ANKLE * runner.stature + math.sqrt(leg**2 - runner.step**2) - 0.03
    middle = runner.stance / 2
    bob = runner.bob * (math.cos(4 * math.pi * middle) - math.cos(4 * math.pi * (t / runner.cycle - middle)))
    return Posture(
        pelvis=(0.015 * (right - left), reach + bob, 0.0),
        legs={side: _running_leg(runner, side, phase[side]) for side in SIDES},
        pelvis_roll=runner.drop_right * right - runner.drop_left * left,
        pelvis_yaw=6.0 * math.cos(2 * math.pi * phase["left"]),
        trunk_lean=8.0,
        trunk_side=0.6 * (right - left),
        arm_swing=30 * math.cos(2 * math.pi * phase["right"]),
    )


def _running_leg(runner: Runner, side: str, phase: float) -> Leg:
    rise, fore, off = ANKLE * runner.stature, 0.72 * FOOT * runner.stature, 45.0
    air = (1 - runner.stance) * runner.cycle
    belt = 2 * runner.step / (runner.stance * runner.cycle)
    if phase < runner.stance:
        s = phase / runner.stance
        pitch = off * (max(0.0, s - 0.55) / 0.45) ** 2 + runner.landing * (1 - _smooth(s / 0.2))
        z, lift, sideways = runner.step * (1 - 2 * s), fore * max(0.0, math.sin(math.radians(pitch))), 0.0
    else:
        s = (phase - runner.stance) / (1 - runner.stance)
        # The heel goes on rising as it did when the forefoot left the belt.
        turning = off * 2 / 0.45 / (runner.stance * runner.cycle) * air
        rising = fore * math.cos(math.radians(off)) * math.radians(turning)
        z = _through(s, (0, -runner.step, -belt * air), (1, runner.step, -0.6 * belt * air))
        lift = _through(
            s, (0, fore * math.sin(math.radians(off)), rising), (0.36, runner.recoil, 0), (1, 0, -runner.sinking * air)
        )
        pitch = _through(s, (0, off, turning), (0.3, runner.fold, 0), (1, runner.landing, 0))
        sideways = getattr(runner, f"arc_{side}") * _hump(s)
    knee_in = getattr(runner, f"knee_in_{side}") * _hump(phase / runner.stance)
    return Leg(
        ankle=(SIDES[side] * (runner.half_width + sideways), rise * math.cos(math.radians(pitch)) + lift, z - 0.02),
        knee_in=knee_in,
        knee_offset=0.0009 * knee_in,
        toe_out=getattr(runner, f"toe_out_{side}"),
        pitch=pitch,
    )


def _through(s: float, *knots: tuple[float, float, float]) -> float:
    """A curve through knots of place, value and slope (cubic Hermite)."""
    (a, y0, m0), (b, y1, m1) = next((p for p in pairwise(knots) if s <= p[1][0]), (knots[-2], knots[-1]))
    w, u = b - a, (s - a) / (b - a)
    return (
        y0 * (1 + 2 * u) * (1 - u) ** 2 + m0 * w * u * (1 - u) ** 2 + y1 * u**2 * (3 - 2 * u) + m1 * w * u**2 * (u - 1)
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
        pelvis=(squatter.shift * down, height, (squatter.knee_ahead - 0.16) * down + 0.03),
        legs=legs,
        pelvis_tilt=24 * down - squatter.tuck * _smooth((down - 0.6) / 0.4),
        trunk_lean=squatter.trunk_lean * down + 2,
        arms_forward=True,
    )


@dataclass(frozen=True)
class Stepper:
    """Habits of a step-down from a box, reaching forward; `side` is the leg on the box."""

    side: str = "left"
    repetition: float = 3.6
    box: float = 0.16
    knee_in: float = 0.0
    pelvis_drop: float = 0.0
    trunk_side: float = 0.0
    stature: float = 1.72


def stepping_down(stepper: Stepper, t: float) -> Posture:
    """Posture at time `t` of repeated step-downs: lower until the free heel is at the floor, return."""
    s = (t / stepper.repetition) % 1.0
    down = _smooth((s - 0.05) / 0.42) if s < 0.5 else 1 - _smooth((s - 0.53) / 0.42)
    sign, rise = SIDES[stepper.side], ANKLE * stepper.stature
    free = "right" if stepper.side == "left" else "left"
    lower = stepper.box * 0.97 * down
    legs = {
        stepper.side: Leg((sign * 0.07, stepper.box + rise, 0.0), knee_in=stepper.knee_in * down, toe_out=6),
        free: Leg((-sign * 0.13, stepper.box + rise - lower, 0.06 + 0.2 * down), toe_out=6, pitch=-6 * down),
    }
    height = stepper.box + (0.491 + ANKLE) * stepper.stature - 0.018 - lower * 0.98
    return Posture(
        pelvis=(sign * 0.035, height, -0.05 * down),
        legs=legs,
        pelvis_roll=sign * stepper.pelvis_drop * down,
        pelvis_tilt=10 * down,
        trunk_lean=16 * down + 2,
        trunk_side=sign * stepper.trunk_side * down,
        arms_forward=True,
    )
