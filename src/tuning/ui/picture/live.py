"""Live: the picture with a level line or as a mirror, one value as a cue that can fade, recording."""

from __future__ import annotations

import shutil
import tempfile
import threading
import time
from collections.abc import Callable
from contextlib import suppress
from pathlib import Path

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QCloseEvent, QImage, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QComboBox, QDialog, QHBoxLayout, QMessageBox, QVBoxLayout, QWidget

from tuning.core.errors import DeviceFault, TuningError
from tuning.core.movement.movement_views import FRONT
from tuning.core.movement.tasks import HIP_SHIFT_MARKS, hip_shift
from tuning.core.pictures import geometry
from tuning.core.pictures.geometry import Marks
from tuning.core.pictures.landmarks import landmark_name
from tuning.core.pictures.marks import medial_x
from tuning.core.types import LEGS, Side
from tuning.core.units import format_signed
from tuning.devices import map_device_errors
from tuning.devices.camera import Camera
from tuning.devices.plates import ForcePlates
from tuning.exchange.csv.plates import write_csv
from tuning.exchange.force_cleaning import as_sent
from tuning.scratch import scratch
from tuning.ui import theme
from tuning.ui.widgets import button, label, set_role
from tuning.video.media.recorder import Recorder
from tuning.video.track.frame_tracker import Follower

PICTURES_WAIT = 4
GREY = np.array([0.299, 0.587, 0.114], dtype=np.float32)


def _knee(side: Side) -> tuple[tuple[str, ...], Callable[[Marks], float]]:
    names = (f"asis_{side}", f"knee_{side}", f"ankle_{side}")

    def value(m: Marks) -> float:
        return geometry.bend((m[names[0]], m[names[1]], m[names[2]]), medial_x(FRONT, side))

    return names, value


CUES: dict[str, tuple[tuple[str, ...], Callable[[Marks], float], float, str]] = {
    "Hip shift, % of stance width": (HIP_SHIFT_MARKS, hip_shift, 5.0, " %"),
    **{f"Knee angle, {side.value} leg": (*_knee(side), 10.0, "°") for side in LEGS},
}
"""Marks, value and the limit beyond which the cue shows when it fades (practice judgement, editable)."""
FADES = ("cue always", "cue only beyond the limit", "cue every second time beyond", "cue hidden")


class LivePicture(QWidget):
    """The newest picture; clicks place marks; drawn mirrored when asked."""

    placed = pyqtSignal(float, float)

    def __init__(self) -> None:
        super().__init__()
        self.image: QImage | None = None
        self.mirrored, self.level = False, True
        self.marks: dict[str, np.ndarray] = {}
        self.cue = ""
        self.setMinimumSize(640, 400)
        self.setAccessibleName("Live picture")

    def sizeHint(self) -> QSize:
        """Wide."""
        return QSize(900, 506)

    def _scale(self) -> tuple[float, QPointF]:
        assert self.image is not None
        scale = min(self.width() / self.image.width(), self.height() / self.image.height())
        off = QPointF(
            (self.width() - scale * self.image.width()) / 2, (self.height() - scale * self.image.height()) / 2
        )
        return scale, off

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """Tell the picture place under the pointer, mirrored or not."""
        if event is None or self.image is None:
            return
        scale, off = self._scale()
        x, y = (event.position().x() - off.x()) / scale, (event.position().y() - off.y()) / scale
        self.placed.emit(self.image.width() - x if self.mirrored else x, y)

    def paintEvent(self, _: QPaintEvent | None) -> None:
        """Picture, level and plumb line, marks, the cue at arm's length."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), theme.colour("stage"))
        if self.image is None:
            return
        scale, off = self._scale()
        box = QRectF(off.x(), off.y(), scale * self.image.width(), scale * self.image.height())
        painter.save()
        if self.mirrored:
            painter.translate(2 * box.center().x(), 0)
            painter.scale(-1, 1)
        painter.drawImage(box, self.image)
        for at in self.marks.values():
            painter.setPen(QPen(theme.colour("on_stage"), 2))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawEllipse(QPointF(off.x() + scale * at[0], off.y() + scale * at[1]), 8, 8)
        painter.restore()
        if self.level:
            painter.setPen(QPen(theme.colour("on_stage"), 1, Qt.PenStyle.DashLine))
            painter.drawLine(QPointF(box.left(), box.center().y()), QPointF(box.right(), box.center().y()))
            painter.drawLine(QPointF(box.center().x(), box.top()), QPointF(box.center().x(), box.bottom()))
        if self.cue:
            painter.setFont(theme.font(72, bold=True))
            plate = QRectF(box.left() + 16, box.top() + 16, 260, 96)
            back = theme.colour("stage")
            back.setAlpha(210)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(back)
            painter.drawRoundedRect(plate, 4, 4)
            painter.setPen(theme.colour("on_stage"))
            painter.drawText(plate, Qt.AlignmentFlag.AlignCenter, self.cue)


class LiveDialog(QDialog):
    """Place the marks of one cue, watch it, record. A recording opens as a clip when it ends.

    With plates, one button starts both; what they sent is kept beside the clip.
    """

    arrived = pyqtSignal(object)
    gone = pyqtSignal(str)

    def __init__(
        self,
        parent: QWidget | None,
        camera: Camera,
        plates: ForcePlates | None = None,
        clock: Callable[[], float] = time.monotonic,
    ) -> None:
        super().__init__(parent)
        self._camera, self._plates, self._clock = camera, plates, clock
        self.recorded: Path | None = None
        self.pressed: Path | None = None
        """What the plates sent during the recording."""
        self._folder: Path | None = None
        self._samples: list[np.ndarray] = []
        self._waiting, self._writing = threading.Semaphore(PICTURES_WAIT), threading.Lock()
        self._recorder: Recorder | None = None
        self._follower: Follower | None = None
        self._names: tuple[str, ...] = ()
        self._clicked: dict[str, np.ndarray] = {}
        self._plane: np.ndarray | None = None
        self._beyond, self._times_beyond = False, 0
        self._running = True
        self.setWindowTitle(f"Live: {camera.name}")
        self.view = LivePicture()
        self.cue, self.fade = QComboBox(), QComboBox()
        self.cue.addItems(["no cue", *CUES])
        self.cue.setAccessibleName("What is shown live")
        self.fade.addItems(FADES)
        self.fade.setAccessibleName("How the cue fades")
        self.hint = label("", theme.BODY, wrap=True)
        self.mirror = button("Mirror", self._mirror)
        self.level = button("Level line", self._level)
        self.record = button("Record", self.toggle_record, "primary")
        self.with_plates = button("With the plates", self._choose_plates, tip="Record starts clip and plates at once")
        self.with_plates.setVisible(plates is not None)
        self._build()
        self._choose_plates()
        self.view.placed.connect(self._place)
        self.cue.activated.connect(lambda _: self._begin_cue())
        self.arrived.connect(self._show)
        self.gone.connect(self._tell_failure)
        self._thread = threading.Thread(target=self._serve, daemon=True, name="camera")
        self._thread.start()

    def _build(self) -> None:
        row = QHBoxLayout()
        row.setSpacing(8)
        for part in (self.mirror, self.level, self.cue, self.fade):
            row.addWidget(part)
        row.addStretch(1)
        row.addWidget(self.with_plates)
        row.addWidget(self.record)
        column = QVBoxLayout(self)
        column.setContentsMargins(20, 16, 20, 16)
        column.addWidget(self.view, 1)
        column.addWidget(self.hint)
        column.addLayout(row)
        set_role(self.level, chosen=True)
        self.resize(980, 680)

    def _serve(self) -> None:
        start = self._clock()
        while self._running:
            try:
                with map_device_errors("camera"):
                    pixels = np.ascontiguousarray(self._camera.read(), dtype=np.uint8)
                    if pixels.ndim != 3 or pixels.shape[2] != 3:
                        raise ValueError("it sends no colour pictures")
            except DeviceFault as err:
                self.gone.emit(f"{err}.")
                return
            self._keep(pixels, self._clock() - start)
            if self._waiting.acquire(blocking=False):  # a screen that cannot keep up misses pictures, the clip does not
                self.arrived.emit(pixels)

    def _keep(self, pixels: np.ndarray, seconds: float) -> None:
        """Into the clip, in the camera's thread."""
        with self._writing:
            if self._recorder is None:
                return
            try:
                self._recorder.add(pixels, seconds)
            except TuningError as err:
                self._recorder = None
                self.gone.emit(str(err))

    def _show(self, pixels: np.ndarray) -> None:
        self._waiting.release()
        if not self._running:
            return
        height, width = pixels.shape[:2]
        self.view.image = QImage(pixels.tobytes(), width, height, 3 * width, QImage.Format.Format_RGB888).copy()
        self._plane = (pixels @ GREY).astype(np.uint8)
        if self._recorder is not None:
            self._hear_plates()
        if self._follower is not None:
            self._follow()
        self.view.update()

    def _mirror(self) -> None:
        self.view.mirrored = not self.view.mirrored
        set_role(self.mirror, chosen=self.view.mirrored)

    def _level(self) -> None:
        self.view.level = not self.view.level
        set_role(self.level, chosen=self.view.level)

    # the cue

    def _begin_cue(self) -> None:
        self._follower, self._clicked, self.view.marks, self.view.cue = None, {}, {}, ""
        chosen = CUES.get(self.cue.currentText())
        self._names = chosen[0] if chosen is not None else ()
        self._tell_next()

    def _tell_next(self) -> None:
        left = [n for n in self._names if n not in self._clicked]
        self.hint.setText(f"Click {landmark_name(left[0])}, {left[0].rpartition('_')[2]}" if left else "")

    def _place(self, x: float, y: float) -> None:
        left = [n for n in self._names if n not in self._clicked]
        if not left or self._plane is None:
            return
        if self._follower is None:
            self._follower = Follower(self._plane, {})
        self._follower.add(self._plane, left[0], np.array([x, y]))
        self._clicked[left[0]] = np.array([x, y])
        self._tell_next()

    def _follow(self) -> None:
        assert self._follower is not None and self._plane is not None
        told = self._follower.step(self._plane)
        self.view.marks = {
            t.name: at for t, (at, quality) in zip(self._follower.targets, told, strict=True) if quality > 0
        }
        chosen = CUES.get(self.cue.currentText())
        if chosen is None or len(self._clicked) < len(self._names):
            return
        if set(self._names) - set(self.view.marks):
            self.view.cue = "–"
            return
        value = chosen[1](self.view.marks)
        self.view.cue = self._faded(value, chosen[2], chosen[3])

    def _faded(self, value: float, limit: float, unit: str) -> str:
        """The cue, or nothing when the fading says so: help is taken away as control grows."""
        beyond = abs(value) > limit
        if beyond and not self._beyond:
            self._times_beyond += 1
        self._beyond = beyond
        shown = {0: True, 1: beyond, 2: beyond and self._times_beyond % 2 == 0, 3: False}[self.fade.currentIndex()]
        return f"{format_signed(value, 0)}{unit}" if shown else ""

    # recording

    def toggle_record(self) -> None:
        """Begin a clip, or end it."""
        if self.recorded is not None:
            self.accept()
        elif self._recorder is not None:
            self._end()
        elif self.view.image is not None:
            self._forget()  # what failed before
            self.hint.setText("")
            self._folder = Path(tempfile.mkdtemp(prefix=scratch("live")))
            self._start_plates()  # first, so that the clip lies within what they hear
            try:
                self._recorder = Recorder(self._folder / "live.mp4", self.view.image.width(), self.view.image.height())
            except TuningError as err:
                self.hint.setText(str(err))
                return
            self.with_plates.setEnabled(False)
            self.record.setText("Stop and save")

    def _end(self) -> None:
        self._hear_plates()
        with self._writing:
            recorder, self._recorder = self._recorder, None
        if recorder is None:  # it failed a moment ago, and that was told
            return
        try:
            self.recorded = recorder.close()
        except TuningError as err:
            self._tell_failure(str(err))
            return
        try:
            if self._plates is not None and self._samples:
                path = self.recorded.with_name("live plates.csv")
                write_csv(as_sent(self._plates.rate, np.concatenate(self._samples)), path)
                self.pressed = path
        except TuningError as err:
            self.hint.setText(f"The clip is recorded, the plates are not: {err}")
            self.record.setText("Keep the clip alone")
            return
        self.accept()

    def _tell_failure(self, words: str) -> None:
        """Say what failed; where it ended the recording the button begins another."""
        self.hint.setText(words)
        if self._recorder is None:
            self.record.setText("Record")
            self.with_plates.setEnabled(True)

    # plates that run with the clip

    def _choose_plates(self) -> None:
        """With them, or without."""
        set_role(self.with_plates, chosen=not self.with_plates.property("chosen"))

    def _start_plates(self) -> None:
        self._samples = []
        if self._plates is None or not self.with_plates.property("chosen"):
            return
        try:
            with map_device_errors("pair of plates"):
                self._plates.start()
        except DeviceFault as err:
            self._without_plates(err)

    def _hear_plates(self) -> None:
        if self._plates is None or not self.with_plates.property("chosen"):
            return
        try:
            with map_device_errors("pair of plates"):
                new = np.asarray(self._plates.read(), dtype=float)
                if new.ndim != 2 or new.shape[1] not in (3, 7):
                    raise ValueError("samples of an unknown shape")
        except DeviceFault as err:
            self._without_plates(err)
            return
        if len(new):
            self._samples.append(new)
            left, right = new[-1, 1:3]
            self.hint.setText(f"The plates run: left {left:.0f} N, right {right:.0f} N.")

    def _without_plates(self, err: DeviceFault) -> None:
        self._samples = []
        set_role(self.with_plates, chosen=False)
        self.hint.setText(f"{err}; the clip goes on without the plates.")

    def done(self, result: int) -> None:
        """However it ends, the camera is let go; an unfinished recording is dropped only when somebody says so."""
        if self._recorder is not None and result == 0:
            words = "The recording has not ended. Drop it?"
            if QMessageBox.question(self, "Recording", words) != QMessageBox.StandardButton.Yes:
                return
            self._drop()
        self._stop()
        if self.recorded is None:
            self._forget()
        super().done(result)

    def closeEvent(self, event: QCloseEvent | None) -> None:
        """Closing is the same as Escape."""
        if event is not None:
            event.ignore()
        self.reject()

    def _drop(self) -> None:
        with self._writing:
            recorder, self._recorder = self._recorder, None
        if recorder is not None:
            with suppress(TuningError):
                recorder.close()

    def _forget(self) -> None:
        """Nothing of a patient stays behind where nobody looks."""
        if self._folder is not None:
            shutil.rmtree(self._folder, ignore_errors=True)

    def _stop(self) -> None:
        if self._running:
            self._running = False
            self._thread.join(2)
            with suppress(DeviceFault), map_device_errors("camera"):
                self._camera.close()
            if self._plates is not None:
                with suppress(DeviceFault), map_device_errors("pair of plates"):
                    self._plates.stop()
