"""The patient sheet: a PDF with drawn poses, dose, faults and stop rules."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date
from pathlib import Path
from typing import Any
from xml.sax.saxutils import escape

from reportlab.lib.units import mm
from reportlab.platypus import (
    CondPageBreak,
    Flowable,
    HRFlowable,
    Paragraph,
    Spacer,
    Table,
    TableStyle,
)

from tuning.core.judging.comparison import Comparison
from tuning.core.judging.measures import Measure
from tuning.core.programme.ladders import Dose, Fault, Pose, Rung
from tuning.core.types import NotMeasured, Observation, Side
from tuning.core.units import behind
from tuning.drawings.figure import Outline, exercise_figure
from tuning.exchange.pdf.pages import INK, LINE, MUTED, PALE, WASH, WIDTH, fonts, style, write_pdf


@dataclass(frozen=True)
class SheetItem:
    """One exercise of the plan."""

    rung: Rung
    dose: Dose
    first_side: Side
    faults: tuple[Fault, ...]


@dataclass(frozen=True)
class Sheet:
    """Everything that is printed."""

    patient: str
    day: date
    clinician: str
    items: tuple[SheetItem, ...]
    rows: tuple[Comparison, ...]
    stop_rules: str
    setting: str
    pain_limit: int
    scope: str


class PoseRow(Flowable):  # type: ignore[misc]
    """Start pose and the end of every variant, side by side on one floor line."""

    def __init__(self, poses: Sequence[Pose], step: float, width: float) -> None:
        super().__init__()
        self._frames = [("start", poses[0].start)] + [(f"end: {p.name}", p.end) for p in poses]
        self._step = step
        self.width, self.height = width, (62 if len(poses) == 1 else 46) * mm

    def draw(self) -> None:
        """Called by the page layout."""
        scale = self.height / 1.16
        room = self.width / len(self._frames)
        for n, (label, frame) in enumerate(self._frames):
            x = room * (n + 0.4)
            for shape in exercise_figure(frame, self._step):
                self._shape(shape, x, scale)
            self.canv.setFont("Body", 9)
            self.canv.setFillColor(MUTED)
            self.canv.drawString(x - 0.1 * scale, -11, label)
        self.canv.setStrokeColor(LINE)
        self.canv.line(0, 0, self.width, 0)

    def _shape(self, shape: Outline, x: float, scale: float) -> None:
        path = self.canv.beginPath()
        for i, (px, py) in enumerate(shape.points):
            (path.lineTo if i else path.moveTo)(x + px * scale, py * scale)
        path.close()
        self.canv.setFillColor(LINE if shape.prop else PALE if shape.far else WASH)
        self.canv.setStrokeColor(MUTED if shape.far else INK)
        self.canv.setLineWidth(0.7)
        self.canv.drawPath(path, fill=1, stroke=1)


def value_text(seen: Observation | None, measure: Measure) -> str:
    """A value with its unit, or a dash."""
    if seen is None or isinstance(seen.value, NotMeasured):
        return "–"
    return f"{measure.text(seen.value)}{behind(measure.unit)}"


def _measured(rows: Sequence[Comparison]) -> list[Any]:
    if not rows:
        return []
    small, head = style(9.5, after=0), style(9, colour=MUTED, after=0)
    table = [[Paragraph(t, head) for t in ("Measured today", "left", "right", "what the difference means")]]
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


def _exercise(number: int, item: SheetItem, width: float) -> list[Any]:
    rung, body = item.rung, style(11)
    parts: list[Any] = [
        CondPageBreak(150 * mm),
        Paragraph(f"{number}. {escape(rung.name)}", style(16, bold=True, after=2)),
        Paragraph(escape(item.dose.text), style(12, bold=True, after=2)),
        Paragraph(f"Start with the {item.first_side.value} leg.", body),
        Spacer(1, 4),
    ]
    parts += [PoseRow(rung.poses, rung.step_cm / 172, width), Spacer(1, 18)]
    parts += [Paragraph(f"{n}.  {escape(step)}", body) for n, step in enumerate(rung.steps, start=1)]
    feel, avoid = ", ".join(rung.feel), ", ".join(rung.avoid)
    parts += [
        Spacer(1, 4),
        Paragraph(f"<b>Feel it in:</b> {escape(feel)}. <b>Not in:</b> {escape(avoid)}.", body),
        Paragraph("<b>Watch for</b>", body),
    ]
    parts += [Paragraph(f"{escape(f.sign)}: {escape(f.cue)}.", style(10, after=1)) for f in item.faults]
    return [*parts, Spacer(1, 10)]


def write_sheet(sheet: Sheet, target: Path) -> None:
    """Write the sheet to `target`, complete or not at all.

    Raises EnvironmentFault when the folder cannot take it.
    """
    fonts()
    story: list[Any] = [
        Paragraph(escape(sheet.patient), style(22, bold=True, after=4)),
        Paragraph(f"Your exercises, {sheet.day:%-d %B %Y} · {escape(sheet.clinician)}", style(11, colour=MUTED)),
        HRFlowable(width="100%", color=LINE, spaceAfter=8),
        Paragraph(
            f"<b>Stop rules.</b> Your pain limit is {sheet.pain_limit} out of 10. {escape(sheet.stop_rules)}",
            style(11),
        ),
        Paragraph(f"<b>Where.</b> {escape(sheet.setting)}", style(11, after=8)),
    ]
    for number, item in enumerate(sheet.items, start=1):
        story += _exercise(number, item, WIDTH)
    story += _measured(sheet.rows)
    story.append(Paragraph(escape(sheet.scope), style(9, colour=MUTED)))
    write_pdf(story, target, f"Exercises for {sheet.patient}")
