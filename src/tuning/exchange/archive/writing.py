"""Writing an archive: complete or not at all, readable by its owner alone."""

from __future__ import annotations

import hashlib
import json
import zipfile
from collections.abc import Mapping
from pathlib import Path
from typing import Any, BinaryIO

from tuning.exchange.archive.layout import CASE, SCHEMA, SUMS, VERSION, schema
from tuning.exchange.files import whole_file

MOMENT = (2020, 1, 1, 0, 0, 0)
"""Time of every member, so that the same case makes the same file."""


def write_archive(data: Mapping[str, Any], files: Mapping[str, Path], target: Path) -> None:
    """Write a person's data and files (by hash) to `target`. Raises EnvironmentFault; nothing half-written is left."""
    whole = {"format": "tuning-case", "version": VERSION, **data}
    texts = {
        CASE: json.dumps(whole, indent=1, ensure_ascii=False).encode(),
        SCHEMA: json.dumps(schema(), indent=1).encode(),
    }
    with whole_file(target, "The archive") as half:
        _write(half, texts, data, files)


def _write(half: BinaryIO, texts: Mapping[str, bytes], data: Mapping[str, Any], files: Mapping[str, Path]) -> None:
    sums = {name: hashlib.sha256(text).hexdigest() for name, text in texts.items()}
    with zipfile.ZipFile(half, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, text in texts.items():
            archive.writestr(_member(name, zipfile.ZIP_DEFLATED), text)
        for row in data["media"]:
            if row["sha256"] not in files:
                continue
            name = f"media/{row['sha256']}{row['suffix']}"
            info = _member(name, zipfile.ZIP_STORED)  # pictures and clips are compressed already
            info.file_size = files[row["sha256"]].stat().st_size
            with archive.open(info, "w") as out, files[row["sha256"]].open("rb") as source:
                while block := source.read(1 << 20):
                    out.write(block)
            sums[name] = row["sha256"]
        lines = "".join(f"{total}  {name}\n" for name, total in sorted(sums.items()))
        archive.writestr(_member(SUMS, zipfile.ZIP_DEFLATED), lines)


def _member(name: str, how: int) -> zipfile.ZipInfo:
    info = zipfile.ZipInfo(name, MOMENT)
    info.compress_type = how
    info.external_attr = 0o600 << 16
    return info
