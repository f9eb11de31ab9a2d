"""State of the strength run: effort, trials, set-up, what is asked next. Needs no window."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from PyQt6.QtCore import pyqtSignal

from tuning.core.errors import BadInput
from tuning.core.types import Triage
from tuning.core.strength.trace import GaugeEffort as Trace
from tuning.core.strength.trials import (
    MOST_TRIALS,
    Mode,
    Rule,
    Setup,
    Source,
    observe,
)
from tuning.core.types import LEGS, Observation, Role, Side
from tuning.core.units import parse_force, parse_length
from tuning.core.entries import Status
from tuning.core.visit.order import Effort
from tuning.records import Entry, FindingEntry, ObservationEntry
from tuning.ui.order.state import OrderState
from tuning.ui.strength.readings import PAIN, STAGE, StrengthReadings
from tuning.ui.workspace import Workspace


@dataclass(frozen=True)
class Caught:
    """An effort from the gauge that waits to be kept."""

    trace: Trace
    samples: np.ndarray

    @property
    def kept(self) -> dict[str, Any]:
        """What stands in the record: the samples and what was read from them."""
        return {
            "t": [round(float(t), 3) for t in self.samples[:, 0]],
            "n": [round(float(f), 1) for f in self.samples[:, 1]],
            "best_second": round(self.trace.best_second, 2),
            "time_to_peak": round(self.trace.time_to_peak, 3),
            "rise": round(self.trace.rise, 1),
            "fatigue": round(self.trace.fatigue, 2),
            "faults": self.trace.reason,
        }


class StrengthState(StrengthReadings):
    """The newest standing observation of each test and side is the state; nothing is kept twice."""

    changed = pyqtSignal()
    finished = pyqtSignal()
    """The last effort of the order is done."""

    def __init__(self, workspace: Workspace, order: OrderState) -> None:
        super().__init__(workspace, order)
        self.asking_pain = False
        self.reason = ""
        self.fixation = "hand"
        workspace.content_changed.connect(self.changed)
        workspace.case_changed.connect(self.begin)
        order.changed.connect(self._follow_order)

    # where the run stands

    def begin(self) -> None:
        """Take up the run where it was left."""
        self._levers, self.reason, self.asking_pain = {}, "", False
        if self.space.patient is not None:
            for row in self.space.observations():
                if row.measure_id in self.space.knowledge.tests:
                    self._levers[row.measure_id, row.side] = row.evidence.get("lever_m")
                    self.fixation = row.evidence.get("fixation", self.fixation)
                    self.reason = row.evidence.get("caution_reason", "")
            stops = self.order.open_stops(STAGE) or self.order.stops(STAGE)
            if stops:
                self._stand(stops[0].effort)
        self.changed.emit()

    def _stand(self, effort: Effort) -> None:
        self.test_id, self.side = effort.test, effort.side
        self.asking_pain = False
        kept = [seen.evidence.get("mode") for s in (*LEGS, Side.NONE) if (seen := self.seen(s)) is not None]
        if kept and kept[0]:
            self.mode = Mode(kept[0])

    def _follow_order(self) -> None:
        """A test that was taken out of the order is left."""
        ids = [s.effort.id for s in self.order.stops(STAGE)]
        if ids and self.effort_id not in ids and self.space.patient is not None:
            self.begin()
        else:
            self.changed.emit()

    def choose(self, effort_id: str) -> None:
        """Do this effort next."""
        found = [s.effort for s in self.order.stops(STAGE) if s.effort.id == effort_id]
        if found:
            self._stand(found[0])
            self.changed.emit()

    def choose_side(self, side: Side) -> None:
        """The same test on a side."""
        if self.side in LEGS:
            self.side, self.asking_pain = side, False
            self.changed.emit()

    def advance(self) -> None:
        """To the next effort of the order that is not done; after the last one the end is told."""
        stops = self.order.stops(STAGE)
        ids = [s.effort.id for s in stops]
        at = ids.index(self.effort_id) if self.effort_id in ids else -1
        rest = [s.effort for s in (*stops[at + 1 :], *stops[: max(at, 0)]) if not self.order.done(s.effort)]
        if rest:
            self._stand(rest[0])
            self.changed.emit()
        else:
            self.changed.emit()
            self.finished.emit()

    def back(self) -> None:
        """To the effort before."""
        stops = self.order.stops(STAGE)
        ids = [s.effort.id for s in stops]
        if self.effort_id in ids and ids.index(self.effort_id) > 0:
            self._stand(stops[ids.index(self.effort_id) - 1].effort)
            self.changed.emit()

    # entering

    def enter(self, text: str, caught: Caught | None = None) -> None:
        """Keep one typed or caught trial, or the pain that was asked. Raises BadInput; nothing is lost."""
        if self.asking_pain:
            self._enter_pain(text)
            self.advance()
            return
        force, _ = parse_force(text, self.unit)
        self._guard()
        trials = self.trials(self.side)
        if trials.size >= MOST_TRIALS:
            raise BadInput(f"{MOST_TRIALS} trials are kept already; strike one out or go on.")
        said = text.strip() if text.strip()[-1].isalpha() else f"{text.strip()} {self.unit}"
        before = self.seen(self.side)
        there = before.evidence.get("position") if before is not None else ""
        if there and there != self.position:
            raise BadInput(f"This side has trials {there}; strike them out before testing it {self.position}.")
        kept = caught.kept if caught is not None else None
        self._write("add trial", np.append(trials, force), [*self._said(), said], [*self._traces(), kept])
        if trials.size + 1 == self.wanted:
            self.go_on()

    def go_on(self) -> None:
        """Enter on an empty field: ask the pain where it belongs, else the next effort."""
        if self.asks_pain and self.trials(self.side).size and self.pain(self.side) is None and not self.asking_pain:
            self.asking_pain = True
            self.changed.emit()
        else:
            self.advance()

    def _guard(self) -> None:
        lock = self.lock()
        if lock:
            raise BadInput(f"Not kept: {lock}.")
        if self.needs_reason and not self.reason.strip():
            raise BadInput("AMBER: type the reason for a maximal test first; it is kept with every trial.")
        if self.needs_reason and not self._by_clinician():
            raise BadInput("AMBER: a maximal test needs a licensed clinician. The number was not kept.")
        if self.mode is Mode.BREAK and self.space.limits().limits:
            raise BadInput("A break test is barred while a surgeon's limit stands. The number was not kept.")

    @property
    def needs_reason(self) -> bool:
        """Under AMBER a maximal test needs a named clinician and a reason."""
        return self.space.triage() == (Triage.AMBER, False)

    def _by_clinician(self) -> bool:
        person = self.space.person
        return person is not None and person.role == Role.CLINICIAN.value

    def _said(self) -> list[str]:
        seen = self.seen(self.side)
        return [] if seen is None else list(seen.evidence.get("typed", []))

    def _traces(self, side: Side | None = None) -> list[dict[str, Any] | None]:
        seen = self.seen(side or self.side)
        if seen is None:
            return []
        kept = list(seen.evidence.get("traces", []))
        return kept or [None] * seen.trials.size

    def read_pain(self, text: str) -> int:
        """Pain 0-10. Raises BadInput."""
        if not text.strip().isdigit() or int(text) > 10:
            raise BadInput("Pain is a whole number from 0 to 10.")
        return int(text)

    def _enter_pain(self, text: str) -> None:
        self.set_pain(self.read_pain(text))

    def set_pain(self, pain: int | None) -> None:
        """Pain with the current test and side; kept with its trials."""
        trials = self.trials(self.side)
        if not trials.size:
            raise BadInput("Pain is kept with a trial; enter the force first.")
        self._write("pain", trials, self._said(), self._traces(), pain=pain)

    def strike_last(self) -> None:
        """Take the last trial of this side out."""
        trials = self.trials(self.side)
        if trials.size:
            self.asking_pain = False
            self._write("strike out trial", trials[:-1], self._said()[:-1], self._traces()[:-1])

    def end(self, status: Status) -> None:
        """The effort ends without a force; never a zero."""
        self.space.do(
            f"{self.test.name}: {status.value}", [self.space.find(self.test_id, {}, self.side, status)], self._endings()
        )
        self.advance()

    def ending(self) -> str:
        """How the current effort ended without a force."""
        found = [f for f in self.space.entries(FindingEntry) if f.id in self._endings()]
        return found[-1].status if found else ""

    def _endings(self) -> list[int]:
        mine = [f for f in self.space.findings(self.test_id) if f.side == self.side.value]
        return [f.id for f in mine if f.status != Status.DONE.value]

    # set-up

    def set_lever(self, text: str) -> None:
        """Lever arm of this test and side; empty for none. Raises BadInput."""
        lever = parse_length(text) if text.strip() else None
        if lever == self.lever(self.side):
            return
        self._levers[self.test_id, self.side] = lever
        self._rewrite("lever arm", self.side)

    def set_fixation(self, fixation: str) -> None:
        """Held by hand or by a belt; both sides of this test."""
        self.fixation = fixation
        for side in (*LEGS, Side.NONE):
            self._rewrite("device fixation", side)
        self.changed.emit()

    def set_mode(self, mode: Mode) -> None:
        """Make or break. Raises BadInput when this test already has trials in the other mode."""
        for side in (*LEGS, Side.NONE):
            seen = self.seen(side)
            if seen is not None and seen.evidence.get("mode", Mode.MAKE.value) != mode.value:
                said = Mode(seen.evidence.get("mode", Mode.MAKE.value)).value
                raise BadInput(
                    f"This test has {said} trials ({side.value}); the two modes are never mixed in one test."
                )
        if mode is Mode.BREAK and self.space.limits().limits:
            raise BadInput("A break test is barred while a surgeon's limit stands.")
        self.mode = mode
        self.changed.emit()

    def set_rule(self, rule: Rule) -> None:
        """Clinic setting: how trials become one value; what stands is worked out anew."""
        self.rule = rule
        self.space.settings.set("strength.rule", rule.value)
        for test_id in self.tested():
            for side in (*LEGS, Side.NONE):
                self._rewrite("summary of trials", side, test_id)
        self.changed.emit()

    def set_formula(self, formula: str) -> None:
        """Clinic setting: the percentage that is shown; the verdict keeps its own."""
        self.formula = formula
        self.space.settings.set("strength.formula", formula)
        self.changed.emit()

    def set_unit(self, unit: str) -> None:
        """Clinic setting: unit of a number without one, and of forces on screen."""
        self.unit = unit
        self.space.settings.set("strength.unit", unit)
        self.changed.emit()

    # writing

    def _rewrite(self, text: str, side: Side, test_id: str = "") -> None:
        """Write what stands again under the present set-up."""
        seen = self.seen(side, test_id)
        if seen is None:
            return
        here = self.test_id, self.side, self.mode
        self.test_id, self.side = test_id or self.test_id, side
        self.mode = Mode(seen.evidence.get("mode", Mode.MAKE.value))
        self._write(text, seen.trials, self._said(), self._traces())
        self.test_id, self.side, self.mode = here

    def _write(
        self,
        text: str,
        trials: np.ndarray,
        said: list[str],
        traces: list[dict[str, Any] | None],
        **more: int | None,
    ) -> None:
        space, side, before = self.space, self.side, self.seen(self.side)
        assert space.patient is not None
        pain = more["pain"] if "pain" in more else (before.evidence.get("pain") if before is not None else None)
        reason = self.reason.strip() if self.needs_reason else ""
        place = (before.evidence.get("position") if before is not None else "") or self.position
        setup = Setup(self._levers.get((self.test_id, side)), self.fixation, self.mode.value, place, pain, reason)
        notes = [str(t["faults"]) for t in traces if t is not None and t.get("faults")]
        method = "gauge" if trials.size and all(t is not None for t in traces) else "typed"
        source = Source(tuple(said), method, tuple(traces), "; ".join(f"kept all the same: {n}" for n in notes))
        seen = observe(self.test_id, side, trials, setup, space.patient.body_mass_kg, source, self.rule)
        new: list[Entry] = [space.observe(o) for o in seen]
        mine = {self.test_id, f"{self.test_id}-torque"}
        if self.asks_pain:
            mine.add(PAIN)
            if pain is not None and trials.size:
                asked = Observation(PAIN, side, float(pain), np.array([float(pain)]), method="typed")
                new.append(space.observe(asked))
        rows = space.entries(ObservationEntry)
        old = [row.id for row in rows if row.measure_id in mine and row.side == side.value]
        where = f", {side.value}" if side in LEGS else ""
        space.do(f"{text}{where}", new, [*old, *self._endings()])
