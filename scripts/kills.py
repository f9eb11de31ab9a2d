"""Kills the program while it makes or upgrades a record, again and again, and says what was not whole afterwards.

.venv/bin/python scripts/kills.py [COUNT]
"""

from __future__ import annotations

import gzip
import random
import shutil
import signal
import sqlite3
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

from tuning.records import Record
from tuning.records.schema import HEAD

PROGRAM = """
import sys
from pathlib import Path
from tuning.records import Record
print("on", flush=True)
Record(Path(sys.argv[1])).close()
"""
OLD = Path(__file__).parents[1] / "tests" / "records" / "data" / "record-0003.sqlite.gz"


def _seconds(folder: Path) -> float:
    """How long opening takes here, so that the kills fall within it."""
    begun = time.monotonic()
    subprocess.run([sys.executable, "-c", PROGRAM, str(folder)], check=True, stdout=subprocess.DEVNULL)
    return time.monotonic() - begun


def whole_after_kills(place: Path, count: int, fresh: bool, old: Callable[[Path], Path]) -> list[str]:
    """What was wrong after `count` kills at random moments; empty when every record opened whole."""
    trial = place / "trial"
    trial.mkdir()
    if not fresh:
        old(trial)
    seconds, wrong = _seconds(trial), []
    for n in range(count):
        folder = place / f"kill-{n}"
        folder.mkdir()
        if not fresh:
            old(folder)
        process = subprocess.Popen([sys.executable, "-c", PROGRAM, str(folder)], stdout=subprocess.PIPE)
        assert process.stdout is not None
        process.stdout.readline()
        time.sleep(random.uniform(0, 0.6 * seconds))
        process.send_signal(signal.SIGKILL)
        process.wait()
        process.stdout.close()
        wrong += [f"kill {n}: {problem}" for problem in _problems(folder, fresh)]
        shutil.rmtree(folder)
    return wrong


def _problems(folder: Path, fresh: bool) -> list[str]:
    record = Record(folder)
    try:
        found = [problem for problem in record.check() if not problem.startswith("media")]
        if not fresh and len(record.patients()) != 5:
            found.append("people are missing")
    finally:
        record.close()
    if not fresh:
        kept = sqlite3.connect(folder / f"record.sqlite.before-{HEAD}")
        if kept.execute("select version_num from alembic_version").fetchone() != ("0003",):
            found.append("the copy is not the old record")
        kept.close()
    return found


def main() -> None:
    """Both kinds of start, as many kills as asked for."""
    count = int(sys.argv[1]) if len(sys.argv) > 1 else 80

    def old(folder: Path) -> Path:
        file = folder / "record.sqlite"
        file.write_bytes(gzip.decompress(OLD.read_bytes()))
        return file

    for fresh in (False, True):
        with tempfile.TemporaryDirectory() as place:
            wrong = whole_after_kills(Path(place), count, fresh, old)
        print(f"{'first start' if fresh else 'upgrade'}: {count} kills, {len(wrong)} wrong")
        for line in wrong:
            print(f"  {line}")


if __name__ == "__main__":
    main()
