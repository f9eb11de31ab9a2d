"""The numbers by which an exercise goes up, is held or goes back; they stand in knowledge/progression.toml."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from enum import StrEnum


class PainPolicy(StrEnum):
    """How much pain an exercise may give."""

    STRICT = "strict"
    MONITORED = "monitored"


class Clock(StrEnum):
    """How long a rung is kept before the next one, as the clinic prefers."""

    BRISK = "brisk"
    USUAL = "usual"
    CAREFUL = "careful"


@dataclass(frozen=True)
class PainRules:
    """Pain of 10: where everything stops, what a quiet morning may have, and by school what is clean or may climb."""

    stop: int
    settled: int
    most: Mapping[PainPolicy, int]
    climb: Mapping[PainPolicy, int]


@dataclass(frozen=True)
class FaultRules:
    """Faulty repetitions, percent: up to which a session is clean, above which it goes back."""

    clean: float
    many: float


@dataclass(frozen=True)
class AlarmRules:
    """Days: rest after a stop, window of a second one, no climb after one."""

    rest: int
    again: int
    no_climb: int


@dataclass(frozen=True)
class FlareRules:
    """Days in which a flare-up settles: at least, and at most while mornings are not quiet."""

    settling: int
    most_settling: int


@dataclass(frozen=True)
class MissedRules:
    """Days without a session: above which there is a set fewer, a step back, a new placement."""

    fewer: int
    back: int
    replace: int


@dataclass(frozen=True)
class AdherenceRules:
    """Least share of planned sessions, percent, over so many days."""

    least: float
    days: int


@dataclass(frozen=True)
class PlateauRules:
    """Days without a climb before one thing is changed, and after that before the cause is tested again."""

    change: int
    retest: int


@dataclass(frozen=True)
class SessionRules:
    """Sessions: clean ones before the next rung, a step within it, the way back; bad ones before it goes back."""

    rung: int
    step: int
    back: int
    wrong: int
    unfelt: int


@dataclass(frozen=True)
class ClockRules:
    """Days at a rung: of daily low load, and of everything else by the clinic's clock."""

    daily: int
    brisk: int
    usual: int
    careful: int

    def days(self, daily: bool, clock: Clock = Clock.USUAL) -> int:
        """Days before a rung may be passed."""
        return self.daily if daily else {Clock.BRISK: self.brisk, Clock.CAREFUL: self.careful}.get(clock, self.usual)


@dataclass(frozen=True)
class SchoolRules:
    """Ladders in which a session counts only where it was felt."""

    felt: tuple[str, ...]


@dataclass(frozen=True)
class Rules:
    """All numbers of the decision table."""

    pain: PainRules
    faults: FaultRules
    alarms: AlarmRules
    flare: FlareRules
    missed: MissedRules
    adherence: AdherenceRules
    plateau: PlateauRules
    sessions: SessionRules
    clock: ClockRules
    school: SchoolRules
