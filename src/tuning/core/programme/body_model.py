"""A pose as a body in space: places of the joints, centre of mass, and whether the drawing can stand.

Stature units; x forward, y up, z to the right. The working leg is the right one; the left version is the mirror
image. Lengths, masses and centres after Winter (2009).
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from tuning.core.pose import (
    ANGLE_SLACK,
    ANKLE_ALONG_FOOT,
    ANKLE_HEIGHT,
    BALL_ALONG_FOOT,
    FOOT,
    SHANK,
    THIGH,
    TRUNK,
    BodyPosition,
    Leg,
    PoseFrame,
)

Place = NDArray[np.float64]
HIP_WIDTH, SHOULDER_WIDTH, HEAD, UPPER_ARM, FOREARM = 0.05, 0.1, 0.125, 0.186, 0.2
TRUNK_MASS, THIGH_MASS, SHANK_MASS, FOOT_MASS = 0.678, 0.1, 0.0465, 0.0145
TRUNK_CENTRE, LIMB_CENTRE, ARMS_AHEAD = 0.626, 0.433, 0.026
THICK = 0.055
"""Half the depth of hips and back where they lie or lean, stature units."""
SLIDE_PER_DEGREE = 0.0044
"""How far the top knee slides for a degree of pelvis turn."""
LEAST_PRESSURE, MOST_PRESSURE, OFF_SURFACE = 15.0, 85.0, 0.02
WORKING, OTHER = "working", "other"


@dataclass(frozen=True)
class LegPlaces:
    """Joints of one leg."""

    hip: Place
    knee: Place
    ankle: Place
    heel: Place
    ball: Place
    toe: Place


@dataclass(frozen=True)
class ArmPlaces:
    """Joints of one arm."""

    shoulder: Place
    elbow: Place
    hand: Place


@dataclass(frozen=True)
class BodyModel:
    """Where everything is. `front` is the direction that the trunk faces, `up_axis` from hip to shoulder."""

    working: LegPlaces
    other: LegPlaces
    arms: tuple[ArmPlaces, ArmPlaces]
    hip: Place
    shoulder: Place
    head: Place
    front: Place
    up_axis: Place


def _about(axis: str, degrees: float) -> Place:
    c, s = math.cos(math.radians(degrees)), math.sin(math.radians(degrees))
    table = {
        "x": [[1, 0, 0], [0, c, -s], [0, s, c]],
        "y": [[c, 0, s], [0, 1, 0], [-s, 0, c]],
        "z": [[c, -s, 0], [s, c, 0], [0, 0, 1]],
    }
    return np.array(table[axis], float)


def body_of(frame: PoseFrame, position: BodyPosition = BodyPosition.STAND, step: float = 0.0) -> BodyModel:
    """Places of the joints; a standing or sitting sole at height `step` with its heel at x = 0, else on the floor."""
    lean = frame.lean(position)
    roll = {BodyPosition.RIGHT_SIDE: 90.0, BodyPosition.LEFT_SIDE: -90.0}.get(position, 0.0)
    whole = _about("x", roll)
    trunk = whole @ _about("z", -lean)
    hip, up, front = np.zeros(3), trunk @ np.array([0.0, 1.0, 0.0]), trunk @ np.array([1.0, 0.0, 0.0])
    shoulder = hip + TRUNK * up
    other = frame.other or frame.working
    shift = _slide(frame, position, front)
    near = _leg(frame, frame.working, whole, lean, trunk, 1.0, shift if position is BodyPosition.LEFT_SIDE else None)
    far = _leg(frame, other, whole, lean, trunk, -1.0, shift if position is BodyPosition.RIGHT_SIDE else None)
    if frame.split:
        near, far = _on_surfaces(frame, near, far, step)
    if frame.heel > 0:
        near = _toes_down(near)
        far = far if frame.other is not None else _toes_down(far)
    near = _toes_bent(near, frame.toes)
    nod = _about(
        "z", 0.4 * lean if position is BodyPosition.STAND else frame.raised if position is BodyPosition.BACK else 0.0
    )
    head = shoulder + HEAD * (trunk @ nod @ np.array([0.0, 1.0, 0.0]))
    arms = (_arm(frame, position, shoulder, trunk, 1.0), _arm(frame, position, shoulder, trunk, -1.0))
    made = BodyModel(near, far, arms, hip, shoulder, head, front, up)
    if frame.arms == "knees":
        made = with_hands_at(made, _above_knee(near, front), _above_knee(far, front))
    return _grounded(made, frame, position, step)


def _slide(frame: PoseFrame, position: BodyPosition, front: Place) -> Place | None:
    """The top hip goes back with the pelvis (lying on the side)."""
    on_side = position in (BodyPosition.RIGHT_SIDE, BodyPosition.LEFT_SIDE)
    return -SLIDE_PER_DEGREE * frame.pelvis * front if on_side and frame.pelvis else None


def _leg(
    frame: PoseFrame, leg: Leg, whole: Place, lean: float, trunk: Place, side: float, shift: Place | None
) -> LegPlaces:
    """A leg hangs from its hip: turn-out about the vertical, flexion, abduction, rotation, then knee and ankle."""
    # A turned-out leg keeps to an upright plane: it is spread first, then turned, then bent.
    spread = _about("x", -side * leg.out)
    turned = whole @ spread @ _about("y", -side * frame.turned_out) if frame.turned_out else whole
    bent = turned @ _about("z", leg.hip - lean)
    thigh = (bent if frame.turned_out else bent @ spread) @ _about("y", -side * leg.turn)
    hip = trunk @ np.array([0.0, 0.0, side * HIP_WIDTH])
    if shift is not None:
        hip = hip + shift
    knee = hip + thigh @ np.array([0.0, -THIGH, 0.0])
    shank = thigh @ _about("z", -leg.knee)
    ankle = knee + shank @ np.array([0.0, -SHANK, 0.0])
    foot = shank @ _about("y", side * leg.shin) @ _about("z", leg.ankle)
    return _foot_at(hip, knee, ankle, foot)


def _foot_at(hip: Place, knee: Place, ankle: Place, foot: Place) -> LegPlaces:
    def place(along: float) -> Place:
        """A point of the sole, by its share of the foot from the heel."""
        return np.asarray(ankle + foot @ np.array([(along - ANKLE_ALONG_FOOT) * FOOT, -ANKLE_HEIGHT, 0.0]))

    return LegPlaces(hip, knee, ankle, place(0.0), place(BALL_ALONG_FOOT), place(1.0))


def _on_surfaces(frame: PoseFrame, near: LegPlaces, far: LegPlaces, step: float) -> tuple[LegPlaces, LegPlaces]:
    """The other foot of a split stands on its ball, or with its instep on a bench."""
    low = near.ankle[1] - ANKLE_HEIGHT  # the floor under the working sole
    ahead = np.array([far.toe[0] - far.heel[0], 0.0, far.toe[2] - far.heel[2]])
    ahead = ahead / (np.linalg.norm(ahead) or 1.0)
    if frame.bench:
        back = -80.0  # sole up, instep down
        return near, _foot_at(far.hip, far.knee, far.ankle, _pitched(ahead, back))
    height = far.ankle[1] - low
    reach = math.hypot((BALL_ALONG_FOOT - ANKLE_ALONG_FOOT) * FOOT, ANKLE_HEIGHT)
    base = math.degrees(math.asin(ANKLE_HEIGHT / reach))
    pitch = math.degrees(math.asin(max(-1.0, min(1.0, height / reach)))) - base
    return near, _foot_at(far.hip, far.knee, far.ankle, _pitched(ahead, -max(0.0, pitch)))


def _toes_down(leg: LegPlaces) -> LegPlaces:
    """Under a raised heel the toes stay on the floor and bend at the ball."""
    ahead = (leg.ball - leg.heel) * np.array([1.0, 0.0, 1.0])
    ahead = ahead / (np.linalg.norm(ahead) or 1.0)
    toe = leg.ball + (1 - BALL_ALONG_FOOT) * FOOT * ahead
    return LegPlaces(leg.hip, leg.knee, leg.ankle, leg.heel, leg.ball, toe)


def _toes_bent(leg: LegPlaces, degrees: float) -> LegPlaces:
    """The toes turned up at the ball; curled ones stay on the floor and reach less far."""
    if not degrees:
        return leg
    toes, turned = leg.toe - leg.ball, math.radians(degrees)
    rise = np.array([0.0, max(0.0, math.sin(turned)) * float(np.linalg.norm(toes)), 0.0])
    return replace(leg, toe=leg.ball + math.cos(turned) * toes + rise)


def _pitched(ahead: Place, degrees: float) -> Place:
    """Axes of a foot that points `ahead` and is pitched up by `degrees`."""
    yaw = math.degrees(math.atan2(-ahead[2], ahead[0]))
    return _about("y", yaw) @ _about("z", degrees)


ARM_ANGLES = {
    "down": (4.0, -8.0), "forward": (90.0, 0.0), "chest": (42.0, 112.0), "hips": (-32.0, 78.0), "weights": (0.0, 6.0),
    "head": (150.0, 60.0), "rail": (38.0, 34.0), "knees": (50.0, 0.0),
}  # fmt: skip
"""Angles of upper arm (forward from hanging) and elbow."""


def _arm(frame: PoseFrame, position: BodyPosition, shoulder: Place, trunk: Place, side: float) -> ArmPlaces:
    """Arms hang by gravity while upright; lying they rest on the floor or under the head."""
    start = shoulder + trunk @ np.array([0.0, -0.01, side * SHOULDER_WIDTH])
    upper, bend = ARM_ANGLES.get(frame.arms, ARM_ANGLES["down"])
    upright = position in (BodyPosition.STAND, BodyPosition.SIT, BodyPosition.FLOOR)
    axes = np.eye(3) if upright else trunk
    if position is BodyPosition.BACK:
        upper, bend = 0.0, 0.0
        axes = trunk @ _about("x", -side * 16)
    if position in (BodyPosition.LEFT_SIDE, BodyPosition.RIGHT_SIDE):
        top = (side > 0) is (position is BodyPosition.LEFT_SIDE)
        upper, bend = (60.0, 40.0) if top else (120.0, 100.0)
    if position is BodyPosition.FLOOR and frame.arms == "floor":
        upper, bend = -40.0, 0.0
        axes = _about("x", -side * 25)
    turn = axes @ _about("z", upper)
    elbow = start + turn @ np.array([0.0, -UPPER_ARM, 0.0])
    hand = elbow + turn @ _about("z", bend) @ np.array([0.0, -FOREARM, 0.0])
    return ArmPlaces(start, elbow, hand)


def _above_knee(leg: LegPlaces, front: Place) -> Place:
    """Where a hand rests that leans on its knee."""
    return np.asarray(leg.knee + 0.12 * (leg.hip - leg.knee) + 0.045 * front)


def with_hands_at(made: BodyModel, right: Place, left: Place) -> BodyModel:
    """The body with its hands where they hold on, as far as the arms reach; the elbows bend back and down."""
    return replace(made, arms=(_reaching(made.arms[0].shoulder, right), _reaching(made.arms[1].shoulder, left)))


def _reaching(shoulder: Place, hand: Place) -> ArmPlaces:
    """An arm from shoulder to hand (law of cosines)."""
    way = hand - shoulder
    far = float(np.linalg.norm(way)) or 1e-9
    along = way / far
    reach = min(far, UPPER_ARM + FOREARM - 1e-6)
    to_elbow = (reach**2 + UPPER_ARM**2 - FOREARM**2) / (2 * reach)
    aside = math.sqrt(max(UPPER_ARM**2 - to_elbow**2, 0.0))
    back = np.array([-1.0, -0.6, 0.0])
    bend = back - (back @ along) * along
    bend = bend / (np.linalg.norm(bend) or 1.0)
    return ArmPlaces(shoulder, shoulder + to_elbow * along + aside * bend, shoulder + reach * along)


def _grounded(made: BodyModel, frame: PoseFrame, position: BodyPosition, step: float) -> BodyModel:
    """Set down: the working sole on its surface, or what lies lowest on the floor."""
    if position in (BodyPosition.STAND, BodyPosition.SIT) and not frame.free_sole:
        low = made.working.ball if frame.heel else made.working.heel
        by = np.array([-made.working.heel[0], step - low[1], 0.0])
    else:
        lying = [
            made.hip[1] - THICK,
            made.shoulder[1] - THICK,
            made.working.knee[1] - 0.035,
            made.other.knee[1] - 0.035,
        ]
        soles = [place[1] for leg in (made.working, made.other) for place in (leg.heel, leg.toe)]
        seat = position is BodyPosition.SIT
        by = np.array([0.0, step - (min(soles) if seat else min([*lying, *soles])), 0.0])
    return _moved(made, by)


def _moved(made: BodyModel, by: Place) -> BodyModel:
    def moved(part: Any) -> Any:
        """A part of the body with every place shifted."""
        return type(part)(**{name: place + by for name, place in vars(part).items()})

    arms = (moved(made.arms[0]), moved(made.arms[1]))
    return BodyModel(moved(made.working), moved(made.other), arms, made.hip + by, made.shoulder + by, made.head + by,
                made.front, made.up_axis)  # fmt: skip


def centre_of_mass(made: BodyModel, arms_ahead: bool = False) -> float:
    """How far ahead of the working heel the centre of mass lies, stature units."""
    trunk = made.hip + TRUNK_CENTRE * (made.shoulder - made.hip)
    total = TRUNK_MASS * (trunk[0] + (ARMS_AHEAD if arms_ahead else 0.0))
    for leg in (made.working, made.other):
        total += THIGH_MASS * (leg.hip + LIMB_CENTRE * (leg.knee - leg.hip))[0]
        total += SHANK_MASS * (leg.knee + LIMB_CENTRE * (leg.ankle - leg.knee))[0]
        total += FOOT_MASS * 0.5 * (leg.heel + leg.toe)[0]
    return float(total) - float(made.working.heel[0])


def pressure_percent(frame: PoseFrame) -> float:
    """Where the weight goes through the working foot, percent of its side-view length from the heel.

    Heel raised: percent of the way from ball to toe tip. In a split the other foot's share goes through its ball, on a
    bench through its ankle.
    """
    made = body_of(frame)
    heel, toe = made.working.heel[0], made.working.toe[0]
    at = centre_of_mass(made, frame.arms == "forward")
    if frame.split:
        share = frame.share / 100
        other = made.other.ankle[0] if frame.bench else made.other.ball[0]
        at = (at - (1 - share) * (float(other) - float(heel))) / share
    if frame.heel > 0:
        ball = float(made.working.ball[0] - heel)
        return 100 * (at - ball) / (float(toe - heel) - ball)
    return 100 * at / float(toe - heel)


def drawing_faults(frame: PoseFrame, position: BodyPosition) -> list[str]:
    """What is wrong with a pose: angles, balance, the other foot off its surface; empty for a good one."""
    found = []
    gap = frame.angle_gap(position)
    if gap > ANGLE_SLACK:
        found.append(f"breaks hip = trunk + knee - ankle - heel by {gap:.0f}°")
    if position is BodyPosition.STAND and not frame.support:
        percent = pressure_percent(frame)
        if not LEAST_PRESSURE <= percent <= MOST_PRESSURE:
            found.append(f"would fall over: weight at {percent:.0f} % of the foot (15 to 85)")
    if position is BodyPosition.STAND and frame.split and not frame.bench:
        made = body_of(frame)
        off = abs(float(min(made.other.ball[1], made.other.heel[1])))
        if off > OFF_SURFACE:
            found.append(f"the other foot is {off:.2f} of stature off its surface")
    return found
