"""Every end is a clean end: closed in the middle of things, or stopped by the system, nothing crashes or is left."""

from __future__ import annotations

import os
import shutil
import signal
import subprocess
import sys
import time
from pathlib import Path

import chance
import pytest

PROGRAM = """
import sys, time
from pathlib import Path
from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import QApplication
from tuning.demo.clips import CLIPS
from tuning.demo.devices import simulated_devices
from tuning.ui import app
from tuning.ui.jobs import Job

folder, doing = Path(sys.argv[1]), sys.argv[2]

def frame():
    return next(w for w in QApplication.topLevelWidgets() if isinstance(w, app.TopWindow))

def busy(tick):
    for n in range(10_000):
        time.sleep(0.001)
        tick(n / 10_000)

def act():
    top = frame()
    window = top.window_in
    if window is None:
        return QTimer.singleShot(20, act)
    if doing != "opened":
        people = {p.occupation: p for p in window.workspace.record.patients()}
        window.open_patient(people["glassblower"])
        window.go("movement")
    if doing == "job":
        window.jobs.start(Job("Working", busy))
    if doing == "clip":
        window.page("movement").show_bench()
        window.page("movement").bench.open_file(CLIPS["walk-rear"].path, "rear")
    if doing == "backup":
        window.jobs.start(Job("Backing up", lambda tick: __import__("shutil").copytree(folder, folder.parent / "b")))
    print("ready", flush=True)
    if doing != "signal":
        QTimer.singleShot(int(sys.argv[3]), top.close)

QTimer.singleShot(0, act)
sys.exit(app.run(folder, folder.parent / "log" / "tuning.log", devices=lambda _: simulated_devices()))
"""


@pytest.fixture(scope="module")
def clinic(demo_folder, tmp_path_factory) -> Path:
    return Path(shutil.copytree(demo_folder, tmp_path_factory.mktemp("closing") / "record"))


def started(clinic: Path, scratch: Path, doing: str, wait_ms: int = 0) -> subprocess.Popen[str]:
    scratch.mkdir(exist_ok=True)
    return subprocess.Popen(
        [sys.executable, "-c", PROGRAM, str(clinic), doing, str(wait_ms)], text=True,
        env={**os.environ, "TMPDIR": str(scratch), "QT_QPA_PLATFORM": "offscreen"},
        stdout=subprocess.PIPE, stderr=subprocess.PIPE,
    )  # fmt: skip


def ended(run: subprocess.Popen[str]) -> tuple[str, str]:
    """What it wrote; one that does not end is not left running."""
    try:
        return run.communicate(timeout=120)
    finally:
        run.kill()


def left_behind(clinic: Path, scratch: Path) -> list[str]:
    logs = [p.name for p in clinic.glob("record.sqlite-*") if p.stat().st_size]
    return [*(p.name for p in scratch.iterdir()), *logs]


BUSY = [("opened", 0), ("clip", 150), ("backup", 0)]
SELDOM = [("case", 150), ("job", 0), ("clip", 0)] if chance.FRESH else []


@pytest.mark.parametrize(("doing", "wait_ms"), BUSY + SELDOM)
def test_the_window_closed_in_the_middle_of_things_ends_cleanly(clinic, tmp_path, doing, wait_ms):
    run = started(clinic, tmp_path / "scratch", doing, wait_ms)
    out, err = ended(run)
    assert (run.returncode, out.strip()) == (0, "ready"), err[-2000:]
    assert left_behind(clinic, tmp_path / "scratch") == []


@pytest.mark.parametrize(("sign", "code"), [(signal.SIGTERM, 0), (signal.SIGINT, 130)])
def test_told_to_stop_by_the_system_it_ends_cleanly(clinic, tmp_path, sign, code):
    run = started(clinic, tmp_path / "scratch", "signal")
    assert run.stdout is not None and run.stdout.readline().strip() == "ready"
    time.sleep(0.3)
    run.send_signal(sign)
    _, err = ended(run)
    assert run.returncode == code, err[-2000:]
    assert left_behind(clinic, tmp_path / "scratch") == []


def test_what_a_killed_import_left_is_said_when_the_record_is_opened(qtbot, demo_folder, tmp_path):
    """The file went, since nothing names it: whoever opens the record next is told to take it in again."""
    from tuning.ui.app import build_window, open_record

    folder, name = Path(shutil.copytree(demo_folder, tmp_path / "clinic")), f"{64 * 'a'}.mp4"
    (folder / "media" / "aa").mkdir(exist_ok=True)
    (folder / "media" / "aa" / name).write_bytes(b"a clip")
    (folder / "media" / f".pending-{name}").write_text(".at-it-gone")
    window = build_window(open_record(folder))
    qtbot.addWidget(window)
    assert not (folder / "media" / "aa" / name).exists()
    assert "1 file that no entry names was removed" in window.status.message.text()
    window.close()
