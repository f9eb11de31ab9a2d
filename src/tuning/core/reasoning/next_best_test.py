"""The next best test: what would tell most for its time, from where the patient is now."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cache

from tuning.core.reasoning.evidence import EvidenceItem, FactorEvidence, Label, PatternEvidence
from tuning.core.reasoning.findings import Findings
from tuning.core.reasoning.rules import ReasoningTable, Sign
from tuning.core.test_definitions import TestDefinition
from tuning.core.types import LEGS, NotMeasured, Side
from tuning.core.units import mid_sentence
from tuning.core.visit.plan import ClipTask
from tuning.core.visit.visit_items import Minutes, Station, resolve_position

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

    tests: Mapping[str, TestDefinition]
    clips: Mapping[str, ClipTask]
    minutes: Minutes
    test_of: Callable[[str], TestDefinition | None]

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


def worth(score: float, gain: float, loss: float) -> float:
    """The expected change of how far a factor is settled, by a test of weights `gain` for and `loss` against it."""
    p = chance(score)
    return p * (chance(score + gain) - p) + (1 - p) * (p - chance(score - loss))


SETTING_OUT_MIN = 2.0
"""Minutes that any test takes besides its own: words, position, reading (practice judgement, editable)."""


def next_tests(
    table: ReasoningTable, sheets: PatternEvidence, found: Findings, tests: Tests, now: Station | None = None,
    is_open: Callable[[str, Side], bool] = lambda _, __: True,
) -> list[Option]:  # fmt: skip
    """The tests that would tell most about a pattern for their time, best first.

    Value: the sum over the factors of the expected change of p by the test's best line for and against, divided by
    its minutes and those of a change of position from `now`. What was done in this visit, was not possible or stopped
    for pain, and what the gate keeps closed, is left out. The leading factor's own measure and the trial that decides
    a contested one stand among the first three.
    """
    gains: dict[str, dict[str, _Gain]] = {}
    for sheet in sheets.sheets:
        for chip in sheet.chips:
            if chip.look.done and not chip.line.is_response:
                continue
            for sign in chip.line.signs:
                for test in tests.of_sign(sign):
                    before = gains.setdefault(test, {}).get(sheet.factor.id, _Gain())
                    gains[test][sheet.factor.id] = before.with_line(chip, len(chip.line.signs))
    side, options, done = sheets.seen.side, [], _done(found, tests)
    scores = {sheet.factor.id: sheet.score for sheet in sheets.sheets}
    for test, by_factor in gains.items():
        if test in done or not is_open(test, side):
            continue
        made = _option(test, {f: g.valued(scores[f]) for f, g in by_factor.items()}, sheets, table, tests, now)
        options += [made] if made is not None else []
    ranked = sorted(options, key=lambda o: (-o.usefulness, o.id))
    first = [o for o in ranked if o.id in _wanted(sheets, tests)]
    return _among_three(ranked, first)


def _among_three(ranked: list[Option], wanted: Sequence[Option]) -> list[Option]:
    """What has to be shown takes the last places of the three where it is not among them."""
    head = ranked[:SHOWN]
    for one in [o for o in wanted if o not in head][:SHOWN]:
        loser = next((o for o in reversed(head) if o not in wanted), None)
        if loser is not None:
            head[head.index(loser)] = one
    return [*head, *(o for o in ranked if o not in head)]


def _wanted(sheets: PatternEvidence, tests: Tests) -> set[str]:
    """The own measure of the leading factor, where it is missing, and the trials that decide a contested one."""
    found: set[str] = set()
    leading = next((s for s in sheets.sheets if s.label is not Label.UNLIKELY), None)
    if leading is not None:
        own = [c for c in leading.chips if c.line.sign > 0 and c.line.weight >= 2 and len(c.line.signs) == 1]
        if not any(c.look.done for c in own):
            found |= {t for c in own for t in tests.of_sign(c.line.signs[0]) if not t.startswith(TRIAL)}
    for sheet in (s for s in sheets.sheets if s.label is Label.CONTESTED):
        found |= {t for c in sheet.chips if c.line.is_response for sign in c.line.signs for t in tests.of_sign(sign)}
    return found


@dataclass(frozen=True)
class _Gain:
    """The best line for and against a factor that a test may bring, by weight, and its value once weighed."""

    gain: float = 0.0
    loss: float = 0.0
    line: EvidenceItem | None = None
    value: float = 0.0

    def with_line(self, chip: EvidenceItem, signs: int) -> _Gain:
        """With what one more line of evidence could say."""
        weight = chip.line.weight / signs
        best = chip if self.line is None or weight > max(self.gain, self.loss) else self.line
        if chip.line.sign > 0:
            return replace(self, gain=max(self.gain, weight), line=best)
        return replace(self, loss=max(self.loss, weight), line=best)

    def valued(self, score: float) -> _Gain:
        """With what that is worth where a factor stands at this score."""
        return replace(self, value=worth(score, self.gain, self.loss))


def _done(found: Findings, tests: Tests) -> set[str]:
    """What was done in this visit: tests and clips, and trials of cause once they told something."""
    done = {f"{TRIAL}{r.change}" for r in found.responses if r.after is not None} | found.today | found.ended
    for measure in found.today:
        test = tests.test_of(measure)
        whole = measure not in found.rows or not isinstance(found.rows[measure].verdict, NotMeasured)
        done |= {test.id} if test is not None and whole else set()
        done.add(_clip_of(measure))
    return done


def _option(
    test: str, by_factor: Mapping[str, _Gain], sheets: PatternEvidence, table: ReasoningTable, tests: Tests,
    now: Station | None,
) -> Option | None:  # fmt: skip
    side = sheets.seen.side
    if test.startswith(TRIAL):
        change = table.changes[test.removeprefix(TRIAL)]
        name, minutes, place, stage = f"Repeat with: {change.name}", change.minutes, None, "movement"
    elif test in tests.clips:
        clip = tests.clips[test]
        name, minutes, place = clip.name, clip.minutes, Station("standing", clip.at, clip.equipment)
        stage, change = clip.stage, None
    elif test in tests.tests:
        one = tests.tests[test]
        leg = side if side in LEGS else Side.RIGHT
        place = Station(resolve_position(one.positions[0], leg), one.at, one.equipment)
        name, minutes, stage, change = one.name, one.minutes * (2 if one.by_side else 1), one.stage, None
    else:
        return None
    cost, moves = _move(now, place, tests.minutes)
    gain = sum(one.value for one in by_factor.values())
    factors = tuple(sorted(by_factor, key=lambda f: -by_factor[f].value))
    words = _separates(factors, by_factor, sheets)
    useful = gain / (SETTING_OUT_MIN + minutes + cost)
    kept = "" if change is None else change.id
    return Option(test, name, side, minutes, moves, factors, useful, words, stage, kept)


def _move(now: Station | None, place: Station | None, minutes: Minutes) -> tuple[float, str]:
    """What getting there costs, minutes, and in words."""
    if now is None or place is None or now == place:
        return 0.0, "no change of position"
    if now.position != place.position:
        return minutes.turn, place.position.replace("-", ", ")
    if now.at != place.at:
        return minutes.walk, "no change of position"
    return minutes.swap, "no change of position"


def _separates(factors: Sequence[str], by_factor: Mapping[str, _Gain], sheets: PatternEvidence) -> str:
    """Which factor it tells from which other."""
    names = {sheet.factor.id: sheet.factor.name for sheet in sheets.sheets}
    first = factors[0]
    name, best = mid_sentence(names[first]), by_factor[first]
    ways = [*(["supports"] if best.gain else []), *(["speaks against"] if best.loss else [])]
    rivals = [f for f in factors[1:] if bool(by_factor[f].loss) != bool(best.loss)]
    rivals += [s.factor.id for s in sheets.sheets if s.factor.id not in by_factor and _is_rival(s)]
    other = (rivals + list(factors[1:]))[:1]
    told = f"; helps distinguish it from {mid_sentence(names[other[0]])}" if other else ""
    return f"{' or '.join(ways)} {name}{told}"


def _is_rival(sheet: FactorEvidence) -> bool:
    return sheet.label in (Label.SUPPORTED, Label.LIKELY, Label.CONTESTED, Label.OPEN)
