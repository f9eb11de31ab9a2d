"""State of the Force stage: test, leg, weight, recordings of the visit. Needs no window."""

from __future__ import annotations

from pathlib import Path

import numpy as np
from PyQt6.QtCore import QObject, pyqtSignal

from tuning.core.entries import Capture, Decision, Form, Purpose
from tuning.core.errors import BadInput, TuningError
from tuning.core.force.analysis import analyse
from tuning.core.force.force_observations import every_formula, observations
from tuning.core.force.plate_tests import TESTS, Analysis, PlateTest
from tuning.core.force.recording import Recording
from tuning.core.force.test_battery_pattern import PatternRow, rows, sentence
from tuning.core.force.weighing import BodyWeight, weigh
from tuning.core.gate.permission import GateAct, Permission, require_permission
from tuning.core.judging.comparison import Comparison
from tuning.core.types import LEGS, NotMeasured, Observation, Setup, Side, TraceRef
from tuning.exchange.csv.mapping import Mapping
from tuning.exchange.csv.plates import read_kept, write_csv
from tuning.exchange.plates import read_plates
from tuning.knowledge.gate_acts import act_of_plates
from tuning.records.error_mapping import told_as_fault
from tuning.scratch import scratch_folder
from tuning.ui.workspace import Workspace

UNREAD = (
    "A recording of this test is on record, but its file cannot be read: it is missing or damaged. What was read from "
    "it stands; a backup may hold the file."
)
EYE, BALANCE, WEIGHED = "plate-eye", "balance-feedback", "plate-weight"


class ForceState(QObject):
    """Recordings lie in the media folder as CSV; what they say stands in the record as observations."""

    changed = pyqtSignal()

    def __init__(self, space: Workspace) -> None:
        super().__init__()
        self.space = space
        self.test_id, self.side = "squat-iso", Side.RIGHT
        self.shown: Analysis | None = None
        self.recording: Recording | None = None
        self.reason = ""
        self.unread = ""
        """Why the recording on record of the chosen test is not shown; empty where it is, or where there is none."""
        self._read: dict[tuple[str, float | None], tuple[Recording, Analysis]] = {}
        """Recordings as read, by capture and the body mass (kg) that they were read with."""
        space.content_changed.connect(self.changed)
        space.case_changed.connect(self._forget)
        space.reloaded.connect(self._show_again)
        self._forget()

    def _forget(self) -> None:
        self.shown = self.recording = None
        self._read.clear()
        patient = self.space.patient
        self.side = Side.LEFT if patient is not None and patient.involved is Side.RIGHT else Side.RIGHT
        self.reason = ""
        self.changed.emit()

    @property
    def test(self) -> PlateTest:
        """The chosen test."""
        return TESTS[self.test_id]

    def choose(self, test_id: str, side: Side | None = None) -> None:
        """Take a test, and a leg for one-leg tests; its last recording is shown."""
        self.test_id = test_id
        if side is not None and side in LEGS:
            self.side = side
        self.recording, self.shown, self.unread = None, None, ""
        for capture in self.captures():
            if (capture.test, capture.side) == (self.test_id, self._leg()):
                self.open(capture)
        self.changed.emit()

    def _show_again(self) -> None:
        """Undo or another window may have changed which recording is the last."""
        self.choose(self.test_id)

    def _leg(self, test_id: str = "") -> Side:
        return self.side if TESTS[test_id or self.test_id].legs == 1 else Side.NONE

    # the record

    def captures(self) -> list[Capture]:
        """Recordings of the visit, oldest first."""
        return [c for c in self.space.entries(Capture) if c.purpose is Purpose.PLATES and c.test]

    def _of(self, capture: Capture) -> tuple[Recording, Analysis]:
        key = capture.uid, self._mass()
        if key not in self._read:
            recording = read_kept(self.space.record.media.lent(capture.medium))
            self._read[key] = recording, analyse(recording, capture.test, capture.side, self._mass())
        return self._read[key]

    @property
    def weight(self) -> BodyWeight | None:
        """What the plates weighed in the open visit."""
        form = self.space.form_today(WEIGHED)
        return BodyWeight(form.data["newtons"], form.data["sd"], 0, 0) if form is not None else None

    def _mass(self) -> float | None:
        """Body mass, kg: what was weighed today before what the record says."""
        patient, weighed = self.space.patient, self.weight
        if weighed is not None:
            return weighed.mass_kg
        return patient.body_mass_kg if patient is not None else None

    def open(self, capture: Capture) -> None:
        """Show a recording of the record."""
        try:
            self.recording, self.shown = self._of(capture)
            self.unread = ""
        except TuningError:
            self.recording = self.shown = None
            self.unread = UNREAD

    def act(self, test_id: str = "") -> GateAct:
        """What a test, the chosen one if none is named, asks of the gate."""
        wanted = test_id or self.test_id
        return act_of_plates(self.space.knowledge, wanted, self._leg(wanted))

    def permission(self, test_id: str = "") -> Permission:
        """Whether a test may be done now."""
        return self.space.may(self.act(test_id))

    def lock(self, test_id: str = "") -> str:
        """Why a test is locked; empty when it is not."""
        found = self.permission(test_id)
        return found.sentence if found.locked else ""

    def asks_reason(self, test_id: str = "") -> bool:
        """True when the gate asks a licensed clinician for a reason."""
        return self.permission(test_id).asks

    def permit(self, test_id: str = "") -> str:
        """The reason to keep with a test. Raises Refused when it may not be done now."""
        return require_permission(self.act(test_id), self.space.facts(), self.reason)

    def weigh(self, samples: np.ndarray, rate: float) -> BodyWeight | NotMeasured:
        """Weigh from live samples, shape (n, 2); kept for the visit when the stand was still. Raises TuningError."""
        found = weigh(Recording(rate, {Side.LEFT: samples[:, 0], Side.RIGHT: samples[:, 1]}))
        if isinstance(found, BodyWeight):
            data = {"newtons": round(found.newtons, 2), "sd": round(found.sd, 3)}
            with self.space.action("weighed on the plates") as act:
                act.replace(Form(WEIGHED, data), self.space.form_today(WEIGHED))
            self.changed.emit()
        return found

    def keep(self, recording: Recording, name: str, device: str = "", simulated: bool = False) -> Analysis:
        """Analyse, keep the samples as CSV and what they say as observations. Raises TuningError."""
        reason, side = self.permit(), self._leg()
        recording = recording.assigned_to_leg(side) if self.test.legs == 1 else recording
        found = analyse(recording, self.test_id, side, self._mass())
        space = self.space
        assert space.person is not None
        with told_as_fault(space.record.folder), scratch_folder("plates") as folder:
            path = folder / f"{name}.csv"
            write_csv(recording, path)
            medium = space.record.medium(space.record.media.keep(path), space.person)
        setup = Setup(body_mass_kg=self._mass(), device=device, simulated=simulated)
        seen = observations(found, TraceRef(recording=medium.sha256, source=name), setup, reason)
        with space.action(f"{self.test.name}, {name}") as act:
            capture = act.add(Capture(medium, Purpose.PLATES, test=self.test_id, side=side))
            for one in seen:
                act.replace(one, *self._before(one))
        self.recording, self.shown = recording, found
        self._read[capture.uid, self._mass()] = recording, found
        self.changed.emit()
        return found

    def _before(self, now: Observation) -> list[Observation]:
        rows = self.space.entries(Observation)
        return [o for o in rows if (o.measure_id, o.side) == (now.measure_id, now.side)]

    def swap(self) -> Analysis:
        """Keep the shown recording the other way round. Raises TuningError."""
        if self.recording is None:
            raise BadInput("There is no recording to swap.")
        before = self._newest_setup()
        return self.keep(self.recording.swapped(), f"{self.test_id} swapped", before.device, before.simulated)

    def _newest_setup(self) -> Setup:
        """How the shown recording was made."""
        mine = [o for o in self.space.entries(Observation) if isinstance(o.evidence, TraceRef)]
        found = [o.setup for o in mine if o.evidence.test == self.test_id]  # type: ignore[union-attr]
        return found[-1] if found else Setup()

    def keep_file(self, path: Path, mapping: Mapping | None = None) -> Analysis:
        """Read a file of the chosen test. Raises TuningError."""
        return self.keep(read_plates(path, mapping), path.stem)

    # what stands

    def ledger(self) -> dict[str, Comparison]:
        """Comparisons of the stage by measure."""
        return {r.measure.id: r for r in self.space.comparisons() if r.measure.stage == "force"}

    def matrix(self) -> list[PatternRow]:
        """All tests that have a comparison."""
        return rows(list(TESTS.values()), self.ledger())

    def pattern(self) -> str:
        """The battery in a sentence."""
        return sentence(self.matrix())

    def formulas(self) -> str:
        """Every percentage of the shown test in words, with the one that the verdict uses named."""
        if self.shown is None:
            return ""
        other = None
        for capture in self.captures():
            if (capture.test, capture.side) == (self.test_id, self.side.other):
                other = self._of(capture)[1]
        used = "the share against 50 %" if self.test.legs == 2 else "the difference against the stronger side"
        lines = [f"The verdict uses {used}."]
        for name, told in every_formula(self.shown, other):
            values = "; ".join(f"{what} {value:+.1f} % ({text})" for what, text, value in told)
            lines.append(f"{'Peak' if name == 'peak' else 'Rise'}, means of the repetitions: {values}.")
        return "\n\n".join(lines) if len(lines) > 1 else "Both legs are needed for a percentage."

    def guess(self, guess: Side) -> str:
        """Keep a guess by eye of the heavy side and say whether it was right; empty without a two-leg share."""
        row = self.ledger().get(f"{self.test_id}-share")
        if row is None or isinstance(row.verdict, NotMeasured):
            return ""
        truth = Side.RIGHT if row.verdict.d > 0 else Side.LEFT
        hit = guess is truth
        grounds = {"test": self.test_id, "truth": truth.value, "hit": hit}
        with self.space.action("guess by eye") as act:
            act.add(Decision(EYE, guess.value, grounds))
        return f"{'Right' if hit else 'Not so'}: the {truth.value} leg took more. {row.sentence}."

    def guesses(self) -> tuple[int, int]:
        """Hits and guesses of the open visit."""
        found = [d.inputs for d in self.space.decisions(EYE)]
        return sum(bool(d["hit"]) for d in found), len(found)

    def keep_balance(self, stage: str, blind_shares: list[float], body_weight_n: float | None) -> None:
        """Keep a balance set. Raises TuningError."""
        data = {"stage": stage, "blind_shares": blind_shares, "body_weight_n": body_weight_n}
        with self.space.action("balance set") as act:
            act.add(Form(BALANCE, data))
