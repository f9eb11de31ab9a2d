"""Two frames side by side at the event that a value was read at, with marks, day and value on each."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QImage, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from tuning.core.entries import Capture, Track
from tuning.core.judging.measures import Measure
from tuning.core.types import LEGS, Floats, FrameRef, Observation, Side
from tuning.core.units import format_signed, unit_suffix
from tuning.records.track_codec import unpack
from tuning.ui import theme
from tuning.ui.formatting import day
from tuning.ui.picture.capture_rate import slowness
from tuning.ui.workspace import Workspace
from tuning.video import PictureSource, open_source


@dataclass
class FrameSide:
    """One side of the picture: the frame, its marks, what is written on it."""

    image: QImage
    marks: dict[str, np.ndarray]
    head: str
    value: str


class PairView(QWidget):
    """Two frames at the same event, cut to the person, lines and value drawn on each."""

    def __init__(self) -> None:
        super().__init__()
        self.halves: list[FrameSide] = []
        self.chains: tuple[tuple[str, ...], ...] = ()
        self.side = Side.NONE
        self.setMinimumSize(560, 420)
        self.setAccessibleName("Before and now, side by side")

    def sizeHint(self) -> QSize:
        """Wide."""
        return QSize(720, 520)

    def paintEvent(self, _: QPaintEvent | None) -> None:
        """Both halves."""
        painter = QPainter(self)
        self.paint(painter, QRectF(self.rect()))

    def paint(self, painter: QPainter, box: QRectF) -> None:
        """Draw into any painter, so that screen and file are the same picture."""
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.fillRect(box, theme.colour("stage"))
        for n, half in enumerate(self.halves):
            width = box.width() / 2 - 2
            self._paint_half(painter, QRectF(box.left() + n * (width + 4), box.top(), width, box.height()), half)

    def _paint_half(self, painter: QPainter, box: QRectF, half: FrameSide) -> None:
        places = np.array(list(half.marks.values())).reshape(-1, 2)
        if not places.size:  # no mark is held in this frame: show all of it
            places = np.array([[0.0, 0.0], [half.image.width(), half.image.height()]])
        low, high = places.min(axis=0), places.max(axis=0)
        middle, tall = (low + high) / 2, max(float((high - low)[1]) * 1.35, 200.0)
        scale = box.height() / tall
        source = QRectF(
            middle[0] - box.width() / scale / 2, middle[1] - tall / 2, box.width() / scale, box.height() / scale
        )
        painter.save()
        painter.setClipRect(box)
        painter.drawImage(box, half.image, source)

        def at(place: np.ndarray) -> QPointF:
            return QPointF(
                box.left() + (place[0] - source.left()) * scale, box.top() + (place[1] - source.top()) * scale
            )

        for chain in self.chains:
            bilateral = f"{chain[0]}_left" in half.marks or f"{chain[0]}_right" in half.marks
            for names, role in (
                [(tuple(f"{n}_{s.value}" for n in chain), f"{s.value}_wash") for s in LEGS]
                if bilateral
                else [(chain, "on_stage")]
            ):
                shown = [half.marks[n] for n in names if n in half.marks]
                for pen in (QPen(theme.colour("stage"), 5), QPen(theme.colour(role), 2.5)):
                    painter.setPen(pen)
                    for a, b in zip(shown, shown[1:], strict=False):
                        painter.drawLine(at(a), at(b))
        for text, y, size in ((half.head, 16.0, theme.SMALL), (half.value, box.height() - 40, theme.LARGE)):
            painter.setFont(theme.font(size, bold=True))
            width = painter.fontMetrics().horizontalAdvance(text) + 20
            plate = QRectF(box.left() + 12, box.top() + y - 4, width, size + 16)
            back = theme.colour("stage")
            back.setAlpha(225)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(back)
            painter.drawRoundedRect(plate, 3, 3)
            painter.setPen(theme.colour("on_stage"))
            painter.drawText(plate, Qt.AlignmentFlag.AlignCenter, text)
        painter.restore()


class FrameReader:
    """Frames of kept clips with their followed marks; clips stay open until `close`."""

    def __init__(self, space: Workspace) -> None:
        self._space = space
        self._sources: dict[str, PictureSource] = {}

    def close(self) -> None:
        """Let the clips go."""
        for source in self._sources.values():
            source.close()
        self._sources.clear()

    def _source(self, capture: Capture) -> PictureSource:
        uid, medium = capture.uid, capture.medium
        if uid not in self._sources:
            self._sources[uid] = open_source(self._space.record.media.lent(medium), medium.name)
        return self._sources[uid]

    def _times(self, capture: Capture) -> Floats:
        """True times of the frames: a slow-motion clip runs as it was, not as it plays."""
        source = self._source(capture)
        return source.times / slowness(source, self._space.case, capture)

    def half(
        self, capture: Capture, track: Track | None, seen: Observation, measure: Measure, offset_s: float = 0.0
    ) -> FrameSide:
        """The frame that a value was read at, or so many seconds from it, with followed or placed marks.

        Raises TuningError, ValueError.
        """
        source, times = self._source(capture), self._times(capture)
        event = float(times[min(seen.frame or 0, len(times) - 1)])
        frame = int(np.argmin(np.abs(times - event - offset_s)))
        pixels = np.ascontiguousarray(source.frame(frame))
        height, width = pixels.shape[:2]
        image = QImage(pixels.tobytes(), width, height, 3 * width, QImage.Format.Format_RGB888).copy()
        if track is not None:
            tracks = unpack(self._space.record.places(track), track.names, times)
            places = {n: tracks.xy[frame, k] for k, n in enumerate(tracks.names)}
        else:
            placed = seen.evidence.marks if isinstance(seen.evidence, FrameRef) else {}
            places = {n: np.asarray(at, dtype=np.float64) for n, at in placed.items()}
        marks = {n: at for n, at in places.items() if np.isfinite(at).all()}
        time = f", {format_signed(float(times[frame]), 2)} s" if len(times) > 1 else ""
        shown = measure.text(seen.measured or 0.0) + unit_suffix(measure.unit)
        return FrameSide(image, marks, f"{day(capture.at)}{time}", shown)
