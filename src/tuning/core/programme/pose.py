"""Side-view poses of exercises: joint angles to places of joints.

Frames are written `T/H/K/A`: forward lean of the trunk from vertical, hip and
knee flexion, ankle dorsiflexion, degrees. Lengths are fractions of stature
(Winter 2009). x points forward, y up, origin under the heel of the working leg.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

THIGH, SHANK, FOOT, ANKLE_HEIGHT, TRUNK = 0.245, 0.246, 0.152, 0.039, 0.288
ANKLE_ALONG_FOOT = 0.25
Point = tuple[float, float]


@dataclass(frozen=True)
class Frame:
    """One pose of the working leg and trunk, and of the free leg where it differs."""

    trunk: float
    hip: float
    knee: float
    ankle: float
    free_hip: float = 0.0
    free_knee: float = 0.0
    arms_forward: bool = False

    @property
    def angle_gap(self) -> float:
        """How far the frame is off the closed chain H = T + K - A (flat foot), degrees."""
        return abs(self.hip - (self.trunk + self.knee - self.ankle))


def parse_frame(text: str) -> Frame:
    """Read `40/70/35/5; F 49/57; af`. Raises ValueError when it does not fit that form."""
    angles, free, arms = (0.0, 0.0, 0.0, 0.0), (0.0, 0.0), False
    for index, part in enumerate(p.strip() for p in text.split(";")):
        if index == 0:
            trunk, hip, knee, ankle = (float(v) for v in part.split("/"))
            angles = (trunk, hip, knee, ankle)
        elif part == "af":
            arms = True
        elif part.startswith("F "):
            free_hip, free_knee = (float(v) for v in part[2:].split("/"))
            free = (free_hip, free_knee)
        else:
            raise ValueError(f"unknown pose part “{part}”")
    return Frame(*angles, *free, arms)


def knee_over_foot_percent(frame: Frame, turn_out_deg: float = 0.0) -> float:
    """Side-view distance heel to knee over foot length, percent (ladders.md section 1)."""
    return math.cos(math.radians(turn_out_deg)) * (25 + 162 * math.sin(math.radians(frame.ankle)))


def knee_zone(frame: Frame, turn_out_deg: float = 0.0) -> int:
    """Knee demand 0-3: under 45, 45-69, 70-100, over 100 percent; 0 below 20 degrees of flexion."""
    if frame.knee < 20:
        return 0
    percent = knee_over_foot_percent(frame, turn_out_deg)
    return sum(percent >= edge for edge in (45.0, 70.0)) + (percent > 100.0)


@dataclass(frozen=True)
class Joints:
    """Places of the joints, fractions of stature."""

    heel: Point
    ankle: Point
    toe: Point
    knee: Point
    hip: Point
    shoulder: Point
    head: Point
    free_knee: Point
    free_ankle: Point
    free_heel: Point
    free_toe: Point
    hand: Point
    elbow: Point


def _step(start: Point, length: float, from_vertical_deg: float) -> Point:
    a = math.radians(from_vertical_deg)
    return start[0] + length * math.sin(a), start[1] + length * math.cos(a)


def joints(frame: Frame) -> Joints:
    """Joint places of a pose that stands with the working foot flat."""
    ankle = (ANKLE_ALONG_FOOT * FOOT, ANKLE_HEIGHT)
    knee = _step(ankle, SHANK, frame.ankle)
    hip = _step(knee, THIGH, frame.ankle - frame.knee)
    shoulder = _step(hip, TRUNK, frame.trunk)
    # The free leg hangs from the hip: flexion is counted from the trunk line.
    free_thigh = 180 - (frame.free_hip - frame.trunk)
    free_knee = _step(hip, THIGH, free_thigh)
    free_shank = free_thigh + frame.free_knee
    free_ankle = _step(free_knee, SHANK, free_shank)
    foot_turn = free_shank - 90
    free_heel = _step(free_ankle, ANKLE_HEIGHT * 1.15, free_shank + 25)
    free_toe = _step(free_heel, FOOT, foot_turn)
    reach = 90.0 if frame.arms_forward else 172.0 - 0.4 * frame.trunk
    elbow = _step(shoulder, 0.186, reach)
    hand = _step(elbow, 0.2, reach - 4 if frame.arms_forward else reach - 14)
    return Joints(
        heel=(0.0, 0.0),
        ankle=ankle,
        toe=(FOOT, 0.0),
        knee=knee,
        hip=hip,
        shoulder=shoulder,
        head=_step(shoulder, 0.125, frame.trunk * 0.6),
        free_knee=free_knee,
        free_ankle=free_ankle,
        free_heel=free_heel,
        free_toe=free_toe,
        hand=hand,
        elbow=elbow,
    )
