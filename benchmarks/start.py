"""How long until the first window, against a bare PyQt6 window in the same run: `python benchmarks/start.py`."""

from __future__ import annotations

import os
import statistics
import subprocess
import sys
import tempfile
import time
from pathlib import Path

SMALL = "--small" in sys.argv
ROUNDS = 1 if SMALL else 7
BARE = """
from PyQt6.QtWidgets import QApplication, QWidget
app = QApplication([])
window = QWidget()
window.show()
app.processEvents()
"""
FRAME = """
import sys
from pathlib import Path
from PyQt6.QtWidgets import QApplication
from tuning.ui import theme
from tuning.ui.app import TopWindow, shut_down
app = QApplication([])
theme.apply(app)
frame = TopWindow(Path(sys.argv[1]))
frame.show()
app.processEvents()
"""
FILLED = (
    FRAME
    + """
frame.show_people()
frame.repaint()
frame.close()
"""
)
READY = (
    FRAME
    + """
frame.open()
app.processEvents()
shut_down(app, frame)
"""
)


def wall_time(program: str, folder: str) -> float:
    began = time.perf_counter()
    subprocess.run([sys.executable, "-c", program, folder], check=True)
    return time.perf_counter() - began


def main() -> None:
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    from tuning.demo.clinic import build_clinic
    from tuning.records import Record

    with tempfile.TemporaryDirectory() as folder:
        if SMALL:
            Record(Path(folder)).close()
        else:
            build_clinic(Path(folder))
        times: dict[str, list[float]] = {BARE: [], FRAME: [], FILLED: [], READY: []}
        for program in times:
            wall_time(program, folder)  # warm the disk cache
        for _ in range(ROUNDS):
            for program, found in times.items():
                found.append(wall_time(program, folder))
    bare, frame, filled, ready = (statistics.median(found) for found in times.values())
    print(f"bare PyQt6 window        {bare:.3f} s")
    print(f"first window on screen   {frame:.3f} s, ratio {frame / bare:.1f} (wanted: at most 6)")
    print(f"day list filled          {filled:.3f} s, ratio {filled / bare:.1f} (wanted: at most 10)")
    print(f"ready to open a person   {ready:.3f} s, ratio {ready / bare:.1f}")


main()
