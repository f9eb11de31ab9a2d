"""How a number was worked out, in plain words; the page behind F1."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QDialog, QHBoxLayout, QVBoxLayout, QWidget

from tuning.core.judging.comparison import Comparison
from tuning.core.judging.measures import Measure
from tuning.core.types import LEGS, FrameRef, NotMeasured, Observation
from tuning.core.units import format_signed, sentence_case, unit_suffix
from tuning.records import Record
from tuning.ui import theme
from tuning.ui.formatting import clock, day
from tuning.ui.widgets import button, in_scroll, label

WIDTH, TALLEST, AROUND = 600, 720, 170
"""Of the dialog, px, and what title, button and margins take of it: longer texts scroll."""


def _of(seen: Observation | None, name: str, decimals: int, unit: str) -> list[str]:
    if seen is None:
        return []
    if isinstance(seen.value, NotMeasured):
        return [f"{name}: not measured, {seen.value.detail}"]
    line = f"{name}: {format_signed(seen.value, decimals)} {unit}, {seen.method} by {seen.who or 'you'}"
    if seen.trials.size > 1:
        trials = ", ".join(format_signed(float(t), decimals) for t in seen.trials)
        line += f"; {seen.summary_rule} of {seen.trials.size} trials ({trials}), SD {seen.spread:.{decimals}f} {unit}"
    if isinstance(seen.evidence, FrameRef):
        line += f"; frame {seen.evidence.frame + 1} at {seen.evidence.time_s:.3f} s"
    if seen.setup.lever_m:
        line += f"; lever {seen.setup.lever_m:g} m"
    if seen.setup.worn:
        line += f"; worn: {seen.setup.worn}"
    if seen.setup.fixation:
        line += f"; device held by {seen.setup.fixation}"
    if seen.setup.simulated:
        line += f"; simulated ({seen.setup.device or 'made-up device'})"
    if seen.reason:
        line += f"; tested under AMBER: {seen.reason}"
    if seen.marking_sd is not None:
        line += f"; marking alone ±{1.96 * seen.marking_sd:.{decimals}f} {unit}"
    if seen.quality_reason:
        line += f"; {seen.quality_reason}"
    return [line + "."]


def explanation(row: Comparison) -> str:
    """Definition, inputs, formula, error and source of one ledger row."""
    m = row.measure
    lines = [m.definition, f"Sign: {m.sign}."]
    if m.paired:
        lines += _of(row.left, "Left", m.decimals, m.unit)
    lines += _of(row.right, "Right" if m.paired else "Value", m.decimals, m.unit)
    if isinstance(row.verdict, NotMeasured):
        return "\n\n".join([*lines, f"No verdict: {row.sentence}."])
    v, unit = row.verdict, m.comparison_unit
    lines.append(f"Difference: {format_signed(v.d, 1)} {unit} ({m.formula}; + means right larger).")
    lines.append(f"Error: ±{v.e:.1f} {unit}, 95 %. Source: {row.error_source}.")
    band = f"{v.band:g} {unit} ({m.band_source})" if v.band is not None else "none published; marked is never said"
    lines.append(f"Difference that matters: {band}.")
    lines.append(f"Verdict: {v.word.value}. {sentence_case(row.sentence)}.")
    if not v.resolves:
        lines.append("The error is wider than the difference that matters: as taken, this test cannot settle it.")
    if row.settle:
        lines.append(f"{sentence_case(row.settle)}.")
    if m.change is not None:
        lines.append(f"A change counts from {m.change:g}{unit_suffix(m.unit)} ({m.change_source}).")
    if m.reference is not None:
        lines.append(f"Usually seen: {m.reference.words(m.unit)}.")
    return "\n\n".join(lines)


def history(record: Record, measure: Measure, seen: Observation | None) -> list[str]:
    """Who entered, changed, struck and restored a value, and what stood before; newest first."""
    lines = []
    for entry in record.line_of(seen.uid) if seen is not None and seen.uid else ():
        value = getattr(entry, "measured", None)
        shown = "not measured" if value is None else f"{measure.text(value)}{unit_suffix(measure.unit)}"
        side = f"{entry.side.value} " if isinstance(entry, Observation) and entry.side in LEGS else ""
        told = [f"{line.what} {day(line.at)} {clock(line.at)}{f' by {line.who}' if line.who else ''}"
                for line in record.lines(entry.uid)]  # fmt: skip
        lines.append(f"{side}{shown}: {', '.join(told)}.")
    return lines


class ExplainDialog(QDialog):
    """A page of words over the window; Escape closes it."""

    def __init__(self, parent: QWidget, title: str, text: str, about: Callable[[], object] | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle(title)
        body = label(text, theme.BODY, wrap=True)
        body.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        column = QVBoxLayout(self)
        column.setContentsMargins(24, 24, 24, 16)
        column.setSpacing(16)
        column.addWidget(label(title, theme.LARGE, bold=True))
        column.addWidget(in_scroll(body), 1)
        self.resize(WIDTH, min(TALLEST, body.heightForWidth(WIDTH - 64) + AROUND))
        row = QHBoxLayout()
        if about is not None:
            row.addWidget(button("Help page of this measure", about, "link"))
        row.addStretch(1)
        row.addWidget(button("Close", self.accept, "primary"))
        column.addLayout(row)
