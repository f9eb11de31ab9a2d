"""The suspicion trail of the standing levels: from a low crease to the look that decides it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum

import numpy as np

from tuning.core.types import Observation, Role, Side

LEVELS_DECIDED = "levels-chain"
"""The subject of a decision about what lowers a side."""
LOOK_METHODS = ("typed", "photo", "by eye")
"""How a height was taken; each tells differences from another size on."""


class Tilt(StrEnum):
    """What one level says."""

    LOW_LEFT = "left low"
    LOW_RIGHT = "right low"
    LEVEL = "level"
    NONE = "not looked at"

    @property
    def low(self) -> Side:
        """The lower side."""
        return {Tilt.LOW_LEFT: Side.LEFT, Tilt.LOW_RIGHT: Side.RIGHT}.get(self, Side.NONE)


@dataclass(frozen=True)
class Height:
    """Right minus left, mm, the smallest difference that this look can tell, and what still counts as level."""

    mm: float
    error_mm: float
    level_below_mm: float

    @property
    def tilt(self) -> Tilt:
        """Low side, unless it counts as level."""
        if abs(self.mm) < self.level_below_mm:
            return Tilt.LEVEL
        return Tilt.LOW_LEFT if self.mm > 0 else Tilt.LOW_RIGHT

    @property
    def clear(self) -> bool:
        """False from the least height that counts up to the error: low, yet possibly level."""
        return self.tilt is Tilt.LEVEL or abs(self.mm) > self.error_mm


@dataclass(frozen=True)
class Levels:
    """The looks the chain needs; `arch` is the grade of each foot (left, right)."""

    crease: Height | None = None
    psis: Height | None = None
    sitting: Height | None = None
    arch: tuple[float, float] | None = None


@dataclass(frozen=True)
class ChainRow:
    """One line of the truth table."""

    id: str
    crease: str
    psis: str
    sitting: str
    arch: str
    suspicion: str
    relook: str
    outcomes: Mapping[str, str]
    structural: bool = False


@dataclass(frozen=True)
class Chain:
    """The table, the distances that turn a crease difference into a spine difference, and what a look can tell.

    `error_mm` is the smallest difference that one look can detect, by how it was taken; `grade_edges` the least tilt
    and height difference of the grades by eye, 1 to 3, by unit.
    """

    iliac_spine_spacing_mm: float
    hip_centre_spacing_mm: float
    level_below_mm: float
    error_mm: Mapping[str, float]
    grade_edges: Mapping[str, tuple[float, float, float]]
    source: str
    rows: tuple[ChainRow, ...]

    def grade_of(self, value: float, unit: str) -> int:
        """Grade 0-3 that a tilt (°) or a height (mm) would have by eye. Raises KeyError for other units."""
        return sum(abs(value) >= edge for edge in self.grade_edges[unit])

    def height(self, mm: float, method: str) -> Height:
        """A height difference with what its method can tell. Raises KeyError for an unknown method."""
        return Height(mm, self.error_mm[method], self.level_below_mm)

    def from_grade(self, grade: float) -> Height:
        """A signed grade by eye as a height: the middle of its band of whole millimetres, for `marked` its edge.

        Raises ValueError beyond 3.
        """
        if abs(grade) > 3:
            raise ValueError("grades run from 0 to 3")
        one, two, three = self.grade_edges["mm"]
        mm = float(np.interp(abs(grade), range(4), (0.0, (one + two - 1) / 2, (two + three - 1) / 2, three)))
        return self.height(mm if grade >= 0 else -mm, "by eye")

    def expected_psis_mm(self, crease_mm: float) -> float:
        """Rear-spine difference that a leg difference would make.

        The pelvis tips about the hips; spines w apart move w / spacing of the
        difference at the hips. Signed like the crease.
        """
        return crease_mm * self.iliac_spine_spacing_mm / self.hip_centre_spacing_mm


@dataclass(frozen=True)
class Suspicion:
    """What the looks open so far; `missing` names the look that must come first."""

    row: ChainRow | None
    low: Side
    facts: tuple[str, ...]
    missing: str = ""

    @property
    def open(self) -> bool:
        """True when there is something to decide."""
        return self.row is not None and bool(self.row.suspicion)

    def text(self, role: Role) -> str:
        """The suspicion in the words that a role may use."""
        if self.row is None:
            return f"Next look: {self.missing}."
        if not self.row.suspicion:
            return "Popliteal creases and PSIS level: nothing suspected."
        at = f" ({self.low.value})" if self.low is not Side.NONE else ""
        return f"{lead(self.row.structural, role)}: {self.row.suspicion}{at}."


def lead(structural: bool, role: Role) -> str:
    """How a suspicion is introduced, by role; structure is never more than suspected."""
    if role is Role.CLINICIAN:
        return "Suspected, consider measuring" if structural else "Suspected"
    return "Suspected, have it checked" if structural else "Worth having checked"


LOOKS = {
    "crease": "popliteal creases",
    "psis": "PSIS, standing",
    "arch": "medial arches",
    "sitting": "PSIS, sitting",
}


def suspect(chain: Chain, levels: Levels) -> Suspicion:
    """Read the looks against the table; the first row that fits counts."""
    for name in ("crease", "psis", "arch", "sitting"):
        if getattr(levels, name) is None:
            return Suspicion(None, Side.NONE, (), LOOKS[name])
    crease, psis, sitting, arch = levels.crease, levels.psis, levels.sitting, levels.arch
    assert crease is not None and psis is not None and sitting is not None and arch is not None
    low = crease.tilt.low if crease.tilt.low is not Side.NONE else psis.tilt.low
    words = {
        "crease": "level" if crease.tilt is Tilt.LEVEL else "low",
        "psis": _psis_word(chain, crease, psis),
        "sitting": "level" if sitting.tilt is Tilt.LEVEL else "low",
        "arch": _arch_word(arch, low),
    }
    row = next(row for row in chain.rows if _fits(row, words))
    return Suspicion(row, low, _facts(chain, crease, psis, sitting))


def _psis_word(chain: Chain, crease: Height, psis: Height) -> str:
    if crease.tilt is Tilt.LEVEL:
        return "level" if psis.tilt is Tilt.LEVEL else "low"
    if psis.tilt is Tilt.LEVEL:
        expected = abs(chain.expected_psis_mm(crease.mm))
        return "level" if expected > psis.error_mm else "unresolved"
    return "same" if psis.tilt is crease.tilt else "other"


def _arch_word(arch: tuple[float, float], low: Side) -> str:
    left, right = arch
    gap = (left - right) if low is Side.LEFT else (right - left)
    return "worse" if low is not Side.NONE and gap >= 1 else "equal"


def _fits(row: ChainRow, words: Mapping[str, str]) -> bool:
    return all(getattr(row, name) in ("any", word) for name, word in words.items())


def _facts(chain: Chain, crease: Height, psis: Height, sitting: Height) -> tuple[str, ...]:
    facts = [f"crease {_told(crease)}"]
    if crease.tilt is not Tilt.LEVEL:
        expected = abs(chain.expected_psis_mm(crease.mm))
        can = "more" if expected > psis.error_mm else "less"
        facts.append(
            f"a leg difference of {abs(crease.mm):.0f} mm would tilt the PSIS by {expected:.0f} mm, "
            f"{can} than the {psis.error_mm:g} mm that one look can detect"
        )
    facts.append(f"PSIS standing {_told(psis)}")
    facts.append(f"sitting {_told(sitting)}")
    return tuple(facts)


def _told(height: Height) -> str:
    if height.tilt is Tilt.LEVEL:
        return "level"
    unsure = "" if height.clear else ", unclear"
    return f"{height.tilt.value} by about {abs(height.mm):.0f} mm{unsure}"


def loading_agrees(share_percent: float, error: float, low: Side) -> str:
    """Whether the scales carry more on the lower side, in words; `error` in points."""
    if low is Side.NONE:
        return "no lower hip was found"
    d = share_percent - 50
    if abs(d) <= error:
        return "the scales cannot show which side carries more"
    heavier = Side.RIGHT if d > 0 else Side.LEFT
    if heavier is low:
        return f"agrees: the {low.value} hip is lower and carries more"
    return f"does not support it: the {low.value} hip is lower but the {heavier.value} carries more"


def _height(chain: Chain, seen: Sequence[Observation], stem: str) -> Height | None:
    """The newest number, photographed or typed; else the grade by eye."""
    numbers = [o for o in seen if o.measure_id == stem and o.measured is not None]
    if numbers:
        newest = numbers[-1]
        method = "photo" if newest.marking_sd is not None else "typed"
        return chain.height(newest.measured or 0.0, method)
    grades = [o for o in seen if o.measure_id == f"{stem}-eye" and o.measured is not None]
    return chain.from_grade(grades[-1].measured or 0.0) if grades else None


def levels_from(chain: Chain, seen: Sequence[Observation]) -> Levels:
    """The looks among the observations of a visit, oldest first."""
    arch = {o.side: o.measured for o in seen if o.measure_id == "arch-profile-eye"}
    left, right = arch.get(Side.LEFT), arch.get(Side.RIGHT)
    return Levels(
        _height(chain, seen, "knee-crease-level"),
        _height(chain, seen, "psis-level"),
        _height(chain, seen, "psis-sitting"),
        None if left is None or right is None else (left, right),
    )


LOW_HIP = ("pelvis-crest-level", "pelvis-crest-level-tilt", "pelvis-crest-level-eye")


def low_hip(seen: Sequence[Observation]) -> Side:
    """The lower side of the pelvis crest, newest look: height before tilt before grade by eye."""
    for measure_id in LOW_HIP:
        found = [o.measured for o in seen if o.measure_id == measure_id]
        if found and found[-1]:
            return Side.LEFT if found[-1] > 0 else Side.RIGHT
    return Side.NONE


def is_sound(chain: Chain) -> Sequence[str]:
    """Combinations of looks that no row catches; empty when the table is whole."""
    holes = []
    for crease in ("low", "level"):
        for psis in ("same", "other", "level", "unresolved") if crease == "low" else ("low", "level"):
            for sitting in ("low", "level"):
                for arch in ("worse", "equal"):
                    words = {"crease": crease, "psis": psis, "sitting": sitting, "arch": arch}
                    if not any(_fits(row, words) for row in chain.rows):
                        holes.append(" ".join(words.values()))
    return holes


def proposed_grade(chain: Chain, value: float, unit: str) -> int:
    """Signed grade that a photographed tilt or height would have by eye."""
    return chain.grade_of(value, unit) * (1 if value > 0 else -1)
