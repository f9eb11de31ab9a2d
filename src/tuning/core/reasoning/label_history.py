"""What was suspected over the visits, and what changed it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from datetime import datetime

from tuning.core.case import Case
from tuning.core.reasoning.conclusion import Conclusion
from tuning.core.reasoning.evidence import FactorEvidence, Label
from tuning.core.types import Side

WORTH = (Label.SUPPORTED, Label.LIKELY, Label.CONTESTED, Label.UNLIKELY)


@dataclass(frozen=True)
class LabelChange:
    """A factor that got another label at a visit, and the lines that were new there."""

    at: datetime
    pattern: str
    side: Side
    name: str
    factor: str
    before: Label | None
    now: Label
    because: tuple[str, ...]


def label_history(case: Case, conclude_at: Callable[[Case], Conclusion]) -> list[LabelChange]:
    """Every change of a label from visit to visit, newest first; untested and open ones are told when they change."""
    turns: list[LabelChange] = []
    stood: dict[tuple[str, Side, str], FactorEvidence] = {}
    upto = [visit.uid for visit in case.visits].index(case.visit.uid)
    for visit in case.visits[: upto + 1]:
        found = conclude_at(replace(case, visit=visit, _memo={}) if visit.uid != case.visit.uid else case)
        for one in found.balances:
            for sheet in one.sheets:
                key = one.seen.pattern.id, one.seen.side, sheet.factor.id
                before = stood.get(key)
                stood[key] = sheet
                if (before is None and sheet.label not in WORTH) or (before and before.label is sheet.label):
                    continue
                old = {chip.line.words for chip in before.fired} if before else set()
                new = tuple(
                    _told(chip.line.words, chip.line.sign) for chip in sheet.fired if chip.line.words not in old
                )
                because = new or ((f"by hand: {sheet.overruled}",) if sheet.overruled else ())
                turns.append(
                    LabelChange(
                        visit.started_at, key[0], key[1], one.seen.name, sheet.factor.name,
                        before.label if before else None, sheet.label, because,
                    )
                )  # fmt: skip
    return turns[::-1]


def _told(words: str, sign: int) -> str:
    return f"{'for' if sign > 0 else 'against'}: {words}"
