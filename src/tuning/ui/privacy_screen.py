"""A cover over the window after a while without a touch: nobody reads over a shoulder what lies open.

A protected record asks its passphrase again; for others the cover hides and does not lock.
"""

from __future__ import annotations

from PyQt6.QtCore import QEvent, QObject, Qt, QTimer
from PyQt6.QtWidgets import QApplication, QVBoxLayout, QWidget

from tuning.core.preferences import LOCK_MINUTES
from tuning.records import keys
from tuning.ui import theme
from tuning.ui.protection import Lock
from tuning.ui.widgets import label
from tuning.ui.workspace import Workspace

TOUCHES = {QEvent.Type.KeyPress, QEvent.Type.MouseButtonPress, QEvent.Type.MouseMove, QEvent.Type.Wheel}


class PrivacyScreen(QWidget):
    """Lies over its parent; any key or click lifts it and does nothing else."""

    def __init__(self, parent: QWidget, space: Workspace) -> None:
        super().__init__(parent)
        self._space = space
        self.lock: Lock | None = None
        self.setObjectName("paper")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Covered; press any key")
        column = QVBoxLayout(self)
        words = label("Covered. Press any key.", theme.LARGE, role="muted")
        column.addWidget(words, 0, Qt.AlignmentFlag.AlignCenter)
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.timeout.connect(self.show_cover)
        self.hide()
        app = QApplication.instance()
        if app is not None:
            app.installEventFilter(self)
        self.wait()

    def wait(self) -> None:
        """Begin to wait anew; never where the preference says 0."""
        minutes = float(self._space.prefer(LOCK_MINUTES))
        if minutes > 0:
            self._timer.start(round(60_000 * minutes))
        else:
            self._timer.stop()

    def show_cover(self) -> None:
        """Cover everything."""
        parent, folder = self.parentWidget(), self._space.record.folder
        if parent is not None and keys.read(folder) is not None:
            if self.lock is None:
                self.lock = Lock(parent, folder)
                self.lock.finished.connect(self._let_in)
                self.lock.open()
            return
        if parent is not None:
            self.setGeometry(parent.rect())
        self.show()
        self.raise_()
        self.setFocus()

    def _let_in(self) -> None:
        self.lock = None
        self.wait()

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """A touch lifts the cover and is taken; without one lying it only begins the wait anew."""
        kind = event.type() if event is not None else None  # asked once: every event of the program comes by here
        if kind not in TOUCHES:
            parent = self.parentWidget() if kind == QEvent.Type.Resize else None
            if parent is not None and watched is parent:
                self.setGeometry(parent.rect())
            return False
        if not self.isVisible():
            if self._timer.isActive():
                self._timer.start()
            return False
        if kind in (QEvent.Type.KeyPress, QEvent.Type.MouseButtonPress):
            self.hide()
            self.wait()
            return True
        return False
