"""Weekly load with how the mornings were, on one axis, and the last tolerated load as a line."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QSizePolicy, QWidget

from tuning.core.programme.joint_load import ToleratedLoad, WeekLoad
from tuning.ui import theme

SHOWN = 9
UNIT, GRADED = "Nm/kg × repetitions", "grade × repetitions (supported or lying: no moment known)"


class LoadChart(QWidget):
    """Bars of the last weeks; a ring under a week says how its mornings were."""

    def __init__(self) -> None:
        super().__init__()
        self._weeks: list[WeekLoad] = []
        self._name = self._region = "kneecap"
        self._tolerated: ToleratedLoad | None = None
        self._graded = False
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFixedHeight(190)

    def sizeHint(self) -> QSize:
        """A strip."""
        return QSize(400, 190)

    def show_load(
        self, weeks: list[WeekLoad], name: str, region: str, tolerated: ToleratedLoad | None, graded: bool
    ) -> None:
        """Another region or leg, named by `name`, or newer weeks; `graded` where no moment of it is known."""
        self._name = name
        self._weeks, self._region, self._tolerated, self._graded = weeks[-SHOWN:], region, tolerated, graded
        words = [f"week of {w.monday:%-d %b}: {w.load(region, graded):.0f}" for w in self._weeks]
        self.setAccessibleName(f"Load by week: {name}. {'; '.join(words)}")
        self.update()

    def paintEvent(self, _: QPaintEvent | None) -> None:
        """Draw."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(theme.font())
        box = QRectF(self.rect()).adjusted(4, 22, -4, -40)
        painter.setPen(theme.colour("muted"))
        if not self._weeks:
            painter.drawText(box, int(Qt.AlignmentFlag.AlignCenter), "No session is logged yet.")
            return
        painter.drawText(
            QRectF(box.left(), 0, box.width(), 20), f"{self._name}, {GRADED if self._graded else UNIT} a week"
        )
        top = max([w.load(self._region, self._graded) for w in self._weeks] + [1e-9])
        top = max(top, self._tolerated.most_next if self._tolerated else 0.0)
        wide = box.width() / SHOWN
        for n, week in enumerate(self._weeks):
            load = week.load(self._region, self._graded)
            high = box.height() * load / top
            bar = QRectF(box.left() + n * wide + 4, box.bottom() - high, wide - 8, high)
            style = Qt.PenStyle.DashLine if self._graded else Qt.PenStyle.SolidLine
            painter.setPen(QPen(theme.colour("accent"), 1, style))
            painter.setBrush(theme.colour("accent_wash"))
            painter.drawRect(bar)
            painter.setPen(theme.colour("ink"))
            painter.drawText(QRectF(bar.left() - 8, bar.top() - 18, bar.width() + 16, 16), int(_CENTRE), f"{load:.0f}")
            self._morning(painter, week, QPointF(bar.center().x(), box.bottom() + 10))
            painter.setPen(theme.colour("muted"))
            place = QRectF(bar.left() - 8, box.bottom() + 20, bar.width() + 16, 18)
            painter.drawText(place, int(_CENTRE), f"{week.monday:%-d %b}")
        self._line(painter, box, top)

    def _morning(self, painter: QPainter, week: WeekLoad, centre: QPointF) -> None:
        """A full dot: not settled; a ring: settled; a dashed ring: not all known."""
        style = Qt.PenStyle.DotLine if week.settled is None else Qt.PenStyle.SolidLine
        painter.setPen(QPen(theme.colour("ink"), 1.4, style))
        painter.setBrush(theme.colour("caution") if week.settled is False else Qt.BrushStyle.NoBrush)
        painter.drawEllipse(centre, 4.5, 4.5)

    def _line(self, painter: QPainter, box: QRectF, top: float) -> None:
        if self._tolerated is None:
            return
        y = box.bottom() - box.height() * self._tolerated.load / top
        painter.setPen(QPen(theme.colour("accent"), 1.5, Qt.PenStyle.DashLine))
        painter.drawLine(QPointF(box.left(), y), QPointF(box.right(), y))


_CENTRE = Qt.AlignmentFlag.AlignHCenter
