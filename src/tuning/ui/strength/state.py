"""State of the strength run: effort, trials, set-up, what is asked next. Needs no window."""

from __future__ import annotations

from collections.abc import Mapping
from contextlib import AbstractContextManager
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from PyQt6.QtCore import pyqtSignal

from tuning.core.entries import Ending, Form, Status
from tuning.core.errors import BadInput, Refused
from tuning.core.gate.permission import permission_for, require_permission
from tuning.core.judging.comparability import PAIN_LIMITED
from tuning.core.judging.trial_rule import TrialRule
from tuning.core.preferences import FORMULA, LENGTH_UNIT, TRIALS, UNIT
from tuning.core.strength.gauge_trace import GaugeEffort
from tuning.core.strength.protocol import last_protocol
from tuning.core.strength.trials import MOST_TRIALS, USUAL, Mode, StrengthTrials, doubt_of, observe
from tuning.core.types import LEGS, Observation, Setup, Side, TraceRef
from tuning.core.units import parse_force, parse_lever, sentence_case
from tuning.core.visit.visit_items import VisitItem as OrderedEffort
from tuning.knowledge.gate_acts import act_of_test
from tuning.ui.change_set import ChangeSet
from tuning.ui.formatting import day
from tuning.ui.strength.strength_queries import PAIN, REPEATS, STAGE, StrengthReadings
from tuning.ui.visit_order.state import KEPT as KEPT_ORDER
from tuning.ui.visit_order.state import OrderState
from tuning.ui.workspace import Workspace


@dataclass(frozen=True)
class PendingEffort:
    """An effort from the gauge that waits to be kept."""

    trace: GaugeEffort
    samples: np.ndarray
    device: str = ""
    simulated: bool = False

    @property
    def to_dict(self) -> dict[str, Any]:
        """What stands in the record: the samples and what was read from them."""
        return {
            "t": [round(float(t), 3) for t in self.samples[:, 0]],
            "n": [round(float(f), 1) for f in self.samples[:, 1]],
            "best_second": round(self.trace.best_second, 2),
            "time_to_peak": round(self.trace.time_to_peak, 3),
            "rise": round(self.trace.rise, 1),
            "fatigue": round(self.trace.fatigue, 2),
            "faults": self.trace.reason,
            "device": self.device,
            "simulated": self.simulated,
        }


MOST_WANTED = 3
STOP_PAIN = 6
"""Pain 0-10 from which a test is not repeated (bands as Thorborg 2017)."""


class StrengthState(StrengthReadings):
    """The newest standing observation of each test and side is the state; nothing is kept twice."""

    changed = pyqtSignal()
    finished = pyqtSignal()
    """The last effort of the order is done."""
    stopped = pyqtSignal(str)
    """Why the run waits, or does not go on as usual."""

    def __init__(self, workspace: Workspace, order: OrderState) -> None:
        super().__init__(workspace, order)
        self.asking_pain = self._leaving = False
        self._questioned: tuple[str, float] | None = None
        self.reason = ""
        self.fixation = "hand"
        workspace.content_changed.connect(self.changed)
        workspace.case_changed.connect(self.begin)
        order.changed.connect(self._follow_order)
        self.begin()

    # where the run stands

    def begin(self) -> None:
        """Take up the run where it was left."""
        self._levers, self.reason, self.asking_pain, self._questioned = {}, "", False, None
        self.fixation, self.mode = USUAL.fixation, Mode.MAKE
        repeated = self.protocol
        self.unit = (repeated.unit if repeated is not None else "") or self.space.settings.get(UNIT, "N")
        if self.space.patient is not None:
            for row in self.space.observations():
                test = self.space.knowledge.tests.get(row.measure_id)
                if test is not None and test.stage == STAGE:
                    self._levers[row.measure_id, row.side] = row.setup.lever_m
                    self.fixation = row.setup.fixation or self.fixation
                    self.reason = row.reason or self.reason
            stops = self.order.open_stops(STAGE) or self.order.stops(STAGE)
            if stops:
                self._stand(stops[0].effort)
        self.changed.emit()

    def _stand(self, effort: OrderedEffort) -> None:
        self.test_id, self.side = effort.test, effort.side
        self.asking_pain = self._leaving = False
        kept = [seen.setup.mode for s in (*LEGS, Side.NONE) if (seen := self.observation(s)) is not None]
        before = self.before(self.side)
        was = kept or ([before.mode] if before is not None else [])
        self.mode = Mode(was[0]) if was and was[0] else Mode.MAKE
        if before is not None and not kept:
            self.fixation = before.fixation or self.fixation

    def _follow_order(self) -> None:
        """A test that was taken out of the order is left."""
        ids = [s.effort.id for s in self.order.stops(STAGE)]
        if ids and self.effort_id not in ids and self.space.patient is not None:
            self.begin()
        else:
            self.changed.emit()

    def repeat_last(self) -> str:
        """Take over how the last visit with strength was done; what was, in words. Raises BadInput without one."""
        case = self.space.case
        found = last_protocol(case, self._ids(), KEPT_ORDER) if case is not None else None
        if case is None or found is None:
            raise BadInput("No earlier visit of this person holds a strength test.")
        was = next(v for v in case.visits if v.uid == found.visit)
        with self.space.action("last protocol") as act:
            act.replace(Form(REPEATS, {"visit": found.visit}), self.space.form_today(REPEATS))
            self.order.take_over(act, found.order)
        self.begin()
        return f"As on {day(was.started_at)}: order, positions, pads, levers, mode and number of trials."

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

    def enter(self, text: str, caught: PendingEffort | None = None) -> None:
        """Keep one typed or caught trial, or the pain that was asked. Raises BadInput; nothing is lost."""
        if self.asking_pain:
            self._enter_pain(text)
            return
        force, _ = parse_force(text, self.unit)
        if caught is None:
            self._question(force)
        reason = require_permission(self.act, self.space.facts(), self.reason)
        before = self.observation(self.side)
        trials = self.trials(self.side)
        if trials.size >= MOST_TRIALS:
            raise BadInput(f"{MOST_TRIALS} trials are saved already; strike one out or continue.")
        if before is not None and before.setup.position not in ("", self.position):
            raise BadInput(
                f"This side has trials {before.setup.position}; strike them out before testing it {self.position}."
            )
        said = text.strip() if text.strip()[-1].isalpha() else f"{text.strip()} {self.unit}"
        trace = caught.to_dict if caught is not None else None
        setup = self._setup(before, caught)
        grown = StrengthTrials(
            self.test_id,
            self.side,
            np.append(trials, force),
            (*self._typed(before), said),
            (*self._traces(before), trace),
            setup,
            before.pain if before is not None else None,
            reason or (before.reason if before is not None else ""),
        )
        with self._action("add trial") as act:
            self._put(act, grown)
        self.asking_pain = self.asks_pain
        if self.asking_pain:
            self.changed.emit()
        elif trials.size + 1 == self.wanted:
            self.go_on()

    def _question(self, force: float) -> None:
        """Ask once about what cannot be meant; the same number again is meant. Raises BadInput."""
        beside = np.concatenate([self.trials(side) for side in (*LEGS, Side.NONE)])
        doubt, asked = doubt_of(force, beside, self.fixation), (self.effort_id, force)
        if doubt and self._questioned != asked:
            self._questioned = asked
            raise BadInput(f"{doubt}. Correct it, or press Enter again to keep it.")
        self._questioned = None

    def _setup(self, before: Observation | None, caught: PendingEffort | None) -> Setup:
        """How a trial is done: as those before it on this side, else as is chosen now."""
        if before is not None:
            setup = replace(before.setup, lever_m=self.lever(self.side))
        else:
            patient = self.space.patient
            mass = patient.body_mass_kg if patient is not None else None
            setup = Setup(
                mode=self.mode.value,
                position=self.position,
                pad=self.pad,
                fixation=self.fixation,
                lever_m=self.lever(self.side),
                body_mass_kg=mass,
            )
        if caught is not None:
            setup = replace(setup, device=caught.device, simulated=setup.simulated or caught.simulated)
        return setup

    def go_on(self) -> None:
        """Enter on an empty field: ask the pain where it belongs, else the next effort."""
        size = self.trials(self.side).size
        if self.asks_pain and len(self.pains(self.side)) < size and not self.asking_pain:
            self.asking_pain = True
            self.changed.emit()
        elif not size and not self.ending() and not self.lock() and not self._leaving:
            self._leaving = True
            self.stopped.emit("Nothing was entered here. Enter once more leaves this test for later.")
        else:
            self.advance()

    @property
    def needs_reason(self) -> bool:
        """True when the gate asks a licensed clinician for a reason."""
        return self.permission().asks

    @staticmethod
    def _typed(seen: Observation | None) -> tuple[str, ...]:
        return seen.evidence.typed if seen is not None and isinstance(seen.evidence, TraceRef) else ()

    @staticmethod
    def _traces(seen: Observation | None) -> tuple[Mapping[str, Any] | None, ...]:
        if seen is None:
            return ()
        kept = seen.evidence.traces if isinstance(seen.evidence, TraceRef) else ()
        return kept or (None,) * seen.trials.size

    def _standing(self, seen: Observation) -> StrengthTrials:
        """What stands of a test and side, as an effort to be put right."""
        return StrengthTrials(
            seen.measure_id,
            seen.side,
            seen.trials,
            self._typed(seen),
            self._traces(seen),
            seen.setup,
            seen.pain,
            seen.reason,
        )

    def read_pain(self, text: str) -> int:
        """Pain 0-10. Raises BadInput."""
        if not text.strip().isdigit() or int(text) > 10:
            raise BadInput("Pain is a whole number from 0 to 10.")
        return int(text)

    def _enter_pain(self, text: str) -> None:
        """Pain after a trial; from STOP_PAIN on there is no further one."""
        pain, told = self.read_pain(text), self.pains(self.side)
        self._keep_pains((*told, pain))
        self.asking_pain = False
        if pain >= STOP_PAIN:
            self.stopped.emit(f"Pain {pain}/10: no further trial of this test.")
        if pain >= STOP_PAIN or self.trials(self.side).size >= self.wanted:
            self.advance()
        else:
            self.changed.emit()

    def set_pain(self, pain: int | None) -> None:
        """Pain with the current test and side; kept with its trials. A test that hurt goes last in its position."""
        self._keep_pains(() if pain is None else (pain,))

    def _keep_pains(self, pains: tuple[int, ...]) -> None:
        seen = self.observation(self.side)
        if seen is None:
            raise BadInput("Pain is kept with a trial; enter the force first.")
        pain = max(pains, default=None)
        with self._action("pain") as act:
            self._put(act, replace(self._standing(seen), pain=pain), pains)
            if pain is not None and pain >= PAIN_LIMITED:
                self.order.put_painful(act, self.test_id)

    def strike_last(self) -> None:
        """Take the last trial of this side out."""
        seen = self.observation(self.side)
        if seen is None:
            return
        self.asking_pain = False
        was = self._standing(seen)
        left = replace(was, newtons=was.newtons[:-1], typed=was.typed[:-1], traces=was.traces[:-1])
        with self._action("strike out trial") as act:
            self._put(act, left, self.pains(self.side)[: left.newtons.size])

    def end(self, status: Status) -> None:
        """The effort ends without a force; never a zero."""
        with self.space.action(f"{self.test.name}: {status.value}") as act:
            act.replace(Ending(self.test_id, self.side, status), *self._endings())
        self.advance()

    def ending(self) -> str:
        """How the current effort ended without a force."""
        found = self._endings()
        return found[-1].status.value if found else ""

    def _endings(self) -> list[Ending]:
        return [e for e in self.space.endings(self.test_id) if e.side is self.side]

    # set-up

    def set_lever(self, text: str) -> None:
        """Lever arm of this test and side; empty for none. Raises BadInput."""
        lever = parse_lever(text, self.space.prefer(LENGTH_UNIT)) if text.strip() else None
        if lever == self.lever(self.side):
            return
        seen = self.observation(self.side)
        if seen is not None:
            with self._action("lever arm") as act:
                self._put(act, replace(self._standing(seen), setup=replace(seen.setup, lever_m=lever)))
        self._levers[self.test_id, self.side] = lever
        self.changed.emit()

    def set_pad(self, pad: str) -> None:
        """The pad in another place, with a lever of its own. Raises BadInput when this test has trials already."""
        if pad == self.pad:
            return
        if any(self.observation(side) is not None for side in (*LEGS, Side.NONE)):
            raise BadInput("This test has trials with the pad where it was; strike them out before it moves.")
        self.order.use_pad(self.test_id, pad)
        for side in LEGS:
            self._levers.pop((self.test_id, side), None)
        self.changed.emit()

    def set_fixation(self, fixation: str) -> None:
        """Held by hand or by a belt; both sides of this test, and what is tested next."""
        standing = [seen for side in (*LEGS, Side.NONE) if (seen := self.observation(side)) is not None]
        if standing:
            with self.space.action("device fixation") as act:
                for seen in standing:
                    self._put(act, replace(self._standing(seen), setup=replace(seen.setup, fixation=fixation)))
        self.fixation = fixation
        self.changed.emit()

    def set_mode(self, mode: Mode) -> None:
        """Make or break. Raises BadInput when this test already has trials in the other mode."""
        for side in (*LEGS, Side.NONE):
            seen = self.observation(side)
            if seen is not None and (seen.setup.mode or Mode.MAKE.value) != mode.value:
                raise BadInput(
                    f"This test has {seen.setup.mode} trials ({side.value}); the two modes are never mixed in one test."
                )
        found = permission_for(act_of_test(self.test, self.side, mode.value, self.pad), self.space.facts())
        if found.locked and not self.lock():
            raise Refused(f"{sentence_case(found.sentence)}.")
        self.mode = mode
        self.changed.emit()

    @property
    def count(self) -> int:
        """Clinic setting: trials of a test."""
        return int(self.space.settings.get(TRIALS, MOST_WANTED))

    def set_count(self, count: int) -> None:
        """Clinic setting: trials of a test."""
        self.space.settings.set(TRIALS, count)
        self.order.changed.emit()
        self.changed.emit()

    def set_rule(self, rule: TrialRule) -> None:
        """Clinic setting: how trials become one value; what stands is read anew and stays as it was written."""
        self.space.set_rule(rule)

    def set_formula(self, formula: str) -> None:
        """Clinic setting: the percentage that is shown; the verdict keeps its own."""
        self.formula = formula
        self.space.settings.set(FORMULA, formula)
        self.changed.emit()

    def set_unit(self, unit: str) -> None:
        """Clinic setting: unit of a number without one, and of forces on screen."""
        self.unit = unit
        self.space.settings.set(UNIT, unit)
        self.changed.emit()

    # writing

    def _action(self, text: str) -> AbstractContextManager[ChangeSet]:
        return self.space.action(f"{text}, {self.side.value}" if self.side in LEGS else text)

    def _put(self, act: ChangeSet, done: StrengthTrials, pains: tuple[int, ...] | None = None) -> None:
        """Everything that an effort says, in the place of what stood of its test and side."""
        mine = {done.test, f"{done.test}-torque"} | ({PAIN} if self.asks_pain else set())
        before = {o.measure_id: o for o in self.space.observations() if o.measure_id in mine and o.side is done.side}
        new = observe(done)
        told = self.pains(done.side) if pains is None else pains
        if self.asks_pain and told and done.newtons.size:
            new.append(Observation(PAIN, done.side, float(max(told)), np.array(told, float), "worst"))
        for seen in new:
            act.replace(seen, before.pop(seen.measure_id, None))
        act.strike(*before.values(), *self._endings())
