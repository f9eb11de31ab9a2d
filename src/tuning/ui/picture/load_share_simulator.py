"""Try another squat: move trunk, shin and depth on the drawn figure and watch who bears the load."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QDialog, QHBoxLayout, QSlider, QVBoxLayout, QWidget

from tuning.core.movement.load_share import SidePose, balance_percent, hip_share, lever_share, moments
from tuning.core.pose import PoseFrame, knee_over_foot_percent, knee_zone
from tuning.core.programme.body_model import body_of
from tuning.core.types import NotMeasured
from tuning.core.units import sentence_case
from tuning.drawings.exercise import ExercisePicture, exercise_figure
from tuning.ui import theme
from tuning.ui.symbols import paint_outlines
from tuning.ui.widgets import label

ASSUMED = (
    "Planar and static, both legs as one, ground force at mid-foot, segment masses and centres from Winter (2009). "
    "Not valid with hands, wall or seat helping, in fast movement, or in a split stance."
)


def frame_of(trunk: float, shin: float, knee: float) -> PoseFrame:
    """The pose with a flat foot: the hip bends by trunk + knee - ankle."""
    return PoseFrame(trunk, trunk + knee - shin, knee, shin)


def pose_of(frame: PoseFrame) -> SidePose:
    """Forward places of the joints in stature units."""
    leg = body_of(frame).working
    hip, knee, ankle, heel, toe = (float(place[0]) for place in (leg.hip, leg.knee, leg.ankle, leg.heel, leg.toe))
    return SidePose(hip, knee, ankle, heel, toe)


class _Figure(QWidget):
    def __init__(self) -> None:
        super().__init__()
        self.frame_shown = frame_of(30, 25, 90)
        self.setMinimumSize(360, 420)
        self.setAccessibleName("The drawn squat with the upright line through mid-foot")

    def sizeHint(self) -> QSize:
        """Tall."""
        return QSize(420, 460)

    def paintEvent(self, _: QPaintEvent | None) -> None:
        """The person, the line through mid-foot, the distances of hip and knee from it."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(theme.colour("line"), 1))
        painter.setBrush(theme.colour("panel"))
        painter.drawRect(QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5))
        scale = self.height() / 1.15
        origin = QPointF(self.width() * 0.42, self.height() - 24)
        paint_outlines(painter, exercise_figure(ExercisePicture(self.frame_shown, view="square")), origin, scale)
        leg, pose = body_of(self.frame_shown).working, pose_of(self.frame_shown)
        x = origin.x() + pose.mid_foot * scale
        painter.setPen(QPen(theme.colour("accent"), 1.5, Qt.PenStyle.DashLine))
        painter.drawLine(QPointF(x, 16), QPointF(x, origin.y()))
        painter.setPen(QPen(theme.colour("accent"), 3))
        for joint in (leg.hip, leg.knee):
            place = QPointF(origin.x() + joint[0] * scale, origin.y() - joint[1] * scale)
            painter.drawLine(place, QPointF(x, place.y()))


class WhatIf(QDialog):
    """Three sliders; arrows move them by a degree."""

    def __init__(self, parent: QWidget | None, mass_kg: float | None, stature_m: float | None) -> None:
        super().__init__(parent)
        self._mass, self._stature = mass_kg, stature_m or 1.7
        self.setWindowTitle("Try another squat")
        self.figure = _Figure()
        self.sliders: dict[str, QSlider] = {}
        self._names = {}
        self.share, self.more = label("", theme.TITLE), label("", theme.BODY, wrap=True)
        right = QVBoxLayout()
        right.setSpacing(8)
        right.addWidget(label("Hip share of the load", theme.BODY, bold=True))
        right.addWidget(self.share)
        right.addWidget(self.more)
        for name, low, high, start in (("trunk lean", 0, 75, 30), ("shin lean", 0, 45, 25), ("knee bend", 20, 130, 90)):
            slider = QSlider(Qt.Orientation.Horizontal)
            slider.setRange(low, high)
            slider.setValue(start)
            slider.setAccessibleName(f"{name}, degrees")
            slider.valueChanged.connect(lambda _: self.refresh())
            self.sliders[name] = slider
            self._names[name] = label("", theme.BODY)
            right.addWidget(self._names[name])
            right.addWidget(slider)
        right.addWidget(label(ASSUMED, role="muted", wrap=True))
        right.addStretch(1)
        row = QHBoxLayout(self)
        row.setContentsMargins(20, 20, 20, 20)
        row.setSpacing(24)
        row.addWidget(self.figure, 1)
        row.addLayout(right, 1)
        self.resize(860, 520)
        self.refresh()

    def refresh(self) -> None:
        """Pose, share, moments, zone, and whether one could stand so."""
        values = {name: slider.value() for name, slider in self.sliders.items()}
        for name, value in values.items():
            self._names[name].setText(f"{sentence_case(name)} {value}°")
        frame = frame_of(values["trunk lean"], values["shin lean"], values["knee bend"])
        self.figure.frame_shown = frame
        self.figure.update()
        pose = pose_of(frame)
        share, quick = hip_share(pose, self._stature), lever_share(pose)
        self.share.setText("–" if isinstance(share, NotMeasured) else f"{share:.0f} %")
        found = moments(pose)
        lines = [
            f"Knee {knee_over_foot_percent(frame):.0f} % of the foot, zone {knee_zone(frame)}.",
            f"Hip {found.hip * self._stature:.2f}, knee {found.knee * self._stature:.2f} Nm/kg, both legs.",
        ]
        if self._mass:
            total = (found.hip * self._mass * self._stature, found.knee * self._mass * self._stature)
            lines.append(f"At {self._mass:g} kg: hip {total[0]:.0f} Nm, knee {total[1]:.0f} Nm.")
        lines.append(
            f"Not measured: {share.detail}." if isinstance(share, NotMeasured)
            else "Quick line: –" if isinstance(quick, NotMeasured)
            else f"Quick line {quick:.0f} %: another measure, its own history only."
        )  # fmt: skip
        balance = balance_percent(pose, float(body_of(frame).shoulder[0]))
        if not 0 <= balance <= 100:
            side = "behind the heel" if balance < 0 else "ahead of the toes"
            lines.append(f"This pose cannot balance: the centre of mass lies {side}.")
        self.more.setText("\n".join(lines))
