"""What a visit holds besides values: pictures, marks, answers, endings, forms, decisions, screens, the plan."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import date, datetime
from enum import StrEnum
from typing import Any

from tuning.core.types import PLAIN, Entry, Setup, Side, Triage

Point = tuple[float, float]


class Status(StrEnum):
    """How a test ended. Zero never means not done."""

    DONE = "done"
    UNABLE = "unable"
    PAIN = "stopped for pain"
    INVALID = "not valid"
    NOT_DONE = "not done"


class NextDayResponse(StrEnum):
    """How the morning after a session was."""

    SETTLED = "settled"
    NOT = "not settled"
    UNKNOWN = "unknown"


class Purpose(StrEnum):
    """What a kept file is for."""

    PICTURE = "picture"
    PLATES = "plates"
    SHOES = "shoes"


@dataclass(frozen=True)
class Medium:
    """A file kept bit for bit under its SHA-256 name."""

    uid: str
    sha256: str
    suffix: str
    name: str
    size: int


@dataclass(frozen=True)
class Capture(Entry):
    """A file opened in a visit.

    `view` is the kind of picture; for plates `test` is the test and `side` its leg
    (no test: the plates ran with a clip). `simulated` is true for what a made-up
    camera sent, `reason` why it was filmed although the gate asked.
    """

    medium: Medium
    purpose: Purpose = Purpose.PICTURE
    view: str = ""
    test: str = ""
    side: Side = Side.NONE
    simulated: bool = False
    reason: str = ""


@dataclass(frozen=True)
class Mark(Entry):
    """A landmark in one frame, image pixels; no place means that it was removed.

    `sd_px` is the placing error at the zoom of the moment.
    """

    capture: str
    frame: int
    name: str
    place: Point | None
    sd_px: float


@dataclass(frozen=True)
class Calibration(Entry):
    """Two points that level or scale all frames of a capture; no ends means removed.

    `frame` is the one they were marked in, from which they move with a camera that moves.
    """

    capture: str
    what: str
    ends: tuple[Point, Point] | None
    sd_px: float
    length_m: float | None = None
    frame: int = 0


@dataclass(frozen=True)
class ClipFacts(Entry):
    """What somebody says of a clip: how it was taken, and its true frames a second where the file is wrong.

    Zero frames a second: it runs as it is stored, whatever the file says.
    """

    capture: str
    frames_per_second: float | None = None
    setup: Setup = PLAIN


@dataclass(frozen=True)
class MovedEvent:
    """An event put elsewhere by hand, times in s; `found_s` is None where none was found and one was put anew."""

    kind: str
    side: Side
    found_s: float | None
    put_s: float


@dataclass(frozen=True)
class PlatesUsed:
    """The capture of the plates that ran with a clip, and how far ahead of their origin the heels stood."""

    capture: str
    heel_mm: float = 0.0


@dataclass(frozen=True)
class Track(Entry):
    """Marks followed through a clip, for one task.

    `places` is packed by records.packing; it is empty until asked for.
    """

    capture: str
    task: str
    side: Side
    names: tuple[str, ...]
    moved: tuple[MovedEvent, ...] = ()
    cutoff_hz: float | None = None
    plates: PlatesUsed | None = None
    places: bytes = b""


@dataclass(frozen=True)
class Answer(Entry):
    """The chosen words to a question. Where repetitions were ticked: which ones, of how many, in which clip.

    `under` names the conditions it was answered under (direction, height), `pain` is 0-10 with the movement.
    """

    test: str
    question: str
    side: Side
    option: str
    looks: int = 1
    ticked: tuple[int, ...] = ()
    out_of: int = 0
    capture: str = ""
    reason: str = ""
    under: str = ""
    pain: int | None = None

    @property
    def count(self) -> int:
        """Number of ticked repetitions."""
        return len(self.ticked)


@dataclass(frozen=True)
class Ending(Entry):
    """A test that ended without the values asked for."""

    test: str
    side: Side
    status: Status


@dataclass(frozen=True)
class Form(Entry):
    """A filled form; the newest of its kind stands over all visits."""

    kind: str
    data: Mapping[str, Any]
    version: int = 1


@dataclass(frozen=True)
class Note(Entry):
    """Free words about a stage."""

    stage: str
    text: str


@dataclass(frozen=True)
class Treatment(Entry):
    """What was done between two measurements; minutes None where nobody said."""

    what: str
    minutes: float | None = None
    by: str = ""


@dataclass(frozen=True)
class Decision(Entry):
    """What somebody decided: about what, on what grounds, with which outcome."""

    subject: str
    outcome: str
    inputs: Mapping[str, Any] = field(default_factory=dict)
    side: Side = Side.NONE
    reason: str = ""


@dataclass(frozen=True)
class Screen(Entry):
    """One safety screen: answers, the rules that fired, the level, what was said.

    `reds` are those of the rules that lock, `looks` those that only ask for a look;
    `ends` says when a rule ends by itself. `again`: nothing new since the one before.
    """

    level: Triage
    answers: Mapping[str, bool] = field(default_factory=dict)
    rules: tuple[str, ...] = ()
    note: str = ""
    said: str = ""
    again: bool = False
    reds: tuple[str, ...] = ()
    looks: tuple[str, ...] = ()
    ends: Mapping[str, datetime] = field(default_factory=dict)
    grounds: Mapping[str, tuple[str, ...]] = field(default_factory=dict)
    """What each rule rests on: the questions and facts that were yes."""
    same: tuple[str, ...] = ()
    """Questions whose yes was said to be the one that was cleared before."""
    numbers: Mapping[str, float] = field(default_factory=dict)
    """The number of a surgeon's limit, by its question, in the unit of the limit."""
    until: Mapping[str, date] = field(default_factory=dict)
    """The day that was named for a limit: it asks again then, and lifts nothing."""


@dataclass(frozen=True)
class Clearance(Entry):
    """Somebody lifted what a screen found: the rule or limit `subject`; older records lifted all with an empty one."""

    screen: str
    by: str
    on: date
    result: str
    subject: str = ""


@dataclass(frozen=True)
class PlanItem(Entry):
    """A prescribed rung with its dose, as it was on the day."""

    ladder: str
    rung: str
    dose: Mapping[str, Any]
    first_side: Side
    checks: tuple[tuple[str, str], ...] = ()
    reason: str = ""
    withdrawn: bool = False
    variant: str = ""
    why: str = ""
    """What the program said when it was written; `reason` is what a person typed."""
    routine: str = ""
    """Of which routine it is a part; empty for an exercise by itself."""


@dataclass(frozen=True)
class Done(Entry):
    """What one side of an exercise was like on a day, in the clinic or at home; `trial` for a try-out.

    Pain is the peak, 0-10; `morning` how the next one was; `faulty` the share of faulty repetitions in percent,
    `faults` which; `alarms` what was told of giving way, catch, swelling, numb, dizzy, painkiller. `source` says where
    it comes from.
    """

    rung: str
    side: Side
    day: date
    variant: str = ""
    sets: int = 0
    reps: int = 0
    pain: int = 0
    morning: NextDayResponse = NextDayResponse.UNKNOWN
    morning_pain: int | None = None
    faulty: float = 0.0
    faults: tuple[str, ...] = ()
    felt: bool = True
    wrong: bool = False
    alarms: tuple[str, ...] = ()
    supervised: bool = False
    trial: bool = False
    cued: bool = False
    source: str = "clinic"
    after_cut: int | None = None
    """Pain once range or zone was cut in the same session; None where nothing was cut."""
    first_at: datetime | None = None
    """When it was first told, where it was amended since; None: at its own time."""
    reason: str = ""
    """A licensed clinician's, where the gate asked for one."""
    dose: Mapping[str, Any] = field(default_factory=dict)
    """What was asked for on that day; empty where nobody kept it."""


@dataclass(frozen=True)
class OtherLoad(Entry):
    """Sport, work or household on a day: `amount` in `unit` (minutes, km, hours standing), effort 0-10."""

    what: str
    day: date
    amount: float
    unit: str
    effort: int = 0
    settled: bool | None = None


@dataclass(frozen=True)
class Unreadable(Entry):
    """Stands in the place of an entry that the file holds and that cannot be read: its kind, and why. Never written."""

    kind: str
    why: str


@dataclass(frozen=True)
class Letter(Entry):
    """A report as it was sent: its pages as a kept PDF, its sentences as text, and what they rested on."""

    medium: Medium
    kind: str
    register: str
    text: str
    rests: tuple[str, ...] = ()
