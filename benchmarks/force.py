"""Plates: reading a minute, drawing live frames, memory over half an hour: `python benchmarks/force.py`."""

from __future__ import annotations

import os
import statistics
import sys
import tempfile
import time
import tracemalloc
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

import numpy as np
from PyQt6.QtWidgets import QApplication

from tuning.core.force.analysis import analyse
from tuning.core.force.live import RingBuffer
from tuning.core.force.recording import Recording
from tuning.core.types import Side
from tuning.demo import simulated_plates as plates
from tuning.demo.simulated_plates import Faults, SimulatedPerson, heard
from tuning.exchange.csv.plates import write_csv
from tuning.exchange.plates import read_plates
from tuning.ui import theme
from tuning.ui.force.live import LivePlates

SMALL = "--small" in sys.argv


def timed(work) -> float:
    start = time.perf_counter()
    work()
    return time.perf_counter() - start


def minute() -> None:
    """One minute of squats on both plates: from samples to numbers, against reading the file."""
    scene = plates.squats(SimulatedPerson(), reps=3 if SMALL else 20, rest=1.1)
    left, right = heard(scene, Faults(), np.random.default_rng(1))
    recording = Recording(scene.rate, {Side.LEFT: left, Side.RIGHT: right})
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "minute.csv"
        write_csv(recording, path)
        reading = statistics.median(timed(lambda: read_plates(path)) for _ in range(5))
        analyse(recording, "squat-fast")  # the filter library loads once
        numbers = statistics.median(
            timed(lambda: analyse(Recording(scene.rate, {Side.LEFT: left, Side.RIGHT: right}), "squat-fast"))
            for _ in range(1 if SMALL else 5)
        )
    print(f"{recording.size / scene.rate:.0f} s of two plates: numbers {numbers:.3f} s beyond reading the file "
          f"({reading:.2f} s), {numbers / reading:.2f} of it (wanted under 0.3 s)")  # fmt: skip


def frames() -> None:
    """Frames of the live view at 1100 x 560 with samples of 1000 Hz, against an empty repaint."""
    app = QApplication.instance() or QApplication([])
    theme.apply(app)
    view = LivePlates()
    view.resize(1100, 560)
    view.show()
    bare = LivePlates()
    bare.resize(1100, 560)
    bare.show()
    random = np.random.default_rng(2)
    app.processEvents()
    view.buffer = RingBuffer(1000.0)
    times, base = [], []
    for n in range(20 if SMALL else 600):
        samples = 400 + 300 * np.sin(np.arange(17)[:, None] / 40 + n / 3) + random.normal(0, 3, (17, 2))
        view.buffer.add(samples)
        times.append(1e3 * timed(view.repaint))
        base.append(1e3 * timed(bare.repaint))
    half, most, last = np.percentile(times, [50, 95, 99])
    inside = 100 * float(np.mean(np.array(times) <= 1000 / 60))
    print(
        f"live frame: median {half:.1f} ms, 95th percentile {most:.1f} ms, 99th {last:.1f} ms "
        f"({half / statistics.median(base):.1f} times an empty one); {inside:.1f} % of frames in time for 60 a second"
    )


def half_hour() -> None:
    """Thirty minutes of streaming into the live buffer."""
    buffer = RingBuffer(1000.0)
    chunk = np.full((16, 2), 400.0)
    buffer.add(chunk)
    tracemalloc.start()
    before = tracemalloc.get_traced_memory()[0]
    for _ in range((1 if SMALL else 30) * 60 * 1000 // 16):
        buffer.add(chunk)
    after = tracemalloc.get_traced_memory()[0]
    print(f"30 minutes at 1000 Hz: memory of the live buffer grew by {(after - before) / 1024:.0f} kB")


minute()
frames()
half_hour()
