"""The sections of a report, each worked out from the case alone; nothing is said that no entry holds."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date, datetime

from tuning.core.case import Case, Visit
from tuning.core.entries import Done, Form, PlanItem, Treatment
from tuning.core.gate.standing import Standing
from tuning.core.gate.triage import SafetyRule, SafetyTable
from tuning.core.gate.words import finding_name
from tuning.core.judging.comparison import Comparison
from tuning.core.judging.measures import Measure
from tuning.core.judging.verdict import Verdict, Word
from tuning.core.programme.ladders import Dose, Rung
from tuning.core.reasoning.balance import Balance, Chip, Label
from tuning.core.reasoning.conclusion import Conclusion, name_for
from tuning.core.reports.content import Kind, Line, Picture, Register, Report, ReportTable, Section, Sentence
from tuning.core.review.changes import Finding, Row, finding_of
from tuning.core.types import LEGS, FrameRef, NotMeasured, Observation, Role
from tuning.core.units import behind, sentence_case
from tuning.core.visit.log import told

STATIONS = ("foot", "ankle", "knee", "hip", "pelvis", "trunk", "shoulder")
SHOWN_PICTURES, SHOWN_PATTERNS, SHOWN_FACTORS = 4, 3, 2


@dataclass(frozen=True)
class Material:
    """Everything that a report may speak of. `rows` are changes since `before`; `missing` what is due."""

    case: Case
    measures: Mapping[str, Measure]
    safety: SafetyTable
    standing: Standing | None
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

    @property
    def day(self) -> date:
        """The day of the open visit."""
        return self.case.visit.started_at.astimezone().date()


@dataclass
class _Writer:
    m: Material
    table: ReportTable
    kind: Kind
    register: Register
    left_out: list[str] = field(default_factory=list)

    @property
    def plain(self) -> bool:
        """Whether everyday words are wanted."""
        return self.register is Register.PATIENT

    def few(self, sentences: list[Sentence]) -> list[Sentence]:
        """As many as the kind has room for."""
        return sentences[: self.kind.most] if self.kind.most else sentences


def written(material: Material, table: ReportTable, kind: Kind, register: Register = Register.COLLEAGUE) -> Report:
    """A whole report. Sections with nothing to say are left out, and so is every sentence with a forbidden word."""
    writer = _Writer(material, table, kind, register)
    made = []
    for name in kind.sections:
        section = WRITERS[name](writer)
        section = _allowed(writer, section)
        if not section.empty:
            made.append(section)
    patient = material.case.patient
    seen = [o for row in material.ledger for o in (row.left, row.right) if o is not None]
    return Report(
        kind, register, patient.name, patient.birth_date, material.day, material.author, material.role.value,
        tuple(made), material.scope, table.closing, material.letterhead, any(o.setup.simulated for o in seen),
        tuple(dict.fromkeys(writer.left_out)),
    )  # fmt: skip


def _allowed(w: _Writer, section: Section) -> Section:
    """Without what holds a forbidden word; the reader is told that something was left out."""

    def fits(text: str) -> bool:
        """Whether a text may be printed."""
        word = w.table.forbidden_in(text)
        if word:
            w.left_out.append(f"{w.table.left_out.format(word=word)} “{text}”")
        return not word

    return Section(
        section.id,
        section.heading,
        tuple(s for s in section.sentences if s.triage or fits(s.text)),
        section.head,
        tuple(line for line in section.lines if fits(" ".join(line.cells))),
        tuple(p for p in section.pictures if fits(p.caption.text)),
    )


def _section(w: _Writer, name: str, sentences: Iterable[Sentence] = (), **more: object) -> Section:
    heading = w.table.headings[w.register.value][name]
    return Section(name, heading, tuple(sentences), **more)  # type: ignore[arg-type]


def _uids(*seen: Observation | None) -> tuple[str, ...]:
    return tuple(one.uid for one in seen if one is not None and one.uid)


def _value(measure: Measure, seen: Observation | None) -> str:
    if seen is None or isinstance(seen.value, NotMeasured):
        return "–"
    if measure.unit == "grade":
        return f"grade {measure.text(seen.value)}"
    return f"{measure.text(seen.value)}{behind(measure.unit)}"


# why somebody came


def _why(w: _Writer) -> Section:
    case, patient = w.m.case, w.m.case.patient
    found = []
    if patient.complaint:
        who = f"{patient.name}, {patient.age_on(w.m.day)} years"
        work = f", {patient.occupation}" if patient.occupation else ""
        words = "You told us: " if w.plain else f"{who}{work}, tells: "
        found.append(Sentence(f"{words}“{patient.complaint}”.", (patient.uid,)))
    form = next((f for f in reversed(case.all(Form)) if f.kind == "intake-complaint"), None)
    if form is not None:
        found += [Sentence(f"{_site(site)}.", (form.uid,)) for site in form.data.get("sites", ())]
        scored = [g for g in form.data.get("goals", ()) if g.get("activity") and g.get("score") is not None]
        if scored:
            goals = ", ".join(f"{g['activity']} {g['score']:g}/10" for g in scored)
            found.append(Sentence(f"Goals (10 is as before): {goals}.", (form.uid,)))
    return _section(w, "why", found)


def _site(site: Mapping[str, object]) -> str:
    side = f", {site['side']}" if site.get("side") in ("left", "right") else ""
    pain = [f"{words} {site[key]:g}/10" for key, words in (("now", "now"), ("worst", "worst in 7 days"))
            if isinstance(site.get(key), int | float)]  # fmt: skip
    worst = f"; worst with {site['activity']}" if site.get("activity") else ""
    return sentence_case(f"{site.get('region', 'pain')}{side}: {', '.join(pain) or 'pain'}{worst}")


# safety


def _safety(w: _Writer) -> Section:
    found = w.m.standing
    if found is None:
        return _section(w, "safety")
    on = f"{found.screen.at.astimezone():%-d %b %Y}"
    if w.plain:
        words = "Some things need care; we keep to them." if found.open else "Nothing you told us stands in the way."
        return _section(w, "safety", [Sentence(words, (found.screen.uid,), triage=True)])
    head = Sentence(f"Asked on {on}: {found.level.value}.", (found.screen.uid,), triage=True)
    rules = {rule.id: rule for rule in w.m.safety.rules}
    stands: list[tuple[str, Sentence]] = []
    for finding in found.open:
        rule = rules.get(finding.id)
        told_as = _urgency(rule) if rule is not None and not finding.is_limit else ""
        name = sentence_case(finding_name(finding, w.m.safety))
        order = rule.urgency if rule is not None else LAST
        stands.append((order, Sentence(f"{name}{told_as}.", (finding.screen.uid,), triage=True)))
    for rule in (rules[key] for key in found.screen.looks if key in rules):
        words = f"{sentence_case(rule.name)}{_urgency(rule)}."
        stands.append((rule.urgency, Sentence(words, (found.screen.uid,), triage=True)))
    told_first = [sentence for _, sentence in sorted(stands, key=lambda one: one[0])]
    lifted = [
        Sentence(
            f"{sentence_case(finding_name(f, w.m.safety))}: cleared by {f.clearance.by} on {f.clearance.on:%-d %b %Y}.",
            (f.clearance.uid,), triage=True,
        )
        for f in found.lifted
        if f.clearance is not None
    ]  # fmt: skip
    said = found.screen.said or found.screen.note
    told_words = [Sentence(f"Said: “{said}”.", (found.screen.uid,))] if said else []
    return _section(w, "safety", [head, *told_first, *told_words, *lifted])


LAST = "9"
"""Where a limit stands among findings, which are ordered by the number before their urgency."""


def _urgency(rule: SafetyRule) -> str:
    """How soon, and who says so."""
    source = f" ({rule.source})" if rule.source else ""
    return f": {rule.urgency.split(' ', 1)[1]}{source}"


def _ask(w: _Writer) -> Section:
    found = w.m.standing
    return _section(w, "ask", [Sentence(w.table.ask, (found.screen.uid,))] if found is not None else [])


# what was measured


def _judged(w: _Writer, *words: Word) -> list[tuple[Comparison, Verdict]]:
    return [(row, row.verdict) for row in w.m.ledger if isinstance(row.verdict, Verdict) and row.verdict.word in words]


def _both(row: Comparison) -> str:
    m = row.measure
    if not m.paired:
        return _value(m, row.right)
    return f"left {_value(m, row.left)}, right {_value(m, row.right)}"


def _found(w: _Writer) -> Section:
    sentences = []
    for row, verdict in _judged(w, Word.MARKED, Word.NOTABLE):
        words = f"{row.measure.name}: {_both(row)}; {row.sentence}"
        if not w.plain:
            words += f" ({row.error_words}), {verdict.word.value}"
        sentences.append(Sentence(f"{words}.", _uids(row.left, row.right)))
    return _section(w, "found", w.few(sentences))


def _unclear(w: _Writer) -> Section:
    rows = _judged(w, Word.CANNOT_TELL)
    sentences = [
        Sentence(f"{row.measure.name}: {_both(row)}; {row.sentence}.", _uids(row.left, row.right)) for row, _ in rows
    ]
    return _section(w, "unclear", w.few(sentences))


def _level(w: _Writer) -> Section:
    rows = _judged(w, Word.IN_TUNE)
    sentences = [Sentence(f"{row.measure.name}: {_both(row)}.", _uids(row.left, row.right)) for row, _ in rows]
    return _section(w, "level", w.few(sentences))


def _formulas(w: _Writer) -> Section:
    sentences = []
    for row, _ in _judged(w, *Word):
        m = row.measure
        band = f" Band {m.band:g}{behind(m.comparison_unit)}: {m.band_source}." if m.band is not None else ""
        error = f" {sentence_case(row.error_words)}, from {row.error_source}." if row.error_words else ""
        text = f"{m.name}: {m.definition.rstrip('.')}. Compared as {m.formula}.{error}{band}"
        sentences.append(Sentence(text, _uids(row.left, row.right)))
    return _section(w, "formulas", sentences)


HEAD = ("Where", "Measured", "left", "right", "What the difference means")


def _by_side(row: Comparison) -> tuple[str, str]:
    """The values under their legs; a tilt stands under the side that is higher."""
    m = row.measure
    if m.paired:
        return _value(m, row.left), _value(m, row.right)
    if not isinstance(row.verdict, Verdict):
        return "", _value(m, row.right)
    size = f"{m.text(abs(row.verdict.d))}{behind(m.unit)}" if m.unit != "grade" else f"grade {abs(row.verdict.d):g}"
    return (size, "") if row.verdict.d < 0 else ("", size)


def _lines(rows: Sequence[Comparison]) -> tuple[Line, ...]:
    lines = []
    for row in rows:
        word = row.verdict.word.value if isinstance(row.verdict, Verdict) else ""
        says = ": ".join(part for part in (word, row.sentence) if part)
        error = f" ({row.error_words})" if row.error_words else ""
        cells = (sentence_case(row.measure.station), row.measure.name, *_by_side(row), says + error)
        lines.append(Line(cells, _uids(row.left, row.right)))
    return tuple(line for line in lines if line.rests)


def _from_the_feet(rows: Iterable[Comparison]) -> list[Comparison]:
    place = {name: n for n, name in enumerate(STATIONS)}
    return sorted(rows, key=lambda row: place.get(row.measure.station, len(place)))


def _standing(w: _Writer) -> Section:
    rows = _from_the_feet(row for row in w.m.ledger if row.measure.stage == "standing")
    return _section(w, "standing", head=HEAD, lines=_lines(rows))


def _measured(w: _Writer) -> Section:
    return _section(w, "measured", head=HEAD, lines=_lines(_from_the_feet(w.m.ledger)))


# what may contribute


def _contributes(w: _Writer) -> Section:
    found = w.m.conclusion
    if found.refer:
        standing = w.m.standing
        uids = (standing.screen.uid,) if standing is not None else ()
        return _section(w, "contributes", [Sentence(found.refer, uids, triage=True)] if uids else [])
    sentences: list[Sentence] = []
    for one in found.balances[:SHOWN_PATTERNS]:
        sentences += _pattern(w, one)
    return _section(w, "contributes", w.few(sentences))


def _pattern(w: _Writer, one: Balance) -> list[Sentence]:
    raised = tuple(dict.fromkeys(look.entry for _, look in one.seen.raised if look.entry))
    if not raised:
        return []
    best = [s for s in one.sheets if s.label in (Label.SUPPORTED, Label.LIKELY)][:SHOWN_FACTORS]
    if w.plain:
        side = {leg: f"{leg.value} " for leg in LEGS}.get(one.seen.side, "")
        said = [Sentence(f"{sentence_case(one.seen.pattern.plain.format(side=side).strip())}.", raised)]
        for sheet in (s for s in best if not s.factor.structural):
            chips = _resting([c for c in sheet.fired if c.counted])
            if chips:
                said.append(Sentence(f"It may come from this: {sheet.factor.plain}.", chips))
        return said
    said = []
    for sheet in best:
        ways: dict[int, list[Chip]] = {1: [], -1: []}
        for chip in sheet.fired:
            if chip.counted:
                ways[chip.line.sign].append(chip)
        parts = [
            f"{word}: {', '.join(map(_chip, ways[way]))}" for way, word in ((1, "for"), (-1, "against")) if ways[way]
        ]
        name = name_for(one, sheet.factor.id, w.m.role)
        rests = tuple(dict.fromkeys((*raised, *_resting(ways[1] + ways[-1]))))
        words = f"{name[:1].lower() + name[1:]} {sheet.label.value} ({'; '.join(parts)})"
        said.append(Sentence(f"{one.seen.name}: {words}.", rests))
    return said or [Sentence(f"{one.seen.name}: nothing is likely yet.", raised)]


def _chip(chip: Chip) -> str:
    return f"{chip.line.words} ({chip.look.short})" if chip.look.short else chip.line.words


def _resting(chips: Sequence[Chip]) -> tuple[str, ...]:
    return tuple(dict.fromkeys(chip.look.entry for chip in chips if chip.look.entry))


# what changed


EVERYDAY = {Finding.NOT_YET: "as before", Finding.CANNOT_TELL: "no change that we can tell"}


def _rows(w: _Writer, *findings: Finding) -> list[Row]:
    """Changes of some kinds; a measure that another one of the same test tells is left out."""
    ids = {row.measure.id for row in w.m.rows}
    return [r for r in w.m.rows if r.change is not None and r.finding in findings and r.measure.within not in ids]


def _changed(w: _Writer) -> Section:
    rows = _rows(w, Finding.CHANGED)
    since = w.m.before.started_at if w.m.before is not None else None
    return _section(w, "changed", w.few([_change(w, row, since) for row in rows]))


def _change(w: _Writer, row: Row, since: datetime | None) -> Sentence:
    m = row.measure
    when = f" (since {since.astimezone():%-d %b %Y})" if since is not None and not w.plain else ""
    words = f"{row.name}: {_value(m, row.before)} before, {_value(m, row.now)} now"
    says = row.sentence
    if w.plain and row.change is not None:
        a, b = row.change.before.measured or 0.0, row.change.now.measured or 0.0
        says = EVERYDAY.get(row.finding) or row.change.turn or ("more" if b > a else "less")
    return Sentence(f"{words}{when}; {says}.", _uids(row.before, row.now))


def _held(w: _Writer) -> Section:
    rows = _rows(w, Finding.NOT_YET, Finding.CANNOT_TELL)
    return _section(w, "held", w.few([_change(w, row, None) for row in rows]))


def _gaps(w: _Writer) -> Section:
    seen: set[str] = set()
    sentences = []
    for row in _rows(w, *Finding):
        gap = row.gap
        if gap is None or isinstance(gap.verdict, NotMeasured) or row.measure.id in seen:
            continue
        seen.add(row.measure.id)
        uids = _uids(gap.before.left, gap.before.right, gap.now.left, gap.now.right)
        moved = finding_of(gap.verdict) is Finding.CHANGED
        says = gap.sentence if moved or not w.plain else "no change that we can tell"
        sentences.append(Sentence(f"{row.measure.name}: {says}.", uids))
    return _section(w, "gaps", w.few(sentences))


def _missing(w: _Writer) -> Section:
    return _section(
        w, "missing", [Sentence(f"{row.name}: {_value(row.measure, row.before)} before.", _uids(row.before))
                       for row in w.m.missing]
    )  # fmt: skip


# what was done and is planned


def _did(w: _Writer) -> Section:
    since = w.m.before.started_at if w.m.before is not None else w.m.case.visit.started_at
    done = [t for t in w.m.case.all(Treatment) if t.at >= since]
    return _section(w, "did", w.few([Sentence(f"{t.at.astimezone():%-d %b %Y}: {told(t)}.", (t.uid,)) for t in done]))


def _plan(w: _Writer) -> Section:
    sentences = []
    for item in w.m.plan:
        rung, dose = w.m.rung(item.rung), Dose(**item.dose)
        side = f", {item.first_side.value} first" if item.first_side in LEGS and len(rung.sides) > 1 else ""
        sentences.append(Sentence(f"{rung.name}: {dose.text}{side}.", (item.uid,)))
    return _section(w, "plan", w.few(sentences))


def _sessions(w: _Writer) -> Section:
    done = [d for d in w.m.case.all(Done) if not d.trial]
    if not done:
        return _section(w, "sessions")
    days = sorted({d.day for d in done})
    worst = max(d.pain for d in done)
    uneasy = sorted({d.day for d in done if d.morning == "not settled"})
    words = f"{len(days)} days between {days[0]:%-d %b} and {days[-1]:%-d %b %Y}; pain at most {worst}/10"
    more = f"; not settled the morning after on {len(uneasy)} of them" if uneasy else ""
    return _section(w, "sessions", [Sentence(f"{words}{more}.", tuple(d.uid for d in done))])


# pictures


def _pictures(w: _Writer) -> Section:
    changed = [row for row in _rows(w, Finding.CHANGED) if _framed(row.before) and _framed(row.now)]
    shown = []
    if "changed" in w.kind.sections:
        for row in changed[:SHOWN_PICTURES]:
            uids = _uids(row.before, row.now)
            words = f"{row.name}: {_value(row.measure, row.before)} before, {_value(row.measure, row.now)} now"
            shown.append(Picture(uids, Sentence(f"{words}.", uids)))
    captures: set[str] = set()
    for compared, _ in _judged(w, Word.MARKED, Word.NOTABLE, Word.CANNOT_TELL, Word.IN_TUNE):
        m = compared.measure
        if "standing" in w.kind.sections and m.stage != "standing":
            continue
        one = next((o for o in (compared.left, compared.right) if _framed(o)), None)
        if one is None or one.capture in captures or len(shown) >= SHOWN_PICTURES:
            continue
        captures.add(one.capture)
        side = f", {one.side.value}" if one.side in LEGS else ""
        shown.append(Picture((one.uid,), Sentence(f"{m.name}{side}: {_value(m, one)}.", (one.uid,))))
    return _section(w, "pictures", pictures=tuple(shown))


def _framed(seen: Observation | None) -> bool:
    return seen is not None and isinstance(seen.evidence, FrameRef) and bool(seen.uid)


WRITERS: Mapping[str, Callable[[_Writer], Section]] = {
    "why": _why, "safety": _safety, "changed": _changed, "held": _held, "gaps": _gaps, "found": _found,
    "unclear": _unclear, "level": _level, "contributes": _contributes, "pictures": _pictures, "did": _did,
    "plan": _plan, "sessions": _sessions, "missing": _missing, "formulas": _formulas, "standing": _standing,
    "measured": _measured,
    "ask": _ask,
}  # fmt: skip
