"""Slow work off the interface thread; result or sentence comes back on it, or is dropped when nobody waits for it."""

from __future__ import annotations

import logging
import threading
from collections.abc import Callable
from typing import Any

from PyQt6.QtCore import QObject, QRunnable, QThreadPool, pyqtSignal

from tuning import sandbox
from tuning.core.case import Case
from tuning.core.errors import TuningError

STOP_MS, ASK_MS = 20_000, 200
"""How long closing waits for work that was told to stop, and how often it looks."""


class Cancelled(TuningError):
    """The user stopped the work."""


class Job(QObject):
    """One piece of work. `work(tick)` calls `tick(fraction)`, which raises Cancelled.

    `case` is the snapshot it was begun on: its result belongs to that patient and visit,
    whatever is open when it comes.
    """

    progress = pyqtSignal(float)
    done = pyqtSignal(object)
    failed = pyqtSignal(str)
    ended = pyqtSignal()
    _came = pyqtSignal(object)
    _broke = pyqtSignal(str)
    _over = pyqtSignal()

    def __init__(self, text: str, work: Callable[[Callable[[float], None]], Any], case: Case | None = None) -> None:
        super().__init__()
        self.text, self.case = text, case
        self._work, self._stop, self._dropped = work, threading.Event(), False
        self._came.connect(lambda found: None if self._dropped else self.done.emit(found))
        self._broke.connect(lambda text: None if self._dropped else self.failed.emit(text))
        self._over.connect(self.ended)

    def cancel(self) -> None:
        """Ask the work to stop at its next tick."""
        self._stop.set()

    def drop(self) -> None:
        """Stop, and let nobody hear of it any more."""
        self._dropped = True
        self._stop.set()

    def start(self, pool: QThreadPool | None = None) -> None:
        """Run in a pool."""
        pool = pool or QThreadPool.globalInstance()
        assert pool is not None
        pool.start(_Runner(self))

    def _tick(self, fraction: float) -> None:
        if self._stop.is_set():
            raise Cancelled("Stopped. Nothing was changed.")
        self.progress.emit(fraction)

    def run(self) -> None:
        """Called in the pool thread."""
        try:
            self._came.emit(self._work(self._tick))
        except TuningError as err:
            self._broke.emit(str(err))
        except Exception as err:  # the border of the thread: log its kind here, nothing above would see it
            logging.getLogger("tuning").error(
                "background work failed: %s: %s", self.text.split()[0], type(err).__name__
            )
            self._broke.emit(f"{self.text} failed unexpectedly ({type(err).__name__}). Nothing was changed.")
        finally:
            self._over.emit()


class JobBoard(QObject):
    """The jobs of a window: each can be cancelled, none hides another."""

    changed = pyqtSignal()
    failed = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        self._pool = QThreadPool()
        self.running: list[Job] = []

    @property
    def newest(self) -> Job | None:
        """The job that the status line shows."""
        return self.running[-1] if self.running else None

    def start(self, job: Job) -> None:
        """Run a job and keep it in sight until it has ended."""
        self.running.append(job)
        job.failed.connect(self.failed)
        job.ended.connect(lambda: self._end(job))
        self.changed.emit()
        job.start(self._pool)

    def _end(self, job: Job) -> None:
        if job in self.running:
            self.running.remove(job)
        self.changed.emit()

    def stop(self) -> None:
        """Stop everything and wait for it: files must not be pulled away under running work."""
        for job in self.running:
            job.drop()
        self._pool.clear()
        for _ in range(STOP_MS // ASK_MS):
            sandbox.stop_all()  # one may just have been begun
            if self._pool.waitForDone(ASK_MS):
                return


class _Runner(QRunnable):
    def __init__(self, job: Job) -> None:
        super().__init__()
        self._job = job

    def run(self) -> None:
        """Called by the pool."""
        self._job.run()
