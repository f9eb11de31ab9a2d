"""Damaged files of every kind that the program reads: `python scripts/fuzz.py [--each 1000] [--kind csv] [--seed 11]`.

A sound file is changed (bytes, numbers, words, parts of JSON) and read in a child of its own, as a command or the
window would read it. Wrong is a traceback, an end without a word, more than 10 s
of the processor or 40 by the clock, or more than 2 GB; what was wrong
is kept in --keep.
"""

from __future__ import annotations

import json
import mmap
import os
import random
import re
import resource
import shutil
import signal
import sys
import tempfile
import traceback
from collections import Counter
from collections.abc import Callable, Iterator
from contextlib import redirect_stderr, redirect_stdout
from pathlib import Path

import click
import ezc3d
import numpy as np
from PIL import Image

from tuning.cli import main as tuning
from tuning.cli.errors import PASSPHRASE_FILE
from tuning.core.errors import BadInput, TuningError
from tuning.demo.clinic import build_clinic
from tuning.demo.clips import CLIPS
from tuning.exchange.csv.tracks import read_points
from tuning.records import Record, encryption
from tuning.video.media.safe_open import look_at

SLOW_S, MEMORY = 10, 2 << 30
WORDS = "four calm grey herons"
ODD = (b"nan", b"inf", b"-1", b"0", b"1e308", b"-1e-320", b"99999999999999999999", b"", b'"', b"null", b"[]", b"{}",
       b"\xff\xfe", b"\x00", "☂".encode(), b"[" * 30_000, b"2026-02-30", b"true", b"../../x", b"1,5", b";")  # fmt: skip
PARTS = (None, True, -1, 0, 10**30, 1e308, float("nan"), "", "x" * 3000, "☂", [], {}, [[]], "2026-02-30")
PLAN = {
    "version": 1,
    "today": "2026-11-28",
    "screen": "NONE",
    "plan": [{"rung": "sd-1-hold-taps", "line": ["sd-1-hold-taps", "sd-2-sit-back"], "since": "2026-11-01"}],
    "log": [
        {"day": f"2026-11-{day}", "side": side, "rung": "sd-1-hold-taps", "pain": 1}
        for day in (18, 20, 22)
        for side in ("left", "right")
    ],
}
Reader = Callable[[Path], None]
ROOT = Path(__file__).parents[1]


def bytes_changed(data: bytes, draw: random.Random) -> bytes:
    """A few bytes, words or stretches of a file changed."""
    changed = bytearray(data)
    for _ in range(draw.choice((1, 1, 2, 4, 12))):
        size = len(changed)
        at, length = draw.randrange(size + 1), min(size, draw.choice((1, 2, 4, 16, 200)))
        way = draw.randrange(7)
        if way == 0 and size:
            changed[min(at, size - 1)] ^= 1 << draw.randrange(8)
        elif way == 1:
            changed[at : at + length] = draw.randbytes(length)
        elif way == 2:
            del changed[at : at + length]
        elif way == 3:
            changed[at:at] = changed[max(0, at - length) : at] * draw.choice((1, 3, 50))
        elif way == 4:
            del changed[at:]
        elif way == 5:
            changed[at : at + 4] = draw.choice((0, 0x7FFFFFFF, 0xFFFFFFFF, 0x80000000)).to_bytes(4, "little")
        else:
            words = list(re.finditer(rb"[\w.+-]+", bytes(changed[:200_000])))
            if words:
                word = draw.choice(words)
                changed[word.start() : word.end()] = draw.choice(ODD)
    return bytes(changed)


def json_changed(data: bytes, draw: random.Random) -> bytes:
    """A part of a JSON document put to something else, taken out, doubled, or exchanged with another."""
    told = json.loads(data)
    for _ in range(draw.choice((1, 1, 2, 4))):
        spots = list(_spots(told))
        if not spots:
            break
        inner, key = draw.choice(spots)
        way = draw.randrange(5)
        if way == 0:
            del inner[key]
        elif way == 1:
            inner[key] = draw.choice(PARTS)
        elif way == 2:
            other, name = draw.choice(spots)
            inner[key] = json.loads(json.dumps(other[name]))
        elif way == 3 and isinstance(inner, list):
            inner[key:key] = [inner[key]] * draw.choice((1, 40))
        elif isinstance(inner[key], int | float):
            inner[key] = inner[key] * draw.choice((-1, 1000, 1e-9)) + draw.choice((0, 1, 0.5))
        elif isinstance(inner[key], str) and inner[key]:
            inner[key] = bytes_changed(inner[key].encode(), draw).decode(errors="replace")
    return json.dumps(told, ensure_ascii=False).encode(errors="replace")


def either(data: bytes, draw: random.Random) -> bytes:
    """Bytes or parts changed."""
    return draw.choice((bytes_changed, json_changed))(data, draw)


def _spots(inner: object) -> Iterator[tuple[dict | list, str | int]]:
    """Every place of a document that holds something."""
    places = inner.items() if isinstance(inner, dict) else enumerate(inner) if isinstance(inner, list) else ()
    for key, value in list(places):
        yield inner, key
        yield from _spots(value)


def command(*words: str) -> Reader:
    """Read by a command; FILE in its words is the file, FOLDER the folder that it lies in."""

    def read(file: Path) -> None:
        said = [word.replace("FILE", str(file)).replace("FOLDER", str(file.parent)) for word in words]
        with Path(os.devnull).open("w") as nowhere, redirect_stdout(nowhere), redirect_stderr(nowhere):
            try:
                tuning.main(said, standalone_mode=False)
            except SystemExit as err:
                if err.code == 2:
                    raise BadInput("told in a sentence") from err
                if err.code not in (0, 1):
                    raise

    return read


def picture(file: Path) -> None:
    """A clip or photograph, as the window reads it."""
    from tuning.video import open_source

    source = open_source(file)
    frames = len(source.times)
    for n in {0, min(9, frames - 1), frames - 1}:
        source.frame(n)
    source.close()


def read_marks(file: Path) -> None:
    """Points for `tuning track`."""
    read_points(file)


class Kind:
    """A kind of file: sound ones, what changes them, what reads them, and what lies beside."""

    def __init__(
        self, files: list[Path], read: Reader, change: Callable[[bytes, random.Random], bytes] = bytes_changed,
        beside: Path | None = None,
    ) -> None:  # fmt: skip
        self.files, self.read, self.change, self.beside = files, read, change, beside

    def mutant(self, folder: Path, draw: random.Random) -> Path:
        """A damaged file in a folder of its own, with what it needs beside it."""
        sound = draw.choice(self.files)
        return self.copied(folder, sound, self.change(sound.read_bytes(), draw))

    def copied(self, folder: Path, sound: Path, data: bytes) -> Path:
        """A file with these bytes in a folder of its own, with what it needs beside it."""
        if self.beside is not None:
            shutil.copytree(self.beside, folder, dirs_exist_ok=True)
        target = folder / sound.name
        target.write_bytes(data)
        return target


def exported(record: Path, occupation: str, out: Path, how: str) -> Path:
    """What `tuning export` writes about somebody."""
    opened = Record(record)
    uid = next(p.uid for p in opened.patients() if p.occupation == occupation)
    opened.close()
    command("export", str(record), "--person", uid, "--to", str(out), "--as", how)(out)
    return out


def recording(folder: Path, draw: np.random.Generator) -> tuple[Path, Path, Path]:
    """Six seconds on two plates with two pushes, as CSV with its map, and as C3D."""
    time_s = np.arange(6000) / 1000
    pushed = sum(1 / (1 + np.exp(-12 * (0.8 - np.abs(time_s - at)))) for at in (2.2, 4.6))
    left, right = (400 + push * pushed + draw.normal(0, 1, 6000) for push in (500, 380))
    plates, mapping, c3d = folder / "plates.csv", folder / "map.json", folder / "plates.c3d"
    rows = [f"{t:.3f},{a:.1f},{b:.1f}" for t, a, b in zip(time_s, left, right, strict=True)]
    plates.write_text("time (s),Fz left (N),Fz right (N)\n" + "\n".join(rows) + "\n")
    mapping.write_text(json.dumps({"encoding": "utf-8", "separator": ",", "decimal": ".", "header_rows": 1,
                                   "time": 0, "left": 1, "right": 2, "unit": "N"}))  # fmt: skip
    file = ezc3d.c3d()
    file["parameters"]["POINT"]["RATE"]["value"] = [100.0]
    file["parameters"]["POINT"]["LABELS"]["value"] = ["m"]
    file["data"]["points"] = np.ones((4, 1, 600))
    file["parameters"]["ANALOG"]["RATE"]["value"] = [1000.0]
    file["parameters"]["ANALOG"]["LABELS"]["value"] = ["Fz left", "Fz right"]
    file["parameters"]["ANALOG"]["UNITS"]["value"] = ["N", "N"]
    file["data"]["analogs"] = np.stack([left, right])[None]
    file.write(str(c3d))
    return plates, mapping, c3d


def followed(folder: Path) -> tuple[Path, Path]:
    """Tracks of a walk and the points of one frame, from the truth of a demo clip."""
    clip = CLIPS["walk-rear"]
    frames = [clip.truth(n) for n in range(240)]
    tracks, points = folder / "tracks.csv", folder / "points.json"
    rows = [
        f"{n},{n / 60:.4f},{name},{at[0]:.2f},{at[1]:.2f},1.0" for n, f in enumerate(frames) for name, at in f.items()
    ]
    tracks.write_text("frame,time_s,landmark,x_px,y_px,quality\n" + "\n".join(rows) + "\n")
    points.write_text(
        json.dumps({"frame": 0, "points": {name: list(map(float, at)) for name, at in frames[0].items()}})
    )
    return tracks, points


def photographs(folder: Path) -> list[Path]:
    """One picture as PNG, as JPEG with a turn in its EXIF, and as WebP."""
    still = Image.fromarray(np.random.default_rng(3).integers(0, 255, (60, 80, 3), dtype=np.uint8))
    turned = Image.Exif()
    turned[0x0112] = 6
    made = [folder / f"photo{suffix}" for suffix in (".png", ".jpg", ".webp")]
    for path in made:
        still.save(path, exif=turned)
    return made


def kinds_in(folder: Path, clinic: Path) -> dict[str, Kind]:
    """Sound files of every kind, most of them made from the demo clinic."""
    empty, sealed = folder / "empty", folder / "sealed"
    made = Record(empty / "record")
    made.add_person("Somebody Here", "licensed clinician")
    made.close()
    archive = exported(clinic, "potter", folder / "case.zip", "archive")
    bundle = exported(clinic, "potter", folder / "bundle.json", "fhir")
    log = folder / "log.json"
    log.write_text(json.dumps(PLAN))
    shutil.copytree(empty / "record", sealed)
    encryption.protect(sealed, WORDS)
    words = folder / "words.txt"
    words.write_text(WORDS)
    os.environ[PASSPHRASE_FILE] = str(words)
    plates, mapping, c3d = recording(folder, np.random.default_rng(3))
    tracks, points = followed(folder)
    held = folder / "held"
    shutil.copytree(empty / "record", held)
    command("import", str(held), str(archive))(archive)
    take = command("import", "FOLDER/record", "FILE")
    return {
        "photograph": Kind(photographs(folder), picture),
        "clip": Kind([CLIPS["walk-rear"].path], picture),
        "csv": Kind([plates], command("force", "FILE", "--test", "squat-iso")),
        "c3d": Kind([c3d], command("force", "FILE", "--test", "squat-iso")),
        "tracks": Kind([tracks], command("measure", "FILE", "--task", "rear-gait")),
        "points": Kind([points], read_marks, either),
        "map": Kind([mapping], command("force", str(plates), "--map", "FILE", "--test", "squat-iso"), either),
        "case": Kind(sorted((ROOT / "docs" / "cases").glob("*.json")), command("reason", "FILE"), either),
        "log": Kind([log], command("plan", "FILE"), either),
        "archive": Kind([archive], take, beside=empty),
        "fhir": Kind([bundle], take, either, beside=empty),
        "record": Kind([held / "record.sqlite"], command("check-record", "FOLDER"), beside=held),
        "key": Kind([sealed / "key.json"], command("check-record", "FOLDER"), either, beside=sealed),
    }


def outcome(kind: Kind, file: Path) -> str:
    """What became of reading it in a fork of its own: read, refused, or what was wrong."""
    said = mmap.mmap(-1, 1 << 16)
    child = os.fork()
    if child == 0:
        used = int(Path("/proc/self/statm").read_text().split()[0]) * resource.getpagesize()
        resource.setrlimit(resource.RLIMIT_AS, (used + MEMORY, used + MEMORY))
        signal.setitimer(signal.ITIMER_PROF, SLOW_S)  # of the processor: a busy machine makes nothing slow
        signal.alarm(4 * SLOW_S)
        os.dup2(os.open(os.devnull, os.O_WRONLY), 2)
        try:
            kind.read(file)
            words = "read"
        except TuningError as err:
            words = f"refused {err}"
        except BaseException:
            words = f"raised {traceback.format_exc()[-3000:]}"
        said.write(words.encode(errors="replace")[:60_000])
        os._exit(0)
    _, status = os.waitpid(child, 0)
    words = said[:].rstrip(b"\0").decode(errors="replace")
    if words:
        return words
    signalled = os.WTERMSIG(status)
    return f"slow {SLOW_S} s" if signalled in (signal.SIGALRM, signal.SIGPROF) else f"ended by signal {signalled}"


def is_wrong(told: str) -> bool:
    """Neither read nor refused in words; clips and pictures that end their reader are met by the process apart."""
    return not told.startswith(("read", "refused "))


def caught_apart(kind: Kind, file: Path) -> bool:
    """Whether the process that looks at a foreign picture first refuses it."""
    if kind.read is not picture:
        return False
    try:
        look_at(file)
    except BadInput:
        return True
    return False


@click.command()
@click.option("--each", default=1000, help="Damaged files of each kind.")
@click.option("--kind", "only", help="This one only.")
@click.option("--seed", default=11)
@click.option("--clinic", type=click.Path(path_type=Path), help="A demo record that is there already.")
@click.option("--keep", type=click.Path(path_type=Path), help="Where to keep what was wrong.")
def main(each: int, only: str | None, seed: int, clinic: Path | None, keep: Path | None) -> None:
    """Damage, read, count; exit code 1 where something was wrong."""
    failed = 0
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        if clinic is None:
            clinic = folder / "clinic"
            build_clinic(clinic)
        kinds = kinds_in(folder, clinic)
        for kind_name in (only,) if only else kinds:
            kind, count, draw = kinds[kind_name], Counter[str](), random.Random(f"{seed} {kind_name}")
            for sound in kind.files:
                with tempfile.TemporaryDirectory(dir=folder) as place:
                    told = outcome(kind, kind.copied(Path(place), sound, sound.read_bytes()))
                    if told != "read":
                        raise click.ClickException(f"{kind_name}: {sound.name} is not read without damage: {told}")
            for n in range(each):
                with tempfile.TemporaryDirectory(dir=folder) as place:
                    file = kind.mutant(Path(place), draw)
                    told = outcome(kind, file)
                    wrong = is_wrong(told) and not caught_apart(kind, file)
                    count["wrong" if wrong else "refused" if is_wrong(told) else told.split()[0]] += 1
                    if wrong:
                        click.echo(f"{kind_name} {n}: {told}")
                        if keep is not None:
                            keep.mkdir(exist_ok=True)
                            shutil.copy(file, keep / f"{kind_name}-{n}{file.suffix}")
            click.echo(f"{kind_name}: {each} damaged, {count['read']} read or answered, {count['refused']} refused, "
                       f"{count['wrong']} wrong")  # fmt: skip
            failed += count["wrong"]
    sys.exit(1 if failed else 0)


if __name__ == "__main__":
    main()
