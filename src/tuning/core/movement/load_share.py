"""Who bears the squat: a planar static model of hip and knee moments from side-view marks.

Both legs are taken as one. The ground carries body and bar at one support
point; moments are those of the ground force less the weight of the segments
below the joint. Not valid with hands, wall or seat helping, in fast movement,
or when the stance is split and the share of each leg is unknown.
"""

from __future__ import annotations

from dataclasses import dataclass

from tuning.core.types import NotMeasured
from tuning.core.units import GRAVITY

FOOT, SHANK, THIGH = 0.0145, 0.0465, 0.100
"""Segment mass of one leg as a share of body mass (Winter 2009)."""
SHANK_CENTRE, THIGH_CENTRE, FOOT_CENTRE = 0.433, 0.433, 0.50
"""Centre of mass from the upper end, share of segment length (Winter 2009); foot from ankle to ball."""
LEAST_NM_PER_KG = 0.15
"""Below this sum of moments a share says nothing (practice judgement, editable)."""


@dataclass(frozen=True)
class SidePose:
    """Forward places of the joints, any length unit; heel and toe of the foot on the ground."""

    hip: float
    knee: float
    ankle: float
    heel: float
    toe: float

    @property
    def mid_foot(self) -> float:
        """Half-way from heel to toe."""
        return (self.heel + self.toe) / 2


@dataclass(frozen=True)
class Moments:
    """Net extensor moments of both legs together, per kg of body mass and unit of length (Nm/kg for metres)."""

    hip: float
    knee: float

    @property
    def share(self) -> float:
        """Hip share of the extensor moments, percent; a moment that is not extensor counts nothing."""
        hip, knee = max(self.hip, 0.0), max(self.knee, 0.0)
        return 100 * hip / (hip + knee)


def moments(pose: SidePose, load_share_of_mass: float = 0.0, support: float | None = None) -> Moments:
    """Extensor moments about hip and knee.

    `load_share_of_mass` is bar over body mass; `support` the place of the
    ground force (centre of pressure), mid-foot when None.
    """
    at = pose.mid_foot if support is None else support
    ground = (1 + load_share_of_mass) * GRAVITY
    thigh = pose.hip + THIGH_CENTRE * (pose.knee - pose.hip)
    shank = pose.knee + SHANK_CENTRE * (pose.ankle - pose.knee)
    foot = pose.ankle + FOOT_CENTRE * (pose.toe - pose.ankle)
    below_knee = 2 * GRAVITY * (SHANK * (pose.knee - shank) + FOOT * (pose.knee - foot))
    below_hip = 2 * GRAVITY * (THIGH * (thigh - pose.hip) + SHANK * (shank - pose.hip) + FOOT * (foot - pose.hip))
    return Moments(ground * (at - pose.hip) - below_hip, ground * (pose.knee - at) - below_knee)


def hip_share(
    pose: SidePose, metres: float | None, load_share_of_mass: float = 0.0, support: float | None = None
) -> float | NotMeasured:
    """Hip share in percent, or why not; `metres` in one length unit of the pose, None when unknown.

    `support` as in `moments`.
    """
    found = moments(pose, load_share_of_mass, support)
    total = max(found.hip, 0.0) + max(found.knee, 0.0)
    # Without a scale the foot gives one: 0.152 of stature, about 0.26 m.
    unit = metres if metres is not None else 0.26 / max(abs(pose.toe - pose.heel), 1e-9)
    if total * unit < LEAST_NM_PER_KG:
        return NotMeasured("no-load", "hip and knee hardly bear anything in this pose")
    return found.share


def lever_share(pose: SidePose) -> float | NotMeasured:
    """The quick line: 100 dh / (dh + dk), horizontal distances from the upright line through mid-foot."""
    hip, knee = max(pose.mid_foot - pose.hip, 0.0), max(pose.knee - pose.mid_foot, 0.0)
    if hip + knee <= 0:
        return NotMeasured("no-levers", "hip and knee lie on the line")
    return 100 * hip / (hip + knee)


UPPER_CENTRE = 0.626
"""Centre of head, arms and trunk from hip to shoulder, share of the length (Winter 2009)."""


def balance_percent(pose: SidePose, shoulder: float) -> float:
    """Where the body's centre stands over the foot: 0 heel, 100 toe, outside: falling."""
    upper = 1 - 2 * (FOOT + SHANK + THIGH)
    parts = (
        (upper, pose.hip + UPPER_CENTRE * (shoulder - pose.hip)),
        (2 * THIGH, pose.hip + THIGH_CENTRE * (pose.knee - pose.hip)),
        (2 * SHANK, pose.knee + SHANK_CENTRE * (pose.ankle - pose.knee)),
        (2 * FOOT, pose.ankle + FOOT_CENTRE * (pose.toe - pose.ankle)),
    )
    centre = sum(mass * place for mass, place in parts)
    return 100 * (centre - pose.heel) / (pose.toe - pose.heel)
