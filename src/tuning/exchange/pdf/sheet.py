"""The patient sheet: what to do at home in everyday words, on one page for up to three exercises."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, timedelta
from pathlib import Path
from typing import Any

from reportlab.lib.pagesizes import A4, LETTER
from reportlab.lib.units import mm
from reportlab.platypus import Flowable, HRFlowable, KeepInFrame, PageBreak, Paragraph, Spacer, Table, TableStyle

from tuning.core.programme.coaching import feel_words
from tuning.core.programme.dose import Dose
from tuning.core.programme.ladders import Fault, Pose, Rung, Sides
from tuning.core.types import Side
from tuning.core.units import mid_sentence
from tuning.drawings.exercise import exercise_figure, scene_of
from tuning.drawings.figure import Outline
from tuning.exchange.pdf.font_fallback import marked_up
from tuning.exchange.pdf.page_style import FELT, INK, LINE, MUTED, PALE, WASH, WORKING, fonts, style, write_pdf


@dataclass(frozen=True)
class SheetItem:
    """One exercise of the plan."""

    rung: Rung
    dose: Dose
    first_side: Side
    faults: tuple[Fault, ...]
    variant: str = ""
    kit: tuple[str, ...] = ()
    checks: tuple[str, ...] = ()
    """What is set up before the first repetition."""
    cautions: tuple[str, ...] = ()
    """What this person has to take care with in it."""
    routine: str = ""
    """Name of the routine that it is a part of."""

    @property
    def poses(self) -> Sequence[Pose]:
        """The prescribed variant, or all."""
        return (self.rung.pose(self.variant),) if self.variant else self.rung.poses


@dataclass(frozen=True)
class PatientSheet:
    """Everything that is printed. `found` are plain lines of what was seen; `large` is large print."""

    patient: str
    day: date
    clinician: str
    items: tuple[SheetItem, ...]
    found: tuple[str, ...]
    stop_rules: str
    setting: str
    pain_limit: int
    scope: str
    large: bool = False
    paper: str = "A4"
    limits: str = ""
    """The surgeon's limits that stand, in words."""
    clinic: str = ""
    telephone: str = ""


PAPERS = {"A4": A4, "Letter": LETTER}
MARGINS, MOST_HEIGHT = 32 * mm + 24.0, 250.0
"""What the margins of a page take with the padding of its frame, and the most that one exercise gets, points."""
CAPTION = 14.0
"""Room under the floor line for the names of the poses, points."""
ON_A_PAGE, FOUND_LINES, TICK_DAYS = 3, 3, 14


class PoseRow(Flowable):  # type: ignore[misc]
    """Start pose, an arrow, and the end of a variant, on one floor line; of several variants each end.

    The left leg works in the mirror image.
    """

    def __init__(self, rung: Rung, poses: Sequence[Pose], side: Side, width: float, height: float) -> None:
        super().__init__()
        first = poses[0]
        frames = [("start", first, first.start)] if len(first.frames) > 1 else []
        frames += [(pose.name if len(poses) > 1 or not frames else "end", pose, pose.end) for pose in poses]
        self._shown = [
            (name, exercise_figure(scene_of(rung, pose, frame), side is Side.LEFT)) for name, pose, frame in frames
        ]
        self.width, self._high = width, height
        self.height = height + CAPTION

    def draw(self) -> None:
        """Called by the page layout."""
        room = self.width / len(self._shown)
        boxes = [_box_of(shapes) for _, shapes in self._shown]
        wide, high = max(b[1] - b[0] for b in boxes), max(b[3] for b in boxes) - min(b[2] for b in boxes)
        scale = min(self._high / max(high, 0.55), (room - 14) / wide)
        self.canv.translate(0, CAPTION)
        low = min(b[2] for b in boxes)
        for n, ((name, shapes), found) in enumerate(zip(self._shown, boxes, strict=True)):
            x = room * (n + 0.5) - scale * (found[0] + found[1]) / 2
            for shape in shapes:
                self._shape(shape, x, -low * scale, scale)
            self.canv.setFont("Body", 9)
            self.canv.setFillColor(MUTED)
            self.canv.drawCentredString(room * (n + 0.5), -11, name)
            if n:
                self._arrow(room * n - 2, 0.5 * scale * high)
        self.canv.setStrokeColor(LINE)
        self.canv.line(0, 0, self.width, 0)

    def _arrow(self, x: float, y: float) -> None:
        """From one pose to the next."""
        self.canv.setStrokeColor(INK)
        self.canv.setFillColor(INK)
        self.canv.setLineWidth(1.4)
        self.canv.line(x - 8, y, x + 4, y)
        path = self.canv.beginPath()
        path.moveTo(x + 9, y)
        path.lineTo(x + 3, y + 3.5)
        path.lineTo(x + 3, y - 3.5)
        path.close()
        self.canv.drawPath(path, fill=1, stroke=0)

    def _shape(self, shape: Outline, x: float, y: float, scale: float) -> None:
        path = self.canv.beginPath()
        for i, (px, py) in enumerate(shape.points):
            (path.lineTo if i else path.moveTo)(x + px * scale, y + py * scale)
        path.close()
        washes = {"feel": FELT, "working": WORKING}
        self.canv.setFillColor(washes.get(shape.tint, LINE if shape.prop else PALE if shape.far else WASH))
        self.canv.setStrokeColor(MUTED if shape.far else INK)
        self.canv.setLineWidth(0.7)
        self.canv.drawPath(path, fill=1, stroke=0 if shape.tint == "feel" else 1)


def _box_of(shapes: Sequence[Outline]) -> tuple[float, float, float, float]:
    """Left, right, bottom and top of a drawing."""
    xs, ys = [x for s in shapes for x, _ in s.points], [y for s in shapes for _, y in s.points]
    return min(xs), max(xs), min(ys), max(ys)


class TickBoxes(Flowable):  # type: ignore[misc]
    """A box a day for two weeks, to tick when it is done."""

    def __init__(self, first: date, width: float, size: float) -> None:
        super().__init__()
        self._first, self.width, self._size = first, width, size
        self.height = size + 12

    def draw(self) -> None:
        """Called by the page layout."""
        step = min(self.width / TICK_DAYS, self._size * 1.9)
        self.canv.setFont("Body", 8)
        for n in range(TICK_DAYS):
            day = self._first + timedelta(days=n + 1)
            self.canv.setStrokeColor(INK)
            self.canv.setLineWidth(0.8)
            self.canv.rect(n * step, 0, self._size, self._size, fill=0)
            self.canv.setFillColor(MUTED)
            self.canv.drawCentredString(n * step + self._size / 2, self._size + 3, f"{day:%a}"[:2])


def pictured(item: SheetItem) -> Side:
    """The side that steps and picture name: that of a one-sided pattern, the first leg's where legs take turns."""
    return Side.NONE if item.rung.side is Sides.BOTH else item.first_side


def _words(item: SheetItem, size: float) -> list[Any]:
    """Dose, legs, steps, what to watch: everyday words."""
    rung, body = item.rung, style(size, after=1)
    side, extra = item.first_side, item.dose.extra
    more = f", plus {'one extra set' if extra == 1 else f'{extra} extra sets'} on that leg" if extra else ""
    first = {
        Sides.BOTH: "Both legs together.",
        Sides.PATTERN: f"This way round only: written for your {side.value} side.",
    }.get(rung.side, f"Both legs in turn; start with the {side.value} leg{more}.")
    parts = [
        Paragraph(marked_up(item.dose.text), style(size + 1, bold=True, after=1)),
        Paragraph(f"{first} {marked_up(feel_words(rung))}", body),
    ]
    parts += [
        Paragraph(f"{n}. {marked_up(step)}", body) for n, step in enumerate(rung.steps_for(pictured(item)), start=1)
    ]
    if item.checks:
        parts.append(Paragraph(f"<b>First check:</b> {marked_up('; '.join(map(mid_sentence, item.checks)))}.", body))
    for care in item.cautions:
        parts.append(Paragraph(f"<b>Take care:</b> {marked_up(care)}.", body))
    if item.kit:
        parts.append(Paragraph(f"<b>You need:</b> {marked_up(', '.join(item.kit))}.", body))
    watch = "; ".join(mid_sentence(f.cue) for f in item.faults)
    return [*parts, Paragraph(f"<b>Watch:</b> {marked_up(watch)}.", body)] if watch else parts


def _exercise(number: int, item: SheetItem, day: date, width: float, height: float, large: bool) -> list[Any]:
    size = 14.0 if large else 9.0
    picture = 0.4 * width
    row = PoseRow(item.rung, item.poses, pictured(item), picture, min(height - 40, 130.0))
    part = f" · {item.routine}" if item.routine else ""
    title = Paragraph(f"{number}. {marked_up(item.rung.name + part)}", style(size + 4, bold=True, after=2))
    words = _words(item, size)
    boxes = TickBoxes(day, width, 16 if large else 12)
    if large:
        wide = PoseRow(item.rung, item.poses, pictured(item), width, 200.0)
        return [title, wide, Spacer(1, 6), *words, Spacer(1, 8), boxes]
    beside = Table([[row, words]], colWidths=(picture + 6, width - picture - 6))
    beside.setStyle(TableStyle([("VALIGN", (0, 0), (-1, -1), "TOP"), ("LEFTPADDING", (0, 0), (-1, -1), 0)]))
    inside = [title, beside, Spacer(1, 6), boxes, Spacer(1, 8)]
    return [KeepInFrame(width, height, inside, mode="shrink")]


def _height(parts: Sequence[Flowable], width: float) -> float:
    """What parts take of a page, one below the other."""
    return float(sum(one.wrap(width, 1e4)[1] + one.getSpaceBefore() + one.getSpaceAfter() for one in parts))


def write_sheet(sheet: PatientSheet, target: Path) -> None:
    """Write the sheet to `target`, complete or not at all.

    Up to three exercises stand on one page; in large print each has its own. Raises
    EnvironmentFault when the folder cannot take it, KeyError for an unknown paper.
    """
    fonts()
    paper = PAPERS[sheet.paper]
    width, size = paper[0] - 36 * mm, 14.0 if sheet.large else 10.0
    head: list[Any] = [
        Paragraph(marked_up(sheet.patient), style(size + 8, bold=True, after=2)),
        Paragraph(
            " · ".join(
                marked_up(part)
                for part in (f"Your exercises, {sheet.day:%-d %B %Y}", sheet.clinician, sheet.clinic, sheet.telephone)
                if part
            ),
            style(size, colour=MUTED),
        ),
        HRFlowable(width="100%", color=LINE, spaceAfter=4),
        *(
            [Paragraph(f"<b>Your surgeon's limits:</b> {marked_up(sheet.limits)}.", style(size, after=1))]
            if sheet.limits
            else []
        ),
        *(Paragraph(marked_up(line), style(size, after=1)) for line in sheet.found[:FOUND_LINES]),
        Spacer(1, 4),
    ]
    foot: list[Any] = [
        HRFlowable(width="100%", color=LINE, spaceBefore=4, spaceAfter=4),
        Paragraph(
            f"<b>Stop rules.</b> Your pain limit is {sheet.pain_limit} out of 10. {marked_up(sheet.stop_rules)}"
            + (f" Questions: {marked_up(sheet.telephone)}." if sheet.telephone else ""),
            style(size, after=2),
        ),
        Paragraph(f"<b>Where.</b> {marked_up(sheet.setting)}", style(size, after=2)),
        Paragraph("<b>Next visit:</b> ______________________", style(size, after=2)),
        Paragraph(marked_up(sheet.scope), style(size - 2.5, colour=MUTED)),
    ]
    story: list[Any] = [*head]
    room = paper[1] - MARGINS - _height([*head, *foot], width)
    each = min(MOST_HEIGHT, room / min(ON_A_PAGE, max(1, len(sheet.items))))
    for number, item in enumerate(sheet.items, start=1):
        story += _exercise(number, item, sheet.day, width, each, sheet.large)
        more = number < len(sheet.items)
        if more and (sheet.large or number % ON_A_PAGE == 0):
            story.append(PageBreak())
    write_pdf([*story, *foot], target, f"Exercises for {sheet.patient}", paper)
