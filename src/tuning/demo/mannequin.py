"""A 3-D body: joints from a few knobs, limbs for the renderer, stickers with exact places.

Knows nothing of measures, bands or errors. Segment lengths are fractions of
stature (Winter 2009); the shape and sticker offsets are our own.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, field, replace

import numpy as np

from tuning.demo.camera import PinholeCamera, Vectors

THIGH, SHANK, FOOT, ANKLE = 0.245, 0.246, 0.152, 0.039
SIDES = {"left": -1.0, "right": 1.0}
"""Sign of the body's x axis on each side."""


@dataclass(frozen=True)
class Leg:
    """Ankle place (m, body axes), and how knee and foot are turned.

    `knee_in` swings the knee about the hip-ankle line toward the midline,
    `knee_offset` shifts it (m), `toe_out` and `pitch` (heel up +) turn the foot; degrees.
    """

    ankle: tuple[float, float, float]
    knee_in: float = 0.0
    knee_offset: float = 0.0
    toe_out: float = 7.0
    pitch: float = 0.0


@dataclass(frozen=True)
class Posture:
    """One instant: pelvis centre (m), its turns (deg, right side higher +), trunk and legs."""

    pelvis: tuple[float, float, float]
    legs: dict[str, Leg]
    pelvis_roll: float = 0.0
    pelvis_yaw: float = 0.0
    pelvis_tilt: float = 0.0
    trunk_lean: float = 0.0
    trunk_side: float = 0.0
    arm_swing: float = 0.0
    arms_forward: bool = False


@dataclass(frozen=True)
class Limb:
    """A round cone between two points (m), painted as `cloth`."""

    a: Vectors
    b: Vectors
    ra: float
    rb: float
    cloth: str


@dataclass
class Body:
    """Joints, limbs and stickers of one posture."""

    points: dict[str, Vectors]
    limbs: list[Limb]
    normals: dict[str, Vectors] = field(default_factory=dict)
    marked: dict[str, str] | None = None
    """Landmark name to point, when other marks than those of a movement clip are worn."""

    def stickers(self, view: str) -> dict[str, Vectors]:
        """Centres of the adhesive marks that a view shows, by landmark name."""
        if self.marked is not None:
            return {name: self.points[place] for name, place in self.marked.items()}
        if view in SIDES:
            return {name: self.points[f"{name}_side_{view}"] for name in SIDE_STICKERS}
        names = FRONT_STICKERS if view == "front" else REAR_STICKERS
        return {f"{name}_{side}": self.points[f"{name}_{side}"] for name in names for side in SIDES}

    def moved(self, by: Vectors) -> Body:
        """The same body elsewhere, m."""
        limbs = [replace(limb, a=limb.a + by, b=limb.b + by) for limb in self.limbs]
        return replace(self, points={name: at + by for name, at in self.points.items()}, limbs=limbs)

    def projected(self, camera: PinholeCamera) -> dict[str, Vectors]:
        """Exact image places of the stickers, pixels."""
        worn = self.stickers(camera.view)
        return dict(zip(worn, camera.project(np.array([*worn.values()])), strict=True))


REAR_STICKERS = ("psis", "buttock", "knee_back", "heel_top", "heel", "toe")
SIDE_STICKERS = ("ear", "shoulder", "hip", "knee", "ankle", "heel", "toe", "asis", "psis")
FRONT_STICKERS = ("shoulder", "asis", "knee", "ankle", "second_toe")


def _turn(axis: int, degrees: float) -> Vectors:
    c, s = math.cos(math.radians(degrees)), math.sin(math.radians(degrees))
    ways = (
        ((1.0, 0.0, 0.0), (0.0, c, -s), (0.0, s, c)),
        ((c, 0.0, s), (0.0, 1.0, 0.0), (-s, 0.0, c)),
        ((c, -s, 0.0), (s, c, 0.0), (0.0, 0.0, 1.0)),
    )
    return np.array(ways[axis])


def _knee(hip: Vectors, leg: Leg, thigh: float, shank: float, medial: float) -> Vectors:
    """Two-link chain: the knee on the circle that both segment lengths allow."""
    ankle = np.array(leg.ankle)
    reach = min(float(np.linalg.norm(ankle - hip)), 0.9995 * (thigh + shank))
    along = (ankle - hip) / np.linalg.norm(ankle - hip)
    d = (thigh**2 - shank**2 + reach**2) / (2 * reach)
    radius = math.sqrt(max(thigh**2 - d**2, 0.0))
    inward = np.array([medial, 0.0, 0.0])
    ahead = np.array([0.0, 0.0, 1.0])
    ahead = ahead - (ahead @ along) * along
    ahead /= np.linalg.norm(ahead)
    inward = inward - (inward @ along) * along - (inward @ ahead) * ahead
    inward /= np.linalg.norm(inward)
    swing = math.radians(leg.knee_in)
    return hip + d * along + radius * (math.cos(swing) * ahead + math.sin(swing) * inward) + leg.knee_offset * inward


def build(posture: Posture, stature: float = 1.72) -> Body:
    """Place every joint, limb and sticker of `posture`."""
    body = Body({}, [])
    turn = _turn(1, posture.pelvis_yaw) @ _turn(2, posture.pelvis_roll) @ _turn(0, posture.pelvis_tilt)
    pelvis = np.array(posture.pelvis)

    def on_pelvis(x: float, y: float, z: float) -> Vectors:
        return pelvis + turn @ np.array([x, y, z])

    for side, sign in SIDES.items():
        p = body.points
        p[f"hip_{side}"] = on_pelvis(sign * 0.09, 0.0, 0.0)
        p[f"psis_{side}"] = on_pelvis(sign * 0.048, 0.125, -0.105)
        p[f"asis_{side}"] = on_pelvis(sign * 0.115, 0.105, 0.098)
        p[f"hip_side_{side}"] = on_pelvis(sign * 0.185, 0.0, 0.0)
        p[f"asis_side_{side}"] = on_pelvis(sign * 0.15, 0.105, 0.085)
        p[f"psis_side_{side}"] = on_pelvis(sign * 0.14, 0.115, -0.085)
        p[f"buttock_{side}"] = on_pelvis(sign * 0.092, -0.015, -0.135)
        _add_leg(body, posture.legs[side], side, sign, stature)
    body.limbs.append(Limb(on_pelvis(-0.075, 0.045, -0.02), on_pelvis(0.075, 0.045, -0.02), 0.108, 0.108, "shorts"))
    for sign in SIDES.values():
        seat, waist = on_pelvis(sign * 0.085, -0.005, -0.035), on_pelvis(sign * 0.06, 0.14, -0.005)
        body.limbs.append(Limb(seat, waist, 0.1, 0.085, "shorts"))
    _add_trunk(body, posture, on_pelvis(0, 0.12, 0), stature)
    return body


def _add_leg(body: Body, leg: Leg, side: str, sign: float, stature: float) -> None:
    p, hip = body.points, body.points[f"hip_{side}"]
    knee = _knee(hip, leg, THIGH * stature, SHANK * stature, -sign)
    ankle = np.array(leg.ankle)
    foot_turn = _turn(1, sign * leg.toe_out) @ _turn(0, leg.pitch)
    length, rise = FOOT * stature, ANKLE * stature

    def on_foot(x: float, y: float, z: float) -> Vectors:
        return ankle + foot_turn @ np.array([sign * x, y, z])

    bone = (knee - ankle) / np.linalg.norm(knee - ankle)
    back = _square_to(np.array([0.0, 0.0, -1.0]), bone)
    heel = on_foot(0, 0.02 - rise, -0.25 * length + 0.02)
    ball = on_foot(0.012, 0.022 - rise, 0.45 * length)
    tip = on_foot(0.008, 0.016 - rise, 0.72 * length)
    p[f"knee_joint_{side}"], p[f"ankle_joint_{side}"] = knee, ankle
    p[f"knee_{side}"] = knee - 0.057 * back
    p[f"knee_back_{side}"] = knee + 0.06 * back
    p[f"ankle_{side}"] = ankle - 0.042 * back + 0.012 * bone
    p[f"heel_top_{side}"] = ankle + 0.05 * bone + 0.043 * back
    p[f"heel_{side}"] = heel + foot_turn @ np.array([0.0, 0.004, -0.038])
    p[f"toe_{side}"] = on_foot(0.058, 0.03 - rise, 0.42 * length)
    p[f"second_toe_{side}"] = tip + foot_turn @ np.array([-sign * 0.004, 0.026, 0.014])
    p[f"knee_side_{side}"] = knee + np.array([sign * 0.057, 0.0, 0.0])
    p[f"ankle_side_{side}"] = ankle + np.array([sign * 0.038, 0.0, 0.0])
    p[f"heel_side_{side}"] = on_foot(0.03, 0.02 - rise, -0.25 * length + 0.015)
    p[f"toe_side_{side}"] = on_foot(0.035, 0.02 - rise, 0.74 * length)
    split = hip + 0.52 * (knee - hip)
    body.limbs += [
        Limb(hip, split, 0.092, 0.076, "shorts"),
        Limb(split, knee, 0.073, 0.055, "skin"),
        Limb(knee, knee + 0.35 * (ankle - knee) + 0.012 * back, 0.052, 0.055, "skin"),
        Limb(knee + 0.35 * (ankle - knee) + 0.012 * back, ankle, 0.055, 0.036, "skin"),
        Limb(ankle, heel, 0.034, 0.034, "foot"),
        Limb(heel, ball, 0.032, 0.036, "foot"),
        Limb(ball, tip, 0.036, 0.022, "foot"),
    ]


def _square_to(vector: Vectors, axis: Vectors) -> Vectors:
    flat = vector - (vector @ axis) * axis
    return flat / np.linalg.norm(flat)


def _add_trunk(body: Body, posture: Posture, base: Vectors, stature: float) -> None:
    turn = _turn(2, -posture.trunk_side) @ _turn(0, posture.trunk_lean)

    def on_trunk(x: float, y: float, z: float) -> Vectors:
        return base + turn @ np.array([x, y, z])

    top = 0.235 * stature
    for side, sign in SIDES.items():
        shoulder = on_trunk(sign * 0.175, top, 0)
        body.points[f"shoulder_side_{side}"] = on_trunk(sign * 0.235, top, 0.0)
        body.points[f"ear_side_{side}"] = on_trunk(sign * 0.084, top + 0.185, 0.025)
        body.points[f"shoulder_{side}"] = shoulder + turn @ np.array([0.0, 0.02, 0.062])
        body.limbs += [
            Limb(on_trunk(sign * 0.055, 0.02, 0), on_trunk(sign * 0.085, top - 0.09, 0), 0.088, 0.098, "shirt"),
            Limb(on_trunk(sign * 0.05, top - 0.03, 0), shoulder, 0.062, 0.055, "shirt"),
        ]
        body.limbs += _arm(shoulder, sign, posture)
    body.limbs += [
        Limb(on_trunk(0, top - 0.02, 0), on_trunk(0, top + 0.1, 0.01), 0.052, 0.05, "skin"),
        Limb(on_trunk(0, 0.03, 0.01), on_trunk(0, top - 0.1, 0.012), 0.094, 0.1, "shirt"),
        Limb(on_trunk(0, top + 0.145, 0.035), on_trunk(0, top + 0.19, 0.03), 0.066, 0.074, "face"),
        Limb(on_trunk(0, top + 0.17, 0.005), on_trunk(0, top + 0.225, 0.012), 0.074, 0.084, "hair"),
    ]


def _arm(shoulder: Vectors, sign: float, posture: Posture) -> list[Limb]:
    swing = 85.0 if posture.arms_forward else sign * posture.arm_swing
    hang = _turn(2, sign * 12) @ _turn(0, -swing) @ np.array([0.0, -1.0, 0.0])
    fore = _turn(2, sign * 8) @ _turn(0, -swing - (2 if posture.arms_forward else 18)) @ np.array([0.0, -1.0, 0.0])
    elbow = shoulder + 0.29 * hang
    wrist = elbow + 0.25 * fore
    return [
        Limb(shoulder, elbow, 0.05, 0.038, "skin"),
        Limb(elbow, wrist, 0.038, 0.026, "skin"),
        Limb(wrist, wrist + 0.09 * fore, 0.03, 0.022, "skin"),
    ]
