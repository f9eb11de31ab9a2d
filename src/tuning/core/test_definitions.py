"""The hands-on tests: what to look at, what is asked, and how an answer is read."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from enum import StrEnum

import numpy as np

from tuning.core.errors import BadInput
from tuning.core.judging.measures import Measure
from tuning.core.types import LEGS, PLAIN, Evidence, Observation, Setup, Side
from tuning.core.units import FORCE_UNITS, LENGTH_UNITS, parse_number

GRADES = ("none", "slight", "moderate", "marked")
HOW_OFTEN = ("absent", "occasional", "most", "every")
"""How often a fault is seen, by repetitions."""


def how_often(faulty: int, of: int) -> str:
    """A count of faulty repetitions in words: `most` is half of them or more (practice judgement, editable).

    Raises ValueError when there are fewer repetitions than faulty ones, or none.
    """
    if not 0 <= faulty <= of or of == 0:
        raise ValueError(f"{faulty} of {of} repetitions")
    return HOW_OFTEN[0 if faulty == 0 else 3 if faulty == of else 2 if 2 * faulty >= of else 1]


class AnswerKind(StrEnum):
    """What an answer looks like."""

    GRADES = "grades"  # a grade 0-3 for each side
    SIGNED = "signed"  # one grade 0-3 with the side it points to
    NUMBER = "number"  # a number with unit, several trials, per side where the measure is
    CHOICE = "choice"  # one of a few words


@dataclass(frozen=True)
class Question:
    """One thing to answer. `measure` for grades and numbers, `key` for choices.

    `number` names a measure whose value may be typed instead of the grade.
    """

    ask: AnswerKind
    text: str
    measure: str = ""
    key: str = ""
    number: str = ""
    trials: int = 1
    options: tuple[str, ...] = ()
    per_side: bool = False
    legs: str = ""
    """As of the test, where this question is about the other leg of the same pose."""
    proposed_by: str = ""
    """Measure on a photograph that proposes the grade."""
    condition: bool = False
    """It says how the test is done (direction, height): the other answers hold under it, and again under another."""


@dataclass(frozen=True)
class Pad:
    """Where the pad may go; `spares` are demands of the test that it does not make there."""

    id: str
    text: str
    spares: tuple[str, ...] = ()


@dataclass(frozen=True)
class Score:
    """Points that are summed from answers: question, option, points; `only` where these answers were given.

    `region` and `height` name the questions that say where and from how high, kept with the score.
    """

    measure: str
    points: Mapping[str, Mapping[str, float]]
    only: Mapping[str, str] = field(default_factory=dict)
    region: str = ""
    height: str = ""

    def of(self, answers: Mapping[str, str]) -> float | None:
        """The sum; None while an answer is missing, or where these answers have no score."""
        if any(answers.get(key) != option for key, option in self.only.items()):
            return None
        found = [given.get(answers.get(key, "")) for key, given in self.points.items()]
        known = [v for v in found if v is not None]
        missing = [key for key in (self.region, self.height) if key and not answers.get(key)]
        return sum(known) if len(known) == len(found) and not missing else None

    def setup(self, answers: Mapping[str, str]) -> Setup:
        """How it was taken: the direction, and the height in metres of an option such as `20 cm`."""
        number = answers.get(self.height, "").split()
        metres = float(number[0]) / 100 if number else None
        return Setup(region=answers.get(self.region, ""), step_height_m=metres)


@dataclass(frozen=True)
class TestDefinition:
    """One entry of the battery. `place` is the height of the look on the figure, 0 crown to 1 floor."""

    __test__ = False  # not a pytest class

    id: str
    stage: str
    name: str
    view: str
    station: str
    look: str
    compare: str
    mistake: str
    suggests: str
    questions: tuple[Question, ...]
    short: str = ""
    """At most 24 letters, for lists; empty where the name is as short."""
    plain: str = ""
    """What a patient reads."""
    caution: str = ""
    place: float = 0.5
    picture: str = ""
    pose: str = ""
    """A rung, and behind a slash its variant, whose drawing shows this test: one figure for test and exercise."""
    picture_kinds: tuple[str, ...] = ()
    panel: str = ""
    """Name of a special panel (foot-score, scales); empty for the question panel."""
    looks: bool = False
    """Looking and asking only: open whatever the safety screen says."""
    maximal: bool = False
    """Maximal or fast: under AMBER it needs a licensed clinician and a reason."""
    demands: tuple[str, ...] = ()
    """The surgeon's limits that lock this test until cleared."""
    amounts: Mapping[str, float] = field(default_factory=dict)
    """The most that it asks by demand, where that is known beforehand: degrees, percent of body weight on a leg."""
    positions: tuple[str, ...] = ("standing",)
    """Where the patient may be, the usual one first; `side-opposite` lies on the side that is not tested."""
    at: str = "free"
    """The clinician's side of the table; `tested` is that of the tested leg."""
    equipment: str = "hands"
    minutes: float = 1.0
    """Time in place, both sides together unless `by_side`."""
    by_side: bool = False
    """Left and right are efforts of their own in the order of the visit."""
    loads: bool = False
    last: bool = False
    """Last in its position: it hurts or tires."""
    muscle: str = ""
    """Group that a maximal effort tires."""
    legs: str = ""
    """Where both legs do something: what `{side}`, the leg that is recorded, and `{other}` do."""
    cue: str = ""
    """What to say to the patient."""
    cues: Mapping[str, str] = field(default_factory=dict)
    """What to say instead in a position where the usual words do not fit."""
    cue_break: str = ""
    """What to say where the tester overcomes the patient."""
    pad: str = ""
    """Where the pad goes, and the lever to be measured."""
    pads: tuple[Pad, ...] = ()
    """Places to choose from, the usual one first; empty where there is only one."""
    lever: bool = True
    """Whether a lever arm makes a torque of the force."""
    arrow: str = ""
    """What the patient does against the pad, as written beside the arrow."""
    tasks: tuple[str, ...] = ()
    """What a clip may show for its faults to be ticked by repetition."""
    cautions: tuple[str, ...] = ()
    """Cautions of a person that stand beside it; so do those of `not_with`."""
    not_with: tuple[str, ...] = ()
    """Cautions of a person with which it is not proposed; by hand it can still be opened."""
    one_leg: bool = False
    """One leg does it: a limit of the other leg leaves this side open."""
    every_trial: bool = False
    """Done only once every trial asked for stands; other tests are done with one."""
    finds_cause: bool = False
    """Its answers tell what one changed thing did; clips with something changed answer them, too."""
    score: Score | None = None
    """A measure that its answers add up to, side by side."""
    extra: bool = False
    """Not part of the guided walk; opened from the list when wanted."""

    def side_words(self, question: Question, side: Side) -> str:
        """The recorded side of a question, so that it cannot be taken for the other leg."""
        return (question.legs or self.legs or "{side}").format(side=side.value, other=side.other.value)

    def say(self, position: str, breaks: bool = False) -> str:
        """What to say to the patient in a position."""
        return self.cue_break if breaks and self.cue_break else self.cues.get(position, self.cue)

    def pad_named(self, pad_id: str) -> Pad:
        """A place of the pad, the usual one for an unknown id."""
        usual = self.pads[0] if self.pads else Pad("", self.pad)
        return next((pad for pad in self.pads if pad.id == pad_id), usual)

    def demands_at(self, pad_id: str) -> tuple[str, ...]:
        """What it demands with the pad there."""
        spared = self.pad_named(pad_id).spares
        return tuple(demand for demand in self.demands if demand not in spared)

    @property
    def faults(self) -> list[Question]:
        """The questions that ask how often a fault is seen."""
        return [q for q in self.questions if q.options == HOW_OFTEN]


@dataclass(frozen=True)
class WalkStep:
    """One question on one side; `side` is NONE where the question covers both or has none."""

    test: TestDefinition
    question: Question
    side: Side


def steps_of(tests: Sequence[TestDefinition], measures: Mapping[str, Measure], first: Side) -> list[WalkStep]:
    """All steps in order; side by side questions begin with the leg `first`."""
    order = (first, first.other) if first in LEGS else (Side.RIGHT, Side.LEFT)
    made = []
    for test in tests:
        for question in test.questions:
            by_side = question.per_side or (question.ask is AnswerKind.NUMBER and measures[question.measure].paired)
            made += [WalkStep(test, question, side) for side in (order if by_side else (Side.NONE,))]
    return made


_LETTERS = {"R": (Side.RIGHT,), "L": (Side.LEFT,), "B": LEGS}
_GRADED = re.compile(r"([RLB]{1,2})([0-3]{1,2})")


def answer_is_complete(text: str) -> bool:
    """True when the keys pressed so far are a whole answer: `0`, `R2`, `B1`, `LR13`."""
    if text == "0":
        return True
    match = _GRADED.fullmatch(text)
    return match is not None and len(match[1]) == len(match[2])


def answer_may_continue(text: str) -> bool:
    """True while more keys could make a whole answer."""
    return re.fullmatch(r"[RL]{1,2}|B|[RL]{2}[0-3]", text) is not None and text not in ("RR", "LL")


def read_grades(text: str) -> dict[Side, int]:
    """Grades by side: `0` none on both, `R2` right only, `B1` both, `LR13` left 1 and right 3.

    Raises BadInput with what would be accepted.
    """
    keys = re.sub(r"[\s,]", "", text).upper()
    grades = dict.fromkeys(LEGS, 0)
    if keys == "0":
        return grades
    match = _GRADED.fullmatch(keys)
    if match is None or len(match[1]) != len(match[2]) or match[1] in ("RR", "LL") or ("B" in match[1][1:]):
        raise BadInput("Press 0 for none, or a side and a grade: R2, L1, B2 for both, LR13 for left 1 and right 3.")
    for letter, digit in zip(match[1], match[2], strict=True):
        for side in _LETTERS[letter]:
            grades[side] = int(digit)
    return grades


def read_signed(text: str) -> int:
    """One grade with its side: positive to the right. Raises BadInput."""
    keys = re.sub(r"\s", "", text).upper()
    if keys == "0":
        return 0
    match = re.fullmatch(r"([RL])([0-3])", keys)
    if match is None:
        raise BadInput("Press 0 for level, or the side and a grade: R2 or L1.")
    return int(match[2]) * (1 if match[1] == "R" else -1)


def read_number(text: str, measure: Measure) -> float:
    """A typed number in the unit of the measure, other units of its kind accepted.

    Raises BadInput when it is no such number or outside what is possible.
    """
    factors = next((f for f in (LENGTH_UNITS, FORCE_UNITS) if measure.unit in f), {measure.unit: 1.0})
    value = parse_number(text, measure.unit, factors, measure.name) / factors[measure.unit]
    if measure.possible is not None and not measure.possible[0] <= value <= measure.possible[1]:
        low, high = measure.possible
        unit = measure.unit
        raise BadInput(f"{measure.name}: {text.strip()} is not possible; {low:g} to {high:g} {unit} is accepted.")
    return value


def observed(
    measure: Measure,
    side: Side,
    trials: Sequence[float],
    method: str,
    setup: Setup = PLAIN,
    evidence: Evidence | None = None,
    reason: str = "",
) -> Observation:
    """Several looks or trials of one measure as one observation, summed up by their mean."""
    values = np.asarray(trials, dtype=np.float64)
    mean = float(values.mean())
    return Observation(measure.id, side, mean, values, "mean", method, setup=setup, evidence=evidence, reason=reason)


def grade_words(grade: float) -> str:
    """A grade, or the mean of two looks, in words."""
    size = abs(grade)
    if size == int(size):
        return GRADES[int(size)]
    return f"{GRADES[int(size)]} to {GRADES[int(size) + 1]}"
