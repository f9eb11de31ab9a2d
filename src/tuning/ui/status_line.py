"""The status line: next best step, saved state, background work."""

from __future__ import annotations

from PyQt6.QtCore import Qt, QTimer, pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QProgressBar, QWidget

from tuning.core.next_step import NextStep
from tuning.core.target import Target
from tuning.ui.jobs import Job
from tuning.ui.widgets import button, label, set_role


class StatusLine(QWidget):
    """A refusal stays until the next message or ten seconds have passed."""

    step_chosen = pyqtSignal(object)

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("panel")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedHeight(40)
        self.target: Target | None = None
        self._job: Job | None = None
        self.step = button("", lambda: self.step_chosen.emit(self.target), "link", "Go there (F2)")
        self.next = label("Next", role="muted")
        self.then = label(role="muted")
        self.message = label()
        self.message.setObjectName("message")
        self.saved = label(role="muted")
        self.saved.setObjectName("saved")
        self.bar = QProgressBar()
        self.bar.setFixedSize(120, 8)
        self.bar.setTextVisible(False)
        self.cancel = button("Cancel", self._cancel, "link")
        row = QHBoxLayout(self)
        row.setContentsMargins(20, 2, 20, 2)
        row.setSpacing(10)
        left: list[QWidget] = [self.next, self.step, self.then, self.message]
        right: list[QWidget] = [self.bar, self.cancel, self.saved]
        for part in left:
            row.addWidget(part)
        row.addStretch(1)
        for part in right:
            row.addWidget(part)
        self._clear = QTimer(self)
        self._clear.setSingleShot(True)
        self._clear.setInterval(10_000)
        self._clear.timeout.connect(lambda: self.say(""))
        self.bar.hide()
        self.cancel.hide()
        self.say("")

    def show_step(self, step: NextStep | None) -> None:
        """Show the next best step, or none on the day list."""
        self.target = step.target if step else None
        self.step.setText(step.text if step else "")
        self.then.setText(step.then if step else "")
        self._show_step_parts(not self.message.text())

    def _show_step_parts(self, shown: bool) -> None:
        for part in (self.next, self.step, self.then):
            part.setVisible(shown and self.target is not None)

    def say(self, text: str, caution: bool = False) -> None:
        """Show a sentence in place of the next step."""
        self.message.setText(text)
        set_role(self.message, role="caution" if caution else "")
        self.message.setVisible(bool(text))
        self._show_step_parts(not text)
        if text:
            self._clear.start()

    def tell_saved(self, clock: str) -> None:
        """Only after the commit."""
        self.saved.setText(f"saved {clock}")
        if self.message.text() and self.message.property("role") != "caution":
            self.say("")

    def follow(self, job: Job | None) -> None:
        """Show the progress of background work, the newest where there is more; nothing when all has ended."""
        if job is self._job:
            return
        ended, self._job = self._job, job
        if ended is not None and self.message.text() == ended.text:
            self.say("")
        self.bar.setVisible(job is not None)
        self.cancel.setVisible(job is not None)
        if job is None:
            return
        self.bar.setRange(0, 100)
        self.bar.setValue(0)
        self.bar.setAccessibleName(job.text)
        job.progress.connect(lambda share: self.bar.setValue(round(100 * share)) if job is self._job else None)
        self.say(job.text)

    def _cancel(self) -> None:
        if self._job is not None:
            self._job.cancel()
