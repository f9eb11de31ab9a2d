"""The next best test: what would tell most for its time, from where the patient is now."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from functools import cache

from tuning.core.reasoning.balance import Balance, Chip, Label, Sheet
from tuning.core.reasoning.findings import Findings
from tuning.core.reasoning.tables import ReasoningTable, Sign
from tuning.core.types import LEGS, NotMeasured, Side
from tuning.core.units import mid_sentence
from tuning.core.visit.battery import Test
from tuning.core.visit.efforts import Minutes, Place, resolve
from tuning.core.visit.plan import ClipTask

SHOWN = 3
TRIAL = "trial:"
CLIP_OF = {
    "gait-": "clip-rear-gait", "squat-front-": "clip-squat-front", "squat-hip-": "clip-squat-front",
    "squat-side-": "clip-squat-side", "hip-knee-share": "clip-squat-side", "knee-toe-": "clip-squat-side",
    "step-down-": "clip-step-down", "lunge-": "plates-lunge-iso", "calf-raise-": "plates-calf-raise",
    "quiet-stance": "plates-quiet-stance", "squat-fast": "plates-squat-fast", "squat-pause": "plates-squat-pause",
    "squat-iso": "plates-squat-iso",
}  # fmt: skip
"""The clip or recording that a measure without a test of its own is taken in, by how its name begins."""


@dataclass(frozen=True)
class Option:
    """A test that may be done next: what it separates, how long it takes, and what it costs to get there."""

    id: str
    name: str
    side: Side
    minutes: float
    moves: str
    factors: tuple[str, ...]
    usefulness: float
    separates: str
    stage: str
    change: str = ""


@dataclass(frozen=True)
class Tests:
    """Everything that can be done: tests, clips and recordings, what a change of place costs."""

    tests: Mapping[str, Test]
    clips: Mapping[str, ClipTask]
    minutes: Minutes
    test_of: Callable[[str], Test | None]

    def of_sign(self, sign: Sign) -> list[str]:
        """Ids of the tests in which a sign is looked for."""
        if sign.test:
            return [sign.test]
        if sign.changes:
            return [f"{TRIAL}{change}" for change in sign.changes]
        found = []
        for measure in (*sign.measures, *([sign.over] if sign.over else [])):
            test, clip = self.test_of(measure), _clip_of(measure)
            found += [test.id] if test is not None else [clip] if clip in self.clips else []
        return list(dict.fromkeys(found))


@cache
def _clip_of(measure: str) -> str:
    """The clip or recording that a measure is taken in; empty for others."""
    return next((clip for start, clip in CLIP_OF.items() if measure.startswith(start)), "")


def chance(score: float) -> float:
    """How far a factor is settled: 0.5 where nothing is known."""
    return 1 / (1 + math.exp(-score))


def next_tests(
    table: ReasoningTable, sheets: Balance, found: Findings, tests: Tests, now: Place | None = None,
    is_open: Callable[[str, Side], bool] = lambda _, __: True,
) -> list[Option]:  # fmt: skip
    """The tests that would tell most about a pattern for their time, best first.

    Usefulness: the sum over the factors a test bears on of its strongest weight times p (1 - p), divided by its
    minutes and those of a change of position from `now`. What was done in this visit, and what the gate keeps
    closed, is left out.
    """
    gains: dict[str, dict[str, tuple[float, Chip]]] = {}
    for sheet in sheets.sheets:
        p = chance(sheet.score)
        for chip in sheet.chips:
            if chip.look.done and not chip.line.is_response:
                continue
            for sign in chip.line.signs:
                for test in tests.of_sign(sign):
                    gain = chip.line.weight * p * (1 - p) / len(chip.line.signs)
                    before = gains.setdefault(test, {}).get(sheet.factor.id)
                    if before is None or gain > before[0]:
                        gains[test][sheet.factor.id] = gain, chip
    side, options, done = sheets.seen.side, [], _done(found, tests)
    for test, by_factor in gains.items():
        if test in done or not is_open(test, side):
            continue
        made = _option(test, by_factor, sheets, table, tests, now)
        options += [made] if made is not None else []
    return sorted(options, key=lambda o: (-o.usefulness, o.id))


def _done(found: Findings, tests: Tests) -> set[str]:
    """What was done in this visit: tests and clips, and trials of cause once they told something."""
    done = {f"{TRIAL}{r.change}" for r in found.responses if r.after is not None} | found.today
    for measure in found.today:
        test = tests.test_of(measure)
        whole = measure not in found.rows or not isinstance(found.rows[measure].verdict, NotMeasured)
        done |= {test.id} if test is not None and whole else set()
        done.add(_clip_of(measure))
    return done


def _option(
    test: str, by_factor: Mapping[str, tuple[float, Chip]], sheets: Balance, table: ReasoningTable, tests: Tests,
    now: Place | None,
) -> Option | None:  # fmt: skip
    side = sheets.seen.side
    if test.startswith(TRIAL):
        change = table.changes[test.removeprefix(TRIAL)]
        name, minutes, place, stage = f"Again with: {change.name}", change.minutes, None, "movement"
    elif test in tests.clips:
        clip = tests.clips[test]
        name, minutes, place = clip.name, clip.minutes, Place("standing", clip.at, clip.equipment)
        stage, change = clip.stage, None
    elif test in tests.tests:
        one = tests.tests[test]
        leg = side if side in LEGS else Side.RIGHT
        place = Place(resolve(one.positions[0], leg), one.at, one.equipment)
        name, minutes, stage, change = one.name, one.minutes * (2 if one.by_side else 1), one.stage, None
    else:
        return None
    cost, moves = _move(now, place, tests.minutes)
    gain = sum(value for value, _ in by_factor.values())
    factors = tuple(sorted(by_factor, key=lambda f: -by_factor[f][0]))
    words = _separates(factors, by_factor, sheets)
    useful = gain / (minutes + cost)
    kept = "" if change is None else change.id
    return Option(test, name, side, minutes, moves, factors, useful, words, stage, kept)


def _move(now: Place | None, place: Place | None, minutes: Minutes) -> tuple[float, str]:
    """What getting there costs, minutes, and in words."""
    if now is None or place is None or now == place:
        return 0.0, "no change of position"
    if now.position != place.position:
        return minutes.turn, place.position.replace("-", ", ")
    if now.at != place.at:
        return minutes.walk, "no change of position"
    return minutes.swap, "no change of position"


def _separates(factors: Sequence[str], by_factor: Mapping[str, tuple[float, Chip]], sheets: Balance) -> str:
    """Which factor it tells from which other."""
    names = {sheet.factor.id: sheet.factor.name for sheet in sheets.sheets}
    first = factors[0]
    way = by_factor[first][1].line.sign
    opposite = [f for f in factors[1:] if by_factor[f][1].line.sign != way]
    rivals = [s.factor.id for s in sheets.sheets if s.factor.id not in by_factor and _is_rival(s)]
    other = (opposite + rivals + list(factors[1:]))[:1]
    if not other:
        return f"tells about: {mid_sentence(names[first])}"
    return f"separates {mid_sentence(names[first])} from {mid_sentence(names[other[0]])}"


def _is_rival(sheet: Sheet) -> bool:
    return sheet.label in (Label.SUPPORTED, Label.LIKELY, Label.CONTESTED, Label.OPEN)
