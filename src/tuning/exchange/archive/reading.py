"""Reading an archive that anybody may have made: only what must be there, within limits, every hash compared."""

from __future__ import annotations

import hashlib
import json
import stat
import zipfile
import zlib
from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import jsonschema

from tuning.core.errors import BadInput
from tuning.exchange.archive.layout import CASE, MEDIA, MOST_JSON, MOST_MEMBERS, MOST_TOTAL, SCHEMA, SUMS, schema


@dataclass(frozen=True)
class ReadArchive:
    """A person's data, and the media as files in a folder that is gone after the `with` block."""

    data: Mapping[str, Any]
    files: Mapping[str, Path]


@contextmanager
def read_archive(path: Path, folder: Path) -> Iterator[ReadArchive]:
    """Read an archive; media are unpacked into `folder`, which the caller makes and removes.

    Raises BadInput with what is wrong; nothing outside `folder` is ever written.
    """
    with _told(path), zipfile.ZipFile(path) as archive:
        members = _members(path, archive)
        data = _data(path, archive, members[CASE])
        files = {row["sha256"]: _file(path, archive, members, row, folder) for row in data["media"]}
        _sums(path, archive, members)
    yield ReadArchive(data, files)


@contextmanager
def _told(path: Path) -> Iterator[None]:
    """Whatever a damaged zip raises is one sentence."""
    try:
        yield
    except (zipfile.BadZipFile, zlib.error, EOFError, RuntimeError, OSError, ValueError) as err:
        if isinstance(err, BadInput):
            raise
        raise BadInput(f"“{path.name}” is damaged or no archive of a case ({err}). Nothing was taken over.") from err


def _members(path: Path, archive: zipfile.ZipFile) -> dict[str, zipfile.ZipInfo]:
    infos = archive.infolist()
    if len(infos) > MOST_MEMBERS:
        raise BadInput(f"“{path.name}” holds {len(infos)} files; a case holds at most {MOST_MEMBERS}.")
    found: dict[str, zipfile.ZipInfo] = {}
    for info in infos:
        name = info.filename
        if name not in (CASE, SCHEMA, SUMS) and MEDIA.fullmatch(name) is None:
            raise BadInput(f"“{path.name}” holds “{name[:60]}”, which belongs to no case. Nothing was taken over.")
        if name in found:
            raise BadInput(f"“{path.name}” holds “{name}” twice. Nothing was taken over.")
        if stat.S_ISLNK(info.external_attr >> 16):
            raise BadInput(f"“{path.name}” holds a link. Nothing was taken over.")
        found[name] = info
    if CASE not in found:
        raise BadInput(f"“{path.name}” holds no {CASE}: no archive of a case.")
    if sum(info.file_size for info in infos) > MOST_TOTAL or found[CASE].file_size > MOST_JSON:
        raise BadInput(f"“{path.name}” would unpack to more than any case holds. Nothing was taken over.")
    return found


def _data(path: Path, archive: zipfile.ZipFile, info: zipfile.ZipInfo) -> Mapping[str, Any]:
    with archive.open(info) as stream:
        text = stream.read(info.file_size + 1)
    if len(text) != info.file_size:
        raise BadInput(f"“{path.name}”: {CASE} is not as long as it says. Nothing was taken over.")
    try:
        data = json.loads(text, parse_constant=_no_number)
    except (ValueError, RecursionError) as err:
        raise BadInput(f"“{path.name}”: {CASE} is no JSON. Nothing was taken over.") from err
    if isinstance(data, dict) and isinstance(data.get("version"), int) and data["version"] > 1:
        raise BadInput(f"“{path.name}” was written by a newer Tuning (version {data['version']}).")
    wrong = next(iter(jsonschema.Draft202012Validator(schema()).iter_errors(data)), None)
    if wrong is not None:
        where = "/".join(map(str, wrong.absolute_path)) or "the top"
        raise BadInput(f"“{path.name}” is no case: {where}: {wrong.message[:200]}. Nothing was taken over.")
    for name in ("visits", "media", "entries", "people"):
        uids = [row["uid"] for row in data[name]]
        if len(uids) != len(set(uids)):
            raise BadInput(f"“{path.name}” holds the same uid twice among its {name}. Nothing was taken over.")
    return {key: value for key, value in data.items() if key not in ("format", "version")}


def _no_number(word: str) -> float:
    """NaN and the infinities are no JSON, whatever the library thinks. Raises ValueError."""
    raise ValueError(f"{word} is no number")


def _file(
    path: Path, archive: zipfile.ZipFile, members: Mapping[str, zipfile.ZipInfo], row: Mapping[str, Any], folder: Path
) -> Path:
    name = f"media/{row['sha256']}{row['suffix']}"
    info = members.get(name)
    if info is None:
        raise BadInput(f"“{path.name}” lacks the file {row['original_name']}. Nothing was taken over.")
    target, digest, size = folder / name.replace("/", "-"), hashlib.sha256(), 0
    with archive.open(info) as stream, target.open("wb") as out:
        while block := stream.read(1 << 20):
            size += len(block)
            if size > info.file_size or size > MOST_TOTAL:
                raise BadInput(f"“{path.name}”: {name} is longer than it says. Nothing was taken over.")
            digest.update(block)
            out.write(block)
    if digest.hexdigest() != row["sha256"]:
        raise BadInput(f"“{path.name}”: {row['original_name']} is not what it was. Nothing was taken over.")
    return target


def _sums(path: Path, archive: zipfile.ZipFile, members: Mapping[str, zipfile.ZipInfo]) -> None:
    """Every member against the list of hashes; media were compared with their names already."""
    if SUMS not in members:
        raise BadInput(f"“{path.name}” lacks {SUMS}. Nothing was taken over.")
    with archive.open(members[SUMS]) as stream:
        lines = stream.read(min(members[SUMS].file_size, 1 << 20)).decode().splitlines()
    pairs = [line.split("  ", 1) for line in lines if "  " in line]
    told = {name: total for total, name in pairs}
    for name in members.keys() - {SUMS}:
        if name not in told:
            raise BadInput(f"“{path.name}”: {SUMS} does not name {name}. Nothing was taken over.")
        if MEDIA.fullmatch(name) is None:
            with archive.open(members[name]) as stream:
                found = hashlib.sha256(stream.read(members[name].file_size + 1)).hexdigest()
            if found != told[name]:
                raise BadInput(f"“{path.name}”: {name} is not what it was. Nothing was taken over.")
