"""Sections about what may contribute and what changed."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime

from tuning.core.reasoning.conclusion import name_for
from tuning.core.reasoning.evidence import TO_TRAIN, EvidenceItem, Label, PatternEvidence
from tuning.core.reports.content import Section, Sentence
from tuning.core.reports.measurement_sections import SHOWN_FACTORS, SHOWN_PATTERNS
from tuning.core.reports.report_context import EVERYDAY, SectionWriter, rows_of, section_of, uids_of, value_words
from tuning.core.review.changes import ChangeFinding, Row, finding_of
from tuning.core.types import LEGS, NotMeasured
from tuning.core.units import mid_sentence, sentence_case


def contributes(w: SectionWriter) -> Section:
    """What may contribute, with what speaks for and against."""
    found = w.m.conclusion
    if found.refer:
        standing = w.m.standing
        uids = (standing.screen.uid,) if standing is not None else ()
        return section_of(w, "contributes", [Sentence(found.refer, uids, triage=True)] if uids else [])
    sentences: list[Sentence] = []
    for one in found.balances[:SHOWN_PATTERNS]:
        sentences += _pattern(w, one)
    return section_of(w, "contributes", w.few(sentences))


def _pattern(w: SectionWriter, one: PatternEvidence) -> list[Sentence]:
    raised = tuple(dict.fromkeys(look.entry for _, look in one.seen.raised if look.entry))
    if not raised:
        return []
    best = [s for s in one.sheets if s.label in (Label.SUPPORTED, Label.LIKELY)][:SHOWN_FACTORS]
    if w.plain:
        side = {leg: f"{leg.value} " for leg in LEGS}.get(one.seen.side, "")
        said = [Sentence(f"{sentence_case(one.seen.pattern.plain.format(side=side).strip())}.", raised)]
        for sheet in (s for s in best if not s.factor.structural):
            chips = _resting([c for c in sheet.fired if c.counted])
            if chips:
                why = "To train" if sheet.words == TO_TRAIN else "May contribute"
                said.append(Sentence(f"{why}: {sheet.factor.plain}.", chips))
        return said
    said = []
    for sheet in best:
        ways: dict[int, list[EvidenceItem]] = {1: [], -1: []}
        for chip in sheet.fired:
            if chip.counted:
                ways[chip.line.sign].append(chip)
        parts = [
            f"{word}: {', '.join(map(_chip, ways[way]))}" for way, word in ((1, "for"), (-1, "against")) if ways[way]
        ]
        name = name_for(one, sheet.factor.id, w.m.role)
        rests = tuple(dict.fromkeys((*raised, *_resting(ways[1] + ways[-1]))))
        words = f"{mid_sentence(name)} {sheet.words} ({'; '.join(parts)})"
        said.append(Sentence(f"{one.seen.name}: {words}.", rests))
    return said or [Sentence(f"{one.seen.name}: nothing is likely yet.", raised)]


def referred(w: SectionWriter) -> list[Sentence]:
    """What exercise cannot settle and somebody should look at, from likely on; a colleague reads it."""
    if w.plain:
        return []
    wanted: dict[str, tuple[str, ...]] = {}
    for one in w.m.conclusion.balances:
        for sheet in one.sheets:
            if sheet.factor.refers and sheet.label in (Label.SUPPORTED, Label.LIKELY):
                rests = _resting([c for c in sheet.fired if c.counted])
                side = f", {one.seen.side.value}" if one.seen.side in LEGS else ""
                name = f"{mid_sentence(name_for(one, sheet.factor.id, w.m.role))}{side}"
                wanted[name] = tuple(dict.fromkeys((*wanted.get(name, ()), *rests)))
    return [
        Sentence(f"Please also assess, as exercise alone may not settle it: {name}.", rests)
        for name, rests in wanted.items()
        if rests
    ]


def _chip(chip: EvidenceItem) -> str:
    return f"{chip.line.words} ({chip.look.short})" if chip.look.short else chip.line.words


def _resting(chips: Sequence[EvidenceItem]) -> tuple[str, ...]:
    return tuple(dict.fromkeys(chip.look.entry for chip in chips if chip.look.entry))


def changed(w: SectionWriter) -> Section:
    """What changed beyond error; what is known to be better or worse before what only moved."""
    found = rows_of(w, ChangeFinding.CHANGED)
    rows = sorted(found, key=lambda row: row.change is None or not row.change.turn)
    since = w.m.before.started_at if w.m.before is not None else None
    return section_of(w, "changed", w.few([_change(w, row, since) for row in rows]))


def _change(w: SectionWriter, row: Row, since: datetime | None) -> Sentence:
    m = row.measure
    when = f" (since {since.astimezone():%-d %b %Y})" if since is not None and not w.plain else ""
    words = f"{row.named(w.named(row.measure))}: {value_words(m, row.before)} before, {value_words(m, row.now)} now"
    says = row.sentence
    if w.plain and row.change is not None:
        a, b = row.change.before.measured or 0.0, row.change.now.measured or 0.0
        says = EVERYDAY.get(row.finding) or row.change.turn or ("more" if b > a else "less")
    return Sentence(f"{words}{when}; {says}.", uids_of(row.before, row.now))


def held(w: SectionWriter) -> Section:
    """What did not, or cannot be told."""
    rows = rows_of(w, ChangeFinding.NOT_YET, ChangeFinding.CANNOT_TELL)
    return section_of(w, "held", w.few([_change(w, row, None) for row in rows]))


def gaps(w: SectionWriter) -> Section:
    """How the sides moved towards each other."""
    seen: set[str] = set()
    sentences = []
    for row in rows_of(w, *ChangeFinding):
        gap = row.gap
        if gap is None or isinstance(gap.verdict, NotMeasured) or row.measure.id in seen:
            continue
        seen.add(row.measure.id)
        uids = uids_of(gap.before.left, gap.before.right, gap.now.left, gap.now.right)
        moved = finding_of(gap.verdict) is ChangeFinding.CHANGED
        says = gap.sentence if moved or not w.plain else "no clear change"
        sentences.append(Sentence(f"{w.named(row.measure)}: {says}.", uids))
    return section_of(w, "gaps", w.few(sentences))


def missing(w: SectionWriter) -> Section:
    """What is due."""
    sentences = [
        Sentence(
            f"{row.named(w.named(row.measure))}: {value_words(row.measure, row.before)} before.", uids_of(row.before)
        )
        for row in w.m.missing
    ]
    return section_of(w, "missing", sentences)
