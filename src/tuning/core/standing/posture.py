"""How a posture seen from the side is named, by the rules of a table."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from enum import StrEnum

from tuning.core.types import NotMeasured, Observation, Side

POINTS = ("knee", "hip", "shoulder", "ear")
"""Whose offsets from the line through the front of the ankle are read, from below."""
BETWEEN = " - "
"""Stands between two points of a rule: how far the first lies ahead of the second."""


class SpineCurve(StrEnum):
    """How a stretch of the back looks from the side."""

    FLAT = "flat"
    USUAL = "usual"
    STRONG = "strong"


class Posture(StrEnum):
    """Side-view types (Kendall 2005); the rules are practice judgement, editable."""

    IDEAL = "near the plumb line"
    SWAY = "sway-back"
    KYPHOTIC = "rounded upper back, hollow low back"
    FLAT = "flat back"
    NONE = "no type fits"


@dataclass(frozen=True)
class SideLine:
    """Offsets from the line through the front of the ankle, mm, ahead positive; curves by eye."""

    knee: float
    hip: float
    shoulder: float
    ear: float
    upper_back: SpineCurve = SpineCurve.USUAL
    low_back: SpineCurve = SpineCurve.USUAL

    def offset(self, term: str) -> float:
        """A point's offset, mm, or with “hip - shoulder” how far one lies ahead of the other."""
        first, *rest = (float(getattr(self, point)) for point in term.split(BETWEEN))
        return first - sum(rest)


@dataclass(frozen=True)
class PostureRule:
    """A type, the rule in words, and what a line must have: offsets in mm by point or by two points, curves."""

    posture: Posture
    text: str
    at_least: Mapping[str, float] = field(default_factory=dict)
    within: Mapping[str, float] = field(default_factory=dict)
    upper_back: SpineCurve | None = None
    low_back: SpineCurve | None = None

    @property
    def points(self) -> list[str]:
        """Every point that the rule names."""
        return [point for term in (*self.at_least, *self.within) for point in term.split(BETWEEN)]

    def fits(self, line: SideLine) -> bool:
        """Whether a line has all that the rule asks for."""
        return (
            all(line.offset(term) >= least for term, least in self.at_least.items())
            and all(abs(line.offset(term)) < most for term, most in self.within.items())
            and self.upper_back in (None, line.upper_back)
            and self.low_back in (None, line.low_back)
        )


def posture_type(rules: Sequence[PostureRule], line: SideLine) -> tuple[Posture, str]:
    """The first type whose rule fits, and that rule in words."""
    for rule in rules:
        if rule.fits(line):
            return rule.posture, rule.text
    return Posture.NONE, "no rule of the table fits"


def side_line(seen: Sequence[Observation], side: Side, upper: SpineCurve, low: SpineCurve) -> SideLine | NotMeasured:
    """The newest four offsets of one side view with the curves by eye."""
    found = {}
    for point in POINTS:
        values = [o.measured for o in seen if o.measure_id == f"plumb-side-{point}" and o.side is side]
        if not values or values[-1] is None:
            return NotMeasured("incomplete", f"needs the {point} offset of the {side} side")
        found[point] = values[-1]
    return SideLine(found["knee"], found["hip"], found["shoulder"], found["ear"], upper, low)
