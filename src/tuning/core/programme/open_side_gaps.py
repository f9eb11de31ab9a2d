"""Side gaps that are still open over the visits of a case, and those that a clinician accepted."""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from datetime import date

from tuning.core.case import Case
from tuning.core.entries import Decision
from tuning.core.judging.comparison import Comparison
from tuning.core.judging.ledger import ledger_at
from tuning.core.judging.measures import Measure
from tuning.core.judging.trial_rule import TrialRule
from tuning.core.judging.verdict import Verdict, VerdictWord

ACCEPTED, OPEN = "side-gap-accepted", "open again"
"""Subject of the decision about a gap, and its outcome where it was taken back."""
COUNTS = (VerdictWord.NOTABLE, VerdictWord.MARKED)


@dataclass(frozen=True)
class SideGap:
    """A left-right difference that counted when it was last told, on `day`.

    `told` is that verdict, `latest` the newest row of the measure: the same one, or one that cannot tell any more.
    A gap is closed by a row in tune only. `accepted` is the decision that lets it stand, for the side and size of then.
    """

    told: Verdict
    latest: Comparison
    day: date
    today: bool
    accepted: Decision | None = None

    @property
    def measure(self) -> Measure:
        """What differs."""
        return self.latest.measure

    @property
    def rests_on(self) -> tuple[str, ...]:
        """Uids of the two values: equal numbers of two people are two gaps."""
        return tuple(seen.uid for seen in (self.latest.left, self.latest.right) if seen is not None)

    @property
    def words(self) -> str:
        """Name, size, side and error; from when, where it is not of today."""
        name, verdict = self.measure.name, self.latest.verdict
        if verdict is not self.told:
            return f"{name}: {self.told.word.value} on {self.day:%-d %b}, cannot tell now"
        older = "" if self.today else f", on {self.day:%-d %b}, not tested since"
        return f"{name}: {self.latest.sentence}, {self.latest.error_words}{older}"

    @property
    def why_accepted(self) -> str:
        """Who accepted it, when and why; empty where nobody did."""
        found = self.accepted
        return f"accepted by {found.who} on {found.at.astimezone():%-d %b}: {found.reason}" if found is not None else ""


def side_gaps(case: Case, measures: Mapping[str, Measure], rule: TrialRule = TrialRule.MEAN) -> list[SideGap]:
    """All gaps up to the open visit that were not seen in tune since; newest day first, then worst first.

    A measure that was not taken again keeps its gap: silence is no health.
    """
    found: dict[str, SideGap] = {}
    for visit in case.visits[: case.number]:
        day = visit.started_at.astimezone().date()
        for row in ledger_at(case, visit, measures, rule):
            verdict, key = row.verdict, row.measure.id
            if not row.measure.paired or not isinstance(verdict, Verdict):
                continue
            before = found.pop(key, None)
            if verdict.word in COUNTS:
                found[key] = SideGap(verdict, row, day, visit.uid == case.visit.uid, _accepted(case, key, verdict))
            elif verdict.word is VerdictWord.CANNOT_TELL and before is not None:
                found[key] = SideGap(before.told, row, before.day, False, before.accepted)
    return sorted(found.values(), key=lambda gap: gap.day, reverse=True)


def _accepted(case: Case, measure: str, verdict: Verdict) -> Decision | None:
    """The newest decision about a gap, where it covers this one: the same side leads, and by no more beyond error."""
    about = [d for d in case.all(Decision) if d.subject == ACCEPTED and d.inputs.get("measure") == measure]
    last = about[-1] if about else None
    if last is None or last.outcome == OPEN:
        return None
    then, error = float(last.inputs["d"]), float(last.inputs["e"])
    grown = abs(verdict.d) - abs(then)
    return last if then * verdict.d > 0 and grown <= math.hypot(error, verdict.e) else None


def acceptance(gap: SideGap, reason: str) -> Decision:
    """The decision that lets a gap stand as it is: a wider one, or one of the other side, asks anew."""
    about = {"measure": gap.measure.id, "name": gap.measure.name, "gap": gap.words, "d": gap.told.d, "e": gap.told.e}
    return Decision(ACCEPTED, "accepted", about, reason=reason.strip())


def taken_back(gap: SideGap) -> Decision:
    """The decision that opens an accepted gap again."""
    return Decision(ACCEPTED, OPEN, {"measure": gap.measure.id, "name": gap.measure.name})


def still_open(gaps: Iterable[SideGap], *stages: str) -> list[str]:
    """Words of the gaps that nobody accepted; of all stages, or of those named."""
    return [gap.words for gap in gaps if gap.accepted is None and (not stages or gap.measure.stage in stages)]
