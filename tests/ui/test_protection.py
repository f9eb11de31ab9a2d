"""Backups by themselves, a damaged record and its newest good backup, the cover, and who wrote a value."""

from __future__ import annotations

import shutil
from pathlib import Path

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest

from tuning.core.preferences import BACKUP_FOLDER, LOCK_MINUTES
from tuning.records import Record
from tuning.records.backup import backup, backups, verify
from tuning.records.settings import Settings
from tuning.ui.app import Frame
from tuning.ui.explain import history


@pytest.fixture
def clinic(demo_folder, tmp_path) -> Path:
    return Path(shutil.copytree(demo_folder, tmp_path / "clinic"))


def framed(qtbot, folder: Path) -> Frame:
    frame = Frame(folder)
    qtbot.addWidget(frame)
    frame.show()
    frame.open()
    return frame


def test_a_backup_is_made_by_itself_once_a_day_and_on_one_key(qtbot, clinic, tmp_path):
    Settings(clinic).set(BACKUP_FOLDER, str(tmp_path / "safe"))
    frame = framed(qtbot, clinic)
    window = frame.window_in
    qtbot.waitUntil(lambda: len(backups(tmp_path / "safe")) == 1 and not window.jobs.running)
    assert verify(backups(tmp_path / "safe")[0].folder) == [] and "Backed up to" in window.status.message.text()
    window.cupboard.back_up_if_due()
    assert not window.jobs.running, "not twice a day"
    window.workspace.set_preferences({BACKUP_FOLDER: ""}, "")
    window.cupboard.back_up()
    assert "Preferences" in window.status.message.text() and not window.jobs.running
    frame.close()


def test_a_damaged_record_offers_its_newest_good_backup_and_a_damaged_backup_is_passed_over(qtbot, clinic, tmp_path):
    """The restore drill."""
    Settings(clinic).set(BACKUP_FOLDER, str(tmp_path / "safe"))
    from datetime import UTC, datetime, timedelta

    noon = datetime(2026, 11, 20, 12, tzinfo=UTC)
    backup(clinic, tmp_path / "safe", noon)
    newer = backup(clinic, tmp_path / "safe", noon + timedelta(days=1))
    (newer.folder / "record.sqlite").write_bytes(b"half")
    whole = (clinic / "record.sqlite").read_bytes()
    (clinic / "record.sqlite").write_bytes(whole[: len(whole) // 2])
    frame = framed(qtbot, clinic)
    assert frame.window_in is None and "damaged" in frame.waiting.text().lower()
    assert "20 Nov 2026" in frame.restore_button.text() and "5 people" in frame.restore_button.text()
    frame.restore_button.click()
    window = frame.window_in
    assert window is not None and len(window.day_list.lines()) == 5
    aside = next(p for p in tmp_path.iterdir() if "before-restore" in p.name)
    assert (aside / "record.sqlite").read_bytes() == whole[: len(whole) // 2], "what was there lies beside"
    assert window.workspace.record.check() == []
    frame.close()


def test_a_damaged_record_without_a_backup_says_so_and_stays_as_it_is(qtbot, clinic):
    (clinic / "record.sqlite").write_bytes(b"SQLite format 3\0" + bytes(5000))
    before = (clinic / "record.sqlite").read_bytes()
    frame = framed(qtbot, clinic)
    assert frame.window_in is None and not hasattr(frame, "restore_button")
    assert (clinic / "record.sqlite").read_bytes() == before
    frame.close()


def test_the_cover_hides_everything_and_the_key_that_lifts_it_does_nothing_else(window, patient):
    patient("glassblower", "strength")
    window.workspace.set_preferences({LOCK_MINUTES: 5}, "")
    window.cover.wait()
    assert window.cover._timer.isActive() and not window.cover.isVisible()
    window.cover.lie_down()
    assert window.cover.isVisible() and window.cover.geometry() == window.rect()
    before = window.page("strength").number.text()
    QTest.keyClick(window.page("strength").number, Qt.Key.Key_7)
    assert not window.cover.isVisible() and window.page("strength").number.text() == before
    QTest.keyClick(window.page("strength").number, Qt.Key.Key_7)
    assert window.page("strength").number.text() == before + "7"
    window.workspace.set_preferences({LOCK_MINUTES: 0}, "")
    window.cover.wait()
    assert not window.cover._timer.isActive()


def test_who_wrote_a_value_and_what_stood_before_stands_behind_f1(window, patient):
    from dataclasses import replace

    patient("glassblower", "mobility")
    space = window.workspace
    row = next(r for r in space.comparisons() if r.measure.id == "knee-to-wall")
    with space.action("put right") as act:
        act.put(replace(row.left, value=8.0), row.left)
    row = next(r for r in space.comparisons() if r.measure.id == "knee-to-wall")
    now, before = history(space.record, row.measure, row.left)
    assert now.startswith("left 8.0 cm: entered") and now.endswith("by R. Falk.")
    assert before.startswith("left 7.3 cm: entered") and "struck" in before and "right" not in before
    text = window._trail_of(type("Row", (), {"row": row})())
    assert "In the record" in text and "right 11.2 cm" in text


def test_a_second_window_on_the_same_record_sees_what_the_first_wrote(open_on, clinic):
    first, second = open_on(clinic), open_on(clinic)
    name = "Marit Okonjo-Lind"
    for window in (first, second):
        window.workspace.open_patient(next(p for p in window.workspace.record.patients() if p.name == name))
    row = next(r for r in first.workspace.comparisons() if r.measure.id == "knee-to-wall")
    with first.workspace.action("strike") as act:
        act.strike(row.left)
    second.workspace.look_elsewhere()
    assert not any(o.uid == row.left.uid for o in second.workspace.observations())
    assert Record(clinic).check() == []
