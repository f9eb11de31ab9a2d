"""Which past verdicts another rule or band would change, before anybody takes it over."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from tuning.core.case import Case, Visit
from tuning.core.judging.comparison import comparison_table
from tuning.core.judging.measures import Measure
from tuning.core.judging.trial_rule import TrialRule, apply_trial_rule
from tuning.core.judging.verdict import Verdict
from tuning.core.types import NotMeasured, Observation


@dataclass(frozen=True)
class VerdictChange:
    """A verdict of a visit as it was and as it would be."""

    visit: Visit
    measure: Measure
    was: str
    now: str

    @property
    def sentence(self) -> str:
        """In a few words."""
        return f"{self.visit.started_at.astimezone():%-d %b %Y}, {self.measure.name}: {self.was} becomes {self.now}"


def _word(verdict: Verdict | NotMeasured) -> str:
    return verdict.word.value if isinstance(verdict, Verdict) else "not judged"


def altered(
    case: Case, before: tuple[Mapping[str, Measure], TrialRule], after: tuple[Mapping[str, Measure], TrialRule]
) -> list[VerdictChange]:
    """Every verdict of every visit that differs between two readings of the same case, oldest visit first."""
    found = []
    for visit in case.visits:
        seen = [o for o in case.all(Observation) if o.visit == visit.uid]
        words = []
        for measures, rule in (before, after):
            rows = comparison_table(measures, apply_trial_rule(measures, seen, rule))
            words.append({row.measure.id: (row.measure, _word(row.verdict)) for row in rows})
        for key in dict.fromkeys((*words[0], *words[1])):
            was, now = (one[key][1] if key in one else "told by another row" for one in words)
            if was != now:
                measure = (words[1].get(key) or words[0][key])[0]
                found.append(VerdictChange(visit, measure, was, now))
    return found
