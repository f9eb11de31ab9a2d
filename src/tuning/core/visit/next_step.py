"""What to do next in the visit, in working order."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from tuning.core.gate.triage import Triage
from tuning.core.judging.comparison import Comparison
from tuning.core.judging.verdict import Word
from tuning.core.types import NotMeasured


@dataclass(frozen=True)
class NextStep:
    """A short order and the stage where it is done."""

    stage: str
    text: str
    then: str = ""


@dataclass(frozen=True)
class Progress:
    """How far the visit is. `relook` is the look that decides an open suspicion."""

    triage: Triage | None
    cleared: bool
    asked_today: bool
    rows: Sequence[Comparison]
    planned: int
    relook: str = ""
    ordered: NextStep | None = None
    """Next stop of an order that was chosen for this visit."""

    def of_stage(self, stage: str) -> list[Comparison]:
        """Ledger rows of a stage."""
        return [r for r in self.rows if r.measure.stage == stage]


def next_step(at: Progress) -> NextStep:
    """First thing that is missing: screen, levels, mobility, picture, other side, strength, plan, sheet."""
    if at.triage is Triage.RED and not at.cleared:
        return NextStep("intake", "Refer: the safety screen is RED", "testing and loading are locked")
    if not at.asked_today:
        return NextStep("intake", "Ask the safety screen", "before any loading")
    if at.relook:
        return NextStep("standing", at.relook, "it decides the open suspicion")
    if at.ordered is not None:
        return at.ordered
    if not at.of_stage("standing"):
        return NextStep("standing", "Walk the standing levels from the feet up", "no camera needed")
    if not at.of_stage("mobility"):
        return NextStep("mobility", "Measure mobility: figure-4 and knee to wall first", "then a picture of movement")
    return _movement(at) or _strength(at) or _programme(at)


def _movement(at: Progress) -> NextStep | None:
    rows = at.of_stage("movement")
    if not rows:
        return NextStep("movement", "Open a clip or photograph and mark it", "then test strength")
    for row in rows:
        if row.measure.paired and (row.left is None or row.right is None):
            side = "left" if row.left is None else "right"
            return NextStep("movement", f"Mark the {side} side: {row.measure.name}", "a difference needs both")
    return None


def _strength(at: Progress) -> NextStep | None:
    rows = at.of_stage("strength")
    if not rows:
        return NextStep("strength", "Test hip abduction, both sides")
    if isinstance(rows[0].verdict, NotMeasured):
        side = "left" if rows[0].left is None else "right"
        return NextStep("strength", f"Test hip abduction, {side}", "a difference needs both sides")
    return None


def _programme(at: Progress) -> NextStep:
    if at.planned:
        return NextStep("programme", "Print the patient sheet", "the visit is complete so far")
    rows = at.of_stage("strength")
    unsure = any(not isinstance(r.verdict, NotMeasured) and r.verdict.word is Word.CANNOT_TELL for r in rows)
    then = "one result cannot tell yet: more trials would help" if unsure else ""
    return NextStep("programme", "Choose the first rung", then)
