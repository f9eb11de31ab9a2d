"""A report from the open case: what it may speak of, its pictures, and keeping it as sent."""

from __future__ import annotations

import tempfile
from collections.abc import Sequence
from pathlib import Path

from PyQt6.QtCore import QBuffer, QIODevice, QRectF
from PyQt6.QtGui import QImage, QPainter

from tuning.core.entries import Answer, Capture, Decision, Form, Letter, Screen, Track
from tuning.core.errors import BadInput, TuningError
from tuning.core.intake.consent import kept_back
from tuning.core.picture_views import PICTURE_KINDS
from tuning.core.preferences import DAYS, DECIMALS, PAPER
from tuning.core.reports import material_of as material
from tuning.core.reports.content import Audience, Report, ReportKind, ReportPicture, as_text
from tuning.core.reports.locale_format import Days, LocaleFormat, in_manner
from tuning.core.reports.report_context import ReportContext
from tuning.core.reports.sections import build_report
from tuning.core.target import Target, target_of
from tuning.core.types import Observation
from tuning.scratch import scratch
from tuning.ui.picture.frame_pair import FrameReader, PairView
from tuning.ui.workspace import Workspace

WIDE, TALL = 1200, 620
"""Pixels of a pair of frames."""


def material_of(space: Workspace) -> ReportContext:
    """Everything that a report of the open case may speak of. Raises BadInput where no case is open."""
    case, person, knowledge = space.case, space.person, space.knowledge
    if case is None or person is None:
        raise BadInput("Open a case first, and say who works.")
    return material.material_of(case, knowledge, knowledge.cautions.scope, space.role, person.name)


ONE_KEPT_BACK = "A picture is left out: the patient does not want it in letters."


class ReportMaker:
    """Writes reports of the open case, draws their pictures once, and keeps what was sent."""

    def __init__(self, space: Workspace) -> None:
        self._space = space
        self._images: dict[tuple[str, ...], bytes] = {}

    @property
    def kinds(self) -> Sequence[ReportKind]:
        """Kinds of reports, the usual one first."""
        return list(self._space.knowledge.reports.kinds.values())

    @property
    def paper(self) -> str:
        """The clinic's paper."""
        return str(self._space.settings.get(PAPER, "A4"))

    def report(self, kind: ReportKind, register: Audience) -> Report:
        """A report as the case says it. Raises BadInput."""
        made = build_report(material_of(self._space), self._space.knowledge.reports, kind, register)
        if not made.sections:
            raise BadInput(f"{kind.name}: nothing to say yet. Measure or ask something first.")
        refusal = self._space.letters_refused()
        if refusal:
            made = made.without_pictures(refusal)
        made = made.without_pictures(ONE_KEPT_BACK, self._kept_back)
        prefer = self._space.prefer
        return in_manner(made, LocaleFormat(prefer(DECIMALS) == "comma", Days(prefer(DAYS))))

    def _kept_back(self, picture: ReportPicture) -> bool:
        """Whether it shows a capture that the patient does not want in letters."""
        case = self._space.case
        assert case is not None
        back = kept_back(case.all(Decision))
        return any(getattr(case.entry(uid), "capture", "") in back for uid in picture.shows)

    def images(self, report: Report) -> dict[tuple[str, ...], bytes]:
        """The pictures of a report as PNG; one that cannot be drawn is left out."""
        frames = FrameReader(self._space)
        try:
            for section in report.sections:
                for picture in section.pictures:
                    if picture.shows not in self._images:
                        drawn = self._drawn(frames, picture)
                        if drawn:
                            self._images[picture.shows] = drawn
        finally:
            frames.close()
        shown = [picture.shows for section in report.sections for picture in section.pictures]
        return {key: self._images[key] for key in shown if key in self._images}

    def _drawn(self, frames: FrameReader, picture: ReportPicture) -> bytes:
        case, halves, view = self._space.case, [], ""
        assert case is not None
        for uid in picture.shows:
            seen = case.entry(uid)
            capture = case.entry(seen.capture) if isinstance(seen, Observation) else None
            if not (isinstance(seen, Observation) and isinstance(capture, Capture)):
                return b""
            track = next((t for t in reversed(case.all(Track)) if t.capture == capture.uid), None)
            try:
                measure = self._space.knowledge.measures[seen.measure_id]
                halves.append(frames.half(capture, track, seen, measure))
            except (TuningError, ValueError):
                return b""
            view = capture.view
        pair = PairView()
        pair.halves = halves
        pair.chains = PICTURE_KINDS[view].chains if view in PICTURE_KINDS else ()
        image = QImage(WIDE if len(halves) > 1 else WIDE // 2, TALL, QImage.Format.Format_RGB888)
        painter = QPainter(image)
        pair.paint(painter, QRectF(0, 0, WIDE, TALL))
        painter.end()
        buffer = QBuffer()
        buffer.open(QIODevice.OpenModeFlag.WriteOnly)
        image.save(buffer, "PNG")
        return bytes(buffer.data().data())

    # keeping and reading again

    def keep(self, report: Report, pages: bytes) -> Letter:
        """Keep a report as it was sent: its pages as a file, its words in the record. Raises TuningError."""
        space = self._space
        assert space.person is not None
        with tempfile.NamedTemporaryFile(prefix=scratch("letter"), suffix=".pdf") as file:
            file.write(pages)
            file.flush()
            kept = space.record.media.keep(Path(file.name))
        medium = space.record.medium(kept, space.person)
        rests = tuple(dict.fromkeys(uid for sentence in report.sentences for uid in sentence.rests))
        with space.action(report.title) as act:
            letter = act.add(Letter(medium, report.kind.id, report.register.value, as_text(report), rests))
        return letter

    def sent(self) -> list[Letter]:
        """Letters of this person as they were sent, newest first."""
        return list(reversed(self._space.case.all(Letter))) if self._space.case is not None else []

    def pages_of(self, letter: Letter) -> bytes:
        """The pages as they were sent. Raises BadInput."""
        try:
            return self._space.record.media.lent(letter.medium).read_bytes()
        except OSError as err:
            raise BadInput("The saved pages cannot be read any more; the text is in the record.") from err

    def target(self, uid: str) -> Target | None:
        """Where the entry is looked at that a sentence rests on."""
        case, knowledge = self._space.case, self._space.knowledge
        entry = case.entry(uid) if case is not None else None
        if isinstance(entry, Observation):
            return target_of(knowledge.measures[entry.measure_id].stage, entry)
        if isinstance(entry, Answer):
            return Target(knowledge.tests[entry.test].stage, entry.test, entry.side)
        if entry is None or isinstance(entry, Screen | Form):
            return Target("intake")
        return Target("programme")
