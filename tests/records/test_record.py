"""The record: durable, append-only, honest about a machine that refuses."""

import errno
import os
import signal
import subprocess
import sys
from contextlib import closing
from dataclasses import fields, replace
from datetime import UTC, date, datetime, timedelta
from pathlib import Path

import numpy as np
import pytest
from desks import DOSE, PATIENT, Desk, seen

from tuning.core import entries as kinds
from tuning.core.day_list_entry import ListPriority, overview
from tuning.core.errors import BadInput, Conflict, EnvironmentFault
from tuning.core.types import FormRef, FrameRef, NotMeasured, Observation, Setup, Side, TraceRef, Triage
from tuning.knowledge import load
from tuning.records import Record
from tuning.records.dbapi import sqlite
from tuning.records.entry_codec import KINDS

PLACED = FrameRef("c", 3, 0.1, (3, 5), {"heel": (1.5, 2.5)}, "plumb line", -0.5, 7.0)
ONE_OF_EACH = [
    seen(setup=Setup(mode="make", lever_m=0.78, simulated=True), evidence=TraceRef(("41 lbf",), (None, {"n": [1.0]}))),
    seen(NotMeasured("no-scale", "mark a known length"), trials=np.empty(0), evidence=PLACED, marking_sd=0.25),
    seen(evidence=FormRef((1, None), ((38.2, 41.0),)), pain=0, reason="isometric", summary_rule="mean"),
    kinds.Mark("c", 4, "heel_left", (1.0, 2.0), 0.5),
    kinds.Mark("c", 4, "heel_left", None, 0.0),
    kinds.Calibration("c", "length", ((0.0, 1.0), (2.0, 3.0)), 0.5, 0.4),
    kinds.ClipFacts("c", 0.0, Setup(changed="wedge")),
    kinds.Track("c", "rear-gait", Side.LEFT, ("a",), (kinds.MovedEvent("contact", Side.LEFT, 1.0, 1.1),), 8.0,
                kinds.PlatesUsed("p", 12.0), b"places"),
    kinds.Answer("step-down", "knee-in", Side.RIGHT, "most", 2, (0, 2), 3, "c", "asked"),
    kinds.Ending("hip-abd", Side.LEFT, kinds.Status.PAIN),
    kinds.Form("shoe-wear-map", {"wear": {"left": {"heel outer": 1}}}),
    kinds.Decision("levels-chain", "levels out", {"row": "arch"}, Side.LEFT, "because"),
    kinds.Screen(Triage.AMBER, {"surgeon": True, "saddle": False}, ("surgeon",), "note", "said", True),
    kinds.Clearance("s", "Dr. Lind", date(2026, 3, 1), "films clear", "night"),
    kinds.PlanItem("stepdown", "sd-1", DOSE, Side.LEFT, (("met", "clean"),), "why", True),
    kinds.Note("strength", "grips the bed"),
    kinds.Treatment("calf released", 10.0, "R. Falk"),
    kinds.Treatment("breathing drill"),
    kinds.Done("sd-1-hold-taps", Side.LEFT, date(2026, 3, 2), pain=2, faults=("F01",), alarms=("catch",), trial=True),
    kinds.OtherLoad("ferry ramps", date(2026, 3, 2), 90.0, "min", 6, False),
]  # fmt: skip


def test_every_kind_of_entry_comes_back_as_it_went_in(desk):
    assert {type(e) for e in ONE_OF_EACH} | {kinds.Capture, kinds.Letter} == set(KINDS.values())
    for before, after in zip(desk.keep(*ONE_OF_EACH), desk.case.entries, strict=True):
        if isinstance(before, kinds.Track):
            assert desk.record.places(after) == before.places
            before = replace(before, places=b"")
        for field in fields(before):
            a, b = getattr(before, field.name), getattr(after, field.name)
            assert np.array_equal(a, b) if isinstance(a, np.ndarray) else a == b and type(a) is type(b), field.name


def test_uids_are_unique_and_times_know_their_zone(desk):
    made = desk.keep(seen(), seen())
    assert len({e.uid for e in (*made, desk.patient, desk.visit, desk.person)}) == 5
    assert all(e.at.utcoffset() == timedelta(0) for e in desk.case.entries)
    with pytest.raises(EnvironmentFault, match="zone"):
        desk.record.commit(desk.case, [replace(desk.stamped(seen()), at=datetime(2026, 1, 1))])


def test_undo_strikes_and_redo_restores_but_nothing_is_ever_removed(desk):
    [first] = desk.keep(seen(1.0))
    [second] = desk.keep(seen(2.0), struck=[first.uid])
    assert desk.values() == [2.0]
    desk.record.commit(desk.case, struck=[second.uid], restored=[first.uid])
    assert desk.values() == [1.0]
    desk.record.commit(desk.case, struck=[first.uid], restored=[second.uid])
    assert desk.values() == [2.0]
    with sqlite.connect(desk.record.file) as raw:
        assert raw.execute("select count(*) from entry").fetchone() == (2,)


def test_an_entry_that_breaks_a_rule_takes_its_whole_action_back(desk):
    good, orphan = desk.stamped(seen(1.0)), replace(desk.stamped(seen(2.0)), visit="nowhere")
    with pytest.raises(EnvironmentFault, match="visit"):
        desk.record.commit(desk.case, [good, orphan])
    assert desk.values() == []
    desk.keep(seen(3.0))
    assert desk.values() == [3.0]


def test_whoever_decided_on_an_older_case_is_told(desk):
    old = desk.case
    desk.keep(seen(1.0))
    with pytest.raises(Conflict, match="Another window"):
        desk.record.commit(old, [desk.stamped(seen(2.0))])
    assert desk.values() == [1.0]


def test_visits_keep_their_order_when_the_clock_was_set_back(desk):
    later = desk.record.start_visit(desk.patient, desk.person, datetime(2020, 1, 1, tzinfo=UTC))
    assert [v.uid for v in desk.record.visits(desk.patient)] == [desk.visit.uid, later.uid]


def test_every_connection_is_durable(desk):
    pragma = lambda name: desk.record._connection.execute(f"pragma {name}").fetchone()[0]  # noqa: E731
    assert (pragma("journal_mode"), pragma("synchronous"), pragma("foreign_keys")) == ("wal", 2, 1)


def test_search_finds_by_any_word_however_it_is_typed(desk):
    record, person = desk.record, desk.person
    record.add_patient(person, **{**PATIENT, "name": "Åsa O\u0308sterberg", "complaint": "stiff hip, 50 % worse"})
    assert [p.name for p in record.patients("hip österberg")] == ["Åsa O\u0308sterberg"]
    assert [p.name for p in record.patients("SAILMAKER")] == ["Åsa O\u0308sterberg", "Nils Ostrov"]
    assert not record.patients("åsa nils")
    assert [p.name for p in record.patients("%")] == ["Åsa O\u0308sterberg"]
    assert not record.patients("_")


def test_the_list_of_people_tells_what_stands(desk):
    screen, *_ = desk.keep(kinds.Screen(Triage.RED), seen(1.0), seen(2.0, side=Side.RIGHT))
    desk.keep(kinds.Screen(Triage.NONE))
    [found] = desk.record.digests()
    assert [type(e) for e in found.screens] == [kinds.Screen, kinds.Screen] and found.measured
    assert found.screens[0].uid == screen.uid and (found.visits, found.last) == (1, desk.visit.started_at)


@pytest.mark.parametrize("seed", range(3))
def test_the_list_of_people_remembers_nothing_that_has_changed(desk, seed):
    """Whatever is written, struck or restored, here or in another window, the list tells what a fresh look tells."""
    rng, day = np.random.default_rng(seed), date(2026, 3, 2)
    folder = desk.record.folder
    desks = [desk, Desk(folder)]
    other = desk.record.add_patient(desk.person, **{**PATIENT, "name": "Åsa Vik"})
    desks[1].patient, desks[1].visit = other, desk.record.start_visit(other, desk.person)
    kept: dict[str, list] = {desk.patient.uid: [], other.uid: []}
    for step in range(25):
        one = desks[rng.integers(2)]
        mine = kept[one.patient.uid]
        what = rng.integers(5)
        if what == 0:
            one.visit = one.record.start_visit(one.patient, one.person)
        elif what == 1 and mine:
            entry, struck = mine.pop(rng.integers(len(mine)))
            one.record.commit(one.case, **{"restored" if struck else "struck": [entry.uid]})
            mine.append((entry, not struck))
        else:
            made = [
                seen(float(step)),
                kinds.Screen(Triage.RED if step % 2 else Triage.NONE),
                kinds.Decision("discharge", "discharged"),
                kinds.PlanItem("stepdown", f"sd-{step % 3}", DOSE, Side.LEFT, withdrawn=bool(step % 4 == 0)),
                kinds.Done(
                    "sd-1", Side.LEFT, day + timedelta(days=step), morning=list(kinds.NextDayResponse)[step % 3]
                ),
                kinds.Form("patient-facts", {"complaint": f"worse {step}"}),
            ][rng.integers(6)]
            mine += [(entry, False) for entry in one.keep(made)]
        told = desk.record.digests(), desks[1].record.digests()
        with closing(sqlite.connect(desk.record.file)) as raw, raw:
            raw.execute("delete from digest")  # so that it is summed up anew
        fresh = Record(folder)
        assert (fresh.digests(), fresh.digests()) == told, (step, what)
        fresh.close()


def test_people_are_listed_while_another_window_holds_the_record_and_their_sums_are_kept_later(desk):
    desk.keep(kinds.Screen(Triage.RED), seen(1.0))
    with closing(sqlite.connect(desk.record.file, isolation_level=None)) as other:
        other.execute("begin immediate")
        [told] = desk.record.digests()
        assert told.measured and len(told.screens) == 1
        assert other.execute("select count(*) from digest").fetchone() == (0,)
    assert desk.record.digests() == [told]
    with closing(sqlite.connect(desk.record.file)) as raw, raw:
        assert raw.execute("select count(*), max(found) from digest").fetchone() == (1, 1)
        assert desk.record.check() == []
        raw.execute("update digest set found = 0")
        raw.commit()
        assert "day list" in desk.record.check()[0]
        raw.execute("update digest set asked = 'of another version', found = 0")
    again = Record(desk.record.folder)
    assert again.digests() == [told], "sums of other questions do not count"
    again.close()


def test_the_list_tells_what_alarmed_until_a_screen_answers_it_whichever_visit_it_was_written_into(desk):
    """A case that comes back from elsewhere brings older visits behind the newer ones."""
    day, rules = date(2026, 3, 2), load().progression

    def told():
        [known] = desk.record.digests()
        found = overview(known, day + timedelta(20), rules, load().safety)
        return known.logged, found.need, found.of

    calm = kinds.Done("sd-1", Side.LEFT, day + timedelta(1))
    desk.keep(kinds.PlanItem("stepdown", "sd-1", DOSE, Side.LEFT), kinds.Done("sd-1", Side.LEFT, day, pain=5), calm)
    assert told()[1] is not ListPriority.LOG and told()[0] == day + timedelta(1)
    desk.visit = desk.record.start_visit(desk.patient, desk.person)
    for alarm in (dict(pain=9), dict(alarms=("catch",)), dict(alarms=("numb",), trial=True)):
        desk.keep(kinds.Done("sd-1", Side.LEFT, day - timedelta(3), **alarm))
        assert told() == (day + timedelta(1), ListPriority.LOG, day - timedelta(3)), alarm
        desk.keep(kinds.Screen(Triage.NONE, again=True))
        assert told()[1] is ListPriority.LOG, "one line asks for nothing of this"
        desk.keep(kinds.Screen(Triage.NONE))
        assert told()[1] is not ListPriority.LOG
    desk.keep(kinds.Done("sd-1", Side.LEFT, day + timedelta(9), morning=kinds.NextDayResponse.NOT))
    desk.keep(kinds.Done("sd-1", Side.LEFT, day + timedelta(12), trial=True))
    assert told()[0] == day + timedelta(9)


def test_the_list_of_people_knows_a_discharge_until_the_next_visit(desk):
    for outcome, ended in (("discharged", True), ("open again", False), ("discharged", True)):
        [decided] = desk.keep(kinds.Decision("discharge", outcome))
        desk.keep(kinds.Decision("factor-to-programme", "likely", {"factor": outcome}))
        [found] = desk.record.digests()
        assert found.ended == (decided.at if ended else None)
    assert found.factors == 2
    desk.record.start_visit(desk.patient, desk.person)
    assert desk.record.digests()[0].ended is None


def test_media_are_kept_bit_for_bit_once(desk, tmp_path: Path):
    record = desk.record
    file = tmp_path / "walk one.MP4"
    file.write_bytes(os.urandom(3_000_000))
    first = record.medium(record.media.keep(file), desk.person)
    assert record.medium(record.media.keep(file), desk.person) == first and first.name == "walk one.MP4"
    assert record.media.lent(first).read_bytes() == file.read_bytes()
    assert len([p for p in record.media.folder.glob("??/*") if p.is_file()]) == 1
    [capture] = desk.keep(kinds.Capture(first, view="rear"))
    assert desk.case.all(kinds.Capture)[0].medium == first and capture.purpose is kinds.Purpose.PICTURE
    assert record.check() == []
    record.media.lent(first).write_bytes(b"other")
    assert "walk one.MP4" in record.check()[0]


def test_a_copy_that_another_window_is_making_survives_the_sweep(desk, tmp_path: Path):
    media, at = desk.record.media, []
    file = tmp_path / "big.mp4"
    file.write_bytes(os.urandom(2_500_000))

    def open_meanwhile(share: float) -> None:
        if not at:
            Record(desk.record.folder).close()
        at.append(share)

    kept = media.keep(file, open_meanwhile)
    assert media.is_intact(kept.sha256, kept.suffix) and len(at) > 1
    (media.folder / ".incoming-left").write_bytes(b"x")
    media.sweep()
    assert not list(media.folder.glob(".incoming-*"))


def test_bad_media_leave_nothing_behind(desk, tmp_path: Path, monkeypatch):
    media = desk.record.media
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


def test_a_full_disk_refuses_one_entry_and_the_next_one_is_kept(desk):
    desk.keep(seen(1.0))
    db = desk.record._connection
    db.execute(f"pragma max_page_count={db.execute('pragma page_count').fetchone()[0]}")
    with pytest.raises(EnvironmentFault, match="disk is full"):
        desk.keep(seen(2.0, quality_reason="long " * 4000))
    assert desk.values() == [1.0]
    db.execute("pragma max_page_count=1000000")
    desk.keep(seen(3.0, quality_reason="long " * 4000))
    assert desk.values() == [1.0, 3.0]


def test_a_record_that_is_locked_for_a_while_is_usable_afterwards(desk):
    blocker = sqlite.connect(desk.record.file, isolation_level=None)
    blocker.execute("begin immediate")
    with pytest.raises(EnvironmentFault, match="Another program holds the record"):
        desk.keep(seen(1.0))
    blocker.execute("rollback")
    blocker.close()
    desk.keep(seen(2.0))
    assert desk.values() == [2.0]


def test_errors_of_the_database_never_hold_what_was_to_be_written(desk):
    secret = "Nils Ostrov limps"
    blocker = sqlite.connect(desk.record.file, isolation_level=None)
    blocker.execute("drop table entry")
    blocker.close()
    with pytest.raises(EnvironmentFault) as error:
        desk.record.commit(
            desk.record.case(desk.patient.uid, desk.visit.uid), [desk.stamped(kinds.Form("a", {"b": secret}))]
        )
    chain, err = [], error.value
    while err is not None:
        chain.append(str(err))
        err = err.__cause__ or err.__context__
    assert not any(secret in text for text in chain)


def test_the_files_are_for_their_owner_alone(desk, tmp_path: Path):
    desk.keep(seen())
    assert desk.record.file.stat().st_mode & 0o077 == 0


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


PROGRAM = """
import sys, time
from pathlib import Path
sys.path.insert(0, sys.argv[3])
from desks import Desk, seen
desk = Desk(Path(sys.argv[1]))
if sys.argv[2] == "after":
    desk.keep(seen(77.0))
    print("saved", flush=True)
else:
    made, case = desk.stamped(seen(77.0)), desk.case
    with desk.record._writing() as db:
        desk.record._add(db, made)
        print("not yet", flush=True)
        time.sleep(60)
time.sleep(60)
"""


@pytest.mark.parametrize(("moment", "kept"), [("after", [77.0]), ("before", [])])
def test_a_killed_process_keeps_exactly_what_was_saved(desk, moment, kept):
    here = str(Path(__file__).parent)
    with subprocess.Popen(
        [sys.executable, "-c", PROGRAM, str(desk.record.folder), moment, here], stdout=subprocess.PIPE, text=True
    ) as process:
        assert process.stdout.readline().strip() == ("saved" if moment == "after" else "not yet")
        process.send_signal(signal.SIGKILL)
        process.wait()
    again = Desk(desk.record.folder)
    assert again.values() == kept and again.record.check() == []
    again.keep(seen(78.0))
    assert again.values() == [*kept, 78.0]
    assert isinstance(again.case.all(Observation)[0], Observation)
    again.record.close()
