"""Two visits, or two moments of one, set against each other: each measure, each gap, and what was left out."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum

from tuning.core.case import Case, Visit
from tuning.core.judging.comparability import manner
from tuning.core.judging.comparison import Change, Comparison, compare_change, compare_sides, latest_by_measure
from tuning.core.judging.ledger import at_visit
from tuning.core.judging.measures import Measure
from tuning.core.judging.trial_rule import TrialRule
from tuning.core.judging.verdict import Verdict, VerdictWord, judge
from tuning.core.types import LEGS, NotMeasured, Observation, Side
from tuning.core.units import format_signed, unit_suffix

Key = tuple[str, Side, str]
"""Measure, side, region: two places that hurt on one side are two things."""


class ChangeFinding(StrEnum):
    """What is said of a change."""

    CHANGED = "changed beyond error"
    NOT_YET = "not yet"
    CANNOT_TELL = "cannot tell"
    UNLIKE = "not compared"


ORDER = (ChangeFinding.CHANGED, ChangeFinding.CANNOT_TELL, ChangeFinding.NOT_YET, ChangeFinding.UNLIKE)


def finding_of(verdict: Verdict | NotMeasured) -> ChangeFinding:
    """The word for a verdict on a change: one that is surely smaller than what matters is not there yet."""
    if isinstance(verdict, NotMeasured):
        return ChangeFinding.UNLIKE
    return {VerdictWord.IN_TUNE: ChangeFinding.NOT_YET, VerdictWord.CANNOT_TELL: ChangeFinding.CANNOT_TELL}.get(
        verdict.word, ChangeFinding.CHANGED
    )


@dataclass(frozen=True)
class GapChange:
    """The left-right difference of one measure, earlier and now; `verdict` is on the change of its size."""

    measure: Measure
    before: Comparison
    now: Comparison
    verdict: Verdict | NotMeasured

    @property
    def flipped(self) -> bool:
        """Whether the sides changed places."""
        a, b = self.before.verdict, self.now.verdict
        return isinstance(a, Verdict) and isinstance(b, Verdict) and a.d * b.d < 0

    @property
    def sentence(self) -> str:
        """Both gaps, and whether they came nearer together."""
        if isinstance(self.verdict, NotMeasured):
            return self.verdict.detail
        v, unit = self.verdict, unit_suffix(self.measure.comparison_unit)
        places = 0 if unit == " %" else max(self.measure.decimals, 1)
        if v.word is VerdictWord.CANNOT_TELL:
            return f"the sides moved no more than the error of ±{v.e:.{places}f}{unit}"
        if v.word is VerdictWord.IN_TUNE:
            return f"the gap is as it was, less than {v.band:g}{unit} either way"
        way = "nearer together" if v.d < 0 else "further apart"
        if self.flipped:
            way = "and the other side leads now"
        return f"{format_signed(abs(v.d), places)}{unit} {way}, beyond the error of ±{v.e:.{places}f}{unit}"


@dataclass(frozen=True)
class Row:
    """A measure of one side at both visits, or at one of them only."""

    measure: Measure
    side: Side
    region: str
    before: Observation | None
    now: Observation | None
    change: Change | None
    gap: GapChange | None = None

    @property
    def key(self) -> Key:
        """What the row is about."""
        return self.measure.id, self.side, self.region

    @property
    def finding(self) -> ChangeFinding:
        """The word for it."""
        return finding_of(self.change.verdict) if self.change is not None else ChangeFinding.UNLIKE

    @property
    def name(self) -> str:
        """Measure, side and place in words."""
        return self.named(self.measure.name)

    def named(self, measure: str) -> str:
        """The same, with the measure in other words."""
        side = self.side.value if self.side in LEGS else ""
        return ", ".join(part for part in (measure, side, self.region) if part)

    @property
    def sentence(self) -> str:
        """What is said of it."""
        if self.change is not None:
            turn = f", {self.change.turn}" if self.change.turn else ""
            return self.change.sentence + turn
        return "not measured again" if self.now is None else "not measured before"


def newest(measures: Mapping[str, Measure], seen: Sequence[Observation], plain: bool = True) -> dict[Key, Observation]:
    """The newest observation of each measure, side and region.

    Trials of something changed or treated are left out where `plain`, and looked at alone where not.
    """
    regions: dict[str, list[Observation]] = {}
    for one in seen:
        if bool(one.setup.treatment or one.setup.changed) != plain and one.measure_id in measures:
            regions.setdefault(one.setup.region, []).append(one)
    found: dict[Key, Observation] = {}
    for region, known in regions.items():
        if plain:
            found |= {(m, side, region): o for (m, side), o in latest_by_measure(measures, known).items()}
        else:
            found |= {(o.measure_id, o.side, region): o for o in known}
    return found


def alike(visits: Sequence[Sequence[Observation]]) -> list[list[Observation]]:
    """Of each measure that visits share a manner of: what was taken in the newest such manner; the rest as it is."""
    shared = set.intersection(*({(_key(o), manner(o)) for o in seen} for seen in visits))
    last = {_key(o): manner(o) for o in visits[-1] if (_key(o), manner(o)) in shared}
    return [[o for o in seen if last.get(_key(o), manner(o)) == manner(o)] for seen in visits]


def _key(seen: Observation) -> Key:
    return seen.measure_id, seen.side, seen.setup.region


def between_visits(
    case: Case, before: Visit, now: Visit, measures: Mapping[str, Measure], rule: TrialRule = TrialRule.MEAN
) -> list[Row]:
    """Every measure that either visit holds; what changed first, then by size in errors."""
    seen = alike([at_visit(case, visit, measures, rule) for visit in (before, now)])
    earlier, present = (newest(measures, one) for one in seen)
    return _rows(measures, earlier, present, same_session=False)


def within_visit(
    case: Case, visit: Visit, measures: Mapping[str, Measure], rule: TrialRule = TrialRule.MEAN
) -> list[Row]:
    """Before and after what was done in one visit: the plain value against the one after a treatment."""
    seen = at_visit(case, visit, measures, rule)
    after = newest(measures, [o for o in seen if not o.setup.changed], plain=False)
    plain = {key: one for key, one in newest(measures, seen).items() if key in after}
    return _rows(measures, plain, after, same_session=True)


def _rows(
    measures: Mapping[str, Measure], earlier: Mapping[Key, Observation], present: Mapping[Key, Observation],
    same_session: bool,
) -> list[Row]:  # fmt: skip
    rows = []
    for key in dict.fromkeys((*present, *earlier)):
        measure, a, b = measures[key[0]], earlier.get(key), present.get(key)
        change = compare_change(measure, a, b, same_session) if a is not None and b is not None else None
        gap = _gap(measure, earlier, present, key[2]) if measure.paired and change is not None else None
        rows.append(Row(measure, key[1], key[2], a, b, change, gap))

    def rank(row: Row) -> tuple[int, float]:
        """What changed first; within a word the largest change in errors."""
        verdict = row.change.verdict if row.change is not None else None
        return ORDER.index(row.finding), -abs(verdict.in_errors) if isinstance(verdict, Verdict) else 1.0

    return sorted(rows, key=rank)


def _gap(
    measure: Measure, earlier: Mapping[Key, Observation], present: Mapping[Key, Observation], region: str
) -> GapChange:
    """How the left-right difference changed: the error of both differences together (the day part is in neither)."""
    left, right = (measure.id, Side.LEFT, region), (measure.id, Side.RIGHT, region)
    a = compare_sides(measure, earlier.get(left), earlier.get(right))
    b = compare_sides(measure, present.get(left), present.get(right))
    return GapChange(measure, a, b, gap_verdict(a, b))


def gap_verdict(a: Comparison, b: Comparison) -> Verdict | NotMeasured:
    """Whether a left-right difference changed: d is negative where the sides came nearer together.

    Where they changed places d is the whole way, not the change of the size, which would hide it.
    """
    for one in (a, b):
        if isinstance(one.verdict, NotMeasured):
            return NotMeasured("incomplete", one.verdict.detail)
    assert isinstance(a.verdict, Verdict) and isinstance(b.verdict, Verdict)
    was, now = a.verdict.d, b.verdict.d
    d = abs(now) - abs(was) if was * now >= 0 else abs(now - was)
    return judge(d, math.hypot(a.verdict.e, b.verdict.e), a.measure.band)


def not_retested(rows: Sequence[Row], before: Sequence[Comparison]) -> list[Row]:
    """What stood out or was undecided at the earlier visit, and pain and goals, where not measured again."""
    open_then = {
        row.measure.id
        for row in before
        if isinstance(row.verdict, Verdict) and row.verdict.word is not VerdictWord.IN_TUNE
    }
    return [row for row in rows if row.now is None and (row.measure.id in open_then or row.measure.change is not None)]


def summary(rows: Sequence[Row], missing: Sequence[Row]) -> str:
    """How many changed, in one sentence."""
    judged = [row for row in rows if row.change is not None and row.finding is not ChangeFinding.UNLIKE]
    counts = {f: sum(row.finding is f for row in judged) for f in ORDER}
    parts = [f"{counts[f]} {f.value}" for f in ORDER[:3]]
    left_out = f"; {len(missing)} due and not re-tested" if missing else ""
    return f"Of {len(judged)} compared: {', '.join(parts)}{left_out}." if judged else f"Nothing to compare{left_out}."
