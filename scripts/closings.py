"""Closes the window in the middle of things, again and again: `python scripts/closings.py [--times 1000] [--seed 11]`.

Each is a process of its own on one copy of the demo record: just opened, with a person open, while a job runs, a clip
is read, a backup made, or stopped by the system. Wrong is another exit code than 0 (130 where it is interrupted), or
anything left in the temporary folder or the log of the database.
"""

from __future__ import annotations

import os
import random
import shutil
import signal
import subprocess
import sys
import tempfile
import time
from collections import Counter
from pathlib import Path

import click

from tuning.demo.clinic import build_clinic

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


DOINGS = ("opened", "case", "job", "clip", "backup", "signal")
SIGNALS = {signal.SIGTERM: 0, signal.SIGINT: 130}
LONGEST_WAIT_MS = 1500


def started(clinic: Path, scratch: Path, doing: str, wait_ms: int = 0) -> subprocess.Popen[str]:
    """The program with that record, doing something, closed after so long."""
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
    """What is in the temporary folder, and logs of the database that were not taken in."""
    logs = [p.name for p in clinic.glob("record.sqlite-*") if p.stat().st_size]
    return [*(p.name for p in scratch.iterdir()), *logs]


def closed(clinic: Path, scratch: Path, doing: str, draw: random.Random) -> str:
    """Close it once; what was wrong, empty where nothing was."""
    wait_ms, sign = draw.randrange(LONGEST_WAIT_MS), draw.choice(list(SIGNALS))
    run = started(clinic, scratch, doing, wait_ms)
    if doing == "signal":
        assert run.stdout is not None
        run.stdout.readline()
        time.sleep(wait_ms / 1000)
        run.send_signal(sign)
    _, err = ended(run)
    if run.returncode != (SIGNALS[sign] if doing == "signal" else 0):
        return f"exit {run.returncode} after {wait_ms} ms: {err[-600:]}"
    left = left_behind(clinic, scratch)
    return f"left behind after {wait_ms} ms: {left}" if left else ""


@click.command()
@click.option("--times", default=1000)
@click.option("--seed", default=11)
@click.option("--clinic", type=click.Path(path_type=Path), help="A demo record that is there already.")
def main(times: int, seed: int, clinic: Path | None) -> None:
    """Close, and tell what was wrong; exit code 1 where something was."""
    draw, wrong, count = random.Random(seed), Counter[str](), Counter[str]()
    with tempfile.TemporaryDirectory() as folder:
        record = Path(folder) / "place" / "record"
        if clinic is None:
            build_clinic(record)
        else:
            shutil.copytree(clinic, record)
        for n in range(times):
            doing = DOINGS[n % len(DOINGS)]
            scratch = Path(folder) / f"scratch-{n}"
            told = closed(record, scratch, doing, draw)
            count[doing] += 1
            wrong[doing] += bool(told)
            if told:
                click.echo(f"{doing}, {n}: {told}")
            shutil.rmtree(scratch, ignore_errors=True)
            shutil.rmtree(record.parent / "b", ignore_errors=True)
    for doing in DOINGS:
        click.echo(f"{doing}: closed {count[doing]} times, {wrong[doing]} wrong")
    sys.exit(1 if wrong.total() else 0)


if __name__ == "__main__":
    main()
