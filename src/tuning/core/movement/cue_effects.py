"""What removes the shift: one thing changed at a time, each clip against the plain one."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from tuning.core.judging.comparison import Change, compare_change
from tuning.core.judging.measures import Measure
from tuning.core.judging.verdict import VerdictWord
from tuning.core.types import NotMeasured, Observation
from tuning.core.units import format_signed

SHIFT = "squat-hip-shift"


@dataclass(frozen=True)
class CueEffect:
    """One changed thing and what it did; `answer` as the test by eye has it, empty when it cannot be told."""

    changed: str
    change: Change
    answer: str

    @property
    def sentence(self) -> str:
        """Before, now, and the change with its error."""
        m, before, now = self.change.measure, self.change.before.measured, self.change.now.measured
        if before is None or now is None or isinstance(self.change.verdict, NotMeasured):
            return f"clip: {self.change.sentence}"
        values = f"{format_signed(before, m.decimals)} → {format_signed(now, m.decimals)} {m.unit}"
        told = f"clip: {values}, {self.change.sentence}"
        return f"{told}; {self.answer}" if self.answer else told


def cause(measure: Measure, changed: str, before: Observation, now: Observation) -> CueEffect:
    """Judge one change.

    `less` and `gone` need a change toward zero beyond its error; `gone` also
    that what is left lies inside the band. `same` is said only when a change
    as large as the band would have been seen. Otherwise nothing is answered.
    """
    change = compare_change(measure, before, now)
    v, a, b = change.verdict, before.measured, now.measured
    answer = ""
    if not isinstance(v, NotMeasured) and a is not None and b is not None:
        if v.word is VerdictWord.IN_TUNE:
            answer = "same"
        elif v.word is not VerdictWord.CANNOT_TELL and abs(b) < abs(a):
            answer = "gone" if measure.band is not None and abs(b) <= measure.band else "less"
        elif v.word is not VerdictWord.CANNOT_TELL:
            answer = "same"  # larger than before: changed, but not removed
    return CueEffect(changed, change, answer)


def causes(measure: Measure, plain: Observation, changed: Mapping[str, Observation]) -> list[CueEffect]:
    """All changed things, the one that leaves the least shift first."""
    found = [cause(measure, name, plain, seen) for name, seen in changed.items()]
    return sorted(found, key=lambda c: abs(c.change.now.measured or 0.0))
