"""The last recording of a test: its trace with a way to look at each repetition, its readings, its sway."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from tuning.core.force.plate_errors import PlateErrors
from tuning.core.force.plate_tests import Analysis
from tuning.core.force.recording import Recording
from tuning.ui.force.sway_map import SwayMap
from tuning.ui.force.trace import ReadingTable, TraceView
from tuning.ui.widgets import Flow, button, clear_layout

SHOWN_REPS = 8
AROUND_S = (-0.3, 1.7)
"""What is seen of a repetition, from its start."""


class RecordingView(QWidget):
    """Trace on the left, numbers on the right."""

    def __init__(self, errors: PlateErrors, swap: Callable[[], None], formulas: Callable[[], None]) -> None:
        super().__init__()
        self.trace, self.readings, self.sway = TraceView(), ReadingTable(errors), SwayMap()
        self._reps = Flow()
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(20)
        left = QVBoxLayout()
        left.setSpacing(8)
        left.addWidget(self.trace, 1)
        zoom = QHBoxLayout()
        zoom.setSpacing(8)
        zoom.addLayout(self._reps, 1)
        zoom.addWidget(button("Swap sides", swap, tip="The person faced the other way: keeps left for right"))
        zoom.addWidget(button("All formulas", formulas, tip="Every percentage, and which the verdict uses"))
        left.addLayout(zoom)
        row.addLayout(left, 1)
        right = QVBoxLayout()
        right.setSpacing(12)
        right.addWidget(self.readings, 1)
        right.addWidget(self.sway)
        row.addLayout(right)

    def show_found(self, recording: Recording | None, found: Analysis | None, unread: str) -> None:
        """A recording and what was read from it; or why the one on record cannot be shown."""
        self.trace.tell_unread(unread)
        if self.trace.found is not found:
            self.trace.show_recording(recording, found)
            self.readings.show_analysis(found)
            self.sway.show_recording(recording, found)
        clear_layout(self._reps)
        self._reps.addWidget(button("Whole", self.trace.show_all))
        for rep in found.reps[:SHOWN_REPS] if found is not None else []:
            start = min(rep.events.values(), default=0.0)
            look = partial(self.trace.look_at, *(start + away for away in AROUND_S))
            self._reps.addWidget(button(f"Repetition {rep.number}", look))
