"""What stands of a person, ready to be looked at sign by sign: the newest of everything, up to the open visit."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date

from tuning.core.case import Case
from tuning.core.entries import Answer, Decision, Done, Ending, Form, OtherLoad, PlanItem, Status
from tuning.core.judging.comparison import Comparison, compare_sides, judge_value, latest_by_measure
from tuning.core.judging.measures import Measure, ReferenceGroup
from tuning.core.judging.trial_rule import TrialRule, apply_trial_rule
from tuning.core.reasoning.trial_of_cause import Response, responses
from tuning.core.standing.level_suspicion import LEVELS_DECIDED
from tuning.core.test_definitions import HOW_OFTEN
from tuning.core.types import LEGS, Observation, Side


@dataclass(frozen=True)
class Findings:
    """Rows by measure, values by measure and side, answers by question and side, forms by kind, responses."""

    measures: Mapping[str, Measure]
    who: ReferenceGroup
    rows: Mapping[str, Comparison]
    values: Mapping[tuple[str, Side], Observation]
    seen: Sequence[Observation]
    answers: Mapping[tuple[str, str, Side], Answer]
    forms: Mapping[str, Form]
    responses: Sequence[Response]
    today: frozenset[str]
    """Measures and tests of the open visit."""
    before: Mapping[tuple[str, Side], Sequence[Observation]]
    """Values of earlier visits than the one that counts, oldest first."""
    worked: Mapping[str, tuple[date, date]]
    """First and last session of each ladder that was trained."""
    decided: Sequence[Decision]
    """Outcomes of the looks that decide about the standing levels, newest last."""
    ended: frozenset[str]
    """Tests of the open visit that were not possible or stopped for pain."""
    loads: Sequence[OtherLoad]
    """Loads beside the exercises, up to the day of the open visit."""


def findings(case: Case, measures: Mapping[str, Measure], rule: TrialRule = TrialRule.MEAN) -> Findings:
    """The newest of everything up to the open visit; both sides of a measure come from the same visit.

    Captures with one thing changed, or after a treatment, are trials of cause and tell nothing else; what was found
    with a lift, brace or orthosis on says nothing about the leg without it.
    """
    return case.memoised(("findings", rule), lambda: _findings(case, measures, rule), measures)


def _findings(case: Case, measures: Mapping[str, Measure], rule: TrialRule) -> Findings:
    order = {visit.uid: n for n, visit in enumerate(case.visits)}
    upto = order[case.visit.uid]
    taken = [o for o in case.all(Observation) if order.get(o.visit, upto) <= upto and o.measure_id in measures]
    known = apply_trial_rule(measures, taken, rule)
    usual = [o for o in known if not (o.setup.changed or o.setup.treatment or o.setup.worn)]
    newest: dict[str, int] = {}
    for seen in usual:
        newest[seen.measure_id] = max(newest.get(seen.measure_id, 0), order.get(seen.visit, upto))
    kept = sorted((o for o in usual if order.get(o.visit, upto) == newest[o.measure_id]), key=lambda o: o.at)
    values = latest_by_measure(measures, kept)
    rows = {}
    for key in {measure_id for measure_id, _ in values}:
        measure = measures[key]
        if measure.paired:
            rows[key] = compare_sides(measure, *(values.get((key, side)) for side in LEGS))
        elif (key, Side.NONE) in values:
            rows[key] = judge_value(measure, values[key, Side.NONE])
    answers = _answers([a for a in case.all(Answer) if order.get(a.visit, upto) <= upto])
    forms = {form.kind: form for form in case.all(Form) if order.get(form.visit, upto) <= upto}
    here = case.visit.uid
    today = {o.measure_id for o in case.today(Observation)} | {a.test for a in case.today(Answer)}
    who = ReferenceGroup(case.patient.age_on(case.visit.started_at.date()), case.patient.sex)
    tried = responses(measures, [o for o in known if o.visit == here])
    before: dict[tuple[str, Side], list[Observation]] = {}
    for seen in sorted(usual, key=lambda o: o.at):
        if seen.measured is not None and order.get(seen.visit, upto) < newest[seen.measure_id]:
            before.setdefault((seen.measure_id, seen.side), []).append(seen)
    chosen = [d for d in case.all(Decision) if d.subject == LEVELS_DECIDED and order.get(d.visit, upto) <= upto]
    day = case.visit.started_at.astimezone().date()
    loads = [one for one in case.all(OtherLoad) if one.day <= day]
    ended = {e.test for e in case.today(Ending) if e.status in (Status.UNABLE, Status.PAIN)}
    return Findings(
        measures, who, rows, values, known, answers, forms, tried, frozenset(today), before, _worked(case), chosen,
        frozenset(ended), loads,
    )  # fmt: skip


def _answers(given: Sequence[Answer]) -> dict[tuple[str, str, Side], Answer]:
    """The newest answer to each question of a side; of several conditions in one visit, the one with the fault."""
    found: dict[tuple[str, str, Side], Answer] = {}
    for answer in sorted(given, key=lambda a: a.at):
        key = answer.test, answer.question, answer.side
        before = found.get(key)
        elsewhere = before is not None and before.visit == answer.visit and before.under != answer.under
        if before is None or not elsewhere or _how_often(answer) >= _how_often(before):
            found[key] = answer
    return found


def _how_often(answer: Answer) -> int:
    """Place among the words for how often a fault is seen; 0 for other words."""
    return HOW_OFTEN.index(answer.option) if answer.option in HOW_OFTEN else 0


def _worked(case: Case) -> dict[str, tuple[date, date]]:
    """First and last session of every ladder that ever stood in the plan, up to the day of the open visit."""
    ladder_of = {item.rung: item.ladder for item in case.all(PlanItem)}
    today = case.visit.started_at.astimezone().date()
    found: dict[str, tuple[date, date]] = {}
    for done in case.all(Done):
        ladder = ladder_of.get(done.rung, "")
        if ladder and not done.trial and done.day <= today:
            first, last = found.get(ladder, (done.day, done.day))
            found[ladder] = min(first, done.day), max(last, done.day)
    return found
