"""A copy of a clip or photograph with the face behind a box: drawn in one frame, followed through the others."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QImage, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QDialog, QFileDialog, QHBoxLayout, QSlider, QVBoxLayout, QWidget

from tuning.ui import theme
from tuning.ui.jobs import Job
from tuning.ui.widgets import button, label
from tuning.ui.workspace import Workspace
from tuning.video import PictureSource
from tuning.video.media.face_mask import Box, BoxTrack, masked

STEP, FAR = 1.0, 10.0
"""How far an arrow key moves the box, image px; with Shift."""


class BoxCanvas(QWidget):
    """A frame; a box is drawn by dragging, moved by the arrow keys."""

    drawn = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.box: QRectF | None = None
        self._image: QImage | None = None
        self._from: QPointF | None = None
        self.setMinimumSize(640, 360)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setCursor(Qt.CursorShape.CrossCursor)
        self.setAccessibleName("Frame; drag a box around the face")

    def sizeHint(self) -> QSize:
        """As wide as the dialog."""
        return QSize(960, 540)

    def show_frame(self, pixels: NDArray[np.uint8], box: QRectF | None) -> None:
        """Another frame, with the box that was set in it."""
        height, width = pixels.shape[:2]
        self._image = QImage(pixels.tobytes(), width, height, 3 * width, QImage.Format.Format_RGB888).copy()
        self.box = box
        self.update()

    def _scale(self) -> float:
        image = self._image
        return min(self.width() / image.width(), self.height() / image.height()) if image is not None else 1.0

    def _origin(self) -> QPointF:
        image, scale = self._image, self._scale()
        wide, tall = (image.width() * scale, image.height() * scale) if image is not None else (0.0, 0.0)
        return QPointF((self.width() - wide) / 2, (self.height() - tall) / 2)

    def to_image(self, at: QPointF) -> QPointF:
        """Image point under a place of the widget."""
        return (at - self._origin()) / self._scale()

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """One corner."""
        if event is not None:
            self._from = self.to_image(event.position())
            self.setFocus()

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        """The other corner."""
        if event is not None and self._from is not None:
            self.box = QRectF(self._from, self.to_image(event.position())).normalized()
            self.update()

    def mouseReleaseEvent(self, _: QMouseEvent | None) -> None:
        """The box is set."""
        self._from = None
        if self.box is not None:
            self.drawn.emit()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Arrows move the box."""
        if event is None:
            return
        ways = {Qt.Key.Key_Left: (-1, 0), Qt.Key.Key_Right: (1, 0), Qt.Key.Key_Up: (0, -1), Qt.Key.Key_Down: (0, 1)}
        way = ways.get(Qt.Key(event.key()))
        if way is None or self.box is None:
            super().keyPressEvent(event)
            return
        far = FAR if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else STEP
        self.box.translate(way[0] * far, way[1] * far)
        self.update()
        self.drawn.emit()

    def paintEvent(self, _: QPaintEvent | None) -> None:
        """Frame and box."""
        painter = QPainter(self)
        painter.fillRect(self.rect(), theme.colour("stage"))
        if self._image is None:
            return
        scale, origin = self._scale(), self._origin()
        size = QPointF(self._image.width(), self._image.height()) * scale
        painter.drawImage(QRectF(origin, size + origin), self._image)
        if self.box is not None:
            inside = theme.colour("stage")
            inside.setAlpha(150)
            painter.setBrush(inside)
            painter.setPen(QPen(theme.colour("on_stage"), 2))
            painter.drawRect(QRectF(self.box.topLeft() * scale + origin, self.box.size() * scale))


class MaskDialog(QDialog):
    """Frames by a slider; a box may be set in any of them."""

    job_started = pyqtSignal(object)

    def __init__(self, parent: QWidget, space: Workspace, source: PictureSource, path: Path, frame: int) -> None:
        super().__init__(parent)
        self.setWindowTitle("Hide the face")
        self._space, self._source, self._path = space, source, path
        self.boxes: dict[int, Box] = {}
        self.canvas = BoxCanvas()
        self.canvas.drawn.connect(self._keep)
        self.slider = QSlider(Qt.Orientation.Horizontal)
        self.slider.setRange(0, len(source.times) - 1)
        self.slider.setAccessibleName("Frame")
        self.slider.valueChanged.connect(self._show)
        self.words = label("", role="muted", wrap=True)
        row = QHBoxLayout()
        row.addWidget(button("Take the box of this frame away", self._remove, "link"))
        row.addStretch(1)
        row.addWidget(button("Cancel", self.reject))
        row.addWidget(button("Save the copy…", self.ask, "primary"))
        column = QVBoxLayout(self)
        column.setContentsMargins(20, 16, 20, 16)
        column.addWidget(label("Hide the face in a copy", theme.LARGE))
        column.addWidget(label(HOW, wrap=True))
        column.addWidget(self.canvas, 1)
        column.addWidget(self.slider)
        column.addWidget(self.words)
        column.addLayout(row)
        self.resize(1000, 760)
        self.slider.setValue(frame)
        self._show(frame)

    def _show(self, frame: int) -> None:
        known = self.boxes.get(frame)
        self.canvas.show_frame(self._source.frame(frame), QRectF(*known) if known is not None else None)
        set_in = ", ".join(str(n + 1) for n in sorted(self.boxes)) or "none yet"
        self.words.setText(f"Frame {frame + 1} of {len(self._source.times)}. A box is set in: {set_in}.")

    def _keep(self) -> None:
        box = self.canvas.box
        if box is not None and box.width() >= 4 and box.height() >= 4:
            self.boxes[self.slider.value()] = (box.x(), box.y(), box.width(), box.height())
        self._show(self.slider.value())

    def _remove(self) -> None:
        self.boxes.pop(self.slider.value(), None)
        self._show(self.slider.value())

    def ask(self) -> None:
        """Choose where the copy goes."""
        still = len(self._source.times) == 1
        kind = "Photograph (*.png)" if still else "Clip (*.mp4)"
        out, _ = QFileDialog.getSaveFileName(self, "Copy without the face", "", kind)
        if out:
            self.save(Path(out).with_suffix(".png" if still else ".mp4"))

    def save(self, out: Path) -> None:
        """Work in the background; what should be looked at is said at the end."""
        path, boxes = self._path, dict(self.boxes)

        def work(tick: Callable[[float], None]) -> BoxTrack | None:
            def goes_on(done: float) -> bool:
                tick(done)
                return True

            return masked(path, boxes, out, goes_on)

        job = Job("Hiding the face", work)
        job.done.connect(lambda way: self._space.message.emit(mask_result_text(way, out)))
        self.job_started.emit(job)
        self.accept()


def mask_result_text(way: BoxTrack | None, out: Path) -> str:
    """What became of the copy, and which frames somebody should look at."""
    if way is None:
        return "No copy was made."
    doubted = ", ".join(f"{a + 1} to {b + 1}" if b > a else str(a + 1) for a, b in way.doubted)
    look = f" Look at frames {doubted}: the face was not surely found there." if doubted else " Look through it once."
    return f"Saved {out.name}.{look}"


HOW = (
    "Drag a box around the face; arrow keys move it (Shift: further). It is followed from there through the clip; "
    "where it loses the face, set another box. The copy has no sound and nothing of what the file told of time and "
    "place."
)
