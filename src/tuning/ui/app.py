"""Starts the application on a record folder."""

from __future__ import annotations

import logging
import sys
import traceback
from pathlib import Path
from types import TracebackType

from PyQt6.QtWidgets import QApplication, QMessageBox

from tuning.core.errors import TuningError
from tuning.ui import theme


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
    """Open the window on the record in `folder`; returns the exit code."""
    app = QApplication(sys.argv[:1])
    app.setApplicationName("Tuning")
    theme.apply(app)
    _catch_unexpected(log_file)
    try:
        window = open_window(folder)
    except TuningError as err:
        QMessageBox.critical(None, "Tuning", str(err))
        return 1
    window.show()
    return app.exec()


def open_window(folder: Path):  # type: ignore[no-untyped-def]
    """The main window on a record folder, not yet shown. Raises TuningError."""
    from tuning.knowledge import load
    from tuning.records import Record
    from tuning.ui.window import MainWindow
    from tuning.ui.workspace import Workspace

    return MainWindow(Workspace(Record(folder), load()))
