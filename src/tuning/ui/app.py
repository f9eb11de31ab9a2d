"""Starts the application: an empty frame at once, the record into it as soon as it is open."""

from __future__ import annotations

import logging
import sys
import traceback
from pathlib import Path
from types import TracebackType
from typing import TYPE_CHECKING

from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtGui import QCloseEvent
from PyQt6.QtWidgets import QApplication, QMainWindow, QMessageBox

from tuning.core.errors import TuningError
from tuning.ui import theme
from tuning.ui.widgets import label

if TYPE_CHECKING:  # importing the workbench takes most of a second, so the frame does without
    from tuning.ui.window import MainWindow


class Frame(QMainWindow):
    """The top-level window. Shows itself first, then imports and opens everything else."""

    def __init__(self, folder: Path) -> None:
        super().__init__()
        self._folder = folder
        self.window_in: MainWindow | None = None
        self.setWindowTitle("Tuning")
        self.resize(1280, 800)
        self.setMinimumSize(1100, 700)
        self.waiting = label("Opening the record …", theme.LARGE, role="muted", wrap=True)
        self.waiting.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.setCentralWidget(self.waiting)

    def open(self) -> None:
        """Open the record; a refusal is shown in the frame and nothing is changed."""
        try:
            self.window_in = open_window(self._folder)
        except TuningError as err:
            self.waiting.setText(str(err))
            return
        self.setCentralWidget(self.window_in)

    def closeEvent(self, event: QCloseEvent | None) -> None:
        """Everything is saved already."""
        if self.window_in is not None:
            self.window_in.close()
        super().closeEvent(event)


def open_window(folder: Path) -> MainWindow:
    """The workbench on a record folder, not yet shown. Raises TuningError."""
    from tuning.knowledge import load
    from tuning.records import Record
    from tuning.ui.window import MainWindow
    from tuning.ui.workspace import Workspace

    return MainWindow(Workspace(Record(folder), load()))


def _catch_unexpected(log_file: Path) -> None:
    """Unexpected exceptions go to the log file and a dialog that names it."""
    log_file.parent.mkdir(parents=True, exist_ok=True)
    handler = logging.FileHandler(log_file, encoding="utf-8", delay=True)
    handler.setFormatter(logging.Formatter("%(asctime)s %(levelname)s %(message)s"))
    logging.getLogger("tuning").addHandler(handler)

    def hook(kind: type[BaseException], err: BaseException, trace: TracebackType | None) -> None:
        text = "".join(traceback.format_exception(kind, err, trace))
        logging.getLogger("tuning").error(text)
        sentence = str(err) if isinstance(err, TuningError) else "Something unexpected went wrong."
        QMessageBox.warning(None, "Tuning", f"{sentence}\n\nWhat was saved is kept. Details: {log_file}")

    sys.excepthook = hook


def run(folder: Path, log_file: Path) -> int:
    """Show the window on the record in `folder`; returns the exit code."""
    app = QApplication(sys.argv[:1])
    app.setApplicationName("Tuning")
    theme.apply(app)
    _catch_unexpected(log_file)
    frame = Frame(folder)
    frame.show()
    QTimer.singleShot(0, frame.open)
    return app.exec()
