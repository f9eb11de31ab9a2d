"""Left against right for any measure: one function, one rule, one set of words."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np

from tuning.core.judging.comparability import manner, why_not_comparable, why_not_comparable_over_time
from tuning.core.judging.measures import NOBODY, Compare, Measure, ReferenceBand, ReferenceGroup
from tuning.core.judging.symmetry import difference_to_stronger
from tuning.core.judging.verdict import (
    Z95,
    ErrorParts,
    Verdict,
    VerdictWord,
    error_of_change,
    error_of_difference,
    error_of_value,
    judge,
    split_sem,
    trials_to_settle,
    with_marking,
)
from tuning.core.types import LEGS, NotMeasured, Observation, Side
from tuning.core.units import format_signed, unit_suffix

FORCE_UNITS = ("N", "N/kg", "Nm", "Nm/kg")
"""Units in which less is weaker."""


@dataclass(frozen=True)
class Comparison:
    """One ledger row: the values, the verdict and where its error comes from.

    `verdict` is NotMeasured while a side is missing or could not be measured.
    """

    measure: Measure
    left: Observation | None
    right: Observation | None
    verdict: Verdict | NotMeasured
    error_source: str
    settle: str = ""

    @property
    def simulated(self) -> bool:
        """Whether a value came from a made-up device."""
        return any(seen is not None and seen.setup.simulated for seen in (self.left, self.right))

    @property
    def error_words(self) -> str:
        """The error band with its unit; empty without a verdict."""
        if isinstance(self.verdict, NotMeasured):
            return ""
        unit = self.measure.comparison_unit
        places = 0 if unit == "%" else self.measure.decimals
        return f"error ±{self.verdict.e:.{places}f}{unit_suffix(unit)}"

    @property
    def error_text(self) -> str:
        """The error band and where it comes from; empty without a verdict."""
        return f"{self.error_words}: {self.error_source}" if self.error_words else ""

    @property
    def sentence(self) -> str:
        """Size, side and formula (or what is missing) in a few words; made-up values say so."""
        return f"{self._words}, simulated" if self.simulated else self._words

    @property
    def _words(self) -> str:
        if isinstance(self.verdict, NotMeasured):
            return self.verdict.detail
        v, unit = self.verdict, unit_suffix(self.measure.comparison_unit)
        places = 0 if unit == " %" else self.measure.decimals
        size, shown = f"{format_signed(abs(v.d), places)}{unit}", round(v.d, places)
        if self.measure.unit == "grade":
            size, shown = f"{abs(v.d):g} grade{'' if abs(v.d) == 1 else 's'}", v.d
        if v.word is VerdictWord.CANNOT_TELL:
            return f"could differ by up to {v.still_possible:.{places}f}{unit}"
        if shown == 0:
            return "level" if self.measure.compare is Compare.VALUE else "no difference"
        if self.measure.compare is Compare.VALUE:
            return f"{self.measure.more[0 if v.d > 0 else 1]} by {size}"
        if self.measure.compare is Compare.STRONGER and self.measure.finding == "larger":
            return f"{'right' if v.d > 0 else 'left'} larger by {size} of the larger"
        if self.measure.compare is Compare.STRONGER:
            weak, strong = ("left", "right") if v.d > 0 else ("right", "left")
            return f"{weak} {size} {'weaker' if self.measure.unit in FORCE_UNITS else 'lower'} than {strong}"
        return f"{'right' if v.d > 0 else 'left'} larger by {size}"


def error_parts(measure: Measure, seen: Observation) -> ErrorParts:
    """The error parts of a value, by how it was taken; percent where the measure is compared in percent."""
    sem = measure.sem_by.get(seen.setup.fixation, measure.sem_by.get(seen.method, measure.sem))
    return with_marking(split_sem(sem), seen.marking_sd)


def trials_averaged(seen: Observation) -> int:
    """How many trials share the trial part of the error."""
    # Only a mean of several trials shrinks the trial part; "best" keeps the single-trial error.
    return max(1, seen.trials.size) if seen.summary_rule == "mean" else 1


def _settle(word: VerdictWord, d: float, parts: ErrorParts, measure: Measure, now: int) -> str:
    if word is not VerdictWord.CANNOT_TELL:
        return ""
    needed = trials_to_settle(d, parts, measure.band, now)
    if needed is not None:
        return f"{needed} trials a side in all would settle it if the difference stays"
    if "belt" in measure.sem_by:
        return "more trials alone will not settle it: fix the device with a belt"
    return "more trials alone will not settle it: a steadier method is needed"


def compare_sides(measure: Measure, left: Observation | None, right: Observation | None) -> Comparison:
    """Set the left against the right observation of a paired measure.

    Differences are plain R - L or percent of the stronger side, as the measure
    says. The error keeps the trial and set-up parts; the day part is common to
    both sides of one session. Returns a Comparison whose verdict is
    NotMeasured when a side is missing.
    """
    for name, seen in (("left", left), ("right", right)):
        if seen is None:
            return _incomplete(measure, left, right, f"{name} side not tested yet")
        if isinstance(seen.value, NotMeasured):
            return _incomplete(measure, left, right, f"{name} not measured: {seen.value.detail}")
    assert left is not None and right is not None
    apart = why_not_comparable(left, right, measure.compare is Compare.STRONGER)
    if apart:
        return _incomplete(measure, left, right, apart)
    a, b = left.measured, right.measured
    assert a is not None and b is not None
    if measure.compare is Compare.STRONGER:
        if min(a, b) <= 0:
            return _incomplete(measure, left, right, "no percentage with a value of zero")
        d = difference_to_stronger(a, b)
        spread = 100 * max(left.spread, right.spread) / max(a, b)
    else:
        d, spread = b - a, max(left.spread, right.spread)
    left_parts, right_parts = error_parts(measure, left), error_parts(measure, right)
    error = error_of_difference(left_parts, right_parts, trials_averaged(left), trials_averaged(right))
    verdict = judge(d, error, measure.band, spread)
    wider = max(left_parts, right_parts, key=lambda p: p.trial)
    settle = _settle(verdict.word, d, wider, measure, min(trials_averaged(left), trials_averaged(right)))
    return Comparison(measure, left, right, verdict, _source(measure, left, spread, error), settle)


def judge_value(measure: Measure, seen: Observation | None) -> Comparison:
    """Judge one signed value (a tilt, a share) against its target with the 1.96 SEM error."""
    if seen is None or isinstance(seen.value, NotMeasured):
        why = "not measured yet" if seen is None else f"not measured: {seen.value.detail}"  # type: ignore[union-attr]
        return _incomplete(measure, None, seen, why)
    parts = error_parts(measure, seen)
    error = error_of_value(parts, trials_averaged(seen))
    verdict = judge(seen.value - measure.target, error, measure.band, seen.spread)
    again = "repeat with the stance reset" if seen.marking_sd is None else "measure more frames, camera square"
    settle = again if verdict.word is VerdictWord.CANNOT_TELL else ""
    return Comparison(measure, None, seen, verdict, _source(measure, seen, seen.spread, error), settle)


def against_reference(
    measure: Measure, seen: Observation, who: ReferenceGroup = NOBODY
) -> tuple[str, ReferenceBand] | None:
    """One value against the band of usual values, in words, with the band; None where there is none.

    Between two ends the whole error (1.96 SEM, section 0 of the battery) must lie on one side to say so.
    With one end every value on the good side is inside whatever its error, and past it the value must
    lie further out than its error.
    """
    usual = measure.reference.usual(seen.setup.gait or seen.setup.task, who) if measure.reference is not None else None
    if usual is None or isinstance(seen.value, NotMeasured):
        return None
    value, error = seen.value, max(error_of_value(error_parts(measure, seen), trials_averaged(seen)), seen.spread)
    low, high = (limit if limit is not None else value for limit in (usual.low, usual.high))
    slack = 0.0 if None in (usual.low, usual.high) else error
    if low <= value - slack and value + slack <= high:
        return "inside the usual band", usual
    if value + error < low:
        return "below the usual band", usual
    return "above the usual band" if value - error > high else "cannot tell whether inside the usual band", usual


def _incomplete(measure: Measure, left: Observation | None, right: Observation | None, why: str) -> Comparison:
    return Comparison(measure, left, right, NotMeasured("incomplete", why), measure.sem_source)


def _source(measure: Measure, seen: Observation, spread: float, error: float) -> str:
    if spread > error:
        return "spread of this visit's trials"
    if seen.marking_sd is not None and seen.marking_sd > split_sem(measure.sem).trial:
        return "mark placement in this picture"
    return measure.sem_source


def _sides_alike(measures: Mapping[str, Measure], seen: Sequence[Observation]) -> list[Observation]:
    """Without what only one side was measured under, where both were measured under something else.

    Only of measures whose sides are compared: pain of one place is not left out for pain of another.
    """
    known: dict[str, dict[tuple[str, ...], set[Side]]] = {}
    compared = {key for key, one in measures.items() if one.paired and one.compare is not Compare.ALONE}
    for one in (o for o in seen if o.measure_id in compared):
        known.setdefault(one.measure_id, {}).setdefault(manner(one), set()).add(one.side)
    both = {measure: {m for m, sides in found.items() if sides >= set(LEGS)} for measure, found in known.items()}
    last = {o.measure_id: manner(o) for o in seen if manner(o) in both.get(o.measure_id, ())}
    return [o for o in seen if last.get(o.measure_id, manner(o)) == manner(o)]


def latest_by_measure(
    measures: Mapping[str, Measure], seen: Sequence[Observation]
) -> dict[tuple[str, Side], Observation]:
    """The newest observation of each measure and side; where frames are trials, with those of the same clip."""
    # A capture with one thing changed, or after a treatment, is a trial: never the finding it is compared with.
    usual = [o for o in seen if not (o.setup.changed or o.setup.treatment)]
    newest = {(o.measure_id, o.side): o for o in _sides_alike(measures, usual)}
    for key, last in newest.items():
        if key[0] not in measures or not measures[key[0]].each_frame or last.method != "clip":
            continue
        steps = [o for o in usual if (o.measure_id, o.side) == key and o.capture == last.capture]
        known = [o for o in steps if o.measured is not None]
        if len(known) > 1:
            trials = np.array([o.measured for o in known])
            marking_sd = float(np.sqrt(np.mean([(o.marking_sd or 0.0) ** 2 for o in known])))
            value = float(trials.mean())
            newest[key] = replace(last, value=value, trials=trials, summary_rule="mean", marking_sd=marking_sd)
    return newest


def comparison_table(measures: Mapping[str, Measure], seen: Sequence[Observation]) -> list[Comparison]:
    """All ledger rows for the newest observation of each measure and side.

    A row that another row already tells (`within`) is left out, unless it says worse.
    Rows come worst first: marked, notable, cannot tell, in tune, incomplete.
    """
    newest = latest_by_measure(measures, seen)
    rows = {}
    for key in dict.fromkeys(measure_id for measure_id, _ in newest):
        measure = measures[key]
        if measure.compare is Compare.ALONE:
            continue
        if measure.paired:
            rows[key] = compare_sides(measure, newest.get((key, Side.LEFT)), newest.get((key, Side.RIGHT)))
        else:
            rows[key] = judge_value(measure, newest.get((key, Side.NONE)))
    order = [VerdictWord.MARKED, VerdictWord.NOTABLE, VerdictWord.CANNOT_TELL, VerdictWord.IN_TUNE]

    def rank(row: Comparison) -> int:
        """Worst first, incomplete last."""
        return len(order) if isinstance(row.verdict, NotMeasured) else order.index(row.verdict.word)

    def is_told(row: Comparison) -> bool:
        """Another row tells it, and this one says nothing worse beyond error."""
        outer = rows.get(row.measure.within)
        if outer is None or isinstance(outer.verdict, NotMeasured):
            return outer is not None and isinstance(row.verdict, NotMeasured)
        return rank(row) >= min(rank(outer), order.index(VerdictWord.CANNOT_TELL))

    return sorted((row for row in rows.values() if not is_told(row)), key=rank)


def same_session_error(measure: Measure, one: Observation, other: Observation) -> float:
    """95 % error of the difference of two values taken without setting anything up anew: the trial parts alone.

    In the unit of the measure; percent of `one` where the sides are compared in percent, as its error is given in it.
    """
    scale = 100 / one.measured if measure.in_percent and one.measured else 1.0
    spread = 0.0
    for seen in (one, other):
        trial = max(error_parts(measure, seen).trial, scale * seen.spread)
        spread += trial**2 / trials_averaged(seen)
    return Z95 * math.sqrt(spread)


@dataclass(frozen=True)
class Change:
    """One measure of one side, earlier and now. `d` is now minus before: percent of before where sides are too."""

    measure: Measure
    side: Side
    before: Observation
    now: Observation
    verdict: Verdict | NotMeasured

    @property
    def beyond_error(self) -> bool:
        """Whether the change is larger than its error and than what matters."""
        return isinstance(self.verdict, Verdict) and self.verdict.word in (VerdictWord.NOTABLE, VerdictWord.MARKED)

    @property
    def turn(self) -> str:
        """Better or worse, where the measure says which way that is; empty otherwise, and within the error."""
        a, b, m = self.before.measured, self.now.measured, self.measure
        if not self.beyond_error or a is None or b is None:
            return ""
        if m.compare is Compare.VALUE:
            return "better" if abs(b - m.target) < abs(a - m.target) else "worse"
        more = m.better or ("more" if m.finding == "smaller" else "")
        return ("better" if (b > a) == (more == "more") else "worse") if more else ""

    @property
    def sentence(self) -> str:
        """Size and direction of the change, with its error."""
        if isinstance(self.verdict, NotMeasured):
            return self.verdict.detail
        v, unit = self.verdict, self.measure.comparison_unit
        places = 0 if unit == "%" else max(self.measure.decimals, 1)
        shown = unit_suffix(unit)
        if v.word is VerdictWord.CANNOT_TELL:
            return f"no change beyond the error of ±{v.e:.{places}f}{shown}"
        if v.word is VerdictWord.IN_TUNE:
            return f"unchanged: less than {v.band:g}{shown} either way"
        way = "more" if v.d > 0 else "less"
        limit = f"beyond the error of ±{v.e:.{places}f}{shown}"
        if self.measure.change is not None:
            limit = f"counts from {v.e:g}{shown}"
        return f"{format_signed(abs(v.d), places)}{shown} {way}, {limit}"


def compare_change(measure: Measure, before: Observation, now: Observation, same_session: bool = False) -> Change:
    """Set an earlier value against the present one of the same side and method.

    The error is that of a change between days (2.77 SEM for one trial); in one session, where nothing was set up
    anew, only the trials differ, and what was done between the two may. Unlike methods or tasks are not compared.
    """
    side = now.side
    if before.measured is None or now.measured is None:
        return Change(measure, side, before, now, NotMeasured("incomplete", "one of the two was not measured"))
    apart = why_not_comparable_over_time(before, now, measure.compare is Compare.STRONGER, same_session)
    if apart:
        return Change(measure, side, before, now, NotMeasured("unlike", apart))
    d, spread = now.measured - before.measured, max(before.spread, now.spread)
    if measure.change is not None:
        word = VerdictWord.NOTABLE if abs(d) >= measure.change else VerdictWord.CANNOT_TELL
        return Change(measure, side, before, now, Verdict(word, d, measure.change, None))
    if measure.sem <= 0:
        return Change(measure, side, before, now, NotMeasured("no error", "its error is not known: shown, not judged"))
    if measure.in_percent:
        if before.measured <= 0:
            return Change(measure, side, before, now, NotMeasured("zero", "no percentage of a value of zero"))
        d, spread = 100 * d / before.measured, 100 * spread / before.measured
    if same_session:
        error = same_session_error(measure, before, now)
    else:
        parts = max((error_parts(measure, o) for o in (before, now)), key=lambda p: p.trial)
        error = error_of_change(parts, trials_averaged(before), trials_averaged(now))
    return Change(measure, side, before, now, judge(d, error, measure.band, spread))


def changes(measures: Mapping[str, Measure], before: Sequence[Observation], now: Sequence[Observation]) -> list[Change]:
    """Every measure and side that both lists hold (newest each), greatest change in errors first."""
    earlier, present = latest_by_measure(measures, before), latest_by_measure(measures, now)
    found = [
        compare_change(measures[key[0]], earlier[key], present[key])
        for key in present
        if key in earlier and key[0] in measures and measures[key[0]].sem > 0
    ]

    def size(change: Change) -> float:
        """The change in errors; what cannot be compared comes last."""
        return -1.0 if isinstance(change.verdict, NotMeasured) else abs(change.verdict.in_errors)

    return sorted(found, key=size, reverse=True)
