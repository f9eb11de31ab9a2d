"""The measured values of a visit as a PDF for colleagues: both sides, what the difference means, its error."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date
from pathlib import Path
from typing import Any
from xml.sax.saxutils import escape

from reportlab.lib.units import mm
from reportlab.platypus import HRFlowable, Paragraph, Spacer, Table, TableStyle

from tuning.core.judging.comparison import Comparison
from tuning.core.judging.measures import Measure
from tuning.core.types import NotMeasured, Observation
from tuning.core.units import behind
from tuning.exchange.pdf.pages import LINE, MUTED, fonts, style, write_pdf


@dataclass(frozen=True)
class Values:
    """Everything on the page."""

    patient: str
    day: date
    clinician: str
    rows: tuple[Comparison, ...]
    scope: str


def value_text(seen: Observation | None, measure: Measure) -> str:
    """A value with its unit, or a dash."""
    if seen is None or isinstance(seen.value, NotMeasured):
        return "–"
    return f"{measure.text(seen.value)}{behind(measure.unit)}"


def _measured(rows: Sequence[Comparison]) -> list[Any]:
    if not rows:
        return []
    small, head = style(9.5, after=0), style(9, colour=MUTED, after=0)
    table = [[Paragraph(t, head) for t in ("Measured", "left", "right", "what the difference means")]]
    for row in rows:
        m = row.measure
        verdict = row.sentence if isinstance(row.verdict, NotMeasured) else f"{row.verdict.word.value}: {row.sentence}"
        if row.error_text:
            verdict += f" ({row.error_text})"
        left, right = value_text(row.left, m), value_text(row.right, m)
        if not m.paired and not isinstance(row.verdict, NotMeasured):  # a tilt stands on the side that is higher
            size = f"{m.text(abs(row.verdict.d))}{behind(m.unit)}"
            left, right = (size, "") if row.verdict.d < 0 else ("", size)
        table.append([Paragraph(escape(t), small) for t in (m.name, left, right, verdict)])
    lines = TableStyle([("LINEBELOW", (0, 0), (-1, -1), 0.4, LINE), ("VALIGN", (0, 0), (-1, -1), "TOP")])
    return [Table(table, colWidths=(52 * mm, 22 * mm, 24 * mm, 76 * mm), style=lines, hAlign="LEFT"), Spacer(1, 10)]


def write_values(values: Values, target: Path) -> None:
    """Write the page to `target`, complete or not at all. Raises EnvironmentFault."""
    fonts()
    story: list[Any] = [
        Paragraph(escape(values.patient), style(22, bold=True, after=4)),
        Paragraph(f"Measured on {values.day:%-d %B %Y} · {escape(values.clinician)}", style(11, colour=MUTED)),
        HRFlowable(width="100%", color=LINE, spaceAfter=8),
        *_measured(values.rows),
        Paragraph(escape(values.scope), style(9, colour=MUTED)),
    ]
    write_pdf(story, target, f"Measured values of {values.patient}")
