"""How the vignettes of triage are judged: `python scripts/vignettes.py` writes docs/vignettes.md."""

from __future__ import annotations

import sys
from collections import Counter
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parent.parent / "tests" / "core"))

from test_vignettes import CARE, ROWS, case_of, judged

from tuning.core.types import Triage

TARGET = Path(__file__).parent.parent / "docs" / "vignettes.md"
PAGE = """# Triage on people as they come

Written by `python scripts/vignettes.py`: {n} people of an age, with what they say and what is measured, each beside one
that differs by a fact. What is right was written from the rules of practice before the program was; whoever disagrees
with a line edits it in `tests/core/test_vignettes.py` and sees what changes. The rules were mended until every line
agreed: the table tells that nothing slipped since, not how often somebody new is judged right.

| wanted | people | right | too low | too high | level right, urgency not |
|---|---|---|---|---|---|
{rows}
"""


def outcome(row: tuple[str, ...]) -> str:
    """How one person is judged: right, too low, too high, or urgency."""
    age, yes, seen, level, urgency = row
    found, first = judged(case_of(int(age), yes, seen))
    if found is not Triage(level):
        return "too low" if CARE[found] < CARE[Triage(level)] else "too high"
    return "right" if first == urgency else "urgency"


def page() -> str:
    """The page, counted afresh."""
    counts: dict[str, Counter[str]] = {level.value: Counter() for level in Triage}
    for row in ROWS:
        counts[row[3]][outcome(row)] += 1
    kinds = ("right", "too low", "too high", "urgency")
    rows = [
        f"| {level} | {told.total()} | " + " | ".join(str(told[kind]) for kind in kinds) + " |"
        for level, told in counts.items()
    ]
    return PAGE.format(n=len(ROWS), rows="\n".join(rows))


if __name__ == "__main__":
    TARGET.write_text(page())
