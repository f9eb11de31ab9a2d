"""The suspicion trail of the standing levels: from a low crease to the look that decides it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum

from tuning.core.types import Observation, Role, Side

PALPATION_ERROR_MM = {"typed": 11.0, "photo": 5.5, "by eye": 11.0}
"""Smallest difference that one look can tell, mm, by method (practice judgement, editable)."""
LEVEL_BELOW_MM = 5.0
"""Palpated height differences under this count as level (practice judgement, editable)."""
GRADE_MM = (0.0, 7.0, 14.5, 20.0)
"""Height difference that stands for a grade by eye: the middle of its band, its edge for `marked`."""


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
    """Right minus left, mm, and the smallest difference that this look can tell."""

    mm: float
    error_mm: float

    @property
    def tilt(self) -> Tilt:
        """Low side from 5 mm on."""
        if abs(self.mm) < LEVEL_BELOW_MM:
            return Tilt.LEVEL
        return Tilt.LOW_LEFT if self.mm > 0 else Tilt.LOW_RIGHT

    @property
    def clear(self) -> bool:
        """False from 5 mm up to the error: low, yet possibly level."""
        return self.tilt is Tilt.LEVEL or abs(self.mm) > self.error_mm


def from_grade(grade: float) -> Height:
    """A signed grade by eye as a height. Raises ValueError beyond 3."""
    if abs(grade) > 3:
        raise ValueError("grades run from 0 to 3")
    low = int(abs(grade))
    mm = GRADE_MM[low] + (abs(grade) - low) * (GRADE_MM[min(low + 1, 3)] - GRADE_MM[low])
    return Height(mm if grade >= 0 else -mm, PALPATION_ERROR_MM["by eye"])


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
    """The table with the distances that turn a crease difference into a spine difference."""

    iliac_spine_spacing_mm: float
    hip_centre_spacing_mm: float
    source: str
    rows: tuple[ChainRow, ...]

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
            return "Creases and rear spines level: nothing suspected."
        at = f" ({self.low.value})" if self.low is not Side.NONE else ""
        return f"{lead(self.row.structural, role)}: {self.row.suspicion}{at}."


def lead(structural: bool, role: Role) -> str:
    """How a suspicion is introduced, by role; structure is never more than suspected."""
    if role is Role.CLINICIAN:
        return "Suspected, consider measuring" if structural else "Suspected"
    return "Suspected, have it checked" if structural else "Worth having checked"


LOOKS = {
    "crease": "knee creases",
    "psis": "rear pelvic spines, standing",
    "arch": "inner arches",
    "sitting": "rear pelvic spines, sitting",
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
            f"a leg difference of {abs(crease.mm):.0f} mm would tip the rear spines by {expected:.0f} mm, "
            f"{can} than the {psis.error_mm:g} mm that one look can tell"
        )
    facts.append(f"rear spines standing {_told(psis)}")
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
        return "the scales cannot tell which side carries more"
    heavier = Side.RIGHT if d > 0 else Side.LEFT
    if heavier is low:
        return f"agrees: the {low.value} hip is lower and carries more"
    return f"does not support it: the {low.value} hip is lower but the {heavier.value} carries more"


def _height(seen: Sequence[Observation], stem: str) -> Height | None:
    """The newest number, photographed or typed; else the grade by eye."""
    numbers = [o for o in seen if o.measure_id == stem and o.measured is not None]
    if numbers:
        newest = numbers[-1]
        method = "photo" if newest.marking_sd is not None else "typed"
        return Height(newest.measured or 0.0, PALPATION_ERROR_MM[method])
    grades = [o for o in seen if o.measure_id == f"{stem}-eye" and o.measured is not None]
    return from_grade(grades[-1].measured or 0.0) if grades else None


def levels_from(seen: Sequence[Observation]) -> Levels:
    """The looks among the observations of a visit, oldest first."""
    arch = {o.side: o.measured for o in seen if o.measure_id == "arch-profile-eye"}
    left, right = arch.get(Side.LEFT), arch.get(Side.RIGHT)
    return Levels(
        _height(seen, "knee-crease-level"),
        _height(seen, "psis-level"),
        _height(seen, "psis-sitting"),
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
