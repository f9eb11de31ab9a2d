"""Backups by themselves, a damaged record and its newest good backup, the cover, and who wrote a value."""

from __future__ import annotations

import shutil
from pathlib import Path

import hands
import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QDialog

from tuning.core.entries import Note
from tuning.core.errors import Refused
from tuning.core.preferences import BACKUP_FOLDER, LOCK_MINUTES
from tuning.records import Record, encryption, keys
from tuning.records.backup import backup, backups, verify
from tuning.records.dbapi import sqlite
from tuning.records.settings import Settings
from tuning.ui.app import TopWindow
from tuning.ui.explanation_dialog import history
from tuning.ui.protection import AskPassphrase, CodeDialog, ProtectionDialog


@pytest.fixture
def clinic(demo_folder, tmp_path) -> Path:
    return Path(shutil.copytree(demo_folder, tmp_path / "clinic"))


def framed(qtbot, folder: Path) -> TopWindow:
    frame = TopWindow(folder)
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
    window.cover.show_cover()
    window.resize(window.width() + 90, window.height() + 60)
    hands.settle()
    assert window.cover.isVisible() and window.cover.geometry() == window.rect(), "also once it is made larger"
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
        act.replace(replace(row.left, value=8.0), row.left)
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
    second.workspace.poll_external_changes()
    assert not any(o.uid == row.left.uid for o in second.workspace.observations())
    assert Record(clinic).check() == []


WORDS = "nine wet ferry ropes"


def asked(frame) -> AskPassphrase:
    hands.settle()
    found = frame.centralWidget()
    assert isinstance(found, AskPassphrase) and frame.window_in is None
    return found


def answered(dialog, before: str, after: str, again: str):
    dialog.before.setText(before)
    dialog.after.setText(after)
    dialog.again.setText(again)
    return dialog


def test_a_record_is_protected_asked_for_changed_and_opened_up_on_screen(qtbot, clinic, monkeypatch, weak_keys):
    frame, codes = framed(qtbot, clinic), []
    monkeypatch.setattr(CodeDialog, "exec", lambda self: codes.append(self.code.text()))

    def choose(before: str, after: str, off: bool = False) -> None:
        """The dialog of the window, filled in."""

        def fill(dialog) -> int:
            answered(dialog, before, after, after)
            (dialog.take_off if off else dialog.keep)()
            return dialog.result()

        monkeypatch.setattr(ProtectionDialog, "exec", fill)
        frame.window_in.cupboard.protection()
        hands.settle()

    choose("", WORDS)
    assert frame.window_in is not None and len(frame.window_in.day_list.lines()) == 5 and keys.read(clinic)
    frame.close()
    keys.forget()

    frame = framed(qtbot, clinic)
    field = asked(frame)
    for wrong in ("", "nine dry ferry ropes"):
        field.field.setText(wrong)
        QTest.keyClick(field.field, Qt.Key.Key_Return)
        assert asked(frame) is field and "neither" in field.words.text()
    field.field.setText(codes[0].lower())
    QTest.keyClick(field.field, Qt.Key.Key_Return)
    assert len(frame.window_in.day_list.lines()) == 5

    choose("wrong one indeed", "ten dry ferry ropes")
    assert len(codes) == 1, "without the present passphrase nothing is changed"
    choose(WORDS, "ten dry ferry ropes")
    assert len(codes) == 2 and codes[0] != codes[1]
    choose("ten dry ferry ropes", "", off=True)
    assert keys.read(clinic) is None and len(frame.window_in.day_list.lines()) == 5 and len(codes) == 2
    frame.close()


def test_what_was_typed_twice_must_agree_and_be_long_enough(qtbot, clinic):
    dialog = ProtectionDialog(None, clinic)
    qtbot.addWidget(dialog)
    for after, again, said in ((WORDS, "nine wet", "same"), ("short", "short", "characters")):
        answered(dialog, "", after, again).keep()
        assert dialog.deed is None and said in dialog.words.text()


def test_the_cover_of_a_protected_record_opens_by_the_passphrase_alone(qtbot, clinic, weak_keys):
    encryption.protect(clinic, WORDS)
    frame = framed(qtbot, clinic)
    cover = frame.window_in.cover
    open_dialog = QDialog()
    qtbot.addWidget(open_dialog)
    open_dialog.open()
    cover.show_cover()
    lock = cover.lock
    cover.show_cover()
    assert cover.lock is lock and lock.isVisible() and lock.isModal()
    for shown in (open_dialog, frame):
        [veil] = [veil for veil in lock.veils if veil.parentWidget() is shown]
        shown.resize(shown.width() + 90, shown.height() + 60)
        hands.settle()
        assert veil.geometry() == shown.rect() and shown.childAt(9, 9) is veil, "what was open shows nothing"
    for key in (Qt.Key.Key_Escape, Qt.Key.Key_Return, Qt.Key.Key_7, Qt.Key.Key_Return):
        QTest.keyClick(lock.asks.field, key)
    lock.close()
    assert lock.isVisible() and cover.lock is lock
    lock.asks.field.setText(WORDS)
    QTest.keyClick(lock.asks.field, Qt.Key.Key_Return)
    assert not lock.isVisible() and cover.lock is None
    assert not any(veil.isVisible() for veil in lock.veils)
    open_dialog.close()
    frame.close()


def test_a_record_of_a_newer_version_is_shown_and_takes_nothing(qtbot, clinic):
    with sqlite.connect(clinic / "record.sqlite") as raw:
        raw.execute("update alembic_version set version_num = '9999'")
    raw.close()
    frame = framed(qtbot, clinic)
    window = frame.window_in
    assert "newer Tuning" in window.status.message.text()
    window.workspace.person = window.workspace.record.people()[0]
    window.open_patient(window.workspace.record.patients()[0])
    before = window.workspace.case.revision
    with pytest.raises(Refused, match="newer"), window.workspace.action("a note") as act:
        act.add(Note("strength", "x"))
    assert window.workspace.reading and window.workspace.case.revision == before
    frame.close()


@pytest.mark.parametrize("harm", ["damaged", "gone", "another record's"])
def test_a_key_file_that_is_lost_comes_back_from_a_backup_by_the_passphrase(qtbot, clinic, tmp_path, weak_keys, harm):
    Settings(clinic).set(BACKUP_FOLDER, str(tmp_path / "safe"))
    encryption.protect(clinic, "ferry at seven")
    backup(clinic, tmp_path / "safe")
    foreign = tmp_path / "foreign"
    foreign.mkdir()
    keys.make(foreign, "ferry at seven")
    file, whole = clinic / keys.NAME, (clinic / keys.NAME).read_bytes()
    if harm == "gone":
        file.unlink()
    else:
        file.write_bytes(whole[:90] if harm == "damaged" else (foreign / keys.NAME).read_bytes())
    left = file.read_bytes() if file.exists() else b""
    keys.forget()
    frame = framed(qtbot, clinic)
    asks = frame.centralWidget()
    assert isinstance(asks, AskPassphrase) and ("copy" in asks.words.text()) == (harm != "another record's")
    asks.field.setText("glass at nine")
    asks.try_it()
    assert frame.centralWidget() is asks and "Each try takes about" in asks.words.text()
    assert (file.read_bytes() if file.exists() else b"") == left, "a wrong passphrase changes nothing"
    asks.field.setText("ferry at seven")
    asks.try_it()
    assert frame.window_in is not None and len(frame.window_in.day_list.lines()) == 5
    aside = [p.read_bytes() for p in clinic.glob(f"{keys.NAME}.damaged-*")]
    assert aside == ([left] if left else []), "what was there lies beside it"
    assert frame.window_in.workspace.record.check() == [] and keys.read(clinic)["state"] == keys.SEALED
    frame.close()
