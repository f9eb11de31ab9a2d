"""What to do next in the visit, in working order."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from tuning.core.comparison import Comparison
from tuning.core.programme import Triage
from tuning.core.types import NotMeasured
from tuning.core.verdict import Word


@dataclass(frozen=True)
class NextStep:
    """A short order and the stage where it is done."""

    stage: str
    text: str
    then: str = ""


def next_step(triage: Triage | None, cleared: bool, rows: Sequence[Comparison], planned: int) -> NextStep:
    """First thing that is missing: screen, picture, other side, strength, plan, sheet."""
    if triage is Triage.RED and not cleared:
        return NextStep("intake", "Refer: the safety screen is RED", "testing and loading are locked")
    if triage is None:
        return NextStep("intake", "Record the safety screen", "then measure a picture")
    by_stage = {stage: [r for r in rows if r.measure.stage == stage] for stage in ("movement", "strength")}
    if not by_stage["movement"]:
        return NextStep("movement", "Open a clip or photograph and mark it", "then test strength")
    for row in by_stage["movement"]:
        if row.measure.paired and (row.left is None or row.right is None):
            side = "left" if row.left is None else "right"
            return NextStep("movement", f"Mark the {side} side: {row.measure.name}", "a difference needs both")
    strength = by_stage["strength"]
    if not strength:
        return NextStep("strength", "Test hip abduction, both sides")
    if isinstance(strength[0].verdict, NotMeasured):
        side = "left" if strength[0].left is None else "right"
        return NextStep("strength", f"Test hip abduction, {side}", "a difference needs both sides")
    if not planned:
        unsure = any(not isinstance(r.verdict, NotMeasured) and r.verdict.word is Word.CANNOT_TELL for r in strength)
        then = "one result cannot tell yet: more trials would help" if unsure else ""
        return NextStep("programme", "Choose the first rung", then)
    return NextStep("programme", "Print the patient sheet", "the visit is complete so far")
