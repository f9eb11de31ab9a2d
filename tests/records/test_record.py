"""The record: durable, append-only, honest about a machine that refuses."""

import errno
import os
import signal
import sqlite3
import subprocess
import sys
from datetime import date
from pathlib import Path

import numpy as np
import pytest

from tuning.core.errors import BadInput, EnvironmentFault
from tuning.core.types import NotMeasured, Observation, Side
from tuning.records import ObservationEntry, Record
from tuning.records.record import to_entry, to_observation
from tuning.records.schema import HEAD

PATIENT = dict(
    name="Nils Ostrov", birth_date=date(1990, 2, 28), sex="male", body_mass_kg=70.0, stature_m=1.8,
    dominant_hand="right", dominant_leg="right", complaint="", involved="left", occupation="sailmaker",
)  # fmt: skip


@pytest.fixture
def case(tmp_path: Path):
    record = Record(tmp_path / "record")
    person = record.add_person("R. Falk", "licensed clinician")
    patient = record.add_patient(person, **PATIENT)
    visit = record.start_visit(patient, person)
    yield record, person, patient, visit
    record.close()


def seen(value=12.5, **changes):
    base = dict(measure_id="hip-abd", side=Side.LEFT, value=value, trials=np.array([12.0, 13.0]))
    return Observation(**{**base, **changes})


def test_an_observation_comes_back_as_it_went_in(case):
    record, person, _, visit = case
    given = [
        seen(summary_rule="mean", marking_sd=0.25, quality=0.8, quality_reason="dim", evidence={"frame": 3}),
        seen(NotMeasured("no-scale", "mark a known length"), trials=np.empty(0)),
    ]
    record.write([to_entry(o, visit, person) for o in given])
    for before, row in zip(given, record.entries(ObservationEntry, visit), strict=True):
        after = to_observation(row)
        assert (after.value, after.side, after.evidence) == (before.value, before.side, before.evidence)
        assert list(after.trials) == list(before.trials) and after.marking_sd == before.marking_sd
        assert after.who == "R. Falk"


def test_undo_strikes_and_redo_restores_but_nothing_is_ever_removed(case):
    record, person, _, visit = case
    first = to_entry(seen(1.0), visit, person)
    record.write([first])
    second = to_entry(seen(2.0), visit, person)
    record.write([second], [first.id])
    values = lambda: [row.value for row in record.entries(ObservationEntry, visit)]  # noqa: E731
    assert values() == [2.0]
    record.flip([first.id], [second.id])
    assert values() == [1.0]
    record.flip([second.id], [first.id])
    assert values() == [2.0]
    with sqlite3.connect(record.file) as raw:
        assert raw.execute("select count(*) from observation").fetchone() == (2,)


def test_an_entry_that_breaks_a_rule_takes_its_whole_action_back(case):
    record, person, _, visit = case
    good, orphan = to_entry(seen(1.0), visit, person), to_entry(seen(2.0), visit, person)
    orphan.visit_id = 999
    with pytest.raises(Exception, match="FOREIGN KEY"):
        record.write([good, orphan])
    assert not record.entries(ObservationEntry, visit)


def test_every_connection_is_durable(case):
    record = case[0]
    with record._engine.connect() as connection:
        pragma = lambda name: connection.exec_driver_sql(f"pragma {name}").scalar()  # noqa: E731
        assert (pragma("journal_mode"), pragma("synchronous"), pragma("foreign_keys")) == ("wal", 2, 1)


def test_search_finds_by_any_word(case):
    record, person, *_ = case
    record.add_patient(person, **{**PATIENT, "name": "Ada Quay", "complaint": "stiff hip"})
    assert [p.name for p in record.patients("hip ada")] == ["Ada Quay"]
    assert [p.name for p in record.patients("sailmaker")] == ["Ada Quay", "Nils Ostrov"]
    assert not record.patients("ada nils")


def test_media_are_kept_bit_for_bit_once(case, tmp_path: Path):
    record, person, *_ = case
    file = tmp_path / "walk one.MP4"
    file.write_bytes(os.urandom(3_000_000))
    first = record.media_row(record.media.keep(file), person)
    again = record.media_row(record.media.keep(file), person)
    assert first.sha256 == again.sha256 and first.original_name == "walk one.MP4"
    assert record.media_path(first).read_bytes() == file.read_bytes()
    assert len([p for p in record.media.folder.rglob("*") if p.is_file()]) == 1
    assert record.check() == []
    record.media_path(first).write_bytes(b"other")
    assert "walk one.MP4" in record.check()[0]


def test_bad_media_leave_nothing_behind(case, tmp_path: Path, monkeypatch):
    media = case[0].media
    files = lambda: [p for p in media.folder.rglob("*") if p.is_file()]  # noqa: E731
    (tmp_path / "empty.jpg").touch()
    with pytest.raises(BadInput, match="0 bytes"):
        media.keep(tmp_path / "empty.jpg")
    with pytest.raises(BadInput, match="cannot be read"):
        media.keep(tmp_path / "missing.jpg")
    (tmp_path / "big.jpg").write_bytes(b"x" * 100)

    def full(_):
        raise OSError(errno.ENOSPC, "No space left on device")

    monkeypatch.setattr("tuning.records.media.os.fsync", full)
    with pytest.raises(EnvironmentFault, match="disk is full"):
        media.keep(tmp_path / "big.jpg")
    assert files() == []


def test_a_full_disk_refuses_one_entry_and_keeps_the_rest(case):
    record, person, _, visit = case
    record.write([to_entry(seen(1.0), visit, person)])

    from sqlalchemy import event

    @event.listens_for(record._engine, "checkout")
    def no_room(connection, *_):
        pages = connection.execute("pragma page_count").fetchone()[0]
        connection.execute(f"pragma max_page_count={pages}")

    with pytest.raises(EnvironmentFault, match="disk is full"):
        record.write([to_entry(seen(2.0, quality_reason="long " * 4000), visit, person)])
    assert [row.value for row in record.entries(ObservationEntry, visit)] == [1.0]


def test_a_folder_that_may_not_be_written_is_told_in_a_sentence(tmp_path: Path):
    folder = tmp_path / "locked"
    folder.mkdir()
    folder.chmod(0o555)
    tmp_path.chmod(0o755)
    was = os.geteuid()
    if was == 0:
        for parent in [folder, *folder.parents]:
            if parent != Path("/"):
                parent.chmod(parent.stat().st_mode | 0o055)
        os.seteuid(65534)
    try:
        with pytest.raises(EnvironmentFault, match="may not be written"):
            Record(folder)
    finally:
        os.seteuid(was)
    assert list(folder.iterdir()) == []


def test_no_record_and_newer_records_are_left_alone(tmp_path: Path):
    (tmp_path / "record.sqlite").write_text("this is a shopping list, and a long one, too " * 40)
    before = (tmp_path / "record.sqlite").read_bytes()
    with pytest.raises(EnvironmentFault, match="not a Tuning record"):
        Record(tmp_path)
    assert (tmp_path / "record.sqlite").read_bytes() == before

    Record(tmp_path / "newer").close()
    with sqlite3.connect(tmp_path / "newer" / "record.sqlite") as raw:
        raw.execute("update alembic_version set version_num = '9999'")
    with pytest.raises(EnvironmentFault, match="newer Tuning"):
        Record(tmp_path / "newer")


def test_a_record_of_the_first_revision_is_brought_up_and_a_copy_kept(tmp_path: Path):
    from alembic import command
    from alembic.config import Config
    from sqlalchemy import create_engine

    from tuning.records import FindingEntry, schema

    config = Config()
    config.set_main_option("script_location", str(Path(schema.__file__).with_name("migrations")))
    engine = create_engine(f"sqlite:///{tmp_path / 'record.sqlite'}")
    with engine.begin() as connection:
        config.attributes["connection"] = connection
        command.upgrade(config, "0001")
    engine.dispose()
    with sqlite3.connect(tmp_path / "record.sqlite") as raw:
        raw.execute("insert into person values (1, 'R. Falk', 'student', '2026-01-02 03:04:05')")
    record = Record(tmp_path)
    person = record.people()[0]
    assert person.name == "R. Falk" and (tmp_path / f"record.sqlite.before-{HEAD}").exists()
    visit = record.start_visit(record.add_patient(person, **PATIENT), person)
    told = FindingEntry(test_id="hip", side="left", status="done", data={"a": [1]}, visit_id=visit.id, person_id=1)
    told.at = visit.started_at
    record.write([told])
    assert record.entries(FindingEntry, visit)[0].data == {"a": [1]} and record.check() == []
    record.close()


def test_head_is_the_newest_migration_and_the_migrations_build_the_models(tmp_path: Path):
    from alembic.autogenerate import compare_metadata
    from alembic.config import Config
    from alembic.migration import MigrationContext
    from alembic.script import ScriptDirectory

    from tuning.records import schema
    from tuning.records.models import Base

    config = Config()
    config.set_main_option("script_location", str(Path(schema.__file__).with_name("migrations")))
    assert ScriptDirectory.from_config(config).get_current_head() == HEAD
    record = Record(tmp_path)
    with record._engine.connect() as connection:
        assert compare_metadata(MigrationContext.configure(connection), Base.metadata) == []
    record.close()


PROGRAM = """
import sys, time
from pathlib import Path
import numpy as np
from tuning.core.types import Observation, Side
from tuning.records import Record
from tuning.records.record import to_entry
record = Record(Path(sys.argv[1]))
person, visit = record.people()[0], record.visits(record.patients()[0])[0]
entry = to_entry(Observation("hip-abd", Side.LEFT, 77.0, np.array([77.0])), visit, person)
if sys.argv[2] == "after":
    record.write([entry])
else:
    session = record._session().__enter__()
    session.begin()
    session.add(entry)
    session.flush()
print("saved" if sys.argv[2] == "after" else "not yet", flush=True)
time.sleep(60)
"""


@pytest.mark.parametrize(("moment", "kept"), [("after", [77.0]), ("before", [])])
def test_a_killed_process_keeps_exactly_what_was_saved(case, moment, kept):
    record, *_, visit = case
    with subprocess.Popen(
        [sys.executable, "-c", PROGRAM, str(record.folder), moment], stdout=subprocess.PIPE, text=True
    ) as process:
        assert process.stdout.readline().strip() == ("saved" if moment == "after" else "not yet")
        process.send_signal(signal.SIGKILL)
        process.wait()
    again = Record(record.folder)
    assert [row.value for row in again.entries(ObservationEntry, visit)] == kept
    assert again.check() == []
    again.close()
