"""The types that every floor shares."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import UTC, datetime
from enum import StrEnum
from typing import Any

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]


class Side(StrEnum):
    """Anatomical side; mirrored pictures never swap it."""

    LEFT = "left"
    RIGHT = "right"
    BOTH = "both"
    NONE = "none"

    @property
    def other(self) -> Side:
        """The opposite leg; `both` and `none` are their own opposite."""
        return {Side.LEFT: Side.RIGHT, Side.RIGHT: Side.LEFT}.get(self, self)


LEGS = (Side.LEFT, Side.RIGHT)


class Role(StrEnum):
    """Who is looking; decides the wording of suspicions and who may override."""

    CLINICIAN = "licensed clinician"
    TRAINER = "trainer"
    STUDENT = "student"


class Triage(StrEnum):
    """Result of the safety screen; the surgeon's limits count as AMBER."""

    NONE = "NONE"
    AMBER = "AMBER"
    RED = "RED"


@dataclass(frozen=True)
class NotMeasured:
    """Stands in place of a number that the input cannot support.

    `reason` is a stable short code, `detail` the sentence that is shown.
    """

    reason: str
    detail: str


@dataclass(frozen=True)
class Setup:
    """How a value was taken. Two values are alike only as far as these agree (judging.likeness).

    `changed` is the one thing changed in a trial of cause, `treatment` what was
    done before. `simulated` is true for everything that a made-up device sent.
    """

    mode: str = ""
    position: str = ""
    fixation: str = ""
    lever_m: float | None = None
    pad: str = ""
    body_mass_kg: float | None = None
    task: str = ""
    gait: str = ""
    """Walk or run, as the steps of a clip tell."""
    shoes: str = ""
    load_kg: float | None = None
    turn_out_deg: float | None = None
    speed_m_s: float | None = None
    step_height_m: float | None = None
    reach: str = ""
    """Where the free leg reaches in a step-down."""
    band: str = ""
    cue: str = ""
    changed: str = ""
    treatment: str = ""
    worn: str = ""
    """A shoe lift, brace or orthosis that was on, with its side."""
    region: str = ""
    device: str = ""
    simulated: bool = False


PLAIN = Setup()
"""Nothing special was said of how it was done."""


@dataclass(frozen=True)
class FrameRef:
    """The frame of a picture that a value rests on; `frames` are those of all trials."""

    capture: str
    frame: int = 0
    time_s: float = 0.0
    frames: tuple[int, ...] = ()
    marks: Mapping[str, tuple[float, float]] = field(default_factory=dict)
    level: str = ""
    roll_deg: float | None = None
    cutoff_hz: float | None = None


@dataclass(frozen=True)
class TraceRef:
    """The samples that a value rests on: traces of the gauge by trial, or a recording of the plates.

    `typed` holds numbers as they were entered, with their unit; `recording` is the
    SHA-256 of the kept file.
    """

    typed: tuple[str, ...] = ()
    traces: tuple[Mapping[str, Any] | None, ...] = ()
    recording: str = ""
    test: str = ""
    source: str = ""
    filter: str = ""


@dataclass(frozen=True)
class FormRef:
    """The single answers that a value sums up: items of a score, or pairs of readings."""

    items: tuple[float | None, ...] = ()
    pairs: tuple[tuple[float, float], ...] = ()


Evidence = FrameRef | TraceRef | FormRef
UNWRITTEN = datetime.min.replace(tzinfo=UTC)
"""Time of an entry that was not written yet."""


@dataclass(frozen=True, kw_only=True)
class Entry:
    """What everything captured in a visit carries once it is written.

    `uid` survives archives, merges and corrections. `replaces` is the uid of the
    entry that this one puts right or goes on with. Times are UTC with zone.
    """

    uid: str = ""
    visit: str = ""
    at: datetime = UNWRITTEN
    person: str = ""
    who: str = ""
    replaces: str = ""


@dataclass(frozen=True, eq=False)
class Observation(Entry):
    """One captured value with everything needed to explain and repeat it.

    `value` is in the unit of the measure (see knowledge/measures).
    `trials` has shape (n,), same unit. `marking_sd` is the standard deviation
    that mark placement alone adds, same unit, None where no marks were placed.
    `pain` is 0-10 with the test, None when not asked; `reason` is why it was done
    although the gate asked.
    """

    measure_id: str
    side: Side
    value: float | NotMeasured
    trials: Floats = field(default_factory=lambda: np.empty(0))
    summary_rule: str = "single"
    method: str = "typed"
    marking_sd: float | None = None
    quality: float = 1.0
    quality_reason: str = ""
    setup: Setup = PLAIN
    evidence: Evidence | None = None
    pain: int | None = None
    reason: str = ""

    @property
    def measured(self) -> float | None:
        """The value as a number, or None when it was not measured."""
        return None if isinstance(self.value, NotMeasured) else self.value

    @property
    def spread(self) -> float:
        """Standard deviation (n - 1) of the trials; 0 below two trials."""
        values = self.trials.tolist()  # a handful: NumPy's own way takes ten times as long
        if len(values) < 2:
            return 0.0
        mean = math.fsum(values) / len(values)
        return math.sqrt(math.fsum((v - mean) ** 2 for v in values) / (len(values) - 1))

    @property
    def capture(self) -> str:
        """Uid of the picture that the value rests on; empty without one."""
        return self.evidence.capture if isinstance(self.evidence, FrameRef) else ""

    @property
    def frame(self) -> int | None:
        """The frame of that picture; None without one."""
        return self.evidence.frame if isinstance(self.evidence, FrameRef) else None
