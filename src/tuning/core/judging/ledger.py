"""The ledger of a case: every measure of a visit, worst first."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from tuning.core.case import Case, Visit
from tuning.core.judging.comparison import Comparison, comparison_table
from tuning.core.judging.measures import Measure
from tuning.core.judging.trial_rule import TrialRule, apply_trial_rule
from tuning.core.types import Observation


def at_visit(
    case: Case, visit: Visit, measures: Mapping[str, Measure], rule: TrialRule = TrialRule.MEAN
) -> Sequence[Observation]:
    """The standing observations of one visit, as the clinic's rule for trials reads them."""

    def read() -> Sequence[Observation]:
        """Those of the visit."""
        return apply_trial_rule(measures, [o for o in case.all(Observation) if o.visit == visit.uid], rule)

    return case.memoised(("at visit", visit.uid, rule), read, measures)


def observed_today(
    case: Case, measures: Mapping[str, Measure], rule: TrialRule = TrialRule.MEAN
) -> Sequence[Observation]:
    """The observations of the open visit."""
    return at_visit(case, case.visit, measures, rule)


def ledger_at(
    case: Case, visit: Visit, measures: Mapping[str, Measure], rule: TrialRule = TrialRule.MEAN
) -> Sequence[Comparison]:
    """All rows of one visit, worst first."""
    key = ("ledger", visit.uid, rule)
    return case.memoised(key, lambda: comparison_table(measures, at_visit(case, visit, measures, rule)), measures)


def ledger(case: Case, measures: Mapping[str, Measure], rule: TrialRule = TrialRule.MEAN) -> Sequence[Comparison]:
    """All rows of the open visit, worst first."""
    return ledger_at(case, case.visit, measures, rule)
