"""Where the centre of pressure went in a stand, seen from above, with the ellipse that holds 95 % of it."""

from __future__ import annotations

import math

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QSizePolicy, QWidget

from tuning.core.force.plate_tests import Analysis, PlateKind
from tuning.core.force.recording import Recording
from tuning.core.force.sway import ellipse, pressure_path
from tuning.core.types import Floats, NotMeasured, Side
from tuning.ui import theme
from tuning.ui.symbols import begin_panel

LEAST_REACH_MM = 10.0
POINTS = 1500


class SwayMap(QWidget):
    """Hidden where there is nothing to draw: other tests, and plates that do not tell the point."""

    def __init__(self) -> None:
        super().__init__()
        self._course: Floats | None = None
        self._side = Side.NONE
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.hide()

    def sizeHint(self) -> QSize:
        """Square enough."""
        return QSize(400, 340)

    def show_recording(self, recording: Recording | None, found: Analysis | None) -> None:
        """The stand of another recording."""
        self._course = None
        if recording is not None and found is not None and found.test.kind is PlateKind.STAND and found.reps:
            events = found.reps[0].events
            first, last = (round(events.get(name, 0.0) * recording.rate) for name in ("start", "end"))
            part = recording.part(first, last) if last > first else recording
            seen = pressure_path(part, found.side if found.test.legs == 1 else Side.BOTH)
            self._course = None if isinstance(seen, NotMeasured) else seen
            self._side = found.side
        self.setVisible(self._course is not None)
        leg = f" of the {self._side.value} leg" if self._side is not Side.NONE else ""
        self.setAccessibleName(f"Point of pressure{leg} from above, with its 95 % ellipse")
        self.update()

    def paintEvent(self, _: QPaintEvent | None) -> None:
        """Path, ellipse, a bar of known length."""
        painter, box = begin_panel(self)
        if self._course is None:
            return
        round_it = ellipse(self._course)
        reach = max(LEAST_REACH_MM, 1.15 * round_it.long, 1.05 * float(np.abs(self._course).max()))
        scale = min(box.width() / 2 - 40, box.height() / 2 - 40) / reach
        painter.save()
        painter.translate(box.center())
        self._paint_cross(painter, reach * scale)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(theme.colour("accent"), 2, Qt.PenStyle.DashLine))
        painter.rotate(-round_it.turn)
        painter.drawEllipse(QPointF(0, 0), scale * round_it.long, scale * round_it.short)
        painter.rotate(round_it.turn)
        step = max(1, len(self._course) // POINTS)
        ink = self._side.value if self._side is not Side.NONE else "ink"
        painter.setPen(QPen(theme.colour(ink), 1.2))
        painter.drawPolyline(QPolygonF([QPointF(scale * x, -scale * y) for x, y in self._course[::step]]))
        painter.restore()
        self._paint_words(painter, box, scale, reach)

    def _paint_cross(self, painter: QPainter, size: float) -> None:
        painter.setPen(QPen(theme.colour("line"), 1))
        painter.drawLine(QPointF(-size, 0), QPointF(size, 0))
        painter.drawLine(QPointF(0, -size), QPointF(0, size))

    def _paint_words(self, painter: QPainter, box: QRectF, scale: float, reach: float) -> None:
        painter.setFont(theme.font())
        painter.setPen(theme.colour("muted"))
        inner = box.adjusted(10, 6, -10, -8)
        painter.drawText(inner, Qt.AlignmentFlag.AlignHCenter | Qt.AlignmentFlag.AlignTop, "ahead")
        middle = Qt.AlignmentFlag.AlignVCenter
        painter.drawText(inner, middle | Qt.AlignmentFlag.AlignLeft, "left")
        painter.drawText(inner, middle | Qt.AlignmentFlag.AlignRight, "right")
        painter.drawText(inner, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignTop, "95 % ellipse dashed")
        length = 10.0 ** math.floor(math.log10(reach))
        y = box.bottom() - 12
        painter.setPen(QPen(theme.colour("ink"), 2))
        painter.drawLine(QPointF(box.left() + 12, y), QPointF(box.left() + 12 + scale * length, y))
        painter.drawText(QPointF(box.left() + 18 + scale * length, y + 5), f"{length:g} mm")
