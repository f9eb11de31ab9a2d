"""A picture bench on which nothing is open: where the camera stands, and the first things to do."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QHBoxLayout, QSizePolicy, QVBoxLayout, QWidget

from tuning.core.picture_views import PICTURE_KINDS, view_of_kind
from tuning.core.pose import PoseFrame
from tuning.core.types import Side
from tuning.drawings.exercise import ExercisePicture, exercise_figure
from tuning.drawings.figure import Outline
from tuning.ui import theme
from tuning.ui.exercise_figure import paint_fitted
from tuning.ui.widgets import button, label

LENS_HEIGHTS = {"pelvis": 0.53, "knee": 0.285}
"""Height of the lens where the words of a kind name a part of the body, share of stature (Winter 2009)."""
DISTANCE = "3 to 4 m"
"""Far enough for a whole person, near enough for stickers (practice judgement, editable)."""
COMING_IN = (
    "Photographs and clips can be dropped on this window or pasted, and those of a watched folder wait above. Each is "
    "copied into the record bit for bit."
)


def person_filmed(view: str) -> list[Outline]:
    """Somebody who stands as a camera to the left of them has to see them."""
    shown, turned = {"rear": ("side", False), "front": ("side", True)}.get(view, ("front", False))
    return exercise_figure(ExercisePicture(PoseFrame(0.0, 0.0, 0.0, 0.0), view=shown), turned)


class CameraPlace(QWidget):
    """The person and the camera from the side, for the kinds that see the whole person."""

    def __init__(self) -> None:
        super().__init__()
        self.kind_id = ""
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)

    def show_kind(self, kind_id: str) -> None:
        """Another kind of picture."""
        self.kind_id = kind_id
        self.setVisible(bool(view_of_kind(kind_id)))
        kind = PICTURE_KINDS[kind_id]
        self.setAccessibleName(f"Where the camera stands: {kind.title}, {DISTANCE} away. {kind.how}")
        self.update()

    def paintEvent(self, _: QPaintEvent | None) -> None:
        """Floor, person, camera, height and distance."""
        view, part = view_of_kind(self.kind_id), self._lens_part()
        if not view or not part:
            return
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        tall = min(self.height() - 70.0, self.width() * 0.42)
        floor, middle = (self.height() + tall) / 2 - 8, self.width() / 2
        person, lens = middle + 0.62 * tall, QPointF(middle - 0.85 * tall, floor - LENS_HEIGHTS[part] * tall)
        painter.setPen(QPen(theme.colour("line"), 2))
        painter.drawLine(QPointF(lens.x() - 0.3 * tall, floor), QPointF(person + 0.4 * tall, floor))
        box = QRectF(person - 0.3 * tall, floor - tall, 0.6 * tall, tall)
        paint_fitted(painter, person_filmed(view), box, Side.NONE)
        self._paint_camera(painter, lens, floor, 0.1 * tall)
        painter.setPen(QPen(theme.colour("accent"), 1.5, Qt.PenStyle.DashLine))
        painter.drawLine(lens + QPointF(0.1 * tall, 0), QPointF(person - 0.16 * tall, lens.y()))
        painter.setPen(theme.colour("muted"))
        painter.setFont(theme.font(theme.BODY))
        height = QRectF(lens.x() + 0.12 * tall, lens.y() - 26, person - lens.x() - 0.3 * tall, 22)
        painter.drawText(height, Qt.AlignmentFlag.AlignCenter, f"lens at {part} height, level")
        away = QRectF(lens.x(), floor + 6, person - lens.x(), 24)
        painter.drawText(away, Qt.AlignmentFlag.AlignCenter, DISTANCE)

    def _lens_part(self) -> str:
        how = PICTURE_KINDS[self.kind_id].how if self.kind_id else ""
        return next((part for part in LENS_HEIGHTS if f"{part} height" in how), "")

    @staticmethod
    def _paint_camera(painter: QPainter, lens: QPointF, floor: float, size: float) -> None:
        """A phone on a stand, its lens to the right."""
        painter.setPen(QPen(theme.colour("ink"), 2))
        foot = lens + QPointF(0, size * 0.7)
        for aside in (-0.9, 0.0, 0.9):
            painter.drawLine(foot, QPointF(lens.x() + aside * size, floor))
        painter.setBrush(theme.colour("ink"))
        painter.drawRoundedRect(QRectF(lens.x() - 0.2 * size, lens.y() - 0.8 * size, 0.4 * size, 1.6 * size), 3, 3)
        painter.setBrush(theme.colour("accent"))
        painter.drawEllipse(lens + QPointF(0.2 * size, 0), 0.16 * size, 0.16 * size)


class EmptyBench(QWidget):
    """What is to be done first; it goes when a picture is open."""

    def __init__(self, open_file: Callable[[], object], live: Callable[[], object] | None) -> None:
        super().__init__()
        self.how = label("", theme.LARGE, wrap=True)
        self.how.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.place = CameraPlace()
        self.open_button = button("Open a file…", open_file, "primary", "Of the kind that is chosen above")
        words = label(COMING_IN, theme.BODY, role="muted", wrap=True)
        words.setAlignment(Qt.AlignmentFlag.AlignCenter)
        first = QHBoxLayout()
        first.setSpacing(12)
        first.addStretch(1)
        first.addWidget(self.open_button)
        if live is not None:
            first.addWidget(button("Live camera…", live, tip="Mirror, live cue, recording"))
        first.addStretch(1)
        column = QVBoxLayout(self)
        column.setContentsMargins(24, 12, 24, 24)
        column.setSpacing(16)
        column.addStretch(1)
        column.addWidget(self.how)
        column.addWidget(self.place, 20)
        column.addLayout(first)
        column.addWidget(words)
        column.addStretch(1)

    def show_kind(self, kind_id: str) -> None:
        """How the chosen kind of picture is taken."""
        self.how.setText(PICTURE_KINDS[kind_id].how)
        self.place.show_kind(kind_id)
