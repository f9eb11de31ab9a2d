"""Errors of the machine at every system call: `python scripts/faults.py [--most 40] [--act NAME] [--seed 11]`.

Each act on a record (save, take a clip in, import, erase, back up, restore, protect) is done in a child to which
strace hands a refusal at its n-th call: disk full, read error, permission lost, lock held; once, or from there on.
Wrong is: anything but "done" or a sentence; a record that is not sound afterwards, that lost what it held, or where
the act cannot be done once the machine is well again.
"""

from __future__ import annotations

import mmap
import os
import random
import re
import shutil
import subprocess
import sys
import tempfile
import time
import traceback
from collections.abc import Callable
from contextlib import suppress
from dataclasses import dataclass
from datetime import timedelta
from pathlib import Path

import click

from tuning.cli.people import take_archive
from tuning.core.entries import Note
from tuning.core.errors import TuningError
from tuning.demo.clinic import build_clinic
from tuning.demo.clips import CLIPS
from tuning.exchange.archive.writing import write_archive
from tuning.records import Record, encryption, keys, new_uid
from tuning.records.backup import backup, backups, verify
from tuning.records.restore import restore
from tuning.records.store import now

WORDS = "four calm grey herons"
REFUSALS = {
    "disk full": ("ENOSPC", "write,pwrite64,ftruncate,fallocate,mkdir,fsync,fdatasync"),
    "read error": ("EIO", "read,pread64"),
    "permission lost": ("EACCES", "openat,mkdir,rename,unlink,link,chmod,fchmod"),
    "lock held": ("EAGAIN", "fcntl,flock"),
}
"""What the machine says, and of which calls."""
HANG_S = 90


@dataclass(frozen=True)
class Place:
    """A folder with a record, an archive of somebody else, and a backup."""

    folder: Path

    @property
    def record(self) -> Path:
        """The record that is acted on."""
        return self.folder / "record"

    @property
    def archive(self) -> Path:
        """Somebody to import."""
        return self.folder / "case.zip"

    @property
    def safe(self) -> Path:
        """Where backups lie."""
        return self.folder / "safe"


def save(place: Place) -> None:
    """Two notes in one commit."""
    record = Record(place.record)
    patient, person = record.patients()[0], record.people()[0]
    visit = record.visits(patient)[-1]
    notes = [
        Note("strength", "x" * 3000, uid=new_uid(), visit=visit.uid, at=now(), person=person.uid, who=person.name)
        for _ in range(2)
    ]
    record.commit(record.case(patient.uid, visit.uid), notes)
    record.close()


def take_in(place: Place) -> None:
    """A clip into the folder of media, and its note."""
    record = Record(place.record)
    record.medium(record.media.keep(CLIPS["walk-rear"].path), record.people()[0])
    record.close()


def merge(place: Place) -> None:
    """An archive."""
    record = Record(place.record)
    take_archive(record, record.people()[0], place.archive)
    record.close()


def erase(place: Place) -> None:
    """The first person."""
    record = Record(place.record)
    with suppress(IndexError):
        record.erase(record.patients()[0].uid, record.people()[0], "asked to be forgotten")
    record.close()


def back_up(place: Place) -> None:
    """A backup beside the one that is there."""
    backup(place.record, place.safe, now() + timedelta(seconds=60 + time.monotonic_ns() % 3000))


def bring_back(place: Place) -> None:
    """The backup in the place of the record."""
    restore(backups(place.safe)[0].folder, place.record)


def protect(place: Place) -> None:
    """A passphrase over all."""
    if keys.read(place.record) is None:
        encryption.protect(place.record, WORDS)


ACTS: dict[str, Callable[[Place], None]] = {
    "save": save, "take a clip in": take_in, "import": merge, "erase": erase, "back up": back_up,
    "restore": bring_back, "protect": protect,
}  # fmt: skip


def set_up(clinic: Path, folder: Path) -> Place:
    """A small record of one person, made once and copied for each trial."""
    place = Place(folder)
    whole = Record(clinic)
    by_media = sorted(whole.patients(), key=lambda p: len(whole.dump(p.uid)["media"]))
    first, other = by_media[1], by_media[2]
    data = whole.dump(first.uid)
    small = Record(place.record)
    small.merge(data, small.add_person("Somebody Here", "licensed clinician"), whole.media.files(data["media"]))
    small.close()
    data = whole.dump(other.uid)
    write_archive(data, whole.media.files(data["media"]), place.archive)
    whole.close()
    backup(place.record, place.safe)
    return place


def in_child(place: Place, act: Callable[[Place], None], strace: list[str] | None = None) -> tuple[str, str]:
    """Do the act in a fork, with strace at it; what it said, and what strace wrote."""
    said = mmap.mmap(-1, 1 << 16)  # written to without any call that could be refused
    gate, start = os.pipe()
    child = os.fork()
    if child == 0:
        os.dup2(os.open(os.devnull, os.O_WRONLY), 2)
        os.read(gate, 1)
        try:
            act(place)
            words = "done"
        except TuningError as err:
            words = f"refused: {err}"
        except BaseException as err:
            places = [line for line in traceback.format_exc().splitlines() if "/tuning/" in line][-3:]
            words = f"raised: {type(err).__name__}: {err} {places}"
        said.write(words.encode()[: 1 << 15])
        os._exit(0)
    log = place.folder / "calls.txt"
    tracer = None
    if strace is not None:
        command = ["strace", "-f", "-p", str(child), "-o", str(log), *strace]
        tracer = subprocess.Popen(command, stderr=subprocess.PIPE, text=True)
        assert tracer.stderr is not None
        if "attached" not in tracer.stderr.readline():
            raise click.ClickException("strace may not attach here.")
    os.write(start, b"x")
    if tracer is not None:
        try:
            tracer.communicate(timeout=HANG_S)
        except subprocess.TimeoutExpired:
            os.kill(child, 9)
            tracer.communicate()
    os.waitpid(child, 0)
    os.close(gate)
    os.close(start)
    words = said[:].rstrip(b"\0").decode(errors="replace")
    calls = log.read_text(errors="replace") if log.exists() else ""
    log.unlink(missing_ok=True)
    return words or f"ended without a word, or hung {HANG_S} s", calls


def entries_of(record: Path) -> set[str]:
    """Every entry that a record holds."""
    with_key(record)
    opened = Record(record)
    held = {
        entry.uid
        for p in opened.patients()
        for visit in opened.visits(p)
        for entry in opened.case(p.uid, visit.uid).entries
    }
    opened.close()
    return held


def with_key(record: Path) -> None:
    """The passphrase given where the record asks for one."""
    keys.forget()
    if keys.read(record) is not None:
        keys.unlock(record, WORDS)


def problems_after(place: Place, name: str, said: str, before: set[str]) -> list[str]:
    """What is not as it should be after a trial."""
    if not said.startswith(("done", "refused: ")):
        return [said]
    wrong = [] if said == "done" or re.search(r"\.$", said) else [f"no sentence: {said}"]
    try:
        with_key(place.record)
        opened = Record(place.record)
        wrong += opened.check()
        opened.close()
        held = entries_of(place.record)
    except TuningError as err:
        return [*wrong, f"does not open: {err}"]
    if name != "erase" and before - held:
        wrong.append(f"{len(before - held)} entries are gone")
    if name == "erase" and held & before and held != before:
        wrong.append("half of a person is left")
    wrong += [f"backup {problem}" for one in backups(place.safe) for problem in verify(one.folder)]
    again, _ = in_child(place, with_the_key(ACTS[name]))
    if again != "done":
        wrong.append(f"tried again: {again}")
    return wrong


def with_the_key(act: Callable[[Place], None]) -> Callable[[Place], None]:
    """The act on a record that may be protected."""

    def done(place: Place) -> None:
        with_key(place.record)
        act(place)

    return done


def trials_of(name: str, small: Place, most: int, draw: random.Random) -> tuple[int, list[str]]:
    """How often an act was refused something, and what was wrong afterwards."""
    act, before, count, wrong = ACTS[name], entries_of(small.record), 0, list[str]()
    with tempfile.TemporaryDirectory() as folder:  # once here, so that what the program is made of is read before
        act(Place(Path(shutil.copytree(small.folder, Path(folder) / "place"))))
        keys.forget()

    def trial(*strace: str) -> tuple[str, str, list[str]]:
        with tempfile.TemporaryDirectory() as folder:
            place = Place(Path(shutil.copytree(small.folder, Path(folder) / "place")))
            said, calls = in_child(place, act, list(strace))
            return said, calls, problems_after(place, name, said, before)

    for what, (error, calls) in REFUSALS.items():
        said, log, problems = trial("-e", f"trace={calls}")
        if problems or said != "done":
            raise click.ClickException(f"{name} without any refusal: {said} {problems}")
        number = sum(1 for line in log.splitlines() if re.match(r"\d+ +\w+\(", line))
        for n in sorted(draw.sample(range(1, number + 1), min(most, number))):
            for on in ("", "+"):
                said, log, problems = trial("-e", f"trace={calls}", "-e", f"inject={calls}:error={error}:when={n}{on}")
                count += "(INJECTED)" in log
                call = next((line for line in log.splitlines() if "(INJECTED)" in line), "")
                wrong += [f"{name}, {what} at call {n}{on} of {number} [{call[:110]}]: {p}" for p in problems]
    return count, wrong


@click.command()
@click.option("--most", default=40, help="Calls of each kind that are tried, once and from there on.")
@click.option("--act", type=click.Choice(list(ACTS)), help="This one only.")
@click.option("--seed", default=11)
@click.option("--clinic", type=click.Path(path_type=Path), help="A demo record that is there already.")
def main(most: int, act: str | None, seed: int, clinic: Path | None) -> None:
    """Refuse, and tell what was wrong; exit code 1 where something was."""
    failed = 0
    with tempfile.TemporaryDirectory() as folder:
        if clinic is None:
            clinic = Path(folder) / "clinic"
            build_clinic(clinic)
        small = set_up(clinic, Path(folder) / "small")
        for name in (act,) if act else ACTS:
            count, wrong = trials_of(name, small, most, random.Random(seed))
            click.echo(f"{name}: {count} refusals, {len(wrong)} wrong")
            for line in wrong:
                click.echo(f"  {line}")
            failed += len(wrong)
    sys.exit(1 if failed else 0)


if __name__ == "__main__":
    main()
