"""Machine code that is kept may be damaged, or find no room: following goes on."""

from __future__ import annotations

import os
import resource
import subprocess
import sys
from pathlib import Path

import pytest

WORK = """
from tuning.video.media.jit import NUMBER, compiled

@compiled(NUMBER, NUMBER)
def doubled(n):
    return 2 * n
"""


def asked(folder: Path, room: int = -1) -> str:
    """What a process of its own makes of a function that is machine code, kept in `folder`."""
    if not (folder / "work.py").exists():
        (folder / "work.py").write_text(WORK)
    run = subprocess.run(
        [sys.executable, "-c", "import work; print(work.doubled(21))"],
        cwd=folder,
        env={**os.environ, "NUMBA_CACHE_DIR": str(folder / "kept")},
        preexec_fn=lambda: resource.setrlimit(resource.RLIMIT_FSIZE, (room, room)),
        capture_output=True,
        text=True,
        check=False,
    )
    assert run.returncode == 0, run.stderr[-300:]
    return run.stdout.strip()


@pytest.mark.parametrize("kind", ["nbi", "nbc"])
def test_damaged_machine_code_is_made_anew(tmp_path, kind):
    assert asked(tmp_path) == "42.0"
    files = list(tmp_path.rglob(f"*.{kind}"))
    for file in files:
        os.truncate(file, 20)
    assert files and asked(tmp_path) == "42.0"


def test_machine_code_that_finds_no_room_is_made_each_time(tmp_path):
    assert asked(tmp_path, room=200) == "42.0"
    assert not list(tmp_path.rglob("*.nbc"))
