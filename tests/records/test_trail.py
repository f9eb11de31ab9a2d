"""The trail and the sums: who did what when, and that nothing is changed in silence."""

from __future__ import annotations

import gzip
import hashlib
import json
import shutil
from contextlib import closing
from pathlib import Path

import chance
import pytest
from desks import PATIENT, Desk, seen

from tuning.core import entries as kinds
from tuning.core.errors import EnvironmentFault
from tuning.core.types import Triage
from tuning.records import Record, audit_log, rows
from tuning.records.dbapi import sqlite
from tuning.records.entry_codec import entry_to_dict

FLIPS = 400 if chance.FRESH else 120


@pytest.fixture
def kept(tmp_path: Path) -> Path:
    """A closed record with a few entries, one of them struck and one restored."""
    desk = Desk(tmp_path / "r")
    first, second = desk.keep(seen(10.0), kinds.Screen(Triage.RED, rules=("calf",), reds=("calf",)))
    desk.keep(seen(20.0), kinds.Note("strength", "grips the bed"))
    desk.record.commit(desk.case, struck=[first.uid], by=desk.person.uid)
    desk.record.commit(desk.case, restored=[first.uid], by=desk.person.uid)
    desk.record.commit(desk.case, struck=[second.uid], by=desk.person.uid)
    desk.record.close()
    return tmp_path / "r"


def raw(folder: Path, *statements: str) -> None:
    with closing(sqlite.connect(folder / "record.sqlite")) as db, db:
        for statement in statements:
            assert db.execute(statement).rowcount > 0, statement
    with closing(sqlite.connect(folder / "record.sqlite")) as db:
        db.execute("pragma wal_checkpoint(truncate)")


def test_the_trail_tells_who_did_what_to_which_value(kept):
    record = Record(kept)
    assert record.check() == []
    lines = record.lines()
    assert [line.what for line in lines] == [
        "new patient", "new visit", "entered", "entered", "entered", "entered", "struck", "restored", "struck",
    ]  # fmt: skip
    assert {line.who for line in lines} == {"R. Falk"}
    first = lines[2].subject
    assert [line.what for line in record.lines(first)] == ["entered", "struck", "restored"]
    record.note(record.people()[0], "setting", "strength.rule", before="mean", after="best", reason="clinic meeting")
    [told] = record.lines("strength.rule")
    assert (told.detail["before"], told.detail["after"]) == ("mean", "best") and record.check() == []
    record.close()


@pytest.mark.parametrize("statement", [
    "update entry set body = replace(body, '20.0', '21.0') where body like '%20.0%'",
    "update entry set struck_at = null where struck_at is not null",
    "update entry set visit_id = visit_id, at = '2020-01-01 00:00:00.000000' where id = 1",
    "update visit set started_at = '2020-01-01 00:00:00.000000'",
    "update patient set name = 'Somebody Else'",
    "update patient set birth_date = '1950-01-01'",
])  # fmt: skip
def test_a_changed_value_is_told_and_never_shown(kept, statement):
    raw(kept, statement)
    record = Record(kept)
    with pytest.raises(EnvironmentFault, match="not what was written"):
        [patient] = record.patients()
        [visit] = record.visits(patient)
        record.case(patient.uid, visit.uid)
        raise AssertionError("shown")
    assert any("not what was written" in problem for problem in record.check())
    record.close()


def test_a_value_changed_together_with_its_sum_is_told_by_the_trail(kept):
    from tuning.records import audit_log
    from tuning.records.rows import ENTRIES

    with closing(sqlite.connect(kept / "record.sqlite")) as db, db:
        db.row_factory = sqlite.Row
        row = dict(db.execute(f"{ENTRIES} where body like '%20.0%'").fetchone())
        row["body"] = json.dumps(entry_to_dict(seen(99.0)))
        db.execute("update entry set body = ?, sum = ? where id = ?",
                   (row["body"], audit_log.sum_of(row, audit_log.ENTRY), row["id"]))  # fmt: skip
    record = Record(kept)
    assert any("changed outside the program" in problem for problem in record.check())
    record.close()


@pytest.mark.parametrize("statement", [
    "delete from trail where id = 3",
    "delete from trail where id = 1",
    "update trail set who = '' where id = 4",
    "update trail set at = '2020-01-01 00:00:00.000000' where id = 5",
    "update trail set id = id + 100 where id = 2",
    "delete from trail where id = (select max(id) from trail)",
    "delete from entry where id = 1",
])  # fmt: skip
def test_a_trail_that_was_touched_is_told(kept, statement):
    raw(kept, statement)
    record = Record(kept)
    assert any(problem.startswith("trail:") for problem in record.check()), statement
    record.close()


def whole(folder: Path):
    """Everything that is shown of a record."""
    record = Record(folder)
    try:
        digests = record.digests()
        cases = []
        for digest in digests:
            for visit in record.visits(digest.patient):
                case = record.case(digest.patient.uid, visit.uid)
                cases.append(
                    (case.patient, case.visit, [(type(e), e.uid, e.at, e.who, entry_to_dict(e)) for e in case.entries])
                )
        return [(d.patient, d.visits, d.last, d.rungs, d.measured) for d in digests], cases
    finally:
        record.close()


def test_random_bytes_changed_in_the_file_end_in_a_sentence_or_change_nothing(kept, tmp_path):
    """Whatever byte it is: the same is shown, or a sentence; never a traceback, never another value."""
    before = whole(kept)
    raw(kept, "update info set value = value")
    data = (kept / "record.sqlite").read_bytes()
    told = 0
    for n in range(FLIPS):
        folder = tmp_path / f"flip{n}"
        shutil.copytree(kept, folder)
        harmed = bytearray(data)
        for _ in range(int(chance.RANDOM.integers(1, 4))):
            harmed[chance.RANDOM.integers(len(harmed))] ^= int(chance.RANDOM.integers(1, 256))
        (folder / "record.sqlite").write_bytes(harmed)
        for left in ("record.sqlite-wal", "record.sqlite-shm"):
            (folder / left).unlink(missing_ok=True)
        try:
            assert whole(folder) == before, f"flip {n} changed what is shown"
        except EnvironmentFault:
            told += 1
        shutil.rmtree(folder)
    assert told > 0, "some bytes matter"


def test_the_record_before_the_trail_is_upgraded_and_covered_from_then_on(tmp_path):
    old = Path(__file__).parent / "data" / "record-0004.sqlite.gz"
    (tmp_path / "r").mkdir()
    (tmp_path / "r" / "record.sqlite").write_bytes(gzip.decompress(old.read_bytes()))
    record = Record(tmp_path / "r")
    assert len(record.patients()) == 5 and not [p for p in record.check() if "media" not in p]
    assert {line.what for line in record.lines()} == {"had patient", "had visit", "had medium", "had entry"}
    record.close()
    raw(tmp_path / "r", "update entry set body = replace(body, '\"left\"', '\"right\"') where kind = 'observation'")
    record = Record(tmp_path / "r")
    assert any("not what was written" in problem for problem in record.check()), "left and right changed places"
    record.close()


def test_whole_numbers_are_read_again_as_they_were_written(tmp_path):
    desk = Desk(tmp_path / "r")
    heavy = desk.record.add_patient(
        desk.person, **{**PATIENT, "name": "Whole Kilograms", "body_mass_kg": 74, "stature_m": 2}
    )
    again = next(p for p in desk.record.patients() if p.uid == heavy.uid)
    assert (again.body_mass_kg, again.stature_m) == (74.0, 2.0) and desk.record.check() == []
    desk.record.close()


def test_whoever_recomputes_every_sum_of_an_open_record_is_not_found_out(kept):
    """What the docs say of trust: sums that anyone can compute prove accidents, not intent."""
    raw(kept, """update entry set body = replace(body, 'grips the bed', 'lets go')""")
    with closing(sqlite.connect(kept / "record.sqlite")) as db, db:
        db.row_factory = sqlite.Row
        entry = db.execute(f"{rows.ENTRIES} where entry.body like '%lets go%'").fetchone()
        total = audit_log.sum_of(entry, audit_log.ENTRY)
        db.execute("update trail set detail = replace(detail, ?, ?)", (entry["sum"], total))
        db.execute("update entry set sum = ? where uid = ?", (total, entry["uid"]))
        chain = ""
        for line in db.execute("select * from trail order by id").fetchall():
            parts = (line["at"], line["who"], line["what"], line["subject"], line["detail"])
            chain = hashlib.sha256("\x1f".join((chain, *map(str, parts))).encode()).hexdigest()
            db.execute("update trail set chain = ? where id = ?", (chain, line["id"]))
    record = Record(kept)
    assert record.check() == []
    record.close()
