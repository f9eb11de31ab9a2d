"""The referral note: what the safety screen found, for the doctor who sees the patient next."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date
from pathlib import Path
from typing import Any
from xml.sax.saxutils import escape

from reportlab.platypus import HRFlowable, Paragraph, Spacer

from tuning.exchange.pdf.pages import LINE, MUTED, fonts, style, write_pdf


@dataclass(frozen=True)
class Referral:
    """Everything on the note. `found` pairs a finding with its urgency and source."""

    patient: str
    birth_date: date
    day: date
    referrer: str
    role: str
    level: str
    complaint: str
    sites: tuple[str, ...]
    found: tuple[tuple[str, str, str], ...]
    note: str
    scope: str


def write_referral(referral: Referral, target: Path) -> None:
    """Write the note to `target`, complete or not at all. Raises EnvironmentFault."""
    fonts()
    body, by = style(11), f"{referral.referrer}, {referral.role}"
    story: list[Any] = [
        Paragraph("Referral note", style(22, bold=True, after=4)),
        Paragraph(f"{referral.day:%-d %B %Y} · {escape(by)}", style(11, colour=MUTED)),
        HRFlowable(width="100%", color=LINE, spaceAfter=8),
        Paragraph(f"<b>{escape(referral.patient)}</b>, born {referral.birth_date:%-d %B %Y}", style(13, after=6)),
        Paragraph(f"<b>Complaint.</b> {escape(referral.complaint or 'none told')}", body),
    ]
    story += [Paragraph(escape(site), body) for site in referral.sites]
    story += [Spacer(1, 8), Paragraph(f"<b>Safety screen: {referral.level}</b>", style(13, after=4))]
    for name, urgency, source in referral.found:
        cited = f" ({source})" if source else ""
        story.append(Paragraph(f"• {escape(name)}: {escape(urgency)}{escape(cited)}", body))
    if referral.note:
        story.append(Paragraph(f"<b>Said.</b> {escape(referral.note)}", body))
    story += [
        Spacer(1, 8),
        Paragraph("Please examine, and tell us by name and date what was found and what load is allowed.", body),
        Spacer(1, 24),
        Paragraph("Answer: ________________________________________________", body),
        Spacer(1, 16),
        Paragraph("Name, date: ____________________________________________", body),
        Spacer(1, 16),
        Paragraph(escape(referral.scope), style(9, colour=MUTED)),
    ]
    write_pdf(story, target, f"Referral note for {referral.patient}")
