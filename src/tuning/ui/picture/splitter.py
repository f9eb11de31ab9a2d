"""A divider between the picture and what stands below it; where it is put is remembered."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QLayout, QSplitter, QWidget

from tuning.core.errors import TuningError
from tuning.records.settings import Settings

SHARE = "picture.share"
"""Setting: percent of the height that the picture takes."""
USUAL, LEAST, MOST = 68, 30, 90


class PictureSplitter(QSplitter):
    """Picture above, curve or faults below; the lower part is there while something in it is shown."""

    def __init__(self, settings: Settings, upper: QLayout, lower: QLayout) -> None:
        super().__init__(Qt.Orientation.Vertical)
        self._settings = settings
        self.setHandleWidth(8)
        self.setChildrenCollapsible(False)
        self._parts = []
        for layout in (upper, lower):
            part = QWidget()
            layout.setContentsMargins(0, 0, 0, 0)
            layout.setSpacing(8)
            part.setLayout(layout)
            self.addWidget(part)
            self._parts.append(part)
        self.show_lower(False)
        self.splitterMoved.connect(lambda *_: self._keep())

    def _share_out(self) -> None:
        share = min(max(self._settings.get(SHARE, USUAL), LEAST), MOST)
        self.setSizes([share * 10, (100 - share) * 10])

    def _keep(self) -> None:
        above, below = self.sizes()
        if above and below:
            try:
                self._settings.set(SHARE, round(100 * above / (above + below)))
            except TuningError:  # where settings cannot be kept, the divider still moves
                return

    def show_lower(self, shown: bool) -> None:
        """Both, shared as it was, or the picture alone."""
        if self._parts[1].isHidden() == shown:
            self._parts[1].setVisible(shown)
            self._share_out()
