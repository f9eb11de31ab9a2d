"""Kills the program while it makes, upgrades, saves, imports or backs up, and says what was not whole afterwards.

.venv/bin/python scripts/kills.py [COUNT]
"""

from __future__ import annotations

import gzip
import random
import shutil
import signal
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

from tuning.demo.clinic import build_clinic
from tuning.exchange.archive.writing import write_archive
from tuning.records import Record
from tuning.records.backup import backups, verify
from tuning.records.dbapi import sqlite
from tuning.records.schema import HEAD

PROGRAM = """
import sys
from pathlib import Path
from tuning.demo.clinic import build_clinic
from tuning.exchange.archive.writing import write_archive
from tuning.records import Record
from tuning.records.backup import backups, verify
print("on", flush=True)
Record(Path(sys.argv[1])).close()
"""
OLD = Path(__file__).parents[1] / "tests" / "records" / "data" / "record-0003.sqlite.gz"


def _seconds(folder: Path) -> float:
    """How long opening takes here, so that the kills fall within it."""
    begun = time.monotonic()
    subprocess.run([sys.executable, "-c", PROGRAM, str(folder)], check=True, stdout=subprocess.DEVNULL)
    return time.monotonic() - begun


def whole_after_kills(place: Path, count: int, fresh: bool, old: Callable[[Path], Path]) -> list[str]:
    """What was wrong after `count` kills at random moments; empty when every record opened whole."""
    trial = place / "trial"
    trial.mkdir()
    if not fresh:
        old(trial)
    seconds, wrong = _seconds(trial), []
    for n in range(count):
        folder = place / f"kill-{n}"
        folder.mkdir()
        if not fresh:
            old(folder)
        process = subprocess.Popen([sys.executable, "-c", PROGRAM, str(folder)], stdout=subprocess.PIPE)
        assert process.stdout is not None
        process.stdout.readline()
        time.sleep(random.uniform(0, 0.6 * seconds))
        process.send_signal(signal.SIGKILL)
        process.wait()
        process.stdout.close()
        wrong += [f"kill {n}: {problem}" for problem in _problems(folder, fresh)]
        shutil.rmtree(folder)
    return wrong


def _problems(folder: Path, fresh: bool) -> list[str]:
    record = Record(folder)
    try:
        found = [problem for problem in record.check() if not problem.startswith("media")]
        if not fresh and len(record.patients()) != 5:
            found.append("people are missing")
    finally:
        record.close()
    if not fresh:
        kept = sqlite.connect(folder / f"record.sqlite.before-{HEAD}")
        if kept.execute("select version_num from alembic_version").fetchone() != ("0003",):
            found.append("the copy is not the old record")
        kept.close()
    return found


SAVING = """
import sys
from dataclasses import replace
from pathlib import Path
from tuning.core.entries import Note
from tuning.records import Record, new_uid
from tuning.records.store import now
record = Record(Path(sys.argv[1]))
patient = record.patients()[0]
visit, person = record.visits(patient)[-1], record.people()[0]
print("on", flush=True)
while True:
    note = Note("strength", "x" * 500, uid=new_uid(), visit=visit.uid, at=now(), person=person.uid, who=person.name)
    record.commit(record.case(patient.uid, visit.uid), [note])
    print(note.uid, flush=True)
"""
IMPORTING = """
import sys, tempfile
from pathlib import Path
from tuning.exchange.archive.reading import read_archive
from tuning.demo.clinic import build_clinic
from tuning.exchange.archive.writing import write_archive
from tuning.records import Record
from tuning.records.backup import backups, verify
record = Record(Path(sys.argv[1]))
person = record.people()[0]
print("on", flush=True)
with tempfile.TemporaryDirectory() as folder, read_archive(Path(sys.argv[2]), Path(folder)) as read:
    record.merge(read.data, person, read.files)
print("merged", flush=True)
import time; time.sleep(60)
"""
BACKING_UP = """
import sys
from pathlib import Path
from tuning.records.backup import backup
print("on", flush=True)
made = backup(Path(sys.argv[1]), Path(sys.argv[2]))
print(made.folder.name, flush=True)
import time; time.sleep(60)
"""


def after_a_kill(program: str, words: list[str], longest: float) -> list[str]:
    """Run a program, kill it at a random moment after it said "on"; the lines that it said after that."""
    process = subprocess.Popen([sys.executable, "-c", program, *words], stdout=subprocess.PIPE, text=True)
    assert process.stdout is not None
    if process.stdout.readline().strip() != "on":
        raise RuntimeError("the program did not begin")
    time.sleep(random.uniform(0, longest))
    process.send_signal(signal.SIGKILL)
    told = process.stdout.read().split("\n")
    process.wait()
    process.stdout.close()
    return [line for line in told[:-1] if line]


def whole_while_saving(record: Path, place: Path, count: int) -> list[str]:
    """Every entry that was said to be kept is there, whatever the moment of the kill."""
    wrong, kept = [], set[str]()
    folder = Path(shutil.copytree(record, place / "saving"))
    for n in range(count):
        kept |= set(after_a_kill(SAVING, [str(folder)], 0.4))
        opened = Record(folder)
        patient = opened.patients()[0]
        case = opened.case(patient.uid, opened.visits(patient)[-1].uid)
        missing = kept - {entry.uid for entry in case.entries}
        wrong += [f"saving {n}: {len(missing)} acknowledged entries are gone"] if missing else []
        wrong += [f"saving {n}: {problem}" for problem in opened.check()]
        opened.close()
    shutil.rmtree(folder)
    return wrong


def whole_while_importing(record: Path, archive: Path, place: Path, count: int) -> list[str]:
    """The person is there whole or not at all, and the record sound."""
    wrong = []
    for n in range(count):
        folder = place / f"importing-{n}"
        made = Record(folder)
        made.add_person("Somebody Here", "licensed clinician")
        made.close()
        told = after_a_kill(IMPORTING, [str(folder), str(archive)], 0.5)
        opened = Record(folder)
        people = len(opened.patients())
        wrong += [f"importing {n}: {problem}" for problem in opened.check()]
        if told and not people:
            wrong.append(f"importing {n}: said to be merged, and gone")
        opened.close()
        shutil.rmtree(folder)
    return wrong


def whole_while_backing_up(record: Path, place: Path, count: int) -> list[str]:
    """Every backup that can be seen is whole."""
    wrong = []
    for n in range(count):
        into = place / f"safe-{n}"
        told = after_a_kill(BACKING_UP, [str(record), str(into)], 0.4)
        known = backups(into)
        wrong += [f"backing up {n}: {problem}" for one in known for problem in verify(one.folder)]
        if told and not known:
            wrong.append(f"backing up {n}: said to be there, and gone")
        shutil.rmtree(into, ignore_errors=True)
    return wrong


def parcel_of(record: Path, target: Path) -> Path:
    """The first person with pictures as an archive."""
    opened = Record(record)
    data = max((opened.dump(p.uid) for p in opened.patients()), key=lambda one: len(one["media"]))
    files = opened.media.files(data["media"])
    opened.close()
    write_archive(data, files, target)
    return target


def main() -> None:
    """Both kinds of start, as many kills as asked for."""
    count = int(sys.argv[1]) if len(sys.argv) > 1 else 60

    def old(folder: Path) -> Path:
        file = folder / "record.sqlite"
        file.write_bytes(gzip.decompress(OLD.read_bytes()))
        return file

    for fresh in (False, True):
        with tempfile.TemporaryDirectory() as place:
            wrong = whole_after_kills(Path(place), count, fresh, old)
        print(f"{'first start' if fresh else 'upgrade'}: {count} kills, {len(wrong)} wrong")
        for line in wrong:
            print(f"  {line}")
    with tempfile.TemporaryDirectory() as name:
        place = Path(name)
        build_clinic(place / "clinic")
        archive = parcel_of(place / "clinic", place / "case.zip")
        for what, wrong in (
            ("saving", whole_while_saving(place / "clinic", place, count)),
            ("importing", whole_while_importing(place / "clinic", archive, place, count)),
            ("backing up", whole_while_backing_up(place / "clinic", place, count)),
        ):
            print(f"{what}: {count} kills, {len(wrong)} wrong")
            for line in wrong:
                print(f"  {line}")


if __name__ == "__main__":
    main()
