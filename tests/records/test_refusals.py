"""What the machine refuses and what is damaged: a sentence, nothing lost, and the act goes the next time."""

from __future__ import annotations

import json
import os
import re
import shutil
import subprocess
import sys
from pathlib import Path

import pytest
from desks import Desk, seen

from tuning import scratch
from tuning.core.errors import EnvironmentFault
from tuning.records import Record, keys
from tuning.records.backup import backup, verify

SCRIPTS = Path(__file__).parents[2] / "scripts"


@pytest.mark.parametrize(
    ("script", "words", "said"),
    [
        ("faults.py", ["--most", "2", "--act", "save"], r"save: \d\d refusals, 0 wrong"),
        ("fuzz.py", ["--each", "6", "--kind", "case"], "case: 6 damaged"),
    ],
)
def test_refusals_and_damaged_files_are_tried_by_script(demo_folder, script, words, said):
    run = subprocess.run(
        [sys.executable, str(SCRIPTS / script), *words, "--clinic", str(demo_folder)], capture_output=True, text=True,
        check=False,
    )  # fmt: skip
    assert run.returncode == 0 and re.search(said, run.stdout), run.stdout + run.stderr


@pytest.mark.parametrize(
    "told", [[], {"id": []}, {"id": "a", "state": "odd", "by": {}}, {"id": "a", "state": "sealed"}]
)
def test_a_key_file_of_another_form_is_told_and_never_trusted(tmp_path, told):
    (tmp_path / keys.NAME).write_text(json.dumps(told))
    with pytest.raises(keys.DamagedKey):
        keys.is_locked(tmp_path)


def test_a_key_file_nested_without_end_is_told(tmp_path):
    (tmp_path / keys.NAME).write_text("[" * 100_000)
    with pytest.raises(keys.DamagedKey):
        keys.read(tmp_path)


def refuse(monkeypatch, module, name):
    def refused(*_, **__):
        raise PermissionError(13, "Permission denied")

    monkeypatch.setattr(module, name, refused)


def test_what_cannot_be_cleaned_up_is_no_error_and_goes_with_the_next_opening(tmp_path, monkeypatch):
    record = Record(tmp_path / "record")
    with monkeypatch.context() as kept:
        refuse(kept, os, "unlink")
        refuse(kept, os, "rmdir")
        record.media.intend(64 * "a", ".png")
        with scratch.scratch_folder("import", inside=record.folder) as folder:
            (folder / "face.png").write_bytes(b"somebody")
        record.close()
    assert folder.exists()
    dead = folder.with_name(folder.name.replace(str(os.getpid()), str(2**22 + 1)))
    folder.rename(dead)
    Record(record.folder).close()
    assert not dead.exists() and not list(record.folder.rglob(".at-it-*"))


def test_a_backup_with_a_file_that_nobody_may_read_says_so(demo_folder, tmp_path, monkeypatch):
    made = backup(Path(shutil.copytree(demo_folder, tmp_path / "record")), tmp_path / "safe")
    assert verify(made.folder) == []
    refuse(monkeypatch, Path, "open")
    assert verify(made.folder) != []
    monkeypatch.undo()
    assert verify(made.folder) == []
    with pytest.raises(EnvironmentFault), monkeypatch.context() as kept:
        refuse(kept, shutil, "copy2")
        backup(tmp_path / "record", tmp_path / "elsewhere")
    assert not list((tmp_path / "elsewhere").iterdir())


@pytest.mark.parametrize("how", ["moved", "removed", "another in its place"])
def test_a_record_whose_folder_is_gone_takes_nothing_and_goes_on_when_it_is_back(tmp_path, how):
    """What is written to a file that was taken away is lost without a word when the program ends."""
    desk, away = Desk(tmp_path / "record"), tmp_path / "away"
    desk.keep(seen(1.0))
    desk.record.folder.rename(away)
    if how == "removed":
        shutil.rmtree(away)
    if how == "another in its place":
        Record(desk.record.folder).close()
    with pytest.raises(EnvironmentFault, match="Nothing was saved. Put it back"):
        desk.keep(seen(2.0))
    if how != "removed":
        shutil.rmtree(desk.record.folder, ignore_errors=True)
        away.rename(desk.record.folder)
        desk.keep(seen(3.0))
        assert desk.values() == [1.0, 3.0]
    desk.record.close()
