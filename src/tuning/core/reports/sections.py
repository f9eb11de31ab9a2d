"""The sections of a report, each worked out from the case alone; nothing is said that no entry holds."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence

from tuning.core.reports.content import Audience, Report, ReportKind, ReportTable, Section
from tuning.core.reports.history_sections import ask, did, now, plan, safety, sessions, why
from tuning.core.reports.measurement_sections import (
    formulas,
    level,
    measured,
    pictures,
    section_found,
    standing,
    unclear,
)
from tuning.core.reports.reasoning_sections import changed, contributes, gaps, held, missing
from tuning.core.reports.report_context import ReportContext, SectionWriter

WRITERS: Mapping[str, Callable[[SectionWriter], Section]] = {
    "why": why, "safety": safety, "changed": changed, "held": held, "gaps": gaps, "found": section_found,
    "unclear": unclear, "level": level, "contributes": contributes, "pictures": pictures, "did": did,
    "plan": plan, "sessions": sessions, "missing": missing, "formulas": formulas, "standing": standing,
    "measured": measured,
    "ask": ask, "now": now,
}  # fmt: skip


def build_report(
    material: ReportContext, table: ReportTable, kind: ReportKind, register: Audience = Audience.COLLEAGUE
) -> Report:
    """A whole report. Sections with nothing to say are left out, and so is every sentence with a forbidden word."""
    writer = SectionWriter(material, table, kind, register)
    made = []
    for name in _sections(writer):
        section = WRITERS[name](writer)
        section = _allowed(writer, section)
        if not section.empty:
            made.append(section)
    patient = material.case.patient
    seen = [o for row in material.ledger for o in (row.left, row.right) if o is not None]
    simulated = not _red_patient(writer) and any(o.setup.simulated for o in seen)  # who reads no value needs no warning
    return Report(
        kind, register, patient.name, patient.birth_date, material.day, material.author, material.role.value,
        tuple(made), material.scope, table.closing, material.letterhead, simulated,
        tuple(dict.fromkeys(writer.left_out)),
    )  # fmt: skip


def _sections(w: SectionWriter) -> Sequence[str]:
    """The sections of a kind; a patient under a red flag reads what to do now and nothing else."""
    return ("now",) if _red_patient(w) else w.kind.sections


def _red_patient(w: SectionWriter) -> bool:
    return w.plain and w.m.is_red


def _allowed(w: SectionWriter, section: Section) -> Section:
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
