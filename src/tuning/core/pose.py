"""Poses of exercises: joint angles as they are written, the toe zone of a knee, the rules a pose must keep.

A pose is written `T/H/K/A; F H/K/A; ...`: forward lean of the hip-shoulder line from vertical, flexion of hip and
knee, dorsiflexion of the ankle of the working leg, degrees; F is the other leg, alike where it is left out.
Lengths are fractions of stature (Winter 2009).
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from enum import StrEnum

THIGH, SHANK, FOOT, ANKLE_HEIGHT, TRUNK = 0.245, 0.246, 0.152, 0.039, 0.288
ANKLE_ALONG_FOOT, BALL_ALONG_FOOT = 0.25, 0.72
BENT_KNEE, CARRIES = 20.0, 10.0
KNEE_ZONES, KNEECAP_ZONES = (45.0, 70.0, 100.0), (30.0, 60.0, 90.0)
ANGLE_SLACK = 1.0
Point = tuple[float, float]


class BodyPosition(StrEnum):
    """How the body lies or stands."""

    STAND = "stand"
    SIT = "sit"
    BACK = "back"
    LEFT_SIDE = "left side"
    RIGHT_SIDE = "right side"
    FLOOR = "floor"


@dataclass(frozen=True)
class Leg:
    """Angles of one leg, degrees: abduction `out`, hip rotation `turn` (outward positive), shin rotation inward."""

    hip: float
    knee: float
    ankle: float = 0.0
    out: float = 0.0
    turn: float = 0.0
    shin: float = 0.0


@dataclass(frozen=True)
class PoseFrame:
    """One pose.

    `turned_out` is the turn-out of a standing leg, `heel` by how much it is raised, `pelvis` how far the top side
    slid back (lying on the side). `weight` is the share of body weight on the working leg, percent; None says half on
    two feet, all on one. `support` is what else carries: wall, hand, box, seat. `free_sole` says that no sole stands.
    """

    trunk: float
    hip: float
    knee: float
    ankle: float
    other: Leg | None = None
    out: float = 0.0
    turn: float = 0.0
    shin: float = 0.0
    toes: float = 0.0
    turned_out: float = 0.0
    heel: float = 0.0
    raised: float = 0.0
    pelvis: float = 0.0
    weight: float | None = None
    arms: str = "down"
    support: str = ""
    bench: bool = False
    free_sole: bool = False

    @property
    def working(self) -> Leg:
        """The working leg."""
        return Leg(self.hip, self.knee, self.ankle, self.out, self.turn, self.shin)

    @property
    def share(self) -> float:
        """Share of body weight on the working leg, percent."""
        return self.weight if self.weight is not None else 50.0 if self.other is None else 100.0

    @property
    def split(self) -> bool:
        """Whether the other foot carries, too, in a place of its own."""
        return self.other is not None and self.share < 100

    def angle_gap(self, position: BodyPosition = BodyPosition.STAND) -> float:
        """How far the frame is off the closed chain of a standing sole, degrees; 0 where none stands.

        H = T + K - A - p; on the back T is -(90 + e).
        """
        if self.free_sole or position in (BodyPosition.LEFT_SIDE, BodyPosition.RIGHT_SIDE, BodyPosition.FLOOR):
            return 0.0
        lean = self.lean(position)
        return abs(self.hip - (lean + self.knee - self.ankle - self.heel))

    def lean(self, position: BodyPosition) -> float:
        """Direction of the trunk from vertical, forward positive, degrees."""
        return -(90.0 + self.raised) if position is BodyPosition.BACK else self.trunk


ARMS = ("down", "forward", "chest", "hips", "floor", "head", "weights", "rail", "knees")
FLAGS = {"free sole": "free_sole", "bench": "bench"}
SUPPORTS = ("wall", "hand", "box", "seat")
NUMBERS = {
    "ab": "out", "er": "turn", "sr": "shin", "toe": "toes", "to": "turned_out", "hp": "heel", "e": "raised",
    "pr": "pelvis", "w": "weight",
}  # fmt: skip
OTHER_NUMBERS = {"ab": "out", "er": "turn", "sr": "shin"}


def parse_frame(text: str) -> PoseFrame:
    """Read `40/70/35/5; F 49/57; af`. Raises ValueError when it does not fit that form.

    >>> parse_frame('45/105/75/15; af').knee
    75.0
    """
    first, *rest = (part.strip() for part in text.split(";"))
    trunk, hip, knee, ankle = (float(v) for v in first.split("/"))
    frame = PoseFrame(trunk, hip, knee, ankle)
    for part in rest:
        frame = _with_part(frame, part)
    return frame


def _with_part(frame: PoseFrame, part: str) -> PoseFrame:
    if part == "af":
        return replace(frame, arms="forward")
    if part in SUPPORTS:
        return replace(frame, support=part)
    if part in FLAGS:
        return replace(frame, **{FLAGS[part]: True})  # type: ignore[arg-type]
    name, _, value = part.partition(" ")
    if name == "arms" and value in ARMS:
        return replace(frame, arms=value)
    if name == "F":
        return replace(frame, other=_other(frame, value))
    if name in NUMBERS and value:
        return replace(frame, **{NUMBERS[name]: float(value)})  # type: ignore[arg-type]
    raise ValueError(f"unknown pose part “{part}”")


def _other(frame: PoseFrame, value: str) -> Leg:
    name, _, number = value.partition(" ")
    if name in OTHER_NUMBERS and number:
        return replace(frame.other or frame.working, **{OTHER_NUMBERS[name]: float(number)})
    angles = [float(v) for v in value.split("/")]
    if len(angles) not in (2, 3):
        raise ValueError(f"the other leg is written F hip/knee or F hip/knee/ankle, not “{value}”")
    return Leg(*angles)


def between(start: PoseFrame, end: PoseFrame, share: float) -> PoseFrame:
    """The pose on the way from `start` (0) to `end` (1); what is not a number is that of the end."""
    legs = (start.other or start.working, end.other or end.working)
    mixed = {
        key: getattr(start, key) + share * (getattr(end, key) - getattr(start, key))
        for key in ("trunk", "hip", "knee", "ankle", "out", "turn", "shin", "toes", "turned_out", "heel", "raised",
                    "pelvis")
    }  # fmt: skip
    other = None
    if start.other is not None or end.other is not None:
        other = Leg(**{k: v + share * (vars(legs[1])[k] - v) for k, v in vars(legs[0]).items()})
    return replace(end, other=other, **mixed)


def at_depth(start: PoseFrame, end: PoseFrame, knee: float) -> PoseFrame:
    """The pose at a prescribed knee flexion, degrees, on the way from start to end; no further than the end."""
    travel = end.knee - start.knee
    share = (knee - start.knee) / travel if abs(travel) > 1 else 1.0
    if abs(travel) <= 1 and end.support == "wall":  # a wall sit is held; less depth is a higher seat on the wall
        less = min(1.0, knee / end.knee) if end.knee else 1.0
        return replace(end, knee=end.knee * less, hip=end.knee * less - end.ankle * less, ankle=end.ankle * less)
    return between(start, end, min(1.0, max(0.0, share)))


def knee_over_foot_percent(frame: PoseFrame, turn_out_deg: float | None = None) -> float:
    """Side-view distance heel to knee over foot length, percent (practice judgement, editable)."""
    turned = frame.turned_out if turn_out_deg is None else turn_out_deg
    return math.cos(math.radians(turned)) * (25 + 162 * math.sin(math.radians(frame.ankle)))


def knee_zone(frame: PoseFrame, turn_out_deg: float | None = None) -> int:
    """Toe zone of the knee 0-3: under 45, 45-69, 70-100, over 100 percent; 0 under 20 degrees or without weight."""
    if frame.knee < BENT_KNEE or frame.share < CARRIES:
        return 0
    percent = knee_over_foot_percent(frame, turn_out_deg)
    return sum(percent >= edge for edge in KNEE_ZONES[:2]) + (percent > KNEE_ZONES[2])


def kneecap_zone(frame: PoseFrame) -> int:
    """Kneecap demand 0-3 by the most bent knee that carries: from 30, 60, 90 degrees.

    Practice judgement after Escamilla (2009).
    """
    bent = [frame.knee] if frame.share >= CARRIES else []
    if frame.other is not None and 100 - frame.share >= CARRIES:
        bent.append(frame.other.knee)
    return sum(max(bent, default=0.0) >= edge for edge in KNEECAP_ZONES)
