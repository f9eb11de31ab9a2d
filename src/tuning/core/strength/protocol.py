"""How strength was tested last time, so that it can be repeated alike."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import dataclass, field
from typing import Any

from tuning.core.case import Case
from tuning.core.entries import Form
from tuning.core.types import Observation, Setup, Side, TraceRef
from tuning.core.units import FORCE_UNITS


@dataclass(frozen=True)
class Protocol:
    """The set-up and values of one visit by test and side, the unit in which they were typed, and the order."""

    visit: str
    setups: Mapping[tuple[str, Side], Setup] = field(default_factory=dict)
    values: Mapping[tuple[str, Side], tuple[float, ...]] = field(default_factory=dict)
    unit: str = ""
    order: Mapping[str, Any] = field(default_factory=dict)

    def trials(self, test_id: str) -> int:
        """Trials that were done of a test, the more of both sides; 0 where it was not done."""
        return max((len(v) for (test, _), v in self.values.items() if test == test_id), default=0)


def protocol_of(case: Case, tests: Collection[str], order_form: str, visit: str) -> Protocol:
    """What a visit holds of some tests."""
    seen = [o for o in case.all(Observation) if o.visit == visit and o.measure_id in tests and o.trials.size]
    typed = [text for o in seen if isinstance(o.evidence, TraceRef) for text in o.evidence.typed]
    units = [word for text in typed if (word := text.split()[-1]) in FORCE_UNITS]
    forms = [f for f in case.all(Form) if f.visit == visit and f.kind == order_form]
    order: Mapping[str, Any] = forms[-1].data if forms else {"tests": list(dict.fromkeys(o.measure_id for o in seen))}
    return Protocol(
        visit,
        {(o.measure_id, o.side): o.setup for o in seen},
        {(o.measure_id, o.side): tuple(float(v) for v in o.trials) for o in seen},
        units[-1] if units else "",
        order,
    )


def last_protocol(case: Case, tests: Collection[str], order_form: str) -> Protocol | None:
    """The newest visit before the open one in which any of the tests was done; None where there is none."""
    before = [v.uid for v in case.visits[: case.number - 1]]
    done = {o.visit for o in case.all(Observation) if o.measure_id in tests and o.trials.size}
    visit = next((uid for uid in reversed(before) if uid in done), None)
    return None if visit is None else protocol_of(case, tests, order_form, visit)
