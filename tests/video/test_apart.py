"""Foreign clips and pictures are looked at in a process of their own: nothing that they do reaches the program."""

from __future__ import annotations

import struct
import sys
import zlib
from pathlib import Path

import chance
import numpy as np
import pytest
from conftest import numbered, write_clip
from PIL import Image

from tuning import sandbox
from tuning.core.errors import BadInput
from tuning.video import open_source
from tuning.video.media.safe_open import look_at

PROGRAMS = {
    "ends the reader": "import os, signal; os.kill(os.getpid(), signal.SIGSEGV)",
    "too much memory": "import resource as r; r.setrlimit(r.RLIMIT_AS, (1 << 28, 1 << 28)); bytearray(1 << 30)",
    "never ends": "import time; time.sleep(60)",
    "says nothing": "import sys; sys.exit(1)",
}


@pytest.fixture
def clip(tmp_path) -> Path:
    return write_clip(tmp_path / "whole.mp4", numbered(12), [n / 30 for n in range(12)])


def test_what_is_sound_is_let_through(clip, tmp_path):
    photo = tmp_path / "photo.png"
    Image.fromarray(np.zeros((40, 60, 3), np.uint8)).save(photo)
    for good in (clip, photo):
        look_at(good)


@pytest.mark.parametrize("program", list(PROGRAMS))
def test_a_reader_that_ends_eats_memory_or_never_ends_is_a_sentence(clip, tmp_path, monkeypatch, program):
    (tmp_path / "python").write_text(f"#!/bin/sh\nexec {sys.executable} -c '{PROGRAMS[program]}'\n")
    (tmp_path / "python").chmod(0o755)
    monkeypatch.setattr(sandbox.sys, "executable", str(tmp_path / "python"))
    monkeypatch.setattr(sandbox, "WALL", 2)
    with pytest.raises(BadInput, match=r"whole\.mp4.*cannot be read"):
        look_at(clip)


def test_limits_hold_in_the_process_itself(tmp_path, monkeypatch):
    for name, work in (("greedy", "lambda: print(len(bytearray(1 << 30))), 1 << 29"), ("looping", "loop, seconds=1")):
        (tmp_path / f"{name}.py").write_text(
            f"from tuning.sandbox import limited\ndef loop():\n    while True: pass\nlimited({work})\n"
        )
    monkeypatch.setenv("PYTHONPATH", f"{tmp_path}:{Path(sandbox.__file__).parents[1]}")
    assert "MemoryError" in sandbox.trouble("greedy")
    assert "ends the reader" in sandbox.trouble("looping")


def png(width: int, height: int) -> bytes:
    """A picture of a few bytes that says it is so large; its rows are all alike and pack to nothing."""

    def chunk(kind: bytes, data: bytes) -> bytes:
        return struct.pack(">I", len(data)) + kind + data + struct.pack(">I", zlib.crc32(kind + data))

    rows = zlib.compress(bytes(min(1 + width * 3, 1 << 20)) * min(height, 20), 9)
    head = struct.pack(">IIBBBBB", width, height, 8, 2, 0, 0, 0)
    return b"\x89PNG\r\n\x1a\n" + chunk(b"IHDR", head) + chunk(b"IDAT", rows) + chunk(b"IEND", b"")


@pytest.mark.parametrize(("width", "height"), [(13_000, 13_000), (2_000_000_000, 2), (60_000, 60_000)])
def test_a_small_file_that_unpacks_to_gigabytes_is_refused(tmp_path, width, height):
    bomb = tmp_path / "bomb.png"
    bomb.write_bytes(png(width, height))
    with pytest.raises(BadInput, match=r"bomb\.png"):
        look_at(bomb)


def test_damaged_clips_end_in_a_sentence_or_are_read(clip, tmp_path):
    """Bytes changed anywhere, most of them in the index: whoever lets one through can open it afterwards."""
    whole, rng = clip.read_bytes(), chance.RANDOM
    let_in = 0
    for n in range(12):
        data = bytearray(whole)
        for at in rng.integers(0, len(data), 1 + n):
            data[at] = rng.integers(0, 256)
        bad = tmp_path / f"bad {n}.mp4"
        bad.write_bytes(data[: len(data) - int(rng.integers(0, 400)) * (n % 3)])
        try:
            look_at(bad)
        except BadInput as err:
            assert bad.name in str(err)
            continue
        let_in += 1
        open_source(bad).close()
    assert let_in < 12
