"""Records of earlier versions, foreign files, failures and kills at every step: the old record or the new one."""

import gzip
import os
import shutil
import signal
import subprocess
import sys
from contextlib import closing
from pathlib import Path

import chance
import desks
import pytest

from tuning.core import entries as kinds
from tuning.core.errors import EnvironmentFault
from tuning.core.gate.open_findings import standing_of
from tuning.core.judging.ledger import ledger
from tuning.core.programme.active_plan import standing_plan
from tuning.core.types import FrameRef, Observation, Side, TraceRef, Triage
from tuning.knowledge import load
from tuning.records import Record, schema
from tuning.records.dbapi import sqlite
from tuning.records.schema import HEAD

OLD = Path(__file__).parent / "data" / "record-0003.sqlite.gz"
KILLS = 12 if chance.FRESH else 2


def old_record(folder: Path) -> Path:
    """A record that revision 0003 wrote: the demo clinic of that day and one of everything that it could hold."""
    folder.mkdir(parents=True, exist_ok=True)
    file = folder / "record.sqlite"
    file.write_bytes(gzip.decompress(OLD.read_bytes()))
    return file


def case_of(record: Record, occupation: str):
    patient = next(p for p in record.patients() if p.occupation == occupation)
    return record.case(patient.uid, record.visits(patient)[-1].uid)


@pytest.fixture
def upgraded(tmp_path: Path):
    old_record(tmp_path)
    record = Record(tmp_path)
    yield record
    record.close()


def test_the_record_of_the_version_before_tells_the_same(upgraded):
    case = case_of(upgraded, "glassblower")
    rows = {row.measure.id: row for row in ledger(case, load().measures)}
    torque = rows["hip-abd-torque"]
    assert torque.left.setup.lever_m == 0.78 and torque.left.reason.startswith("isometric")
    assert isinstance(torque.left.evidence, TraceRef) and torque.left.evidence.typed[0].endswith("lbf")
    assert torque.left.measured < torque.right.measured
    gait = rows["gait-pelvic-drop"].left
    assert isinstance(gait.evidence, FrameRef) and gait.setup.task == "rear-gait" and len(gait.evidence.frames) > 1
    assert isinstance(case.entry(gait.capture), kinds.Capture)
    pain = next(o for o in case.all(Observation) if o.measure_id == "pain-now")
    assert pain.setup.region == "front of knee"
    assert [item.rung for item in standing_plan(case.entries)] == ["sd-1-hold-taps"]
    found = standing_of(case, load().safety)
    assert found.level is Triage.AMBER and found.screen.answers["surgeon"] and "surgeon" in found.screen.rules
    assert {f.id for f in found.open} == {"limit-fast"}


def test_what_was_packed_into_fields_of_another_meaning_stands_in_its_own(upgraded):
    case = case_of(upgraded, "glassblower")
    facts = case.all(kinds.ClipFacts)
    assert [f.frames_per_second for f in facts if f.frames_per_second] == [240.0]
    assert [f.setup.changed for f in facts if f.setup.changed] == ["heel-wedge"]
    track = case.all(kinds.Track)[-1]
    assert track.cutoff_hz == 8.0 and track.moved == (kinds.MovedEvent("contact", Side.LEFT, 1.2, 1.25),)
    assert len(upgraded.places(track)) > 100
    plates = [(c.test, c.side) for c in case.all(kinds.Capture) if c.purpose is kinds.Purpose.PLATES]
    assert ("lunge-iso", Side.RIGHT) in plates and ("quiet-stance", Side.NONE) in plates
    conductor = case_of(upgraded, "choir conductor")
    used = conductor.all(kinds.Track)[-1].plates
    assert conductor.entry(used.capture).purpose is kinds.Purpose.PLATES


def test_findings_are_told_apart(upgraded):
    case = case_of(upgraded, "glassblower")
    [ending] = case.all(kinds.Ending)
    assert (ending.test, ending.side, ending.status) == ("hip-flex", Side.LEFT, kinds.Status.PAIN)
    ticked = next(a for a in case.all(kinds.Answer) if a.out_of)
    assert (ticked.count, ticked.out_of, ticked.option) == (2, 3, "most") and case.entry(ticked.capture)
    assert {f.kind for f in case.all(kinds.Form)} == {
        "intake-complaint", "intake-history", "shoe-wear-map", "visit-order", "balance-feedback",
    }  # fmt: skip
    assert {d.subject for d in case.all(kinds.Decision)} == {"levels-chain", "levels-chain-past", "plate-eye"}
    assert not any(o.measure_id == "pain-now" and o.evidence for o in case.all(Observation)), "struck stays struck"


def test_a_screen_keeps_its_answers_and_its_clearance(upgraded):
    case = case_of(upgraded, "potter")
    red = next(s for s in case.all(kinds.Screen) if s.level is Triage.RED)
    [lifted] = case.all(kinds.Clearance)
    assert lifted.screen == red.uid and red.said == "wakes at four" and red.answers["night"]
    assert standing_of(case, load().safety).level is Triage.NONE


def test_nothing_is_lost_and_the_copy_is_the_old_record(tmp_path: Path):
    file = old_record(tmp_path)
    before = sqlite.connect(file).execute("select count(*), count(struck_at) from entry").fetchone()
    answers = sqlite.connect(file).execute("select count(*) from finding where test_id = 'safety-screen'").fetchone()
    Record(tmp_path).close()
    after = sqlite.connect(file).execute("select count(*), count(struck_at) from entry").fetchone()
    assert after == (before[0] - answers[0], before[1]), "only the answers went into their screens"
    kept = sqlite.connect(tmp_path / f"record.sqlite.before-{HEAD}")
    assert kept.execute("select version_num from alembic_version").fetchone() == ("0003",)
    assert kept.execute("select count(*), count(struck_at) from entry").fetchone() == before


def test_the_copy_holds_what_was_still_in_the_log(tmp_path: Path):
    file = old_record(tmp_path)
    with subprocess.Popen(
        [sys.executable, "-c", LOGGED, str(file)], stdout=subprocess.PIPE, text=True
    ) as process:  # killed, so that the log stays
        assert process.stdout.readline().strip() == "logged"
        process.send_signal(signal.SIGKILL)
    assert Path(f"{file}-wal").stat().st_size > 0
    record = Record(tmp_path)
    assert "Late Entry" in [p.name for p in record.people()]
    record.close()
    kept = sqlite.connect(tmp_path / f"record.sqlite.before-{HEAD}")
    assert ("Late Entry",) in kept.execute("select name from person").fetchall()


LOGGED = """
import sqlite3, sys, time
raw = sqlite3.connect(sys.argv[1])
raw.execute("pragma journal_mode=wal")
raw.execute("insert into person (name, role, created_at) values ('Late Entry', 'student', '2026-01-02 03:04:05')")
raw.commit()
print("logged", flush=True)
time.sleep(60)
"""

STEPS = ("_sweep", "copy_of", "migrate", "install_file")


@pytest.mark.parametrize("step", STEPS)
@pytest.mark.parametrize("after", [False, True])
def test_a_failure_at_any_step_leaves_a_record_that_opens(tmp_path: Path, monkeypatch, step, after):
    file = old_record(tmp_path)
    true = getattr(schema, step)

    def fail(*args):
        if after:
            true(*args)
        raise OSError(28, "No space left on device")

    with monkeypatch.context() as patch:
        patch.setattr(schema, step, fail)
        with pytest.raises(EnvironmentFault, match="disk is full"):
            Record(tmp_path)
    assert schema.revision_of(file) in ("0003", HEAD)
    record = Record(tmp_path)
    assert len(record.patients()) == 5 and not [p for p in record.check() if "media" not in p]
    record.close()
    kept = sqlite.connect(tmp_path / f"record.sqlite.before-{HEAD}")
    assert kept.execute("select version_num from alembic_version").fetchone() == ("0003",)


@pytest.mark.parametrize("fresh", [False, True])
def test_a_kill_at_any_moment_leaves_a_record_that_opens(tmp_path: Path, fresh):
    """The long run is scripts/kills.py."""
    sys.path.insert(0, str(Path(__file__).parents[2] / "scripts"))
    from kills import whole_after_kills

    assert whole_after_kills(tmp_path, KILLS, fresh, old_record) == []


def test_two_first_starts_at_once_make_one_record(tmp_path: Path):
    program = (
        "import sys; from pathlib import Path; from tuning.records import Record; Record(Path(sys.argv[1])).close()"
    )
    starts = [subprocess.Popen([sys.executable, "-c", program, str(tmp_path)]) for _ in range(3)]
    assert [start.wait() for start in starts] == [0, 0, 0]
    record = Record(tmp_path)
    assert record.check() == []
    record.close()


def damaged(folder: Path, how: str) -> Path:
    file = folder / "record.sqlite"
    if how == "empty":
        file.touch()
    elif how == "text":
        file.write_text("this is a shopping list, and a long one, too " * 40)
    elif how == "foreign":
        with sqlite.connect(file) as raw:
            raw.execute("create table recipe (name text)")
    else:
        Record(folder).close()
        with sqlite.connect(file) as raw:
            if how == "newer":
                raw.execute("alter table places rename to stickers")
            raw.execute({"newer": "update alembic_version set version_num = '9999'",
                         "unknown": "update alembic_version set version_num = 'abc'",
                         "no table": "drop table places",
                         "no revision": "delete from alembic_version"}[how])  # fmt: skip
        raw.close()
    return file


@pytest.mark.parametrize(
    ("how", "told"),
    [
        ("empty", "empty"),
        ("text", "not a Tuning record"),
        ("foreign", "not a Tuning record"),
        ("newer", "newer Tuning"),
        ("unknown", "unknown revision"),
        ("no table", "“places” is missing"),
        ("no revision", "unknown revision"),
    ],
)
def test_what_is_no_sound_record_is_told_and_left_alone(tmp_path: Path, how, told):
    file = damaged(tmp_path, how)
    before = file.read_bytes()
    with pytest.raises(EnvironmentFault, match=told):
        Record(tmp_path)
    assert file.read_bytes() == before


def test_a_record_of_the_first_revision_is_brought_up(tmp_path: Path):
    file = tmp_path / "record.sqlite"
    schema.migrate(file, "0001")
    with sqlite.connect(file) as raw:
        raw.execute("insert into person values (1, 'R. Falk', 'student', '2026-01-02 03:04:05')")
    record = Record(tmp_path)
    assert record.people()[0].name == "R. Falk" and record.check() == []
    record.close()


def tables_of(file: Path) -> dict[str, object]:
    """Columns, keys and indexes of every table."""
    with closing(sqlite.connect(file)) as db:
        names = [row[0] for row in db.execute("select name from sqlite_master where type = 'table'")]
        columns = {t: sorted(row[1:] for row in db.execute(f"pragma table_info({t})")) for t in names}
        keys = {t: sorted(row[2:5] for row in db.execute(f"pragma foreign_key_list({t})")) for t in names}
        indexes = {
            t: sorted(
                (row[2], tuple(column[2] for column in db.execute(f"pragma index_info('{row[1]}')")))
                for row in db.execute(f"pragma index_list({t})")
            )
            for t in names
        }
    return {t: (columns[t], keys[t], indexes[t]) for t in names}


def triggers_of(file: Path) -> dict[str, str]:
    """What happens by itself, white space aside."""
    with closing(sqlite.connect(file)) as db:
        found = db.execute("select name, sql from sqlite_master where type = 'trigger'").fetchall()
    return {name: " ".join(sql.split()) for name, sql in found}


def test_head_is_the_newest_migration_and_the_migrations_build_what_a_new_record_has(tmp_path: Path):
    from alembic.config import Config
    from alembic.script import ScriptDirectory

    config = Config()
    config.set_main_option("script_location", str(Path(schema.__file__).with_name("migrations")))
    assert ScriptDirectory.from_config(config).get_current_head() == HEAD
    old_record(tmp_path / "old")
    for folder in (tmp_path / "old", tmp_path / "new"):
        Record(folder).close()
    old, new = (tables_of(tmp_path / folder / "record.sqlite") for folder in ("old", "new"))
    del old["alembic_version"], new["alembic_version"]
    assert old == new and set(new) | {"alembic_version"} == schema.TABLES
    old, new = (triggers_of(tmp_path / folder / "record.sqlite") for folder in ("old", "new"))
    assert old == new and len(new) == 6


def test_a_copy_taken_while_the_record_is_in_use_is_whole(tmp_path: Path):
    old_record(tmp_path / "a")
    record = Record(tmp_path / "a")
    record.add_person("Just Written", "student")
    os.makedirs(tmp_path / "b")
    schema.copy_of(record.file, tmp_path / "b" / "record.sqlite")
    record.close()
    shutil.rmtree(tmp_path / "a")
    copy = Record(tmp_path / "b")
    assert "Just Written" in [p.name for p in copy.people()] and len(copy.patients()) == 5
    copy.close()


def test_a_kill_while_saving_importing_or_backing_up_loses_nothing_that_was_said_to_be_kept(
    demo_folder, tmp_path: Path
):
    """The long run is scripts/kills.py."""
    sys.path.insert(0, str(Path(__file__).parents[2] / "scripts"))
    import kills

    record = Path(shutil.copytree(demo_folder, tmp_path / "clinic"))
    archive = kills.parcel_of(record, tmp_path / "case.zip")
    assert kills.whole_while_saving(record, tmp_path, KILLS) == []
    assert kills.whole_while_importing(record, archive, tmp_path, KILLS) == []
    assert kills.whole_while_backing_up(record, tmp_path, KILLS) == []


def test_a_record_of_a_newer_version_with_all_tables_opens_to_read_and_is_never_written(tmp_path: Path):
    desk = desks.Desk(tmp_path)
    desk.keep(desks.seen(12.5))
    desk.record.close()
    with sqlite.connect(desk.record.file) as raw:
        raw.execute("update alembic_version set version_num = '9999'")
        raw.execute("alter table patient add column nickname text")
    raw.close()
    before = desk.record.file.read_bytes()
    later = desks.Desk(tmp_path)
    assert later.record.read_only and later.values() == [12.5] and later.record.digests()[0].measured
    record = later.record
    deeds = (
        lambda: later.keep(desks.seen(1.0)),
        lambda: record.mark("demo"),
        lambda: record.add_person("A", "student"),
    )
    for deed in (*deeds, lambda: record.erase("", later.person, "x")):
        with pytest.raises(EnvironmentFault, match="newer Tuning"):
            deed()
    later.record.close()
    assert desk.record.file.read_bytes() == before


def test_what_only_a_newer_version_can_read_is_said_and_nothing_is_shown_half(tmp_path: Path):
    desk = desks.Desk(tmp_path)
    desk.keep(desks.seen(12.5))
    desk.record.close()
    with sqlite.connect(desk.record.file) as raw:
        raw.execute("update alembic_version set version_num = '9999'")
        raw.execute("update entry set kind = 'hologram'")
    raw.close()
    with pytest.raises(EnvironmentFault, match="newer Tuning and holds"):
        desks.Desk(tmp_path).case  # noqa: B018
