"""The page docs/accuracy.md: every script that measures writes its own table into it."""

from __future__ import annotations

import re
import secrets
import sys
from collections.abc import Sequence
from pathlib import Path

DOCS = Path(__file__).parent.parent / "docs"
PAGE = DOCS / "accuracy.md"


def seed() -> int:
    """The seed that was given on the command line, else a new one."""
    return int(sys.argv[1]) if len(sys.argv) > 1 else secrets.randbits(24)


def write_table(said: str, head: Sequence[str], rows: Sequence[Sequence[str]], file: Path = PAGE) -> None:
    """Put a sentence and a table in the place of the running script on its page, and print them."""
    lines = [said, "", *(f"| {' | '.join(row)} |" for row in (head, ["---"] * len(head), *rows))]
    table = "\n".join(lines)
    start = f"<!-- table: scripts/{Path(sys.argv[0]).name} -->"
    page = file.read_text(encoding="utf-8")
    new, count = re.subn(f"({re.escape(start)}\n).*?(\n<!-- end)", lambda m: m[1] + table + m[2], page, flags=re.DOTALL)
    if count != 1:
        raise SystemExit(f"{file} has no place for this table: {start}")
    file.write_text(new, encoding="utf-8")
    print(table)
