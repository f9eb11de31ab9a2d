"""Sections about what was measured, and how."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from tuning.core.judging.comparison import Comparison
from tuning.core.judging.verdict import Verdict, VerdictWord
from tuning.core.reports.content import ReportPicture, Section, Sentence, TableRow
from tuning.core.reports.report_context import SectionWriter, judged, rows_of, section_of, uids_of, value_words
from tuning.core.review.changes import ChangeFinding
from tuning.core.types import LEGS, FrameRef, Observation
from tuning.core.units import sentence_case, unit_suffix

STATIONS = ("foot", "ankle", "knee", "hip", "pelvis", "trunk", "shoulder")


SHOWN_PICTURES, SHOWN_PATTERNS, SHOWN_FACTORS = 4, 3, 2


def _both(row: Comparison) -> str:
    m = row.measure
    if not m.paired:
        return value_words(m, row.right)
    return f"left {value_words(m, row.left)}, right {value_words(m, row.right)}"


def section_found(w: SectionWriter) -> Section:
    """What stands out."""
    sentences = []
    for row, verdict in judged(w, VerdictWord.MARKED, VerdictWord.NOTABLE):
        words = f"{w.named(row.measure)}: {_both(row)}; {row.sentence}"
        if not w.plain:
            words += f" ({row.error_words}), {verdict.word.value}"
        sentences.append(Sentence(f"{words}.", uids_of(row.left, row.right)))
    return section_of(w, "found", w.few(sentences))


def unclear(w: SectionWriter) -> Section:
    """What cannot be told."""
    rows = judged(w, VerdictWord.CANNOT_TELL)
    sentences = [
        Sentence(f"{w.named(row.measure)}: {_both(row)}; {row.sentence}.", uids_of(row.left, row.right))
        for row, _ in rows
    ]
    return section_of(w, "unclear", w.few(sentences))


def level(w: SectionWriter) -> Section:
    """What is in tune."""
    rows = judged(w, VerdictWord.IN_TUNE)
    sentences = [Sentence(f"{w.named(row.measure)}: {_both(row)}.", uids_of(row.left, row.right)) for row, _ in rows]
    return section_of(w, "level", w.few(sentences))


def formulas(w: SectionWriter) -> Section:
    """How each number was worked out."""
    sentences = []
    for row, _ in judged(w, *VerdictWord):
        m = row.measure
        band = f" Band {m.band:g}{unit_suffix(m.comparison_unit)}: {m.band_source}." if m.band is not None else ""
        error = f" {sentence_case(row.error_words)}, from {row.error_source}." if row.error_words else ""
        text = f"{w.named(m)}: {m.definition.rstrip('.')}. Compared as {m.formula}.{error}{band}"
        sentences.append(Sentence(text, uids_of(row.left, row.right)))
    return section_of(w, "formulas", sentences)


HEAD = ("Where", "Measured", "left", "right", "What the difference means")


def _by_side(row: Comparison) -> tuple[str, str]:
    """The values under their legs; a tilt stands under the side that is higher."""
    m = row.measure
    if m.paired:
        return value_words(m, row.left), value_words(m, row.right)
    if not isinstance(row.verdict, Verdict):
        return "", value_words(m, row.right)
    size = (
        f"{m.text(abs(row.verdict.d))}{unit_suffix(m.unit)}" if m.unit != "grade" else f"grade {abs(row.verdict.d):g}"
    )
    return (size, "") if row.verdict.d < 0 else ("", size)


def _lines(w: SectionWriter, rows: Sequence[Comparison]) -> tuple[TableRow, ...]:
    lines = []
    for row in rows:
        word = row.verdict.word.value if isinstance(row.verdict, Verdict) else ""
        says = ": ".join(part for part in (word, row.sentence) if part)
        error = f" ({row.error_words})" if row.error_words else ""
        cells = (sentence_case(row.measure.station), w.named(row.measure), *_by_side(row), says + error)
        lines.append(TableRow(cells, uids_of(row.left, row.right)))
    return tuple(line for line in lines if line.rests)


def _from_the_feet(rows: Iterable[Comparison]) -> list[Comparison]:
    place = {name: n for n, name in enumerate(STATIONS)}
    return sorted(rows, key=lambda row: place.get(row.measure.station, len(place)))


def standing(w: SectionWriter) -> Section:
    """The standing checks, feet to head."""
    rows = _from_the_feet(row for row in w.m.ledger if row.measure.stage == "standing")
    return section_of(w, "standing", head=HEAD, lines=_lines(w, rows))


def measured(w: SectionWriter) -> Section:
    """Both sides of everything."""
    return section_of(w, "measured", head=HEAD, lines=_lines(w, _from_the_feet(w.m.ledger)))


def pictures(w: SectionWriter) -> Section:
    """Frames that values were read from."""
    changed = [row for row in rows_of(w, ChangeFinding.CHANGED) if framed(row.before) and framed(row.now)]
    shown = []
    if "changed" in w.kind.sections:
        for row in changed[:SHOWN_PICTURES]:
            uids = uids_of(row.before, row.now)
            before, after = value_words(row.measure, row.before), value_words(row.measure, row.now)
            words = f"{row.named(w.named(row.measure))}: {before} before, {after} now"
            shown.append(ReportPicture(uids, Sentence(f"{words}.", uids)))
    captures: set[str] = set()
    for compared, _ in judged(w, VerdictWord.MARKED, VerdictWord.NOTABLE, VerdictWord.CANNOT_TELL, VerdictWord.IN_TUNE):
        m = compared.measure
        if "standing" in w.kind.sections and m.stage != "standing":
            continue
        one = next((o for o in (compared.left, compared.right) if framed(o)), None)
        if one is None or one.capture in captures or len(shown) >= SHOWN_PICTURES:
            continue
        captures.add(one.capture)
        side = f", {one.side.value}" if one.side in LEGS else ""
        shown.append(ReportPicture((one.uid,), Sentence(f"{w.named(m)}{side}: {value_words(m, one)}.", (one.uid,))))
    return section_of(w, "pictures", pictures=tuple(shown))


def framed(seen: Observation | None) -> bool:
    """Whether a value was read from a frame."""
    return seen is not None and isinstance(seen.evidence, FrameRef) and bool(seen.uid)
