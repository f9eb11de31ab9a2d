"""State of typed strength entry: side, trials, lever, fixation. Needs no window."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QObject, pyqtSignal

from tuning.core.comparison import Comparison, compare_sides
from tuning.core.errors import BadInput
from tuning.core.programme import Triage
from tuning.core.strength import MOST_TRIALS, Setup, Source, Summary, observe, summarise
from tuning.core.symmetry import limb_symmetry_index
from tuning.core.types import NotMeasured, Observation, Role, Side
from tuning.core.units import parse_force, parse_length
from tuning.records import ObservationEntry
from tuning.ui.workspace import Workspace

TEST = "hip-abd"
LIMITED_BY = ("limit-load", "limit-hip")


class StrengthState(QObject):
    """The newest standing observation of each side is the state; nothing is kept twice."""

    changed = pyqtSignal()

    def __init__(self, workspace: Workspace) -> None:
        super().__init__()
        self._workspace = workspace
        self.side = Side.RIGHT
        self.unit = "N"
        self.fixation = "hand"
        self.reason = ""
        self._levers: dict[Side, float | None] = {}
        workspace.content_changed.connect(self.changed)
        workspace.case_changed.connect(self.begin)

    def begin(self) -> None:
        """Start with the uninvolved side; right when none is named."""
        patient = self._workspace.patient
        if patient is not None:
            self.side = Side.LEFT if patient.involved == Side.RIGHT.value else Side.RIGHT
            self._levers, self.reason = {}, ""
            for side in (Side.LEFT, Side.RIGHT):
                seen = self.seen(side)
                if seen is not None:
                    self._levers[side] = seen.evidence.get("lever_m")
                    self.fixation = seen.evidence.get("fixation", "hand")
                    self.reason = seen.evidence.get("caution_reason", "")
        self.changed.emit()

    def seen(self, side: Side, measure_id: str = TEST) -> Observation | None:
        """The standing observation of a side."""
        found = [o for o in self._workspace.observations() if o.measure_id == measure_id and o.side is side]
        return found[-1] if found else None

    def trials(self, side: Side) -> np.ndarray:
        """Newtons, shape (n,)."""
        seen = self.seen(side)
        return np.empty(0) if seen is None else seen.trials

    def typed(self, side: Side) -> list[str]:
        """Trials as they were entered."""
        seen = self.seen(side)
        return [] if seen is None else list(seen.evidence["typed"])

    def lever(self, side: Side) -> float | None:
        """Lever arm in metres."""
        return self._levers.get(side)

    def summary(self, side: Side) -> Summary | NotMeasured:
        """What the trials of a side say."""
        return summarise(self.trials(side))

    def comparison(self) -> Comparison:
        """Force of left against right by the one rule."""
        measure = self._workspace.knowledge.measures[TEST]
        return compare_sides(measure, self.seen(Side.LEFT), self.seen(Side.RIGHT))

    def symmetry_index(self) -> float | NotMeasured:
        """Limb symmetry index, or why there is none."""
        left, right = self.seen(Side.LEFT), self.seen(Side.RIGHT)
        if left is None or right is None or left.measured is None or right.measured is None:
            return NotMeasured("incomplete", "needs both sides")
        patient = self._workspace.patient
        return limb_symmetry_index(left.measured, right.measured, Side(patient.involved if patient else "none"))

    def choose_side(self, side: Side) -> None:
        """Test this side next."""
        self.side = side
        self.changed.emit()

    def enter(self, text: str) -> None:
        """Keep one typed trial. Raises BadInput with a sentence; nothing is lost."""
        force, _ = parse_force(text, self.unit)
        lock = self._workspace.limits().lock(LIMITED_BY, self.side)
        if lock:
            raise BadInput(f"Not kept: {lock}.")
        if self.needs_reason and not self.reason.strip():
            raise BadInput("AMBER: type the reason for a maximal test first; it is kept with every trial.")
        if self.needs_reason and not self._by_clinician():
            raise BadInput("AMBER: a maximal test needs a licensed clinician. The number was not kept.")
        trials = self.trials(self.side)
        if trials.size >= MOST_TRIALS:
            raise BadInput(f"{MOST_TRIALS} trials are kept already; strike one out or go to the other side.")
        said = text.strip() if text.strip()[-1].isalpha() else f"{text.strip()} {self.unit}"
        self._write("add trial", np.append(trials, force), [*self.typed(self.side), said])

    @property
    def needs_reason(self) -> bool:
        """Under AMBER a maximal test needs a named clinician and a reason."""
        return self._workspace.triage() == (Triage.AMBER, False)

    def _by_clinician(self) -> bool:
        person = self._workspace.person
        return person is not None and person.role == Role.CLINICIAN.value

    def strike_last(self) -> None:
        """Take the last trial of this side out."""
        trials = self.trials(self.side)
        if trials.size:
            self._write("strike out trial", trials[:-1], self.typed(self.side)[:-1])

    def set_lever(self, text: str) -> None:
        """Lever arm of this side; empty for none. Raises BadInput."""
        lever = parse_length(text) if text.strip() else None
        if lever == self._levers.get(self.side):
            return
        self._levers[self.side] = lever
        self._rewrite("lever arm", self.side)

    def set_fixation(self, fixation: str) -> None:
        """Held by hand or by a belt."""
        self.fixation = fixation
        for side in (Side.LEFT, Side.RIGHT):
            self._rewrite("device fixation", side)
        self.changed.emit()

    def _rewrite(self, text: str, side: Side) -> None:
        if self.trials(side).size:
            self._write(text, self.trials(side), self.typed(side), side)

    def _write(self, text: str, trials: np.ndarray, typed: list[str], side: Side | None = None) -> None:
        side = side or self.side
        space = self._workspace
        assert space.patient is not None
        reason = self.reason.strip() if self.needs_reason else ""
        setup = Setup(self._levers.get(side), self.fixation, caution_reason=reason)
        new = observe(TEST, side, trials, setup, space.patient.body_mass_kg, Source(tuple(typed)))
        old = [
            row.id
            for row in space.entries(ObservationEntry)
            if row.measure_id in (TEST, f"{TEST}-torque") and row.side == side.value
        ]
        space.do(f"{text}, {side.value}", [space.observe(o) for o in new], old)
