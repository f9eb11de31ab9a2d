"""Balance sheets: for each pattern that was seen, what speaks for and against each factor, and its label."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from enum import StrEnum

from tuning.core.reasoning.findings import Findings
from tuning.core.reasoning.rules import KIND_OF_STAGE, EvidenceKind, EvidenceRule, Factor, Pattern, ReasoningTable, Sign
from tuning.core.reasoning.sign_evaluation import EQUAL_WITHOUT_BAND, MIXED, SignResult, evaluate_sign
from tuning.core.test_definitions import TestDefinition
from tuning.core.types import LEGS, Side
from tuning.core.units import sentence_case

STRONG, LIKELY, SUPPORTED = 2.0, 1.0, 2.0
"""Scores of a strong line, and of the labels."""


class Label(StrEnum):
    """What the balance says of a factor."""

    SUPPORTED = "supported"
    LIKELY = "likely"
    CONTESTED = "contested"
    OPEN = "open"
    UNLIKELY = "unlikely"
    UNTESTED = "untested"


TO_TRAIN = "what to train"
ORDER = (Label.SUPPORTED, Label.LIKELY, Label.CONTESTED, Label.OPEN, Label.UNTESTED, Label.UNLIKELY)


@dataclass(frozen=True)
class EvidenceItem:
    """A line as it stands for one pattern: there, looked for and not there, or not tested (`look.done` is False)."""

    line: EvidenceRule
    look: SignResult
    kind: EvidenceKind
    counted: bool = True
    """False for a line that rests on the same test or capture as a stronger one."""

    @property
    def score(self) -> float:
        """What it adds to the score of its factor."""
        if not (self.look.there and self.counted):
            return 0.0
        weight = self.line.weight if self.look.most is None else min(self.line.weight, self.look.most)
        return self.line.sign * weight * self.look.quality


@dataclass(frozen=True)
class FactorEvidence:
    """One factor of a pattern: its chips, score and label; `follows` says when the label follows a response."""

    factor: Factor
    chips: tuple[EvidenceItem, ...]
    score: float
    label: Label
    follows: str = ""
    overruled: str = ""
    trains: bool = False
    """Whether it only names the pattern anew: what to train, no explanation."""

    @property
    def words(self) -> str:
        """The label as it is shown."""
        return TO_TRAIN if self.trains and self.label in (Label.SUPPORTED, Label.LIKELY) else self.label.value

    @property
    def rank(self) -> int:
        """Its place among the labels; what only renames the pattern stands behind what may explain it."""
        return ORDER.index(Label.CONTESTED if self.words == TO_TRAIN else self.label)

    @property
    def fired(self) -> list[EvidenceItem]:
        """What is there, the strongest first."""
        return sorted((c for c in self.chips if c.look.there), key=lambda c: -abs(c.score))

    @property
    def untested(self) -> list[EvidenceItem]:
        """What was not looked for yet."""
        return [c for c in self.chips if not c.look.done]

    @property
    def contradictory(self) -> bool:
        """Whether something speaks for it and something against."""
        return {c.line.sign for c in self.chips if c.score} == {1, -1}


@dataclass(frozen=True)
class SeenPattern:
    """A pattern on a side, and the looks that raised it."""

    pattern: Pattern
    side: Side
    raised: tuple[tuple[Sign, SignResult], ...]

    @property
    def name(self) -> str:
        """The pattern with its side, as a sentence begins."""
        side = {Side.LEFT: "left ", Side.RIGHT: "right "}.get(self.side, "")
        words = self.pattern.name.format(side=side, other=self.side.other.value if self.side in LEGS else "other")
        return sentence_case(words)


@dataclass(frozen=True)
class PatternEvidence:
    """A pattern with its factors, in the order in which they are shown."""

    seen: SeenPattern
    sheets: tuple[FactorEvidence, ...]

    def sheet(self, factor: str) -> FactorEvidence:
        """The sheet of a factor. Raises KeyError."""
        for one in self.sheets:
            if one.factor.id == factor:
                return one
        raise KeyError(factor)


@dataclass(frozen=True)
class ReasoningPolicy:
    """Where schools disagree: the regional rule is on at first, the habit pattern off."""

    regional: bool = True
    habit: bool = False


def detect_patterns(table: ReasoningTable, found: Findings) -> list[SeenPattern]:
    """Every pattern that something raises, the left side first; without a side only where neither leg is named."""
    seen = []
    for pattern in table.patterns.values():
        sides = [one for side in LEGS if (one := _raised(pattern, found, side)) is not None]
        none = None if sides else _raised(pattern, found, Side.NONE)
        seen += sides or ([none] if none is not None else [])
    return seen


def _raised(pattern: Pattern, found: Findings, side: Side) -> SeenPattern | None:
    there: list[tuple[Sign, SignResult]] = []
    for group in pattern.raised_by:
        if all(_has_side(sign, found, side) for sign in group):
            looks = [(sign, evaluate_sign(sign, found, side, pattern.side, raising=True)) for sign in group]
            there += looks[:1] if all(one.there for _, one in looks) else []
    return SeenPattern(pattern, side, tuple(there)) if there else None


def _has_side(sign: Sign, found: Findings, side: Side) -> bool:
    """A sign of both legs at once raises a pattern without a side only, and one of a leg never does that."""
    if sign.test:
        has = any((sign.test, sign.question, leg) in found.answers for leg in LEGS)
        return has == (side in LEGS)
    if sign.regions:
        return any(o.side is side for o in found.seen if o.measure_id in sign.measures)
    sided = any(found.measures[m].paired or (m, Side.LEFT) in found.values or (m, Side.RIGHT) in found.values
                for m in sign.measures)  # fmt: skip
    return (sided or sign.shows.value == "lower") == (side in LEGS)


def weigh_evidence(
    table: ReasoningTable,
    found: Findings,
    seen: SeenPattern,
    tests: Mapping[str, TestDefinition],
    schools: ReasoningPolicy,
    overruled: Mapping[str, tuple[Label, str]] | None = None,
) -> PatternEvidence:
    """All factors of a pattern. With the regional school factors of foot and hip stand before those of the knee."""
    found = replace(found, responses=[r for r in found.responses if r.measure.id in seen.pattern.measures])
    sheets = []
    for factor in table.bearing_on(seen.pattern.id):
        if factor.school and not (factor.school == "habit" and schools.habit):
            continue
        sheet = _sheet(table, found, seen, factor, tests)
        if overruled and factor.id in overruled:
            label, reason = overruled[factor.id]
            sheet = replace(sheet, label=label, overruled=reason)
        sheets.append(sheet)
    near = schools.regional and seen.pattern.region == "knee"
    ranked = sorted(sheets, key=lambda s: (s.rank, near and s.factor.region == "knee", -s.score, s.factor.id))
    return PatternEvidence(seen, tuple(ranked))


def _sheet(
    table: ReasoningTable, found: Findings, seen: SeenPattern, factor: Factor, tests: Mapping[str, TestDefinition]
) -> FactorEvidence:
    chips = []
    for line in table.lines_of(factor.id, seen.pattern.id):
        looks = [evaluate_sign(sign, found, seen.side, line.side) for sign in line.signs]
        if _raised_it(line, looks, seen):
            continue
        chips.append(EvidenceItem(line, _all_of(looks), line.kind or _kind(line, looks, found, tests)))
    counted = _once(chips)
    score = sum(chip.score for chip in counted)
    label, follows = label_of(counted, score)
    return FactorEvidence(factor, tuple(counted), score, label, follows, trains=seen.pattern.id in factor.trains)


def _raised_it(line: EvidenceRule, looks: Sequence[SignResult], seen: SeenPattern) -> bool:
    """The very observation that raised the pattern tells nothing of its factors; its pain does, and all others do."""
    alone = looks[0] if len(looks) == 1 and line.signs[0].count == 1 else None
    raising = seen.raised[0][1]
    return alone is not None and alone.there and alone.entry == raising.entry and alone.kind is not EvidenceKind.PAIN


def _all_of(looks: Sequence[SignResult]) -> SignResult:
    """Several signs are there together or not at all; the first one is what the line rests on."""
    first = looks[0]
    if len(looks) == 1:
        return first
    most = [one.most for one in looks if one.most is not None]
    return SignResult(
        all(one.done for one in looks),
        all(one.there for one in looks),
        "; ".join(one.text for one in looks if one.text),
        first.verdict,
        min(one.quality for one in looks),
        first.source,
        first.entry,
        min(most) if most else None,
        first.kind,
    )


def _kind(
    line: EvidenceRule, looks: Sequence[SignResult], found: Findings, tests: Mapping[str, TestDefinition]
) -> EvidenceKind:
    sign = line.signs[0]
    if sign.changes:
        return EvidenceKind.RESPONSE
    if sign.form or sign.loads:
        return EvidenceKind.HISTORY
    if sign.decided:
        return EvidenceKind.POSTURE
    if sign.test:
        return (
            KIND_OF_STAGE.get(tests[sign.test].stage, EvidenceKind.MOVEMENT)
            if sign.test in tests
            else EvidenceKind.MOVEMENT
        )
    return looks[0].kind or KIND_OF_STAGE.get(found.measures[sign.measures[0]].stage, EvidenceKind.MOVEMENT)


def _once(chips: Sequence[EvidenceItem]) -> list[EvidenceItem]:
    """Lines that rest on one test or capture count once, the strongest of them; equal sides without a band once."""
    chips = _equal_once(chips)
    best: dict[str, float] = {}
    for chip in chips:
        if chip.look.there:
            best[chip.look.source] = max(best.get(chip.look.source, 0.0), abs(chip.score))
    made, taken = [], set()
    for chip in chips:
        source = chip.look.source
        counts = chip.look.there and abs(chip.score) == best.get(source) and source not in taken
        if counts:
            taken.add(source)
        made.append(EvidenceItem(chip.line, chip.look, chip.kind, counts or not chip.look.there))
    return made


def _equal_once(chips: Sequence[EvidenceItem]) -> list[EvidenceItem]:
    """Two equal sides of which nobody knows how strong they are speak against a factor once, however many there are."""
    made, taken = [], False
    for chip in chips:
        vague = chip.look.there and chip.look.most == EQUAL_WITHOUT_BAND and chip.line.sign < 0
        if vague and taken:
            chip = replace(chip, look=replace(chip.look, source=VAGUE))
        elif vague:
            chip, taken = replace(chip, look=replace(chip.look, source=VAGUE)), True
        made.append(chip)
    return made


VAGUE = "equal sides without a band"


def label_of(chips: Sequence[EvidenceItem], score: float) -> tuple[Label, str]:
    """The label that fits first, and a sentence where it follows a response against the other lines."""
    there = [chip for chip in chips if chip.score]
    if not there:
        return (Label.OPEN if any(chip.look.done for chip in chips) else Label.UNTESTED), ""
    measured = [chip for chip in there if chip.line.is_response]
    others = [chip for chip in there if not chip.line.is_response]
    if any(abs(chip.score) >= LIKELY for chip in measured):  # a weak one is a line among others
        return _by_response(measured, others)
    strong = {chip.line.sign for chip in there if abs(chip.score) >= STRONG and chip.kind is not EvidenceKind.RESPONSE}
    if strong == {1, -1}:
        return Label.CONTESTED, ""
    kinds = {chip.kind for chip in there if chip.score > 0}
    if score >= SUPPORTED and len(kinds) > 1:
        return Label.SUPPORTED, ""
    if score >= LIKELY:
        return Label.LIKELY, ""
    return (Label.UNLIKELY if score <= -LIKELY else Label.OPEN), ""


def _by_response(measured: Sequence[EvidenceItem], others: Sequence[EvidenceItem]) -> tuple[Label, str]:
    """A trial of cause outranks an association; alone it reaches likely or unlikely."""
    if any(chip.look.verdict == MIXED for chip in measured):
        return Label.CONTESTED, "trials of cause disagree"
    way = sum(chip.score for chip in measured)
    rest = sum(chip.score for chip in others)
    if way == 0:
        return Label.CONTESTED, "trials of cause disagree"
    against = "follows the trial of cause, against other lines" if rest * way < 0 else ""
    if way < 0:
        return Label.UNLIKELY, against
    agrees = {chip.kind for chip in others if chip.score > 0} - {EvidenceKind.RESPONSE}
    return (Label.SUPPORTED if agrees and rest >= 0 else Label.LIKELY), against
