"""Temporary files of a killed run go at the next start; those of whoever still works stay."""

import os
import subprocess
import sys

from tuning.scratch import scratch, sweep


def test_what_a_killed_process_left_goes_and_nothing_else_does(tmp_path):
    """A lent file of a protected record may lie there, so it is looked for by the process that made it."""
    ended = subprocess.Popen([sys.executable, "-c", "pass"])
    ended.wait()
    (tmp_path / f"tuning-{ended.pid}-lent-x").mkdir()
    (tmp_path / f"tuning-{ended.pid}-lent-x" / "clip.mp4").write_bytes(b"x")
    (tmp_path / f"tuning-{ended.pid}-letter-y.pdf").write_bytes(b"x")
    stays = {f"{scratch('live')}z", f"tuning-{os.getppid()}-c3d-q", "tuning-notes", f"other-{ended.pid}-x"}
    for name in stays:
        (tmp_path / name).mkdir()
    assert sweep((tmp_path,)) == 2
    assert {left.name for left in tmp_path.iterdir()} == stays
