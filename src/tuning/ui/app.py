"""Starts the application: an empty frame at once, the record into it as soon as it is open."""

from __future__ import annotations

import gc
import logging
import os
import signal
import socket
import sys
import traceback
from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager
from functools import partial
from pathlib import Path
from types import FrameType, TracebackType
from typing import TYPE_CHECKING

from PyQt6.QtCore import QEvent, QEventLoop, QSocketNotifier, Qt, QThread, QThreadPool, QTimer
from PyQt6.QtGui import QCloseEvent
from PyQt6.QtWidgets import QApplication, QMainWindow, QMessageBox, QVBoxLayout, QWidget
from PyQt6.sip import voidptr

from tuning.core.errors import TuningError
from tuning.core.preferences import BACKUP_FOLDER, BY_KEY, SCALE, THEME
from tuning.records.backup import FILE, Backup, backups, contents, verify
from tuning.records.key_recovery import is_gone
from tuning.records.keys import NAME as KEY_FILE
from tuning.records.keys import DamagedKey, Locked, is_locked
from tuning.records.restore import restore
from tuning.records.settings import Settings
from tuning.scratch import sweep
from tuning.ui import theme
from tuning.ui.protection import AskPassphrase, CodeDialog, Deed
from tuning.ui.widgets import button, label

if TYPE_CHECKING:  # importing the workbench takes most of a second, so the frame does without
    from tuning.devices import Devices
    from tuning.records import Record
    from tuning.ui.day_list import DayList
    from tuning.ui.window import MainWindow

TRAIL_CUT = (
    "This record does not end where it was left: an older copy may have been put in its place. "
    "Compare it with a backup. It is noted in the trail."
)
BY_A_COPY = "Every backup holds a copy: the passphrase that it was taken with puts it back."
ABOVE, BELOW = 73, 41
"""Where header and status line will be, in px, so that the day list need not move when they come."""


class TopWindow(QMainWindow):
    """The top-level window. Shows itself first, then the people, then the workbench around them."""

    def __init__(self, folder: Path, kind: str = "", devices: Callable[[str], Devices] | None = None) -> None:
        super().__init__()
        self._folder, self._kind, self._devices = folder, kind, devices
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
            record, day_list = self.show_people()
            self.repaint()
            self.window_in = build_window(record, self._devices, day_list)
        except Locked:
            self._ask()
            return
        except DamagedKey as err:
            if self._copies():
                self._ask(f"{err} {BY_A_COPY}")
            else:
                self._tell(str(err))
            return
        except TuningError as err:
            if is_gone(self._folder) and self._copies():
                self._ask(f"The key file is gone. {BY_A_COPY}")
            else:
                self._tell(str(err))
            return
        except Exception as err:  # whatever is wrong with a record, the frame says so instead of waiting for ever
            logging.getLogger("tuning").error("opening failed: %s", type(err).__name__)
            self._tell(f"The record cannot be opened ({type(err).__name__}). Nothing was changed.")
            return
        self.setCentralWidget(self.window_in)
        self.window_in.reseal_wanted.connect(self.reseal)
        self.window_in.welcome()
        self.window_in.cupboard.back_up_if_due()
        if self.window_in.workspace.devices.simulated:
            self.setWindowTitle(f"Tuning · {self.window_in.workspace.kind} record, devices are made up")

    def reseal(self, deed: Deed) -> None:
        """Close the record, do something to the whole of it in the background, and open it again."""
        if self.window_in is None or not self.window_in.close():
            return
        self.window_in, done = None, [0.0]
        self._tell("Working on the record …")
        with ThreadPoolExecutor(1) as pool:
            work = pool.submit(deed, self._folder, partial(done.__setitem__, 0))
            while not work.done():
                self.waiting.setText(f"Working on the record: {100 * done[0]:.0f} % …")
                QApplication.processEvents(QEventLoop.ProcessEventsFlag.ExcludeUserInputEvents, 50)
                QThread.msleep(20)
        err = work.exception()
        if err is not None and not isinstance(err, TuningError):
            raise err
        self.open()
        if err is not None and self.window_in is not None:
            self.window_in.status.say(str(err), caution=True)
        elif err is None and work.result():
            CodeDialog(self, work.result()).exec()

    def show_people(self) -> tuple[Record, DayList]:
        """The day list alone, which needs neither tables nor stages. Raises TuningError."""
        from tuning.knowledge.day_list_tables import rules, safety_table
        from tuning.ui.day_list import DayList

        record = open_record(self._folder, self._kind)
        day_list = DayList(record, (rules(), safety_table()))
        day_list.refresh()
        around = QWidget()
        around.setObjectName("paper")
        column = QVBoxLayout(around)
        column.setContentsMargins(0, ABOVE, 0, BELOW)
        column.addWidget(day_list)
        self.setCentralWidget(around)
        day_list.search.setFocus()
        return record, day_list

    def _ask(self, wrong: str = "") -> None:
        """The passphrase, and what is wrong with the key file, if anything is."""
        asks = AskPassphrase(self._folder, self.open, self._copies(), wrong)
        self.setCentralWidget(asks)
        asks.field.setFocus()

    def _copies(self) -> list[Path]:
        """Backups with a key file, newest first."""
        folder = str(BY_KEY[BACKUP_FOLDER].read(Settings(self._folder).values))
        known = [one.folder for one in backups(Path(folder))] if folder else []
        return [one for one in known if (one / KEY_FILE).exists()]

    def _tell(self, text: str) -> None:
        self.waiting = label(text, theme.LARGE, role="muted", wrap=True)
        self.waiting.setAlignment(Qt.AlignmentFlag.AlignCenter)
        around = QWidget()
        column = QVBoxLayout(around)
        column.setContentsMargins(120, 0, 120, 0)
        column.addStretch(1)
        column.addWidget(self.waiting)
        good = self.good_backup()
        if good is not None:
            words = f"Restore the backup of {good.at.astimezone():%-d %b %Y, %H:%M} ({contents(good.folder)})"
            self.restore_button = button(words, partial(self.restore, good), "primary")
            column.addWidget(self.restore_button, 0, Qt.AlignmentFlag.AlignCenter)
            column.addWidget(label("What is here now is moved beside it, whole.", role="muted"), 0,
                             Qt.AlignmentFlag.AlignCenter)  # fmt: skip
        column.addStretch(1)
        self.setCentralWidget(around)

    def good_backup(self) -> Backup | None:
        """The newest whole backup in the clinic's folder; None where none is told or none is whole."""
        folder = str(BY_KEY[BACKUP_FOLDER].read(Settings(self._folder).values))
        if not folder or not (self._folder / FILE).exists():
            return None
        known = (one for one in backups(Path(folder)) if not is_locked(one.folder))
        return next((one for one in known if not verify(one.folder)), None)

    def restore(self, good: Backup) -> None:
        """Put a backup in the place of what cannot be opened, and open it."""
        try:
            aside = restore(good.folder, self._folder)
        except TuningError as err:
            self._tell(str(err))
            return
        self.open()
        if self.window_in is not None and aside is not None:
            self.window_in.status.say(f"Restored. What was here lies in {aside}.")

    def shut(self) -> None:
        """Let go of the record and of every file, without a question."""
        if self.window_in is not None:
            self.window_in.shut()

    def closeEvent(self, event: QCloseEvent | None) -> None:
        """Everything that was finished is saved already; the window asks about the rest."""
        if self.window_in is not None and not self.window_in.close():
            if event is not None:
                event.ignore()
            return
        super().closeEvent(event)


def open_record(folder: Path, kind: str = "") -> Record:
    """The record in a folder. Raises TuningError.

    `kind` says what a new record will be, and marks an existing one as demo or practice.
    """
    from tuning.records import Record
    from tuning.records.store import OWN

    record = Record(folder, kind or OWN)
    if kind and kind != record.kind and not record.read_only:
        record.mark(kind)
    return record


def build_window(
    record: Record, devices: Callable[[str], Devices] | None = None, day_list: DayList | None = None
) -> MainWindow:
    """The workbench on an open record, not yet shown. Raises TuningError.

    `devices` gives the devices for a kind of record.
    """
    from tuning.core.errors import KnowledgeError
    from tuning.devices import NO_DEVICES
    from tuning.knowledge import for_clinic, load
    from tuning.records.store import NEWER
    from tuning.ui.window import MainWindow
    from tuning.ui.workspace import Workspace

    given, broken = devices(record.kind) if devices is not None else NO_DEVICES, ""
    try:
        knowledge = for_clinic(record.folder / "knowledge")
    except KnowledgeError as err:  # nobody is locked out of the record by a table; the shipped one serves
        knowledge, broken = load(), str(err)
    window = MainWindow(Workspace(record, knowledge, given), day_list=day_list)
    finished = "A restore that was cut off has been finished." if record.restored else ""
    older = TRAIL_CUT if record.trail_problem else ""
    for words in filter(None, (NEWER if record.read_only else "", broken, _cut_off(record.cut_off), finished, older)):
        window.status.say(words, caution=True)
    return window


def _cut_off(files: int) -> str:
    """What is said where the program was killed while files came or went; empty where it was not."""
    if not files:
        return ""
    removed = "1 file that no entry names was" if files == 1 else f"{files} files that no entry names were"
    return f"The program ended in the middle of an import or an erasure; {removed} removed. Check, and repeat it."


def _catch_unexpected(log_file: Path) -> None:
    """Unexpected exceptions go to the log file and a dialog that names it."""
    log_file.parent.mkdir(parents=True, exist_ok=True)
    log_file.parent.chmod(0o700)
    handler = logging.FileHandler(log_file, encoding="utf-8", delay=True)
    handler.setFormatter(logging.Formatter("%(asctime)s %(levelname)s %(message)s"))
    logging.getLogger("tuning").addHandler(handler)

    def hook(kind: type[BaseException], err: BaseException, trace: TracebackType | None) -> None:
        # Where it happened, not what was in it: messages may hold a patient's values.
        places = "".join(traceback.format_tb(trace))
        logging.getLogger("tuning").error("%s\n%s", kind.__name__, places)
        sentence = str(err) if isinstance(err, TuningError) else "Something unexpected went wrong."
        QMessageBox.warning(None, "Tuning", f"{sentence}\n\nWhat was saved is safe. Details: {log_file}")

    sys.excepthook = hook


def run(folder: Path, log_file: Path, kind: str = "", devices: Callable[[str], Devices] | None = None) -> int:
    """Show the window on the record in `folder`; returns the exit code. For the rest see `open_window`."""
    values = Settings(folder).values
    if "QT_SCALE_FACTOR" not in os.environ:  # Qt reads it once, before there is an application
        os.environ["QT_SCALE_FACTOR"] = str(BY_KEY[SCALE].read(values) / 100)
    app = QApplication(sys.argv[:1])
    app.setApplicationName("Tuning")
    theme.apply(app, theme.chosen(BY_KEY[THEME].read(values)))
    _catch_unexpected(log_file)
    sweep()
    frame = TopWindow(folder, kind, devices)
    frame.show()
    QTimer.singleShot(0, frame.open)
    with told_to_stop(app) as codes:
        code = app.exec()
    shut_down(app, frame)
    return codes[0] if codes else code


SIGNALS = {signal.SIGTERM: 0, signal.SIGINT: 130}
"""Exit codes where the system asks to stop."""


@contextmanager
def told_to_stop(app: QApplication) -> Iterator[list[int]]:
    """A signal ends the event loop, and every dialog's; the list then holds the exit code."""
    codes: list[int] = []

    def stop(number: int, _: FrameType | None) -> None:
        codes.append(SIGNALS[signal.Signals(number)])
        app.exit()

    ours, theirs = socket.socketpair()
    for one in (ours, theirs):
        one.setblocking(False)
    # Python hears a signal only between two of its own instructions: a byte in the socket wakes it.
    wake = QSocketNotifier(voidptr(theirs.fileno()), QSocketNotifier.Type.Read)
    wake.activated.connect(lambda: theirs.recv(64))
    before = {number: signal.signal(number, stop) for number in SIGNALS}
    known = signal.set_wakeup_fd(ours.fileno())
    try:
        yield codes
    finally:
        signal.set_wakeup_fd(known)
        for number, handler in before.items():
            signal.signal(number, handler)
        wake.setEnabled(False)
        ours.close()
        theirs.close()


def shut_down(app: QApplication, frame: TopWindow) -> None:
    """One order for every end: work stopped and waited for, files let go, then the widgets, then the application."""
    frame.shut()
    app.closeAllWindows()
    for window in app.topLevelWidgets():
        window.deleteLater()
    for _ in range(2):  # what is deleted may ask for more to be deleted
        app.sendPostedEvents(None, QEvent.Type.DeferredDelete.value)
        app.processEvents()
    pool = QThreadPool.globalInstance()
    if pool is not None:
        pool.waitForDone()
    gc.collect()
    logging.shutdown()
