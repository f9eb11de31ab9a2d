"""Patterns, factors and lines of evidence; a clinic may have its own table in its data folder."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

from tuning.core.judging.measures import Measure
from tuning.core.reasoning.rules import (
    EvidenceKind,
    EvidenceRule,
    Factor,
    Pattern,
    ReasoningTable,
    SideMapping,
    Sign,
    SignCondition,
    TrialCondition,
)
from tuning.core.strength.trials import RatioBand
from tuning.core.test_definitions import AnswerKind, TestDefinition
from tuning.knowledge.loaders.toml_reader import TomlReader

FILE = "reasoning.toml"
PAIN_LIMIT = 3.0
PAIN_FACTOR = "pain-inhibition"
INTAKE_FORMS = ("intake-history", "shoe-wear-map")


def load_reasoning(
    reading: TomlReader, measures: Mapping[str, Measure], tests: Mapping[str, TestDefinition], around: RelatedTables,
    path: Path | None = None,
) -> ReasoningTable | None:  # fmt: skip
    """The table, whole and without an orphan; `path` is that of a clinic's own."""
    tables = reading.toml(path or reading.folder / FILE)
    if not tables:
        return None
    source = tables.get("source", "practice judgement, editable")
    changes = _all(reading, tables.get("changes", {}), TrialCondition, "changes")
    patterns = _all(reading, tables.get("patterns", {}), Pattern, "patterns")
    reading.names("pattern", patterns.values())
    factors: dict[str, Factor] = {}
    lines: list[EvidenceRule] = []
    for key, raw in tables.get("factors", {}).items():
        own = {name: value for name, value in raw.items() if name != "lines"}
        factor = reading.structure({"id": key, **own}, Factor, f"{FILE}: factors.{key}")
        if factor is None:
            continue
        factors[key] = factor
        for table in raw.get("lines", []):
            where = f"{FILE}: {key}, “{table.get('words', '')}”"
            line = reading.structure({"factor": key, "source": source, **table}, EvidenceRule, where)
            lines += [_with_bands(line, around.ratios)] if line is not None else []
    factors, more = _with_pain(factors, patterns)
    lines += more
    _look_at(reading, patterns, factors, lines, changes, measures, tests)
    _look_around(reading, lines, around)
    by_factor = {key: tuple(line for line in lines if line.factor == key) for key in factors}
    return ReasoningTable(patterns, factors, tuple(lines), changes, tables.get("set_by", ""), by_factor)


@dataclass(frozen=True)
class RelatedTables:
    """What other tables hold that a sign may name: bands of two forces, outcomes of looks at the levels."""

    ratios: Sequence[RatioBand] = ()
    outcomes: Collection[str] = ()


def _with_bands(line: EvidenceRule, ratios: Sequence[RatioBand]) -> EvidenceRule:
    """Signs of one force over another with the band of the two."""
    bands = {(band.upper, band.lower): band for band in ratios}
    return replace(
        line,
        signs=tuple(
            replace(s, band=bands.get((s.measures[0], s.over) if s.over and s.measures else ("", "")))
            for s in line.signs
        ),
    )


def _look_around(reading: TomlReader, lines: Sequence[EvidenceRule], around: RelatedTables) -> None:
    for line in lines:
        where = f"{FILE}: {line.factor}, “{line.words}”"
        for sign in line.signs:
            reading.orphans(where, sign.decided, around.outcomes)
            if sign.over and sign.band is None:
                reading.wrong(where, f"no band is known for {', '.join(sign.measures)} over {sign.over}")
            if (sign.shows is SignCondition.UNMOVED) != bool(sign.worked):
                reading.wrong(where, "“unmoved” names the ladder that was worked at")


def _all(reading: TomlReader, tables: Mapping[str, Any], kind: type[Any], name: str) -> dict[str, Any]:
    made = {key: reading.structure({"id": key, **raw}, kind, f"{FILE}: {name}.{key}") for key, raw in tables.items()}
    return {key: one for key, one in made.items() if one is not None}


def _with_pain(
    factors: dict[str, Factor], patterns: Mapping[str, Pattern]
) -> tuple[dict[str, Factor], list[EvidenceRule]]:
    """Pain may explain every pattern that a deficit raises: one line a pattern, for and against."""
    if PAIN_FACTOR not in factors:
        return factors, []
    raised = {key: p for key, p in patterns.items() if p.deficit}
    bears_on = tuple(dict.fromkeys((*factors[PAIN_FACTOR].bears_on, *raised)))
    lines = []
    for key, pattern in raised.items():
        for speaks, shows, weight, words in (
            ("for", SignCondition.PAINFUL, 2.0, "pain in the test"),
            ("against", SignCondition.PAINLESS, 1.0, "no pain in the test"),
        ):
            sign = Sign(tuple(sorted(pattern.measures)), shows, PAIN_LIMIT)
            source = "practice judgement, editable"
            lines.append(
                EvidenceRule(
                    PAIN_FACTOR, speaks, weight, (sign,), words, source, SideMapping.SAME, EvidenceKind.PAIN, (key,)
                )
            )
    return {**factors, PAIN_FACTOR: replace(factors[PAIN_FACTOR], bears_on=bears_on)}, lines


def _look_at(
    reading: TomlReader, patterns: Mapping[str, Pattern], factors: Mapping[str, Factor], lines: list[EvidenceRule],
    changes: Mapping[str, TrialCondition], measures: Mapping[str, Measure], tests: Mapping[str, TestDefinition],
) -> None:  # fmt: skip
    for key, pattern in patterns.items():
        where = f"{FILE}: patterns.{key}"
        for group in pattern.raised_by:
            for sign in group:
                _look_at_sign(reading, where, sign, changes, measures, tests)
        if not any(key in factor.bears_on for factor in factors.values()) and key != "standing-knee-line":
            reading.wrong(where, "no factor bears on it")
    for key, factor in factors.items():
        where = f"{FILE}: factors.{key}"
        reading.orphans(where, factor.bears_on, patterns)
        if not factor.bears_on or not factor.action or not any(line.factor == key for line in lines):
            reading.wrong(where, "it needs a pattern, an action and a line")
    for line in lines:
        where = f"{FILE}: {line.factor}, “{line.words}”"
        reading.orphans(where, line.patterns, factors[line.factor].bears_on)
        if line.speaks not in ("for", "against") or line.weight <= 0 or not line.signs:
            reading.wrong(where, "it speaks “for” or “against”, with a weight above zero and a sign")
        for sign in line.signs:
            _look_at_sign(reading, where, sign, changes, measures, tests)


def _look_at_sign(
    reading: TomlReader, where: str, sign: Sign, changes: Mapping[str, TrialCondition], measures: Mapping[str, Measure],
    tests: Mapping[str, TestDefinition],
) -> None:  # fmt: skip
    reading.orphans(where, sign.measures, measures)
    reading.orphans(where, sign.changes, changes)
    reading.orphans(where, [sign.form] if sign.form else [], INTAKE_FORMS)
    if sign.subjects != 1:
        reading.wrong(where, "a sign names measures, a test, a form or changes: one of them")
    if sign.test and sign.test not in tests:
        reading.wrong(where, f"unknown id “{sign.test}”")
    elif sign.test:
        asked = {q.key: q.options for q in tests[sign.test].questions if q.ask is AnswerKind.CHOICE}
        reading.orphans(where, [sign.question], asked)
        reading.orphans(where, sign.options, asked.get(sign.question, ()))
    if sign.shows in (SignCondition.AT_LEAST, SignCondition.UNDER) and sign.limit is None and sign.measures:
        reading.wrong(where, "“at least” and “under” need a limit")
    if sign.shows in (SignCondition.LOWER, SignCondition.LEVEL):
        paired = [m for m in sign.measures if m in measures and measures[m].paired]
        if paired:
            reading.wrong(where, f"{paired[0]} has two sides; “{sign.shows}” is for one signed value")
