"""Commands about one person: export, import, report, erase."""

from __future__ import annotations

import os
import secrets
from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from tuning.cli.errors import run_or_exit

if TYPE_CHECKING:
    from tuning.core.case import Case, Patient, Person
    from tuning.records import Record
    from tuning.records.person_transfer import MergeResult

PERSON = click.option("--person", "who", required=True, help="Uid, or words of the name that fit one person only.")
BY = click.option("--by", default="", help="Profile that does it, by name; the first one where it is left out.")
RECORD = click.argument("record", type=click.Path(path_type=Path, exists=True))


@contextmanager
def _opened(folder: Path) -> Iterator[Record]:
    from tuning.records import Record

    record = Record(folder)
    try:
        yield record
    finally:
        record.close()


def _found(record: Record, who: str) -> Patient:
    from tuning.core.errors import BadInput

    by_uid = [p for p in record.patients() if p.uid == who]
    fitting = by_uid or list(record.patients(who))
    if len(fitting) != 1:
        names = ", ".join(p.name for p in fitting[:5]) or "nobody"
        raise BadInput(f"“{who}” fits {len(fitting)} people ({names}); name one.")
    return fitting[0]


def _acting(record: Record, by: str) -> Person:
    from tuning.core.errors import BadInput

    people = [p for p in record.people() if not by or p.name == by]
    if not people:
        raise BadInput(f"The record has no profile “{by}”." if by else "The record has no profile yet.")
    return people[0]


def _case(record: Record, patient: Patient) -> Case:
    from tuning.core.errors import BadInput

    visits = record.visits(patient)
    if not visits:
        raise BadInput(f"{patient.name} has no visit yet.")
    return record.case(patient.uid, visits[-1].uid)


def _secret(folder: Path) -> bytes:
    """What pseudonyms of this record are made with; it never leaves the folder."""
    file = folder / "pseudonyms.key"
    if not file.exists():
        handle = os.open(file, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600)
        with os.fdopen(handle, "wb") as out:
            out.write(secrets.token_bytes(32))
    return file.read_bytes()


@click.command("export")
@RECORD
@PERSON
@click.option("--as", "form", type=click.Choice(["archive", "csv", "fhir", "tracks", "c3d"]), default="archive")
@click.option("--to", "target", type=click.Path(path_type=Path), required=True, help="File, or folder for marks.")
@click.option("--pseudonym", is_flag=True, help="Archive without names, true dates, typed words and pictures.")
@click.option("--masked", type=click.Path(path_type=Path, exists=True), help="Folder with copies without the face, "
              "made by `tuning mask` and named as told; they go with a pseudonymised archive.")  # fmt: skip
@BY
def export_person(
    record: Path, who: str, form: str, target: Path, pseudonym: bool, masked: Path | None, by: str
) -> None:
    """Write one person of RECORD as an archive, CSV of all values, FHIR bundle, or followed marks."""

    def run() -> None:
        from tuning.core.errors import BadInput
        from tuning.knowledge import load

        if pseudonym and form != "archive":
            raise BadInput("Only an archive can be without names.")
        if masked is not None and not pseudonym:
            raise BadInput("Copies without the face go with a pseudonymised archive only (--pseudonym).")
        with _opened(record) as opened:
            patient, person = _found(opened, who), _acting(opened, by)
            if form == "archive":
                _archive(opened, patient, target, record if pseudonym else None, masked)
            elif form == "csv":
                from tuning.exchange.csv.observations import write_observations

                beside = write_observations(_case(opened, patient), load().measures, target)
                click.echo(f"What each measure is: {beside}.")
            elif form == "fhir":
                _fhir(_case(opened, patient), target)
            else:
                _tracks(opened, _case(opened, patient), target, as_c3d=form == "c3d")
            opened.note(person, "exported", patient.uid, form=form, pseudonym=pseudonym)
        click.echo(f"Written to {target}.")

    run_or_exit(run)


def _copies(data: Mapping[str, Any], folder: Path | None) -> dict[str, Path]:
    """Copies without the face by the hash of their picture; how the others should be named is said."""
    from tuning.video.media.source import CLIP_SUFFIXES, PHOTO_SUFFIXES

    found = {}
    for row in data["media"]:
        named = [f for f in folder.iterdir() if f.stem == row["sha256"][:16]] if folder is not None else []
        if len(named) == 1:
            found[row["sha256"]] = named[0]
        elif row["suffix"] in (*PHOTO_SUFFIXES, *CLIP_SUFFIXES):
            click.echo(f"Left out: {row['original_name']}. Name its copy without the face {row['sha256'][:16]}.")
    return found


def _archive(
    opened: Record, patient: Patient, target: Path, secret_of: Path | None, folder: Path | None = None
) -> None:
    import hashlib

    from tuning.core.errors import BadInput
    from tuning.exchange.archive.pseudonyms import MaskedCopy, may_identify, pseudonymised
    from tuning.exchange.archive.writing import write_archive

    data = opened.dump(patient.uid)
    if secret_of is not None:
        copies, masked, files = _copies(data, folder), {}, {}
        for true, copy in copies.items():
            told = hashlib.sha256(copy.read_bytes()).hexdigest()
            if told == true:
                raise BadInput(f"{copy.name} is the picture itself, not a copy without the face. Nothing was written.")
            masked[true], files[told] = MaskedCopy(told, copy.suffix.lower(), copy.stat().st_size), copy
        made = pseudonymised(data, _secret(secret_of), masked)
        write_archive(made, files, target)
        for sentence in may_identify(made, data):
            click.echo(f"Could still reveal who it is: {sentence}.")
        return
    write_archive(data, opened.media.files(data["media"]), target)


def _fhir(case: Case, target: Path) -> None:
    import json

    from tuning.exchange.files import write_whole
    from tuning.exchange.json.fhir import bundle
    from tuning.knowledge import load

    knowledge = load()
    rungs = {rung.id: rung for ladder in knowledge.ladders.values() for rung in ladder.rungs}
    data = json.dumps(bundle(case, knowledge.measures, rungs), indent=1, ensure_ascii=False)
    write_whole(data.encode(), target, "The bundle")


def _tracks(opened: Record, case: Case, target: Path, as_c3d: bool) -> None:
    from tuning.core.entries import Capture, Track
    from tuning.core.errors import BadInput
    from tuning.exchange.c3d.tracks import write_c3d
    from tuning.exchange.csv.tracks import write_tracks
    from tuning.records.track_codec import unpack
    from tuning.video import open_source

    tracks = case.all(Track)
    if not tracks:
        raise BadInput("No clip of this person was followed.")
    target.mkdir(parents=True, exist_ok=True)
    for track in tracks:
        capture = case.entry(track.capture)
        if isinstance(capture, Capture):
            source = open_source(opened.media.lent(capture.medium), capture.medium.name)
            times, height = source.times, source.size[1]
            source.close()
            marks = unpack(opened.places(track), track.names, times)
            if as_c3d:
                write_c3d(marks, target / f"{track.task}-{track.uid}.c3d", height)
            else:
                write_tracks(marks, target / f"{track.task}-{track.uid}.csv")


@click.command("import")
@RECORD
@click.argument("file", type=click.Path(path_type=Path, exists=True, dir_okay=False))
@BY
def import_person(record: Path, file: Path, by: str) -> None:
    """Take an archive or a FHIR bundle into RECORD; the same person is merged, nothing is taken twice."""

    def run() -> None:
        with _opened(record) as opened:
            person = _acting(opened, by)
            if file.suffix.lower() == ".json":
                _import_bundle(opened, person, file)
                return
            merged = take_archive(opened, person, file)
        click.echo(f"{merged.visits} visits, {merged.entries} entries, {merged.media} files taken over; "
                   f"{merged.kept} entries were here already.")  # fmt: skip
        for sentence in merged.notes:
            click.echo(f"Note: {sentence}.")

    run_or_exit(run)


def take_archive(opened: Record, person: Person, file: Path) -> MergeResult:
    """Merge an archive into an open record. Raises TuningError; nothing is taken over then."""
    from tuning.exchange.archive.reading import read_archive
    from tuning.records.error_mapping import told_as_fault
    from tuning.scratch import scratch_folder

    with (
        told_as_fault(opened.folder),
        scratch_folder("import", inside=opened.folder) as folder,
        read_archive(file, folder) as read,
    ):
        return opened.merge(read.data, person, read.files)


def _import_bundle(opened: Record, person: Person, file: Path) -> None:
    from tuning.cli.fhir_import import take_over
    from tuning.exchange.json.fhir import read_bundle
    from tuning.knowledge import load

    read = read_bundle(file, load().measures)
    patient, visits, values = take_over(opened, person, read)
    click.echo(f"{patient.name}: {visits} visits with {values} values taken over.")
    if read.unknown:
        click.echo(f"{len(read.unknown)} observations are not known here and were put in a note.")


@click.command()
@RECORD
@PERSON
@click.option("--kind", default="summary", help="summary, full, progress, referral, standing, measured")
@click.option("--for", "register", type=click.Choice(["colleague", "patient"]), default="colleague")
@click.option("--out", "target", type=click.Path(path_type=Path), required=True, help="A .pdf or .html file.")
@BY
def report(record: Path, who: str, kind: str, register: str, target: Path, by: str) -> None:
    """Write a report about one person of RECORD."""

    def run() -> None:
        os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
        from PyQt6.QtGui import QGuiApplication
        from PyQt6.QtWidgets import QApplication

        from tuning.core.errors import BadInput
        from tuning.ui.reports.headless import write_alone

        if target.suffix not in (".pdf", ".html"):
            raise BadInput("A report is written to a .pdf or .html file.")
        application = QGuiApplication.instance() or QApplication([])
        with _opened(record) as opened:
            write_alone(opened, _found(opened, who), _acting(opened, by), kind, register, target)
        del application
        click.echo(f"Written to {target}.")

    run_or_exit(run)


@click.command("keep-time")
@RECORD
@click.option("--json", "as_json", is_flag=True, help="Print JSON instead of text.")
def keep_time(record: Path, as_json: bool) -> None:
    """Name the people of RECORD whose keep time is over, as the clinic's preferences say. Nothing is erased."""

    def run() -> None:
        import json
        from datetime import date

        from tuning.core.preferences import BY_KEY, KEEP_AGE, KEEP_YEARS
        from tuning.core.visit.retention import RetentionRule
        from tuning.records.settings import Settings

        with _opened(record) as opened:
            values = Settings(record).values
            keep = RetentionRule(int(BY_KEY[KEEP_YEARS].read(values)), int(BY_KEY[KEEP_AGE].read(values)))
            ends = [(d, keep.until(d.patient.birth_date, d.last.date() if d.last else None)) for d in opened.digests()]
        over = [(d, day) for d, day in ends if day is not None and day <= date.today()]
        told = [{"uid": d.patient.uid, "name": d.patient.name, "since": day.isoformat()} for d, day in over]
        if as_json:
            click.echo(json.dumps(told, ensure_ascii=False, indent=1))
            return
        for one in told:
            click.echo(f"{one['name']} ({one['uid']}): may be erased since {one['since']}.")
        click.echo(f"{len(told)} of {len(ends)} people. `tuning erase` takes one out.")

    run_or_exit(run)


@click.command()
@RECORD
@PERSON
@click.option("--reason", required=True, help="Why; it stays in the trail, so name nobody in it.")
@click.option("--backups", type=click.Path(path_type=Path), help="Folder whose backups are searched for the person.")
@click.option("--yes", is_flag=True, help="Do not ask.")
@BY
def erase(record: Path, who: str, reason: str, backups: Path | None, yes: bool, by: str) -> None:
    """Take one person out of RECORD for good: rows, files, everything but a line in the trail that names nobody."""

    def run() -> None:
        from tuning.records.backup import holding

        with _opened(record) as opened:
            patient, person = _found(opened, who), _acting(opened, by)
            question = f"Erase {patient.name}, born {patient.birth_date:%-d %B %Y}, for good?"
            if not yes and not click.confirm(question):
                click.echo("Nothing was erased.")
                return
            gone = opened.erase(patient.uid, person, reason)
            readable = opened.where_readable(patient.name)
        click.echo(", ".join(f"{count} {name}" for name, count in gone.items()) + " erased.")
        for file in readable:
            click.echo(f"The name can still be read in {file}: close other windows of this record, and erase again.")
        for one in holding(backups, patient.uid) if backups is not None else ():
            click.echo(f"Still in the backup {one.folder}: remove it, or the person comes back with it.")

    run_or_exit(run)
