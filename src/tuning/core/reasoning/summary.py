"""One page of plain words: for the record, and for the patient. Both describe; neither names a condition."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from tuning.core.reasoning.conclusion import Conclusion, name_for
from tuning.core.reasoning.evidence import TO_TRAIN, FactorEvidence, Label, PatternEvidence
from tuning.core.reasoning.next_best_test import SHOWN, Option
from tuning.core.types import LEGS, Role
from tuning.core.units import mid_sentence

SHOWN_FACTORS = (Label.SUPPORTED, Label.LIKELY, Label.CONTESTED)
LIKELY_WORDS = {
    Label.SUPPORTED: "several findings agree",
    Label.LIKELY: "some findings point there",
    Label.CONTESTED: "findings disagree",
}
CLOSING = "This describes what was seen and what to try. It is likely, not proved."


def record_text(found: Conclusion, role: Role, options: Sequence[Sequence[Option]]) -> str:
    """Every pattern with its factors, what speaks for and against, and what to test next."""
    if found.refer:
        return found.refer
    parts = []
    for one, next_ones in zip(found.balances, options, strict=True):
        lines = [one.seen.name, *(f"  {_raised(text)}" for text in _once(look.text for _, look in one.seen.raised))]
        told = [sheet for sheet in one.sheets if sheet.label in SHOWN_FACTORS or sheet.overruled]
        lines += [_sheet_words(one, sheet, role) for sheet in told] or ["  Nothing is likely yet."]
        unlikely = [name_for(one, s.factor.id, role) for s in one.sheets if s.label is Label.UNLIKELY]
        if unlikely:
            lines.append(f"  Unlikely: {', '.join(mid_sentence(name) for name in unlikely)}.")
        lines += [f"  Next: {o.name}, {o.minutes:g} min, {o.separates}." for o in next_ones[:SHOWN]]
        parts.append("\n".join(lines))
    return "\n\n".join([*parts, CLOSING]) if parts else "No pattern was seen in what was measured so far."


def _sheet_words(one: PatternEvidence, sheet: FactorEvidence, role: Role) -> str:
    ways: dict[int, list[str]] = {1: [], -1: []}
    for chip in sheet.fired:
        if chip.counted:
            ways[chip.line.sign].append(f"{chip.line.words} ({chip.look.text})" if chip.look.text else chip.line.words)
    told = "; ".join(f"{'for' if way > 0 else 'against'}: {', '.join(w)}" for way, w in ways.items() if w)
    by_hand = f" Set by hand: {sheet.overruled}." if sheet.overruled else ""
    follows = f" ({sheet.follows})" if sheet.follows else ""
    return f"  {name_for(one, sheet.factor.id, role)}: {sheet.words}{follows}. {told}.{by_hand}"


def patient_text(found: Conclusion) -> str:
    """What was seen and what it is put down to, in everyday words."""
    if found.refer:
        return "Something you told us should be examined by a doctor first. We will wait with testing and exercise."
    lines = []
    for one in found.balances[:SHOWN]:
        side = {leg: f"{leg.value} " for leg in LEGS}.get(one.seen.side, "")
        seen = one.seen.pattern.plain.format(side=side).strip()
        lines.append(f"We saw: {seen}.")
        best = [s for s in one.sheets if s.label in (Label.SUPPORTED, Label.LIKELY) and not s.factor.structural]
        for sheet in best[:2]:
            why = "To train" if sheet.words == TO_TRAIN else "May contribute"
            lines.append(f"  {why}: {sheet.factor.plain}; {LIKELY_WORDS[sheet.label]}.")
        if not best:
            lines.append("  We do not know yet why; the next tests will show more.")
    return "\n".join([*lines, "", CLOSING]) if lines else "Nothing stood out in what we measured so far."


def _raised(text: str) -> str:
    return f"Seen: {text}."


def _once(texts: Iterable[str]) -> list[str]:
    return [text for text in dict.fromkeys(texts) if text]
