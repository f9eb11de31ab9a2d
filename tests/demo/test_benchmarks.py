"""Every benchmark starts, in the small, and tells a ratio."""

from __future__ import annotations

import re
import subprocess
import sys
from pathlib import Path

import pytest

FOLDER = Path(__file__).parents[2] / "benchmarks"


@pytest.mark.parametrize("path", sorted(FOLDER.glob("*.py")), ids=lambda path: path.stem)
def test_a_benchmark_runs_and_tells_its_ratios(path: Path, tmp_path: Path):
    run = subprocess.run(
        [sys.executable, str(path), "--small"], capture_output=True, text=True, cwd=tmp_path, timeout=300, check=False
    )
    assert run.returncode == 0, run.stderr[-2000:]
    assert re.search(r"ratio|times|speed| of ", run.stdout)
