"""State of the Force stage: test, leg, weight, recordings of the visit. Needs no window."""

from __future__ import annotations

import tempfile
from pathlib import Path

import numpy as np
from PyQt6.QtCore import QObject, pyqtSignal

from tuning.core.errors import BadInput, TuningError
from tuning.core.force.analysis import TESTS, Analysis, PlateTest, analyse
from tuning.core.force.pattern import PatternRow, rows, sentence
from tuning.core.force.recording import Recording
from tuning.core.force.sides import every_formula, observations
from tuning.core.force.weighing import Weight, weigh
from tuning.core.types import Triage
from tuning.core.judging.comparison import Comparison
from tuning.core.types import LEGS, NotMeasured, Role, Side
from tuning.exchange.plates import Mapping, read_plates, write_csv
from tuning.records import Capture, ObservationEntry
from tuning.ui.workspace import Workspace

VIEW = "plates"
EYE = "plate-eye"


class ForceState(QObject):
    """Recordings lie in the media folder as CSV; what they say stands in the record as observations."""

    changed = pyqtSignal()

    def __init__(self, space: Workspace) -> None:
        super().__init__()
        self.space = space
        self.test_id, self.side = "squat-iso", Side.RIGHT
        self.weight: Weight | None = None
        self.shown: Analysis | None = None
        self.recording: Recording | None = None
        self.reason = ""
        self._read: dict[int, tuple[Recording, Analysis]] = {}
        space.content_changed.connect(self.changed)
        space.case_changed.connect(self._forget)

    def _forget(self) -> None:
        self.weight = self.shown = self.recording = None
        self._read.clear()
        patient = self.space.patient
        self.side = Side.LEFT if patient is not None and patient.involved == Side.RIGHT.value else Side.RIGHT
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
        self.recording = self.shown = None
        for capture in self.captures():
            if self._parts(capture) == (self.test_id, self._side_word()):
                self.open(capture)
        self.changed.emit()

    def _side_word(self) -> str:
        return self.side.value if self.test.legs == 1 else Side.NONE.value

    # the record

    @staticmethod
    def _parts(capture: Capture) -> tuple[str, str]:
        _, test_id, side = capture.view.split(":")
        return test_id, side

    def captures(self) -> list[Capture]:
        """Recordings of the visit, oldest first."""
        return [c for c in self.space.entries(Capture) if c.view.startswith(f"{VIEW}:")]

    def count(self, test_id: str, side: Side) -> int:
        """Repetitions on record of a test and leg."""
        found = [c for c in self.captures() if self._parts(c) == (test_id, side.value)]
        return len(self._of(found[-1])[1].reps) if found else 0

    def _of(self, capture: Capture) -> tuple[Recording, Analysis]:
        if capture.id not in self._read:
            test_id, side = self._parts(capture)
            recording = read_plates(self.space.record.media_path(capture.media))
            self._read[capture.id] = recording, analyse(recording, test_id, Side(side), self._mass())
        return self._read[capture.id]

    def _mass(self) -> float | None:
        patient = self.space.patient
        return patient.body_mass_kg if patient is not None else None

    def open(self, capture: Capture) -> None:
        """Show a recording of the record."""
        try:
            self.recording, self.shown = self._of(capture)
        except TuningError:
            self.recording = self.shown = None

    def lock(self, test_id: str = "") -> str:
        """Why the surgeon's limits lock a test, the chosen one if none is named; empty when they do not."""
        test = TESTS[test_id or self.test_id]
        side = self.side if test.legs == 1 else Side.NONE
        return self.space.limits().lock(self.space.knowledge.plates[test.id].limited_by, side)

    @property
    def needs_reason(self) -> bool:
        """Under AMBER every test but quiet stance needs a named clinician and a reason."""
        return self.asks_reason(self.test_id)

    def asks_reason(self, test_id: str) -> bool:
        """The same for a test by name."""
        return test_id != "quiet-stance" and self.space.triage() == (Triage.AMBER, False)

    def guard(self, test_id: str = "") -> None:
        """Raises BadInput when a test, the chosen one if none is named, may not be done now."""
        if self.lock(test_id):
            raise BadInput(f"Not recorded: {self.lock(test_id)}.")
        amber = self.asks_reason(test_id or self.test_id)
        if amber and not self.reason.strip():
            raise BadInput("AMBER: type the reason for this test first; it is kept with the recording.")
        person = self.space.person
        if amber and (person is None or person.role != Role.CLINICIAN.value):
            raise BadInput("AMBER: a test on the plates needs a licensed clinician.")

    def weigh(self, samples: np.ndarray, rate: float) -> Weight | NotMeasured:
        """Weigh from live samples, shape (n, 2); kept for the visit when the stand was still."""
        found = weigh(Recording(rate, {Side.LEFT: samples[:, 0], Side.RIGHT: samples[:, 1]}))
        if isinstance(found, Weight):
            self.weight = found
        self.changed.emit()
        return found

    def keep(self, recording: Recording, name: str) -> Analysis:
        """Analyse, keep the samples as CSV and what they say as observations. Raises TuningError."""
        self.guard()
        side = self.side if self.test.legs == 1 else Side.NONE
        found = analyse(recording, self.test_id, side, self._mass())
        space = self.space
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / f"{name}.csv"
            write_csv(recording, path)
            media = space.record.media_row(space.record.media.keep(path), space.person)  # type: ignore[arg-type]
        capture = space.stamp(Capture(media=media, view=f"{VIEW}:{self.test_id}:{side.value}"))
        evidence: dict[str, object] = {"recording": media.sha256, "source": name}
        if self.needs_reason:
            evidence["caution_reason"] = self.reason.strip()
        seen = observations(found, evidence)
        measures = {o.measure_id for o in seen}
        old = [
            r.id
            for r in space.entries(ObservationEntry)
            if r.measure_id in measures and r.side in {o.side.value for o in seen}
        ]
        space.do(f"{self.test.name}, {name}", [capture, *(space.observe(o) for o in seen)], old)
        self.recording, self.shown = recording, found
        self._read[capture.id] = recording, found
        self.changed.emit()
        return found

    def swap(self) -> Analysis:
        """Keep the shown recording the other way round. Raises TuningError."""
        if self.recording is None:
            raise BadInput("There is no recording to swap.")
        return self.keep(self.recording.swapped(), f"{self.test_id} swapped")

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
            if self._parts(capture) == (self.test_id, self.side.other.value):
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
        data = {"test": self.test_id, "guess": guess.value, "truth": truth.value, "hit": hit}
        self.space.do("guess by eye", [self.space.find(EYE, data)])
        return f"{'Right' if hit else 'Not so'}: the {truth.value} leg took more. {row.sentence}."

    def guesses(self) -> tuple[int, int]:
        """Hits and guesses of the open visit."""
        found = [f.data for f in self.space.findings(EYE)]
        return sum(bool(d["hit"]) for d in found), len(found)
