"""How many times slower a clip plays than it was."""

from __future__ import annotations

from PyQt6.QtWidgets import QComboBox

from tuning.core.case import Case
from tuning.core.entries import Capture, ClipFacts
from tuning.video import PictureSource

RATES = (120.0, 240.0, 480.0)
FASTER = 1.2
"""A rate that is not this many times the stored one is the stored one."""


class RateChoice(QComboBox):
    """The rates at which a clip may have been recorded."""

    def __init__(self) -> None:
        super().__init__()
        self.setFixedWidth(172)
        self.setAccessibleName("Frames a second at which the clip was recorded")

    def offer(self, stored: float, told: float | None) -> None:
        """Rates beyond the stored one, and the one that somebody told, chosen."""
        self.clear()
        self.addItem(f"rate as stored, {stored:.0f}/s", 0.0)
        for rate in sorted({*RATES, *([told] if told else [])}):
            if rate > FASTER * stored:
                self.addItem(f"recorded at {rate:.0f}/s", rate)
        self.setCurrentIndex(max(0, self.findData(told)) if told else 0)


def stored_rate(source: PictureSource) -> float:
    """Frames a second as the file plays."""
    return (len(source.times) - 1) / float(source.times[-1])


def capture_rate_of(source: PictureSource, case: Case | None, capture: Capture) -> float | None:
    """Frames a second at which a clip was taken: as somebody said, else as the file says; None when nobody does."""
    said = [f for f in case.all(ClipFacts) if f.capture == capture.uid] if case is not None else []
    rates = [f.frames_per_second for f in said if f.frames_per_second is not None]
    return (rates[-1] or None) if rates else source.capture_rate


def slowness(source: PictureSource, case: Case | None, capture: Capture) -> float:
    """True times are the file's divided by this; 1 for a photograph and for a clip at its own speed."""
    if len(source.times) < 2:
        return 1.0
    told, stored = capture_rate_of(source, case, capture), stored_rate(source)
    return told / stored if told and told > FASTER * stored else 1.0
