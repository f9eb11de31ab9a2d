"""People that travel: archives, values, bundles; hostile files; and people that go for good."""

from __future__ import annotations

import hashlib
import io
import itertools
import json
import shutil
import stat
import subprocess
import warnings
import zipfile
from dataclasses import fields
from datetime import date
from pathlib import Path

import chance
import numpy as np
import pytest
from click.testing import CliRunner
from conftest import ODD, case_of
from hypothesis import given, settings
from hypothesis import strategies as st

from tuning.cli import main
from tuning.core.entries import Calibration, Capture, Mark, Purpose, Screen, Track
from tuning.core.errors import BadInput, Conflict
from tuning.core.gate.open_findings import standing_of
from tuning.core.types import Observation, Triage
from tuning.exchange.archive.layout import CASE, SUMS, schema
from tuning.exchange.archive.pseudonyms import may_identify, pseudonymised, shift_of
from tuning.exchange.archive.reading import read_archive
from tuning.exchange.archive.writing import write_archive
from tuning.knowledge import load
from tuning.records import Record
from tuning.records.backup import backup


def parcel(record: Record, target: Path, occupation: str = "glassblower") -> dict:
    data = record.dump(case_of(record, occupation).patient.uid)
    files = {row["sha256"]: record.media.path(row["sha256"], row["suffix"]) for row in data["media"]}
    write_archive(data, files, target)
    return data


def taken(record: Record, file: Path, scratch: Path):
    scratch.mkdir(exist_ok=True)
    person = next(iter(record.people()), None) or record.add_person("Somebody Here", "licensed clinician")
    with read_archive(file, scratch) as read:
        return record.merge(read.data, person, read.files)


def same(a, b) -> bool:
    """Two entries, field by field."""
    pairs = [(getattr(a, f.name), getattr(b, f.name)) for f in fields(a)]
    return all(np.array_equal(x, y) if isinstance(x, np.ndarray) else x == y for x, y in pairs)


def test_a_case_comes_back_whole_in_another_record_and_twice_is_once(record, tmp_path):
    parcel(record, tmp_path / "case.zip")
    there = Record(tmp_path / "there")
    merged = taken(there, tmp_path / "case.zip", tmp_path / "s1")
    here, other = case_of(record, "glassblower"), case_of(there, "glassblower")
    assert other.patient == here.patient and other.visits == here.visits and merged.entries >= len(here.entries)
    assert all(same(a, b) for a, b in zip(here.entries, other.entries, strict=True))
    for a, b in zip(here.all(Track), other.all(Track), strict=True):
        assert record.places(a) == there.places(b)
    for capture in other.all(Capture):
        mine, its = record.media.lent(capture.medium), there.media.lent(capture.medium)
        assert mine.read_bytes() == its.read_bytes(), "byte for byte"
    again = taken(there, tmp_path / "case.zip", tmp_path / "s2")
    assert (again.visits, again.entries, again.media) == (0, 0, 0) and again.kept == merged.entries
    assert there.check() == []
    there.close()


def test_plain_tools_open_it(record, tmp_path):
    data = parcel(record, tmp_path / "case.zip")
    subprocess.run(["unzip", "-q", str(tmp_path / "case.zip"), "-d", str(tmp_path / "out")], check=True)
    query = '[.entries[] | select(.kind == "observation" and .body.measure_id == "knee-to-wall")] | length'
    told = subprocess.run(["jq", query, str(tmp_path / "out" / CASE)], check=True, capture_output=True, text=True)
    expected = sum(e["kind"] == "observation" and e["body"]["measure_id"] == "knee-to-wall" for e in data["entries"])
    assert int(told.stdout) == expected > 0
    subprocess.run(["sha256sum", "--check", "--quiet", SUMS], check=True, cwd=tmp_path / "out")
    published = json.loads((Path(__file__).parents[2] / "docs" / "archive.schema.json").read_text())
    assert published == schema(), "docs/archive.schema.json: write exchange.archive.layout.schema() there"


def test_what_is_newest_is_read_off_the_time_wherever_it_was_written(record, tmp_path):
    """An older visit that arrives later must not lift what a newer screen found."""
    case = case_of(record, "potter")
    person = record.people()[0]
    parcel(record, tmp_path / "old.zip", "potter")
    there = Record(tmp_path / "there")
    taken(there, tmp_path / "old.zip", tmp_path / "s1")
    data = there.dump(case.patient.uid)
    visit = there.start_visit(there.patients()[0], there.people()[0])
    from dataclasses import replace

    from tuning.records import new_uid
    from tuning.records.store import now

    red = Screen(Triage.RED, rules=("calf",), reds=("calf",), uid=new_uid(), visit=visit.uid, at=now(),
                 person=there.people()[0].uid, who="")  # fmt: skip
    there.commit(there.case(case.patient.uid, visit.uid), [red])
    late = [replace(e, uid=new_uid(), person=person.uid) for e in case.all(Screen)]
    record.commit(case, late)
    parcel(record, tmp_path / "older.zip", "potter")
    merged = taken(there, tmp_path / "older.zip", tmp_path / "s2")
    assert merged.entries == len(late) and merged.kept == len(data["entries"])
    after = there.case(case.patient.uid, visit.uid)
    assert (
        standing_of(after, load().safety).screen.uid == red.uid
        and standing_of(after, load().safety).level is Triage.RED
    )
    assert [v.uid for v in after.visits][-1] == visit.uid and there.check() == []
    there.close()


def test_the_same_entry_that_says_something_else_is_refused_and_nothing_is_changed(record, tmp_path):
    data = parcel(record, tmp_path / "case.zip")
    there = Record(tmp_path / "there")
    taken(there, tmp_path / "case.zip", tmp_path / "s1")
    before = there.dump(data["patient"]["uid"])
    seen = next(e for e in data["entries"] if e["kind"] == "observation")
    seen["body"]["side"] = "right" if seen["body"]["side"] == "left" else "left"
    data["entries"] = [*data["entries"][-1:], *data["entries"]][1:]
    write_archive(data, {r["sha256"]: record.media.path(r["sha256"], r["suffix"]) for r in data["media"]},
                  tmp_path / "other.zip")  # fmt: skip
    with pytest.raises(Conflict, match="something else"):
        taken(there, tmp_path / "other.zip", tmp_path / "s2")
    assert there.dump(data["patient"]["uid"]) == before and there.check() == []
    there.close()


def rebuilt(source: Path, target: Path, change) -> Path:
    """An archive with its members changed, sums made right again unless the change says otherwise."""
    with zipfile.ZipFile(source) as read:
        members = [(info, read.read(info)) for info in read.infolist()]
    with warnings.catch_warnings(), zipfile.ZipFile(target, "w") as out:
        warnings.simplefilter("ignore")  # a name twice is what is wanted
        for info, data in change(members):
            out.writestr(info, data)
    return target


def named(name: str, mode: int = 0o600) -> zipfile.ZipInfo:
    info = zipfile.ZipInfo(name)
    info.external_attr = mode << 16
    return info


def with_case(change):
    """Change the JSON and make its sum right."""

    def run(members):
        out = []
        for info, data in members:
            if info.filename == CASE:
                whole = json.loads(data)
                change(whole)
                data = json.dumps(whole).encode()
                total = hashlib.sha256(data).hexdigest()
            out.append((info, data))
        return [(i, d if i.filename != SUMS else b"".join(
            f"{total}  {CASE}\n".encode() if line.endswith(CASE.encode()) else line + b"\n" for line in d.splitlines()
        )) for i, d in out]  # fmt: skip

    return run


HOSTILE = {
    "a way out of the folder": lambda m: [*m, (named("../../outside.txt"), b"x")],
    "an absolute name": lambda m: [*m, (named("/tmp/outside.txt"), b"x")],
    "a link": lambda m: [*m, (named("media/" + "0" * 64 + ".png", stat.S_IFLNK | 0o777), b"/etc/passwd")],
    "a name twice": lambda m: [*m, m[0]],
    "another file": lambda m: [*m, (named("run.sh"), b"rm -rf /")],
    "ten thousand members": lambda m: [*m, *((named(f"media/{n:064x}.png"), b"") for n in range(10_000))],
    "nested names": lambda m: [*m, (named("media/" + "a/" * 200 + "x.png"), b"")],
    "no case": lambda m: [(i, d) for i, d in m if i.filename != CASE],
    "no sums": lambda m: [(i, d) for i, d in m if i.filename != SUMS],
    "a changed case": lambda m: [(i, d.replace(b'"left"', b'"both"') if i.filename == CASE else d) for i, d in m],
    "a changed picture": lambda m: [(i, d[:-1] + b"?" if i.filename.startswith("media/") else d) for i, d in m],
    "a missing picture": lambda m: [(i, d) for i, d in m if not i.filename.startswith("media/")],
    "no JSON": with_case(lambda w: w.clear()),
    "deep JSON": lambda m: [(i, b"[" * 100_000 if i.filename == CASE else d) for i, d in m],
    "a newer version": with_case(lambda w: w.update(version=9)),
    "an entry of no visit": with_case(lambda w: w["entries"][0].update(visit="nowhere")),
    "an entry of no kind": with_case(lambda w: w["entries"][0].update(kind="spell")),
    "an uid twice": with_case(lambda w: w["entries"].append(w["entries"][0])),
    "a value that is a text": with_case(
        lambda w: next(e for e in w["entries"] if e["kind"] == "observation")["body"].update(value="tall")
    ),
    "a birth date that is none": with_case(lambda w: w["patient"].update(birth_date="1985-13-45")),
}


@pytest.mark.parametrize("harm", HOSTILE)
def test_hostile_and_damaged_archives_are_refused_with_the_record_untouched(record, tmp_path, harm):
    parcel(record, tmp_path / "case.zip")
    bad = rebuilt(tmp_path / "case.zip", tmp_path / "bad.zip", HOSTILE[harm])
    there = Record(tmp_path / "there")
    there.add_person("Somebody Here", "licensed clinician")
    before = len(there.lines())
    with pytest.raises(BadInput):
        taken(there, bad, tmp_path / "scratch")
    assert there.patients() == [] and len(there.lines()) == before and there.check() == []
    assert not (tmp_path.parent / "outside.txt").exists() and not Path("/tmp/outside.txt").exists()
    there.close()


def test_a_bomb_and_a_torn_file_are_refused(record, tmp_path):
    parcel(record, tmp_path / "case.zip")
    whole = (tmp_path / "case.zip").read_bytes()
    there = Record(tmp_path / "there")
    bomb = io.BytesIO()
    with zipfile.ZipFile(bomb, "w", zipfile.ZIP_DEFLATED) as out:
        with out.open(zipfile.ZipInfo(CASE), "w", force_zip64=True) as stream:
            for _ in range(300):
                stream.write(b" " * (1 << 20))
        out.writestr(SUMS, "")
    files = [bomb.getvalue(), b"", b"PK", whole[: len(whole) // 2], whole[len(whole) // 2 :]]
    for _ in range(40 if chance.FRESH else 15):
        harmed = bytearray(whole)
        harmed[chance.RANDOM.integers(len(harmed))] ^= int(chance.RANDOM.integers(1, 256))
        files.append(bytes(harmed))
    refused = 0
    for n, data in enumerate(files):
        (tmp_path / "bad.zip").write_bytes(data)
        try:
            taken(there, tmp_path / "bad.zip", tmp_path / f"s{n}")
        except (BadInput, Conflict):
            refused += 1
    assert refused >= 5 + 0.75 * (len(files) - 5), "a byte in the comment of a zip may change nothing"
    assert there.check() == []
    there.close()


@settings(max_examples=60 if chance.FRESH else 25)
@given(where=st.integers(0, 10_000), odd=ODD)
def test_any_field_of_any_type_ends_in_a_sentence_or_a_sound_record(clinic, tmp_path_factory, where, odd):
    folder = tmp_path_factory.mktemp("odd")
    source = Record(Path(shutil.copytree(clinic, folder / "a")))
    data = json.loads(json.dumps(source.dump(case_of(source, "beekeeper").patient.uid)))
    source.close()
    spots = [(row, key) for name in ("people", "visits", "entries") for row in data[name] for key in row]
    spots += [(data["patient"], key) for key in data["patient"]] + [
        (e["body"], k) for e in data["entries"] for k in e["body"]
    ]
    row, key = spots[where % len(spots)]
    row[key] = odd
    write_archive(data, {}, folder / "odd.zip")
    there = Record(folder / "there")
    try:
        taken(there, folder / "odd.zip", folder / "s")
    except (BadInput, Conflict):
        assert there.patients() == []
    assert there.check() == []
    for patient in there.patients():
        there.case(patient.uid, there.visits(patient)[-1].uid)
    there.close()
    shutil.rmtree(folder)


def test_a_pseudonymised_case_names_nobody_keeps_time_and_age_and_can_be_opened(record, tmp_path):
    case = case_of(record, "glassblower")
    true = record.dump(case.patient.uid)
    made = pseudonymised(true, b"secret of this record")
    assert pseudonymised(true, b"secret of this record") == made != pseudonymised(true, b"another")
    [always] = may_identify(made, true)
    assert "74 kg" in always
    for word in ("Marit", "Okonjo", "Falk", "furnace", case.patient.birth_date.isoformat(), "calf release", "spring"):
        assert word not in json.dumps(made), word
    assert may_identify({**made, "patient": true["patient"]}, true) != [always], "what still names is told"
    write_archive(made, {}, tmp_path / "p.zip")
    there = Record(tmp_path / "there")
    taken(there, tmp_path / "p.zip", tmp_path / "s")
    [patient] = there.patients()
    other = there.case(patient.uid, there.visits(patient)[-1].uid)
    assert patient.age_on(other.visit.started_at.date()) == case.patient.age_on(case.visit.started_at.date())
    gaps = [[b.started_at - a.started_at for a, b in zip(c.visits, c.visits[1:], strict=False)] for c in (case, other)]
    assert gaps[0] == gaps[1]
    values = [[(o.measure_id, o.side, o.measured) for o in c.all(Observation)] for c in (case, other)]
    assert values[0] == values[1] and there.check() == []
    there.close()


def test_a_day_is_told_only_where_it_was_not_moved_and_a_name_only_where_it_is_no_code(record):
    """Moving one visit onto the day of another tells nothing, and letters inside a code are no name."""
    true = record.dump(case_of(record, "glassblower").patient.uid)
    days = sorted({date.fromisoformat(row["started_at"][:10]) for row in true["visits"]})
    gaps = {(b - a).days for a, b in itertools.combinations(days, 2)}
    secrets = (b"secret %d" % n for n in itertools.count())
    made = pseudonymised(true, next(s for s in secrets if shift_of(s, true["patient"]["uid"]) in gaps))
    assert len(may_identify(made, true)) == 1
    [first, *others] = made["visits"]
    stays = {**first, "started_at": true["visits"][0]["started_at"]}
    told = may_identify({**made, "visits": [stays, *others]}, true)
    assert len(told) == 2 and stays["started_at"][:10] in told[0]
    assert len(may_identify({**made, "visits": true["visits"]}, true)) > len(days), "none was moved"
    letters = made["patient"]["uid"][2:]
    by = {**true, "patient": {**true["patient"], "name": letters}}
    assert len(may_identify(made, by)) == 1
    assert letters in may_identify({**made, "trail": [letters]}, by)[0]


def test_a_person_is_erased_for_good_with_proof_that_names_nobody(clinic, tmp_path):
    folder = Path(shutil.copytree(clinic, tmp_path / "clinic"))
    backup(folder, tmp_path / "safe")
    run = lambda *more: CliRunner().invoke(main, ["erase", str(folder), "--person", "Marit", *more])  # noqa: E731
    refused = run("--reason", " ", "--yes")
    assert refused.exit_code == 2 and "Say why" in refused.output
    done = run("--reason", "asked in writing", "--yes", "--backups", str(tmp_path / "safe"))
    assert done.exit_code == 0 and "Still in the backup" in done.output, done.output
    data = b"".join(f.read_bytes() for f in folder.glob("record.sqlite*"))
    for word in (b"Okonjo", b"furnace", b"calf release"):
        assert word not in data, f"{word!r} lies in the file still"
    record = Record(folder)
    assert "glassblower" not in {p.occupation for p in record.patients()} and record.check() == []
    line = record.lines()[-1]
    assert (line.what, line.detail["reason"]) == ("erased", "asked in writing") and "Marit" not in str(record.lines())
    used = {c.medium.sha256 for p in record.patients() for v in record.visits(p)
            for c in record.case(p.uid, v.uid).all(Capture)}  # fmt: skip
    kept = {f.stem for f in (folder / "media").rglob("*.*")}
    assert kept == used, "files of others stay, those of nobody go"
    record.close()


def test_commands_refuse_in_a_sentence(clinic, tmp_path):
    folder = Path(shutil.copytree(clinic, tmp_path / "clinic"))

    def run(*words: object):
        return CliRunner().invoke(main, [str(word) for word in words])

    for words, told in (
        (("export", folder, "--person", "e", "--to", tmp_path / "x.zip"), "fits 5 people"),
        (("export", folder, "--person", "nobody", "--to", tmp_path / "x.zip"), "fits 0 people"),
        (
            ("export", folder, "--person", "Marit", "--as", "csv", "--pseudonym", "--to", tmp_path / "x"),
            "Only an archive",
        ),
        (("export", folder, "--person", "Ines", "--as", "tracks", "--to", tmp_path / "t"), "No clip"),
        (("export", folder, "--person", "Marit", "--to", tmp_path / "no" / "x.zip"), "could not be written"),
        (("import", folder, folder / "record.sqlite"), "no archive of a case"),
        (("report", folder, "--person", "Marit", "--out", tmp_path / "x.doc"), ".pdf or .html"),
        (("report", folder, "--person", "Marit", "--kind", "poem", "--out", tmp_path / "x.pdf"), "no kind of report"),
        (("erase", folder, "--person", "Marit", "--reason", "x", "--by", "Nobody", "--yes"), "no profile “Nobody”"),
    ):
        found = run(*words)
        assert found.exit_code == 2 and told in found.output, (words[0], found.output, found.exception)
    assert json.loads(run("check-record", folder, "--json").output) == {"sound": True, "problems": []}
    assert run("report", folder, "--person", "Marit", "--out", tmp_path / "r.html").exit_code == 0
    assert "knee to wall" in (tmp_path / "r.html").read_text()


def test_a_pseudonymised_case_takes_pictures_along_only_as_copies_without_the_face(record, tmp_path):
    case = case_of(record, "glassblower")
    folder, masked = record.folder, tmp_path / "masked"
    masked.mkdir()
    clip = next(c for c in case.all(Capture) if c.purpose is Purpose.PICTURE and c.medium.suffix == ".mp4")
    copy = masked / f"{clip.medium.sha256[:16]}.mp4"
    copy.write_bytes(b"a clip without a face" * 99)

    def run(*more) -> tuple[int, str]:
        words = ["export", folder, "--person", case.patient.uid, "--to", tmp_path / "p.zip", *more]
        done = CliRunner().invoke(main, [str(w) for w in words])
        return done.exit_code, done.output

    assert run("--masked", masked)[0] == 2, "true names and hidden faces do not go together"
    code, said = run("--pseudonym", "--masked", masked)
    pictures = {
        row["sha256"] for row in record.dump(case.patient.uid)["media"] if row["suffix"] in (".mp4", ".jpg", ".png")
    }
    assert code == 0 and said.count("Left out") == len(pictures) - 1 > 0
    with zipfile.ZipFile(tmp_path / "p.zip") as archive:
        names, text = archive.namelist(), archive.read("case.json").decode()
        [inside] = [n for n in names if n.startswith("media/")]
        assert archive.read(inside) == copy.read_bytes()
    for word in (clip.medium.sha256, clip.medium.name, clip.medium.uid, clip.uid, "Marit", "Falk"):
        assert word not in text + " ".join(names), word
    there = Record(tmp_path / "there")
    taken(there, tmp_path / "p.zip", tmp_path / "s")
    [patient] = there.patients()
    other = there.case(patient.uid, there.visits(patient)[-1].uid)
    [shown] = other.all(Capture)
    assert there.media.lent(shown.medium).read_bytes() == copy.read_bytes() and shown.view == clip.view
    for kind in (Track, Mark, Calibration):
        mine = [e for e in case.all(kind) if e.capture == clip.uid]
        assert len(other.all(kind)) == len(mine) and all(e.capture == shown.uid for e in other.all(kind))
    assert other.all(Track) and there.check() == []
    assert [there.places(t) for t in other.all(Track)] == [
        record.places(t) for t in case.all(Track) if t.capture == clip.uid
    ]
    there.close()
    copy.write_bytes(record.media.lent(clip.medium).read_bytes())
    code, said = run("--pseudonym", "--masked", masked)
    assert code == 2 and "the picture itself" in said
