"""Planning a visit against costing its list order, in the same run: `python benchmarks/order.py`."""

from __future__ import annotations

import statistics
import sys
import time

from tuning.core.types import Side
from tuning.core.visit.order import as_listed, plan
from tuning.core.visit.plan import VisitSelection, chosen_efforts
from tuning.core.visit.visit_items import OrderPreferences
from tuning.knowledge import load

ROUNDS = 1 if "--small" in sys.argv else 15


def timed(work) -> float:
    start = time.perf_counter()
    work()
    return time.perf_counter() - start


def main() -> None:
    """Median time of a plan from nothing, as a drag or a skip asks for it."""
    knowledge = load()
    for template in knowledge.order.template:
        efforts = chosen_efforts(
            VisitSelection(template.tests), knowledge.tests, knowledge.order.clip, Side.LEFT
        ).efforts
        wishes = OrderPreferences(Side.LEFT, minutes=knowledge.order.minutes)
        pairs = [(timed(lambda e=efforts, w=wishes: plan(e, w)), timed(lambda e=efforts, w=wishes: as_listed(e, w)))
                 for _ in range(ROUNDS)]  # fmt: skip
        ratio = statistics.median(p / b for p, b in pairs)
        order, listed = plan(efforts, wishes), as_listed(efforts, wishes)
        print(f"{template.name}: {len(template.tests)} tests, {len(efforts)} efforts; planned in "
              f"{1e3 * statistics.median(p for p, _ in pairs):.0f} ms, {ratio:.0f} times the costing of the list; "
              f"{order.turns} turns against {listed.turns}")  # fmt: skip


main()
