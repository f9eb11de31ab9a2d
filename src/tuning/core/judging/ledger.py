"""The ledger of a case: every measure of the open visit, worst first."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from tuning.core.case import Case
from tuning.core.judging.comparison import Comparison, compare_all
from tuning.core.judging.measures import Measure
from tuning.core.judging.summary import Rule, by_rule
from tuning.core.types import Observation


def observed_today(case: Case, measures: Mapping[str, Measure], rule: Rule = Rule.MEAN) -> Sequence[Observation]:
    """The observations of the open visit, as the clinic's rule for trials reads them."""
    key = ("observed", id(measures), rule)
    return case.remembered(key, lambda: by_rule(measures, case.today(Observation), rule))


def ledger(case: Case, measures: Mapping[str, Measure], rule: Rule = Rule.MEAN) -> Sequence[Comparison]:
    """All rows of the open visit, worst first."""
    key = ("ledger", id(measures), rule)
    return case.remembered(key, lambda: compare_all(measures, observed_today(case, measures, rule)))
