"""Wrong files and a machine that refuses: a sentence, nothing half-written, no traceback."""

import os
import subprocess
import sys
from datetime import date, timedelta
from pathlib import Path

import hands
import pytest
from conftest import numbered, write_clip

from tuning.core.errors import EnvironmentFault
from tuning.demo.clips import CLIPS
from tuning.ui.app import TopWindow
from tuning.ui.patient_forms import PatientForm


def files_in(window) -> set[Path]:
    return {p for p in window.workspace.record.media.folder.rglob("*") if p.is_file()}


@pytest.fixture
def bad_files(tmp_path: Path) -> dict[str, Path]:
    whole = write_clip(tmp_path / "whole.mp4", numbered(10), [n / 30 for n in range(10)]).read_bytes()
    made = {"diary.mp4": b"the ferry was late today " * 99, "stub.mp4": whole[:300], "nothing.jpg": b""}
    for name, content in made.items():
        (tmp_path / name).write_bytes(content)
    return {name: tmp_path / name for name in made}


@pytest.mark.parametrize("name", ["diary.mp4", "stub.mp4", "nothing.jpg", "gone.mp4"])
def test_a_file_that_is_no_picture_gets_a_sentence(qtbot, window, patient, bad_files, tmp_path, name):
    patient("glassblower", "movement")
    qtbot.waitUntil(lambda: window.page("movement").bench.canvas.image is not None)
    media, entries = files_in(window), len(window.workspace.case.entries)
    window.page("movement").bench.open_file(bad_files.get(name, tmp_path / name), "rear")
    qtbot.waitUntil(lambda: name in window.status.message.text() and "Opening" not in window.status.message.text())
    assert window.status.message.property("role") == "caution"
    assert files_in(window) == media and len(window.workspace.case.entries) == entries
    assert window.page("movement").bench.canvas.image is not None, "the picture that was open stays"


def test_a_refused_entry_is_said_and_leaves_the_screen_as_it_was(window, patient, monkeypatch):
    patient("potter", "strength")
    before = window.status.saved.text()

    def full(*_, **__):
        raise EnvironmentFault("The disk is full. What was saved before is unchanged.")

    monkeypatch.setattr(window.workspace.record, "commit", full)
    hands.type_enter(window.page("strength").number, "300")
    assert "disk is full" in window.status.message.text() and window.status.saved.text() == before
    state, number = window.page("strength").state, window.page("strength").number
    tested = state.side, state.test_id
    assert 300 not in state.trials(*tested)
    assert not window.workspace.undo.at and number.text() == "300", "what was typed stays in its field"
    monkeypatch.undo()
    hands.key(number, "\n")
    assert 300 in state.trials(*tested) and not number.text() and window.workspace.undo.at == 1


def test_cancelled_work_leaves_nothing_behind(qtbot, window, patient, tmp_path):
    patient("glassblower", "movement")
    media = files_in(window)
    # Larger than one copying step, so that the stop is seen before the end.
    big = tmp_path / "big.mp4"
    big.write_bytes(CLIPS["squat-front"].path.read_bytes() + os.urandom(8_000_000))
    window.page("movement").job_started.disconnect(window.jobs.start)
    started = []
    window.page("movement").bench.job_started.connect(started.append)
    window.page("movement").bench.open_file(big, "front")
    (job,) = started
    job.cancel()
    with qtbot.waitSignal(job.failed) as told:
        job.start()
    assert "Stopped" in told.args[0] and files_in(window) == media


def test_the_patient_form_says_what_it_would_accept_and_loses_nothing(qtbot):
    form = PatientForm()
    qtbot.addWidget(form)
    form.occupation.setText("net mender")
    form.keep()
    assert "name is needed" in form.sentence.text()
    form.name.setText("Pia Lund")
    form.birth.setText("1.2.1980")
    form.mass.setText("6650")
    form.keep()
    assert "Body mass" in form.sentence.text() and form.occupation.text() == "net mender"
    form.mass.setText("66.5")
    form.birth.setText(f"{date.today() + timedelta(days=3):%d.%m.%Y}")
    form.keep()
    assert "still to come" in form.sentence.text() and not form.result()
    form.birth.setText("31.02.1979")
    form.keep()
    assert "no day of the calendar" in form.sentence.text()
    form.birth.setText("12.3.1979")
    form.keep()
    assert form.values["birth_date"] == date(1979, 3, 12) and "12 March 1979" in form.read_back.text()
    assert form.values["dominant_hand"] == "not said", "nobody is right-handed unasked"


def test_the_command_line_answers_with_a_sentence(tmp_path: Path):
    (tmp_path / "record.sqlite").write_text("no record at all " * 500)
    run = subprocess.run(
        [sys.executable, "-m", "tuning", "check-record", str(tmp_path)], capture_output=True, text=True, check=False
    )
    assert run.returncode == 2 and "not a Tuning record" in run.stderr and "Traceback" not in run.stderr


def test_a_record_that_cannot_be_opened_is_said_in_the_window(qtbot, tmp_path: Path):
    (tmp_path / "record.sqlite").write_text("no record at all " * 500)
    frame = TopWindow(tmp_path)
    qtbot.addWidget(frame)
    frame.open()
    assert "not a Tuning record" in frame.waiting.text() and frame.window_in is None
