"""Backups: whole while in use, verified, kept by age; restoring loses nothing that was there."""

from __future__ import annotations

import os
import shutil
import stat
import time
from datetime import UTC, datetime, timedelta
from pathlib import Path

import chance
import desks
import pytest
from click.testing import CliRunner

from tuning.cli import main
from tuning.core.errors import BadInput, EnvironmentFault
from tuning.records import Record
from tuning.records.backup import backup, backups, due, newest, thin_out, verify
from tuning.records.dbapi import sqlite
from tuning.records.restore import restore

NOON = datetime(2026, 11, 28, 12, tzinfo=UTC)


@pytest.fixture
def record(demo_folder, tmp_path) -> Path:
    return Path(shutil.copytree(demo_folder, tmp_path / "record"))


def names(folder: Path) -> list[str]:
    """Everybody in a record or backup; a backup itself opens for nobody."""
    if (folder / "SHA256SUMS").exists():
        with pytest.raises(EnvironmentFault, match="is a backup"):
            Record(folder)
        again = folder.parent / f"again-{folder.name}"
        restore(folder, again)
        try:
            return names(again)
        finally:
            shutil.rmtree(again)
    opened = Record(folder)
    found = sorted(p.name for p in opened.patients())
    problems = opened.check()
    opened.close()
    assert not problems
    return found


def test_a_backup_taken_while_a_window_is_open_holds_the_last_entry(record, tmp_path):
    window = Record(record)
    window.add_person("Someone New", "trainer")
    assert (record / "record.sqlite-wal").stat().st_size > 0, "the newest lies in the log alone"
    made = backup(record, tmp_path / "safe", NOON)
    window.close()
    assert verify(made.folder) == [] and made.media > 0
    assert [f.name for f in made.folder.iterdir() if "wal" in f.name or "shm" in f.name] == []
    restore(made.folder, tmp_path / "again")
    copy = Record(tmp_path / "again")
    assert "Someone New" in [p.name for p in copy.people()]
    copy.close()


def test_nobody_else_may_look_in(record, tmp_path):
    record.chmod(0o755)
    Record(record).close()
    made = backup(record, tmp_path / "safe", NOON)
    for folder in (record, tmp_path / "safe", made.folder):
        assert stat.S_IMODE(folder.stat().st_mode) == 0o700, folder
    assert stat.S_IMODE((made.folder / "record.sqlite").stat().st_mode) == 0o600


def test_a_second_backup_links_what_has_not_changed(record, tmp_path):
    first = backup(record, tmp_path / "safe", NOON)
    second = backup(record, tmp_path / "safe", NOON + timedelta(days=1))
    for file in (first.folder / "media").rglob("*.*"):
        twin = second.folder / file.relative_to(first.folder)
        assert os.path.samefile(file, twin)
    shutil.rmtree(first.folder)
    assert verify(second.folder) == []


def test_restoring_beside_a_left_over_log_takes_the_backup_and_nothing_of_the_log(record, tmp_path):
    made = backup(record, tmp_path / "safe", NOON)
    before = names(made.folder)
    window = Record(record)
    window.add_person("After The Backup", "trainer")
    log = (record / "record.sqlite-wal").read_bytes()
    window.close()
    (record / "record.sqlite-wal").write_bytes(log)  # as a killed window leaves it
    aside = restore(made.folder, record)
    assert names(record) == before and not (record / "record.sqlite-wal").exists() or verify(record) == []
    restored = Record(record)
    assert "After The Backup" not in [p.name for p in restored.people()]
    restored.close()
    kept = Record(aside)
    assert "After The Backup" in [p.name for p in kept.people()], "what was there lies beside, whole"
    kept.close()


def test_a_record_that_is_open_is_not_taken_away(record, tmp_path):
    made = backup(record, tmp_path / "safe", NOON)
    window = Record(record)
    window.patients()
    with pytest.raises(EnvironmentFault, match="another window"):
        restore(made.folder, record)
    window.add_person("Still Here", "trainer")
    window.close()
    assert sorted(p.name for p in tmp_path.iterdir()) == ["record", "safe"]


def test_a_damaged_record_can_be_restored_and_a_damaged_backup_cannot(record, tmp_path):
    made = backup(record, tmp_path / "safe", NOON)
    (record / "record.sqlite").write_bytes(b"not a database at all" * 40)
    restore(made.folder, record)
    assert names(record)
    for harm in ("media", "database", "sums", *range(8 if chance.FRESH else 2)):
        bad = Path(shutil.copytree(made.folder, tmp_path / f"bad-{harm}"))
        target = {"media": next((bad / "media").rglob("*.*")), "sums": bad / "SHA256SUMS"}.get(
            harm, bad / "record.sqlite"
        )
        data = bytearray(target.read_bytes())
        data[chance.RANDOM.integers(len(data))] ^= 0xFF
        target.unlink()
        target.write_bytes(data)
        before = sorted(p.name for p in tmp_path.iterdir())
        with pytest.raises(BadInput, match="no whole backup"):
            restore(bad, record)
        assert sorted(p.name for p in tmp_path.iterdir()) == before and names(record)


def test_what_cannot_be_backed_up_leaves_nothing(record, tmp_path, monkeypatch):
    with pytest.raises(BadInput, match="no record"):
        backup(tmp_path / "nothing", tmp_path / "safe", NOON)
    with pytest.raises(BadInput, match="inside the record"):
        backup(record, record / "safe", NOON)
    monkeypatch.setattr("tuning.records.backup.shutil.copy2", lambda source, target: Path(target).write_bytes(b"half"))
    with pytest.raises(EnvironmentFault, match="would not be whole"):
        backup(record, tmp_path / "safe", NOON)
    assert list((tmp_path / "safe").iterdir()) == []


def test_a_picture_that_is_damaged_already_keeps_nobody_from_saving_the_rest(record, tmp_path):
    first, second = sorted((record / "media").rglob("*.*"))[:2]
    first.unlink()
    second.write_bytes(second.read_bytes()[:-5])
    made = backup(record, tmp_path / "safe", NOON)
    assert set(made.lost) == {first.name, second.name} and verify(made.folder) == []
    restore(made.folder, tmp_path / "again")
    copy = Record(tmp_path / "again")
    assert sum("missing or changed" in problem for problem in copy.check()) == 2
    copy.close()


def test_days_weeks_and_months_stay_and_the_newest_always(tmp_path):
    into = tmp_path / "safe"
    for hours in range(0, 24 * 500, 12):
        folder = into / (NOON - timedelta(hours=hours)).strftime("%Y%m%dT%H%M%SZ")
        folder.mkdir(parents=True)
        (folder / "record.sqlite").touch()
    (into / ".part-20261128T120000Z").mkdir()
    thin_out(into)
    left = [one.at for one in backups(into)]
    assert left[0] == NOON and len(left) <= 7 + 4 + 12
    assert [NOON.date() - at.date() for at in left[:7]] == [timedelta(days=n) for n in range(7)]
    assert len({(at.year, at.month) for at in left}) >= 12
    assert not due(into, NOON + timedelta(hours=23)) and due(into, NOON + timedelta(hours=24))
    assert newest(into).at == NOON


def test_the_command_line_backs_up_previews_and_restores(record, tmp_path):
    run = lambda *words: CliRunner().invoke(main, [str(w) for w in words])  # noqa: E731
    made = run("backup", record, tmp_path / "safe", "--thin")
    assert made.exit_code == 0 and "verified" in made.output
    folder = newest(tmp_path / "safe").folder
    told = run("restore", folder, tmp_path / "new")
    assert told.exit_code == 0 and "people" in told.output and not (tmp_path / "new").exists()
    done = run("restore", folder, tmp_path / "new", "--yes")
    assert done.exit_code == 0 and names(tmp_path / "new") == names(record)
    assert run("restore", tmp_path / "none", tmp_path / "new", "--yes").exit_code == 2
    assert run("backup", tmp_path / "none", tmp_path / "safe").exit_code == 2


def test_a_backup_does_not_change_the_record(record, tmp_path):
    def everything() -> list:
        with sqlite.connect(record / "record.sqlite") as raw:
            tables = [name for (name,) in raw.execute("select name from sqlite_master where type = 'table'")]
            return [raw.execute(f"select * from {name}").fetchall() for name in tables]

    before = everything()
    backup(record, tmp_path / "safe", NOON)
    assert everything() == before


@pytest.fixture
def small(tmp_path) -> Path:
    """A record with one person and one kept file."""
    desk = desks.Desk(tmp_path / "record")
    desk.keep(desks.seen(12.5))
    (tmp_path / "clip.bin").write_bytes(b"a clip")
    desk.record.medium(desk.record.media.keep(tmp_path / "clip.bin"), desk.person)
    desk.record.close()
    return tmp_path / "record"


def killed_at(step, deed):
    """Run something in a child that is killed before its n-th change of the disk; whether it was."""
    child = os.fork()
    if not child:
        left = [step]

        def counted(change):
            def then(*args, **how):
                if not left[0]:
                    os._exit(9)
                left[0] -= 1
                return change(*args, **how)

            return then

        for place, name in ((os, "replace"), (os, "unlink"), (os, "rmdir"), (Path, "unlink"),
                            (Path, "touch"), (shutil, "copytree")):  # fmt: skip
            setattr(place, name, counted(getattr(place, name)))
        try:
            deed()
        finally:
            os._exit(0)
    return os.waitstatus_to_exitcode(os.waitpid(child, 0)[1]) == 9


def test_a_restore_killed_at_any_step_leaves_the_record_of_before_or_the_one_of_the_backup(small, tmp_path):
    """It never leaves an empty clinic, nor half a copy beside it."""
    record = small
    made = backup(record, tmp_path / "safe", NOON)
    open_now = Record(record)
    open_now.add_person("After", "student")
    open_now.close()
    seen = set()
    for step in range(60):
        trial = tmp_path / f"trial-{step}" / "record"
        shutil.copytree(record, trial)
        killed = killed_at(step, lambda trial=trial: restore(made.folder, trial))
        again = Record(trial)
        after = "After" in [p.name for p in again.people()]
        assert again.patients() and again.check() == [] and not (trial / "SHA256SUMS").exists(), step
        seen.add((again.restored, after))
        again.close()
        beside = [p.name for p in trial.parent.iterdir() if p != trial]
        assert all("before-restore" in name for name in beside), beside
        shutil.rmtree(trial.parent)
        if not killed:
            break
    assert not killed and not after and seen == {(False, True), (True, False), (False, False)}


def test_thinning_killed_at_any_step_lists_only_whole_backups(small, tmp_path):
    safe = tmp_path / "safe"
    first = backup(small, safe, NOON)
    for days in range(1, 12):
        at = NOON + timedelta(days=days)
        shutil.copytree(first.folder, safe / at.strftime("%Y%m%dT%H%M%SZ"))
    for step in range(99):
        trial = tmp_path / "trial"
        shutil.copytree(safe, trial)
        killed = killed_at(step, lambda: thin_out(tmp_path / "trial"))
        listed = backups(trial)
        assert len(listed) >= 7 and all((b.folder / "SHA256SUMS").exists() for b in listed), step
        assert [b.folder.name for b in listed if verify(b.folder)] == [], step
        shutil.rmtree(trial)
        if not killed:
            break
    assert not killed and step > 4


def test_what_killed_programs_left_beside_the_backups_goes_after_a_day(small, tmp_path):
    record = small
    for name, age in ((".part-old", 25), (".part-new", 1)):
        left = tmp_path / "safe" / name
        left.mkdir(parents=True)
        then = time.time() - age * 3600
        os.utime(left, (then, then))
    (record / ".settings.json-x").write_text("{}")
    os.utime(record / ".settings.json-x", (1, 1))
    (record / ".key.json-y").write_text("{}")
    backup(record, tmp_path / "safe", NOON)
    assert [p.name for p in (tmp_path / "safe").glob(".part-*")] == [".part-new"]
    Record(record).close()
    assert [p.name for p in record.glob(".*.json-*")] == [".key.json-y"], "that one may be at work"
