"""A passphrase on a record: nothing of it lies open, nobody else gets in, no moment of the change loses anything."""

from __future__ import annotations

import json
import os
import shutil
from datetime import UTC, datetime
from pathlib import Path

import desks
import numpy as np
import pytest
from click.testing import CliRunner

from tuning.cli import main
from tuning.cli.errors import PASSPHRASE_FILE
from tuning.core.entries import Capture, Note
from tuning.core.errors import BadInput, EnvironmentFault
from tuning.records import Record, encryption, keys, trail_end
from tuning.records.backup import backup, contents, holding, verify
from tuning.records.media import MediaFolder
from tuning.records.restore import restore

WORDS = "nine wet ferry ropes"
SECRETS = (b"Nils Ostrov", b"sailmaker", b"kneecap hurts on the ladder")


pytestmark = pytest.mark.usefixtures("weak_keys")


@pytest.fixture
def folder(tmp_path) -> Path:
    """A record with a person, a note, and two clips of other sizes than a block."""
    desk = desks.Desk(tmp_path / "record")
    desk.keep(desks.seen(1.0), Note("strength", SECRETS[2].decode()))
    for n, size in enumerate((3 << 20, 1000)):
        clip = tmp_path / f"clip {n}.mp4"
        clip.write_bytes(np.random.default_rng(n).bytes(size) + SECRETS[0])
        desk.keep(Capture(desk.record.medium(desk.record.media.keep(clip), desk.person)))
    desk.record.close()
    return desk.record.folder


def told(folder: Path) -> tuple:
    """Everything a record says, and the bytes of its files; its own check finds nothing."""
    desk = desks.Desk(folder)
    try:
        assert desk.record.check() == []
        dump = desk.record.dump(desk.patient.uid)
        return json.dumps(dump, sort_keys=True, default=str), [
            desk.record.media.lent(c.medium).read_bytes() for c in desk.case.all(Capture)
        ]
    finally:
        desk.record.close()


def lies_open(folder: Path) -> set[Path]:
    """Files in which something of the person can be read."""
    files = [f for f in folder.rglob("*") if f.is_file()]
    return {f for f in files if any(secret in f.read_bytes() for secret in SECRETS)}


def test_nothing_lies_open_and_everything_is_there(folder):
    before = told(folder)
    assert len(lies_open(folder)) == 3, "the search finds what is there"
    code = encryption.protect(folder, WORDS)
    assert told(folder) == before and lies_open(folder) == set()
    assert WORDS.encode() not in (folder / keys.NAME).read_bytes() and code not in (folder / keys.NAME).read_text()
    desk = desks.Desk(folder)
    new = folder.parent / "new.mp4"
    new.write_bytes(SECRETS[0] * 9)
    [kept] = desk.keep(Capture(desk.record.medium(desk.record.media.keep(new), desk.person)))
    lent = desk.record.media.lent(kept.medium)
    assert lent.read_bytes() == SECRETS[0] * 9 and lent.suffix == ".mp4" and lies_open(folder) == set()
    assert lent.resolve().as_posix().startswith("/memfd:"), "read from memory"
    desk.record.close()
    now = told(folder)
    encryption.open_up(folder, WORDS)
    assert told(folder) == now and len(lies_open(folder)) == 4 and not (folder / keys.NAME).exists()


def test_only_the_passphrase_or_the_code_opens_it(folder):
    code = encryption.protect(folder, WORDS)
    keys.forget()
    with pytest.raises(keys.Locked, match="passphrase"):
        Record(folder)
    for wrong in ("", "nine wet ferry rope", WORDS.upper(), code[:-1], "A" * 32):
        with pytest.raises(BadInput, match="neither"):
            keys.unlock(folder, wrong)
    with pytest.raises(keys.Locked):
        told(folder)
    for right in (WORDS, code, code.lower().replace(" ", "-")):
        keys.forget()
        keys.unlock(folder, right)
        told(folder)


def test_another_passphrase_shuts_the_old_one_and_the_old_code_out(folder):
    code = encryption.protect(folder, WORDS)
    before = told(folder)
    newer = keys.change(folder, WORDS, "ten dry ferry ropes")
    for shut_out in (WORDS, code):
        with pytest.raises(BadInput):
            keys.unlock(folder, shut_out)
    keys.forget()
    keys.unlock(folder, newer)
    assert told(folder) == before


def test_what_cannot_be_protected_stays_open(folder):
    for short in ("", "       x       ", "1234567"):
        with pytest.raises(BadInput, match="characters"):
            encryption.protect(folder, short)
    desk = desks.Desk(folder)
    with pytest.raises(EnvironmentFault, match="Another"):
        encryption.protect(folder, WORDS)
    desk.record.close()
    assert not (folder / keys.NAME).exists() and told(folder)
    encryption.protect(folder, WORDS)
    with pytest.raises(BadInput, match="already"):
        encryption.protect(folder, WORDS)
    desk = desks.Desk(folder)
    with pytest.raises(EnvironmentFault, match="Another"):
        encryption.open_up(folder, WORDS)
    desk.record.close()
    assert lies_open(folder) == set()


STEPS = [(module, name, nth) for module, name in (
    ("keys", "_write"), ("schema", "install_file"), ("os", "replace"), ("os", "fsync"), ("Path", "unlink")
) for nth in (1, 2, 3, 4)]  # fmt: skip


def killed_in(monkeypatch, deed, module: str, name: str, nth: int) -> bool:
    """Do something in a process of its own that is killed in the `nth` call of a step; whether it came so far."""
    place = {"keys": keys, "schema": encryption.schema, "os": os, "Path": Path}[module]
    real, left = getattr(place, name), [nth]

    def dies(*args, **kwargs):
        left[0] -= 1
        if left[0] == 0:
            os._exit(9)
        return real(*args, **kwargs)

    child = os.fork()
    if child == 0:
        try:
            setattr(place, name, dies)
            deed()
        finally:
            os._exit(0)
    return os.waitstatus_to_exitcode(os.waitpid(child, 0)[1]) == 9


@pytest.mark.parametrize("way", ["protecting", "opening up"])
def test_a_kill_at_any_step_loses_nothing(folder, tmp_path, monkeypatch, way):
    before = told(folder)
    if way == "opening up":
        encryption.protect(folder, WORDS)
    kills = 0
    for n, step in enumerate(STEPS):
        work = tmp_path / f"work {n}"
        shutil.copytree(folder, work)
        deed = encryption.protect if way == "protecting" else encryption.open_up
        if not killed_in(monkeypatch, lambda work=work, deed=deed: deed(work, WORDS), *step):
            continue
        kills += 1
        keys.forget()
        try:
            found = told(work)
        except keys.Locked:
            keys.unlock(work, WORDS)
            found = told(work)
            assert lies_open(work) == set(), "what was half sealed is sealed now"
        assert found == before, step
        shutil.rmtree(work)
    assert kills > 10


def test_backups_are_sealed_alike_and_restored_by_the_same_words(folder, tmp_path):
    plain = backup(folder, tmp_path / "safe", datetime(2026, 11, 1, tzinfo=UTC))
    encryption.protect(folder, WORDS)
    before = told(folder)
    made = backup(folder, tmp_path / "safe", datetime(2026, 11, 2, tzinfo=UTC))
    assert verify(made.folder) == [] and lies_open(made.folder) == set() and lies_open(plain.folder)
    keys.forget()
    assert contents(made.folder) == "protected by a passphrase"
    assert [b.folder for b in holding(tmp_path / "safe", "nobody")] == [made.folder], "nobody can look: it may be in it"
    with pytest.raises(keys.Locked):
        restore(made.folder, tmp_path / "again")
    keys.unlock(made.folder, WORDS)
    restore(made.folder, tmp_path / "again")
    assert told(tmp_path / "again") == before


def test_damage_is_seen(folder, tmp_path):
    encryption.protect(folder, WORDS)
    sealed = MediaFolder(folder / "media").sealed()
    assert len(sealed) == 2
    for n, (file, at) in enumerate([(f, a) for f in sealed for a in (3, 30, 500, -1)]):
        work = tmp_path / f"work {n}"
        shutil.copytree(folder, work)
        hurt = work / file.relative_to(folder)
        data = bytearray(hurt.read_bytes())
        data[at] ^= 1
        hurt.write_bytes(data)
        desk = desks.Desk(work)
        assert len(desk.record.check()) == 1
        with pytest.raises(EnvironmentFault, match="damaged"):
            [desk.record.media.lent(c.medium) for c in desk.case.all(Capture)]
        desk.record.close()
    size = (folder / "record.sqlite").stat().st_size
    for at in range(20, size, size // 12):
        work = tmp_path / f"pages {at}"
        shutil.copytree(folder, work)
        data = bytearray((work / "record.sqlite").read_bytes())
        data[at] ^= 1
        (work / "record.sqlite").write_bytes(data)
        with pytest.raises(EnvironmentFault):
            told(work)


@pytest.mark.parametrize("left", [b"", b"SQLite format 3\0", b"SQLite format 3\0" + bytes(5000)])
def test_a_ruined_database_costs_nobody_the_key(folder, tmp_path, left):
    """Without the key the backups and every kept file would be lost, too."""
    made = encryption.protect(folder, WORDS) and backup(folder, tmp_path / "safe")
    before = told(folder)
    (folder / "record.sqlite").write_bytes(left)
    for _ in range(2):
        with pytest.raises(EnvironmentFault):
            Record(folder)
    assert (folder / keys.NAME).exists()
    restore(made.folder, folder)
    assert told(folder) == before


@pytest.mark.parametrize("text", ["", "{", "[]", '{"id": "x"}', '{"id": "x", "state": "sealed", "by": {}}', None])
def test_a_key_file_that_is_damaged_or_gone_ends_in_a_sentence(folder, text):
    encryption.protect(folder, WORDS)
    keys.forget()
    if text is None:
        (folder / keys.NAME).unlink()
    else:
        (folder / keys.NAME).write_text(text)
    with pytest.raises(EnvironmentFault, match=r"key file|key\.json|protected"):
        Record(folder)
    with pytest.raises((EnvironmentFault, BadInput)):
        keys.unlock(folder, WORDS)


def test_commands_ask_the_file_of_the_passphrase(folder, tmp_path, monkeypatch):
    def run(*args) -> tuple[int, str]:
        keys.forget()
        done = CliRunner().invoke(main, [str(a) for a in args])
        return done.exit_code, done.output

    monkeypatch.delenv(PASSPHRASE_FILE, raising=False)
    assert run("protect", folder)[0] == 2 and not (folder / keys.NAME).exists(), "no hand at the keys, no file"
    monkeypatch.setenv(PASSPHRASE_FILE, str(tmp_path / "words"))
    assert run("protect", folder)[0] == 2
    (tmp_path / "words").write_text(f"{WORDS}\n")
    code, said = run("protect", folder)
    assert code == 0 and len(said.splitlines()[-1].split()) == 8
    assert run("check-record", folder) == (0, "The record is sound.\n")
    assert run("backup", folder, tmp_path / "safe")[0] == 0
    (tmp_path / "words").write_text("ten dry ferry ropes")
    code, said = run("check-record", folder)
    assert code == 2 and "neither the passphrase" in said
    assert run("protect", folder, "--off")[0] == 2 and (folder / keys.NAME).exists()
    (tmp_path / "words").write_text(WORDS)
    assert run("protect", folder, "--off")[0] == 0 and lies_open(folder)


@pytest.mark.parametrize(("name", "value"), [("ops", 10**9), ("memory", 1 << 40)])
def test_a_key_file_that_asks_for_hours_is_refused_at_once(folder, name, value):
    encryption.protect(folder, WORDS)
    told = json.loads((folder / keys.NAME).read_text())
    told["by"]["passphrase"][name] = value
    (folder / keys.NAME).write_text(json.dumps(told))
    with pytest.raises(EnvironmentFault, match="damaged"):
        keys.unlock(folder, WORDS)


def test_lines_taken_from_the_end_of_a_protected_trail_are_noticed(tmp_path):
    """The database of yesterday under the note of today; the note lost; and what is no attack says nothing."""
    folder = tmp_path / "record"
    made = Record(folder)
    person = made.add_person("Somebody Here", "licensed clinician")
    made.close()
    encryption.protect(folder, WORDS)
    Record(folder).close()
    yesterday = (folder / "record.sqlite").read_bytes()
    record = Record(folder)
    record.note(person, "export", "all")
    record.close()
    assert reopened(folder) == []
    today = (folder / "record.sqlite").read_bytes()

    (folder / "record.sqlite").write_bytes(yesterday)
    again = Record(folder)
    assert again.trail_problem == trail_end.SHORTER and again.check() == [trail_end.SHORTER]
    again.close()
    assert reopened(folder) == [], "told once, and noted in the trail"

    (folder / "record.sqlite").write_bytes(today)
    (folder / trail_end.NAME).unlink()
    assert reopened(folder) == [trail_end.MISSING]

    saved = backup(folder, tmp_path / "safe")
    record = Record(folder)
    record.note(person, "export", "more")
    record.close()
    restore(saved.folder, folder)
    assert reopened(folder) == []
    encryption.open_up(folder, WORDS)
    encryption.protect(folder, WORDS)
    assert reopened(folder) == []


def test_a_note_that_cannot_be_written_undoes_no_save_and_keeps_no_record_shut(tmp_path, monkeypatch):
    folder = tmp_path / "record"
    made = Record(folder)
    person = made.add_person("Somebody Here", "licensed clinician")
    made.close()
    encryption.protect(folder, WORDS)

    def refused(*_):
        raise EnvironmentFault("The disk is full.")

    with monkeypatch.context() as full:
        full.setattr(trail_end, "write_whole", refused)
        full.setattr(trail_end, "begin", refused)
        record = Record(folder)
        record.note(person, "export", "all")
        assert record.lines()[-1].what == "export"
        record.close()
    assert reopened(folder) == [] and reopened(folder) == []


def reopened(folder):
    record = Record(folder)
    try:
        return record.check()
    finally:
        record.close()
