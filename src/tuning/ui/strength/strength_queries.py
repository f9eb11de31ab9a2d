"""What stands in the record of the strength tests, read for the screen. Needs no window."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QObject

from tuning.core.gate.permission import GateAct, Permission
from tuning.core.judging.comparison import Comparison, compare_sides
from tuning.core.judging.measures import Measure
from tuning.core.judging.next_trial import verdict_is_settled
from tuning.core.judging.symmetry import DIFFERENCES, limb_symmetry_index
from tuning.core.judging.trial_rule import TrialRule
from tuning.core.judging.verdict import Verdict
from tuning.core.preferences import FORMULA, UNIT
from tuning.core.strength.protocol import Protocol, protocol_of
from tuning.core.strength.trials import Mode, Ratio, TrialSummary, ratio, sem_of_both, summarise
from tuning.core.test_definitions import TestDefinition
from tuning.core.types import LEGS, NotMeasured, Observation, Setup, Side
from tuning.core.visit.plan import pad_of, position_of
from tuning.knowledge.gate_acts import act_of_test
from tuning.ui.visit_order.state import KEPT as KEPT_ORDER
from tuning.ui.visit_order.state import OrderState
from tuning.ui.workspace import Workspace

STAGE = "strength"
PAIN = "squeeze-pain"
REPEATS = "strength-protocol"
"""The form that names the visit whose protocol is repeated."""


class StrengthReadings(QObject):
    """Current effort, settings, and everything that is worked out from what stands."""

    def __init__(self, workspace: Workspace, order: OrderState) -> None:
        super().__init__()
        self.space, self.order = workspace, order
        self.test_id, self.side = self._first_test(), Side.RIGHT
        self._levers: dict[tuple[str, Side], float | None] = {}
        settings = workspace.settings
        self.unit = settings.get(UNIT, "N")
        self.formula = settings.get(FORMULA, "stronger")
        self.mode = Mode.MAKE

    def _first_test(self) -> str:
        return next(t.id for t in self.space.knowledge.tests.values() if t.stage == STAGE)

    @property
    def rule(self) -> TrialRule:
        """How trials become one value."""
        return self.space.rule

    @property
    def test(self) -> TestDefinition:
        """The test of the current effort."""
        return self.space.knowledge.tests[self.test_id]

    @property
    def measure(self) -> Measure:
        """Its measure."""
        return self.space.knowledge.measures[self.test_id]

    @property
    def effort_id(self) -> str:
        """Id of the current effort in the order."""
        return f"{self.test_id}:{self.side.value}" if self.side in LEGS else self.test_id

    @property
    def position(self) -> str:
        """Position of the current test, as kept with it."""
        return position_of(self.test, self.order.choice())

    @property
    def pad(self) -> str:
        """Where the pad goes in the current test: as it stood with its trials, else as chosen."""
        kept = [seen.setup.pad for s in (*LEGS, Side.NONE) if (seen := self.observation(s)) is not None]
        if kept:
            return kept[0]
        choice, limits, before = self.order.choice(), self.space.limits(), self.before(self.side)
        if (
            before is not None
            and before.pad
            and not limits.lock(self.test.demands_at(before.pad), self.side, self.test.amounts)
        ):
            return before.pad
        return pad_of(self.test, choice, limits)

    @property
    def wanted(self) -> int:
        """Trials wanted of the current test."""
        asked, before = self.space.trials_wanted(self.test), self.protocol
        return min(asked, before.trials(self.test_id) or asked) if before is not None else asked

    @property
    def cue(self) -> str:
        """What to say to the patient."""
        return self.test.say(self.position, self.breaks)

    @property
    def breaks(self) -> bool:
        """Whether the tester overcomes the patient."""
        return self.mode is Mode.BREAK

    @property
    def protocol(self) -> Protocol | None:
        """The protocol that this visit repeats; None where it repeats none."""
        case, form = self.space.case, self.space.form_today(REPEATS)
        if case is None or form is None:
            return None
        ids = self._ids()
        return case.memoised(
            ("protocol", form.uid), lambda: protocol_of(case, ids, KEPT_ORDER, str(form.data["visit"]))
        )

    def _ids(self) -> frozenset[str]:
        return frozenset(t.id for t in self.space.knowledge.tests.values() if t.stage == STAGE)

    def before(self, side: Side) -> Setup | None:
        """How this test was done on a side in the protocol that is repeated."""
        found = self.protocol
        return found.setups.get((self.test_id, side)) if found is not None else None

    def ghost(self) -> float | None:
        """The value of the same trial in the protocol that is repeated, N."""
        found = self.protocol
        values = found.values.get((self.test_id, self.side), ()) if found is not None else ()
        count = self.trials(self.side).size
        return values[count] if count < len(values) else None

    @property
    def asks_pain(self) -> bool:
        """Whether pain belongs to the current test."""
        return any(q.measure == PAIN for q in self.test.questions)

    def observation(self, side: Side, test_id: str = "") -> Observation | None:
        """The standing force of a side."""
        wanted = test_id or self.test_id
        found = [o for o in self.space.observations() if o.measure_id == wanted and o.side is side]
        return found[-1] if found else None

    def trials(self, side: Side, test_id: str = "") -> np.ndarray:
        """Newtons, shape (n,)."""
        seen = self.observation(side, test_id)
        return np.empty(0) if seen is None else seen.trials

    def lever(self, side: Side) -> float | None:
        """Lever arm in metres; None for a test that takes none."""
        if not self.test.lever:
            return None
        before = self.before(side)
        if before is not None and before.pad == self.pad and (self.test_id, side) not in self._levers:
            return before.lever_m
        typed = self._levers.get((self.test_id, side.other))
        return self._levers.get((self.test_id, side), typed)  # both legs of a person are about as long

    def pain(self, side: Side) -> int | None:
        """Worst pain that was told with this test and side."""
        seen = self.observation(side)
        return None if seen is None else seen.pain

    def pains(self, side: Side) -> tuple[int, ...]:
        """Pain after each trial of a test that asks for it."""
        found = [o for o in self.space.observations() if o.measure_id == PAIN and o.side is side]
        return tuple(int(v) for v in found[-1].trials) if found and self.asks_pain else ()

    def summary(self, side: Side) -> TrialSummary | NotMeasured:
        """What the trials of a side say."""
        return summarise(self.trials(side), self.rule)

    def comparison(self, test_id: str = "") -> Comparison:
        """Left against right by the one rule: torque where both sides have it, else force."""
        return compare_sides(*self._compared(test_id or self.test_id))

    def _compared(self, test_id: str) -> tuple[Measure, Observation | None, Observation | None]:
        torque = f"{test_id}-torque"
        both = [self.observation(side, torque) for side in LEGS]
        measure = torque if all(both) else test_id
        left, right = (self.observation(side, measure) for side in LEGS)
        return self.space.knowledge.measures[measure], left, right

    def settled(self) -> str:
        """The verdict, with its error, that no likely further trial of the current leg changes; empty where one may."""
        size = self.trials(self.side).size
        if self.side not in LEGS or not 0 < size < self.wanted or self.trials(self.side.other).size < self.wanted:
            return ""
        measure, left, right = self._compared(self.test_id)
        if left is None or right is None or not verdict_is_settled(measure, left, right, self.side, self.wanted):
            return ""
        found = compare_sides(measure, left, right)
        word = found.verdict.word.value if isinstance(found.verdict, Verdict) else ""
        return f"{word} ({found.error_words})"

    def symmetry_index(self) -> float | NotMeasured:
        """Limb symmetry index, or why there is none."""
        row = self.comparison()
        if isinstance(row.verdict, NotMeasured) or row.left is None or row.right is None:
            return NotMeasured("incomplete", "needs both sides")
        left, right = row.left.measured, row.right.measured
        if left is None or right is None:
            return NotMeasured("incomplete", "needs both sides")
        patient = self.space.patient
        return limb_symmetry_index(left, right, patient.involved if patient is not None else Side.NONE)

    def formulas(self, test_id: str = "") -> list[tuple[str, str, str, str]]:
        """Every percentage difference of a test: name, formula, value, when it fits. Empty without both sides."""
        row = self.comparison(test_id)
        if isinstance(row.verdict, NotMeasured) or row.left is None or row.right is None:
            return []
        left, right = row.left.measured or 0.0, row.right.measured or 0.0
        return [(f.name, f.text, f"{f.of(left, right):+.1f} %", f.fits) for f in DIFFERENCES.values()]

    def difference(self, test_id: str) -> str:
        """The chosen percentage difference in a few words."""
        row = self.comparison(test_id)
        if isinstance(row.verdict, NotMeasured) or row.left is None or row.right is None:
            return ""
        left, right = row.left.measured or 0.0, row.right.measured or 0.0
        return f"{DIFFERENCES[self.formula].of(left, right):+.0f} %".replace("-", "−")

    def ratios(self) -> list[tuple[str, dict[Side, Ratio | NotMeasured]]]:
        """Adduction to abduction and external to internal rotation of each leg."""
        measures = self.space.knowledge.measures
        rows: list[tuple[str, dict[Side, Ratio | NotMeasured]]] = []
        for band in self.space.knowledge.strength.ratio:
            by_side: dict[Side, Ratio | NotMeasured] = {}
            for side in LEGS:
                a, b = self.observation(side, band.upper), self.observation(side, band.lower)
                if a is not None and b is not None:
                    by_side[side] = ratio(a, b, sem_of_both(measures[band.upper], a, b), band)
            if by_side:
                rows.append((band.name, by_side))
        return rows

    def squeeze(self) -> tuple[float, int | None, int, str] | None:
        """Force of the squeeze, pain, which band from the bottom it lies in, and what to do."""
        tests = [t for t in self.space.knowledge.tests.values() if t.stage == STAGE and not t.by_side]
        seen = next((o for t in tests if (o := self.observation(Side.NONE, t.id)) is not None), None)
        if seen is None or seen.measured is None:
            return None
        if seen.pain is None:
            return seen.measured, None, 0, "pain not asked yet"
        number, band = self.space.knowledge.strength.pain_band(seen.pain)
        return seen.measured, seen.pain, number, band.words

    def tested(self) -> list[str]:
        """Tests with a trial on either side, in the order of the knowledge files."""
        have = {o.measure_id for o in self.space.observations()}
        return [t.id for t in self.space.knowledge.tests.values() if t.stage == STAGE and t.id in have]

    @property
    def act(self) -> GateAct:
        """What the current effort asks of the gate."""
        return act_of_test(self.test, self.side, self.mode.value, self.pad)

    def permission(self) -> Permission:
        """Whether the current effort may be done now."""
        return self.space.may(self.act)

    def lock(self) -> str:
        """Why the current effort is locked; empty when it is not."""
        found = self.permission()
        return found.sentence if found.locked else ""
