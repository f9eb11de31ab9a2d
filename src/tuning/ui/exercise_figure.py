"""The figure of a rung in a box: exercises, and tests that look like one."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from PyQt6.QtCore import QPointF, QRectF
from PyQt6.QtGui import QPainter

from tuning.core.pose import PoseFrame
from tuning.core.programme.ladders import Pose, Rung
from tuning.core.types import Side
from tuning.drawings.exercise import exercise_figure, scene_of
from tuning.drawings.figure import Outline
from tuning.ui.symbols import paint_outlines


def figure_of(rung: Rung, pose: Pose, frame: PoseFrame, side: Side) -> list[Outline]:
    """The picture of a rung; the left leg works in the mirror image."""
    return exercise_figure(scene_of(rung, pose, frame), side is Side.LEFT)


LOOKS = {"from the front": "front", "from behind": "rear", "from the side": "side"}
"""How a test is looked at, and the renderer's view; others stay as the exercise is drawn."""


def tested_figure(rung: Rung, pose: Pose, look: str, side: Side) -> list[Outline]:
    """The person in a test, seen as the examiner sees it; nobody is told where to feel anything."""
    scene = scene_of(rung, pose, pose.end)
    view = next((view for words, view in LOOKS.items() if look.startswith(words)), scene.view)
    return exercise_figure(replace(scene, view=view, feel=()), side is Side.LEFT)


def paint_fitted(
    painter: QPainter, shapes: list[Outline], box: QRectF, side: Side, around: Sequence[Outline] = ()
) -> None:
    """A figure standing on the lower edge of a box; `around` keeps the scale of a movement."""
    points = [p for shape in (*shapes, *around) for p in shape.points]
    left, right = min(x for x, _ in points), max(x for x, _ in points)
    low, high = min(y for _, y in points), max(y for _, y in points)
    scale = min(box.width() / (right - left), box.height() / max(high - low, 0.45))
    origin = QPointF(box.center().x() - scale * (left + right) / 2, box.bottom() + scale * low)
    paint_outlines(painter, shapes, origin, scale, side)
