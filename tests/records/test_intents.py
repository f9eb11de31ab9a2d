"""Files that come or go are all there or gone, wherever the program was killed; nobody's picture is left behind."""

import shutil
import signal
import subprocess
import sys
import threading
from pathlib import Path

import pytest

from tuning.core.entries import Capture
from tuning.core.errors import BadInput
from tuning.records import Record
from tuning.records.media import INTENT, SESSION, MediaFolder

KILLED = """
import os, signal, sys
from pathlib import Path
from tuning.records import Record, media, store
record = Record(Path(sys.argv[1]))
who = record.people()[0]
def end(*_, **__):
    os.kill(os.getpid(), signal.SIGKILL)
{what}
"""
MOMENTS = {
    "kept, before the note": "record.media.keep(Path(sys.argv[2])); end()",
    "kept and noted, before the entry": "record.medium(record.media.keep(Path(sys.argv[2])), who); end()",
    "erased, before the files go": "media.MediaFolder.drop = end; record.erase(sys.argv[3], who, 'asked')",
    "erasing, before the rows are gone": "store.Record._tell = end; record.erase(sys.argv[3], who, 'asked')",
}


def files(folder):
    return {f.name for f in (folder / "media").rglob("*") if f.is_file()}


@pytest.fixture(scope="module")
def clinic(demo_folder):
    return demo_folder


def filmed(record):
    """The first person with a kept file, and the names of theirs."""
    for patient in record.patients():
        media = [c.medium for v in record.visits(patient) for c in record.case(patient.uid, v.uid).all(Capture)]
        if media:
            return patient, {f"{one.sha256}{one.suffix}" for one in media}
    raise AssertionError("nobody was filmed")


@pytest.mark.parametrize("moment", MOMENTS)
def test_whoever_is_killed_leaves_no_file_that_no_entry_names(clinic, tmp_path, moment):
    folder = Path(shutil.copytree(clinic, tmp_path / "clinic"))
    record = Record(folder)
    patient, own = filmed(record)
    record.close()
    before = files(folder)
    (tmp_path / "new.png").write_bytes(b"a picture that nobody has seen")
    command = [sys.executable, "-c", KILLED.format(what=MOMENTS[moment]), folder, tmp_path / "new.png", patient.uid]
    assert subprocess.run([str(part) for part in command], check=False).returncode == -signal.SIGKILL
    record = Record(folder)
    erased = moment.startswith("erased")
    assert files(folder) == (before - own if erased else before), "whole or not there, and no mark is left"
    assert record.check() == [] and (patient.uid in {p.uid for p in record.patients()}) is not erased
    assert record.cut_off == (0 if moment.startswith("erasing") else len(own) if erased else 1)
    record.close()


def test_what_another_window_is_taking_in_is_left_alone(clinic, tmp_path):
    folder = Path(shutil.copytree(clinic, tmp_path / "clinic"))
    (tmp_path / "new.png").write_bytes(b"a picture on its way")
    one = Record(folder)
    kept = one.media.keep(tmp_path / "new.png")
    other = Record(folder)
    assert one.media.is_intact(kept.sha256, kept.suffix) and other.cut_off == 0
    other.close()
    one.close()
    last = Record(folder)
    assert last.cut_off == 1 and not any(name.startswith((INTENT, SESSION)) for name in files(folder))
    last.close()


def test_after_an_erasure_no_byte_of_the_folder_tells_the_name(clinic, tmp_path):
    folder = Path(shutil.copytree(clinic, tmp_path / "clinic"))
    record = Record(folder)
    for patient in record.patients():
        assert record.where_readable(patient.name)
        with pytest.raises(BadInput, match="without the name"):
            record.erase(patient.uid, record.people()[0], f"{patient.name.split()[0].upper()} asked for it")
        record.erase(patient.uid, record.people()[0], "asked in writing")
        assert record.where_readable(patient.name) == []
    (folder / "notes.txt").write_text("x" * ((1 << 20) - 3) + patient.name)
    assert record.where_readable(patient.name) == [folder / "notes.txt"], "over the end of a piece"
    record.close()


def test_a_window_that_opens_just_then_does_not_sweep_what_another_begins(tmp_path):
    """Between its making and its locking a mark looked like that of a killed program."""
    folder, ended = tmp_path / "media", threading.Event()
    folder.mkdir()

    def opens_again_and_again():
        while not ended.is_set():
            MediaFolder(folder).sweep()

    others = [threading.Thread(target=opens_again_and_again) for _ in range(3)]
    for other in others:
        other.start()
    for _ in range(150):
        mine = MediaFolder(folder)
        mine.intend("a" * 64, ".png")
        assert list(folder.glob(f"{SESSION}*")), "somebody is at it"
        mine.settle(["a" * 64 + ".png"])
        mine.close()
    ended.set()
    for other in others:
        other.join()
    assert not list(folder.iterdir())
