"""Every rung of every ladder on one picture, to be looked at: `python scripts/contact_sheet.py OUT.png`."""

from __future__ import annotations

import os
import sys

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QImage, QPainter
from PyQt6.QtWidgets import QApplication

from tuning.core.types import Side
from tuning.drawings.exercise import exercise_figure, scene_of
from tuning.knowledge import load
from tuning.ui import theme
from tuning.ui.symbols import paint_outlines

CELL, ACROSS = 170, 8


def main(target: str, side: Side = Side.RIGHT) -> None:
    """Draw the last frame of every variant, and the first where it differs, small, in the corner."""
    app = QApplication.instance() or QApplication([])
    cells = [(r, p) for ladder in load().ladders.values() for r in ladder.rungs for p in r.poses]
    rows = -(-len(cells) // ACROSS)
    image = QImage(ACROSS * CELL, rows * CELL, QImage.Format.Format_RGB32)
    image.fill(theme.colour("paper"))
    painter = QPainter(image)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    for n, (rung, pose) in enumerate(cells):
        shapes = exercise_figure(scene_of(rung, pose, pose.still), side is Side.LEFT)
        xs, ys = [x for s in shapes for x, _ in s.points], [y for s in shapes for _, y in s.points]
        scale = min(
            0.9 * CELL / (max(xs) - min(xs)), 0.78 * CELL / max(1.0 if not rung.close_up else 0.4, max(ys) - min(ys))
        )
        left, top = (n % ACROSS) * CELL, (n // ACROSS) * CELL
        origin = QPointF(left + CELL / 2 - scale * (min(xs) + max(xs)) / 2, top + CELL * 0.94 + scale * min(ys))
        paint_outlines(painter, shapes, origin, scale, side)
        painter.setPen(theme.colour("muted"))
        painter.drawText(QRectF(left + 4, top + 2, CELL - 8, 16), Qt.AlignmentFlag.AlignLeft, f"{rung.id} {pose.name}")
    painter.end()
    image.save(target)
    del app


if __name__ == "__main__":
    main(sys.argv[1], Side(sys.argv[2]) if len(sys.argv) > 2 else Side.RIGHT)
