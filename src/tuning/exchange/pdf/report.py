"""A report as a PDF: letterhead, who and when, sections, pictures, scope."""

from __future__ import annotations

from collections.abc import Mapping
from io import BytesIO
from pathlib import Path
from typing import Any

from reportlab.lib.pagesizes import A4, LETTER
from reportlab.lib.units import mm
from reportlab.lib.utils import ImageReader
from reportlab.platypus import HRFlowable, Image, KeepTogether, Paragraph, SimpleDocTemplate, Spacer, Table, TableStyle

from tuning.core.reports.content import Report, Section
from tuning.exchange.files import write_whole
from tuning.exchange.pdf.font_fallback import marked_up
from tuning.exchange.pdf.page_style import LINE, MUTED, fonts, style

Images = Mapping[tuple[str, ...], bytes]
"""PNG of each picture, by what it shows."""
PAPERS = {"A4": A4, "Letter": LETTER}
WIDTHS = (0.1, 0.27, 0.11, 0.11, 0.41)
"""Columns of a table, shares of the width."""
SMALLEST = 7.5
"""Points to which a one-page report shrinks at most; longer ones go on a second page."""
TALL = 90 * mm


def report_pdf(report: Report, images: Images, paper: str = "A4") -> bytes:
    """The pages. A report meant for one page is set smaller until it fits, as far as it stays readable."""
    fonts()
    size = 10.5
    while True:
        data, pages = _built(report, images, PAPERS.get(paper, A4), size)
        if not report.kind.one_page or pages == 1 or size <= SMALLEST:
            return data
        size -= 0.5


def write_report(report: Report, images: Images, target: Path, paper: str = "A4") -> None:
    """Write the pages to `target`, complete or not at all. Raises EnvironmentFault."""
    write_whole(report_pdf(report, images, paper), target, "The report")


def _built(report: Report, images: Images, paper: tuple[float, float], size: float) -> tuple[bytes, int]:
    whole = BytesIO()
    edge = 18 * mm
    made = SimpleDocTemplate(
        whole, pagesize=paper, leftMargin=edge, rightMargin=edge, topMargin=15 * mm, bottomMargin=16 * mm,
        title=report.title, author=report.author, invariant=1,
    )  # fmt: skip
    width = paper[0] - 2 * edge

    def foot(canvas: Any, doc: Any) -> None:
        """Page number and whose it is, on every page."""
        canvas.setFont("Body", 8)
        canvas.setFillColor(MUTED)
        canvas.drawRightString(paper[0] - edge, 9 * mm, f"page {doc.page}")
        canvas.drawString(edge, 9 * mm, f"{report.title} · {report.days[1]}")

    made.build(_story(report, images, width, size), onFirstPage=foot, onLaterPages=foot)
    return whole.getvalue(), made.page


def _story(report: Report, images: Images, width: float, size: float) -> list[Any]:
    small = size - 1.5
    story: list[Any] = [Paragraph(marked_up(line, small), style(small, colour=MUTED, after=0))
                        for line in report.letterhead]  # fmt: skip
    by = f"{report.author}, {report.role}"
    who = f"<b>{marked_up(report.patient, size + 3)}</b>, born {report.days[0]}"
    story += [
        Spacer(1, 4),
        Paragraph(report.title, style(size * 1.9, bold=True, after=3)),
        Paragraph(f"{report.days[1]} · {marked_up(by, size)}", style(size, colour=MUTED)),
        HRFlowable(width="100%", color=LINE, spaceAfter=6),
        Paragraph(who, style(size + 3, after=4)),
    ]
    if report.simulated:
        story.append(Paragraph("Some values come from simulated devices.", style(size, bold=True, after=4)))
    for section in report.sections:
        if section.sentences or section.lines or any(p.shows in images for p in section.pictures):
            story += _section(section, images, width, size)
    closing = f"{report.closing} " if report.closing else ""
    story += [Spacer(1, 8), Paragraph(marked_up(closing + report.scope, small), style(small, colour=MUTED))]
    return story


def _section(section: Section, images: Images, width: float, size: float) -> list[Any]:
    heading = Paragraph(marked_up(section.heading, size + 1.5), style(size + 1.5, bold=True, after=2))
    body = style(size, after=1.5)
    parts: list[Any] = [Paragraph(marked_up(s.text, size), body) for s in section.sentences]
    if section.lines:
        parts.append(_table(section, width, size - 1.5))
    for picture in section.pictures:
        if picture.shows in images:
            caption = Paragraph(marked_up(picture.caption.text, size - 1), style(size - 1, colour=MUTED, after=6))
            parts.append(KeepTogether([_image(images[picture.shows], width), caption]))
    first, rest = parts[:1], parts[1:]
    return [Spacer(1, 5), KeepTogether([heading, *first]), *rest]


def _image(data: bytes, width: float) -> Image:
    wide, tall = ImageReader(BytesIO(data)).getSize()
    scale = min(width / wide, TALL / tall)
    return Image(BytesIO(data), wide * scale, tall * scale, hAlign="LEFT")


def _table(section: Section, width: float, size: float) -> Table:
    small, head = style(size, after=0), style(size, colour=MUTED, after=0)
    rows = [[Paragraph(marked_up(t, size), head) for t in section.head]]
    rows += [[Paragraph(marked_up(t, size), small) for t in line.cells] for line in section.lines]
    lines = TableStyle([("LINEBELOW", (0, 0), (-1, -1), 0.4, LINE), ("VALIGN", (0, 0), (-1, -1), "TOP")])
    return Table(rows, colWidths=[share * width for share in WIDTHS], style=lines, hAlign="LEFT", repeatRows=1)
