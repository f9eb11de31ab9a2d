"""Plays, steps and lights the open picture: what moves through time and how it looks to the eye."""

from __future__ import annotations

import threading
import time
from importlib import import_module

import numpy as np
from PyQt6.QtCore import QObject, QTimer, pyqtSignal
from PyQt6.QtGui import QImage
from PyQt6.QtWidgets import QComboBox, QWidget

from tuning.core.pictures.landmarks import landmark_label
from tuning.core.types import Floats
from tuning.ui.picture.frames import FrameServer, to_image, to_pixels
from tuning.ui.picture.mark_state import MarkState
from tuning.ui.widgets import button, label, set_role
from tuning.video import PictureSource

SPEEDS = {
    "1/16 speed": 0.0625,
    "1/8 speed": 0.125,
    "1/4 speed": 0.25,
    "1/2 speed": 0.5,
    "true speed": 1.0,
    "2 x speed": 2.0,
}
LIGHTS = {"light as recorded": (1.0, 0), "brighter": (1.0, 45), "darker": (1.0, -45), "more contrast": (1.6, 0)}
"""Gain about mid-grey and shift, grey levels; for the eye only, never for measuring."""

BARE = (
    "No sticker is seen under {}: the mark holds by how its place looks, may slide, and keeps the error of the click. "
    "Click a sticker's middle, or go on."
)

LOOK_AGAIN_MS = 100
"""Between two questions whether what looks under a click is loaded."""


def _loading() -> threading.Thread:
    """Loads what looks under a click before there is one: it takes a second, and ten on its first use ever."""
    return threading.Thread(target=import_module, args=("tuning.video.detect.stickers",), name="stickers")


class Player(QObject):
    """Owns the frame server and the controls; the board says which frame is meant."""

    shown = pyqtSignal(object, int)
    """A frame for the eye as QImage with its number, None when the picture is closed."""
    failed = pyqtSignal(str)

    def __init__(self, board: MarkState) -> None:
        super().__init__()
        self._board = board
        self._server: FrameServer | None = None
        self._shown_frame = -1
        self._image: QImage | None = None
        self._looping = False
        self._loading = _loading()
        self.clock = time.monotonic
        """Where playing looks for the time, s."""
        self._timer = QTimer(self)
        self._timer.setInterval(15)
        self._timer.timeout.connect(self._play_on)
        self._started, self._started_at = 0.0, 0.0
        self.place_text = label(role="muted")
        self.place_text.setMinimumWidth(140)  # the numbers change while it plays, the place does not
        self.play_button = button("Play", self.toggle, tip="Space")
        self.speed, self.light = QComboBox(), QComboBox()
        self.speed.addItems(list(SPEEDS))
        self.speed.setCurrentText("true speed")
        self.speed.setAccessibleName("Playing speed")
        self.speed.activated.connect(lambda: self._mark_start())
        self.light.addItems(list(LIGHTS))
        self.light.setAccessibleName("Light, for the eye only")
        self.light.activated.connect(lambda: self._show_again())
        self.loop = button("Loop", self._toggle_loop, tip="Play round and round")
        self.back = button("‹", lambda: self.step(-1), tip="Back one frame (comma)")
        self.on = button("›", lambda: self.step(1), tip="Forward one frame (full stop)")
        board.changed.connect(self._follow_board)
        board.placed.connect(self._look_under)

    @property
    def for_clips(self) -> tuple[QWidget, ...]:
        """Controls that a photograph has no use for."""
        return (self.play_button, self.speed, self.loop, self.back, self.on)

    @property
    def is_open(self) -> bool:
        """True while a picture is open."""
        return self._server is not None

    def open(self, source: PictureSource) -> None:
        """Take over an open source and close the one before."""
        self.close()
        self._server = FrameServer(source)
        self._server.ready.connect(self._frame_ready)
        self._server.failed.connect(self.failed)
        if len(source.times) > 1 and not self._loading.is_alive():
            self._loading = _loading()
            self._loading.start()
        self._shown_frame = -1

    def close(self) -> None:
        """Let go of the picture."""
        self.stop()
        self.place_text.setText("")
        self.shown.emit(None, 0)
        self._image = None
        if self._server is not None:
            self._server.close()
            self._server = None

    def go(self, frame: int) -> None:
        """Show a frame."""
        self.stop()
        self._board.go(frame)

    def step(self, by: int) -> None:
        """Step by frames."""
        self.go(self._board.frame + by)

    def toggle(self) -> None:
        """Play from here, or stop."""
        if self._timer.isActive():
            self.stop()
        elif self.is_open and len(self._board.times) > 1:
            if self._board.frame == len(self._board.times) - 1:
                self._board.go(0)
            self._mark_start()
            self._timer.start()
            self.play_button.setText("Stop")

    def stop(self) -> None:
        """Stop playing."""
        self._timer.stop()
        self.play_button.setText("Play")

    def _mark_start(self) -> None:
        self._started, self._started_at = self.clock(), float(self._board.times[self._board.frame])

    def _play_on(self) -> None:
        speed = SPEEDS[self.speed.currentText()]
        at = self._started_at + (self.clock() - self._started) * speed
        times = self._board.times
        frame = int(times.searchsorted(at, side="right")) - 1
        self._board.go(frame)
        if frame >= len(times) - 1:
            if not self._looping:
                self.stop()
                return
            self._board.go(0)
            self._mark_start()

    def _toggle_loop(self) -> None:
        self._looping = not self._looping
        set_role(self.loop, chosen=self._looping)

    def _show_again(self) -> None:
        if self._server is not None:
            self._server.want(self._board.frame)

    def _follow_board(self) -> None:
        board = self._board
        if self._server is None:
            return
        if board.frame != self._shown_frame:
            self._shown_frame = board.frame
            self._server.want(board.frame)
        if len(board.times) > 1:
            now, count = board.times[board.frame], len(board.times)
            self.place_text.setText(f"frame {board.frame + 1}/{count}  {now:.3f} s")

    def _frame_ready(self, index: int, image: QImage) -> None:
        if self._server is not None and self.sender() is self._server:
            self._image = image
            self.shown.emit(lit(image, *LIGHTS[self.light.currentText()]), index)

    def _look_under(self, name: str, at: Floats) -> None:
        """Say at once where a mark of a clip lies on no sticker."""
        if len(self._board.times) > 1 and self._image is not None:
            self._look_in(self._image, name, at, self._server)

    def _look_in(self, image: QImage, name: str, at: Floats, of: FrameServer | None) -> None:
        if of is not self._server:
            return  # another picture has been opened since
        if self._loading.is_alive():
            QTimer.singleShot(LOOK_AGAIN_MS, lambda: self._look_in(image, name, at, of))
            return
        from tuning.video.detect.stickers import sticker_under

        if not sticker_under(to_pixels(image), at):
            self._board.message.emit(BARE.format(landmark_label(name)))


def lit(image: QImage, gain: float, shift: int) -> QImage:
    """The picture with another light; the pixels that are measured stay untouched."""
    if (gain, shift) == (1.0, 0):
        return image
    table = np.clip((np.arange(256) - 128) * gain + 128 + shift, 0, 255).astype(np.uint8)
    return to_image(table[to_pixels(image)])
