"""Machine code that is kept may be damaged, or find no room: following goes on."""

from __future__ import annotations

import os
import resource
import subprocess
import sys
from pathlib import Path

import pytest

ASK = """
import numpy as np
from tuning.video.choices import going_on
print(going_on(np.eye(2) * 9, np.ones(2), 2.0, 1.0))
"""


def asked(kept: Path, room: int = -1) -> str:
    """What a process of its own makes of two runs and two finds, each on the other's course."""
    run = subprocess.run(
        [sys.executable, "-c", ASK],
        env={**os.environ, "NUMBA_CACHE_DIR": str(kept)},
        preexec_fn=lambda: resource.setrlimit(resource.RLIMIT_FSIZE, (room, room)),
        capture_output=True,
        text=True,
        check=False,
    )
    assert run.returncode == 0, run.stderr[-300:]
    return run.stdout.strip()


@pytest.mark.parametrize("kind", ["nbi", "nbc"])
def test_damaged_machine_code_is_made_anew(tmp_path, kind):
    assert asked(tmp_path) == "[1 0]"
    files = list(tmp_path.rglob(f"*.{kind}"))
    for file in files:
        os.truncate(file, 20)
    assert files and asked(tmp_path) == "[1 0]"


def test_machine_code_that_finds_no_room_is_made_each_time(tmp_path):
    assert asked(tmp_path, room=200) == "[1 0]"
    assert not list(tmp_path.rglob("*.nbc"))
