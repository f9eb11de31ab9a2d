"""Sections about what somebody told, what was done and what is planned."""

from __future__ import annotations

from collections.abc import Mapping

from tuning.core.entries import Done, Form, Treatment
from tuning.core.gate.text import finding_name, now_words
from tuning.core.gate.triage import SafetyRule
from tuning.core.programme.dose import Dose
from tuning.core.reports.content import Section, Sentence
from tuning.core.reports.reasoning_sections import referred
from tuning.core.reports.report_context import SectionWriter, section_of
from tuning.core.types import LEGS
from tuning.core.units import sentence_case
from tuning.core.visit.notes import treatment_text


def why(w: SectionWriter) -> Section:
    """Why somebody came."""
    case, patient = w.m.case, w.m.case.patient
    found = []
    if patient.complaint:
        who = f"{patient.name}, {patient.age_on(w.m.day)} years"
        work = f", {patient.occupation}" if patient.occupation else ""
        words = "You told us: " if w.plain else f"{who}{work}, reports: "
        found.append(Sentence(f"{words}“{patient.complaint}”.", (patient.uid,)))
    form = next((f for f in reversed(case.all(Form)) if f.kind == "intake-complaint"), None)
    if form is not None:
        found += [Sentence(f"{_site(site)}.", (form.uid,)) for site in form.data.get("sites", ())]
        scored = [g for g in form.data.get("goals", ()) if g.get("activity") and g.get("score") is not None]
        if scored:
            goals = ", ".join(f"{g['activity']} {g['score']:g}/10" for g in scored)
            found.append(Sentence(f"Goals (10 is as before): {goals}.", (form.uid,)))
    return section_of(w, "why", found)


def _site(site: Mapping[str, object]) -> str:
    side = f", {site['side']}" if site.get("side") in ("left", "right") else ""
    pain = [f"{words} {site[key]:g}/10" for key, words in (("now", "now"), ("worst", "worst in 7 days"))
            if isinstance(site.get(key), int | float)]  # fmt: skip
    worst = f"; worst with {site['activity']}" if site.get("activity") else ""
    return sentence_case(f"{site.get('region', 'pain')}{side}: {', '.join(pain) or 'pain'}{worst}")


def safety(w: SectionWriter) -> Section:
    """What stands of the safety screen, the most urgent first."""
    found = w.m.standing
    if found is None:
        return section_of(w, "safety")
    on = f"{found.screen.at.astimezone():%-d %b %Y}"
    if w.plain:
        care = [*([f"your surgeon's limits ({w.m.limits})"] if w.m.limits else []), *w.m.cautions]
        if not found.open:
            words = "Nothing you told us speaks against exercise."
        else:
            words = f"We must take care with: {'; '.join(care)}." if care else "We must take care, as we discussed."
            soon = w.m.safety.urgencies[PROMPT].plain if any(f.urgency == PROMPT for f in found.open) else ""
            words = f"{words} {soon}".strip()
        return section_of(w, "safety", [Sentence(words, (found.screen.uid,), triage=True)])
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
    said = found.screen.said
    told_words = [Sentence(f"Note: “{said}”.", (found.screen.uid,))] if said else []
    return section_of(w, "safety", [head, *told_first, *told_words, *lifted])


LAST = "9"
PROMPT = "3 prompt"
"""Where a limit stands among findings, which are ordered by the number before their urgency."""


def _urgency(rule: SafetyRule) -> str:
    """How soon, and who says so."""
    source = f" ({rule.source})" if rule.source else ""
    return f": {rule.urgency.split(' ', 1)[1]}{source}"


def now(w: SectionWriter) -> Section:
    """What has to be done now, the most urgent first; for a patient without what it rests on."""
    found = w.m.standing
    words = now_words(found, w.m.safety, w.plain)
    if found is None or not words:
        return section_of(w, "now")
    first, uids = found.open[0], (found.screen.uid,)
    call = [Sentence(f"Our telephone: {w.m.telephone}.", uids, triage=True)] if w.plain and w.m.telephone else []
    if w.plain:
        return section_of(w, "now", [Sentence(words, uids, triage=True), *call])
    name = w.m.safety.urgencies[first.urgency].name if first.urgency in w.m.safety.urgencies else first.level.value
    finding = finding_name(first, w.m.safety)
    return section_of(w, "now", [Sentence(f"{sentence_case(name)}: {finding}.", uids, triage=True)])


def ask(w: SectionWriter) -> Section:
    """What a doctor is asked."""
    found = w.m.standing
    if found is None:
        return section_of(w, "ask")
    return section_of(w, "ask", [Sentence(w.table.ask, (found.screen.uid,)), *referred(w)])


def did(w: SectionWriter) -> Section:
    """Treatments since the visit before."""
    since = w.m.before.started_at if w.m.before is not None else w.m.case.visit.started_at
    done = [t for t in w.m.case.all(Treatment) if t.at >= since]
    return section_of(
        w, "did", w.few([Sentence(f"{t.at.astimezone():%-d %b %Y}: {treatment_text(t)}.", (t.uid,)) for t in done])
    )


def plan(w: SectionWriter) -> Section:
    """The standing plan."""
    if w.m.is_red and w.m.plan and w.m.standing is not None:
        paused = Sentence("Paused: a red flag is open. No exercise until it is cleared.", (w.m.standing.screen.uid,))
        return section_of(w, "plan", [paused])
    sentences = []
    for item in w.m.plan:
        rung, dose, why = w.m.rung(item.rung), Dose(**item.dose), w.m.resting.get(item.uid, "")
        if why:
            sentences += [] if w.plain else [Sentence(f"{rung.name}: rests ({why}).", (item.uid,), triage=True)]
            continue
        side = f", {item.first_side.value} first" if item.first_side in LEGS and len(rung.sides) > 1 else ""
        sentences.append(Sentence(f"{rung.name}: {dose.text}{side}.", (item.uid,)))
    return section_of(w, "plan", w.few(sentences))


def sessions(w: SectionWriter) -> Section:
    """What was done of it."""
    done = [d for d in w.m.case.all(Done) if not d.trial]
    if not done:
        return section_of(w, "sessions")
    days = sorted({d.day for d in done})
    worst = max(d.pain for d in done)
    uneasy = sorted({d.day for d in done if d.morning == "not settled"})
    words = f"{len(days)} days between {days[0]:%-d %b} and {days[-1]:%-d %b %Y}; pain at most {worst}/10"
    more = f"; not settled the morning after on {len(uneasy)} of them" if uneasy else ""
    return section_of(w, "sessions", [Sentence(f"{words}{more}.", tuple(d.uid for d in done))])
