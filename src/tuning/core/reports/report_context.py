"""What a report may speak of, and the words that every section shares."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date

from tuning.core.case import Case, Visit
from tuning.core.entries import PlanItem
from tuning.core.gate.open_findings import ScreeningStatus
from tuning.core.gate.triage import SafetyTable
from tuning.core.judging.comparison import Comparison
from tuning.core.judging.measures import Measure
from tuning.core.judging.verdict import Verdict, VerdictWord
from tuning.core.programme.ladders import Rung
from tuning.core.reasoning.conclusion import Conclusion
from tuning.core.reports.content import Audience, ReportKind, ReportTable, Section, Sentence
from tuning.core.review.changes import ChangeFinding, Row
from tuning.core.types import NotMeasured, Observation, Role, Triage
from tuning.core.units import unit_suffix


@dataclass(frozen=True)
class ReportContext:
    """Everything that a report may speak of. `rows` are changes since `before`; `missing` what is due."""

    case: Case
    measures: Mapping[str, Measure]
    safety: SafetyTable
    standing: ScreeningStatus | None
    ledger: Sequence[Comparison]
    conclusion: Conclusion
    plan: Sequence[PlanItem]
    rung: Callable[[str], Rung]
    role: Role
    author: str
    scope: str
    before: Visit | None = None
    rows: Sequence[Row] = ()
    missing: Sequence[Row] = ()
    letterhead: tuple[str, ...] = ()
    cautions: tuple[str, ...] = ()
    """What the person has that steers exercise, by name."""
    limits: str = ""
    """The surgeon's limits that stand, in words."""
    telephone: str = ""
    resting: Mapping[str, str] = field(default_factory=dict)
    """Why an exercise of the plan is not to be done now, by its entry."""

    @property
    def is_red(self) -> bool:
        """Whether a red flag stands."""
        return self.standing is not None and self.standing.level is Triage.RED

    @property
    def day(self) -> date:
        """The day of the open visit."""
        return self.case.visit.started_at.astimezone().date()


@dataclass
class SectionWriter:
    """What a section is written with: the material, the kind and for whom; what may not be printed is noted."""

    m: ReportContext
    table: ReportTable
    kind: ReportKind
    register: Audience
    left_out: list[str] = field(default_factory=list)

    @property
    def plain(self) -> bool:
        """Whether everyday words are wanted."""
        return self.register is Audience.PATIENT

    def named(self, measure: Measure) -> str:
        """A measure in the words of the reader."""
        return measure.plain if self.plain else measure.name

    def few(self, sentences: list[Sentence]) -> list[Sentence]:
        """As many as the kind has room for."""
        return sentences[: self.kind.most] if self.kind.most else sentences


def section_of(w: SectionWriter, name: str, sentences: Iterable[Sentence] = (), **more: object) -> Section:
    """A section under its heading."""
    heading = w.table.headings[w.register.value][name]
    return Section(name, heading, tuple(sentences), **more)  # type: ignore[arg-type]


def uids_of(*seen: Observation | None) -> tuple[str, ...]:
    """Uids of those that are there."""
    return tuple(one.uid for one in seen if one is not None and one.uid)


def value_words(measure: Measure, seen: Observation | None) -> str:
    """A value with its unit, or a dash."""
    if seen is None or isinstance(seen.value, NotMeasured):
        return "–"
    if measure.unit == "grade":
        return f"grade {measure.text(seen.value)}"
    return f"{measure.text(seen.value)}{unit_suffix(measure.unit)}"


def judged(w: SectionWriter, *words: VerdictWord) -> list[tuple[Comparison, Verdict]]:
    """Rows of the ledger with one of some verdicts."""
    return [(row, row.verdict) for row in w.m.ledger if isinstance(row.verdict, Verdict) and row.verdict.word in words]


EVERYDAY = {ChangeFinding.NOT_YET: "as before", ChangeFinding.CANNOT_TELL: "no clear change"}


def rows_of(w: SectionWriter, *findings: ChangeFinding) -> list[Row]:
    """Changes of some kinds; a measure that another one of the same test tells is left out."""
    ids = {row.measure.id for row in w.m.rows}
    return [r for r in w.m.rows if r.change is not None and r.finding in findings and r.measure.within not in ids]
