"""Reasoning about 400 observations, against reading the case from its file: `python benchmarks/reasoning.py`."""

from __future__ import annotations

import json
import statistics
import sys
import tempfile
import time
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

from tuning.core.reasoning.conclusion import conclude, tests_of
from tuning.core.reasoning.next_best_test import next_tests
from tuning.core.types import LEGS
from tuning.exchange.json.cases import read_case
from tuning.knowledge import load

SMALL = "--small" in sys.argv
ROUNDS, COUNT = (1, 20) if SMALL else (15, 400)


def median_ms(work: Callable[[], object]) -> float:
    taken = []
    for _ in range(ROUNDS):
        began = time.perf_counter()
        work()
        taken.append(1000 * (time.perf_counter() - began))
    return statistics.median(taken)


def main() -> None:
    knowledge = load()
    tests = tests_of(knowledge)
    seen = []
    while len(seen) < COUNT:
        for measure in knowledge.measures.values():
            base = 10 * (measure.band or measure.sem or 1)
            sides = [side.value for side in LEGS] if measure.paired else ["none"]
            seen += [
                {"measure": measure.id, "side": s, "trials": [base, base * 1.05 if s == "left" else base]}
                for s in sides
            ]
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "case.json"
        path.write_text(json.dumps({"safety": {}, "observations": seen[:COUNT]}))
        read = read_case(path, knowledge)

        def reason() -> None:
            case = replace(read.case, _memo={})
            found = conclude(case, knowledge.reasoning, knowledge.measures, tests, read.triage)
            for one in found.balances:
                next_tests(knowledge.reasoning, one, found.found, tests)

        loading, reasoning = median_ms(lambda: read_case(path, knowledge)), median_ms(reason)
        print(
            f"{COUNT} observations: read {loading:.1f} ms, reasoned {reasoning:.1f} ms, ratio {reasoning / loading:.1f}"
        )


if __name__ == "__main__":
    main()
