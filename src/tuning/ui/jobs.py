"""Slow work off the interface thread; result or sentence comes back on it."""

from __future__ import annotations

import logging
import threading
from collections.abc import Callable
from typing import Any

from PyQt6.QtCore import QObject, QRunnable, QThreadPool, pyqtSignal

from tuning.core.errors import TuningError


class Cancelled(TuningError):
    """The user stopped the work."""


class Job(QObject):
    """One piece of work. `work(tick)` calls `tick(fraction)`, which raises Cancelled."""

    progress = pyqtSignal(float)
    done = pyqtSignal(object)
    failed = pyqtSignal(str)
    ended = pyqtSignal()

    def __init__(self, text: str, work: Callable[[Callable[[float], None]], Any]) -> None:
        super().__init__()
        self.text = text
        self._work, self._stop = work, threading.Event()

    def cancel(self) -> None:
        """Ask the work to stop at its next tick."""
        self._stop.set()

    def start(self) -> None:
        """Run in the global pool."""
        pool = QThreadPool.globalInstance()
        assert pool is not None
        pool.start(_Runner(self))

    def _tick(self, fraction: float) -> None:
        if self._stop.is_set():
            raise Cancelled("Stopped. Nothing was changed.")
        self.progress.emit(fraction)

    def run(self) -> None:
        """Called in the pool thread."""
        try:
            self.done.emit(self._work(self._tick))
        except TuningError as err:
            self.failed.emit(str(err))
        except Exception:  # the border of the thread: log it here, nothing above would see it
            logging.getLogger("tuning").exception("background work failed: %s", self.text)
            self.failed.emit(f"{self.text} failed unexpectedly; the log file tells more. Nothing was changed.")
        finally:
            self.ended.emit()


class _Runner(QRunnable):
    def __init__(self, job: Job) -> None:
        super().__init__()
        self._job = job

    def run(self) -> None:
        """Called by the pool."""
        self._job.run()
