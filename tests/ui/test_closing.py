"""Every end is a clean end: closed in the middle of things, or stopped by the system, nothing crashes or is left."""

from __future__ import annotations

import shutil
import signal
import sys
import time
from pathlib import Path

import chance
import pytest
from click.testing import CliRunner
from closings import ended, left_behind, main, started

from tuning import sandbox
from tuning.ui.jobs import Job, JobBoard


@pytest.fixture(scope="module")
def clinic(demo_folder, tmp_path_factory) -> Path:
    return Path(shutil.copytree(demo_folder, tmp_path_factory.mktemp("closing") / "record"))


BUSY = [("clip", 150)]
SELDOM = [("case", 150), ("backup", 0), ("job", 0), ("clip", 0)] if chance.FRESH else []


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


def test_closings_are_counted(clinic):
    made = CliRunner().invoke(main, ["--times", "1", "--clinic", str(clinic)])
    assert made.exit_code == 0 and "opened: closed 1 times, 0 wrong" in made.output, made.output


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


def test_work_that_waits_for_a_process_of_its_own_ends_with_the_window(qtbot, tmp_path, monkeypatch):
    """A clip that is looked at apart may take a minute on a busy machine; nobody who closes waits for it."""
    (tmp_path / "python").write_text(f"#!/bin/sh\nexec {sys.executable} -c 'import time; time.sleep(600)'\n")
    (tmp_path / "python").chmod(0o755)
    monkeypatch.setattr(sandbox.sys, "executable", str(tmp_path / "python"))
    monkeypatch.setattr(sandbox, "WALL", 600)
    board, told = JobBoard(), []
    for _ in range(12):  # more than run at once: some have not begun
        job = Job("Looking", lambda tick: told.append(sandbox.trouble("nothing")))
        board.start(job)
    qtbot.waitUntil(lambda: len(sandbox._RUNNING) > 0, timeout=20_000)
    board.stop()
    assert board._pool.activeThreadCount() == 0 and not sandbox._RUNNING
    assert told and all("ends the reader" in words for words in told)
